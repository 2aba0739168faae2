//! Scalar functions against definitions that are written here once more, over many values and nulls.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use std::cmp::Ordering;
use vembra_plan::call::{call, convert, like, parse};
use vembra_plan::decimal::{MAX_SCALE, power_of_ten, round_div};
use vembra_plan::{Decimal, EvalError, Function, Scalar, Type};
use vembra_testing::Random;

fn any_decimal(random: &mut Random) -> Decimal {
    let size = random.below(30) as u32;
    let units = i128::from(random.below(u64::MAX)) % 10_i128.pow(size.max(1));
    let units = if random.below(2) == 0 { -units } else { units };
    Decimal { units, scale: random.below(9) as u8 }
}

fn integer(value: i64) -> Scalar {
    Scalar::Integer(value)
}

fn decimal(text: &str) -> Scalar {
    Scalar::Decimal(Decimal::parse(text).unwrap())
}

/// Digits of a number written out by long division: half of the last digit goes away from zero.
fn rounded_by_hand(units: i128, drop: u32) -> i128 {
    let divisor = 10_i128.pow(drop);
    let (whole, rest) = (units.abs() / divisor, units.abs() % divisor);
    let up = i128::from(drop > 0 && rest * 2 >= divisor);
    (whole + up) * units.signum()
}

#[test]
fn rounding_goes_away_from_zero_at_half() {
    let mut random = Random(1);
    for _ in 0..5_000 {
        let x = any_decimal(&mut random);
        for scale in 0..=x.scale {
            let narrowed = x.rescale(scale).unwrap();
            assert_eq!(
                narrowed.units,
                rounded_by_hand(x.units, u32::from(x.scale - scale)),
                "{x} to {scale}"
            );
        }
        // Widening and back changes nothing.
        let wider = x.rescale(x.scale + 3).unwrap();
        assert_eq!((wider, wider.rescale(x.scale).unwrap().units), (x, x.units));
    }
    for (units, divisor, want) in
        [(5, 10, 1), (-5, 10, -1), (4, 10, 0), (-4, 10, 0), (15, 10, 2), (7, -2, -4), (0, 3, 0)]
    {
        assert_eq!(round_div(units, divisor), Some(want), "{units} / {divisor}");
    }
    assert_eq!(round_div(1, 0), None);
    assert_eq!(round_div(i128::MIN, -1), None);
}

#[test]
fn decimals_write_what_they_read() {
    let mut random = Random(2);
    for _ in 0..5_000 {
        let x = any_decimal(&mut random);
        let text = x.to_string();
        let back = Decimal::parse(&text).unwrap();
        assert_eq!((back.units, back.scale), (x.units, x.scale), "{text}");
        assert_eq!(text.split_once('.').map_or(0, |(_, f)| f.len()), usize::from(x.scale), "{text}");
    }
    for text in ["", "-", "+", ".", "-.", "1.2.3", "1e5", "1,5", " 1", "1 ", "--1", "+-1", "0x1", "１"] {
        assert!(Decimal::parse(text).is_none(), "{text}");
    }
    for (text, units) in [(".5", 5), ("5.", 5), ("-0", 0), ("+7", 7), ("007", 7)] {
        assert_eq!(Decimal::parse(text).unwrap().units, units, "{text}");
    }
    // As long as 128 bits hold, and no longer.
    assert!(Decimal::parse(&"9".repeat(38)).is_some());
    assert!(Decimal::parse(&"9".repeat(39)).is_none());
    assert!(Decimal::parse(&format!("0.{}1", "0".repeat(usize::from(MAX_SCALE) - 1))).is_some());
    assert!(Decimal::parse(&format!("0.{}1", "0".repeat(usize::from(MAX_SCALE)))).is_none());
}

#[test]
fn decimals_are_ordered_by_their_value() {
    let mut random = Random(3);
    let numbers: Vec<Decimal> = (0..200).map(|_| any_decimal(&mut random)).collect();
    for a in &numbers {
        for b in &numbers {
            // Compared as whole numbers of the finest unit that any of them has.
            let whole = |x: &Decimal| x.units.checked_mul(power_of_ten(8 - x.scale).unwrap()).unwrap();
            assert_eq!(a.cmp(b), whole(a).cmp(&whole(b)), "{a} {b}");
            assert_eq!(a == b, whole(a) == whole(b));
        }
    }
    // Past what can be widened, size decides.
    let huge = Decimal { units: i128::MAX, scale: 0 };
    let small = Decimal { units: 1, scale: 30 };
    assert_eq!(huge.cmp(&small), Ordering::Greater);
    assert_eq!(small.cmp(&huge), Ordering::Less);
    assert_eq!(Decimal { units: -i128::MAX, scale: 0 }.cmp(&small), Ordering::Less);
}

