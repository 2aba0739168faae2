//! Tables of pages: rows that open and are sorted by a small script, and figures that lead to where they come from. Without the
//! script all rows are there, opened.

use crate::answer::remarks;
use crate::locale::Word;
use crate::picture::Picture;
use crate::sheet::{Column, Head, Row, Sheet, SheetCell, sheet, trend_heights};
use crate::table::Align;
use crate::words::Marks;
use maud::{Markup, html};
use std::collections::HashSet;
use vembra_engine::{Answer, Member};
use vembra_plan::LevelKind;
use vembra_plan::drawing::Form;

/// A table of more lines is scrolled within its frame.
pub(super) const MANY_ROWS: usize = 60;
/// Keys of up to this many letters stay on one line.
const SHORT_KEY: usize = 12;

/// A picture as a table, with what is to be said of it below. `id` is that of the picture on the page.
pub(super) fn table(picture: &Picture, id: &str) -> Markup {
    let table = Table::new(picture, id);
    let locale = &picture.locale;
    let mut notes = remarks(table.answer, Some(&picture.drawing), locale);
    notes.extend(picture.details.notes.iter().map(|note| note.text(locale)));
    html! {
        (table.html())
        @for note in &notes {
            p class="note" {
                @match note.strip_prefix('●') {
                    // As red as what it is about.
                    Some(meaning) => { span class="dot" { "●" } (meaning) }
                    None => (note),
                }
            }
        }
    }
}

/// Where the explanation of a figure stands on the page.
pub(super) fn explanation_id(id: &str, (line, figure): (usize, usize)) -> String {
    format!("why-{id}-{line}-{figure}")
}

struct Table<'a> {
    picture: &'a Picture,
    id: &'a str,
    answer: &'a Answer,
    sheet: Sheet,
    /// Where rows stand among the others; nothing where they are not sorted on the page.
    order: Option<Order>,
}

/// Where rows stand among the others.
struct Order {
    /// Whether the rows of each parent stand together.
    grouped: bool,
    /// Per row its number among those of one parent, behind the path of this, such as `2/0/5`.
    paths: Vec<String>,
}

impl<'a> Table<'a> {
    fn new(picture: &'a Picture, id: &'a str) -> Self {
        let answer = picture.details.opens.as_ref().map_or(&picture.answer, |opens| &opens.answer);
        let sheet = sheet(answer, Some(&picture.drawing), &picture.locale);
        let order = sorts(answer).then(|| order(&sheet.rows));
        Self { picture, id, answer, sheet, order }
    }

    fn html(&self) -> Markup {
        let (picture, sheet) = (self.picture, &self.sheet);
        if sheet.rows.is_empty() {
            return html! { p { (picture.locale.word(Word::NoRows)) } };
        }
        let long = picture.drawing.form == Form::Table && sheet.rows.len() > MANY_ROWS;
        let opens = picture.details.opens.as_ref();
        let opened = opens.map(|_| opened(&picture.answer));
        html! {
            div class=(if long { "scroll long" } else { "scroll" }) tabindex="0" role="group" aria-label=(picture.locale.say(Word::FiguresOf, &[("title", &picture.title)])) {
                table class=[opens.map(|_| "tree")] data-sorts=[self.order.as_ref().map(|_| "")] {
                    @if !sheet.caption.is_empty() { caption { (sheet.caption) } }
                    thead {
                        @for (at, line) in sheet.heads.iter().enumerate() { (self.heads(line, at + 1 == sheet.heads.len())) }
                    }
                    tbody {
                        @for (at, row) in sheet.rows.iter().enumerate() { (self.row(at, row, opened.as_ref())) }
                    }
                }
            }
            // The script shows it where the table is wider than its frame.
            p class="note further" hidden { (picture.locale.word(Word::MoreColumns)) }
        }
    }

    /// The columns of keys that stand in one, each level further in than the one before.
    fn joined(&self) -> std::ops::Range<usize> {
        match &self.picture.details.opens {
            Some(opens) => opens.first..self.sheet.keys,
            None => 0..0,
        }
    }

    fn heads(&self, line: &[Head], last: bool) -> Markup {
        let mut column = 0;
        let mut placed: Vec<(usize, &Head)> = Vec::new();
        for head in line {
            placed.push((column, head));
            column += head.span;
        }
        let joined = self.joined();
        placed.retain(|(at, _)| *at == joined.start || !joined.contains(at));
        html! {
            tr {
                @for (at, head) in placed { (self.head(at, head, last)) }
            }
        }
    }

