//! Tables whose fields come one by one, from JSON, workbooks and databases: their types are found as those of delimited text are.

use crate::cells::{Cells, Mode};
use crate::delimited::findings::{
    bad_findings, form_finding, header_findings, mostly_finding, rounded_finding,
};
use crate::guess::{Look, look, type_of};
use crate::joined::Joined;
use crate::loaded::{Loaded, ReadOptions, failed};
use vembra_engine::{Column, Lines, Table};
use vembra_plan::forms::{Forms, NOT_A_NUMBER};
use vembra_plan::{Code, Finding, Severity, Type};

/// A value as it comes.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Field {
    Nothing,
    /// A number, a date or a boolean, written plainly.
    Plain(String),
    /// A text: digits in it make no number, but dates are dates.
    Text(String),
}

/// A table of fields.
#[derive(Debug, Default)]
pub(crate) struct FieldTable {
    pub(crate) names: Vec<String>,
    /// The fields of each column, in the order of rows.
    pub(crate) columns: Vec<Vec<Field>>,
    /// The types that the source says.
    pub(crate) types: Vec<Option<Type>>,
    /// In which line each row stands.
    pub(crate) lines: Vec<u64>,
}

impl FieldTable {
    /// A table without rows.
    pub(crate) fn new(names: Vec<String>) -> Self {
        let columns = names.iter().map(|_| Vec::new()).collect();
        let types = vec![None; names.len()];
        Self { names, columns, types, lines: Vec::new() }
    }

    /// The place of a column, which is made if it is not there yet.
    pub(crate) fn place(&mut self, name: &str) -> usize {
        if let Some(at) = self.names.iter().position(|n| n == name) {
            return at;
        }
        self.names.push(name.to_owned());
        self.columns.push(vec![Field::Nothing; self.lines.len()]);
        self.types.push(None);
        self.names.len() - 1
    }

    /// The table with columns of types.
    pub(crate) fn load(mut self, name: &str, options: &ReadOptions, found: Vec<Finding>) -> Loaded {
        let mut findings = header_findings(name, &self.names, b',');
        findings.extend(found);
        if findings.iter().any(|f| f.severity == Severity::Error) {
            return failed(name, findings);
        }
        let (rows, origin) = (self.lines.len(), name.to_owned());
        let lines = Lines::Listed(std::mem::take(&mut self.lines));
        let mut table = Table { rows, origin, lines, ..Table::default() };
        for ((header, fields), told) in self.names.iter().zip(&self.columns).zip(&self.types) {
            let column = options.column(header);
            let fixed = column.and_then(|c| c.ty).or(*told);
            let mode = match (Mode::of(options, header), told) {
                (Mode::Find(_), Some(ty)) => Mode::Fixed(*ty),
                (mode, _) => mode,
            };
            let mut joined = read(fields, mode, fixed, options, header);
            let expected = (joined.ty, column.and_then(|c| c.digits));
            findings.extend(bad_findings(&table, header, expected, &joined.bad));
            findings.extend(joined.spoiled.as_ref().and_then(|s| mostly_finding(&table, header, s)));
            // A type that is fixed was chosen.
            let found = joined.rounded.as_ref().filter(|_| column.is_none_or(|c| c.ty.is_none()));
            findings.extend(found.and_then(|r| rounded_finding(&table, header, joined.ty, r)));
            table.written.extend(joined.written(fixed.is_none()).map(|written| (header.clone(), written)));
            let ty = joined.ty;
            let Some(column) = joined.parts.and_then(|parts| Column::concat(ty, parts)) else {
                let message = format!("the values do not fit into {}", ty.with_article());
                let help = "fix the type of the column to float, or to text";
                findings.push(Finding {
                    column: Some(header.clone()),
                    ..Finding::new(Code::V618, name, message, help)
                });
                return failed(name, findings);
            };
            if fixed.is_none() && ty == Type::Text {
                findings.extend(form_finding(&table, header, &column));
            }
            table.columns.push((header.clone(), column.into()));
        }
        Loaded { table, findings }
    }
}

fn read(fields: &[Field], mode: Mode, fixed: Option<Type>, options: &ReadOptions, header: &str) -> Joined {
    let forms = options.forms_of(header);
    let all = |mode: Mode| {
        let mut cells = Cells::new(mode, &forms).remembering(options.parts, true);
        fields.iter().for_each(|field| push(&mut cells, field, &forms, options));
        cells.finish()
    };
    let mut done = all(mode);
    if let (None, Some(look)) = (&done.column, done.look) {
        let again = all(Mode::As(type_of(look)));
        done.column = again.column;
        done.written = again.written;
        done.bad.extend(again.bad);
    }
    Joined::of(fixed, std::iter::once((done, &0)))
}

fn push(cells: &mut Cells<'_>, field: &Field, forms: &Forms, options: &ReadOptions) {
    match field {
        Field::Nothing => cells.push(""),
        Field::Plain(text) => cells.push_plain(text),
        Field::Text(text) if options.missing.iter().any(|m| m == text) => cells.push(""),
        Field::Text(text) => {
            let plain = forms.plain(text);
            let is_date =
                |look| !matches!(look, Look::Integer | Look::Decimal(_) | Look::Float | Look::Boolean);
            if *plain != **text || is_date(look(text)) {
                cells.push_as(&plain, text);
            } else {
                cells.push_as(&format!("{text}{NOT_A_NUMBER}"), text);
            }
        }
    }
}
