//! What is found wrong with delimited text.

use super::piece::{NotUtf8, records};
use crate::cells::Bad;
use crate::guess::{Look, Rounded, Spoiled, look, type_of};
use std::collections::HashSet;
use std::path::Path;
use vembra_engine::{Column, Table};
use vembra_plan::forms::{DateForm, NumberForm};
use vembra_plan::{Code, Finding, Type};

/// How many bad fields of a column are shown; the others are counted.
const SHOWN: usize = 3;
/// A column whose values are nearly all numbers or dates is worth a remark from this many on.
const MOSTLY: usize = 10;

pub(crate) fn header_findings(name: &str, headers: &[String], separator: u8) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut seen = HashSet::new();
    for (at, header) in headers.iter().enumerate() {
        let message = if header.is_empty() {
            format!("column {} has no name", at + 1)
        } else if !seen.insert(header) {
            format!("the column {header} stands twice")
        } else {
            continue;
        };
        let help = "the first line names each column once";
        findings.push(Finding { line: Some(1), ..Finding::new(Code::V614, name, message, help) });
    }
    if let ([only], Some(other)) = (headers, other_separator(headers, separator)) {
        let message = format!("there is only one column, {only}");
        let help = separated_by(name, other);
        let found = Finding::new(Code::V615, name, message, &help);
        findings.push(Finding { line: Some(1), ..found });
    }
    findings
}

/// The character that separates the names of a header that seems to have only one.
pub(crate) fn other_separator(headers: &[String], separator: u8) -> Option<char> {
    let [only] = headers else { return None };
    [';', '\t', ',', '|'].into_iter().find(|c| *c as u8 != separator && only.contains(*c))
}

pub(crate) fn separated_by(name: &str, other: char) -> String {
    let shown = if other == '\t' { "tab".to_owned() } else { other.to_string() };
    let file = file_name(name);
    format!("if {shown} separates its fields, say so behind the file: from '{file}' separated by '{shown}'")
}

fn file_name(name: &str) -> std::borrow::Cow<'_, str> {
    Path::new(name).file_name().map_or_else(|| name.into(), |f| f.to_string_lossy())
}

pub(crate) fn ragged_finding(
    name: &str,
    ragged: &[(u64, usize)],
    headers: &[String],
    separator: u8,
) -> Option<Finding> {
    let wanted = headers.len();
    let (line, count) = ragged.first()?;
    let others = match ragged.len() {
        1 => String::new(),
        n => format!(" ({n} lines are like this)"),
    };
    let many = |count: usize, what: &str| format!("{count} {what}{}", if count == 1 { "" } else { "s" });
    let (has, named) = (many(*count, "field"), many(wanted, "column"));
    let message = format!("the line has {has}, the first line names {named}{others}");
    let help = match other_separator(headers, separator) {
        Some(other) => separated_by(name, other),
        None => "put fields that hold a separator or a quote in double quotes; or name the right separator"
            .to_owned(),
    };
    Some(Finding { line: Some(*line), ..Finding::new(Code::V616, name, message, &help) })
}

/// In a sound file quotes come in pairs; `line` is that of the last record.
pub(crate) fn open_quote(name: &str, line: Option<u64>) -> Finding {
    let message = "a quote is opened and never closed in or before the last record".to_owned();
    let help = "close it; a quote inside a quoted field is written twice";
    Finding { line, ..Finding::new(Code::V617, name, message, help) }
}

pub(crate) fn not_utf8(name: &str, error: NotUtf8) -> Finding {
    let NotUtf8 { line, byte, found } = error;
    let message = format!("the file is not in UTF-8: byte {byte} of the line is 0x{found:02X}");
    let file = file_name(name);
    let help = format!("save the file as UTF-8, or say what it is: … from '{file}' encoding 'windows-1252'");
    Finding { line: Some(line), ..Finding::new(Code::V613, name, message, &help) }
}

