//! Functions of values.

use crate::periods;
use crate::reading::{may_fail, read};
use crate::refused::Refused;
use crate::telling::told;
use crate::values::Value;
use crate::words::Words;
use vembra_plan::call::band_labels;
use vembra_plan::{Function, Scalar, Type, Unit};

/// The digits that a decimal has at most.
const MOST_DIGITS: u8 = 38;
/// Numbers are rounded to at most this many places, before or behind the point.
const MOST_PLACES: i128 = 30;

/// The value of a call whose type is `ty`.
pub(crate) fn call(
    words: &dyn Words,
    function: Function,
    args: &[Value],
    ty: Type,
) -> Result<String, Refused> {
    use Function as F;
    if let Some(own) = words.call(function, args) {
        return Ok(own);
    }
    let sql = |at: usize| args[at].sql.as_str();
    let a = || sql(0);
    let b = || sql(1);
    let all = || args.iter().map(|arg| arg.sql.as_str()).collect::<Vec<_>>();
    let whole = |sql: String| words.as_type(&sql, Type::Integer);
    let refused = |what: &str| Err(Refused::new(what));
    Ok(match function {
        F::And | F::Or if args.len() == 2 && may_fail(b()) => first_asked(words, function, a(), b()),
        F::And => format!("({})", all().join(" and ")),
        F::Or => format!("({})", all().join(" or ")),
        F::Not => format!("(not {})", a()),
        F::IsNull => format!("({} is null)", a()),
        F::Equal | F::NotEqual | F::Less | F::LessEqual | F::Greater | F::GreaterEqual => {
            let (left, right) = alike(words, &args[0], &args[1]);
            format!("({left} {} {right})", comparison(function))
        }
        F::In => {
            let equal = |arg: &Value| {
                let (left, right) = alike(words, &args[0], arg);
                format!("{left} = {right}")
            };
            format!("({})", args[1..].iter().map(equal).collect::<Vec<_>>().join(" or "))
        }
        F::Case => case(words, args, ty)?,
        F::Coalesce => format!("coalesce({})", converted(words, args, ty)?.join(", ")),
        F::NullIf => {
            let (left, right) = alike(words, &args[0], &args[1]);
            format!("(case when {left} = {right} then null else {} end)", a())
        }
        F::Cast => cast(words, &args[0], ty)?,
        F::Greatest | F::Least => {
            let name = if function == F::Greatest { "greatest" } else { "least" };
            let nulls: Vec<String> = all().iter().map(|arg| format!("{arg} is null")).collect();
            format!(
                "(case when {} then null else {name}({}) end)",
                nulls.join(" or "),
                converted(words, args, ty)?.join(", ")
            )
        }
        F::Add | F::Subtract | F::Multiply | F::Divide | F::Mod | F::Power => {
            arithmetic(words, function, args, ty)?
        }
        F::Negate if ty == Type::Integer => words.whole('-', "0", a()),
        F::Negate => format!("(- {})", a()),
        F::Abs => format!("abs({})", a()),
        F::Sign => whole(format!("sign({})", a())),
        F::Floor => words.floor("floor", &args[0]),
        F::Ceiling => words.floor("ceil", &args[0]),
        F::Round => round(words, args),
        F::Sqrt => format!("(case when {0} >= 0 then sqrt({0}) end)", words.float(&args[0])),
        F::Ln => format!("(case when {0} > 0 then ln({0}) end)", words.float(&args[0])),
        F::Exp => format!("exp({})", words.float(&args[0])),
        F::Concat => format!("({})", all().join(" || ")),
        F::Upper => format!("upper({})", a()),
        F::Lower => format!("lower({})", a()),
        F::Trim => format!("btrim({}, {})", a(), words.blanks()),
        F::Replace => format!("replace({}, {}, {})", a(), b(), sql(2)),
        F::CharLength => whole(format!("char_length({})", a())),
        F::Position => whole(format!("strpos({}, {})", b(), a())),
        F::Left => format!("left({}, {})", a(), count(words, b())),
        F::Right => format!("right({}, {})", a(), count(words, b())),
        F::PadLeft | F::PadRight => {
            let name = if function == F::PadLeft { "lpad" } else { "rpad" };
            let fill = args.get(2).map_or("' '", |arg| arg.sql.as_str());
            format!("{name}({}, {}, {fill})", a(), count(words, b()))
        }
        F::Substring => substring(words, args),
        F::Like => format!("({} like {})", a(), b()),
        F::Extract(unit) => extract(words, unit, &args[0]),
        F::StartOf(period, start) => {
            match periods::first_day(words, period, &day(words, &args[0]), (start, false)) {
                Some(first) => first,
                None => return refused("the first day of a period that comes again and again"),
            }
        }
        F::EndOf(period, start) => {
            match periods::first_day(words, period, &day(words, &args[0]), (start, true)) {
                Some(next) => words.days_after(&next, "-1"),
                None => return refused("the last day of a period that comes again and again"),
            }
        }
        F::Apart(None) => words.days_between(&day(words, &args[0]), &day(words, &args[1])),
        F::Apart(Some(period)) => {
            let of = |arg: &Value| periods::around(words, period, &day(words, arg), 1);
            format!("({} - {})", of(&args[1]), of(&args[0]))
        }
        F::Band => band(words, args)?,
        F::MakeDate => make_date(words, args),
        F::Within(digits) => within(words, digits, &args[0]),
        F::WorkingDays | F::WorkingDay => return refused(&name(function)),
    })
}

