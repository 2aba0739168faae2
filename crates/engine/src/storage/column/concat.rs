//! Columns put together, one behind the other.

use super::{Column, Data, NO_TEXT};
use crate::storage::bitmap::Bitmap;
use crate::storage::narrow::narrow;
use crate::storage::small_ints::with_index;
use std::cmp::Ordering;
use std::sync::Arc;
use vembra_plan::Type;

/// Which rows of all parts have a value; none if all have.
fn valid(parts: &[Column]) -> (Option<Bitmap>, usize) {
    let missing = parts.iter().map(Column::missing).sum();
    if missing == 0 {
        return (None, 0);
    }
    let bools: Vec<bool> =
        parts.iter().flat_map(|part| (0..part.len()).map(|row| part.is_valid(row))).collect();
    (Some(Bitmap::from_bools(&bools)), missing)
}

/// Texts, sorted, and of each part for each of its codes the one that it becomes.
type Merged = (Vec<Arc<str>>, Vec<Vec<u32>>);

pub(super) fn texts(parts: Vec<Column>) -> Option<Column> {
    if parts.iter().any(|part| part.texts().is_none() && part.missing() < part.len()) {
        return None;
    }
    let dictionaries: Vec<&[Arc<str>]> = parts.iter().map(Column::dictionary).collect();
    let (texts, places) = merged(&dictionaries);
    let mut codes = Vec::with_capacity(parts.iter().map(Column::len).sum());
    for (part, place) in parts.iter().zip(places) {
        match part.texts() {
            Some((own, _)) => with_index!(&**own, own => {
                codes.extend(own.iter().map(|code| place.get(*code as usize).copied().unwrap_or(NO_TEXT)));
            }),
            None => codes.resize(codes.len() + part.len(), NO_TEXT),
        }
    }
    Some(Column::from_coded_texts(texts, codes))
}

/// The texts of sorted dictionaries as one: halves are merged, so that those whose ranges follow each other are never compared text by text.
fn merged(dictionaries: &[&[Arc<str>]]) -> Merged {
    match dictionaries {
        [] => (Vec::new(), Vec::new()),
        [one] => (one.to_vec(), vec![(0..narrow(one.len())).collect()]),
        _ => {
            let (left, right) = dictionaries.split_at(dictionaries.len() / 2);
            merged_pair(merged(left), merged(right))
        }
    }
}

fn merged_pair((left, mut left_places): Merged, (right, mut right_places): Merged) -> Merged {
    if right.is_empty() || left.last() < right.first() {
        let shift = narrow(left.len());
        right_places.iter_mut().flatten().for_each(|place| *place += shift);
        left_places.extend(right_places);
        let mut texts = left;
        texts.extend(right);
        return (texts, left_places);
    }
    let mut texts = Vec::with_capacity(left.len().max(right.len()));
    let (mut of_left, mut of_right) = (Vec::with_capacity(left.len()), Vec::with_capacity(right.len()));
    let (mut left, mut right) = (left.into_iter().peekable(), right.into_iter().peekable());
    loop {
        let order = match (left.peek(), right.peek()) {
            (Some(l), Some(r)) => l.cmp(r),
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (None, None) => break,
        };
        let place = narrow(texts.len());
        let from_left = if order.is_le() { left.next() } else { None };
        let from_right = if order.is_ge() { right.next() } else { None };
        of_left.extend(from_left.is_some().then_some(place));
        of_right.extend(from_right.is_some().then_some(place));
        texts.extend(from_left.or(from_right));
    }
    left_places.iter_mut().flatten().for_each(|place| *place = of_left[*place as usize]);
    right_places.iter_mut().flatten().for_each(|place| *place = of_right[*place as usize]);
    left_places.extend(right_places);
    (texts, left_places)
}

pub(super) fn floats(parts: Vec<Column>) -> Option<Column> {
    let (valid, missing) = valid(&parts);
    let mut floats = Vec::with_capacity(parts.iter().map(Column::len).sum());
    for part in parts {
        match part.data {
            Data::Float(own) => floats.extend(own),
            _ if part.missing == part.len() => floats.resize(floats.len() + part.len(), 0.0),
            _ => return None,
        }
    }
    Some(Column { ty: Type::Float, data: Data::Float(floats), valid, missing, range: (0, 0) })
}

/// By how much the physical values of a type are multiplied to be those of another.
fn factor(from: Type, to: Type) -> Option<i128> {
    let decimals = |ty| match ty {
        Type::Integer => Some(0),
        Type::Decimal(scale) => Some(scale),
        _ => None,
    };
    match (from, to) {
        (from, to) if from == to => Some(1),
        (Type::Null, _) => Some(1),
        (from, Type::Decimal(scale)) => Some(10_i128.pow(scale.checked_sub(decimals(from)?)?.into())),
        _ => None,
    }
}

#[allow(clippy::cast_possible_truncation)] // All fit that are not null, and those are never read.
pub(super) fn physicals(ty: Type, parts: Vec<Column>) -> Option<Column> {
    let factors: Vec<i128> = parts.iter().map(|part| factor(part.ty, ty)).collect::<Option<_>>()?;
    let mut range: Option<(i128, i128)> = None;
    for (part, factor) in parts.iter().zip(&factors) {
        let Some((low, high)) = part.physical_range() else { continue };
        let (low, high) = (low.checked_mul(*factor)?, high.checked_mul(*factor)?);
        range = Some(range.map_or((low, high), |(l, h)| (l.min(low), h.max(high))));
    }
    let (low, high) = range.unwrap_or((0, 0));
    let (valid, missing) = valid(&parts);
    let fits = |least: i64, most: i64| low >= least.into() && high <= most.into();
    let parts = parts.into_iter().zip(factors);
    let data = if fits(i8::MIN.into(), i8::MAX.into()) {
        Data::I8(joined(parts, |l| l as i8))
    } else if fits(i16::MIN.into(), i16::MAX.into()) {
        Data::I16(joined(parts, |l| l as i16))
    } else if fits(i32::MIN.into(), i32::MAX.into()) {
        Data::I32(joined(parts, |l| l as i32))
    } else if fits(i64::MIN, i64::MAX) {
        Data::I64(joined(parts, |l| l as i64))
    } else {
        Data::I128(joined(parts, |l| l))
    };
    Some(Column { ty, data, valid, missing, range: (low, high) })
}

