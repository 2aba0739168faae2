//! What has to be remembered of fields so that a part of the rows gets the types that these rows alone would have: the number of
//! decimals of each number, or the fields themselves. Nothing is remembered while all fields are written alike.

use vembra_engine::{Column, ColumnBuilder, TableColumn, Written};
use vembra_plan::Type;
use vembra_plan::forms::NOT_A_NUMBER;

/// Stands behind a field that is in the form of its file.
pub(crate) const AS_IT_STANDS: char = '\u{10FFFE}';

/// How the fields of a column are written, while they come.
#[derive(Debug)]
pub(crate) struct Writing {
    rows: usize,
    /// How many decimals all numbers so far have.
    decimals: Option<u8>,
    /// How many each of them has, once they differ.
    each: Option<ColumnBuilder>,
    /// Whether texts are remembered too: where they may stand in quotes.
    with_texts: bool,
    fields: Option<ColumnBuilder>,
    /// Whether each field that was remembered stood in quotes.
    all_quoted: bool,
}

/// The same of one piece.
#[derive(Debug)]
pub(crate) struct WrittenPiece {
    rows: usize,
    decimals: Option<u8>,
    each: Option<Column>,
    fields: Option<Column>,
    all_quoted: bool,
}

fn nulls(ty: Type, rows: usize) -> ColumnBuilder {
    let mut builder = ColumnBuilder::new(ty);
    (0..rows).for_each(|_| builder.push_null());
    builder
}

fn constant(decimals: Option<u8>, rows: usize) -> ColumnBuilder {
    let mut builder = ColumnBuilder::new(Type::Integer);
    (0..rows).for_each(|_| builder.push_narrow(decimals.unwrap_or(0).into()));
    builder
}

impl Writing {
    pub(crate) fn new(with_texts: bool) -> Self {
        Self { rows: 0, decimals: None, each: None, with_texts, fields: None, all_quoted: true }
    }

    /// Takes a number with this many decimals.
    pub(crate) fn number(&mut self, decimals: u8) {
        if self.each.is_none() && *self.decimals.get_or_insert(decimals) != decimals {
            self.each = Some(constant(self.decimals, self.rows));
        }
        if let Some(each) = &mut self.each {
            each.push_narrow(decimals.into());
        }
        self.rows += 1;
    }

    /// Takes a field of a column of floats or texts, in plain form, which stands as `raw` in the file.
    pub(crate) fn field(&mut self, field: &str, raw: &str, ty: Type) {
        if self.with_texts {
            self.all_quoted &= field.ends_with(NOT_A_NUMBER);
            self.fields.get_or_insert_with(|| nulls(Type::Text, self.rows)).push_text(Some(field));
        } else if ty == Type::Float {
            self.all_quoted = false;
            let fields = self.fields.get_or_insert_with(|| nulls(Type::Text, self.rows));
            fields.push_text(Some(&format!("{raw}{AS_IT_STANDS}")));
        }
        self.rows += 1;
    }

    /// Takes a row without a value, or one whose value says all.
    pub(crate) fn other(&mut self) {
        if let Some(each) = &mut self.each {
            each.push_narrow(0);
        }
        if let Some(fields) = &mut self.fields {
            fields.push_null();
        }
        self.rows += 1;
    }

    pub(crate) fn finish(self) -> WrittenPiece {
        WrittenPiece {
            rows: self.rows,
            decimals: self.decimals,
            each: self.each.map(ColumnBuilder::finish),
            fields: self.fields.map(ColumnBuilder::finish),
            all_quoted: self.all_quoted,
        }
    }
}

impl WrittenPiece {
    /// Rows without a value.
    pub(crate) fn empty(rows: usize) -> Self {
        Self { rows, decimals: None, each: None, fields: None, all_quoted: true }
    }

    /// A column of one file, of which the type over all files is known.
    pub(crate) fn of(column: &TableColumn, written: &Written, ty: Type) -> Option<Self> {
        let rows = column.len();
        let piece = Self::empty(rows);
        if column.missing() == rows {
            return Some(piece);
        }
        let scale = match column.ty() {
            Type::Integer => Some(0),
            Type::Decimal(scale) => Some(scale),
            _ => None,
        };
        Some(match (written, ty) {
            (Written::Decimals { column, .. }, _) => {
                Self { each: Some(Column::clone(column.get().ok()?)), ..piece }
            }
            (Written::Fields(fields), _) => {
                Self { fields: Some(Column::clone(fields.get().ok()?)), all_quoted: false, ..piece }
            }
            (Written::Quoted, _) => {
                let values = column.get().ok()?;
                let mut fields = ColumnBuilder::new(Type::Text);
                for row in 0..rows {
                    let value = values.scalar(row);
                    let quoted = (!value.is_null()).then(|| format!("{value}{NOT_A_NUMBER}"));
                    fields.push_text(quoted.as_deref());
                }
                Self { fields: Some(fields.finish()), ..piece }
            }
            (Written::Values, _) => Self { all_quoted: false, ..piece },
            (Written::Alike, Type::Decimal(_)) => Self { decimals: scale, ..piece },
            (Written::Alike, _) => piece,
        })
    }
}

/// What has to be remembered of a column of a type, of which the pieces are these; `found` says that its type was found.
pub(crate) fn together(ty: Type, found: bool, pieces: Vec<WrittenPiece>) -> Option<Written> {
    match ty {
        Type::Decimal(_) => {
            let counts = |piece: &WrittenPiece| piece.each.is_none().then_some(piece.decimals).flatten();
            let mut uniform = pieces.iter().filter(|p| p.each.is_some() || p.decimals.is_some()).map(counts);
            let first = uniform.next().flatten();
            if first.is_some() && uniform.all(|next| next == first) {
                return found.then_some(Written::Alike);
            }
            let parts =
                pieces.into_iter().map(|p| p.each.unwrap_or_else(|| constant(p.decimals, p.rows).finish()));
            let column = Column::concat(Type::Integer, parts.collect())?.into();
            Some(Written::Decimals { column, fixed: !found })
        }
        _ if !found => None,
        Type::Text if pieces.iter().all(|p| p.fields.is_none()) => Some(Written::Values),
        Type::Text if pieces.iter().all(|p| p.all_quoted) => Some(Written::Quoted),
        Type::Text | Type::Float => {
            let parts =
                pieces.into_iter().map(|p| p.fields.unwrap_or_else(|| nulls(Type::Text, p.rows).finish()));
            Some(Written::Fields(Column::concat(Type::Text, parts.collect())?.into()))
        }
        _ => Some(Written::Alike),
    }
}