/// Two conditions, of which the second one is asked only where the first one leaves the matter open.
fn first_asked(words: &dyn Words, function: Function, first: &str, second: &str) -> String {
    let number = |word: &str| words.cast_to(&format!("({first} {word} {second})"), "integer");
    match function {
        Function::Or => format!("(case when {first} then 1 else {} end = 1)", number("or")),
        _ => format!("(case when not {first} then 0 else {} end = 1)", number("and")),
    }
}

fn name(function: Function) -> String {
    let named = Function::NAMED.iter().find(|(_, own)| *own == function);
    format!("a call of {}", named.map_or("a function", |(name, _)| name))
}

/// A date, where there is such a day; years that servers count otherwise are out of range.
fn make_date(words: &dyn Words, args: &[Value]) -> String {
    let [year, month, day] = [0, 1, 2].map(|at| args[at].sql.as_str());
    let leap = format!("{year} % 4 = 0 and ({year} % 100 <> 0 or {year} % 400 = 0)");
    let days = format!(
        "case when {month} in (4, 6, 9, 11) then 30 when {month} <> 2 then 31 when {leap} then 29 else 28 end"
    );
    let far = words.days_after(&words.date("2000", "1", "1"), &words.out_of_range(&format!("abs({year})")));
    let date = words.date(year, month, day);
    format!(
        "(case when not ({month} between 1 and 12 and {day} between 1 and {days}) then null when {year} between 1 and 9999 then {date} when {year} is not null then {far} end)"
    )
}

/// A decimal that has at most this many digits.
fn within(words: &dyn Words, digits: u8, value: &Value) -> String {
    let Type::Decimal(scale) = value.ty else { return value.sql.clone() };
    let sql = &value.sql;
    if digits.saturating_sub(scale) >= MOST_DIGITS {
        return sql.clone();
    }
    let bound = format!("1{}", "0".repeat(usize::from(digits.saturating_sub(scale))));
    let far =
        words.as_type(&words.out_of_range(&format!("(case when {sql} is null then 0 else 1 end)")), value.ty);
    format!("(case when {sql} is null then null when abs({sql}) < {bound} then {sql} else {far} end)")
}

pub(crate) fn comparison(function: Function) -> &'static str {
    match function {
        Function::Equal => "=",
        Function::NotEqual => "<>",
        Function::Less => "<",
        Function::LessEqual => "<=",
        Function::Greater => ">",
        _ => ">=",
    }
}

