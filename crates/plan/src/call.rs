//! What each scalar function gives for given values: the one definition that engine and reference share.

use crate::civil::{self, MICROS_PER_DAY};
use crate::decimal::{Decimal, power_of_ten, round_div};
use crate::function::{Function, Unit};
use crate::scalar::Scalar;
use crate::types::{Period, Type};
use std::cmp::Ordering;

/// A value that cannot be worked out. The caller adds the place.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EvalError {
    /// A number left the range of its type.
    #[error("a number of type {0} grew past its range")]
    Overflow(Type),
    /// A text could not be read as the type of a cast.
    #[error("'{value}' cannot be read as {ty}")]
    Cast {
        /// The value.
        value: String,
        /// The type asked for.
        ty: Type,
    },
    /// A decimal has more digits than it was given.
    #[error("{value} has more than {digits} digits")]
    Digits {
        /// The value.
        value: String,
        /// How many it may have.
        digits: u8,
    },
    /// A text grew longer than texts may be.
    #[error("a text grew past {LONGEST_TEXT} bytes")]
    TextTooLong,
    /// The plan breaks an invariant: a fault of the program.
    #[error("internal fault: {0}")]
    Internal(String),
}

/// The most bytes of a text that is concatenated or padded.
const LONGEST_TEXT: usize = 1 << 20;

/// The value of `function` for `args`, as type `ty` (which [`Function::result`] gave).
///
/// Null follows SQL: unknown in conditions, and null for any other function that meets it, but `coalesce`,
/// `case` and `is null`. Dividing by zero, and roots and logarithms outside their range, give null.
///
/// # Errors
/// Overflow, and casts of texts that cannot be read.
///
/// # Examples
/// ```
/// use vembra_plan::{call::call, Function, Scalar, Type};
/// let three = call(Function::Add, &[Scalar::Integer(1), Scalar::Integer(2)], Type::Integer)?;
/// assert_eq!(three, Scalar::Integer(3));
/// # Ok::<(), vembra_plan::EvalError>(())
/// ```
pub fn call(function: Function, args: &[Scalar], ty: Type) -> Result<Scalar, EvalError> {
    match function {
        Function::And => return Ok(and(args)),
        Function::Or => return Ok(or(args)),
        Function::IsNull => return Ok(Scalar::Boolean(args[0].is_null())),
        Function::In => return Ok(is_in(args)),
        Function::Case => return case(args, ty),
        Function::Coalesce => {
            let first = args.iter().find(|a| !a.is_null()).cloned().unwrap_or(Scalar::Null);
            return convert(first, ty);
        }
        Function::NullIf => {
            let equal = !args[1].is_null() && args[0].compare(&args[1]) == Ordering::Equal;
            return Ok(if equal { Scalar::Null } else { args[0].clone() });
        }
        _ => {}
    }
    if args.iter().any(Scalar::is_null) {
        return Ok(Scalar::Null);
    }
    match function {
        Function::Equal
        | Function::NotEqual
        | Function::Less
        | Function::LessEqual
        | Function::Greater
        | Function::GreaterEqual => Ok(Scalar::Boolean(holds(function, args[0].compare(&args[1])))),
        Function::Not => Ok(args[0].physical().map_or(Scalar::Null, |b| Scalar::Boolean(b == 0))),
        Function::Add
        | Function::Subtract
        | Function::Multiply
        | Function::Divide
        | Function::Mod
        | Function::Power => arithmetic(function, &args[0], &args[1], ty),
        Function::Cast => convert(args[0].clone(), ty),
        Function::Greatest => extreme(args, Ordering::Greater, ty),
        Function::Least => extreme(args, Ordering::Less, ty),
        Function::Extract(unit) => Ok(extract(unit, &args[0])),
        Function::StartOf(p, start) => Ok(edge(p, start, &args[0], civil::first_day)),
        Function::EndOf(p, start) => Ok(edge(p, start, &args[0], civil::last_day)),
        Function::Band => Ok(Scalar::text(band_label(args))),
        Function::Apart(period) => Ok(apart(period, args)),
        Function::WorkingDays | Function::WorkingDay => {
            Err(EvalError::Internal("working days without a calendar".to_owned()))
        }
        Function::MakeDate => Ok(make_date(args)),
        Function::Within(digits) => within(digits, &args[0]),
        Function::Negate
        | Function::Abs
        | Function::Round
        | Function::Floor
        | Function::Ceiling
        | Function::Sqrt
        | Function::Exp
        | Function::Ln
        | Function::Sign => number(function, args, ty),
        _ => text(function, args),
    }
}