#[test]
fn arithmetic_on_exact_numbers_is_that_of_whole_units() {
    let mut random = Random(4);
    for _ in 0..3_000 {
        let (a, b) = (any_decimal(&mut random), any_decimal(&mut random));
        let scale = a.scale.max(b.scale);
        let (x, y) = (a.rescale(scale).unwrap().units, b.rescale(scale).unwrap().units);
        let run = |function, ty| call(function, &[Scalar::Decimal(a), Scalar::Decimal(b)], ty);
        let want = |units: i128, scale| Ok(Scalar::Decimal(Decimal { units, scale }));
        assert_eq!(run(Function::Add, Type::Decimal(scale)), want(x + y, scale), "{a} + {b}");
        assert_eq!(run(Function::Subtract, Type::Decimal(scale)), want(x - y, scale), "{a} - {b}");
        if let Some(product) = a.units.checked_mul(b.units) {
            let scale = a.scale + b.scale;
            assert_eq!(run(Function::Multiply, Type::Decimal(scale)), want(product, scale), "{a} * {b}");
        } else {
            let ty = Type::Decimal(a.scale + b.scale);
            assert_eq!(run(Function::Multiply, ty), Err(EvalError::Overflow(ty)), "{a} * {b}");
        }
        let rest = if y == 0 { Ok(Scalar::Null) } else { want(x % y, scale) };
        assert_eq!(run(Function::Mod, Type::Decimal(scale)), rest, "{a} mod {b}");
    }
}

#[test]
fn whole_numbers_overflow_with_an_error_and_never_wrap() {
    let edges = [i64::MIN, i64::MIN + 1, -2, -1, 0, 1, 2, i64::MAX - 1, i64::MAX];
    for a in edges {
        for b in edges {
            for function in [Function::Add, Function::Subtract, Function::Multiply] {
                let exact = match function {
                    Function::Add => i128::from(a) + i128::from(b),
                    Function::Subtract => i128::from(a) - i128::from(b),
                    _ => i128::from(a) * i128::from(b),
                };
                let want = i64::try_from(exact).map(integer).map_err(|_| EvalError::Overflow(Type::Integer));
                assert_eq!(
                    call(function, &[integer(a), integer(b)], Type::Integer),
                    want,
                    "{a} {function:?} {b}"
                );
            }
        }
    }
    assert!(call(Function::Negate, &[integer(i64::MIN)], Type::Integer).is_err());
    assert!(call(Function::Abs, &[integer(i64::MIN)], Type::Integer).is_err());
    let large = Scalar::Float(1e308);
    assert!(call(Function::Multiply, &[large.clone(), large], Type::Float).is_err());
}

#[test]
fn conditions_follow_the_tables_of_sql() {
    let values = [Some(true), Some(false), None];
    let scalar = |v: Option<bool>| v.map_or(Scalar::Null, Scalar::Boolean);
    for a in values {
        let not = call(Function::Not, &[scalar(a)], Type::Boolean).unwrap();
        assert_eq!(not, scalar(a.map(|a| !a)));
        for b in values {
            let and = match (a, b) {
                (Some(false), _) | (_, Some(false)) => Some(false),
                (Some(true), Some(true)) => Some(true),
                _ => None,
            };
            let or = match (a, b) {
                (Some(true), _) | (_, Some(true)) => Some(true),
                (Some(false), Some(false)) => Some(false),
                _ => None,
            };
            let run = |function| call(function, &[scalar(a), scalar(b)], Type::Boolean).unwrap();
            assert_eq!(run(Function::And), scalar(and), "{a:?} and {b:?}");
            assert_eq!(run(Function::Or), scalar(or), "{a:?} or {b:?}");
            let equal = a.zip(b).map(|(a, b)| a == b);
            assert_eq!(run(Function::Equal), scalar(equal));
            assert_eq!(run(Function::NotEqual), scalar(equal.map(|e| !e)));
        }
    }
}

