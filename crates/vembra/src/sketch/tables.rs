//! The tables of files, and what distinguishes their rows.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vembra_engine::{Column, EngineError};
use vembra_plan::{Finding, Severity, Type};
use vembra_sources::{Loaded, ReadOptions, database_tables, read_database, read_table};
use vembra_syntax::Code;

/// Where a table comes from.
#[derive(Clone, Debug)]
pub(super) enum Origin {
    File(PathBuf),
    /// A database by its name in the model, and the variable that says where it is.
    Database {
        name: String,
        variable: String,
    },
    /// It is in the model already.
    Model,
}

impl Origin {
    fn read(&self, options: &ReadOptions) -> Loaded {
        match self {
            Self::File(file) => read_table(file, options),
            Self::Database { name, variable } => read_database(name, variable, options),
            Self::Model => read_table(Path::new(""), options),
        }
    }

    /// What it is called.
    fn shown(&self) -> String {
        match self {
            Self::File(file) => file.display().to_string(),
            Self::Database { name, .. } => name.clone(),
            Self::Model => String::new(),
        }
    }
}

/// A table that was read.
#[derive(Debug)]
pub(super) struct Seen {
    /// The name that it gets.
    pub(super) name: String,
    pub(super) from: Origin,
    pub(super) rows: usize,
    pub(super) columns: Vec<(String, Arc<Column>)>,
    /// What has to be said of it: its sheet, its forms, its encoding.
    pub(super) said: Vec<String>,
    /// The column that is its key.
    pub(super) key: Option<usize>,
}

impl Seen {
    pub(super) fn column(&self, at: usize) -> (&str, &Column) {
        let (name, column) = &self.columns[at];
        (name, column)
    }
}

/// Reads a file; of a workbook or a database each table. What cannot be read is a doubt.
pub(super) fn look(from: &Origin, options: &ReadOptions, seen: &mut Vec<Seen>, doubts: &mut Vec<String>) {
    let mut options = options.clone();
    let mut said = Vec::new();
    if let Some(sheet) = &options.sheet {
        said.push(format!("sheet {}", quoted(sheet)));
    }
    if let Some(table) = &options.table {
        said.push(format!("table {}", quoted(table)));
    }
    let loaded = from.read(&options);
    let sheets = find(&loaded.findings, Code::V629).into_iter().flat_map(|found| found.subjects);
    let sheets = sheets.map(|name| ReadOptions { sheet: Some(name), ..options.clone() });
    let tables = find(&loaded.findings, Code::V640).into_iter().flat_map(|found| found.subjects);
    let tables = tables.map(|name| ReadOptions { table: Some(name), ..options.clone() });
    let several: Vec<ReadOptions> = sheets.chain(tables).collect();
    if !several.is_empty() {
        several.iter().for_each(|one| look(from, one, seen, doubts));
        return;
    }
    let loaded = read_again(from, loaded, &mut options, &mut said, doubts);
    if let Some(error) = loaded.findings.iter().find(|f| f.severity == Severity::Error) {
        doubts.push(format!("left out: {error}"));
        return;
    }
    if loaded.table.rows == 0 {
        let what = said.first().map(|s| format!(" {s}")).unwrap_or_default();
        doubts.push(format!("left out: {}{what} has no rows", from.shown()));
        return;
    }
    doubts.extend(loaded.findings.iter().map(ToString::to_string));
    let name = match (options.sheet.as_deref().or(options.table.as_deref()), from) {
        (Some(name), Origin::Database { .. }) => plain_name(name.rsplit('.').next().unwrap_or(name)),
        (Some(name), _) => plain_name(name),
        (None, Origin::File(file)) => plain_name(&stem(file)),
        (None, _) => "data".to_owned(),
    };
    let table = loaded.table;
    let columns = table.columns.iter().map(|(name, c)| Ok((name.clone(), c.get()?.clone())));
    let columns: Vec<(String, Arc<Column>)> = match columns.collect::<Result<_, EngineError>>() {
        Ok(columns) => columns,
        Err(error) => {
            doubts.push(format!("left out: {error}"));
            return;
        }
    };
    let key = key_of(&columns, &name);
    seen.push(Seen { name, from: from.clone(), rows: table.rows, columns, said, key });
}