    fn head(&self, at: usize, head: &Head, last: bool) -> Markup {
        let right = self.sheet.columns.get(at).is_some_and(|c| c.align == Align::Right);
        let span = (head.span > 1).then_some(head.span);
        let order = self.order.as_ref().filter(|_| last && span.is_none());
        html! {
            @if head.text.is_empty() {
                td colspan=[span] {}
            } @else {
                th scope=(if head.span > 1 { "colgroup" } else { "col" }) class=[right.then_some("n")] colspan=[span] data-sort=[order.map(|order| self.sort_kind(at, order))] {
                    span { (head.text) }
                    // The heading stands over the figures, not over what stands beside them.
                    @if let Some(column) = self.sheet.columns.get(at).filter(|_| head.span == 1) { (beside(column)) }
                }
            }
        }
    }

    /// What a column is sorted by: the order of all levels of the hierarchy that opens, that of one level, counted from 1, or its
    /// own values.
    fn sort_kind(&self, at: usize, order: &Order) -> String {
        if self.joined().contains(&at) {
            "tree".to_owned()
        } else if at >= self.sheet.keys {
            "figure".to_owned()
        } else if order.grouped {
            (at + 1).to_string()
        } else {
            "key".to_owned()
        }
    }

    fn row(&self, at: usize, row: &Row, opened: Option<&HashSet<String>>) -> Markup {
        let class = match row.kind {
            LevelKind::Detail => None,
            LevelKind::Subtotal => Some("subtotal"),
            LevelKind::Total => Some("total"),
        };
        let joined = self.joined();
        let depth = row.members.iter().filter(|m| **m != Member::All).count();
        let is_rest = row.members.iter().any(|m| matches!(m, Member::Rest(_)));
        let is_open = opened.is_some_and(|opened| opened.contains(&key(&row.members)));
        html! {
            tr class=[class] data-path=[self.order.as_ref().map(|order| &order.paths[at])] data-last=[is_rest.then_some("")] data-open=[is_open.then_some("")] {
                @for (at, cell) in row.cells.iter().enumerate() {
                    @if at == joined.start && !joined.is_empty() {
                        @let level = depth.saturating_sub(joined.start);
                        @let deepest = row.cells[joined.clone()].iter().rfind(|c| !c.text.is_empty()).unwrap_or(cell);
                        th scope="row" class=(format!("level l{level}")) { (deepest.text) }
                    } @else if !joined.contains(&at) {
                        (self.cell(at, cell))
                    }
                }
            }
        }
    }

    fn cell(&self, at: usize, cell: &SheetCell) -> Markup {
        let (sheet, right) = (&self.sheet, self.sheet.columns[at].align == Align::Right);
        let value = cell.value.filter(|_| self.order.is_some());
        html! {
            @if at < sheet.keys && !cell.text.is_empty() {
                th scope="row" class=[key_class(right, &cell.text)] data-value=[value] { (cell.text) }
            } @else if let Some(again) = &cell.again {
                th scope="row" class=(format!("{} again", key_class(right, again).unwrap_or_default())) data-value=[value] { (again) }
            } @else {
                td class=[cell_class(right, cell)] data-value=[value] { (self.cell_inside(cell, &sheet.columns[at])) }
            }
        }
    }

    /// A figure leads to where it comes from, if the page holds that.
    fn figure(&self, cell: &SheetCell) -> Markup {
        let explained = cell.of.filter(|of| self.picture.details.explained.contains_key(of));
        html! {
            @match explained.filter(|_| !cell.text.is_empty()) {
                Some(of) => { a class="why" href=(format!("#{}", explanation_id(self.id, of))) { (cell.text) } }
                None => (cell.text),
            }
        }
    }

    fn cell_inside(&self, cell: &SheetCell, column: &Column) -> Markup {
        html! {
            (self.figure(cell))
            @if !cell.marks.is_empty() {
                span class="off" title=(cell.marks.meaning(&self.picture.locale)) { (cell.marks.text()) }
            }
            @if !column.marks.is_empty() {
                span class="room" aria-hidden="true" { (blank(cell.marks, column.marks)) }
            }
            @if column.ruled && cell.dotted { span class="dot" { " ●" } }
            @if column.ruled && !cell.dotted { span class="room" aria-hidden="true" { " ●" } }
            @if column.bars {
                span class="bars" aria-hidden="true" {
                    @if let Some(bar) = cell.bar {
                        span class=(bar_class(bar, column.has_signs)) style=(format!("width:{:.1}%", bar.abs() * 100.0)) {}
                    }
                }
            }
            @if cell.trend.len() > 1 { (trend(&cell.trend)) }
        }
    }
}

/// Whether rows can be sorted on the page: lists, and summaries that have each line once.
fn sorts(answer: &Answer) -> bool {
    match answer {
        Answer::List(_) => true,
        Answer::Summary(summary) => !summary.rows.is_empty() && !summary.figures.on_rows(),
    }
}

/// The members of a row as one text.
fn key(members: &[Member]) -> String {
    let known = members.iter().take_while(|m| **m != Member::All);
    known.map(|m| format!("{m:?}")).collect::<Vec<_>>().join("\n")
}

