//! Columns keep every value, whatever their width and whatever is done to them: against plain lists of values.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use std::sync::Arc;
use vembra_engine::{Column, ColumnBuilder, RowId};
use vembra_plan::{Decimal, Period, Scalar, Type};
use vembra_testing::Random;

const TYPES: [Type; 9] = [
    Type::Integer,
    Type::Decimal(2),
    Type::Float,
    Type::Text,
    Type::Boolean,
    Type::Date,
    Type::Time,
    Type::Moment,
    Type::Period(Period::Month),
];

/// Physical values of at most this many bits; a type holds as many as it can.
fn value(random: &mut Random, ty: Type, bits: u32, missing: u64) -> Scalar {
    if random.below(100) < missing {
        return Scalar::Null;
    }
    match ty {
        Type::Text => {
            let n = random.below(1 << bits.min(10));
            Scalar::text(["", "a", "Ä", "long text "][(n % 4) as usize].to_owned() + &n.to_string())
        }
        Type::Float => Scalar::Float(size_of(random, bits.min(40)) as f64 / 8.0),
        Type::Boolean => Scalar::Boolean(random.below(2) == 0),
        Type::Date | Type::Period(_) => Scalar::from_physical(ty, size_of(random, 20)),
        // Past 63 bits too.
        Type::Decimal(_) => {
            let wide = if bits > 63 { 1_000_000_000_000 } else { 1 };
            Scalar::from_physical(ty, size_of(random, bits) * wide)
        }
        _ => Scalar::from_physical(ty, size_of(random, bits.min(50))),
    }
}

fn size_of(random: &mut Random, bits: u32) -> i128 {
    let physical = random.below(1 << bits.min(62)) as i128;
    if random.below(2) == 0 { -physical } else { physical }
}

fn values(random: &mut Random, ty: Type) -> Vec<Scalar> {
    let bits = [3, 7, 12, 20, 40, 80][random.below(6) as usize];
    let missing = [0, 0, 10, 60, 100][random.below(5) as usize];
    let count = [0, 1, 5, 63, 64, 65, 300][random.below(7) as usize];
    (0..count).map(|_| value(random, ty, bits, missing)).collect()
}

fn column(ty: Type, values: &[Scalar]) -> Column {
    let mut builder = ColumnBuilder::new(ty);
    assert!(builder.is_empty());
    for (at, value) in values.iter().enumerate() {
        if value.is_null() && at % 2 == 0 {
            builder.push_null();
        } else {
            builder.push(value);
        }
        assert_eq!(builder.len(), at + 1);
    }
    builder.finish()
}

fn same(column: &Column, wanted: &[Scalar], told: &str) {
    assert_eq!(column.len(), wanted.len(), "{told}");
    for (row, value) in wanted.iter().enumerate() {
        assert_eq!(column.scalar(row), *value, "{told}: row {row}");
        assert_eq!(column.scalar(row).is_null(), value.is_null(), "{told}: row {row}");
    }
    assert_eq!(column.missing(), wanted.iter().filter(|v| v.is_null()).count(), "{told}");
    assert_eq!(column.is_empty(), wanted.is_empty());
}

#[test]
fn each_value_comes_back_as_it_went_in() {
    let mut random = Random(1);
    for _ in 0..150 {
        for ty in TYPES {
            let values = values(&mut random, ty);
            let column = column(ty, &values);
            assert_eq!(column.ty(), ty);
            same(&column, &values, &ty.to_string());
            let physicals: Vec<i128> = values.iter().filter_map(Scalar::physical).collect();
            let range = physicals.iter().min().copied().zip(physicals.iter().max().copied());
            assert_eq!(column.physical_range(), range, "{ty}");
        }
    }
}

#[test]
fn widths_are_the_smallest_that_hold_all_physicals() {
    for (largest, width) in
        [(1_i128, 1), (127, 1), (128, 2), (32_767, 2), (32_768, 4), (1 << 31, 8), (1 << 62, 8), (1 << 70, 16)]
    {
        for sign in [1, -1] {
            let physicals = [0, sign * largest, 1, sign];
            let values: Vec<Scalar> =
                physicals.map(|units| Scalar::Decimal(Decimal { units, scale: 2 })).into();
            let column = column(Type::Decimal(2), &values);
            same(&column, &values, &largest.to_string());
            // Of the least physical values there is one more below zero than above.
            let expected =
                if sign < 0 && [128, 32_768, 1 << 31].contains(&largest) { width / 2 } else { width };
            assert_eq!(column.bytes(), 4 * expected as usize, "{}", sign * largest);
        }
    }
}

#[test]
fn some_rows_of_a_column_are_the_same_values() {
    let mut random = Random(2);
    for _ in 0..120 {
        for ty in TYPES {
            let values = values(&mut random, ty);
            let whole = column(ty, &values);
            let all = (0..values.len()).map(RowId::new);
            let rows: Vec<RowId> = all.filter(|_| random.below(3) == 0).collect();
            let wanted: Vec<Scalar> = rows.iter().map(|row| values[row.index()].clone()).collect();
            let some = whole.only(&rows);
            same(&some, &wanted, &format!("some rows of {ty}"));
            if ty == Type::Text {
                // Texts that no row has any more are forgotten; the others stay in order, each once.
                let mut texts: Vec<String> =
                    wanted.iter().filter(|v| !v.is_null()).map(ToString::to_string).collect();
                texts.sort();
                texts.dedup();
                let kept: Vec<String> = some.dictionary().iter().map(ToString::to_string).collect();
                assert_eq!(kept, texts);
            }
        }
    }
}