/// The physical values of all parts; that all of them fit is known.
fn joined<T>(parts: impl Iterator<Item = (Column, i128)>, convert: impl Fn(i128) -> T + Copy) -> Vec<T> {
    let mut physicals = Vec::new();
    for (part, factor) in parts {
        let scaled = |physical: i128| convert(physical * factor);
        match &part.data {
            Data::I8(own) => physicals.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I16(own) => physicals.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I32(own) => physicals.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I64(own) => physicals.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I128(own) => physicals.extend(own.iter().map(|l| scaled(*l))),
            Data::Float(_) | Data::Text(..) => {
                physicals.extend((0..part.len()).map(|_| scaled(0)));
            }
        }
    }
    physicals
}

#[cfg(test)]
mod tests {
    use crate::storage::column::{Column, ColumnBuilder};
    use crate::storage::testing::column;
    use vembra_plan::{Decimal, Scalar, Type};

    fn values(column: &Column) -> Vec<String> {
        (0..column.len()).map(|row| column.scalar(row).to_string()).collect()
    }

    #[test]
    fn texts_of_all_parts_stand_in_one_dictionary() {
        let parts = vec![
            column(Type::Text, &[Scalar::text("pear"), Scalar::Null, Scalar::text("fig")]),
            column(Type::Null, &[Scalar::Null]),
            column(Type::Text, &[Scalar::text("apple"), Scalar::text("pear")]),
        ];
        let all = Column::concat(Type::Text, parts).unwrap();
        assert_eq!(values(&all), ["pear", "", "fig", "", "apple", "pear"]);
        assert_eq!(all.missing(), 2);
        let dictionary: Vec<&str> = all.dictionary().iter().map(|t| &**t).collect();
        assert_eq!(dictionary, ["apple", "fig", "pear"]);
    }

    #[test]
    fn parts_that_follow_each_other_or_overlap_come_out_as_if_read_at_once() {
        let of = |texts: &[&str]| -> Vec<Scalar> { texts.iter().map(|t| Scalar::text(*t)).collect() };
        let cases: [&[&[&str]]; 5] = [
            &[&["a", "b"], &["c", "d"], &["e"]],
            &[&["e"], &["c", "d"], &["a", "b"]],
            &[&["a", "c", "e"], &["b", "c", "d"], &["a", "f"], &["c"]],
            &[&[], &["x"], &[], &["x", "x"]],
            &[&["b", "d"], &["d", "e"], &["e", "a"]],
        ];
        for parts in cases {
            let whole = column(Type::Text, &of(&parts.concat()));
            let all = parts.iter().map(|part| column(Type::Text, &of(part))).collect();
            let all = Column::concat(Type::Text, all).unwrap();
            assert_eq!(all.encoded(), whole.encoded(), "{parts:?}");
        }
    }

    #[test]
    fn numbers_take_the_decimals_of_all() {
        let cents = |units| Scalar::Decimal(Decimal { units, scale: 2 });
        let parts = vec![
            column(Type::Integer, &[Scalar::Integer(-7), Scalar::Null]),
            column(Type::Decimal(2), &[cents(1250)]),
            column(Type::Null, &[]),
        ];
        let all = Column::concat(Type::Decimal(2), parts).unwrap();
        assert_eq!(values(&all), ["-7.00", "", "12.50"]);
        assert_eq!(all.physical_range(), Some((-700, 1250)));
    }

    #[test]
    fn widths_grow_with_the_values() {
        for large in [100_i64, 1_000, 100_000, 1 << 40, i64::MAX] {
            let parts = vec![
                column(Type::Integer, &[Scalar::Integer(-1)]),
                column(Type::Integer, &[Scalar::Integer(large)]),
            ];
            let all = Column::concat(Type::Integer, parts).unwrap();
            assert_eq!(values(&all), ["-1".to_owned(), large.to_string()]);
        }
        let parts = vec![column(Type::Integer, &[Scalar::Integer(i64::MAX)])];
        let wide = Column::concat(Type::Decimal(10), parts).unwrap();
        assert_eq!(values(&wide), ["9223372036854775807.0000000000"]);
    }

    #[test]
    fn what_does_not_go_together_is_told() {
        let number = || column(Type::Integer, &[Scalar::Integer(1)]);
        let text = || column(Type::Text, &[Scalar::text("a")]);
        assert!(Column::concat(Type::Text, vec![number(), text()]).is_none());
        assert!(Column::concat(Type::Integer, vec![number(), text()]).is_none());
        assert!(Column::concat(Type::Float, vec![number(), number()]).is_none());
        let large = column(Type::Integer, &[Scalar::Integer(i64::MAX)]);
        assert!(Column::concat(Type::Decimal(38), vec![large, number()]).is_none());
    }

    #[test]
    fn a_builder_takes_more_decimals_on_the_way() {
        let mut builder = ColumnBuilder::new(Type::Integer);
        builder.push_narrow(3);
        builder.push_null();
        assert!(builder.rescale(1));
        builder.push_narrow(25);
        assert!(builder.rescale(3));
        assert!(!builder.rescale(38), "too large by it");
        assert_eq!(values(&builder.finish()), ["3.000", "", "2.500"]);
    }
}
