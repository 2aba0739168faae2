//! Tables of texts for terminals: cut into several where they are too wide.

use crate::locale::{Locale, Word};
use crate::sheet::{Column, Row, Sheet, SheetCell, trend_heights};
use crate::table::{Align, TextTable};
use crate::words::Marks;
use unicode_width::UnicodeWidthStr;
use vembra_plan::TotalsPlace;

/// Behind a figure for which a rule holds.
const RULE: &str = " ●";
/// How many characters the longest small bar has.
const BAR: usize = 10;

/// One column of text.
struct TextColumn {
    align: Align,
    heads: Vec<String>,
    cells: Vec<String>,
    /// Whether it must stay beside the column before.
    joined: bool,
}

/// A table as text, in parts of at most `width` characters; each part repeats the columns that name the rows.
pub(crate) fn sheet_text(sheet: &Sheet, width: Option<usize>, locale: &Locale) -> String {
    let columns = columns(sheet);
    let mut text = String::new();
    if !sheet.caption.is_empty() {
        text.push_str(&crate::tame::tame(&sheet.caption));
        text.push_str("\n\n");
    }
    let parts = parts(&columns, sheet.keys, width);
    let count = parts.len();
    for (at, part) in parts.into_iter().enumerate() {
        if at > 0 {
            let (part, parts) = (locale.count(at + 1), locale.count(count));
            let part = locale.say(Word::PartOfColumns, &[("part", &part), ("parts", &parts)]);
            text.push_str(&format!("\n{part}\n\n"));
        }
        text.push_str(&table(sheet, &columns, &part).to_string());
    }
    text
}

fn table(sheet: &Sheet, columns: &[TextColumn], part: &[usize]) -> TextTable {
    let mut table = TextTable::new(part.iter().map(|at| columns[*at].align).collect());
    for line in 0..sheet.heads.len() {
        table.heading(part.iter().map(|at| columns[*at].heads[line].clone()).collect());
    }
    for (line, row) in sheet.rows.iter().enumerate() {
        if row.rule == Some(TotalsPlace::Last) {
            table.rule();
        }
        table.row(part.iter().map(|at| columns[*at].cells[line].clone()).collect());
        if row.rule == Some(TotalsPlace::First) {
            table.rule();
        }
    }
    table
}

/// Which columns stand in each part.
fn parts(columns: &[TextColumn], keys: usize, width: Option<usize>) -> Vec<Vec<usize>> {
    let all: Vec<usize> = (0..columns.len()).collect();
    let Some(width) = width else { return vec![all] };
    let wide = |at: &usize| {
        let column = &columns[*at];
        column.heads.iter().chain(&column.cells).map(|t| t.width()).max().unwrap_or(0) + 2
    };
    let keys_wide: usize = all[..keys].iter().map(wide).sum();
    let mut parts: Vec<Vec<usize>> = Vec::new();
    let mut used = usize::MAX;
    let mut at = keys;
    while at < columns.len() {
        // A figure and its bar stay together.
        let group = at + 1 + columns[at + 1..].iter().take_while(|c| c.joined).count();
        let needed: usize = (at..group).map(|c| wide(&c)).sum();
        if used == usize::MAX || used + needed > width + 2 {
            parts.push(all[..keys].to_vec());
            used = keys_wide;
        }
        if let Some(part) = parts.last_mut() {
            part.extend(at..group);
        }
        used += needed;
        at = group;
    }
    if parts.is_empty() { vec![all] } else { parts }
}

fn columns(sheet: &Sheet) -> Vec<TextColumn> {
    let mut columns = Vec::new();
    for (at, column) in sheet.columns.iter().enumerate() {
        let suffix = Marks::default().within(column.marks) + if column.ruled { "  " } else { "" };
        let heads = (0..sheet.heads.len()).map(|line| {
            let text = head(sheet, line, at);
            // The heading stands over the figures, not over the room for their marks.
            if text.is_empty() { text } else { text + &suffix }
        });
        let cell = |row: &Row| row.cells.get(at).map_or_else(String::new, |c| cell_text(c, column));
        columns.push(TextColumn {
            align: column.align,
            heads: heads.collect(),
            cells: sheet.rows.iter().map(cell).collect(),
            joined: false,
        });
        if column.bars {
            let bar = |row: &Row| row.cells.get(at).and_then(|c| c.bar).map_or_else(String::new, bar);
            columns.push(TextColumn {
                align: Align::Left,
                heads: vec![String::new(); sheet.heads.len()],
                cells: sheet.rows.iter().map(bar).collect(),
                joined: true,
            });
        }
    }
    columns
}

/// The heading over a column: that of a wider one stands over its first column.
fn head(sheet: &Sheet, line: usize, column: usize) -> String {
    let mut from = 0;
    for head in &sheet.heads[line] {
        if from == column {
            return head.text.clone();
        }
        from += head.span;
        if from > column {
            break;
        }
    }
    String::new()
}

fn cell_text(cell: &SheetCell, column: &Column) -> String {
    if column.trend {
        return spark(&cell.trend);
    }
    let mut text = cell.text.clone();
    text.push_str(&cell.marks.within(column.marks));
    if column.ruled {
        text.push_str(if cell.dotted { RULE } else { "  " });
    }
    text
}

/// A bar in eighths of a character; one below zero is hollow.
fn bar(part: f64) -> String {
    let eighths = (part.abs() * (BAR * 8) as f64).round() as usize;
    if part < 0.0 {
        return "░".repeat(eighths.div_ceil(8));
    }
    let partial = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"][eighths % 8];
    "█".repeat(eighths / 8) + partial
}

/// A small line of eight heights; a gap where there is no figure.
fn spark(values: &[Option<f64>]) -> String {
    let heights = trend_heights(values).unwrap_or_else(|| values.iter().map(|v| v.map(|_| 0.0)).collect());
    let glyph = |height: &Option<f64>| match height {
        Some(height) => {
            let step = (height * 7.0).round() as usize;
            ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'][step.min(7)]
        }
        None => ' ',
    };
    heights.iter().map(glyph).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_and_small_lines_follow_figures() {
        assert_eq!(bar(1.0), "██████████");
        assert_eq!(bar(0.55), "█████▌");
        assert_eq!(bar(-0.3), "░░░");
        assert_eq!(spark(&[Some(0.0), Some(5.0), None, Some(10.0)]), "▁▅ █");
    }
}
