//! Rows of tables that look like totals of the others: exports often end with one, and who adds up the column counts everything twice.

use crate::session::Session;
use vembra_engine::Column;
use vembra_plan::{ColumnId, Finding, TableId, TableKind, Type};
use vembra_syntax::Code;

/// What such rows are called, in lower case: a text that is one of these, or begins with one and a blank.
const WORDS: [&str; 20] = [
    "total",
    "totals",
    "grand total",
    "subtotal",
    "sub-total",
    "sum",
    "summe",
    "gesamt",
    "gesamtsumme",
    "zwischensumme",
    "endsumme",
    "insgesamt",
    "total général",
    "sous-total",
    "totale",
    "totaal",
    "razem",
    "suma",
    "łącznie",
    "celkem",
];

/// Fewer rows before the last one may add up to it by chance.
const FEWEST: usize = 4;

/// Whether a text names a total.
fn is_total(text: &str) -> bool {
    let text = text.trim().trim_end_matches(':').to_lowercase();
    WORDS
        .iter()
        .any(|word| text == *word || text.strip_prefix(word).is_some_and(|rest| rest.starts_with(' ')))
}

impl Session {
    /// Rows that look like totals of those above them.
    pub(crate) fn total_findings(&self, table: TableId, findings: &mut Vec<Finding>) {
        let def = self.model.schema.table(table);
        let rows = self.star.rows(table);
        if rows < 2 || !matches!(def.kind, TableKind::Fact | TableKind::Dimension) {
            return;
        }
        let mut columns: Vec<(ColumnId, &Column)> = Vec::new();
        for id in def.columns.iter().copied().filter(|id| self.model.schema.column(*id).formula.is_none()) {
            let Ok(column) = self.star.column(id) else { continue };
            columns.push((id, column));
        }
        let found = by_name(&columns, rows).or_else(|| by_sum(&columns, rows));
        let Some((row, id, message)) = found else { return };
        let help = "leave the line out of the file, or filter such rows out: what adds the column up counts them twice";
        let found = self.found(Code::V527, id, message, help);
        let line = self.star.table(table).and_then(|t| t.line(row));
        let file = self.star.table(table).map_or_else(|| found.file.clone(), |t| t.file(row).to_owned());
        findings.push(Finding { line, file, ..found });
    }
}

/// A row with a text that names a total, if the table has numbers: the last one that there is.
fn by_name(columns: &[(ColumnId, &Column)], rows: usize) -> Option<(usize, ColumnId, String)> {
    let has_numbers = columns.iter().any(|(_, column)| column.ty().is_number());
    for (id, column) in columns.iter().filter(|(_, column)| has_numbers && column.ty() == Type::Text) {
        let named: Vec<&str> = column.dictionary().iter().map(|t| &**t).filter(|t| is_total(t)).collect();
        if named.is_empty() {
            continue;
        }
        let is_named = |row: &usize| named.iter().any(|text| column.scalar(*row).to_string() == **text);
        let all: Vec<usize> = (0..rows).filter(is_named).collect();
        let last = *all.last()?;
        // A group of many rows is called so for another reason.
        if all.len() * 4 > rows {
            continue;
        }
        let others =
            if all.len() == 1 { String::new() } else { format!(" (and {} more rows)", all.len() - 1) };
        let text = column.scalar(last).literal();
        return Some((last, *id, format!("the row looks like a total of others: it says {text}{others}")));
    }
    None
}

/// The last row, if its numbers are the sums of those above: of two columns at least, or of one where a column that is filled elsewhere has
/// no value in it.
fn by_sum(columns: &[(ColumnId, &Column)], rows: usize) -> Option<(usize, ColumnId, String)> {
    let last = rows - 1;
    if last < FEWEST {
        return None;
    }
    let sums = |(_, column): &&(ColumnId, &Column)| {
        let exact = matches!(column.ty(), Type::Integer | Type::Decimal(_));
        let total = column.scalar(last).physical().filter(|total| exact && *total != 0);
        let above = || (0..last).filter_map(|row| column.scalar(row).physical()).sum::<i128>();
        total.is_some_and(|total| total == above())
    };
    let added: Vec<&(ColumnId, &Column)> = columns.iter().filter(sums).collect();
    let lacks = columns.iter().any(|(_, column)| column.missing() == 1 && column.scalar(last).is_null());
    let (id, column) = added.first().filter(|_| added.len() > 1 || lacks)?;
    let value = column.scalar(last);
    let message =
        format!("the last row looks like a total: its value {value} is the sum of the {last} above");
    Some((last, *id, message))
}