/// Whether a comparison holds for an order of its sides.
pub fn holds(function: Function, order: Ordering) -> bool {
    match function {
        Function::Equal => order == Ordering::Equal,
        Function::NotEqual => order != Ordering::Equal,
        Function::Less => order == Ordering::Less,
        Function::LessEqual => order != Ordering::Greater,
        Function::Greater => order == Ordering::Greater,
        _ => order != Ordering::Less,
    }
}

fn and(args: &[Scalar]) -> Scalar {
    if args.iter().any(|a| a.physical() == Some(0)) {
        Scalar::Boolean(false)
    } else if args.iter().any(Scalar::is_null) {
        Scalar::Null
    } else {
        Scalar::Boolean(true)
    }
}

fn or(args: &[Scalar]) -> Scalar {
    if args.iter().any(|a| a.physical() == Some(1)) {
        Scalar::Boolean(true)
    } else if args.iter().any(Scalar::is_null) {
        Scalar::Null
    } else {
        Scalar::Boolean(false)
    }
}

fn is_in(args: &[Scalar]) -> Scalar {
    if args[0].is_null() {
        return Scalar::Null;
    }
    let found = args[1..].iter().any(|a| !a.is_null() && args[0].compare(a) == Ordering::Equal);
    if !found && args[1..].iter().any(Scalar::is_null) { Scalar::Null } else { Scalar::Boolean(found) }
}

fn case(args: &[Scalar], ty: Type) -> Result<Scalar, EvalError> {
    for pair in args.chunks(2) {
        match pair {
            [condition, value] if condition.physical() == Some(1) => return convert(value.clone(), ty),
            [_, _] => {}
            rest => return convert(rest[0].clone(), ty),
        }
    }
    Ok(Scalar::Null)
}

fn extreme(args: &[Scalar], wanted: Ordering, ty: Type) -> Result<Scalar, EvalError> {
    let mut best = &args[0];
    for arg in &args[1..] {
        if arg.compare(best) == wanted {
            best = arg;
        }
    }
    convert(best.clone(), ty)
}

fn arithmetic(function: Function, a: &Scalar, b: &Scalar, ty: Type) -> Result<Scalar, EvalError> {
    let overflow = || EvalError::Overflow(ty);
    match ty {
        Type::Float => {
            let (x, y) = (a.to_f64().unwrap_or(0.0), b.to_f64().unwrap_or(0.0));
            float_arithmetic(function, x, y)
        }
        Type::Decimal(scale) => {
            let (x, y) = (a.to_decimal().ok_or_else(overflow)?, b.to_decimal().ok_or_else(overflow)?);
            let (x, y) = if function == Function::Multiply {
                (x, y)
            } else {
                (x.rescale(scale).ok_or_else(overflow)?, y.rescale(scale).ok_or_else(overflow)?)
            };
            physical_arithmetic(function, x.units, y.units).map_or_else(
                |()| Err(overflow()),
                |units| Ok(units.map_or(Scalar::Null, |units| Scalar::Decimal(Decimal { units, scale }))),
            )
        }
        Type::Moment => {
            let (day, time) = if matches!(a, Scalar::Date(_)) { (a, b) } else { (b, a) };
            let micros =
                day.physical().unwrap_or(0) * i128::from(MICROS_PER_DAY) + time.physical().unwrap_or(0);
            Ok(Scalar::from_physical(Type::Moment, micros))
        }
        _ => {
            let (x, y) = (a.physical().unwrap_or(0), b.physical().unwrap_or(0));
            let Some(physical) = physical_arithmetic(function, x, y).map_err(|()| overflow())? else {
                return Ok(Scalar::Null);
            };
            match Scalar::from_physical(ty, physical) {
                Scalar::Null => Err(overflow()),
                value => Ok(value),
            }
        }
    }
}

/// `Ok(None)` is the null of a division by zero, `Err` an overflow.
fn physical_arithmetic(function: Function, x: i128, y: i128) -> Result<Option<i128>, ()> {
    match function {
        Function::Add => x.checked_add(y).map(Some),
        Function::Subtract => x.checked_sub(y).map(Some),
        Function::Multiply => x.checked_mul(y).map(Some),
        _ if y == 0 => Some(None),
        _ => x.checked_rem(y).map(Some),
    }
    .ok_or(())
}