/// Reads a file again as what it says of itself asks for, and says what a model has to say then.
fn read_again(
    from: &Origin,
    mut loaded: Loaded,
    options: &mut ReadOptions,
    said: &mut Vec<String>,
    doubts: &mut Vec<String>,
) -> Loaded {
    if find(&loaded.findings, Code::V613).is_some() && options.encoding.is_none() {
        options.encoding = Some("windows-1252".to_owned());
        loaded = from.read(options);
        said.push("encoding 'windows-1252'".to_owned());
        doubts
            .push(format!("{} is not in UTF-8: windows-1252 is the likeliest other encoding", from.shown()));
    }
    // What files write where there is no value.
    let blanks: BTreeSet<String> = loaded.findings.iter().filter_map(blank).collect();
    if !blanks.is_empty() {
        options.missing = blanks.iter().cloned().collect();
        loaded = from.read(options);
        let listed: Vec<String> = blanks.iter().map(|b| quoted(b)).collect();
        said.push(format!("missing {}", listed.join(", ")));
    }
    // Texts that look like numbers or dates of a place are read as such.
    for _ in 0..2 {
        let Some(form) = find(&loaded.findings, Code::V636) else { break };
        let Some(line) = form.subjects.first().cloned() else { break };
        if !take_form(options, &line) {
            break;
        }
        if form.subjects.len() > 1 {
            let column = form.column.clone().unwrap_or_default();
            doubts.push(format!("{}: {column} may hold {line}, or another form", from.shown()));
        }
        said.push(line);
        loaded = from.read(options);
    }
    if let Some(doubt) = find(&loaded.findings, Code::V626) {
        let guess = guessed_form(&doubt, &loaded, options);
        if take_form(options, &guess.line) {
            doubts.push(format!(
                "{}: {}; {} is a guess: {}",
                from.shown(),
                doubt.message,
                guess.line,
                guess.why
            ));
            said.push(guess.line);
            loaded = from.read(options);
        }
    }
    loaded
}

/// A form of numbers that cannot be seen, and what speaks for it.
struct Guess {
    line: String,
    why: &'static str,
}

/// What a lone separator before three digits is likeliest to be, by the dates and the other numbers of the file.
fn guessed_form(doubt: &Finding, loaded: &Loaded, options: &ReadOptions) -> Guess {
    const COMMA: &str = "numbers like '1.234,56'";
    const POINT: &str = "numbers like '1,234.56'";
    let other = |name: &String| Some(name) != doubt.column.as_ref();
    let with_points = loaded.table.columns.iter().any(|(name, column)| {
        other(name)
            && matches!(column.ty(), Type::Decimal(scale) if scale != 3)
            && column.missing() < column.len()
    });
    let dates = options.forms.dates.as_ref();
    let is = |example: &str| {
        let form = vembra_plan::forms::DateForm::like(example).ok();
        form.is_some() && form.as_ref() == dates
    };
    let (form, why) = if with_points {
        (POINT, "other columns have decimals behind a point")
    } else if is("31.12.2024") || is("31.12.24") || is("31/12/2024") || is("31-12-2024") {
        (COMMA, "the dates are written as where decimals stand behind a comma")
    } else if is("12/31/2024") || is("12/31/24") {
        (POINT, "the dates are written as where decimals stand behind a point")
    } else if doubt.subjects.first().is_some_and(|field| field.contains(',')) {
        (POINT, "nothing in the file says otherwise")
    } else {
        (POINT, "it is what is read if nothing is said")
    };
    Guess { line: form.to_owned(), why }
}

fn find(findings: &[Finding], code: Code) -> Option<Finding> {
    findings.iter().find(|f| f.code == code).cloned()
}

/// Reads the tables of a database.
pub(super) fn look_into(
    from: &Origin,
    seen: &mut Vec<Seen>,
    doubts: &mut Vec<String>,
) -> Result<(), Box<Finding>> {
    let Origin::Database { name, variable } = from else { return Ok(()) };
    for table in database_tables(name, variable)? {
        let one = ReadOptions { table: Some(table), ..ReadOptions::default() };
        look(from, &one, seen, doubts);
    }
    Ok(())
}

/// A text among numbers or dates that stands for no value.
fn blank(finding: &Finding) -> Option<String> {
    let known = ["NA", "N/A", "n/a", "na", "NaN", "nan", "NULL", "null", "None", "-", "?", "."];
    let text = finding.subjects.first().filter(|_| finding.code == Code::V619)?;
    known.contains(&text.as_str()).then(|| text.clone())
}

fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

fn take_form(options: &mut ReadOptions, line: &str) -> bool {
    use vembra_plan::forms::{DateForm, NumberForm};
    let Some((word, example)) = line.split_once(" like '") else { return false };
    let example = example.trim_end_matches('\'');
    match word {
        "numbers" if options.forms.numbers.is_none() => {
            options.forms.numbers = NumberForm::like(example).ok();
            options.forms.numbers.is_some()
        }
        "dates" if options.forms.dates.is_none() => {
            options.forms.dates = DateForm::like(example).ok();
            options.forms.dates.is_some()
        }
        _ => false,
    }
}

