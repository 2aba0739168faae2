//! What Apache Spark says, as engines speak it that are asked by Arrow Flight SQL. Whole numbers wrap round there, and sums of decimals
//! too: both are guarded.

use crate::refused::Refused;
use crate::values::{Read, Value};
use crate::words::Words;
use vembra_plan::civil::format_date;
use vembra_plan::{AggregateFunction, Function, Scalar, Type};

pub(super) struct Spark;

/// What the server is made to say where a number leaves its range.
const OUT_OF_RANGE: &str = "a number left its range";
/// What it says of itself then.
const OUT_OF_RANGE_WORDS: [&str; 4] =
    [OUT_OF_RANGE, "Overflow happened on", "is out of range Int64", "to type Int64"];
/// A decimal has at most this many digits.
const DIGITS: u8 = 38;

impl Words for Spark {
    fn schemes(&self) -> &'static [&'static str] {
        &["grpc://", "grpc+"]
    }

    fn says_out_of_range(&self) -> &'static [&'static str] {
        &OUT_OF_RANGE_WORDS
    }

    fn quoted_name(&self, name: &str) -> String {
        format!("`{}`", name.replace('`', "``"))
    }

    fn ty(&self, ty: Type) -> String {
        match ty {
            Type::Integer | Type::Period(_) | Type::Null => "bigint",
            Type::Decimal(scale) => return format!("decimal({DIGITS}, {scale})"),
            Type::Float => "double",
            Type::Text => "string",
            Type::Boolean => "boolean",
            Type::Date => "date",
            Type::Time => "time",
            Type::Moment => "timestamp_ntz",
        }
        .to_owned()
    }

    fn cast_to(&self, sql: &str, ty: &str) -> String {
        format!("cast({sql} as {ty})")
    }

    /// Texts are compared by code points there.
    fn text(&self, sql: &str) -> String {
        sql.to_owned()
    }

    fn literal(&self, value: &Scalar, ty: Type) -> String {
        match value {
            Scalar::Null => self.null(ty),
            Scalar::Date(day) => format!("date '{}'", format_date(*day)),
            Scalar::Period(_, index) => format!("cast({index} as bigint)"),
            Scalar::Integer(i64::MIN) => format!("cast('{}' as bigint)", i64::MIN),
            Scalar::Integer(n) => format!("cast({n} as bigint)"),
            Scalar::Float(x) => format!("cast('{x:e}' as double)"),
            Scalar::Boolean(b) => b.to_string(),
            Scalar::Text(text) => fixed_text(text),
            other => format!("cast('{other}' as {})", self.ty(ty)),
        }
    }

    /// Values stand in the text: the servers that were tried take no parameters.
    fn parameter(&self, _: usize, _: &Scalar) -> Option<String> {
        None
    }

    fn step(&self, _: bool) -> &'static str {
        "as"
    }

    /// An engine that knows too early that a value is never null was seen to contradict itself.
    fn never_null(&self, value: &str, nothing: &str) -> String {
        format!("case when {value} is not null then {value} else {nothing} end")
    }

    fn part(&self, name: &str, of: &str) -> String {
        match name {
            "second" => format!("cast(floor(extract(second from {of})) as bigint)"),
            _ => format!("cast(extract({name} from {of}) as bigint)"),
        }
    }

    /// Counted from a Monday: an engine was seen to give Sundays the number before that of Mondays.
    fn weekday(&self, day: &str) -> String {
        format!("cast(pmod(datediff({day}, date '1969-12-29'), 7) + 1 as bigint)")
    }

    fn days_after(&self, day: &str, days: &str) -> String {
        format!("date_add({day}, cast({days} as int))")
    }

    fn days_between(&self, from: &str, to: &str) -> String {
        format!("cast(datediff({to}, {from}) as bigint)")
    }

    fn quotient(&self, left: &str, right: &str) -> String {
        format!("({left} div {right})")
    }

    fn matches(&self, text: &str, pattern: &str) -> String {
        format!("({text} rlike '{pattern}')")
    }

    fn unreadable(&self, text: &str, ty: Type) -> String {
        let told = crate::reading::told_unreadable(self, text, ty);
        // The cast of such a text fails, and says the text. What is fixed, so that it names no column, would be worked out before it is known
        // whether any row asks for it: something that comes by chance stands beside it, which no group may have.
        let failing = if text.contains('.') {
            format!("cast({told} as bigint)")
        } else {
            format!("cast({told} || left(cast(rand() as string), 0) as bigint)")
        };
        match ty {
            Type::Date => format!("date_add(date '1970-01-01', cast({failing} as int))"),
            _ => self.as_type(&failing, ty),
        }
    }

    /// As decimals, which do not wrap round; a result that is no whole number of 64 bits cannot be cast.
    fn whole(&self, operator: char, left: &str, right: &str) -> String {
        let wide = |sql: &str| format!("cast({sql} as decimal(19, 0))");
        format!("cast({} {operator} {} as bigint)", wide(left), wide(right))
    }

    // What is fixed is worked out before it is known whether any row asks for it; what comes by chance is not.
    fn out_of_range(&self, number: &str) -> String {
        self.whole('+', "9223372036854775807", &format!("({number} + 1 + cast(rand() as bigint))"))
    }

    fn floor(&self, name: &str, value: &Value) -> String {
        let sql = &value.sql;
        match value.ty {
            // Above are only whole numbers, which may not fit into 64 bits.
            Type::Float => {
                format!(
                    "(case when abs({sql}) < 4503599627370496 then cast({name}({sql}) as double) else {sql} end)"
                )
            }
            _ => format!("cast({name}({sql}) as bigint)"),
        }
    }

    fn round(&self, value: &Value, places: i128) -> String {
        let sql = &value.sql;
        match value.ty {
            Type::Float => {
                let unit = format!("cast('1e{places}' as double)");
                format!("(round({sql} * {unit}) / {unit})")
            }
            Type::Integer => {
                format!("cast(round(cast({sql} as decimal({DIGITS}, 0)), {}) as bigint)", places.min(0))
            }
            Type::Decimal(scale) => {
                self.as_type(&format!("round({sql}, {})", places.min(i128::from(scale))), value.ty)
            }
            _ => sql.clone(),
        }
    }

    fn cast(&self, value: &Value, ty: Type) -> Option<String> {
        let sql = &value.sql;
        match (value.ty, ty) {
            (Type::Float, Type::Integer) => Some(format!("cast(round({sql}) as bigint)")),
            _ => None,
        }
    }

    fn call(&self, function: Function, args: &[Value]) -> Option<String> {
        let sql = |at: usize| args[at].sql.as_str();
        match function {
            // A backslash is a character like any other.
            Function::Like => Some(format!(r"({} like replace({}, '\\', '\\\\'))", sql(0), sql(1))),
            _ => None,
        }
    }

    fn has_float_rests(&self) -> bool {
        true
    }

    fn blanks(&self) -> &'static str {
        r"' \t\n\u000b\u000c\r\u0085\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000'"
    }

    fn aggregate(
        &self,
        function: AggregateFunction,
        read: &Read,
        bind: &mut dyn FnMut(&Scalar) -> String,
    ) -> Result<String, Refused> {
        use AggregateFunction as F;
        // Of groups of which no row counts an engine was seen to divide by what is not there.
        let read = &read.in_cases();
        let value = read.value();
        let sql = &value.sql;
        Ok(match function {
            F::Sum => sum(&value, ""),
            F::Avg => {
                let sum = match value.ty {
                    Type::Integer => format!("sum(cast({sql} as decimal(19, 0)))"),
                    _ => sum(&value, ""),
                };
                format!("(cast({sum} as double) / nullif(count({sql}), 0))")
            }
            F::Median | F::Percentile => {
                let part = read.part(function).map_or_else(|| "0.5".to_owned(), |part| bind(&part));
                format!("percentile({}, {part})", self.float(&value))
            }
            F::ListAgg | F::ListAggDistinct => {
                let distinct = if function == F::ListAggDistinct { "distinct " } else { "" };
                let separator = bind(&read.separator());
                format!("listagg({distinct}{sql}, {separator}) within group (order by {sql})")
            }
            F::First | F::Last => {
                let Some(by) = &read.by else { return Err(Refused::new("first and last without an order")) };
                let known = format!("{sql} is not null and {} is not null", by.sql);
                let by = if function == F::Last { backwards(by)? } else { by.sql.clone() };
                format!("(min(case when {known} then named_struct('by', {by}, 'value', {sql}) end)).value")
            }
            _ => crate::aggregates::plain(self, function, read),
        })
    }

    fn running(&self, value: &Value, over: &str) -> String {
        sum(value, &format!(" {over}"))
    }
}

