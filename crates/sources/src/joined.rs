//! A column put together from what was found of it in several pieces.

use crate::cells::{Bad, Done};
use crate::guess::{Look, Rounded, Spoiled, join, type_of};
use crate::number_doubts::NumberDoubts;
use crate::written::{WrittenPiece, together};
use vembra_engine::{Column, Written};
use vembra_plan::Type;

/// A column over all pieces.
pub(crate) struct Joined {
    pub(crate) ty: Type,
    /// The parts; none if it has to be read again.
    pub(crate) parts: Option<Vec<Column>>,
    pub(crate) bad: Vec<Bad>,
    /// What turned a column of numbers or dates into one of texts.
    pub(crate) spoiled: Option<Spoiled>,
    /// The first number with more digits than a decimal that is read keeps.
    pub(crate) rounded: Option<Rounded>,
    pub(crate) doubts: NumberDoubts,
    /// How the fields of each piece were written, where that is to be remembered.
    written: Vec<WrittenPiece>,
}

impl Joined {
    /// Puts together what was found in pieces, each with the record that it starts with.
    pub(crate) fn of<'s>(fixed: Option<Type>, pieces: impl Iterator<Item = (Done, &'s usize)>) -> Self {
        let (parts, bad) = (Some(Vec::new()), Vec::new());
        let mut joined = Self {
            ty: Type::Null,
            parts,
            bad,
            spoiled: None,
            rounded: None,
            doubts: NumberDoubts::default(),
            written: Vec::new(),
        };
        let mut look: Option<Look> = None;
        let mut filled = 0;
        let mut scale = 0;
        for (done, start) in pieces {
            let was_text = look == Some(Look::Text);
            if let (None, Some(rounded)) = (&joined.rounded, done.rounded) {
                joined.rounded = Some(Rounded { record: rounded.record + start, ..rounded });
            }
            joined.bad.extend(done.bad.into_iter().map(|b| Bad { record: b.record + start, ..b }));
            if let (Some(before), Some(first)) = (look, &done.first)
                && join(before, first.look) == Look::Text
                && !was_text
            {
                let (record, field) = (first.record + start, first.field.clone());
                joined.spoiled = Some(Spoiled { before, after: filled, record, field });
            } else if let (Some(spoiled), false) = (&done.spoiled, was_text) {
                let before = look.map_or(spoiled.before, |look| join(look, spoiled.before));
                let (record, after) = (spoiled.record + start, spoiled.after + filled);
                joined.spoiled = Some(Spoiled { before, after, record, ..spoiled.clone() });
            }
            look = match (look, done.look) {
                (Some(a), Some(b)) => Some(join(a, b)),
                (a, b) => a.or(b),
            };
            filled += done.filled;
            joined.doubts.take(done.doubts, *start);
            joined.written.extend(done.written);
            if let Some(Type::Decimal(own)) = done.column.as_ref().map(Column::ty) {
                scale = scale.max(own);
            }
            joined.parts = joined.parts.zip(done.column).map(|(mut parts, column)| {
                parts.push(column);
                parts
            });
        }
        joined.ty = match fixed {
            Some(Type::Decimal(_)) => Type::Decimal(scale),
            Some(ty) => ty,
            None => look.map_or(Type::Null, type_of),
        };
        joined
    }

    /// How the fields were written, where that is to be remembered: of a column whose type is found, or is fixed.
    pub(crate) fn written(&mut self, is_found: bool) -> Option<Written> {
        let pieces = std::mem::take(&mut self.written);
        if pieces.is_empty() { None } else { together(self.ty, is_found, pieces) }
    }
}
