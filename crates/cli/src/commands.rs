//! What each command does.

use crate::Exit;
use crate::arguments::{Ask, Demo, Describe, Emitted, Format, Opened, PeriodForm, Shape};
use crate::cache::{self, CachedAtEnd};
use crate::files::{not_of_model, write_file};
use crate::output::{answer, colours, data, failure, remark, styled, to_terminal, width};
use crate::reading::Reading;
use std::io::Read;
use std::path::Path;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use vembra::{
    Error, Layout, Locale, Periods, Progress, Reply, Session, SessionBuilder, Stage, TextOptions, tame_lines,
};
use vembra_demo::Company;

pub(crate) fn demo(arguments: &Demo) -> Exit {
    let company = Company::new(arguments.orders);
    match &arguments.to {
        Some(folder) => write_demo(&company, folder, arguments.force),
        None => tour(&company),
    }
}

fn write_demo(company: &Company, folder: &Path, force: bool) -> Exit {
    let shown = folder.display();
    let names = vembra_demo::FILES.into_iter().chain(["bees.vembra"]);
    let there: Vec<&str> = names.filter(|name| folder.join(name).exists()).collect();
    if let (false, Some(first)) = (force, there.first()) {
        let more = if there.len() > 1 { format!(" and {} more", there.len() - 1) } else { String::new() };
        remark(&format!(
            "error: {shown} has {first}{more} already; name another folder, or replace them with --force\n"
        ));
        return Exit::Wrong;
    }
    let written = std::fs::create_dir_all(folder).and_then(|()| vembra_demo::write_to(company, folder));
    match written {
        Ok(()) => {
            remark(&format!(
                "wrote the demo into {shown}\nnext: vembra check {shown}/bees.vembra\n      vembra ask {shown}/bees.vembra \"rows calendar.year show revenue, orders\"\n      vembra draw {shown}/bees.vembra overview --to overview.html\n"
            ));
            Exit::Fine
        }
        Err(error) => {
            remark(&format!("error: the demo cannot be written into {shown}: {error}\n"));
            Exit::Outside
        }
    }
}

fn tour(company: &Company) -> Exit {
    let builder = match vembra_tour::builder(company) {
        Ok(builder) => builder,
        Err(error) => {
            remark(&format!("error: the demo cannot be made: {error}\n"));
            return Exit::Outside;
        }
    };
    let session = match open(builder) {
        Ok(session) => session,
        Err(error) => return failure(&error),
    };
    let mut text = match vembra_tour::text(&session) {
        Ok(text) => text,
        Err(error) => return failure(&error),
    };
    text.push_str("\nWrite these files into a folder and go on from there:  vembra demo --to bees\n");
    let told = answer(&text);
    if told != Exit::Fine {
        return told;
    }
    demo_page(&session)
}

/// The tour ends with a page to look at.
fn demo_page(session: &Session) -> Exit {
    let page = match vembra_tour::page(session) {
        Ok(page) => page,
        Err(error) => return failure(&error),
    };
    let folder = std::env::temp_dir().join("vembra-demo");
    if let Err(error) = std::fs::create_dir_all(&folder) {
        remark(&format!("error: the folder {} cannot be made: {error}\n", folder.display()));
        return Exit::Outside;
    }
    let file = folder.join("overview.html");
    let exit = write_file(&file, page.as_bytes());
    if exit == Exit::Fine {
        remark("a dashboard of the demo: open it in a web browser\n");
    }
    exit
}

/// Opens a session; says what is read when it takes longer than a second.
pub(crate) fn open(builder: SessionBuilder) -> Result<Session, Error> {
    let start = Instant::now();
    let bar: Mutex<Option<Reading>> = Mutex::new(None);
    let show = move |progress: &Progress| {
        if start.elapsed() < Duration::from_secs(1) {
            return;
        }
        let mut bar = bar.lock().unwrap_or_else(PoisonError::into_inner);
        let reading = bar.get_or_insert_with(Reading::new);
        reading.tell(progress);
    };
    builder.on_progress(show).open()
}

