//! What is found wrong with delimited text.

use crate::fields::{Bad, Fields};
use crate::guess::type_of;
use crate::loaded::finding;
use crate::records::LineNumbers;
use std::collections::HashSet;
use std::path::Path;
use vembra_engine::Table;
use vembra_plan::{Finding, Severity, Type};

/// So many bad fields of a column are shown; the others are counted.
const SHOWN: usize = 3;
/// A column whose values are nearly all numbers or dates is worth a remark from so many on.
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
        findings.push(Finding { line: Some(1), ..finding("V614", name, message, help) });
    }
    if let ([only], Some(other)) = (headers, other_separator(headers, separator)) {
        let message = format!("there is only one column, {only}");
        let help = separated_by(name, other);
        let found = finding("V615", name, message, &help);
        findings.push(Finding { severity: Severity::Warning, line: Some(1), ..found });
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
    let file = Path::new(name).file_name().map_or_else(|| name.into(), |f| f.to_string_lossy());
    format!("if {shown} separates its fields, say so behind the file: from '{file}' separated by '{shown}'")
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
    Some(Finding { line: Some(*line), ..finding("V616", name, message, &help) })
}

/// In a sound file quotes come in pairs.
pub(crate) fn open_quote(name: &str, text: &str, lines: &LineNumbers) -> Option<Finding> {
    let odd = text.bytes().filter(|b| *b == b'"').count() % 2 == 1;
    odd.then(|| {
        let message = "a quote is opened and never closed in or before the last record".to_owned();
        let help = "close it; a quote inside a quoted field is written twice";
        Finding { line: lines.last, ..finding("V617", name, message, help) }
    })
}

/// What to do about a value that does not fit its type.
pub(crate) fn mended(ty: Type, field: &str) -> &'static str {
    let has_comma = || {
        let parts = field.split_once(',').filter(|(whole, part)| !whole.is_empty() && !part.is_empty());
        let digits = |text: &str| text.bytes().all(|b| b.is_ascii_digit());
        parts.is_some_and(|(whole, part)| digits(whole.trim_start_matches('-')) && digits(part))
    };
    match ty {
        Type::Decimal(_) | Type::Float if has_comma() => {
            "decimals stand behind a point: 4.50, not 4,50; export the table with points, or change the commas of this column"
        }
        _ => "mend the value, leave the field empty, or let the column be a text",
    }
}

pub(crate) fn bad_findings(table: &Table, header: &str, ty: Type, bad: &[Bad]) -> Vec<Finding> {
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
            ..finding(
                "V618",
                &table.origin,
                format!("expected {}, found '{}'{more}", ty.with_article(), field.field),
                mended(ty, &field.field),
            )
        });
    }
    findings
}

/// A column of numbers or dates that a few other texts have turned into texts.
pub(crate) fn mostly_finding(table: &Table, header: &str, fields: &Fields) -> Option<Finding> {
    let spoiled = fields.guess.spoiled.as_ref().filter(|s| s.after >= MOSTLY)?;
    if spoiled.field.bytes().all(|b| b.is_ascii_digit()) {
        // A number with leading zeros: the column holds codes.
        return None;
    }
    let wanted = type_of(spoiled.before);
    let message = format!(
        "the column is read as text: '{}' is not {}, as the {} values before it are",
        spoiled.field,
        wanted.with_article(),
        spoiled.after
    );
    let found = finding(
        "V619",
        &table.origin,
        message,
        &format!(
            "mend the value; or say that it stands for a missing one: … from '…' missing '{}'; or fix the type to see \
             every such line: column TABLE.{header}: {wanted}",
            spoiled.field
        ),
    );
    Some(Finding {
        severity: Severity::Warning,
        line: table.line(spoiled.record),
        column: Some(header.to_owned()),
        ..found
    })
}
