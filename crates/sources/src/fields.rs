//! The fields of one column, one behind the other, until its type is known.

use crate::guess::{Guess, lane};
use vembra_engine::{Column, ColumnBuilder};
use vembra_plan::{Decimal, Type};

/// The fields of a column and what they look like.
#[derive(Clone, Debug, Default)]
pub(crate) struct Fields {
    text: String,
    ends: Vec<usize>,
    pub(crate) guess: Guess,
}

/// A field that is no value of the column's type.
#[derive(Clone, Debug)]
pub(crate) struct Bad {
    pub(crate) record: usize,
    pub(crate) field: String,
}

impl Fields {
    pub(crate) fn push(&mut self, field: &str) {
        if !field.is_empty() {
            self.guess.add(field, self.ends.len());
        }
        self.text.push_str(field);
        self.ends.push(self.text.len());
    }

    fn iter(&self) -> impl Iterator<Item = &str> {
        let starts = std::iter::once(0).chain(self.ends.iter().copied());
        starts.zip(&self.ends).map(|(start, end)| &self.text[start..*end])
    }

    /// The type that the model fixes, with the decimals that the fields have.
    pub(crate) fn fixed_type(&self, ty: Type) -> Type {
        if !matches!(ty, Type::Decimal(_)) {
            return ty;
        }
        let scale = self.iter().filter_map(|f| Decimal::parse(f.trim())).map(|d| d.scale).max();
        Type::Decimal(scale.unwrap_or(0))
    }

    /// The column of a type, and the fields that are no value of it (they are null in the column).
    pub(crate) fn column(&self, ty: Type) -> (Column, Vec<Bad>) {
        let mut builder = ColumnBuilder::new(ty);
        let mut bad = Vec::new();
        for (record, field) in self.iter().enumerate() {
            if field.is_empty() {
                match ty {
                    Type::Text => builder.push_text(None),
                    Type::Float => builder.push_float(None),
                    _ => builder.push_lane(None),
                }
                continue;
            }
            let read = match ty {
                Type::Text => {
                    builder.push_text(Some(field));
                    true
                }
                Type::Float => {
                    let value = field.trim().parse().ok().filter(|x: &f64| x.is_finite());
                    builder.push_float(value);
                    value.is_some()
                }
                _ => {
                    let value = plain_lane(field, ty).or_else(|| lane(field.trim(), ty));
                    builder.push_lane(value);
                    value.is_some()
                }
            };
            if !read {
                bad.push(Bad { record, field: field.chars().take(40).collect() });
            }
        }
        (builder.finish(), bad)
    }
}

/// The quick way for the commonest fields: digits, with a point where the type has one.
fn plain_lane(field: &str, ty: Type) -> Option<i128> {
    let scale = match ty {
        Type::Integer => 0,
        Type::Decimal(scale) => usize::from(scale),
        _ => return None,
    };
    if field.len() > 17 {
        return None;
    }
    let (mut units, mut decimals, mut point) = (0_i64, 0, false);
    for byte in field.bytes() {
        match byte {
            b'0'..=b'9' => {
                units = units * 10 + i64::from(byte - b'0');
                decimals += usize::from(point);
            }
            b'.' if !point => point = true,
            _ => return None,
        }
    }
    if decimals > scale || scale - decimals > 18 || (point && decimals == 0) || field.starts_with('.') {
        return None;
    }
    Some(i128::from(units) * 10_i128.pow((scale - decimals) as u32))
}
