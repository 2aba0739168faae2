//! Every operator and function over every type, judged by rules that are written here once more, from the reference manual's
//! page on types: which pairs are taken, and what type comes out.

use crate::common;
use common::Star;
use vembra_plan::{Period, Type};

/// A column of `sale` for each type, by its name.
const COLUMNS: [(&str, Type); 13] = [
    ("quantity", Type::Integer),
    ("price", Type::Decimal(2)),
    ("rate", Type::Decimal(4)),
    ("share_of", Type::Float),
    ("note", Type::Text),
    ("paid", Type::Boolean),
    ("day", Type::Date),
    ("clock", Type::Time),
    ("seen", Type::Moment),
    ("in_month", Type::Period(Period::Month)),
    ("in_year", Type::Period(Period::Year)),
    ("ordered.weekday", Type::Period(Period::Weekday)),
    ("nothing", Type::Null),
];

fn is_number(ty: Type) -> bool {
    matches!(ty, Type::Integer | Type::Decimal(_) | Type::Float)
}

/// Digits behind the point that a number needs; none for floats.
fn decimals(ty: Type) -> Option<u8> {
    match ty {
        Type::Integer => Some(0),
        Type::Decimal(scale) => Some(scale),
        _ => None,
    }
}

/// The type that holds both numbers: exact as long as both are.
fn wider(a: Type, b: Type) -> Type {
    match (decimals(a), decimals(b)) {
        (Some(0), Some(0)) => Type::Integer,
        (Some(x), Some(y)) => Type::Decimal(x.max(y)),
        _ => Type::Float,
    }
}

/// What an operator between two types gives, if it takes them.
fn expected(operator: &str, a: Type, b: Type) -> Option<Type> {
    use Type::{Boolean, Date, Decimal, Float, Integer, Moment, Null, Text, Time};
    let numbers = is_number(a) && is_number(b);
    match operator {
        "and" | "or" => [a, b].iter().all(|t| matches!(t, Boolean | Null)).then_some(Boolean),
        "||" => [a, b].iter().all(|t| matches!(t, Text | Null)).then_some(Text),
        "=" | "<>" | "<" | "<=" | ">" | ">=" => {
            let year = |x, y| matches!(x, Type::Period(Period::Year | Period::Weekday)) && y == Integer;
            let alike = a == b || numbers || a == Null || b == Null || year(a, b) || year(b, a);
            alike.then_some(Boolean)
        }
        "/" => {
            let lies = |t| matches!(t, Date | Time | Moment);
            match (a, b) {
                (Null, t) | (t, Null) if lies(t) => Some(Null),
                _ => [a, b].iter().all(|t| is_number(*t) || *t == Null).then_some(Float),
            }
        }
        _ => match (operator, a, b) {
            ("+" | "-", Date, Integer) | ("+", Integer, Date) => Some(Date),
            ("+", Date, Time) | ("+", Time, Date) => Some(Moment),
            ("-", Date, Date) => Some(Integer),
            (_, Null, Date | Time | Moment) | (_, Date | Time | Moment, Null) => Some(Null),
            (_, Null, Null) => Some(Null),
            (_, Null, other) | (_, other, Null) if is_number(other) => Some(other),
            ("*", Decimal(x), Decimal(y)) => Some(Decimal(x + y)),
            _ if numbers => Some(wider(a, b)),
            _ => None,
        },
    }
}

#[test]
fn operators_take_and_give_the_types_of_the_manual() {
    let star = Star::with("");
    let (mut taken, mut refused) = (0, 0);
    for operator in ["+", "-", "*", "/", "||", "and", "or", "=", "<>", "<", "<=", ">", ">="] {
        for (left, a) in COLUMNS {
            for (right, b) in COLUMNS {
                let text = format!("{left} {operator} {right}");
                let found = star.row(&text);
                match (expected(operator, a, b), found) {
                    (Some(want), Ok(bound)) => {
                        assert_eq!(bound.ty, want, "{text}");
                        taken += 1;
                    }
                    (None, Err(_)) => refused += 1,
                    (want, found) => panic!("{text}: wanted {want:?}, found {found:?}"),
                }
            }
        }
    }
    // Thirteen operators over all pairs of thirteen columns; neither side is a handful.
    assert_eq!(taken + refused, 13 * 13 * 13);
    assert!(taken > 400 && refused > 600, "{taken} taken, {refused} refused");
}

