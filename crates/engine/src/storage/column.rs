//! The values of one attribute, encoded in the smallest width that fits.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

mod concat;
mod encoded;

pub use encoded::{Encoded, EncodedValues, Numbers};

use crate::execution::parallel::changes_of;
use crate::expression::vector::{Values, Vector};
use crate::storage::bitmap::Bitmap;
use crate::storage::dictionary::Dictionary;
use crate::storage::narrow::narrow;
use crate::storage::row_id::{RowId, Rows};
use crate::storage::small_ints::{SmallInts, with_index};
use hashbrown::HashMap;
use std::ops::Range;
use std::sync::Arc;
use vembra_plan::{Scalar, Type};

#[derive(Clone, Debug)]
enum Data {
    I8(Vec<i8>),
    I16(Vec<i16>),
    I32(Vec<i32>),
    I64(Vec<i64>),
    I128(Vec<i128>),
    Float(Vec<f64>),
    /// A null has the code behind the last text.
    Text(Arc<SmallInts>, Arc<Dictionary>),
}

/// The code of a text that is not there, while a column is built.
pub(crate) const NO_TEXT: u32 = u32::MAX;

/// A column in memory.
#[derive(Clone, Debug)]
pub struct Column {
    ty: Type,
    data: Data,
    /// Which rows have a value; none if all have.
    valid: Option<Bitmap>,
    missing: usize,
    /// The smallest and largest physical value.
    range: (i128, i128),
}

