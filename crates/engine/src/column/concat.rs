//! Columns put together, one behind the other.

use super::{Column, Data, NO_TEXT};
use crate::bits::Bits;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::sync::Arc;
use vembra_plan::Type;

/// Which rows of all parts have a value; none if all have.
fn valid(parts: &[Column]) -> (Option<Bits>, usize) {
    let missing = parts.iter().map(Column::missing).sum();
    if missing == 0 {
        return (None, 0);
    }
    let bools: Vec<bool> =
        parts.iter().flat_map(|part| (0..part.len()).map(|row| part.is_valid(row))).collect();
    (Some(Bits::from_bools(&bools)), missing)
}

pub(super) fn texts(parts: Vec<Column>) -> Option<Column> {
    let mut places: HashMap<Arc<str>, u32, FixedState> = HashMap::default();
    let mut texts: Vec<Arc<str>> = Vec::new();
    let mut codes = Vec::with_capacity(parts.iter().map(Column::len).sum());
    for part in parts {
        let Some((own, dictionary)) = part.texts() else {
            if part.missing() < part.len() {
                return None;
            }
            codes.resize(codes.len() + part.len(), NO_TEXT);
            continue;
        };
        let placed: Vec<u32> = dictionary
            .texts
            .iter()
            .map(|text| {
                *places.entry_ref(text).or_insert_with(|| {
                    texts.push(text.clone());
                    texts.len() as u32 - 1
                })
            })
            .collect();
        codes.extend((0..own.len()).map(|row| placed.get(own.get(row)).copied().unwrap_or(NO_TEXT)));
    }
    Some(Column::from_coded_texts(texts, codes))
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

/// By how much the lanes of a type are multiplied to be those of another.
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

pub(super) fn lanes(ty: Type, parts: Vec<Column>) -> Option<Column> {
    let factors: Vec<i128> = parts.iter().map(|part| factor(part.ty, ty)).collect::<Option<_>>()?;
    let mut range: Option<(i128, i128)> = None;
    for (part, factor) in parts.iter().zip(&factors) {
        let Some((low, high)) = part.lane_range() else { continue };
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

/// The lanes of all parts; that all of them fit is known.
fn joined<T>(parts: impl Iterator<Item = (Column, i128)>, convert: impl Fn(i128) -> T + Copy) -> Vec<T> {
    let mut lanes = Vec::new();
    for (part, factor) in parts {
        let scaled = |lane: i128| convert(lane * factor);
        match &part.data {
            Data::I8(own) => lanes.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I16(own) => lanes.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I32(own) => lanes.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I64(own) => lanes.extend(own.iter().map(|l| scaled((*l).into()))),
            Data::I128(own) => lanes.extend(own.iter().map(|l| scaled(*l))),
            Data::Float(_) | Data::Text(..) => {
                lanes.extend((0..part.len()).map(|_| scaled(0)));
            }
        }
    }
    lanes
}

#[cfg(test)]
mod tests {
    use crate::column::{Column, ColumnBuilder};
    use crate::testing::column;
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
    fn numbers_take_the_decimals_of_all() {
        let cents = |units| Scalar::Decimal(Decimal { units, scale: 2 });
        let parts = vec![
            column(Type::Integer, &[Scalar::Integer(-7), Scalar::Null]),
            column(Type::Decimal(2), &[cents(1250)]),
            column(Type::Null, &[]),
        ];
        let all = Column::concat(Type::Decimal(2), parts).unwrap();
        assert_eq!(values(&all), ["-7.00", "", "12.50"]);
        assert_eq!(all.lane_range(), Some((-700, 1250)));
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