/// Arithmetic on floats; dividing by zero gives null.
///
/// # Errors
/// Overflow when the result is not finite.
pub fn float_arithmetic(function: Function, x: f64, y: f64) -> Result<Scalar, EvalError> {
    let result = match function {
        Function::Add => x + y,
        Function::Subtract => x - y,
        Function::Multiply => x * y,
        Function::Power => x.powf(y),
        _ if y == 0.0 => return Ok(Scalar::Null),
        Function::Divide => x / y,
        _ => x % y,
    };
    finite(result)
}

fn finite(x: f64) -> Result<Scalar, EvalError> {
    if x.is_finite() {
        Ok(Scalar::Float(x))
    } else if x.is_nan() {
        Ok(Scalar::Null)
    } else {
        Err(EvalError::Overflow(Type::Float))
    }
}

fn number(function: Function, args: &[Scalar], ty: Type) -> Result<Scalar, EvalError> {
    let overflow = || EvalError::Overflow(ty);
    match (function, &args[0]) {
        (Function::Sqrt | Function::Exp | Function::Ln, value) => {
            let x = value.to_f64().unwrap_or(0.0);
            match function {
                Function::Sqrt => finite(x.sqrt()),
                Function::Exp => finite(x.exp()),
                _ if x <= 0.0 => Ok(Scalar::Null),
                _ => finite(x.ln()),
            }
        }
        (Function::Sign, value) => {
            let order = value.compare(&Scalar::Integer(0));
            Ok(Scalar::Integer(order as i64))
        }
        (_, Scalar::Float(x)) => finite(match function {
            Function::Negate => -x,
            Function::Abs => x.abs(),
            Function::Floor => x.floor(),
            Function::Ceiling => x.ceil(),
            _ => {
                let factor = 10_f64.powi(places(args) as i32);
                (x * factor).round() / factor
            }
        }),
        (_, value) => {
            let exact = value.to_decimal().ok_or_else(overflow)?;
            let units = exact_number(function, exact, args).ok_or_else(overflow)?;
            let scale = if matches!(function, Function::Floor | Function::Ceiling) { 0 } else { exact.scale };
            convert(Scalar::Decimal(Decimal { units, scale }), ty)
        }
    }
}

fn places(args: &[Scalar]) -> i64 {
    args.get(1).and_then(Scalar::physical).map_or(0, |p| p.clamp(-30, 30) as i64)
}

fn exact_number(function: Function, x: Decimal, args: &[Scalar]) -> Option<i128> {
    match function {
        Function::Negate => x.units.checked_neg(),
        Function::Abs => x.units.checked_abs(),
        Function::Floor => Some(x.units.div_euclid(power_of_ten(x.scale)?)),
        Function::Ceiling => {
            let unit = power_of_ten(x.scale)?;
            Some(x.units.div_euclid(unit) + i128::from(x.units.rem_euclid(unit) != 0))
        }
        _ => {
            let drop = i64::from(x.scale) - places(args);
            let Some(unit) = u8::try_from(drop).ok().filter(|d| *d > 0) else { return Some(x.units) };
            let Some(unit) = power_of_ten(unit) else { return Some(0) };
            round_div(x.units, unit)?.checked_mul(unit)
        }
    }
}

fn extract(unit: Unit, value: &Scalar) -> Scalar {
    let (day, micros) = match value {
        Scalar::Date(d) => (*d, 0),
        Scalar::Time(t) => (0, *t),
        Scalar::Moment(m) => (m.div_euclid(MICROS_PER_DAY) as i32, m.rem_euclid(MICROS_PER_DAY)),
        _ => return Scalar::Null,
    };
    let second = micros / 1_000_000;
    match unit {
        Unit::Period(p) => {
            civil::period_of(p, day, 1).map_or(Scalar::Null, |i| Scalar::Integer(i64::from(i)))
        }
        Unit::Hour => Scalar::Integer(second / 3600),
        Unit::Minute => Scalar::Integer(second / 60 % 60),
        Unit::Second => Scalar::Integer(second % 60),
    }
}

fn edge(period: Period, start: u8, value: &Scalar, edge: fn(Period, i32, i32) -> Option<i32>) -> Scalar {
    let day = match value {
        Scalar::Date(d) => *d,
        Scalar::Moment(m) => m.div_euclid(MICROS_PER_DAY) as i32,
        _ => return Scalar::Null,
    };
    let start = i32::from(start);
    civil::period_of(period, day, start)
        .and_then(|index| edge(period, index, start))
        .map_or(Scalar::Null, Scalar::Date)
}