/// The rows that the query itself opens: those that have rows below them.
fn opened(answer: &Answer) -> HashSet<String> {
    let Answer::Summary(summary) = answer else { return HashSet::new() };
    let lines = summary.lines.iter().map(|line| &line.rows);
    lines
        .flat_map(|members| {
            let depth = members.iter().take_while(|m| **m != Member::All).count();
            (1..depth).map(|at| key(&members[..at]))
        })
        .collect()
}

/// Where each row stands. Rows that come in no groups stand side by side.
fn order(rows: &[Row]) -> Order {
    let grouped = in_groups(rows);
    let mut current: Vec<(&Member, usize)> = Vec::new();
    let mut next: Vec<usize> = vec![0];
    let mut paths = Vec::with_capacity(rows.len());
    for (at, row) in rows.iter().enumerate() {
        if !grouped {
            paths.push(if row.kind == LevelKind::Total { String::new() } else { at.to_string() });
            continue;
        }
        let members: Vec<&Member> = row.members.iter().take_while(|m| **m != Member::All).collect();
        let same = current.iter().zip(&members).take_while(|((known, _), member)| known == *member).count();
        if same < members.len() {
            current.truncate(same);
        }
        for member in members.iter().skip(current.len()) {
            let depth = current.len();
            next.truncate(depth + 1);
            current.push((member, next[depth]));
            next[depth] += 1;
            next.push(0);
        }
        let path = current[..members.len()].iter().map(|(_, number)| number.to_string());
        paths.push(path.collect::<Vec<_>>().join("/"));
    }
    Order { grouped, paths }
}

/// Whether the rows of each parent stand together.
fn in_groups(rows: &[Row]) -> bool {
    let mut seen: HashSet<String> = HashSet::new();
    let mut last: Vec<String> = Vec::new();
    for row in rows {
        let known = row.members.iter().take_while(|m| **m != Member::All).count();
        if known == 0 && row.kind == LevelKind::Detail {
            return false;
        }
        let prefixes: Vec<String> = (1..=known).map(|at| key(&row.members[..at])).collect();
        for (depth, prefix) in prefixes.iter().enumerate() {
            if last.get(depth) != Some(prefix) && !seen.insert(prefix.clone()) {
                return false;
            }
        }
        // A total behind its rows still belongs to them.
        if prefixes.len() >= last.len() || !last.starts_with(&prefixes) {
            last = prefixes;
        }
    }
    true
}

/// Dates, periods and other short keys are not broken into lines.
fn key_class(right: bool, text: &str) -> Option<&'static str> {
    match (right, text.chars().count() <= SHORT_KEY) {
        (true, _) => Some("n"),
        (false, true) => Some("short"),
        (false, false) => None,
    }
}

fn cell_class(right: bool, cell: &SheetCell) -> Option<&'static str> {
    match (right, cell.ruled) {
        (true, true) => Some("n marked"),
        (true, false) => Some("n"),
        (false, true) => Some("marked"),
        _ => None,
    }
}

/// The room that marks and small bars take beside figures.
fn beside(column: &Column) -> Markup {
    html! {
        @if !column.marks.is_empty() { span class="room" aria-hidden="true" { (column.marks.text()) } }
        @if column.ruled { span class="room" aria-hidden="true" { " ●" } }
        @if column.bars { span class="bars" aria-hidden="true" {} }
    }
}

/// The marks of a column that a cell has not, unseen, so that figures are aligned.
fn blank(own: Marks, all: Marks) -> String {
    if own.is_empty() {
        return all.text();
    }
    let missing = Marks {
        off_sum: all.off_sum && !own.off_sum,
        partial: all.partial && !own.partial,
        shared: all.shared && !own.shared,
    };
    missing.text().trim_start().to_owned()
}

/// A bar, in colours of both signs if figures of its column have both.
fn bar_class(bar: f64, has_signs: bool) -> &'static str {
    match (has_signs, bar < 0.0) {
        (false, _) => "bar",
        (true, false) => "bar above",
        (true, true) => "bar below",
    }
}

/// A small line through the figures of a row.
fn trend(values: &[Option<f64>]) -> Markup {
    let heights = trend_heights(values).unwrap_or_default();
    let mut path = String::new();
    let mut open = false;
    for (at, height) in heights.iter().enumerate() {
        match height {
            Some(height) => {
                let x = at as f64 / (values.len() - 1) as f64 * 80.0;
                let y = 17.0 - height * 14.0;
                path.push_str(&format!("{}{x:.1} {y:.1}", if open { "L" } else { "M" }));
                open = true;
            }
            None => open = false,
        }
    }
    html! {
        svg class="trend" viewBox="0 0 82 20" width="82" height="20" aria-hidden="true" {
            path d=(path) fill="none" class="s-blue" stroke-width="1.5" {}
        }
    }
}
