//! The scalar functions and the aggregates: names and the types they take and give.

use crate::decimal::MAX_SCALE;
use crate::types::{Period, Type};
use serde::{Deserialize, Serialize};

/// A part of a date, time or moment that `extract` takes out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Unit {
    /// A part of the date.
    Period(Period),
    /// 0 to 23.
    Hour,
    /// 0 to 59.
    Minute,
    /// 0 to 59.
    Second,
}

impl Unit {
    /// The names that `extract(NAME from …)` takes.
    pub const NAMES: [&str; 9] =
        ["year", "quarter", "month", "day", "weekday", "day_of_year", "hour", "minute", "second"];

    /// The unit that `extract(NAME from …)` names.
    pub fn from_name(name: &str) -> Option<Self> {
        Some(match name {
            "year" => Self::Period(Period::Year),
            "quarter" => Self::Period(Period::QuarterOfYear),
            "month" => Self::Period(Period::MonthOfYear),
            "day" => Self::Period(Period::DayOfMonth),
            "weekday" => Self::Period(Period::Weekday),
            "day_of_year" => Self::Period(Period::DayOfYear),
            "hour" => Self::Hour,
            "minute" => Self::Minute,
            "second" => Self::Second,
            _ => return None,
        })
    }
}

/// A function from values to a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[allow(missing_docs)] // Each is the SQL function or operator of its name.
pub enum Function {
    Add,
    Subtract,
    Multiply,
    Divide,
    Negate,
    Concat,
    Equal,
    NotEqual,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
    And,
    Or,
    Not,
    /// The first argument is one of the others.
    In,
    Like,
    IsNull,
    /// Condition, value, condition, value, …, and the value otherwise.
    Case,
    Coalesce,
    NullIf,
    /// To the type of the call.
    Cast,
    Extract(Unit),
    /// The first day of the period around a date; the number is the fiscal year's first month.
    StartOf(Period, u8),
    /// The last day of the period around a date; the number is the fiscal year's first month.
    EndOf(Period, u8),
    Upper,
    Lower,
    Trim,
    Substring,
    CharLength,
    Replace,
    /// Filled up on its left to this many characters.
    PadLeft,
    /// Filled up on its right to this many characters.
    PadRight,
    Position,
    Left,
    Right,
    Abs,
    Round,
    Floor,
    Ceiling,
    Mod,
    Power,
    Sqrt,
    Exp,
    Ln,
    Sign,
    Greatest,
    Least,
    /// The labelled range in which the first argument falls; the others are the lower bounds.
    Band,
    /// How many boundaries of a period, or of days, lie between two dates; positive if the second is later.
    Apart(Option<Period>),
    /// How many working days lie behind one date up to another; only where rows and cells are worked out, since it needs the calendar.
    WorkingDays,
    /// The so-manieth working day behind a date, or before it.
    WorkingDay,
    /// A date of a year, a month and a day; null where there is no such day.
    MakeDate,
    /// A decimal that has at most this many digits.
    Within(u8),
}

/// Why arguments do not suit a function. The caller adds the place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TypeError {
    /// The function takes between this many arguments.
    Count {
        /// At least.
        least: usize,
        /// At most.
        most: usize,
    },
    /// The argument at this position has a type that does not suit; says what would.
    Argument {
        /// Position, from 0.
        at: usize,
        /// What the function takes, such as `a number`.
        wanted: &'static str,
    },
    /// Two arguments that must be alike are not.
    Unlike(Type, Type),
    /// A product or cast would need more decimals than there are.
    TooManyDecimals,
}