/// The day of a date or moment.
fn day(value: &Scalar) -> Option<i32> {
    match value {
        Scalar::Date(day) => Some(*day),
        Scalar::Moment(micros) => i32::try_from(micros.div_euclid(MICROS_PER_DAY)).ok(),
        _ => None,
    }
}

/// How many boundaries lie between two dates: those of a period, or of days.
fn apart(period: Option<Period>, args: &[Scalar]) -> Scalar {
    let place = |value| match period {
        None => day(value),
        Some(period) => civil::period_of(period, day(value)?, 1),
    };
    match (place(&args[0]), place(&args[1])) {
        (Some(a), Some(b)) => Scalar::Integer(i64::from(b) - i64::from(a)),
        _ => Scalar::Null,
    }
}

fn make_date(args: &[Scalar]) -> Scalar {
    let part = |at: usize| args[at].physical().and_then(|physical| i32::try_from(physical).ok());
    let (Some(year), Some(month), Some(day)) = (part(0), part(1), part(2)) else { return Scalar::Null };
    civil::day_of(year, month, day).map_or(Scalar::Null, Scalar::Date)
}

fn within(digits: u8, value: &Scalar) -> Result<Scalar, EvalError> {
    let most = 10_u128.checked_pow(digits.into()).unwrap_or(u128::MAX);
    match value {
        Scalar::Decimal(decimal) if decimal.units.unsigned_abs() >= most => {
            Err(EvalError::Digits { value: value.to_string(), digits })
        }
        _ => Ok(value.clone()),
    }
}

/// The labels of the ranges between `bounds`, in order, the one below the first bound first.
pub fn band_labels(bounds: &[Scalar]) -> Vec<String> {
    let mut labels = vec![format!("below {}", bounds[0])];
    labels.extend(bounds.windows(2).map(|b| format!("{} to below {}", b[0], b[1])));
    labels.push(format!("{} and up", bounds[bounds.len() - 1]));
    labels
}

fn band_label(args: &[Scalar]) -> String {
    let at = args[1..].iter().take_while(|bound| args[0].compare(bound) != Ordering::Less).count();
    band_labels(&args[1..]).swap_remove(at)
}

fn text(function: Function, args: &[Scalar]) -> Result<Scalar, EvalError> {
    let texts: Vec<&str> =
        args.iter().map(|a| if let Scalar::Text(t) = a { t.as_ref() } else { "" }).collect();
    let count =
        |at: usize| args.get(at).and_then(Scalar::physical).map_or(0, |n| n.clamp(0, 1 << 40) as usize);
    let taken =
        |skip: usize, take: usize| Scalar::text(texts[0].chars().skip(skip).take(take).collect::<String>());
    Ok(match function {
        Function::Concat if texts.iter().map(|t| t.len()).sum::<usize>() > LONGEST_TEXT => {
            return Err(EvalError::TextTooLong);
        }
        Function::Concat => Scalar::text(texts.concat()),
        Function::Upper => Scalar::text(texts[0].to_uppercase()),
        Function::Lower => Scalar::text(texts[0].to_lowercase()),
        Function::Trim => Scalar::text(texts[0].trim()),
        Function::Replace if texts[1].is_empty() => args[0].clone(),
        Function::Replace => {
            let found = texts[0].matches(texts[1]).count();
            let more = found.saturating_mul(texts[2].len().saturating_sub(texts[1].len()));
            if texts[0].len().saturating_add(more) > LONGEST_TEXT.max(texts[0].len()) {
                return Err(EvalError::TextTooLong);
            }
            Scalar::text(texts[0].replace(texts[1], texts[2]))
        }
        Function::PadLeft | Function::PadRight => padded(function == Function::PadLeft, &texts, count(1))?,
        Function::CharLength => Scalar::Integer(texts[0].chars().count() as i64),
        Function::Position => {
            Scalar::Integer(texts[1].find(texts[0]).map_or(0, |at| texts[1][..at].chars().count() as i64 + 1))
        }
        Function::Left => taken(0, count(1)),
        Function::Right => taken(texts[0].chars().count().saturating_sub(count(1)), usize::MAX),
        Function::Substring => substring(texts[0], args),
        Function::Like => Scalar::Boolean(like(texts[0], texts[1])),
        _ => return Err(EvalError::Internal(format!("{function:?} is no text function"))),
    })
}