#[test]
fn columns_one_behind_the_other_are_the_values_one_behind_the_other() {
    let mut random = Random(3);
    for _ in 0..120 {
        for ty in TYPES {
            let parts: Vec<Vec<Scalar>> = (0..=random.below(3)).map(|_| values(&mut random, ty)).collect();
            let columns = parts.iter().map(|part| column(ty, part)).collect();
            let joined = Column::concat(ty, columns).unwrap();
            same(&joined, &parts.concat(), &format!("parts of {ty}"));
        }
    }
    // A column without any value goes with each type; one of another type with none.
    let nothing = column(Type::Null, &[Scalar::Null, Scalar::Null]);
    let text = column(Type::Text, &[Scalar::text("a")]);
    let joined = Column::concat(Type::Text, vec![nothing.clone(), text.clone()]).unwrap();
    same(&joined, &[Scalar::Null, Scalar::Null, Scalar::text("a")], "nothing and a text");
    assert!(
        Column::concat(Type::Integer, vec![text, column(Type::Integer, &[Scalar::Integer(1)])]).is_none()
    );
}

#[test]
fn whole_numbers_become_decimals_of_more_places() {
    let whole = column(Type::Integer, &[Scalar::Integer(7), Scalar::Null]);
    let cents = column(Type::Decimal(2), &[Scalar::Decimal(Decimal::parse("1.25").unwrap())]);
    let joined = Column::concat(Type::Decimal(3), vec![whole, cents]).unwrap();
    let shown: Vec<String> = (0..3).map(|row| joined.scalar(row).to_string()).collect();
    assert_eq!(
        (joined.ty(), shown),
        (Type::Decimal(3), vec!["7.000".to_owned(), String::new(), "1.250".to_owned()])
    );
    // Numbers that would get too large are refused, and nothing is changed.
    let huge = Scalar::Decimal(Decimal { units: i128::MAX / 10, scale: 0 });
    assert!(
        Column::concat(Type::Decimal(2), vec![column(Type::Decimal(0), std::slice::from_ref(&huge))])
            .is_none()
    );
    let mut builder = ColumnBuilder::new(Type::Decimal(0));
    builder.push(&huge);
    builder.push(&Scalar::Decimal(Decimal { units: 5, scale: 0 }));
    assert!(!builder.rescale(2));
    assert!(builder.rescale(1));
    let column = builder.finish();
    assert_eq!((column.ty(), column.scalar(1).to_string()), (Type::Decimal(1), "5.0".to_owned()));
    let mut texts = ColumnBuilder::new(Type::Text);
    texts.push_text(Some("a"));
    assert!(!texts.rescale(1));
}

#[test]
fn physicals_may_be_added_in_several_ways() {
    let mut random = Random(4);
    for _ in 0..200 {
        let mut builder = ColumnBuilder::new(Type::Decimal(0));
        let mut wanted: Vec<Option<i128>> = Vec::new();
        for _ in 0..random.below(12) {
            match random.below(4) {
                0 => {
                    builder.push_null();
                    wanted.push(None);
                }
                1 => {
                    let physical = i128::from(random.below(1 << 60)) << random.below(30);
                    builder.push_physical(Some(physical));
                    wanted.push(Some(physical));
                }
                2 => {
                    builder.push_narrow(-7);
                    wanted.push(Some(-7));
                }
                _ => {
                    builder.extend_narrow([1_i64, 2, 3].into_iter());
                    wanted.extend([1, 2, 3].map(Some));
                }
            }
        }
        let column = builder.finish();
        let wanted: Vec<Scalar> = wanted
            .into_iter()
            .map(|physical| {
                physical.map_or(Scalar::Null, |units| Scalar::Decimal(Decimal { units, scale: 0 }))
            })
            .collect();
        same(&column, &wanted, "physical values");
    }
}

#[test]
fn texts_come_from_codes_in_any_order() {
    let mut random = Random(5);
    for _ in 0..200 {
        let texts: Vec<Arc<str>> =
            (0..random.below(9)).map(|_| Arc::from(format!("t{}", random.below(6)))).collect();
        let codes: Vec<u32> = (0..random.below(30))
            .map(|_| if random.below(5) == 0 { u32::MAX } else { random.below(9) as u32 })
            .collect();
        let wanted: Vec<Scalar> = codes
            .iter()
            .map(|c| texts.get(*c as usize).map_or(Scalar::Null, |t| Scalar::Text(t.clone())))
            .collect();
        let column = Column::from_coded_texts(texts, codes);
        same(&column, &wanted, "codes");
        assert!(column.dictionary().windows(2).all(|w| w[0] < w[1]));
        // Picked by rows of another column: none where there is none.
        let rows: Vec<Option<u32>> = (0..6)
            .map(|_| {
                (random.below(3) > 0 && !wanted.is_empty()).then(|| random.below(wanted.len() as u64) as u32)
            })
            .collect();
        let picked: Vec<Scalar> =
            rows.iter().map(|row| row.map_or(Scalar::Null, |row| wanted[row as usize].clone())).collect();
        if wanted.iter().all(|v| !v.is_null()) {
            same(&column.picked(rows.into_iter()), &picked, "picked");
        }
    }
}