#[test]
fn null_in_is_null_out_but_where_sql_says_otherwise() {
    let one = integer(1);
    let numbers = [
        Function::Add,
        Function::Subtract,
        Function::Multiply,
        Function::Divide,
        Function::Mod,
        Function::Power,
        Function::Greatest,
        Function::Least,
        Function::Equal,
        Function::Less,
        Function::Band,
    ];
    for function in numbers {
        for args in [[one.clone(), Scalar::Null], [Scalar::Null, one.clone()], [Scalar::Null, Scalar::Null]] {
            assert_eq!(call(function, &args, Type::Integer), Ok(Scalar::Null), "{function:?} {args:?}");
        }
    }
    for function in
        [Function::Negate, Function::Abs, Function::Round, Function::Floor, Function::Sqrt, Function::Sign]
    {
        assert_eq!(call(function, &[Scalar::Null], Type::Integer), Ok(Scalar::Null), "{function:?}");
    }
    let said = |function, args: &[Scalar]| call(function, args, Type::Integer).unwrap();
    assert_eq!(said(Function::Coalesce, &[Scalar::Null, Scalar::Null, one.clone()]), one);
    assert_eq!(said(Function::Coalesce, &[Scalar::Null, Scalar::Null]), Scalar::Null);
    assert_eq!(said(Function::NullIf, &[one.clone(), one.clone()]), Scalar::Null);
    assert_eq!(said(Function::NullIf, &[one.clone(), Scalar::Null]), one);
    assert_eq!(said(Function::IsNull, &[Scalar::Null]), Scalar::Boolean(true));
    // A condition that is null is no reason to take a branch.
    let case = [Scalar::Null, integer(5), Scalar::Boolean(true), integer(6)];
    assert_eq!(said(Function::Case, &case), integer(6));
    assert_eq!(said(Function::Case, &case[..2]), Scalar::Null);
    // One of a list: found, not found, or not known.
    let list = |value: Scalar, list: &[Scalar]| {
        let args: Vec<Scalar> = std::iter::once(value).chain(list.iter().cloned()).collect();
        call(Function::In, &args, Type::Boolean).unwrap()
    };
    assert_eq!(list(integer(1), &[integer(2), integer(1)]), Scalar::Boolean(true));
    assert_eq!(list(integer(1), &[Scalar::Null, integer(1)]), Scalar::Boolean(true));
    assert_eq!(list(integer(1), &[Scalar::Null, integer(2)]), Scalar::Null);
    assert_eq!(list(Scalar::Null, &[integer(2)]), Scalar::Null);
    assert_eq!(list(integer(1), &[integer(2)]), Scalar::Boolean(false));
}

/// `like` by trying every split.
fn like_by_hand(text: &[char], pattern: &[char]) -> bool {
    match pattern.split_first() {
        None => text.is_empty(),
        Some(('%', rest)) => (0..=text.len()).any(|at| like_by_hand(&text[at..], rest)),
        Some((c, rest)) => text
            .split_first()
            .is_some_and(|(first, text)| (*c == '_' || c == first) && like_by_hand(text, rest)),
    }
}

#[test]
fn patterns_match_what_every_split_would() {
    let mut random = Random(6);
    let mut matched = 0;
    for _ in 0..20_000 {
        let mut pick = |alphabet: &[char], most: u64| -> Vec<char> {
            (0..random.below(most)).map(|_| alphabet[random.below(alphabet.len() as u64) as usize]).collect()
        };
        let text = pick(&['a', 'b', 'ä'], 7);
        let pattern = pick(&['a', 'b', 'ä', '%', '_'], 6);
        let want = like_by_hand(&text, &pattern);
        matched += usize::from(want);
        let (text, pattern): (String, String) = (text.into_iter().collect(), pattern.into_iter().collect());
        assert_eq!(like(&text, &pattern), want, "'{text}' like '{pattern}'");
    }
    assert!(matched > 2_000, "{matched}");
}