/// SQL's `lpad` and `rpad`: blanks or the given text fill up what is shorter; what is longer loses its end.
fn padded(left: bool, texts: &[&str], length: usize) -> Result<Scalar, EvalError> {
    let fill = texts.get(2).copied().unwrap_or(" ");
    let own: String = texts[0].chars().take(length).collect();
    let lacking = length - own.chars().count();
    if lacking.saturating_mul(fill.chars().map(char::len_utf8).max().unwrap_or(0)) > LONGEST_TEXT {
        return Err(EvalError::TextTooLong);
    }
    let filled: String = fill.chars().cycle().take(lacking).collect();
    Ok(Scalar::text(if left { filled + &own } else { own + &filled }))
}

/// SQL's substring: positions from 1; what lies before the first is cut off the length.
fn substring(text: &str, args: &[Scalar]) -> Scalar {
    let bounded = |at: usize| args.get(at).and_then(Scalar::physical).map(|n| n.clamp(-(1 << 40), 1 << 40));
    let start = bounded(1).unwrap_or(1);
    let end = bounded(2).map_or(1 << 41, |length| start + length.max(0));
    let (from, to) = ((start - 1).max(0) as usize, (end - 1).max(0) as usize);
    Scalar::text(text.chars().skip(from).take(to.saturating_sub(from)).collect::<String>())
}

/// SQL's `like`: `%` stands for any text, `_` for one character.
pub fn like(text: &str, pattern: &str) -> bool {
    let (text, pattern): (Vec<char>, Vec<char>) = (text.chars().collect(), pattern.chars().collect());
    let (mut t, mut p) = (0, 0);
    let mut back: Option<(usize, usize)> = None;
    while t < text.len() {
        if pattern.get(p) == Some(&'%') {
            back = Some((p + 1, t));
            p += 1;
        } else if pattern.get(p).is_some_and(|c| *c == '_' || *c == text[t]) {
            p += 1;
            t += 1;
        } else if let Some((after, from)) = back {
            back = Some((after, from + 1));
            p = after;
            t = from + 1;
        } else {
            return false;
        }
    }
    pattern[p..].iter().all(|c| *c == '%')
}

/// The value as another type: what `cast` does, and what joins of number types need.
///
/// # Errors
/// Overflow, and texts that cannot be read as the type.
pub fn convert(value: Scalar, ty: Type) -> Result<Scalar, EvalError> {
    if value.is_null() || value.ty() == ty {
        return Ok(value);
    }
    let unreadable = || EvalError::Cast { value: value.to_string(), ty };
    let overflow = || EvalError::Overflow(ty);
    if let Scalar::Text(text) = &value {
        return parse(text.trim(), ty).ok_or_else(unreadable);
    }
    match ty {
        Type::Null => Ok(value),
        Type::Text => Ok(Scalar::text(value.to_string())),
        Type::Float => value.to_f64().map(Scalar::Float).ok_or_else(unreadable),
        Type::Decimal(scale) => {
            if let Scalar::Float(x) = &value {
                let units = (x * 10_f64.powi(i32::from(scale))).round();
                if units.abs() > 1e38 {
                    return Err(overflow());
                }
                return Ok(Scalar::Decimal(Decimal { units: units as i128, scale }));
            }
            let exact = value.to_decimal().ok_or_else(unreadable)?;
            exact.rescale(scale).map(Scalar::Decimal).ok_or_else(overflow)
        }
        Type::Integer => {
            let whole = match &value {
                Scalar::Float(x) if x.abs() < 9.2e18 => Some(x.round() as i128),
                Scalar::Float(_) => None,
                Scalar::Decimal(d) => d.rescale(0).map(|d| d.units),
                Scalar::Period(..) | Scalar::Boolean(_) => value.physical(),
                _ => return Err(unreadable()),
            };
            whole.and_then(|w| i64::try_from(w).ok()).map(Scalar::Integer).ok_or_else(overflow)
        }
        Type::Date => match &value {
            Scalar::Moment(m) => Ok(Scalar::Date(m.div_euclid(MICROS_PER_DAY) as i32)),
            _ => Err(unreadable()),
        },
        Type::Time => match &value {
            Scalar::Moment(m) => Ok(Scalar::Time(m.rem_euclid(MICROS_PER_DAY))),
            _ => Err(unreadable()),
        },
        Type::Moment => match &value {
            Scalar::Date(d) => Ok(Scalar::Moment(i64::from(*d) * MICROS_PER_DAY)),
            _ => Err(unreadable()),
        },
        Type::Period(p) => match &value {
            Scalar::Date(d) => {
                civil::period_of(p, *d, 1).map(|i| Scalar::Period(p, i)).ok_or_else(unreadable)
            }
            Scalar::Integer(i) if p.reads_as_integer() => {
                i32::try_from(*i).map(|i| Scalar::Period(p, i)).map_err(|_| overflow())
            }
            _ => Err(unreadable()),
        },
        Type::Boolean => Err(unreadable()),
    }
}

