//! A column as it lies in memory, for those who keep it elsewhere and bring it back.

use super::{Column, Data};
use crate::storage::bitmap::Bitmap;
use crate::storage::dictionary::Dictionary;
use crate::storage::small_ints::SmallInts;
use std::borrow::Cow;
use std::sync::Arc;
use vembra_plan::Type;

/// A column as it lies in memory.
#[derive(Clone, Debug, PartialEq)]
pub struct Encoded<'a> {
    /// The type of the values.
    pub ty: Type,
    /// What stands for the values.
    pub values: EncodedValues<'a>,
    /// Which rows have a value, a bit a row, the lowest first; none if all have. Not for texts, whose codes say it.
    pub valid: Option<Cow<'a, [u64]>>,
    /// The smallest and largest physical value.
    pub range: (i128, i128),
}

/// What stands for the values of a column.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)] // The widths of physical values.
pub enum EncodedValues<'a> {
    I8(Cow<'a, [i8]>),
    I16(Cow<'a, [i16]>),
    I32(Cow<'a, [i32]>),
    I64(Cow<'a, [i64]>),
    I128(Cow<'a, [i128]>),
    Float(Cow<'a, [f64]>),
    /// Codes of texts, the one behind the last for none; and the texts, sorted.
    Text(Numbers<'a>, Cow<'a, [Arc<str>]>),
}

/// Small numbers, one a row: codes of texts, or rows that a link reaches.
#[derive(Clone, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // The widths.
pub enum Numbers<'a> {
    U8(Cow<'a, [u8]>),
    U16(Cow<'a, [u16]>),
    U32(Cow<'a, [u32]>),
}

impl<'a> Numbers<'a> {
    pub(crate) fn of(numbers: &'a SmallInts) -> Self {
        match numbers {
            SmallInts::U8(n) => Self::U8(n.into()),
            SmallInts::U16(n) => Self::U16(n.into()),
            SmallInts::U32(n) => Self::U32(n.into()),
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match self {
            Self::U8(n) => n.len(),
            Self::U16(n) => n.len(),
            Self::U32(n) => n.len(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The largest.
    fn most(&self) -> Option<usize> {
        match self {
            Self::U8(n) => n.iter().max().map(|n| *n as usize),
            Self::U16(n) => n.iter().max().map(|n| *n as usize),
            Self::U32(n) => n.iter().max().map(|n| *n as usize),
        }
    }

    /// The numbers, if all lie below a bound.
    pub(crate) fn below(self, bound: usize) -> Option<SmallInts> {
        if self.most().is_some_and(|most| most >= bound) {
            return None;
        }
        Some(match self {
            Self::U8(n) => SmallInts::U8(n.into_owned()),
            Self::U16(n) => SmallInts::U16(n.into_owned()),
            Self::U32(n) => SmallInts::U32(n.into_owned()),
        })
    }
}

impl Column {
    /// How the column lies in memory.
    pub fn encoded(&self) -> Encoded<'_> {
        let values = match &self.data {
            Data::I8(v) => EncodedValues::I8(v.into()),
            Data::I16(v) => EncodedValues::I16(v.into()),
            Data::I32(v) => EncodedValues::I32(v.into()),
            Data::I64(v) => EncodedValues::I64(v.into()),
            Data::I128(v) => EncodedValues::I128(v.into()),
            Data::Float(v) => EncodedValues::Float(v.into()),
            Data::Text(codes, dictionary) => {
                EncodedValues::Text(Numbers::of(codes), (&dictionary.texts).into())
            }
        };
        let valid = self.valid.as_ref().map(|bits| bits.words().into());
        Encoded { ty: self.ty, values, valid, range: self.range }
    }

    /// The column that lay so in memory. None if it cannot have: a code without a text, texts out of order, too few bits, a type that
    /// is kept otherwise.
    ///
    /// # Examples
    /// ```
    /// use vembra_engine::{Column, ColumnBuilder};
    /// use vembra_plan::{Scalar, Type};
    /// let mut builder = ColumnBuilder::new(Type::Text);
    /// ["b", "a", "b"].iter().for_each(|text| builder.push(&Scalar::text(*text)));
    /// let column = builder.finish();
    /// let again = Column::from_encoded(column.encoded()).ok_or("not as it was")?;
    /// assert_eq!(again.scalar(2), Scalar::text("b"));
    /// # Ok::<(), &str>(())
    /// ```
    pub fn from_encoded(encoded: Encoded<'_>) -> Option<Self> {
        let Encoded { ty, values, valid, range } = encoded;
        let is_physicals = !matches!(ty, Type::Text | Type::Float);
        let fits = match &values {
            EncodedValues::Text(..) => ty == Type::Text,
            EncodedValues::Float(_) => ty == Type::Float,
            _ => is_physicals,
        };
        if !fits {
            return None;
        }
        let data = match values {
            EncodedValues::I8(v) => Data::I8(v.into_owned()),
            EncodedValues::I16(v) => Data::I16(v.into_owned()),
            EncodedValues::I32(v) => Data::I32(v.into_owned()),
            EncodedValues::I64(v) => Data::I64(v.into_owned()),
            EncodedValues::I128(v) => Data::I128(v.into_owned()),
            EncodedValues::Float(v) => Data::Float(v.into_owned()),
            EncodedValues::Text(codes, texts) => {
                if !texts.is_sorted_by(|a, b| a < b) {
                    return None;
                }
                let codes = codes.below(texts.len() + 1)?;
                Data::Text(Arc::new(codes), Arc::new(Dictionary { texts: texts.into_owned() }))
            }
        };
        let mut column = Self { ty, data, valid: None, missing: 0, range };
        let rows = column.len();
        if let Data::Text(codes, dictionary) = &column.data {
            column.missing = codes.count(dictionary.texts.len());
        } else if let Some(words) = valid {
            if words.len() != rows.div_ceil(64) {
                return None;
            }
            let bits = Bitmap::from_words(words.into_owned());
            column.missing = rows.checked_sub(bits.count())?;
            column.valid = (column.missing > 0).then_some(bits);
        }
        Some(column)
    }
}

#[cfg(test)]
mod tests {
    use super::{EncodedValues, Numbers};
    use crate::storage::column::Column;
    use crate::storage::testing::column;
    use std::sync::Arc;
    use vembra_plan::{Scalar, Type};

    #[test]
    fn a_column_comes_back_as_it_was() {
        let of = |ty, physicals: &[i128]| -> Vec<Scalar> {
            physicals.iter().map(|physical| Scalar::from_physical(ty, *physical)).collect()
        };
        let wide = Type::Decimal(2);
        let mut cases: Vec<(Type, Vec<Scalar>)> = [
            (Type::Integer, vec![1, -7, 100]),
            (Type::Integer, vec![1, 30_000]),
            (Type::Date, vec![20_000, 40_000]),
            (Type::Moment, vec![1 << 40, -(1 << 50)]),
            (wide, vec![1 << 90, 5]),
            (Type::Boolean, vec![0, 1, 1]),
            (Type::Integer, vec![]),
        ]
        .into_iter()
        .map(|(ty, physicals)| (ty, of(ty, &physicals)))
        .collect();
        cases.push((Type::Float, vec![Scalar::Float(1.5), Scalar::Float(-0.0)]));
        cases.push((Type::Text, ["b", "", "a", "b"].map(Scalar::text).to_vec()));
        for (ty, mut values) in cases {
            for with_null in [false, true] {
                if with_null {
                    values.insert(values.len() / 2, Scalar::Null);
                }
                let before = column(ty, &values);
                let again = Column::from_encoded(before.encoded()).unwrap();
                let read: Vec<Scalar> = (0..again.len()).map(|row| again.scalar(row)).collect();
                assert_eq!(read, values, "{ty}");
                assert_eq!(again.missing(), before.missing(), "{ty}");
                assert_eq!(again.physical_range(), before.physical_range(), "{ty}");
                assert_eq!(again.encoded(), before.encoded(), "{ty}");
            }
        }
    }

    #[test]
    fn what_cannot_have_been_a_column_is_refused() {
        let texts = column(Type::Text, &["a", "b"].map(Scalar::text));
        let mut beyond = texts.encoded();
        beyond.values =
            EncodedValues::Text(Numbers::U8(vec![0, 3].into()), vec![Arc::from("a"), Arc::from("b")].into());
        assert!(Column::from_encoded(beyond).is_none(), "a code without a text");
        let mut unordered = texts.encoded();
        unordered.values =
            EncodedValues::Text(Numbers::U8(vec![0, 1].into()), vec![Arc::from("b"), Arc::from("a")].into());
        assert!(Column::from_encoded(unordered).is_none(), "texts out of order");
        let numbers = column(Type::Integer, &[Scalar::Integer(1), Scalar::Null]);
        let mut short = numbers.encoded();
        short.valid = Some(Vec::new().into());
        assert!(Column::from_encoded(short).is_none(), "no bits");
        let mut other = numbers.encoded();
        other.ty = Type::Text;
        assert!(Column::from_encoded(other).is_none(), "physical values are no texts");
    }
}
