//! The types of columns and expressions.

use serde::{Deserialize, Serialize};
use std::fmt;

/// A date range, or a place in a repeating one.
///
/// The first seven are unique over time and sort in time; the others repeat.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Period {
    /// A calendar year, stored as its number.
    Year,
    /// A quarter, stored as `year * 4 + quarter - 1`.
    Quarter,
    /// A month, stored as `year * 12 + month - 1`.
    Month,
    /// An ISO week, stored as the number of weeks since Monday 1969-12-29.
    Week,
    /// A fiscal year, stored as the number of the year in which it ends.
    FiscalYear,
    /// A fiscal quarter, stored like [`Period::Quarter`].
    FiscalQuarter,
    /// A fiscal month, stored like [`Period::Month`].
    FiscalMonth,
    /// 1 to 4.
    QuarterOfYear,
    /// 1 (January) to 12.
    MonthOfYear,
    /// 1 to 31.
    DayOfMonth,
    /// 1 to 366.
    DayOfYear,
    /// 1 (Monday) to 7.
    Weekday,
}

impl Period {
    /// All periods, in the order in which the calendar lists them.
    pub const ALL: [Self; 12] = [
        Self::Year,
        Self::Quarter,
        Self::Month,
        Self::Week,
        Self::FiscalYear,
        Self::FiscalQuarter,
        Self::FiscalMonth,
        Self::QuarterOfYear,
        Self::MonthOfYear,
        Self::DayOfMonth,
        Self::DayOfYear,
        Self::Weekday,
    ];

    /// Those that come once each, so that a day lies in one which has a start and an end.
    pub const IN_TIME: &'static [Self] = Self::ALL.split_at(7).0;

    /// The name of the calendar's column that holds it.
    pub fn name(self) -> &'static str {
        match self {
            Self::Year => "year",
            Self::Quarter => "quarter",
            Self::Month => "month",
            Self::Week => "week",
            Self::FiscalYear => "fiscal_year",
            Self::FiscalQuarter => "fiscal_quarter",
            Self::FiscalMonth => "fiscal_month",
            Self::QuarterOfYear => "quarter_of_year",
            Self::MonthOfYear => "month_of_year",
            Self::DayOfMonth => "day_of_month",
            Self::DayOfYear => "day_of_year",
            Self::Weekday => "weekday",
        }
    }

    /// Whether a whole number may stand for it in a comparison (`calendar.year = 2024`).
    pub fn reads_as_integer(self) -> bool {
        matches!(
            self,
            Self::Year
                | Self::FiscalYear
                | Self::QuarterOfYear
                | Self::MonthOfYear
                | Self::DayOfMonth
                | Self::DayOfYear
                | Self::Weekday
        )
    }

    /// Whether it is unique over time.
    pub fn is_unique(self) -> bool {
        Self::IN_TIME.contains(&self)
    }

    /// An example of how a text for it is written.
    pub fn example(self) -> &'static str {
        match self {
            Self::Year => "2025",
            Self::Quarter => "'2025-Q1'",
            Self::Month => "'2025-03'",
            Self::Week => "'2025-W10'",
            Self::FiscalYear => "2025",
            Self::FiscalQuarter => "'FY2025-Q1'",
            Self::FiscalMonth => "'FY2025-M01'",
            Self::QuarterOfYear => "'Q1'",
            Self::MonthOfYear => "'January'",
            Self::DayOfMonth => "1",
            Self::DayOfYear => "1",
            Self::Weekday => "'Monday'",
        }
    }
}

/// The type of a column or an expression. Every type also holds null.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Type {
    /// The type of a bare `null`.
    Null,
    /// A whole number of 64 bits.
    Integer,
    /// An exact number with this many decimals.
    Decimal(u8),
    /// A binary floating-point number.
    Float,
    /// Unicode text.
    Text,
    /// True or false.
    Boolean,
    /// A day.
    Date,
    /// A time of day, to the microsecond.
    Time,
    /// A day with a time of day, without a time zone.
    Moment,
    /// A calendar period.
    Period(Period),
}

impl Type {
    /// The names of types that people use most, for messages; the other periods are types too.
    pub const NAMES: [&str; 11] = [
        "integer", "decimal", "float", "text", "boolean", "date", "time", "moment", "month", "quarter",
        "year",
    ];

    /// The type of a name, in any case. Decimals take as many decimals as the data have.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::{Period, Type};
    /// assert_eq!(Type::from_name("Month"), Some(Type::Period(Period::Month)));
    /// assert_eq!(Type::from_name("money"), None);
    /// assert!(Type::NAMES.iter().all(|name| Type::from_name(name).is_some()));
    /// ```
    pub fn from_name(name: &str) -> Option<Self> {
        Some(match name.to_ascii_lowercase().as_str() {
            "integer" => Self::Integer,
            "decimal" => Self::Decimal(2),
            "float" => Self::Float,
            "text" => Self::Text,
            "boolean" => Self::Boolean,
            "date" => Self::Date,
            "time" => Self::Time,
            "moment" => Self::Moment,
            other => Self::Period(*Period::ALL.iter().find(|p| p.name() == other)?),
        })
    }

    /// Whether sums and arithmetic make sense.
    pub fn is_number(self) -> bool {
        matches!(self, Self::Integer | Self::Decimal(_) | Self::Float)
    }

    /// Whether its values lie in time: days, moments and periods that come once, such as months of a year.
    pub fn lies_in_time(self) -> bool {
        match self {
            Self::Date | Self::Moment => true,
            Self::Period(period) => period.is_unique(),
            _ => false,
        }
    }

    /// Whether the value is kept as a whole number of some unit (all but float, text and null).
    pub fn is_physical(self) -> bool {
        !matches!(self, Self::Float | Self::Text | Self::Null)
    }

    /// The name with an article, as messages say it.
    pub fn with_article(self) -> String {
        let article = match self {
            Self::Integer | Self::Null => "an",
            _ => "a",
        };
        match self {
            Self::Null => "an unknown value".to_owned(),
            Self::Text => "a text".to_owned(),
            _ => format!("{article} {self}"),
        }
    }
}

impl fmt::Display for Type {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Null => "null",
            Self::Integer => "integer",
            Self::Decimal(_) => "decimal",
            Self::Float => "float",
            Self::Text => "text",
            Self::Boolean => "boolean",
            Self::Date => "date",
            Self::Time => "time",
            Self::Moment => "moment",
            Self::Period(period) => period.name(),
        })
    }
}
