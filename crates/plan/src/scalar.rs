//! One value.

use crate::civil;
use crate::decimal::Decimal;
use crate::types::{Period, Type};
use serde::{Deserialize, Serialize};
use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// One value of any [`Type`]. Displays as the language writes it, without quotes; null is empty.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum Scalar {
    /// No value.
    Null,
    /// A whole number.
    Integer(i64),
    /// An exact number.
    Decimal(Decimal),
    /// A binary float.
    Float(f64),
    /// A text.
    Text(Arc<str>),
    /// True or false.
    Boolean(bool),
    /// Days since 1970-01-01.
    Date(i32),
    /// Microseconds since midnight.
    Time(i64),
    /// Microseconds since 1970-01-01 00:00.
    Moment(i64),
    /// A calendar period and its index, see [`Period`].
    Period(Period, i32),
}

impl Scalar {
    /// A text value.
    pub fn text(text: impl Into<Arc<str>>) -> Self {
        Self::Text(text.into())
    }

    /// Whether two values are the same, but for the last digits of floats, which depend on the order in which they are added up.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::Scalar;
    /// assert!(Scalar::Float(0.1 + 0.2).alike(&Scalar::Float(0.3)));
    /// assert!(!Scalar::Integer(1).alike(&Scalar::Integer(2)));
    /// ```
    pub fn alike(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Float(a), Self::Float(b)) => (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1.0),
            _ => self == other,
        }
    }

    /// Whether it is null.
    pub fn is_null(&self) -> bool {
        matches!(self, Self::Null)
    }

    /// The type, which for null is [`Type::Null`].
    pub fn ty(&self) -> Type {
        match self {
            Self::Null => Type::Null,
            Self::Integer(_) => Type::Integer,
            Self::Decimal(d) => Type::Decimal(d.scale),
            Self::Float(_) => Type::Float,
            Self::Text(_) => Type::Text,
            Self::Boolean(_) => Type::Boolean,
            Self::Date(_) => Type::Date,
            Self::Time(_) => Type::Time,
            Self::Moment(_) => Type::Moment,
            Self::Period(p, _) => Type::Period(*p),
        }
    }

    /// The whole number that stands for the value in a column of its type; `None` for null, float and text.
    pub fn physical(&self) -> Option<i128> {
        match self {
            Self::Null | Self::Float(_) | Self::Text(_) => None,
            Self::Integer(i) | Self::Time(i) | Self::Moment(i) => Some(i128::from(*i)),
            Self::Decimal(d) => Some(d.units),
            Self::Boolean(b) => Some(i128::from(*b)),
            Self::Date(d) | Self::Period(_, d) => Some(i128::from(*d)),
        }
    }

    /// The value of type `ty` that `physical` stands for. Null where the type has no physical values or the number leaves its range.
    pub fn from_physical(ty: Type, physical: i128) -> Self {
        let small = i32::try_from(physical).ok();
        let large = i64::try_from(physical).ok();
        match ty {
            Type::Null | Type::Float | Type::Text => Self::Null,
            Type::Integer => large.map_or(Self::Null, Self::Integer),
            Type::Decimal(scale) => Self::Decimal(Decimal { units: physical, scale }),
            Type::Boolean => Self::Boolean(physical != 0),
            Type::Date => small.map_or(Self::Null, Self::Date),
            Type::Time => large.map_or(Self::Null, Self::Time),
            Type::Moment => large.map_or(Self::Null, Self::Moment),
            Type::Period(p) => small.map_or(Self::Null, |i| Self::Period(p, i)),
        }
    }

    /// The number as a float; `None` when it is no number.
    pub fn to_f64(&self) -> Option<f64> {
        match self {
            Self::Integer(i) => Some(*i as f64),
            Self::Decimal(d) => Some(d.to_f64()),
            Self::Float(f) => Some(*f),
            _ => None,
        }
    }

    /// The number as a decimal; `None` when it is no exact number.
    pub fn to_decimal(&self) -> Option<Decimal> {
        match self {
            Self::Integer(i) => Some(Decimal { units: i128::from(*i), scale: 0 }),
            Self::Decimal(d) => Some(*d),
            _ => None,
        }
    }

    /// The order of two values of like type: null last, numbers by size, text by its code points.
    pub fn compare(&self, other: &Self) -> Ordering {
        match (self, other) {
            (Self::Null, Self::Null) => Ordering::Equal,
            (Self::Null, _) => Ordering::Greater,
            (_, Self::Null) => Ordering::Less,
            (Self::Text(a), Self::Text(b)) => a.cmp(b),
            (Self::Float(_), _) | (_, Self::Float(_)) => {
                let (a, b) = (self.to_f64().unwrap_or(0.0), other.to_f64().unwrap_or(0.0));
                a.partial_cmp(&b).unwrap_or_else(|| a.total_cmp(&b))
            }
            (Self::Decimal(_), _) | (_, Self::Decimal(_)) => self.to_decimal().cmp(&other.to_decimal()),
            _ => self.physical().cmp(&other.physical()),
        }
    }

    /// Whether two are the same value of the same type, with the same number of decimals. Equality (`==`) is that of the language, which has `1 = 1.0`.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::{Decimal, Scalar};
    /// let (one, with_decimals) = (Scalar::Integer(1), Scalar::Decimal(Decimal { units: 10, scale: 1 }));
    /// assert!(one == with_decimals && !one.is(&with_decimals) && one.is(&Scalar::Integer(1)));
    /// assert!(Scalar::Float(0.0) == Scalar::Float(-0.0) && !Scalar::Float(0.0).is(&Scalar::Float(-0.0)));
    /// ```
    pub fn is(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Float(own), Self::Float(other)) => own.to_bits() == other.to_bits(),
            _ => self.ty() == other.ty() && self == other,
        }
    }

    /// The order in which a query asks for values: null last, whatever the direction.
    ///
    /// # Examples
    /// ```
    /// use std::cmp::Ordering;
    /// use vembra_plan::Scalar;
    /// assert_eq!(Scalar::Integer(1).compare_in(&Scalar::Integer(2), true), Ordering::Greater);
    /// assert_eq!(Scalar::Null.compare_in(&Scalar::Integer(2), true), Ordering::Greater);
    /// ```
    pub fn compare_in(&self, other: &Self, descending: bool) -> Ordering {
        let order = self.compare(other);
        if descending && !self.is_null() && !other.is_null() { order.reverse() } else { order }
    }

    /// The value as the language writes it, texts and dates in quotes.
    pub fn literal(&self) -> String {
        match self {
            Self::Null => "null".to_owned(),
            Self::Text(t) => format!("'{}'", t.replace('\'', "''")),
            Self::Date(_) | Self::Time(_) | Self::Moment(_) => format!("'{self}'"),
            Self::Period(p, index)
                if p.reads_as_integer()
                    && !matches!(p, Period::MonthOfYear | Period::Weekday | Period::QuarterOfYear) =>
            {
                index.to_string()
            }
            Self::Period(..) => format!("'{self}'"),
            _ => self.to_string(),
        }
    }
}

impl PartialEq for Scalar {
    fn eq(&self, other: &Self) -> bool {
        self.is_null() == other.is_null() && self.compare(other) == Ordering::Equal
    }
}

impl fmt::Display for Scalar {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Null => Ok(()),
            Self::Integer(i) => write!(f, "{i}"),
            Self::Decimal(d) => write!(f, "{d}"),
            Self::Float(x) => write!(f, "{x}"),
            Self::Text(t) => f.write_str(t),
            Self::Boolean(b) => write!(f, "{b}"),
            Self::Date(d) => f.write_str(&civil::format_date(*d)),
            Self::Time(t) => f.write_str(&civil::format_time(*t)),
            Self::Moment(m) => f.write_str(&civil::format_moment(*m)),
            Self::Period(p, i) => f.write_str(&civil::format_period(*p, *i)),
        }
    }
}
