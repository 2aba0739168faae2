//! What `PostgreSQL` says.

use crate::refused::Refused;
use crate::values::{Read, Value};
use crate::words::Words;
use vembra_plan::civil::format_date;
use vembra_plan::{AggregateFunction, Function, Scalar, Type};

pub(super) struct PostgreSql;

impl Words for PostgreSql {
    fn schemes(&self) -> &'static [&'static str] {
        &["postgres://", "postgresql://"]
    }

    fn quoted_name(&self, name: &str) -> String {
        format!("\"{}\"", name.replace('"', "\"\""))
    }

    fn ty(&self, ty: Type) -> String {
        match ty {
            Type::Integer | Type::Period(_) | Type::Null => "bigint",
            Type::Decimal(_) => "numeric",
            Type::Float => "double precision",
            Type::Text => "text",
            Type::Boolean => "boolean",
            Type::Date => "date",
            Type::Time => "time",
            Type::Moment => "timestamp",
        }
        .to_owned()
    }

    fn cast_to(&self, sql: &str, ty: &str) -> String {
        format!("{sql}::{ty}")
    }

    fn text(&self, sql: &str) -> String {
        format!("({sql} collate \"C\")")
    }

    fn literal(&self, value: &Scalar, ty: Type) -> String {
        match value {
            Scalar::Null => self.null(ty),
            Scalar::Date(day) => format!("date '{}'", format_date(*day)),
            Scalar::Period(_, index) => format!("{index}::bigint"),
            Scalar::Integer(n) => format!("{n}::bigint"),
            Scalar::Float(x) => format!("{x:e}::double precision"),
            Scalar::Boolean(b) => b.to_string(),
            other => format!("'{}'::{}", other.to_string().replace('\'', "''"), self.ty(ty)),
        }
    }

    fn parameter(&self, number: usize, value: &Scalar) -> Option<String> {
        let (bound, wanted) = (crate::statement::bind_type(value), self.ty(value.ty()));
        let parameter = format!("${number}::{bound}");
        Some(match value.ty() {
            Type::Text => self.text(&parameter),
            _ if bound == wanted => parameter,
            _ => format!("{parameter}::{wanted}"),
        })
    }

    /// A step that is read several times would be worked out several times.
    fn step(&self, inline: bool) -> &'static str {
        if inline { "as not materialized" } else { "as materialized" }
    }

    fn part(&self, name: &str, of: &str) -> String {
        match name {
            "second" => format!("floor(extract(second from {of}))::bigint"),
            _ => format!("extract({name} from {of})::bigint"),
        }
    }

    fn weekday(&self, day: &str) -> String {
        self.part("isodow", day)
    }

    fn days_after(&self, day: &str, days: &str) -> String {
        format!("({day} + {days}::integer)")
    }

    fn days_between(&self, from: &str, to: &str) -> String {
        format!("({to} - {from})::bigint")
    }

    fn quotient(&self, left: &str, right: &str) -> String {
        format!("({left} / {right})")
    }

    fn matches(&self, text: &str, pattern: &str) -> String {
        format!("({text} ~ '{pattern}')")
    }

    fn unreadable(&self, text: &str, ty: Type) -> String {
        self.as_type(&crate::reading::told_unreadable(self, text, ty), ty)
    }

    fn whole(&self, operator: char, left: &str, right: &str) -> String {
        format!("({left} {operator} {right})")
    }

    fn floor(&self, name: &str, value: &Value) -> String {
        match value.ty {
            Type::Float => format!("{name}({})", value.sql),
            _ => format!("{name}({}::numeric)::bigint", value.sql),
        }
    }

    fn round(&self, value: &Value, places: i128) -> String {
        match value.ty {
            Type::Float => {
                let scaled = format!("({} * 1e{places}::double precision)", value.sql);
                format!("({} / 1e{places}::double precision)", half_away(&scaled))
            }
            Type::Integer => format!("round({}::numeric, {})::bigint", value.sql, places.min(0)),
            Type::Decimal(scale) => format!("round({}, {})", value.sql, places.min(i128::from(scale))),
            _ => value.sql.clone(),
        }
    }

    fn cast(&self, value: &Value, ty: Type) -> Option<String> {
        let sql = &value.sql;
        Some(match (value.ty, ty) {
            (Type::Integer | Type::Decimal(_), Type::Decimal(scale)) => {
                format!("round({sql}::numeric, {scale})")
            }
            (Type::Float, Type::Integer) => format!("{}::bigint", half_away(sql)),
            (Type::Boolean, Type::Integer) => format!("{sql}::integer::bigint"),
            (Type::Decimal(scale), Type::Text) => self.text(&format!("round({sql}, {scale})::text")),
            (Type::Date, Type::Text) => self.text(&format!("to_char({sql}, 'YYYY-MM-DD')")),
            _ => return None,
        })
    }

    fn call(&self, function: Function, args: &[Value]) -> Option<String> {
        let sql = |at: usize| args[at].sql.as_str();
        Some(match function {
            Function::Upper => self.text(&format!("upper({} collate \"und-x-icu\")", sql(0))),
            Function::Lower => self.text(&format!("lower({} collate \"und-x-icu\")", sql(0))),
            Function::Like => format!("({} like {} escape '')", sql(0), sql(1)),
            _ => return None,
        })
    }

    /// Whatever way the session writes moments.
    fn clock_text(&self, sql: &str, ty: Type) -> String {
        match ty {
            Type::Moment => format!("rtrim(rtrim(to_char({sql}, 'YYYY-MM-DD HH24:MI:SS.US'), '0'), '.')"),
            _ => self.as_type(sql, Type::Text),
        }
    }

    fn blanks(&self) -> &'static str {
        r"E' \t\n\u000b\f\r\u0085\u00a0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000'"
    }

    fn aggregate(
        &self,
        function: AggregateFunction,
        read: &Read,
        bind: &mut dyn FnMut(&Scalar) -> String,
    ) -> Result<String, Refused> {
        use AggregateFunction as F;
        let (value, own) = (read.value(), read.filter(None));
        let sql = &value.sql;
        Ok(match function {
            F::Sum if value.ty == Type::Integer => format!("sum({sql}){own}::bigint"),
            F::Sum => format!("sum({sql}){own}"),
            F::Avg => format!("(sum({sql}){own}::double precision / nullif(count({sql}){own}, 0))"),
            F::Median | F::Percentile => {
                let part = read.part(function).map_or_else(|| "0.5".to_owned(), |part| bind(&part));
                format!("percentile_cont({part}) within group (order by {}){own}", self.float(&value))
            }
            F::ListAgg | F::ListAggDistinct => {
                let distinct = if function == F::ListAggDistinct { "distinct " } else { "" };
                format!("string_agg({distinct}{sql}, {} order by {sql}){own}", bind(&read.separator()))
            }
            F::First | F::Last => {
                let by = read.by.as_ref().map_or("null", |by| by.sql.as_str());
                let order = if function == F::Last { " desc" } else { "" };
                let known = read.filter(Some(format!("{sql} is not null and {by} is not null")));
                format!("(array_agg({sql} order by {by}{order}, {sql}){known})[1]")
            }
            _ => crate::aggregates::plain(self, function, read),
        })
    }

    fn running(&self, value: &Value, over: &str) -> String {
        let whole = if value.ty == Type::Integer { "::bigint" } else { "" };
        format!("sum({}) {over}{whole}", value.sql)
    }
}

/// A float rounded to the nearest whole number, halves away from zero.
fn half_away(sql: &str) -> String {
    format!("(trunc({sql}) + (case when abs({sql} - trunc({sql})) >= 0.5 then sign({sql}) else 0 end))")
}