/// Reads a text as a value of a type, exactly as files and literals write it.
pub fn parse(text: &str, ty: Type) -> Option<Scalar> {
    match ty {
        Type::Null => None,
        Type::Text => Some(Scalar::text(text)),
        Type::Integer => text.parse().ok().map(Scalar::Integer),
        Type::Decimal(scale) => {
            let exact = Decimal::parse(text)?;
            (exact.scale <= scale).then(|| exact.rescale(scale))?.map(Scalar::Decimal)
        }
        Type::Float => text.parse().ok().filter(|x: &f64| x.is_finite()).map(Scalar::Float),
        Type::Boolean => match text.to_ascii_lowercase().as_str() {
            "true" => Some(Scalar::Boolean(true)),
            "false" => Some(Scalar::Boolean(false)),
            _ => None,
        },
        Type::Date => civil::parse_date(text).map(Scalar::Date),
        Type::Time => civil::parse_time(text).map(Scalar::Time),
        Type::Moment => civil::parse_moment(text).map(Scalar::Moment),
        Type::Period(p) => civil::parse_period(p, text).map(|i| Scalar::Period(p, i)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn money(text: &str) -> Scalar {
        Scalar::Decimal(Decimal::parse(text).unwrap())
    }

    #[test]
    fn null_follows_sql() {
        let (yes, no, null) = (Scalar::Boolean(true), Scalar::Boolean(false), Scalar::Null);
        assert_eq!(and(&[no.clone(), null.clone()]), no);
        assert_eq!(and(&[yes.clone(), null.clone()]), null);
        assert_eq!(or(&[yes.clone(), null.clone()]), yes);
        assert_eq!(or(&[no.clone(), null.clone()]), null);
        assert_eq!(is_in(&[Scalar::Integer(1), null.clone(), Scalar::Integer(2)]), null);
        assert_eq!(call(Function::Add, &[null.clone(), Scalar::Integer(1)], Type::Integer), Ok(null));
    }

    #[test]
    fn overflow_is_an_error_and_division_by_zero_is_null() {
        let max = Scalar::Integer(i64::MAX);
        let sum = call(Function::Add, &[max, Scalar::Integer(1)], Type::Integer);
        assert_eq!(sum, Err(EvalError::Overflow(Type::Integer)));
        let none = call(Function::Divide, &[Scalar::Integer(1), Scalar::Integer(0)], Type::Float);
        assert_eq!(none, Ok(Scalar::Null));
    }

    #[test]
    fn money_is_exact() {
        let product = call(Function::Multiply, &[money("19.99"), money("0.95")], Type::Decimal(4));
        assert_eq!(product.unwrap().to_string(), "18.9905");
        let rounded = call(Function::Round, &[money("2.345"), Scalar::Integer(2)], Type::Decimal(3));
        assert_eq!(rounded.unwrap().to_string(), "2.350");
    }

    #[test]
    fn bands_include_their_lower_bound() {
        let label = |x: i64| band_label(&[x, 0, 500, 1000].map(Scalar::Integer));
        let got = [-1, 0, 499, 500, 1000].map(label).join(", ");
        assert_eq!(got, "below 0, 0 to below 500, 0 to below 500, 500 to below 1000, 1000 and up");
    }

    #[test]
    fn texts_do_not_grow_without_end() {
        let long = Scalar::text("a".repeat(LONGEST_TEXT));
        let replaced = |by: &str| {
            call(Function::Replace, &[long.clone(), Scalar::text("a"), Scalar::text(by)], Type::Text)
        };
        assert_eq!(replaced("b").map(|t| t.to_string().len()), Ok(LONGEST_TEXT));
        assert_eq!(replaced("bb"), Err(EvalError::TextTooLong));
        assert_eq!(call(Function::Concat, &[long.clone(), long], Type::Text), Err(EvalError::TextTooLong));
    }

    #[test]
    fn text_functions_count_characters() {
        assert!(like("Käse 100%", "K_se%"));
        assert!(!like("Käse", "k%"));
        assert!(like("aab", "%ab"));
        let part = substring("Bienenwachs", &[Scalar::Null, Scalar::Integer(0), Scalar::Integer(4)]);
        assert_eq!(part, Scalar::text("Bie"));
    }
}