/// Physical values as a column keeps them.
#[derive(Clone, Copy)]
pub(crate) enum Physicals<'a> {
    I8(&'a [i8]),
    I16(&'a [i16]),
    I32(&'a [i32]),
    I64(&'a [i64]),
}

macro_rules! with_physicals {
    ($data:expr, $physicals:ident => $body:expr, else $other:expr) => {
        match $data {
            Data::I8($physicals) => $body,
            Data::I16($physicals) => $body,
            Data::I32($physicals) => $body,
            Data::I64($physicals) => $body,
            _ => $other,
        }
    };
}

impl Column {
    /// A column of physical values. A slot whose `valid` is false is null.
    #[allow(clippy::cast_possible_truncation)] // All fit that are not null, and those are never read.
    pub(crate) fn from_physicals(ty: Type, physicals: Vec<i64>, valid: Option<Vec<bool>>) -> Self {
        let present = |at: usize| valid.as_ref().is_none_or(|v| v[at]);
        let mut range: Option<(i64, i64)> = None;
        for (at, physical) in physicals.iter().enumerate() {
            if present(at) {
                range =
                    Some(range.map_or((*physical, *physical), |(low, high)| {
                        (low.min(*physical), high.max(*physical))
                    }));
            }
        }
        let (low, high) = range.unwrap_or((0, 0));
        let fits = |least: i64, most: i64| low >= least && high <= most;
        let data = if fits(i8::MIN.into(), i8::MAX.into()) {
            Data::I8(physicals.into_iter().map(|l| l as i8).collect())
        } else if fits(i16::MIN.into(), i16::MAX.into()) {
            Data::I16(physicals.into_iter().map(|l| l as i16).collect())
        } else if fits(i32::MIN.into(), i32::MAX.into()) {
            Data::I32(physicals.into_iter().map(|l| l as i32).collect())
        } else {
            Data::I64(physicals)
        };
        Self::new(ty, data, valid, (low.into(), high.into()))
    }

    fn new(ty: Type, data: Data, valid: Option<Vec<bool>>, range: (i128, i128)) -> Self {
        let missing = valid.as_ref().map_or(0, |v| v.iter().filter(|v| !**v).count());
        let valid = valid.filter(|_| missing > 0).map(|v| Bitmap::from_bools(&v));
        Self { ty, data, valid, missing, range }
    }

    /// A column of texts from codes into texts that are in no order, some of which may stand twice. A code without a text is null.
    ///
    /// # Examples
    /// ```
    /// use vembra_engine::Column;
    /// use vembra_plan::Scalar;
    /// let column = Column::from_coded_texts(vec!["b".into(), "a".into(), "b".into()], vec![2, 1, 0, u32::MAX]);
    /// assert_eq!(column.scalar(0), Scalar::text("b"));
    /// assert_eq!((column.dictionary().len(), column.missing()), (2, 1));
    /// ```
    pub fn from_coded_texts(mut texts: Vec<Arc<str>>, mut codes: Vec<u32>) -> Self {
        if !texts.is_sorted_by(|a, b| a < b) {
            let mut order: Vec<u32> = (0..narrow(texts.len())).collect();
            order.sort_unstable_by(|a, b| texts[*a as usize].cmp(&texts[*b as usize]));
            let mut place = vec![0; texts.len()];
            let mut sorted: Vec<Arc<str>> = Vec::with_capacity(texts.len());
            for old in order {
                let text = &texts[old as usize];
                if sorted.last() != Some(text) {
                    sorted.push(text.clone());
                }
                place[old as usize] = narrow(sorted.len()) - 1;
            }
            codes.iter_mut().for_each(|code| *code = place.get(*code as usize).copied().unwrap_or(NO_TEXT));
            texts = sorted;
        }
        let none = narrow(texts.len());
        let mut missing = 0;
        for code in &mut codes {
            missing += usize::from(*code >= none);
            *code = none.min(*code);
        }
        let data =
            Data::Text(Arc::new(SmallInts::new(codes, texts.len() + 1)), Arc::new(Dictionary { texts }));
        Self { ty: Type::Text, data, valid: None, missing, range: (0, 0) }
    }

    /// The column that holds a vector's values for good.
    pub(crate) fn from_vector(ty: Type, vector: Vector, rows: usize) -> Self {
        let vector = vector.expand(rows);
        match vector.values {
            Values::Int(physicals) => Self::from_physicals(ty, physicals, vector.valid),
            Values::Bool(bools) => {
                Self::from_physicals(ty, bools.into_iter().map(i64::from).collect(), vector.valid)
            }
            Values::Float(floats) => Self::new(ty, Data::Float(floats), vector.valid, (0, 0)),
            Values::Wide(physicals) => {
                let range = crate::expression::vector::range_of(&physicals);
                Self::new(ty, Data::I128(physicals), vector.valid, range)
            }
            Values::Code(..) | Values::Text(_) => {
                let mut builder = ColumnBuilder::new(Type::Text);
                (0..rows).for_each(|row| builder.push(&vector.scalar(row, ty)));
                builder.finish()
            }
        }
    }

    /// The same column with only some of its rows. Texts that no row has any more are forgotten.
    pub fn only(&self, rows: &[RowId]) -> Self {
        if let Some((codes, dictionary)) = self.texts() {
            let codes: Vec<Option<u32>> = rows
                .iter()
                .map(|row| codes.get(row.index()))
                .map(|code| (code < dictionary.texts.len()).then_some(narrow(code)))
                .collect();
            let mut place = vec![None; dictionary.texts.len()];
            codes.iter().flatten().for_each(|code| place[*code as usize] = Some(0));
            let mut texts = Vec::new();
            for (place, text) in place.iter_mut().zip(&dictionary.texts).filter(|(p, _)| p.is_some()) {
                *place = Some(narrow(texts.len()));
                texts.push(text.clone());
            }
            let placed = |code: &Option<u32>| code.and_then(|c| place[c as usize]).unwrap_or(NO_TEXT);
            return Self::from_coded_texts(texts, codes.iter().map(placed).collect());
        }
        let mut builder = ColumnBuilder::new(self.ty);
        rows.iter().for_each(|row| builder.push(&self.scalar(row.index())));
        builder.finish()
    }

    /// A column with the texts of this one at the given places; none is null. For texts only, all of which are there.
    #[must_use]
    pub fn picked(&self, rows: impl Iterator<Item = Option<u32>>) -> Self {
        let Some((own, dictionary)) = self.texts() else { return ColumnBuilder::new(self.ty).finish() };
        let codes = rows.map(|row| row.map_or(NO_TEXT, |row| narrow(own.get(row as usize)))).collect();
        Self::from_coded_texts(dictionary.texts.clone(), codes)
    }

    /// The values of several columns, one behind the other. Integers and decimals become decimals of more places where `ty` is one; a
    /// column without any value goes with each type. None if a column is of another type, or a number gets too large by it.
    pub fn concat(ty: Type, parts: Vec<Self>) -> Option<Self> {
        if let [part] = parts.as_slice()
            && part.ty == ty
        {
            return parts.into_iter().next();
        }
        match ty {
            Type::Text => concat::texts(parts),
            Type::Float => concat::floats(parts),
            _ => concat::physicals(ty, parts),
        }
    }

    /// The type of the values.
    pub fn ty(&self) -> Type {
        self.ty
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        match &self.data {
            Data::I8(v) => v.len(),
            Data::I16(v) => v.len(),
            Data::I32(v) => v.len(),
            Data::I64(v) => v.len(),
            Data::I128(v) => v.len(),
            Data::Float(v) => v.len(),
            Data::Text(v, _) => v.len(),
        }
    }

    /// Whether there are no rows.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// How many rows have no value.
    pub fn missing(&self) -> usize {
        self.missing
    }

    /// Bounds of the physical values.
    pub(crate) fn bounds(&self) -> (i128, i128) {
        self.range
    }

    /// The smallest and largest physical value; `None` when the column has no physical values or no values.
    pub fn physical_range(&self) -> Option<(i128, i128)> {
        let physicals = !matches!(self.data, Data::Float(_) | Data::Text(..));
        (physicals && self.missing < self.len()).then_some(self.range)
    }

    /// How many bytes the values take.
    pub fn bytes(&self) -> usize {
        let width = match &self.data {
            Data::I8(_) => 1,
            Data::I16(_) => 2,
            Data::I32(_) => 4,
            Data::I64(_) | Data::Float(_) => 8,
            Data::I128(_) => 16,
            Data::Text(codes, dictionary) => {
                let texts: usize = dictionary.texts.iter().map(|t| t.len() + 16).sum();
                let width = match &**codes {
                    SmallInts::U8(_) => 1,
                    SmallInts::U16(_) => 2,
                    SmallInts::U32(_) => 4,
                };
                return texts + codes.len() * width;
            }
        };
        self.len() * width + if self.valid.is_some() { self.len() / 8 } else { 0 }
    }

    /// How many different values there can be at most, where that is known: of texts, and of physical values that lie near each other.
    pub(crate) fn values_at_most(&self) -> Option<u128> {
        match &self.data {
            Data::Text(_, dictionary) => Some(dictionary.texts.len() as u128),
            Data::Float(_) => None,
            _ => self.range.1.checked_sub(self.range.0).map(|most| most.unsigned_abs() + 1),
        }
    }

    /// The codes and texts of a text column.
    pub(crate) fn texts(&self) -> Option<(&Arc<SmallInts>, &Arc<Dictionary>)> {
        match &self.data {
            Data::Text(codes, dictionary) => Some((codes, dictionary)),
            _ => None,
        }
    }

    /// The different texts of a text column, sorted; empty for other types.
    pub fn dictionary(&self) -> &[Arc<str>] {
        self.texts().map_or(&[], |(_, dictionary)| &dictionary.texts)
    }

    pub(crate) fn is_valid(&self, row: usize) -> bool {
        match &self.data {
            Data::Text(codes, dictionary) => codes.get(row) < dictionary.texts.len(),
            _ => self.valid.as_ref().is_none_or(|v| v.get(row)),
        }
    }

    pub(crate) fn physical(&self, row: usize) -> i128 {
        match &self.data {
            Data::I128(physicals) => physicals[row],
            data => with_physicals!(data, physicals => i128::from(physicals[row]), else 0),
        }
    }

    /// The value of a row.
    pub fn scalar(&self, row: usize) -> Scalar {
        if !self.is_valid(row) {
            return Scalar::Null;
        }
        match &self.data {
            Data::Float(floats) => Scalar::Float(floats[row]),
            Data::Text(codes, dictionary) => Scalar::Text(dictionary.texts[codes.get(row)].clone()),
            _ => Scalar::from_physical(self.ty, self.physical(row)),
        }
    }

    /// The physical values of rows that stand together, as they are kept; none if any row of the column has no value, or the
    /// values are no physical values of 64 bits.
    pub(crate) fn physicals(&self, start: usize, length: usize) -> Option<Physicals<'_>> {
        let range = start..start + length;
        match &self.data {
            _ if self.missing > 0 || self.ty == Type::Boolean => None,
            Data::I8(v) => Some(Physicals::I8(&v[range])),
            Data::I16(v) => Some(Physicals::I16(&v[range])),
            Data::I32(v) => Some(Physicals::I32(&v[range])),
            Data::I64(v) => Some(Physicals::I64(&v[range])),
            Data::I128(_) | Data::Float(_) | Data::Text(..) => None,
        }
    }

    /// Whether each of some rows has another value than the one before it; the first of all has.
    pub(crate) fn changes(&self, rows: Range<usize>) -> Vec<bool> {
        let mut changes = match &self.data {
            Data::I8(v) => changes_of(v, rows.clone(), |v| v),
            Data::I16(v) => changes_of(v, rows.clone(), |v| v),
            Data::I32(v) => changes_of(v, rows.clone(), |v| v),
            Data::I64(v) => changes_of(v, rows.clone(), |v| v),
            Data::I128(v) => changes_of(v, rows.clone(), |v| v),
            // Two zeros are different ones to some.
            Data::Float(v) => changes_of(v, rows.clone(), f64::to_bits),
            Data::Text(codes, _) => return codes.changes(rows),
        };
        if let Some(valid) = &self.valid {
            let differs = |row: usize| row > 0 && valid.get(row) != valid.get(row - 1);
            changes.iter_mut().zip(rows).for_each(|(changes, row)| *changes |= differs(row));
        }
        changes
    }

    /// The values of some rows.
    pub(crate) fn read(&self, rows: Rows<'_>) -> Vector {
        let values = match &self.data {
            Data::I128(physicals) => Values::Wide(pick(physicals, rows, |l| l)),
            Data::Float(floats) => Values::Float(pick(floats, rows, |f| f)),
            Data::Text(codes, dictionary) => {
                let codes = with_index!(&**codes, codes => pick(codes, rows, u32::from));
                let none = narrow(dictionary.texts.len());
                let valid = (self.missing > 0).then(|| codes.iter().map(|c| *c < none).collect());
                return Vector::new(Values::Code(codes, dictionary.clone()), valid, (0, 0));
            }
            data if self.ty == Type::Boolean => Values::Bool(
                with_physicals!(data, physicals => pick(physicals, rows, |l| l != 0), else Vec::new()),
            ),
            data => Values::Int(
                with_physicals!(data, physicals => pick(physicals, rows, i64::from), else Vec::new()),
            ),
        };
        let valid = self.valid.as_ref().map(|bits| rows.iter().map(|row| bits.get(row)).collect());
        Vector::new(values, valid, self.range)
    }
}

fn pick<T: Copy, U>(values: &[T], rows: Rows<'_>, convert: impl Fn(T) -> U) -> Vec<U> {
    match rows {
        Rows::Range(start, length) => values[start..start + length].iter().map(|v| convert(*v)).collect(),
        Rows::List(list) => list.iter().map(|row| convert(values[row.index()])).collect(),
    }
}

/// Collects values one by one into a column.
///
/// # Examples
/// ```
/// use vembra_engine::ColumnBuilder;
/// use vembra_plan::{Scalar, Type};
/// let mut builder = ColumnBuilder::new(Type::Text);
/// builder.push(&Scalar::text("Hives"));
/// builder.push(&Scalar::Null);
/// let column = builder.finish();
/// assert_eq!((column.len(), column.missing()), (2, 1));
/// ```
#[derive(Debug)]
pub struct ColumnBuilder {
    ty: Type,
    physicals: Vec<i64>,
    wide: Option<Vec<i128>>,
    floats: Vec<f64>,
    codes: Vec<u32>,
    texts: Vec<Arc<str>>,
    places: HashMap<Arc<str>, u32, foldhash::fast::FixedState>,
    /// Which values are there; none as long as all are.
    valid: Option<Vec<bool>>,
}

impl ColumnBuilder {
    /// An empty column of a type.
    pub fn new(ty: Type) -> Self {
        Self {
            ty,
            physicals: Vec::new(),
            wide: None,
            floats: Vec::new(),
            codes: Vec::new(),
            texts: Vec::new(),
            places: HashMap::default(),
            valid: None,
        }
    }

    /// The type of the values.
    pub fn ty(&self) -> Type {
        self.ty
    }

    /// How many values there are.
    #[inline]
    pub fn len(&self) -> usize {
        match self.ty {
            Type::Text => self.codes.len(),
            Type::Float => self.floats.len(),
            _ => self.wide.as_ref().map_or(self.physicals.len(), Vec::len),
        }
    }

    /// Whether there are none yet.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether the next value, which is not yet added, is there.
    #[inline]
    fn mark(&mut self, there: bool) {
        if let Some(valid) = &mut self.valid {
            valid.push(there);
        } else if !there {
            let mut valid = vec![true; self.len()];
            valid.push(false);
            self.valid = Some(valid);
        }
    }

    /// Adds a value. One that is not of the column's type counts as null.
    pub fn push(&mut self, value: &Scalar) {
        match self.ty {
            Type::Text => self.push_text(if let Scalar::Text(t) = value { Some(t) } else { None }),
            Type::Float => self.push_float(value.to_f64()),
            _ => self.push_physical(value.physical()),
        }
    }

    /// Adds a physical value of the column's type.
    #[inline]
    pub fn push_physical(&mut self, physical: Option<i128>) {
        self.mark(physical.is_some());
        let physical = physical.unwrap_or(0);
        if let Some(wide) = &mut self.wide {
            wide.push(physical);
        } else if let Ok(narrow) = i64::try_from(physical) {
            self.physicals.push(narrow);
        } else {
            let mut wide: Vec<i128> = self.physicals.drain(..).map(i128::from).collect();
            wide.push(physical);
            self.wide = Some(wide);
        }
    }

    /// Adds a physical value that is there.
    #[inline]
    pub fn push_narrow(&mut self, physical: i64) {
        if self.wide.is_some() {
            return self.push_physical(Some(physical.into()));
        }
        if let Some(valid) = &mut self.valid {
            valid.push(true);
        }
        self.physicals.push(physical);
    }

    /// Adds physical values that are all there.
    pub fn extend_narrow(&mut self, physicals: impl ExactSizeIterator<Item = i64>) {
        if self.wide.is_some() || self.valid.is_some() {
            physicals.for_each(|physical| self.push_narrow(physical));
        } else {
            self.physicals.extend(physicals);
        }
    }

    /// Adds nothing.
    #[inline]
    pub fn push_null(&mut self) {
        match self.ty {
            Type::Text => self.codes.push(NO_TEXT),
            Type::Float => self.push_float(None),
            _ => self.push_physical(None),
        }
    }

    /// Gives decimals more decimals: those that there are already are carried over. False if one gets too large, and then nothing is
    /// changed.
    pub fn rescale(&mut self, scale: u8) -> bool {
        let from = match self.ty {
            Type::Integer => 0,
            Type::Decimal(from) => from,
            _ => return false,
        };
        let Some(more) = scale.checked_sub(from) else { return false };
        let factor = 10_i128.pow(more.into());
        let physicals =
            self.physicals.iter().map(|l| i128::from(*l)).chain(self.wide.iter().flatten().copied());
        let Some(scaled) = physicals.map(|l| l.checked_mul(factor)).collect::<Option<Vec<i128>>>() else {
            return false;
        };
        let narrow: Option<Vec<i64>> = scaled.iter().map(|l| i64::try_from(*l).ok()).collect();
        match narrow {
            Some(narrow) if self.wide.is_none() => self.physicals = narrow,
            _ => {
                self.physicals = Vec::new();
                self.wide = Some(scaled);
            }
        }
        self.ty = Type::Decimal(scale);
        true
    }

    /// Adds a text.
    #[inline]
    pub fn push_text(&mut self, text: Option<&str>) {
        let code = text.map_or(NO_TEXT, |text| self.code_of(text));
        self.codes.push(code);
    }

    fn code_of(&mut self, text: &str) -> u32 {
        if let Some(code) = self.places.get(text) {
            return *code;
        }
        let (code, text): (u32, Arc<str>) = (narrow(self.texts.len()), text.into());
        self.texts.push(text.clone());
        self.places.insert(text, code);
        code
    }

    /// Adds a float.
    pub fn push_float(&mut self, value: Option<f64>) {
        self.mark(value.is_some());
        // Not a number is one value, whatever its bits.
        self.floats.push(value.map_or(0.0, |x| if x.is_nan() { f64::NAN } else { x }));
    }

    /// The column.
    pub fn finish(self) -> Column {
        match self.ty {
            Type::Text => Column::from_coded_texts(self.texts, self.codes),
            Type::Float => Column::new(self.ty, Data::Float(self.floats), self.valid, (0, 0)),
            _ => match self.wide {
                Some(wide) => {
                    let present = |at: &usize| self.valid.as_ref().is_none_or(|valid| valid[*at]);
                    let physicals = || (0..wide.len()).filter(present).map(|at| wide[at]);
                    let range = (physicals().min().unwrap_or(0), physicals().max().unwrap_or(0));
                    Column::new(self.ty, Data::I128(wide), self.valid, range)
                }
                None => Column::from_physicals(self.ty, self.physicals, self.valid),
            },
        }
    }
}