#[test]
fn an_operator_and_its_mirror_take_the_same_types() {
    let star = Star::with("");
    let ty = |text: String| star.row(&text).map(|b| b.ty).ok();
    for (left, _) in COLUMNS {
        for (right, _) in COLUMNS {
            for operator in ["+", "*", "=", "<>", "and", "or"] {
                let (one, other) =
                    (format!("{left} {operator} {right}"), format!("{right} {operator} {left}"));
                assert_eq!(ty(one.clone()), ty(other), "{one}");
            }
            for (operator, mirror) in [("<", ">"), ("<=", ">=")] {
                let one = format!("{left} {operator} {right}");
                assert_eq!(ty(one.clone()), ty(format!("{right} {mirror} {left}")), "{one}");
            }
            // Longer forms are short for comparisons, and take what these take.
            let equal = ty(format!("{left} = {right}"));
            assert_eq!(ty(format!("{left} in ({right})")), equal, "{left} in ({right})");
            assert_eq!(ty(format!("{left} not in ({right}, {right})")), equal, "{left} not in ({right})");
            let between = ty(format!("{left} between {right} and {right}"));
            assert_eq!(between, ty(format!("{left} >= {right}")), "{left} between {right}");
            assert_eq!(ty(format!("{left} between {right} and before {right}")), between, "{left} {right}");
        }
    }
}