pub(crate) fn open_model(opened: &Opened) -> Result<CachedAtEnd, Exit> {
    if let Some(locale) = opened.locale.as_deref().and_then(|tag| Locale::of(tag).ok())
        && !locale.has_words()
    {
        remark(&format!(
            "note: there are no words in the language of {}: they stay English, and numbers are written by it\n",
            locale.tag()
        ));
    }
    open(builder_with_input(opened)?).map(CachedAtEnd).map_err(|error| failure(&error))
}

pub(crate) fn builder(opened: &Opened) -> SessionBuilder {
    let bounds = &opened.bounds;
    let builder = Session::builder()
        .model_file(&opened.model)
        .allow_outside(bounds.allow_outside)
        .memory(bounds.memory);
    let builder = match cache::place(&opened.keep) {
        Some(cache) => builder.cache(cache.fresh(opened.fresh)),
        None => builder,
    };
    let builder = match &opened.viewer {
        Some(viewer) => builder.viewer(viewer.clone()),
        None => builder,
    };
    let builder = match &opened.locale {
        Some(tag) => builder.locale(tag.clone()),
        None => builder,
    };
    let builder = match &opened.on {
        Some(variable) => builder.served_by(variable.clone()),
        None => builder,
    };
    let files = opened.table.iter().filter_map(|(table, path)| Some((table, path.as_ref()?)));
    files.fold(builder, |builder, (table, path)| builder.table_file(table, path))
}

/// The same with the table that comes from standard input, if one does.
pub(crate) fn builder_with_input(opened: &Opened) -> Result<SessionBuilder, Exit> {
    let piped: Vec<&String> =
        opened.table.iter().filter(|(_, path)| path.is_none()).map(|(t, _)| t).collect();
    match piped.as_slice() {
        [] => Ok(builder(opened)),
        [table] => builder(opened).table_read(*table, std::io::stdin()).map_err(|error| {
            remark(&format!("error: {table} cannot be read from standard input: {error}\n"));
            Exit::Outside
        }),
        _ => {
            remark("error: standard input can be one table; give the others as files\n");
            Err(Exit::Wrong)
        }
    }
}

pub(crate) fn describe(arguments: &Describe) -> Exit {
    let session = match open_model(&arguments.opened) {
        Ok(session) => session,
        Err(exit) => return exit,
    };
    if let Some(text) = session.describe(arguments.name.as_deref()) {
        return answer(&text);
    }
    let name = arguments.name.clone().unwrap_or_default();
    let near = session.nearest_name(&name).map(|n| format!("; did you mean {n}?")).unwrap_or_default();
    remark(&format!("error: the model has no table, column or measure {name}{near}\n"));
    Exit::Wrong
}