/// Two values in a type that both can be compared in.
fn alike(words: &dyn Words, left: &Value, right: &Value) -> (String, String) {
    let floats = left.ty == Type::Float || right.ty == Type::Float;
    if floats && left.ty != right.ty {
        (words.float(left), words.float(right))
    } else {
        (left.sql.clone(), right.sql.clone())
    }
}

/// The day of a date or moment.
fn day(words: &dyn Words, value: &Value) -> String {
    if matches!(value.ty, Type::Moment | Type::Null) {
        words.as_type(&value.sql, Type::Date)
    } else {
        value.sql.clone()
    }
}

/// How many characters: none less than none, and none where it is not known.
fn count(words: &dyn Words, sql: &str) -> String {
    bounded(words, sql, 0)
}

/// A number that fits the servers' smaller whole numbers; bounds themselves would take the place of a missing one.
fn bounded(words: &dyn Words, sql: &str, least: i32) -> String {
    let within = format!("greatest(least({sql}, 1000000000), {least})");
    words.cast_to(&format!("(case when {sql} is not null then {within} end)"), "integer")
}

fn converted(words: &dyn Words, args: &[Value], ty: Type) -> Result<Vec<String>, Refused> {
    args.iter().map(|arg| cast(words, arg, ty)).collect()
}

fn case(words: &dyn Words, args: &[Value], ty: Type) -> Result<String, Refused> {
    let mut sql = "(case".to_owned();
    for pair in args.chunks(2) {
        match pair {
            [condition, value] => {
                sql += &format!(" when {} then {}", condition.sql, cast(words, value, ty)?);
            }
            rest => sql += &format!(" else {}", cast(words, &rest[0], ty)?),
        }
    }
    Ok(sql + " end)")
}

fn arithmetic(words: &dyn Words, function: Function, args: &[Value], ty: Type) -> Result<String, Refused> {
    let (left, right) = (&args[0], &args[1]);
    let float = ty == Type::Float;
    let (a, b) =
        if float { (words.float(left), words.float(right)) } else { (left.sql.clone(), right.sql.clone()) };
    let operator = match function {
        Function::Add => '+',
        Function::Subtract => '-',
        _ => '*',
    };
    Ok(match function {
        Function::Add if ty == Type::Date => {
            let (day, days) = if left.ty == Type::Date { (&a, &b) } else { (&b, &a) };
            words.days_after(day, days)
        }
        Function::Subtract if ty == Type::Date => words.days_after(&a, &words.whole('-', "0", &b)),
        Function::Subtract if left.ty == Type::Date => words.days_between(&b, &a),
        Function::Add | Function::Subtract | Function::Multiply if ty == Type::Integer => {
            words.whole(operator, &a, &b)
        }
        Function::Add | Function::Subtract | Function::Multiply => format!("({a} {operator} {b})"),
        Function::Divide => format!("({a} / nullif({b}, 0))"),
        Function::Mod if float && !words.has_float_rests() => return Err(Refused::new("mod of floats")),
        Function::Mod => format!("({a} % nullif({b}, 0))"),
        _ => format!(
            "(case when {a} > 0 or {b} = floor({b}) and {a} < 0 or {a} = 0 and {b} >= 0 then power({a}, {b}) end)"
        ),
    })
}

fn round(words: &dyn Words, args: &[Value]) -> String {
    let Some(places) = args.get(1) else { return words.round(&args[0], 0) };
    if let Some(fixed) = &places.fixed {
        let places = fixed.physical().map(|places| places.clamp(-MOST_PLACES, MOST_PLACES));
        return places.map_or_else(|| words.null(args[0].ty), |places| words.round(&args[0], places));
    }
    // Servers round a whole column to the same places: one choice of these for each.
    let most = match args[0].ty {
        Type::Integer => 0,
        Type::Decimal(scale) => i128::from(scale).min(MOST_PLACES),
        _ => MOST_PLACES,
    };
    let mut sql = format!("(case when {} is null then null", places.sql);
    for known in (1 - MOST_PLACES..=most).rev() {
        sql += &format!(" when {} >= {known} then {}", places.sql, words.round(&args[0], known));
    }
    format!("{sql} else {} end)", words.round(&args[0], -MOST_PLACES))
}