pub(crate) fn too_wide(name: &str, columns: usize, most: usize) -> Finding {
    let message = format!("the first line names {columns} columns, and a table has at most {most}");
    let help = "keep the columns that are needed; or turn it round: a line per value, with the name of its column beside it";
    Finding { line: Some(1), ..Finding::new(Code::V634, name, message, help) }
}

/// The characters that are looked for between fields.
const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b'|'];
/// How many records show which character it is.
const LOOKED_AT: usize = 20;

/// The character between fields: the one by which most of the first records have as many fields as the first line; of equals the
/// one that gives more.
pub(crate) fn found_separator(text: &str) -> u8 {
    let fields = |separator: u8| {
        let mut widths = Vec::new();
        let end =
            text.char_indices().filter(|(_, c)| *c == '\n').nth(LOOKED_AT).map_or(text.len(), |(at, _)| at);
        records(&text[..end], 1, separator, &mut |_, fields| widths.push(fields.len()));
        let first = widths.first().copied().unwrap_or(1);
        let same = widths.iter().filter(|w| **w == first).count();
        if first == 1 { (0, 0) } else { (same, first) }
    };
    let best = SEPARATORS.iter().rev().max_by_key(|s| fields(**s));
    best.copied().filter(|s| fields(*s) > (0, 0)).unwrap_or(b',')
}

/// What to do about a value that does not fit its type.
pub(crate) fn fixed(ty: Type, field: &str) -> &'static str {
    let has_comma = || {
        let parts = field.split_once(',').filter(|(whole, part)| !whole.is_empty() && !part.is_empty());
        let digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
        parts.is_some_and(|(whole, part)| digits(whole.trim_start_matches('-')) && digits(part))
    };
    match ty {
        Type::Decimal(_) | Type::Float if has_comma() => {
            "decimals stand behind a point: 4.50, not 4,50; export the table with points, or change the commas of this column"
        }
        _ => "fix the value, leave the field empty, or let the column be a text",
    }
}

pub(crate) fn bad_findings(
    table: &Table,
    header: &str,
    (ty, digits): (Type, Option<(u8, u8)>),
    bad: &[Bad],
) -> Vec<Finding> {
    let expected = match digits {
        Some((digits, scale)) => format!("a decimal of {} digits and {scale} decimals", digits - scale),
        None => ty.with_article(),
    };
    let mut findings = Vec::new();
    for (at, field) in bad.iter().take(SHOWN).enumerate() {
        let more = if at + 1 == SHOWN && bad.len() > SHOWN {
            format!(" ({} more like it in this column)", bad.len() - SHOWN)
        } else {
            String::new()
        };
        findings.push(Finding {
            line: table.line(field.record),
            column: Some(header.to_owned()),
            ..Finding::new(
                Code::V618,
                &table.origin,
                format!("expected {expected}, found '{}'{more}", field.field),
                fixed(ty, &field.field),
            )
        });
    }
    findings
}

/// A column of numbers or dates that a few other texts have turned into texts.
pub(crate) fn mostly_finding(table: &Table, header: &str, spoiled: &Spoiled) -> Option<Finding> {
    let field = &spoiled.field;
    // Digits alone are a number with leading zeros: the column holds codes.
    if spoiled.after < MOSTLY || field.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    let wanted = type_of(spoiled.before);
    let message = format!(
        "the column is read as text: '{field}' is not {}, as the {} values before it are",
        wanted.with_article(),
        spoiled.after
    );
    let found = Finding::new(
        Code::V619,
        &table.origin,
        message,
        format!(
            "fix the value; or say that it stands for a missing one: … from '…' missing '{field}'; or fix the type to see \
             every such line: column TABLE.{header}: {wanted}"
        ),
    );
    Some(Finding {
        line: table.line(spoiled.record),
        column: Some(header.to_owned()),
        subjects: vec![field.clone()],
        ..found
    })
}