pub(crate) fn ask(arguments: &Ask) -> Exit {
    let is_query = arguments.file.is_none() && arguments.query.as_deref() == Some("-");
    if is_query && arguments.opened.table.iter().any(|(_, path)| path.is_none()) {
        remark("error: standard input can be the query or a table; read the query from a file: --file\n");
        return Exit::Wrong;
    }
    let query = match query(arguments) {
        Ok(query) => query,
        Err(exit) => return exit,
    };
    let format = match format(arguments) {
        Ok(format) => format,
        Err(exit) => return exit,
    };
    let session = match open_model(&arguments.opened) {
        Ok(session) => session,
        Err(exit) => return exit,
    };
    if let Some(Err(exit)) = target(arguments).map(|file| not_of_model(&session, file)) {
        return exit;
    }
    let given = match givens(&arguments.given) {
        Ok(given) => given,
        Err(exit) => return exit,
    };
    if let Some(stage) = arguments.emit {
        let stage = match stage {
            Emitted::Tree => Stage::Tree,
            Emitted::Model => Stage::Model,
            Emitted::Plan => Stage::Plan,
            Emitted::Rewritten => Stage::Rewritten,
            Emitted::Physical => Stage::Physical,
            Emitted::Sql => Stage::Sql,
        };
        return match session.query(query).given_all(given).stage(stage) {
            Ok(text) => answer(&text),
            Err(error) => failure(&error),
        };
    }
    let query = session.query(query).given_all(given);
    let asked = if arguments.why { query.why() } else { query.ask().map(|reply| (reply, String::new())) };
    let (reply, why) = match asked {
        Ok(asked) => asked,
        Err(error) => return failure(&error),
    };
    styled(&reply.notes_text(colours()));
    let bytes = match written(&session, &Form::of(arguments), &reply, format) {
        Ok(bytes) => bytes,
        Err(error) => {
            remark(&format!("error: {error}\n"));
            return Exit::Outside;
        }
    };
    let exit = match target(arguments) {
        None if to_terminal() && format != Format::Table => answer(&String::from_utf8_lossy(&bytes)),
        None => data(&bytes),
        Some(file) => write_file(file, &bytes),
    };
    if exit == Exit::Fine && matches!(&reply.answer, vembra::Answer::Summary(s) if s.lines.is_empty()) {
        remark("help: vembra explain, with the same query, tells which condition lets no row through\n");
    }
    if exit == Exit::Fine && !why.is_empty() {
        remark(&format!("\n{why}"));
    }
    exit
}

/// Writes an answer at the prompt into a file, as its ending says.
pub(crate) fn save(session: &Session, reply: &Reply, file: &Path) -> Exit {
    let Some(format) = Format::of(file) else {
        remark(
            "error: say by its ending what the file is: .txt, .csv, .json, .md, .xlsx, .parquet or .arrow\n",
        );
        return Exit::Wrong;
    };
    if let Err(exit) = not_of_model(session, file) {
        return exit;
    }
    let form = Form {
        to: Some(file),
        layout: None,
        width: None,
        bars: false,
        trends: false,
        periods: PeriodForm::Date,
    };
    match written(session, &form, reply, format) {
        Ok(bytes) => write_file(file, &bytes),
        Err(error) => {
            remark(&format!("error: {error}\n"));
            Exit::Outside
        }
    }
}

/// How an answer is written.
struct Form<'a> {
    to: Option<&'a Path>,
    layout: Option<Shape>,
    width: Option<usize>,
    bars: bool,
    trends: bool,
    periods: PeriodForm,
}

impl<'a> Form<'a> {
    fn of(arguments: &'a Ask) -> Self {
        Self {
            to: arguments.to.as_deref(),
            layout: arguments.layout,
            width: arguments.width,
            bars: arguments.bars,
            trends: arguments.trends,
            periods: arguments.periods,
        }
    }
}

/// The file that is written; none where the answer goes to standard output.
fn target(arguments: &Ask) -> Option<&Path> {
    arguments.to.as_deref().filter(|to| *to != Path::new("-"))
}

/// The format that is asked for, or that of the file that is written.
fn format(arguments: &Ask) -> Result<Format, Exit> {
    let file = target(arguments);
    let of_file = file.and_then(Format::of);
    let ending = file.and_then(|f| f.extension()).map(|e| e.to_string_lossy().into_owned());
    if let (None, None, Some(ending)) = (arguments.format, of_file, ending) {
        remark(&format!(
            "error: the ending .{ending} says no format; use .txt, .csv, .json, .md, .xlsx, .parquet or .arrow, or say which with --format\n"
        ));
        return Err(Exit::Wrong);
    }
    let format = arguments.format.or(of_file).unwrap_or(Format::Table);
    let is_file = matches!(format, Format::Xlsx | Format::Parquet | Format::Arrow);
    if is_file && arguments.to.is_none() {
        remark(
            "error: this format is for files and pipes: say which file, such as --to answer.xlsx, or --to - for standard output\n",
        );
        return Err(Exit::Wrong);
    }
    if is_file && file.is_none() && to_terminal() {
        remark("error: this format cannot be shown on a terminal: send it into a pipe or a file\n");
        return Err(Exit::Wrong);
    }
    Ok(format)
}