/// A function of one value, and what it gives for a type if it takes it.
type OfOne = (&'static str, fn(Type) -> Option<Type>);

const OF_ONE: [OfOne; 20] = [
    ("-(X)", same_number),
    ("+(X)", |t| Some(t)),
    ("abs(X)", same_number),
    ("round(X)", same_number),
    ("round(X, 1)", same_number),
    ("floor(X)", whole),
    ("ceiling(X)", whole),
    ("sign(X)", |t| (is_number(t) || t == Type::Null).then_some(Type::Integer)),
    ("sqrt(X)", float),
    ("exp(X)", float),
    ("ln(X)", float),
    ("power(X, 2)", float),
    ("upper(X)", text),
    ("lower(X)", text),
    ("trim(X)", text),
    ("char_length(X)", |t| text(t).map(|_| Type::Integer)),
    ("not (X)", |t| matches!(t, Type::Boolean | Type::Null).then_some(Type::Boolean)),
    ("X is null", |_| Some(Type::Boolean)),
    ("X is not null", |_| Some(Type::Boolean)),
    ("X like 'a%'", |t| text(t).map(|_| Type::Boolean)),
];

fn same_number(ty: Type) -> Option<Type> {
    (is_number(ty) || ty == Type::Null).then_some(ty)
}

fn whole(ty: Type) -> Option<Type> {
    same_number(ty).map(|t| if t == Type::Float { Type::Float } else { Type::Integer })
}

fn float(ty: Type) -> Option<Type> {
    same_number(ty).map(|_| Type::Float)
}

fn text(ty: Type) -> Option<Type> {
    matches!(ty, Type::Text | Type::Null).then_some(Type::Text)
}

#[test]
fn functions_of_one_value_take_and_give_the_types_of_the_manual() {
    let star = Star::with("");
    for (form, want) in OF_ONE {
        for (column, ty) in COLUMNS {
            let written = form.replace('X', column);
            assert_eq!(star.row(&written).map(|b| b.ty).ok(), want(ty), "{written}");
        }
    }
}

#[test]
fn parts_of_dates_and_times_are_taken_from_what_has_them() {
    let star = Star::with("");
    for part in ["year", "quarter", "month", "day", "weekday", "day_of_year"] {
        for (column, ty) in COLUMNS {
            let has = matches!(ty, Type::Date | Type::Moment | Type::Null);
            let found = star.row(&format!("extract({part} from {column})")).map(|b| b.ty).ok();
            assert_eq!(found, has.then_some(Type::Integer), "{part} of {column}");
        }
    }
    for part in ["hour", "minute", "second"] {
        for (column, ty) in COLUMNS {
            let has = matches!(ty, Type::Time | Type::Moment | Type::Null);
            let found = star.row(&format!("extract({part} from {column})")).map(|b| b.ty).ok();
            assert_eq!(found, has.then_some(Type::Integer), "{part} of {column}");
        }
    }
    for unit in ["year", "quarter", "month", "week", "fiscal_year", "fiscal_quarter", "fiscal_month"] {
        for edge in ["start_of", "end_of"] {
            assert_eq!(star.row(&format!("{edge}({unit}, day)")).unwrap().ty, Type::Date, "{edge} {unit}");
        }
    }
    for unit in ["weekday", "day", "hour", "'year'", "2024"] {
        assert!(star.row(&format!("start_of({unit}, day)")).is_err(), "{unit}");
    }
}

/// Casts that can be right for some value.
fn castable(from: Type, to: Type) -> bool {
    use Type::{Boolean, Date, Integer, Moment, Null, Text, Time};
    let reads_as_number = |t| matches!(t, Type::Period(Period::Year | Period::Weekday));
    match (from, to) {
        _ if from == to => true,
        (Null | Text, _) | (_, Text) => true,
        _ if is_number(from) && is_number(to) => true,
        (Date, Moment | Type::Period(_)) | (Moment, Date | Time) => true,
        (Boolean | Type::Period(_), Integer) => true,
        (Integer, t) => reads_as_number(t),
        _ => false,
    }
}

#[test]
fn casts_are_taken_where_they_can_be_right_for_some_value() {
    let star = Star::with("");
    let targets = [
        ("integer", Type::Integer),
        ("decimal", Type::Decimal(2)),
        ("decimal(12, 4)", Type::Decimal(4)),
        ("float", Type::Float),
        ("text", Type::Text),
        ("boolean", Type::Boolean),
        ("date", Type::Date),
        ("time", Type::Time),
        ("moment", Type::Moment),
        ("month", Type::Period(Period::Month)),
        ("year", Type::Period(Period::Year)),
    ];
    for (column, from) in COLUMNS {
        for (name, to) in targets {
            let written = format!("cast({column} as {name})");
            let want = castable(from, to).then_some(to);
            assert_eq!(star.row(&written).map(|b| b.ty).ok(), want, "{written}");
        }
    }
    for wrong in ["money", "decimal(40, 2)", "decimal(4, 6)", "decimal(4)"] {
        assert!(star.row(&format!("cast(price as {wrong})")).is_err(), "{wrong}");
    }
}

#[test]
fn values_of_several_kinds_take_the_type_that_holds_all() {
    let star = Star::with("");
    for (left, a) in COLUMNS {
        for (right, b) in COLUMNS {
            let want = match (a, b) {
                _ if a == b => Some(a),
                (Type::Null, other) | (other, Type::Null) => Some(other),
                _ if is_number(a) && is_number(b) => Some(wider(a, b)),
                _ => None,
            };
            let forms = [
                format!("coalesce({left}, {right})"),
                format!("greatest({left}, {right})"),
                format!("least({left}, {right}, {left})"),
                format!("case when paid then {left} else {right} end"),
                format!("case when paid then {left} when not paid then {right} end"),
            ];
            for written in forms {
                assert_eq!(star.row(&written).map(|b| b.ty).ok(), want, "{written}");
            }
        }
    }
}

#[test]
fn texts_in_quotes_take_the_type_of_what_they_stand_beside() {
    let star = Star::with("");
    let taken = [
        "day = '2025-03-31'",
        "'2025-03-31' <= day",
        "day in ('2025-03-31', '2025-04-01')",
        "day between '2025-03-01' and before '2025-04-01'",
        "in_month = '2025-03'",
        "in_month between '2025-01' and '2025-03'",
        "in_year = '2025'",
        "in_year in (2024, 2025)",
        "clock < '09:30'",
        "clock >= '09:30:15.5'",
        "seen > '2025-03-31 10:00'",
        "seen > '2025-03-31T10:00:00'",
        "coalesce(day, '2025-03-31') = day",
        "nullif(day, '2025-03-31') is null",
        "ordered.weekday = 'Monday'",
        "ordered.quarter = '2025-Q1'",
        "ordered.week = '2025-W10'",
        "days_between(day, '2025-03-31') > 3",
        "case when day < '2025-01-01' then 1 else 0 end = 1",
        "note = '2025-03-31'",
    ];
    for written in taken {
        assert_eq!(star.row(written).map(|b| b.ty), Ok(Type::Boolean), "{written}");
    }
    let refused = [
        "day = '2025-02-30'",
        "day = '31.03.2025'",
        "day in ('2025-03-31', 'soon')",
        "in_month = '2025-13'",
        "in_month = '2025-03-31'",
        "in_month = 3",
        "clock < '25:00'",
        "seen > 'yesterday'",
        "ordered.weekday = 'Caturday'",
        "ordered.quarter = '2025-Q5'",
        "ordered.week = '2025-W54'",
        "quantity = '3'",
        "paid = 'true'",
        "price > '10'",
    ];
    for written in refused {
        assert!(star.row(written).is_err(), "{written}");
    }
}

#[test]
fn products_past_the_most_decimals_are_refused_before_any_row_is_read() {
    let star = Star::with("");
    // Four digits each: nine factors have 36, which is the most; ten have 40.
    let product = |n: usize| vec!["rate"; n].join(" * ");
    let most = (1..20).take_while(|n| star.row(&product(*n)).is_ok()).last().unwrap();
    assert_eq!(star.row(&product(most)).unwrap().ty, Type::Decimal(4 * most as u8));
    assert!(4 * (most + 1) > usize::from(vembra_plan::decimal::MAX_SCALE));
    assert!(star.row(&product(most + 1)).is_err());
    // The way out is taken.
    assert!(star.row(&format!("cast({} as float) * rate", product(most))).is_ok());
}

#[test]
fn aggregates_take_and_give_the_types_of_the_manual() {
    let star = Star::with("");
    let number = |t: Type| is_number(t) || t == Type::Null;
    for (column, ty) in COLUMNS {
        // The rows are those of sale, whatever the column.
        let found = |form: &str| {
            let written = form.replace('X', column).replacen(')', " from sale)", 1);
            star.figure(&written).map(|b| b.ty).ok()
        };
        assert_eq!(found("sum(X)"), number(ty).then_some(ty), "sum of {column}");
        for form in ["avg(X)", "median(X)", "percentile(X, 0.5)", "stddev(X)", "variance(X)"] {
            assert_eq!(found(form), number(ty).then_some(Type::Float), "{form} of {column}");
        }
        for form in
            ["min(X)", "max(X)", "first(X by day)", "last(X by day, quantity)", "last(X by day descending)"]
        {
            if form.contains(',') {
                assert_eq!(found(form), None, "{form} of {column}");
            } else {
                assert_eq!(found(form), Some(ty), "{form} of {column}");
            }
        }
        for form in ["count(X)", "count(distinct X)"] {
            assert_eq!(found(form), Some(Type::Integer), "{form} of {column}");
        }
        for form in ["any(X)", "every(X)"] {
            let takes = matches!(ty, Type::Boolean | Type::Null);
            assert_eq!(found(form), takes.then_some(Type::Boolean), "{form} of {column}");
        }
        for form in ["listagg(X)", "listagg(X, '; ')", "listagg(distinct X, '; ')"] {
            assert_eq!(found(form), text(ty), "{form} of {column}");
        }
    }
    assert_eq!(star.figure("count(rows of sale)").unwrap().ty, Type::Integer);
}