#[test]
fn text_functions_count_characters_from_one() {
    let text = |s: &str| Scalar::text(s);
    let run = |function, args: &[Scalar]| call(function, args, Type::Text).unwrap();
    let word = "Bärenöl";
    let chars: Vec<char> = word.chars().collect();
    for n in -2..10_i64 {
        let take = n.clamp(0, 7) as usize;
        let left: String = chars[..take].iter().collect();
        let right: String = chars[7 - take..].iter().collect();
        assert_eq!(run(Function::Left, &[text(word), integer(n)]), text(&left), "left {n}");
        assert_eq!(run(Function::Right, &[text(word), integer(n)]), text(&right), "right {n}");
        for length in -1..9_i64 {
            // Positions from 1; those before the first are counted and not there.
            let wanted: String = (n..n + length.max(0))
                .filter(|p| (1..=7).contains(p))
                .map(|p| chars[p as usize - 1])
                .collect();
            let found = run(Function::Substring, &[text(word), integer(n), integer(length)]);
            assert_eq!(found, text(&wanted), "substring {n} {length}");
        }
        let rest: String = (n.max(1)..8).map(|p| chars[p as usize - 1]).collect();
        assert_eq!(run(Function::Substring, &[text(word), integer(n)]), text(&rest), "substring {n}");
        // What is shorter is filled up, what is longer loses its end.
        let own: String = chars[..take].iter().collect();
        let fill: String = "xyxyxyxyxy".chars().take((n.max(0) as usize).saturating_sub(7)).collect();
        let padded = |function| run(function, &[text(word), integer(n), text("xy")]);
        assert_eq!(padded(Function::PadLeft), text(&format!("{fill}{own}")), "lpad {n}");
        assert_eq!(padded(Function::PadRight), text(&format!("{own}{fill}")), "rpad {n}");
    }
    let position = |part: &str| call(Function::Position, &[text(part), text(word)], Type::Integer).unwrap();
    assert_eq!(
        [position("B"), position("en"), position("öl"), position("z"), position("")]
            .map(|s| s.physical().unwrap()),
        [1, 4, 6, 0, 1]
    );
    assert_eq!(call(Function::CharLength, &[text(word)], Type::Integer), Ok(integer(7)));
    assert_eq!(run(Function::Replace, &[text(word), text("ä"), text("ee")]), text("Beerenöl"));
    assert_eq!(run(Function::Replace, &[text(word), text(""), text("x")]), text(word));
    assert_eq!(run(Function::Upper, &[text(word)]), text("BÄRENÖL"));
    assert_eq!(run(Function::Trim, &[text("  a b ")]), text("a b"));
}

#[test]
fn numbers_are_cut_as_their_names_say() {
    let number = |function, text: &str, ty| call(function, &[decimal(text)], ty).unwrap().to_string();
    for (x, floor, ceiling, round, abs) in [
        ("2.50", "2", "3", "3.00", "2.50"),
        ("-2.50", "-3", "-2", "-3.00", "2.50"),
        ("2.49", "2", "3", "2.00", "2.49"),
        ("-2.49", "-3", "-2", "-2.00", "2.49"),
        ("2.00", "2", "2", "2.00", "2.00"),
        ("-0.01", "-1", "0", "0.00", "0.01"),
    ] {
        assert_eq!(number(Function::Floor, x, Type::Integer), floor, "floor {x}");
        assert_eq!(number(Function::Ceiling, x, Type::Integer), ceiling, "ceiling {x}");
        assert_eq!(number(Function::Round, x, Type::Decimal(2)), round, "round {x}");
        assert_eq!(number(Function::Abs, x, Type::Decimal(2)), abs, "abs {x}");
    }
    let to = |x: &str, places: i64| {
        call(Function::Round, &[decimal(x), integer(places)], Type::Decimal(3)).unwrap().to_string()
    };
    assert_eq!(
        [to("1234.565", 2), to("1234.565", 0), to("1234.565", -2), to("1250.000", -2), to("-1250.000", -2)],
        ["1234.570", "1235.000", "1200.000", "1300.000", "-1300.000"]
    );
    assert_eq!(to("1234.565", 9), "1234.565");
    for (x, sign) in [("0.00", 0), ("-0.01", -1), ("5.00", 1)] {
        assert_eq!(call(Function::Sign, &[decimal(x)], Type::Integer), Ok(integer(sign)), "{x}");
    }
    for (function, x) in [(Function::Sqrt, -1.0), (Function::Ln, 0.0), (Function::Ln, -2.0)] {
        assert_eq!(call(function, &[Scalar::Float(x)], Type::Float), Ok(Scalar::Null), "{function:?} {x}");
    }
}