/// A value as another type: as the language converts it.
pub(crate) fn cast(words: &dyn Words, value: &Value, ty: Type) -> Result<String, Refused> {
    let sql = &value.sql;
    let as_type = || words.as_type(sql, ty);
    if value.ty == ty {
        return Ok(sql.clone());
    }
    if let Some(own) = words.cast(value, ty) {
        return Ok(own);
    }
    Ok(match (value.ty, ty) {
        (Type::Null, _) => as_type(),
        (_, Type::Float) if value.ty.is_number() => as_type(),
        (Type::Integer | Type::Decimal(_), Type::Decimal(_)) => as_type(),
        (Type::Decimal(_), Type::Integer) => words.as_type(&format!("round({sql}, 0)"), ty),
        (Type::Period(_), Type::Integer) => sql.clone(),
        (Type::Boolean, Type::Integer) => as_type(),
        (Type::Integer, Type::Period(period)) if period.reads_as_integer() => sql.clone(),
        (Type::Date, Type::Period(period)) => periods::around(words, period, sql, 1),
        (Type::Moment, Type::Date | Type::Time) | (Type::Date, Type::Moment) => as_type(),
        (Type::Integer | Type::Boolean | Type::Decimal(_) | Type::Date, Type::Text) => words.text(&as_type()),
        (Type::Text, _) => match value
            .fixed
            .as_ref()
            .map(|text| vembra_plan::call::call(Function::Cast, std::slice::from_ref(text), ty))
        {
            Some(Ok(read)) => words.literal(&read, ty),
            _ => read(words, sql, ty),
        },
        (from, Type::Text) => told(words, sql, from)
            .ok_or_else(|| Refused::new(format!("a cast from {} to a text", from.with_article())))?,
        (from, to) => return Err(Refused::new(format!("a cast from {from} to {to}"))),
    })
}

fn substring(words: &dyn Words, args: &[Value]) -> String {
    let least = -1_000_000_000;
    let first = bounded(words, &args[1].sql, least);
    let from = format!("greatest({first}, 1)");
    let text = &args[0].sql;
    match args.get(2) {
        None => format!("(case when {first} is not null then substr({text}, {from}) end)"),
        Some(length) => {
            let length = count(words, &length.sql);
            let characters = format!("greatest({first} + {length} - {from}, 0)");
            format!(
                "(case when {first} + {length} is not null then substr({text}, {from}, {characters}) end)"
            )
        }
    }
}

fn extract(words: &dyn Words, unit: Unit, value: &Value) -> String {
    match unit {
        Unit::Period(period) => periods::around(words, period, &day(words, value), 1),
        Unit::Hour => words.part("hour", &value.sql),
        Unit::Minute => words.part("minute", &value.sql),
        Unit::Second => words.part("second", &value.sql),
    }
}

fn band(words: &dyn Words, args: &[Value]) -> Result<String, Refused> {
    let bounds: Option<Vec<Scalar>> = args[1..].iter().map(|arg| arg.fixed.clone()).collect();
    let Some(bounds) = bounds else { return Err(Refused::new("a band whose bounds differ from row to row")) };
    let labels: Vec<String> =
        band_labels(&bounds).iter().map(|l| words.literal(&Scalar::text(l.as_str()), Type::Text)).collect();
    let mut sql = format!("(case when {} is null then null", args[0].sql);
    for (bound, label) in args[1..].iter().zip(&labels) {
        let (value, bound) = alike(words, &args[0], bound);
        sql += &format!(" when {value} < {bound} then {label}");
    }
    Ok(format!("{sql} else {} end)", labels.last().map_or("null", String::as_str)))
}