impl Function {
    /// Functions that are called by name in the language, with their names.
    pub const NAMED: [(&'static str, Self); 34] = [
        ("abs", Self::Abs),
        ("band", Self::Band),
        ("ceiling", Self::Ceiling),
        ("char_length", Self::CharLength),
        ("coalesce", Self::Coalesce),
        ("concat", Self::Concat),
        ("days_between", Self::Apart(None)),
        ("exp", Self::Exp),
        ("floor", Self::Floor),
        ("greatest", Self::Greatest),
        ("least", Self::Least),
        ("left", Self::Left),
        ("ln", Self::Ln),
        ("lower", Self::Lower),
        ("lpad", Self::PadLeft),
        ("make_date", Self::MakeDate),
        ("mod", Self::Mod),
        ("months_between", Self::Apart(Some(Period::Month))),
        ("nullif", Self::NullIf),
        ("position", Self::Position),
        ("power", Self::Power),
        ("quarters_between", Self::Apart(Some(Period::Quarter))),
        ("replace", Self::Replace),
        ("right", Self::Right),
        ("round", Self::Round),
        ("rpad", Self::PadRight),
        ("sign", Self::Sign),
        ("sqrt", Self::Sqrt),
        ("substring", Self::Substring),
        ("trim", Self::Trim),
        ("weeks_between", Self::Apart(Some(Period::Week))),
        ("working_day", Self::WorkingDay),
        ("working_days", Self::WorkingDays),
        ("years_between", Self::Apart(Some(Period::Year))),
    ];

    /// The function of this name, in lower case.
    pub fn from_name(name: &str) -> Option<Self> {
        match name {
            "upper" => Some(Self::Upper),
            _ => Self::NAMED.iter().find(|(n, _)| *n == name).map(|(_, f)| *f),
        }
    }

    fn arity(self) -> (usize, usize) {
        match self {
            Self::Negate
            | Self::Not
            | Self::IsNull
            | Self::Cast
            | Self::Extract(_)
            | Self::StartOf(..)
            | Self::EndOf(..)
            | Self::Upper
            | Self::Lower
            | Self::Trim
            | Self::CharLength
            | Self::Abs
            | Self::Floor
            | Self::Ceiling
            | Self::Sqrt
            | Self::Exp
            | Self::Ln
            | Self::Within(_)
            | Self::Sign => (1, 1),
            Self::Round => (1, 2),
            Self::Substring | Self::PadLeft | Self::PadRight => (2, 3),
            Self::Replace | Self::MakeDate => (3, 3),
            Self::Case => (2, usize::MAX),
            Self::Coalesce | Self::Greatest | Self::Least => (1, usize::MAX),
            Self::Concat | Self::In | Self::Band => (2, usize::MAX),
            _ => (2, 2),
        }
    }

    /// The type that a call gives.
    ///
    /// # Errors
    /// When the count or the types of the arguments do not suit. `Cast` must be asked through its target type.
    pub fn result(self, args: &[Type]) -> Result<Type, TypeError> {
        let (least, most) = self.arity();
        if args.len() < least || args.len() > most {
            return Err(TypeError::Count { least, most });
        }
        match self {
            Self::Add | Self::Subtract | Self::Multiply | Self::Divide => self.arithmetic(args[0], args[1]),
            Self::Negate | Self::Abs => number(args, 0),
            Self::Equal
            | Self::NotEqual
            | Self::Less
            | Self::LessEqual
            | Self::Greater
            | Self::GreaterEqual => comparable(args[0], args[1]).map(|()| Type::Boolean),
            Self::In => {
                args[1..].iter().try_for_each(|a| comparable(args[0], *a))?;
                Ok(Type::Boolean)
            }
            Self::And | Self::Or | Self::Not => {
                all(args, "a condition", |t| t == Type::Boolean).map(|()| Type::Boolean)
            }
            Self::Like => texts(args).map(|()| Type::Boolean),
            Self::IsNull => Ok(Type::Boolean),
            Self::Case => case(args),
            Self::Coalesce | Self::Greatest | Self::Least => common(args),
            Self::NullIf => comparable(args[0], args[1]).map(|()| args[0]),
            Self::Cast => Ok(args[0]),
            Self::Extract(unit) => extract(unit, args[0]),
            Self::StartOf(..) | Self::EndOf(..) => {
                all(args, "a date", |t| matches!(t, Type::Date | Type::Moment)).map(|()| Type::Date)
            }
            Self::Concat | Self::Upper | Self::Lower | Self::Trim | Self::Replace => {
                texts(args).map(|()| Type::Text)
            }
            Self::PadLeft | Self::PadRight => {
                texts(&args[..1])?;
                all_from(&args[..2], 1, "a whole number", |t| t == Type::Integer)?;
                all_from(args, 2, "a text", |t| t == Type::Text).map(|()| Type::Text)
            }
            Self::CharLength | Self::Position => texts(args).map(|()| Type::Integer),
            Self::Substring | Self::Left | Self::Right => {
                texts(&args[..1])?;
                all_from(args, 1, "a whole number", |t| t == Type::Integer).map(|()| Type::Text)
            }
            Self::Round => {
                all_from(args, 1, "a whole number", |t| t == Type::Integer)?;
                number(args, 0)
            }
            Self::Floor | Self::Ceiling => Ok(match number(args, 0)? {
                Type::Float => Type::Float,
                _ => Type::Integer,
            }),
            Self::Sign => number(args, 0).map(|_| Type::Integer),
            Self::Mod => join(number(args, 0)?, number(args, 1)?),
            Self::Power | Self::Sqrt | Self::Exp | Self::Ln => {
                all(args, "a number", Type::is_number).map(|()| Type::Float)
            }
            Self::Band => all(args, "a number", Type::is_number).map(|()| Type::Text),
            Self::Apart(_) => {
                all(args, "a date", |t| matches!(t, Type::Date | Type::Moment)).map(|()| Type::Integer)
            }
            Self::WorkingDays => all(args, "a date", |t| t == Type::Date).map(|()| Type::Integer),
            Self::WorkingDay => {
                all(&args[..1], "a date", |t| t == Type::Date)?;
                all_from(args, 1, "a whole number", |t| t == Type::Integer).map(|()| Type::Date)
            }
            Self::MakeDate => all(args, "a whole number", |t| t == Type::Integer).map(|()| Type::Date),
            Self::Within(_) => number(args, 0),
        }
    }

    fn arithmetic(self, a: Type, b: Type) -> Result<Type, TypeError> {
        use Type::{Date, Decimal, Integer, Moment, Null, Time};
        match (self, a, b) {
            (Self::Add | Self::Subtract, Date, Integer) | (Self::Add, Integer, Date) => Ok(Date),
            (Self::Add, Date, Time) | (Self::Add, Time, Date) => Ok(Moment),
            (Self::Subtract, Date, Date) => Ok(Integer),
            // What a column without any value would give is not known.
            (_, Null, Date | Time | Moment) | (_, Date | Time | Moment, Null) => Ok(Null),
            _ => {
                let (a, b) = (number(&[a, b], 0)?, number(&[a, b], 1)?);
                match (self, a, b) {
                    (Self::Divide, _, _) => Ok(Type::Float),
                    (_, Null, other) | (_, other, Null) => Ok(other),
                    (Self::Multiply, Decimal(x), Decimal(y)) => {
                        if x + y > MAX_SCALE {
                            Err(TypeError::TooManyDecimals)
                        } else {
                            Ok(Decimal(x + y))
                        }
                    }
                    _ => join(a, b),
                }
            }
        }
    }
}

fn all_from(
    args: &[Type],
    from: usize,
    wanted: &'static str,
    suits: impl Fn(Type) -> bool,
) -> Result<(), TypeError> {
    match args.iter().skip(from).position(|t| *t != Type::Null && !suits(*t)) {
        Some(at) => Err(TypeError::Argument { at: at + from, wanted }),
        None => Ok(()),
    }
}

fn all(args: &[Type], wanted: &'static str, suits: impl Fn(Type) -> bool) -> Result<(), TypeError> {
    all_from(args, 0, wanted, suits)
}

fn texts(args: &[Type]) -> Result<(), TypeError> {
    all(args, "a text", |t| t == Type::Text)
}

fn number(args: &[Type], at: usize) -> Result<Type, TypeError> {
    if args[at].is_number() || args[at] == Type::Null {
        Ok(args[at])
    } else {
        Err(TypeError::Argument { at, wanted: "a number" })
    }
}

/// The type that holds values of both.
///
/// # Errors
/// When the types are unlike.
pub(crate) fn join(a: Type, b: Type) -> Result<Type, TypeError> {
    use Type::{Decimal, Float, Integer, Null};
    match (a, b) {
        (x, y) if x == y => Ok(x),
        (Null, x) | (x, Null) => Ok(x),
        (Float, x) | (x, Float) if x.is_number() => Ok(Float),
        (Decimal(x), Decimal(y)) => Ok(Decimal(x.max(y))),
        (Decimal(x), Integer) | (Integer, Decimal(x)) => Ok(Decimal(x)),
        _ => Err(TypeError::Unlike(a, b)),
    }
}

fn common(args: &[Type]) -> Result<Type, TypeError> {
    args.iter().try_fold(Type::Null, |a, b| join(a, *b))
}

/// Condition and value in turn, the value otherwise last.
fn case(args: &[Type]) -> Result<Type, TypeError> {
    let mut result = Type::Null;
    for (at, pair) in args.chunks(2).enumerate() {
        match pair {
            [condition, value] => {
                if !matches!(condition, Type::Boolean | Type::Null) {
                    return Err(TypeError::Argument { at: at * 2, wanted: "a condition" });
                }
                result = join(result, *value)?;
            }
            rest => result = join(result, rest[0])?,
        }
    }
    Ok(result)
}

fn comparable(a: Type, b: Type) -> Result<(), TypeError> {
    let like_integer =
        |p: Type, i: Type| matches!(p, Type::Period(p) if p.reads_as_integer()) && i == Type::Integer;
    if join(a, b).is_ok() || like_integer(a, b) || like_integer(b, a) {
        Ok(())
    } else {
        Err(TypeError::Unlike(a, b))
    }
}

fn extract(unit: Unit, from: Type) -> Result<Type, TypeError> {
    let suits = match unit {
        Unit::Period(_) => matches!(from, Type::Date | Type::Moment | Type::Null),
        _ => matches!(from, Type::Time | Type::Moment | Type::Null),
    };
    let wanted = if matches!(unit, Unit::Period(_)) { "a date or a moment" } else { "a time or a moment" };
    if suits { Ok(Type::Integer) } else { Err(TypeError::Argument { at: 0, wanted }) }
}

/// A function from many rows to one value. Nulls are left out; over no values all but the counts are null.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum AggregateFunction {
    /// The exact sum.
    Sum,
    /// Sum over the number of values present; a float.
    Avg,
    /// The smallest.
    Min,
    /// The largest.
    Max,
    /// How many rows.
    CountRows,
    /// How many values.
    Count,
    /// How many different values.
    CountDistinct,
    /// The middle value, or the mean of the two in the middle; a float.
    Median,
    /// The value below which the given part (0 to 1) lies, interpolated; a float.
    Percentile,
    /// Sample standard deviation; null below two values.
    StdDev,
    /// Sample variance; null below two values.
    Variance,
    /// The texts in order, joined by a separator.
    ListAgg,
    /// The different texts in order, joined by a separator.
    ListAggDistinct,
    /// Whether one is true.
    Any,
    /// Whether none is false.
    Every,
    /// The value at the smallest key; of equals the smallest value.
    First,
    /// The value at the largest key; of equals the smallest value.
    Last,
}