#[test]
fn casts_there_and_back_keep_what_both_types_hold() {
    let there_and_back = |value: Scalar, ty: Type| {
        let own = value.ty();
        convert(convert(value, ty).unwrap(), own).unwrap()
    };
    for value in [-3, 0, 7, 1_000_000] {
        let value = integer(value);
        for ty in [Type::Decimal(2), Type::Float, Type::Text] {
            assert_eq!(there_and_back(value.clone(), ty), value, "{ty}");
        }
    }
    for text in ["2024-02-29", "1969-12-31", "2025-12-31"] {
        let day = parse(text, Type::Date).unwrap();
        assert_eq!(there_and_back(day.clone(), Type::Moment), day);
        assert_eq!(there_and_back(day.clone(), Type::Text), day);
    }
    // Of a moment the day and the clock.
    let moment = parse("2024-02-29 10:15:30", Type::Moment).unwrap();
    assert_eq!(convert(moment.clone(), Type::Date).unwrap().to_string(), "2024-02-29");
    assert_eq!(convert(moment, Type::Time).unwrap().to_string(), "10:15:30");
    for (text, ty) in [
        ("1.5", Type::Integer),
        ("", Type::Integer),
        ("abc", Type::Float),
        ("NaN", Type::Float),
        ("inf", Type::Float),
        ("yes", Type::Boolean),
        ("1.234", Type::Decimal(2)),
        ("2024-13-01", Type::Date),
    ] {
        assert!(convert(Scalar::text(text), ty).is_err(), "'{text}' as {ty}");
    }
    assert_eq!(convert(Scalar::text(" 12 "), Type::Integer), Ok(integer(12)));
    assert_eq!(convert(decimal("2.50"), Type::Integer), Ok(integer(3)));
    assert_eq!(convert(Scalar::Float(-2.5), Type::Integer), Ok(integer(-3)));
    assert!(convert(Scalar::Float(1e19), Type::Integer).is_err());
    assert!(convert(Scalar::Float(1e39), Type::Decimal(0)).is_err());
}

#[test]
fn values_are_in_one_order_with_nothing_last() {
    let mut random = Random(7);
    let mut values: Vec<Scalar> = Vec::new();
    for _ in 0..60 {
        values.push(match random.below(4) {
            0 => Scalar::Null,
            1 => integer(random.below(9) as i64 - 4),
            2 => Scalar::Decimal(Decimal { units: random.below(900) as i128 - 400, scale: 2 }),
            _ => Scalar::Float((random.below(17) as f64 - 8.0) / 2.0),
        });
    }
    for a in &values {
        for b in &values {
            assert_eq!(a.compare(b), b.compare(a).reverse(), "{a} {b}");
            assert_eq!(a.compare(b) == Ordering::Equal, a == b, "{a} {b}");
            if !a.is_null() && !b.is_null() {
                assert_eq!(a.compare_in(b, true), b.compare(a), "{a} {b}");
            }
            for c in &values {
                if a.compare(b) != Ordering::Greater && b.compare(c) != Ordering::Greater {
                    assert_ne!(a.compare(c), Ordering::Greater, "{a} {b} {c}");
                }
            }
        }
    }
    for descending in [false, true] {
        values.sort_by(|a, b| a.compare_in(b, descending));
        let first_null = values.iter().position(Scalar::is_null).unwrap();
        assert!(values[first_null..].iter().all(Scalar::is_null), "nothing stands last");
    }
}

#[test]
fn physicals_stand_for_their_values() {
    let types = [Type::Integer, Type::Decimal(3), Type::Boolean, Type::Date, Type::Time, Type::Moment];
    for ty in types {
        for physical in [0, 1, 5_000] {
            let physical = if ty == Type::Boolean { physical.min(1) } else { physical };
            let value = Scalar::from_physical(ty, physical);
            assert_eq!((value.physical(), value.ty()), (Some(physical), ty));
        }
    }
    // Past the range of a type there is no value, and none that is wrong.
    assert!(Scalar::from_physical(Type::Integer, i128::from(i64::MAX) + 1).is_null());
    assert!(Scalar::from_physical(Type::Date, i128::from(i32::MAX) + 1).is_null());
    assert_eq!(
        (Scalar::Float(1.5).physical(), Scalar::text("a").physical(), Scalar::Null.physical()),
        (None, None, None)
    );
}

#[test]
fn what_a_value_writes_as_a_literal_reads_as_that_value() {
    let mut random = Random(8);
    for _ in 0..500 {
        let decimal = Scalar::Decimal(any_decimal(&mut random));
        assert_eq!(Decimal::parse(&decimal.literal()).map(Scalar::Decimal), Some(decimal));
    }
    assert_eq!(Scalar::text("it's").literal(), "'it''s'");
    assert_eq!(Scalar::Null.literal(), "null");
    assert_eq!(Scalar::Boolean(false).literal(), "false");
    let day = parse("2025-03-31", Type::Date).unwrap();
    assert_eq!(day.literal(), "'2025-03-31'");
}