/// A sum over what stands behind it, that says where it leaves its range.
fn sum(value: &Value, over: &str) -> String {
    let sql = &value.sql;
    match value.ty {
        Type::Integer => format!("cast(sum(cast({sql} as decimal(19, 0))){over} as bigint)"),
        // In floats it does not wrap round: above nine tenths of what there is room for it may have done so.
        Type::Decimal(scale) => format!(
            "(case when sum(abs(cast({sql} as double))){over} >= 9e{} then raise_error('{OUT_OF_RANGE}') else sum({sql}){over} end)",
            DIGITS - 1 - scale.min(DIGITS - 1)
        ),
        _ => format!("sum({sql}){over}"),
    }
}

/// A value that is smaller where another is greater.
fn backwards(by: &Value) -> Result<String, Refused> {
    let sql = &by.sql;
    Ok(match by.ty {
        Type::Date => format!("- datediff({sql}, date '1970-01-01')"),
        Type::Moment => format!("- unix_micros(cast({sql} as timestamp))"),
        Type::Boolean => format!("(not {sql})"),
        Type::Integer | Type::Decimal(_) | Type::Float | Type::Period(_) => format!("(- {sql})"),
        // By its bytes the other way round, with an end that is behind all of them: what a text begins with comes after it.
        Type::Text => format!(
            "concat(translate(hex(encode({sql}, 'utf-8')), '0123456789ABCDEF', 'fedcba9876543210'), 'g')"
        ),
        other => return Err(Refused::new(format!("the last one by {}", other.with_article()))),
    })
}

/// A text between quotes. What could end it, or mean something else in it, is written by its bytes.
fn fixed_text(text: &str) -> String {
    let plain = |c: char| !c.is_control() && !"'\"\\`$".contains(c);
    if text.chars().all(plain) {
        return format!("'{text}'");
    }
    let bytes: String = text.bytes().map(|byte| format!("{byte:02x}")).collect();
    format!("decode(unhex('{bytes}'), 'utf-8')")
}
