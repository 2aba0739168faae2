//! Answers as Markdown tables.

use crate::answer::remarks;
use crate::locale::{Locale, Word};
use crate::sheet::{Row, Sheet, sheet};
use crate::table::Align;
use vembra_engine::Answer;
use vembra_plan::LevelKind;

/// An answer as a Markdown table with the reasons for marks below. Nothing of the data becomes markup.
pub fn answer_markdown(answer: &Answer, locale: &Locale) -> String {
    let sheet = sheet(answer, None, locale);
    let mut text = String::new();
    if !sheet.caption.is_empty() {
        text.push_str(&format!("{}\n\n", escape(&sheet.caption)));
    }
    if sheet.rows.is_empty() {
        text.push_str(&format!("{}\n", escape(&locale.word(Word::NoRows))));
    } else {
        text.push_str(&table(&sheet));
    }
    for remark in remarks(answer, None, locale) {
        text.push_str(&format!("\n{}\n", escape(&remark)));
    }
    text
}

fn table(sheet: &Sheet) -> String {
    let line = |cells: &[String]| format!("| {} |\n", cells.join(" | "));
    let rule: Vec<String> = sheet
        .columns
        .iter()
        .map(|c| if c.align == Align::Right { "---:" } else { "---" }.to_owned())
        .collect();
    let mut text = line(&headings(sheet)) + &line(&rule);
    sheet.rows.iter().for_each(|row| text.push_str(&line(&cells(row))));
    text
}

/// One heading a column: Markdown has a single line of them.
fn headings(sheet: &Sheet) -> Vec<String> {
    let mut headings = vec![String::new(); sheet.columns.len()];
    for line in &sheet.heads {
        let mut at = 0;
        for head in line {
            for heading in headings.iter_mut().skip(at).take(head.span).filter(|_| !head.text.is_empty()) {
                if !heading.is_empty() {
                    heading.push(' ');
                }
                heading.push_str(&escape(&head.text));
            }
            at += head.span;
        }
    }
    headings
}

fn cells(row: &Row) -> Vec<String> {
    let text = |cell: &crate::sheet::SheetCell| {
        let text = escape(&cell.text);
        let text =
            if row.kind == LevelKind::Detail || text.is_empty() { text } else { format!("**{text}**") };
        text + &cell.marks.text()
    };
    row.cells.iter().map(text).collect()
}

/// A text in which nothing is markup.
fn escape(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '|' | '#' | '~' | '&' | '!' => {
                escaped.push('\\');
                escaped.push(c);
            }
            c if crate::tame::acts(c) => escaped.push(' '),
            c => escaped.push(c),
        }
    }
    escaped
}
