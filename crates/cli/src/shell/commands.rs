//! What the lines at the prompt do.

use super::line::{COMMANDS, Cell, Line};
use crate::Exit;
use crate::arguments::Opened;
use crate::check::Found;
use crate::commands::{builder, open};
use crate::output::{answer, colours, failure, height, remark, styled, to_terminal, width};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, RwLock};
use vembra::{Answer, Error, Member, QueryBuilder, Reply, Session, SourceId, Stamp, TextOptions, file_stamp};

/// The session at hand; what helps at the prompt looks at it too.
pub(super) type Shared = Arc<RwLock<Arc<Session>>>;

/// An answered query.
struct Asked {
    query: String,
    reply: Reply,
}

/// What lies on the desk of one who asks.
pub(super) struct Desk {
    pub(super) session: Shared,
    /// Whether something went wrong.
    pub(super) failed: bool,
    opened: PathBuf,
    viewer: Option<String>,
    reopen: Box<dyn Fn() -> Result<Session, Error>>,
    given: Vec<(String, String)>,
    /// The answers that were opened, the last one last.
    trail: Vec<Asked>,
    stamps: Vec<(PathBuf, Stamp)>,
    /// Whether somebody sits at a terminal and reads screen by screen.
    at_terminal: bool,
    /// What of the last text is not shown yet, by lines.
    left: Vec<String>,
    /// Measures that stand until the shell ends, as they were typed.
    tried: Vec<String>,
}

impl Desk {
    pub(super) fn new(session: Session, opened: &Opened) -> Self {
        let mut again = Opened::clone(opened);
        again.fresh = false;
        let mut desk = Self {
            session: Arc::new(RwLock::new(Arc::new(session))),
            failed: false,
            opened: opened.model.clone(),
            viewer: opened.viewer.clone(),
            reopen: Box::new(move || open(builder(&again).remember(super::ROOM))),
            given: Vec::new(),
            trail: Vec::new(),
            stamps: Vec::new(),
            at_terminal: std::io::stdin().is_terminal() && to_terminal(),
            left: Vec::new(),
            tried: Vec::new(),
        };
        desk.stamps = desk.stamps_now();
        desk
    }