/// A column of numbers of which some have more digits than a decimal keeps.
pub(crate) fn rounded_finding(table: &Table, header: &str, ty: Type, rounded: &Rounded) -> Option<Finding> {
    if ty != Type::Float {
        return None;
    }
    let message = format!(
        "the column is read as floats, which keep about 16 digits: '{}' has more than a decimal keeps here, 36 digits, 18 of them behind the point",
        rounded.field
    );
    let help = format!(
        "write fewer digits, or fix the type: column TABLE.{header}: decimal, or … : float, or … : text"
    );
    let found = Finding::new(Code::V622, &table.origin, message, &help);
    Some(Finding { line: table.line(rounded.record), column: Some(header.to_owned()), ..found })
}

/// A column of numbers whose separators may group digits, or stand before decimals: the first such field as `field`.
pub(crate) fn two_ways(table: &Table, header: &str, field: &str, record: Option<usize>) -> Finding {
    let file = file_name(&table.origin);
    let (grouped, decimal) =
        if field.contains('.') { ("1.234,56", "1,234.56") } else { ("1,234.56", "1.234,56") };
    let (whole, fraction) = (field.replace(['.', ','], ""), field.replace(',', "."));
    let read_as = if field.contains('.') { fraction.clone() } else { "a text".to_owned() };
    let message = format!(
        "'{field}' is {whole} or {fraction}: each separator in the column stands before three digits; it is read as {read_as}"
    );
    let help = format!(
        "write … from '{file}' numbers like '{grouped}' if it is {whole}, or numbers like '{decimal}' if it is {fraction}"
    );
    let found = Finding::new(Code::V626, &table.origin, message, &help);
    let line = record.and_then(|record| table.line(record));
    Finding { line, column: Some(header.to_owned()), subjects: vec![field.to_owned()], ..found }
}

/// Forms in which numbers and dates often stand.
const NUMBERS: [&str; 4] = ["1.234,56", "1,234.56", "1 234,56", "1'234.56"];
const DATES: [&str; 8] = [
    "31.12.2024",
    "31/12/2024",
    "12/31/2024",
    "31-12-2024",
    "31-Dec-2024",
    "31.12.24",
    "31/12/24",
    "12/31/24",
];

/// A column of texts all of which look like numbers or dates in the form of some place.
pub(crate) fn form_finding(table: &Table, header: &str, column: &Column) -> Option<Finding> {
    let texts = column.dictionary();
    let all = |fits: &dyn Fn(&str) -> bool| !texts.is_empty() && texts.iter().all(|t| fits(t.trim()));
    let number = |example: &&str| {
        let form = NumberForm::like(example).ok();
        let fits =
            |t: &str| form.as_ref().and_then(|f| f.plain(t)).is_some_and(|plain| look(&plain) != Look::Text);
        all(&fits)
    };
    let date = |example: &&str| {
        let form = DateForm::like(example).ok();
        all(&|t| form.as_ref().is_some_and(|f| f.plain(t).is_some()))
    };
    // A lone comma before three digits groups them in one place, and stands before decimals in another.
    if number(&"1.234,56") && number(&"1,234.56") {
        return texts.first().map(|first| two_ways(table, header, first, None));
    }
    let (what, word, forms) = match NUMBERS.iter().find(|e| number(e)) {
        Some(form) => ("numbers", "numbers", vec![*form]),
        None => ("dates", "dates", DATES.iter().copied().filter(|e| date(e)).collect()),
    };
    let first = forms.first()?;
    let file = file_name(&table.origin);
    let line = |form: &str| format!("… from '{file}' {word} like '{form}'");
    // Days that are all below 13 may be months.
    let lines: Vec<String> = forms.iter().map(|f| line(f)).collect();
    let message = format!("the values are texts, and all look like {what} such as {first}");
    let help = format!("write {}; or fix the type: column TABLE.{header}: text", lines.join(", or "));
    let found = Finding::new(Code::V636, &table.origin, message, &help);
    let subjects = forms.iter().map(|form| format!("{word} like '{form}'")).collect();
    Some(Finding { column: Some(header.to_owned()), subjects, ..found })
}