/// What a value takes while it is written, in bytes: measured on answers of a million lines, and rounded up.
fn bytes_of_a_value(format: Format) -> u64 {
    match format {
        Format::Table | Format::Markdown | Format::Json => 260,
        Format::Xlsx => 190,
        Format::Csv => 80,
        Format::Parquet | Format::Arrow => 40,
    }
}

fn written(session: &Session, form: &Form<'_>, reply: &Reply, format: Format) -> Result<Vec<u8>, String> {
    let room = reply.size() as u64 * bytes_of_a_value(format);
    if let Err(over) = session.memory().check_more(room) {
        return Err(format!(
            "{over}\n  help: allow more with --memory, ask for fewer lines, or write them with --format parquet or csv, which take less"
        ));
    }
    let layout = match (form.layout, format) {
        (Some(Shape::Grid), _) | (None, Format::Table) => Layout::Grid,
        _ => Layout::Tidy,
    };
    let table = TextOptions {
        tidy: layout == Layout::Tidy,
        width: form.width.or_else(|| if form.to.is_none() { width() } else { None }),
        bars: form.bars,
        trends: form.trends,
        numbered: false,
    };
    let periods = match form.periods {
        PeriodForm::Date => reply.first_days(),
        PeriodForm::Text => Periods::Texts,
    };
    let written = match format {
        Format::Table => Ok(tame_lines(&reply.text_with(table)).into_bytes()),
        Format::Markdown => Ok(reply.markdown().into_bytes()),
        Format::Csv => reply.csv(layout).map(String::into_bytes),
        Format::Json => {
            return serde_json::to_vec_pretty(&reply.json(layout))
                .map(|mut text| {
                    text.push(b'\n');
                    text
                })
                .map_err(|e| format!("the answer cannot be written: {e}"));
        }
        Format::Xlsx => reply.spreadsheet().map(|sheet| {
            if !sheet.rounded.is_empty() {
                let columns = sheet.rounded.join(", ");
                remark(&format!(
                    "note: a spreadsheet keeps 15 digits of a number; in these columns some have more, and the nearest one stands there: {columns}\n"
                ));
            }
            if !sheet.early.is_empty() {
                let columns = sheet.early.join(", ");
                remark(&format!(
                    "note: spreadsheets cannot count dates before 1900-03-01; in these columns such dates are written as texts: {columns}\n"
                ));
            }
            sheet.bytes
        }),
        Format::Parquet => reply.parquet(periods),
        Format::Arrow if form.to == Some(Path::new("-")) => reply.arrow_stream(periods),
        Format::Arrow => reply.arrow_file(periods),
    };
    written.map_err(|error| error.to_string())
}

/// The pairs of `--given`.
pub(crate) fn givens(pairs: &[String]) -> Result<Vec<(&str, &str)>, Exit> {
    let mut given = Vec::new();
    for pair in pairs {
        let Some((name, value)) = pair.split_once('=') else {
            remark(&format!("error: --given takes NAME=VALUE, such as focus_year=2024; found {pair}\n"));
            return Err(Exit::Wrong);
        };
        given.push((name.trim(), value.trim()));
    }
    Ok(given)
}

/// The query from the arguments, a file or standard input.
fn query(arguments: &Ask) -> Result<String, Exit> {
    let read = match (&arguments.file, arguments.query.as_deref()) {
        (Some(file), _) => std::fs::read_to_string(file).map_err(|e| (file.display().to_string(), e)),
        (None, Some("-")) => {
            let mut text = String::new();
            std::io::stdin()
                .read_to_string(&mut text)
                .map(|_| text)
                .map_err(|e| ("standard input".to_owned(), e))
        }
        (None, query) => Ok(query.unwrap_or_default().to_owned()),
    };
    read.map_err(|(from, error)| {
        remark(&format!("error: the query cannot be read from {from}: {error}\n"));
        Exit::Outside
    })
}