    fn session(&self) -> Arc<Session> {
        self.session.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Does what a line says; false at the end.
    pub(super) fn take(&mut self, line: &str) -> bool {
        let line = Line::read(line);
        if !matches!(line, Line::Nothing | Line::Quit | Line::Help) {
            self.reload();
        }
        match line {
            Line::Nothing => {}
            Line::Quit => return false,
            Line::Help => self.say(&help()),
            Line::Query(query) => {
                if let Some(asked) = self.ask(&query) {
                    self.trail = vec![asked];
                }
            }
            Line::And(clause) => self.refine(&clause),
            Line::Measure(text) => self.try_measure(text),
            Line::More(all) => self.more(all),
            Line::Save(file) => self.save(&file),
            Line::Open(number, by) => self.open(number, by.as_deref()),
            Line::Up => self.up(),
            Line::Explain(cell, figure) => self.explain(&cell, figure.as_deref()),
            Line::Why => self.why(),
            Line::Describe(name) => self.describe(name.as_deref()),
            Line::Draw(name) => self.draw(name.as_deref()),
            Line::Given(pairs) => self.give(pairs),
            Line::Check => match Found::in_session(&self.session()) {
                Ok(found) => self.say(&found.text(&self.session())),
                Err(error) => self.fail(&error),
            },
            Line::Wrong(why) => self.wrong(&why),
        }
        true
    }

    /// Says something; on a terminal a screen of it, and how to see the others.
    fn say(&mut self, text: &str) {
        self.left = text.lines().map(|line| format!("{line}\n")).collect();
        if !self.at_terminal {
            return self.more(true);
        }
        self.more(false);
    }

    fn more(&mut self, all: bool) {
        if self.left.is_empty() {
            return self.wrong("there is nothing more to show");
        }
        let room = height().map_or(usize::MAX, |rows| rows.saturating_sub(3).max(5));
        // One line more is no reason to stop.
        let shown = if all || self.left.len() <= room + 1 { self.left.len() } else { room };
        let text: String = self.left.drain(..shown).collect();
        self.failed |= answer(&text) != Exit::Fine;
        match self.left.len() {
            0 => {}
            left => {
                remark(&format!("… and {left} more lines: more shows the next ones, more all the rest\n"));
            }
        }
    }

    /// The last query with a clause put into it.
    fn refine(&mut self, clause: &str) {
        let Some(query) = self.last().map(|a| a.query.clone()) else { return };
        match vembra_editor::with_clause(&query, clause) {
            Ok(query) => {
                self.say(&format!("{query}\n\n"));
                if let Some(asked) = self.ask(&query) {
                    self.trail.push(asked);
                }
            }
            Err(why) => self.wrong(&why),
        }
    }

    /// Takes a measure into the session, in the place of one of its name that was tried before.
    fn try_measure(&mut self, text: String) {
        let name =
            |text: &str| text.split('=').next().map(|n| n.split_whitespace().collect::<Vec<_>>().join(" "));
        let mut tried: Vec<String> = self.tried.iter().filter(|t| name(t) != name(&text)).cloned().collect();
        tried.push(text);
        match self.session().with_declarations(&tried.join("\n")) {
            Ok(session) => {
                *self.session.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(session);
                self.tried = tried;
                self.say("it stands until the shell ends; write it into the model to keep it\n");
            }
            Err(error) => self.fail(&error),
        }
    }

    fn save(&mut self, file: &str) {
        let session = self.session();
        let Some(reply) = self.last().map(|a| a.reply.clone()) else { return };
        let exit = crate::commands::save(&session, &reply, Path::new(file));
        self.failed |= exit != Exit::Fine;
    }

    fn wrong(&mut self, why: &str) {
        self.failed = true;
        remark(&format!("error: {why}\n"));
    }

    fn fail(&mut self, error: &Error) {
        self.failed = true;
        failure(error);
    }

    fn stamps_now(&self) -> Vec<(PathBuf, Stamp)> {
        let session = self.session();
        let model = session.model();
        let sources = (0..model.sources.count()).map(|at| model.sources.name(SourceId(at as u32)).to_owned());
        let tables = model.schema.table_ids().filter_map(|t| Some(session.star().table(t)?.origin.clone()));
        sources.chain(tables).map(PathBuf::from).map(|path| (path.clone(), file_stamp(&path))).collect()
    }

    /// Reads the model again when one of its files has changed. A wrong one is reported, and the old one stays.
    fn reload(&mut self) {
        let now = self.stamps_now();
        if now == self.stamps {
            return;
        }
        self.stamps = now;
        match (self.reopen)() {
            Ok(session) => {
                // What was tried goes on to stand, unless the changed model cannot have it.
                let session = match session.with_declarations(&self.tried.join("\n")) {
                    Ok(with) => with,
                    Err(error) => {
                        self.fail(&error);
                        remark("the measures that were tried do not stand any more\n");
                        self.tried.clear();
                        session
                    }
                };
                *self.session.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(session);
                self.stamps = self.stamps_now();
                remark(&format!("{} has changed and was read again\n", self.opened.display()));
            }
            Err(error) => {
                self.fail(&error);
                remark("the files have changed and cannot be read; answers are still those of before\n");
            }
        }
    }

    fn givens(&self) -> Vec<(&str, &str)> {
        self.given.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect()
    }

    fn query(&self, text: &str) -> QueryBuilder {
        self.session().query(text).given_all(self.givens())
    }

    fn ask(&mut self, query: &str) -> Option<Asked> {
        match self.query(query).ask() {
            Ok(reply) => {
                styled(&reply.notes_text(colours()));
                self.show(&reply);
                Some(Asked { query: query.to_owned(), reply })
            }
            Err(error) => {
                self.fail(&error);
                None
            }
        }
    }

    /// Lines have numbers, by which they are opened and explained.
    fn show(&mut self, reply: &Reply) {
        let options = TextOptions { width: width(), numbered: true, ..TextOptions::default() };
        self.say(&reply.text_with(options));
    }

    /// The last answer, unless there is none.
    fn last(&mut self) -> Option<&Asked> {
        if self.trail.is_empty() {
            self.wrong("ask a query first");
        }
        self.trail.last()
    }

    /// Where the line of a number stands.
    fn members(&mut self, number: usize) -> Option<Vec<Member>> {
        let asked = self.last()?;
        let (found, count) = match &asked.reply.answer {
            Answer::Summary(summary) if !summary.rows.is_empty() => {
                let grid = summary.grid();
                let row = number.checked_sub(1).and_then(|at| grid.rows.get(at));
                (row.map(|r| r.members.to_vec()), grid.rows.len())
            }
            _ => {
                self.wrong("the last answer has no numbered lines");
                return None;
            }
        };
        if found.is_none() {
            self.wrong(&format!("there is no line {number}: the last answer has lines 1 to {count}"));
        }
        found
    }

    fn open(&mut self, number: usize, by: Option<&str>) {
        if self.members(number).is_none() {
            return;
        }
        let Some(asked) = self.trail.last() else { return };
        let Answer::Summary(summary) = &asked.reply.answer else { return };
        let lines: Vec<Vec<Member>> = summary.grid().rows.iter().map(|r| r.members.to_vec()).collect();
        let query = vembra_editor::drill(self.session().model(), &asked.query, &lines, number - 1, by);
        match query {
            Ok(query) => {
                self.say(&format!("{query}\n\n"));
                if let Some(asked) = self.ask(&query) {
                    self.trail.push(asked);
                }
            }
            Err(why) => self.wrong(&why),
        }
    }

    fn up(&mut self) {
        if self.trail.len() < 2 {
            self.wrong("this is the query that was asked; nothing lies above it");
            return;
        }
        self.trail.pop();
        if let Some(above) = self.trail.last() {
            let (query, reply) = (above.query.clone(), above.reply.clone());
            self.say(&format!("{query}\n\n"));
            self.show(&reply);
        }
    }

    fn explain(&mut self, cell: &Cell, figure: Option<&str>) {
        let at = match cell {
            Cell::Members(members) => members.clone(),
            Cell::Line(number, more) => {
                let Some(members) = self.members(*number) else { return };
                let Some(Answer::Summary(summary)) = self.last().map(|a| &a.reply.answer) else { return };
                let fixed = summary.rows.iter().zip(&members).filter(|(_, m)| **m != Member::All);
                let mut parts: Vec<String> = fixed
                    .map(|(h, m)| format!("{} = '{}'", h.name, m.to_string().replace('\'', "''")))
                    .collect();
                parts.extend((!more.is_empty()).then(|| more.clone()));
                parts.join(", ")
            }
        };
        let Some(query) = self.last().map(|a| a.query.clone()) else { return };
        match self.query(&query).explain(&at, figure) {
            Ok(explanation) => self.say(&explanation.text()),
            Err(error) => self.fail(&error),
        }
    }

    fn why(&mut self) {
        let Some(query) = self.last().map(|a| a.query.clone()) else { return };
        match self.query(&query).why() {
            Ok((_, why)) => self.say(&why),
            Err(error) => self.fail(&error),
        }
    }

    fn describe(&mut self, name: Option<&str>) {
        let session = self.session();
        match (session.describe(name), name) {
            (Some(text), _) => self.say(&text),
            (None, Some(name)) => {
                let near = session.nearest_name(name);
                let near = near.map_or(String::new(), |near| format!("; did you mean {near}?"));
                self.wrong(&format!("nothing is called {name}{near}"));
            }
            (None, None) => {}
        }
    }

    fn draw(&mut self, name: Option<&str>) {
        let session = self.session();
        let Some(name) = name else {
            let names = session.drawn_names();
            let lines: String = names.iter().map(|(name, title)| format!("{name}: {title}\n")).collect();
            self.say(&lines);
            return;
        };
        let page = session.model().dashboards.iter().any(|d| d.name == name);
        let drawn = if page {
            session.page(name, &self.givens()).map(|page| page.text(width()))
        } else {
            session.report(name, &self.givens()).map(|picture| picture.text(width()))
        };
        match drawn {
            Ok(text) => self.say(&text),
            Err(error) => self.fail(&error),
        }
    }

    /// A wrong value is reported at once, and not taken.
    fn give(&mut self, pairs: Vec<(String, String)>) {
        let before = self.given.clone();
        for (name, value) in pairs {
            self.given.retain(|(n, _)| *n != name);
            if !value.is_empty() {
                self.given.push((name, value));
            }
        }
        if let Err(error) = self.session().check_given(&self.givens()) {
            self.given = before;
            self.fail(&error);
            return;
        }
        let seen = self.viewer.as_ref().map(|v| format!("seen by {v}\n")).unwrap_or_default();
        let given: String = self.given.iter().map(|(n, v)| format!("{n} = {v}\n")).collect();
        let text = if given.is_empty() { "nothing is given\n".to_owned() } else { given };
        self.say(&format!("{seen}{text}"));
    }
}

fn help() -> String {
    let mut text = "rows … show …, list … from …\n    a query\n".to_owned();
    for (word, takes, does) in COMMANDS.iter().filter(|(word, _, _)| *word != "exit") {
        let line = format!("{word} {takes}");
        text.push_str(&format!("{}\n    {does}\n", line.trim_end()));
    }
    text
}