/// The name of a file without its endings.
fn stem(file: &Path) -> String {
    let name = file.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    name.split('.').find(|part| !part.is_empty()).unwrap_or("data").to_owned()
}

/// A name in lower case, its words joined by underscores.
pub(super) fn plain_name(text: &str) -> String {
    let mut name = String::new();
    for c in text.chars() {
        if c.is_alphanumeric() {
            name.extend(c.to_lowercase());
        } else if !name.is_empty() && !name.ends_with('_') {
            name.push('_');
        }
    }
    let name = name.trim_end_matches('_');
    match name.chars().next() {
        None => "data".to_owned(),
        Some(first) if first.is_numeric() => {
            // A number before a name only orders files.
            let rest = name.trim_start_matches(|c: char| c.is_numeric() || c == '_');
            if rest.is_empty() { format!("data_{name}") } else { rest.to_owned() }
        }
        Some(_) if name == "calendar" => "calendar_days".to_owned(),
        Some(_) => name.to_owned(),
    }
}

/// Two tables have two names.
pub(super) fn name_apart(seen: &mut [Seen]) {
    let mut taken = BTreeSet::new();
    for table in seen {
        let first = table.name.clone();
        let mut number = 2;
        while !taken.insert(table.name.clone()) {
            table.name = format!("{first}_{number}");
            number += 1;
        }
    }
}

/// Whether values of a type can be a key.
pub(super) fn may_be_key(ty: Type) -> bool {
    matches!(ty, Type::Integer | Type::Text)
}

/// The column that is likeliest the key: no value twice and none missing; of several the one whose name says so, else the first.
pub(super) fn key_of(columns: &[(String, Arc<Column>)], name: &str) -> Option<usize> {
    let unique = |column: &Column| {
        may_be_key(column.ty())
            && column.missing() == 0
            && !column.is_empty()
            && different(column) == column.len()
    };
    let candidates: Vec<usize> = (0..columns.len()).filter(|at| unique(&columns[*at].1)).collect();
    let rank = |at: &usize| {
        let column = plain_name(&columns[*at].0);
        let own = [format!("{name}_id"), format!("{name}id"), format!("{name}_code"), name.to_owned()];
        let short = singular(name);
        let shorter = [format!("{short}_id"), format!("{short}id"), format!("{short}_code"), short];
        if own.contains(&column) || shorter.contains(&column) {
            0
        } else if ["id", "key", "code", "no", "number", "sku"].contains(&column.as_str()) {
            1
        } else if is_code(&column) {
            2
        } else {
            3 + at
        }
    };
    // A number that counts rows is a key only at the front or by its name: amounts may be different by chance.
    let stands = |at: &usize| rank(at) < 3 || *at == 0 || columns[*at].1.ty() == Type::Text;
    candidates.into_iter().filter(stands).min_by_key(rank)
}

/// Whether a name says that values are codes or numbers of something.
pub(super) fn is_code(column: &str) -> bool {
    let last = column.rsplit('_').next().unwrap_or(column);
    let codes = [
        "id", "code", "key", "no", "nr", "number", "num", "sku", "zip", "plz", "ean", "year", "quarter",
        "month", "week", "day", "hour", "minute", "second",
    ];
    codes.contains(&last) || (column.ends_with("id") && column.len() > 4)
}

/// A name without the ending of many.
pub(super) fn singular(name: &str) -> String {
    if let Some(stem) = name.strip_suffix("ies") {
        format!("{stem}y")
    } else if let Some(stem) = name.strip_suffix("sses") {
        format!("{stem}ss")
    } else if name.ends_with("ss") {
        name.to_owned()
    } else {
        name.strip_suffix('s').unwrap_or(name).to_owned()
    }
}

/// How many different values a column has.
fn different(column: &Column) -> usize {
    if column.ty() == Type::Text {
        return column.dictionary().len();
    }
    let physicals: BTreeSet<Option<i128>> =
        (0..column.len()).map(|row| column.scalar(row).physical()).collect();
    physicals.len()
}

/// The finding when no file holds a table.
pub(super) fn nothing(files: &[PathBuf], doubts: &[String]) -> Finding {
    let name = files.first().map(|f| f.display().to_string()).unwrap_or_default();
    Finding::new(
        Code::V643,
        name,
        match doubts {
            [] => "there is nothing to look at here".to_owned(),
            doubts => format!("no table could be read: {}", doubts.join("; ")),
        },
        "name files of tables, or folders with them: CSV, Parquet, Arrow, JSON lines, workbooks, databases; or the variable of a database server",
    )
}