impl AggregateFunction {
    /// The aggregates by name. `count` stands for three of them.
    pub const NAMED: [(&'static str, Self); 14] = [
        ("any", Self::Any),
        ("avg", Self::Avg),
        ("count", Self::Count),
        ("every", Self::Every),
        ("first", Self::First),
        ("last", Self::Last),
        ("listagg", Self::ListAgg),
        ("max", Self::Max),
        ("median", Self::Median),
        ("min", Self::Min),
        ("percentile", Self::Percentile),
        ("stddev", Self::StdDev),
        ("sum", Self::Sum),
        ("variance", Self::Variance),
    ];

    /// The aggregate of this name, in lower case.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::NAMED.iter().find(|(n, _)| *n == name).map(|(_, f)| *f)
    }

    /// The name in the plan's text form.
    pub fn name(self) -> &'static str {
        match self {
            Self::CountRows => "count_rows",
            Self::CountDistinct => "count_distinct",
            Self::ListAggDistinct => "listagg_distinct",
            _ => Self::NAMED.iter().find(|(_, f)| *f == self).map_or("", |(n, _)| n),
        }
    }

    /// The type of the result for a value of type `argument`.
    ///
    /// # Errors
    /// When the aggregate does not take such values.
    pub fn result(self, argument: Type) -> Result<Type, TypeError> {
        let is = |suits: bool, wanted| {
            if suits || argument == Type::Null { Ok(()) } else { Err(TypeError::Argument { at: 0, wanted }) }
        };
        match self {
            Self::Sum => is(argument.is_number(), "a number").map(|()| argument),
            Self::Avg | Self::Median | Self::Percentile | Self::StdDev | Self::Variance => {
                is(argument.is_number(), "a number").map(|()| Type::Float)
            }
            Self::Min | Self::Max | Self::First | Self::Last => Ok(argument),
            Self::CountRows | Self::Count | Self::CountDistinct => Ok(Type::Integer),
            Self::ListAgg | Self::ListAggDistinct => {
                is(argument == Type::Text, "a text").map(|()| Type::Text)
            }
            Self::Any | Self::Every => is(argument == Type::Boolean, "a condition").map(|()| Type::Boolean),
        }
    }

    /// Whether the value of a group follows from the values of its parts.
    pub fn is_sum_like(self) -> bool {
        matches!(self, Self::Sum | Self::CountRows | Self::Count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use Type::{Boolean, Date, Decimal, Float, Integer, Moment, Null, Text, Time};

    #[test]
    fn arithmetic_keeps_money_exact() {
        let money = [
            (Function::Multiply, Integer, Decimal(2), Decimal(2)),
            (Function::Multiply, Decimal(2), Decimal(2), Decimal(4)),
            (Function::Subtract, Integer, Decimal(2), Decimal(2)),
            (Function::Divide, Integer, Integer, Float),
            (Function::Add, Date, Time, Moment),
            (Function::Subtract, Date, Date, Integer),
            (Function::Add, Null, Integer, Integer),
        ];
        for (function, a, b, want) in money {
            assert_eq!(function.result(&[a, b]), Ok(want), "{function:?} {a} {b}");
        }
    }

    #[test]
    fn unlike_types_are_refused() {
        assert_eq!(Function::Equal.result(&[Text, Integer]), Err(TypeError::Unlike(Text, Integer)));
        assert!(Function::Add.result(&[Text, Integer]).is_err());
        assert!(Function::And.result(&[Boolean, Integer]).is_err());
        assert!(Function::Multiply.result(&[Decimal(20), Decimal(20)]).is_err());
        assert!(AggregateFunction::Sum.result(Date).is_err());
        assert!(Function::Equal.result(&[Type::Period(Period::Year), Integer]).is_ok());
        assert!(Function::Equal.result(&[Type::Period(Period::Month), Integer]).is_err());
    }
}
