//! Plain text tables.

use crate::tame::tame;
use unicode_width::UnicodeWidthStr;

/// On which side the cells of a column stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Align {
    /// On the left, as texts do.
    Left,
    /// On the right, as numbers do.
    Right,
}

/// A table of texts with heading lines.
///
/// # Examples
/// ```
/// use vembra_draw::{Align, TextTable};
/// let mut table = TextTable::new(vec![Align::Left, Align::Right]);
/// table.heading(vec!["name".into(), "net".into()]);
/// table.row(vec!["Veil".into(), "12.50".into()]);
/// assert_eq!(table.to_string(), "name    net\n----  -----\nVeil  12.50\n");
/// ```
#[derive(Clone, Debug, Default)]
pub struct TextTable {
    aligns: Vec<Align>,
    lines: Vec<Line>,
    headings: usize,
}

#[derive(Clone, Debug)]
enum Line {
    Cells(Vec<String>),
    Rule,
}

impl TextTable {
    /// A table without lines; one side per column.
    pub fn new(aligns: Vec<Align>) -> Self {
        Self { aligns, lines: Vec::new(), headings: 0 }
    }

    /// Adds a heading line.
    pub fn heading(&mut self, cells: Vec<String>) {
        self.lines.insert(self.headings, Line::Cells(cells.iter().map(|c| tame(c)).collect()));
        self.headings += 1;
    }

    /// Adds a line.
    pub fn row(&mut self, cells: Vec<String>) {
        self.lines.push(Line::Cells(cells.iter().map(|c| tame(c)).collect()));
    }

    /// Adds a rule.
    pub fn rule(&mut self) {
        self.lines.push(Line::Rule);
    }

    fn widths(&self) -> Vec<usize> {
        let mut widths = vec![0; self.aligns.len()];
        for line in &self.lines {
            if let Line::Cells(cells) = line {
                widths.iter_mut().zip(cells).for_each(|(w, cell)| *w = (*w).max(cell.width()));
            }
        }
        widths
    }
}

impl std::fmt::Display for TextTable {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let widths = self.widths();
        let rule = || widths.iter().map(|w| "-".repeat(*w)).collect::<Vec<_>>().join("  ");
        for (at, line) in self.lines.iter().enumerate() {
            let text = match line {
                Line::Rule => rule(),
                Line::Cells(cells) => {
                    let padded = cells.iter().zip(&widths).zip(&self.aligns).map(|((cell, width), align)| {
                        let blanks = " ".repeat(width - cell.width().min(*width));
                        if *align == Align::Right { blanks + cell } else { cell.clone() + &blanks }
                    });
                    padded.collect::<Vec<_>>().join("  ")
                }
            };
            writeln!(f, "{}", text.trim_end())?;
            if at + 1 == self.headings {
                writeln!(f, "{}", rule().trim_end())?;
            }
        }
        Ok(())
    }
}
