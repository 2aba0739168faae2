//! What servers say in different words: names, types, fixed values, and what is not standard SQL.

mod postgres;
mod spark;

use crate::aggregates::Read;
use crate::functions::Value;
use crate::refused::Refused;
use vembra_plan::{AggregateFunction, Function, Scalar, Type};

/// The SQL of a kind of server.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Dialect {
    /// That of `PostgreSQL` from version 15 on.
    #[default]
    PostgreSql,
    /// That of Apache Spark, as engines speak it that are asked by Arrow Flight SQL.
    Spark,
}

impl Dialect {
    /// Its words.
    pub(crate) fn words(self) -> &'static dyn Words {
        match self {
            Self::PostgreSql => &postgres::PostgreSql,
            Self::Spark => &spark::Spark,
        }
    }

    /// A name as the server has it, with each of its parts in quotes: `sales.orders`.
    pub fn quoted(self, name: &str) -> String {
        name.split('.').map(|part| self.quoted_name(part)).collect::<Vec<_>>().join(".")
    }

    /// One name of the server, whatever characters it has.
    pub fn quoted_name(self, name: &str) -> String {
        self.words().quoted_name(name)
    }

    /// An expression turned into the type that values of the model have there.
    pub fn as_type(self, sql: &str, ty: Type) -> String {
        self.words().as_type(sql, ty)
    }

    /// A text that is compared by code points, as texts are here.
    pub fn text(self, sql: &str) -> String {
        self.words().text(sql)
    }

    /// Whether a server says that a number left its range.
    pub fn left_range(self, message: &str) -> bool {
        self == Self::Spark && spark::LEFT_RANGE.iter().any(|told| message.contains(told))
    }

    /// A fixed text.
    pub fn fixed_text(self, text: &str) -> String {
        self.words().literal(&Scalar::text(text), Type::Text)
    }
}

/// What is said in different words.
pub(crate) trait Words: Sync {
    fn quoted_name(&self, name: &str) -> String;
    /// The type that values of the model have.
    fn ty(&self, ty: Type) -> String;
    /// An expression turned into a type of the server.
    fn cast_to(&self, sql: &str, ty: &str) -> String;
    /// A text that is compared by code points.
    fn text(&self, sql: &str) -> String;
    /// A fixed value in the text of a statement.
    fn literal(&self, value: &Scalar, ty: Type) -> String;
    /// A parameter, if values can be bound to such; else they stand in the text.
    fn parameter(&self, number: usize, value: &Scalar) -> Option<String>;
    /// How a step is begun; `inline` if it is to be read as if it stood where it is used.
    fn step(&self, inline: bool) -> &'static str;

    /// A value, or another one where it is null.
    fn never_null(&self, value: &str, nothing: &str) -> String {
        format!("coalesce({value}, {nothing})")
    }
    /// A part of a day or a time, as a whole number.
    fn part(&self, name: &str, of: &str) -> String;
    /// The day of the week, Monday being 1.
    fn weekday(&self, day: &str) -> String;
    /// A day so many days later.
    fn days_after(&self, day: &str, days: &str) -> String;
    /// The whole number of days from one day to another.
    fn days_between(&self, from: &str, to: &str) -> String;
    /// The whole part of a quotient of whole numbers.
    fn quotient(&self, left: &str, right: &str) -> String;
    /// A calculation with whole numbers, which must not leave their range.
    fn whole(&self, operator: char, left: &str, right: &str) -> String;
    /// The whole number below or above a value (`floor`, `ceil`), as `ty`.
    fn floor(&self, name: &str, value: &Value) -> String;
    /// A number rounded to so many places, halves away from zero.
    fn round(&self, value: &Value, places: i128) -> String;
    /// What this dialect says of a cast; none if it says what others say.
    fn cast(&self, value: &Value, ty: Type) -> Option<String>;
    /// What this dialect says of a call; none if it says what others say.
    fn call(&self, function: Function, args: &[Value]) -> Option<String>;
    /// The characters that Unicode calls white space, as a text.
    fn blanks(&self) -> &'static str;
    /// An aggregate over the rows of a group; `bind` gives an expression for a fixed value.
    fn aggregate(
        &self,
        function: AggregateFunction,
        read: &Read,
        bind: &mut dyn FnMut(&Scalar) -> String,
    ) -> Result<String, Refused>;
    /// A sum along a window, which must not leave its range.
    fn running(&self, value: &Value, over: &str) -> String;

    /// An expression turned into the type that values of the model have.
    fn as_type(&self, sql: &str, ty: Type) -> String {
        self.cast_to(sql, &self.ty(ty))
    }

    /// A number as a float.
    fn float(&self, value: &Value) -> String {
        match value.ty {
            Type::Float => value.sql.clone(),
            _ => self.as_type(&value.sql, Type::Float),
        }
    }

    /// What stands where a key has no value.
    fn nothing(&self, ty: Type) -> String {
        match ty {
            Type::Text => "''".to_owned(),
            Type::Boolean => "false".to_owned(),
            _ => self.literal(&nothing(ty), ty),
        }
    }

    /// No value, of a type.
    fn null(&self, ty: Type) -> String {
        self.as_type("null", ty)
    }
}

fn nothing(ty: Type) -> Scalar {
    match ty {
        Type::Float => Scalar::Float(0.0),
        Type::Period(_) | Type::Null => Scalar::Integer(0),
        _ => Scalar::from_lane(ty, 0),
    }
}

#[cfg(test)]
mod tests {
    use super::{Dialect, Words};
    use crate::aggregates::Read;
    use crate::functions::{Value, call};
    use vembra_plan::{AggregateFunction, Function, Period, Scalar, Type};

    const BOTH: [Dialect; 2] = [Dialect::PostgreSql, Dialect::Spark];

    fn column(ty: Type) -> Value {
        Value { sql: "x".to_owned(), ty, fixed: None }
    }

    fn said(words: &dyn Words, function: Function, args: &[Value], ty: Type) -> String {
        call(words, function, args, ty).unwrap()
    }

    /// No fixed text ends before its last character, whatever it holds.
    #[test]
    fn fixed_texts_stay_between_their_quotes() {
        assert_eq!(Dialect::PostgreSql.fixed_text("it's"), "'it''s'::text");
        assert_eq!(Dialect::Spark.fixed_text("Größe 1, <b> & (c)"), "'Größe 1, <b> & (c)'");
        for odd in ["it's", "a\\", "${x}", "`", "\"", "two\nlines"] {
            let said = Dialect::Spark.fixed_text(odd);
            let digits = said.strip_prefix("decode(unhex('").and_then(|s| s.strip_suffix("'), 'utf-8')"));
            let bytes: Vec<u8> = digits
                .unwrap()
                .as_bytes()
                .chunks(2)
                .map(|two| u8::from_str_radix(std::str::from_utf8(two).unwrap(), 16).unwrap())
                .collect();
            assert_eq!(String::from_utf8(bytes).unwrap(), odd);
        }
    }

    /// Whole numbers that would wrap round are worked out as decimals where the server does not tell.
    #[test]
    fn whole_numbers_are_guarded_where_they_would_wrap_round() {
        let two = [column(Type::Integer), column(Type::Integer)];
        let product = BOTH.map(|d| said(d.words(), Function::Multiply, &two, Type::Integer));
        assert_eq!(
            product,
            ["(x * x)", "cast(cast(x as decimal(19, 0)) * cast(x as decimal(19, 0)) as bigint)"]
        );
        let read = |ty| Read { value: Some(column(ty)), by: None, parameter: None, condition: None };
        let sum = |dialect: Dialect, ty| {
            dialect.words().aggregate(AggregateFunction::Sum, &read(ty), &mut |_| String::new()).unwrap()
        };
        assert_eq!(sum(Dialect::PostgreSql, Type::Integer), "sum(x)::bigint");
        assert_eq!(sum(Dialect::Spark, Type::Integer), "cast(sum(cast(x as decimal(19, 0))) as bigint)");
        assert_eq!(sum(Dialect::PostgreSql, Type::Decimal(2)), "sum(x)");
        assert_eq!(
            sum(Dialect::Spark, Type::Decimal(2)),
            "(case when sum(abs(cast(x as double))) >= 9e35 then raise_error('a number left its range') else sum(x) end)"
        );
        assert!(Dialect::Spark.left_range("remote error: a number left its range"));
        assert!(!Dialect::PostgreSql.left_range("a number left its range"), "it has a code for that");
    }

    /// What a server may not know stays unknown: a bound of a length is no length.
    #[test]
    fn a_length_that_is_not_known_cuts_nothing_off() {
        let args = [column(Type::Text), Value { sql: "n".to_owned(), ty: Type::Integer, fixed: None }];
        let left = said(Dialect::Spark.words(), Function::Left, &args, Type::Text);
        assert_eq!(
            left,
            "left(x, cast((case when n is not null then greatest(least(n, 1000000000), 0) end) as integer))"
        );
    }

    #[test]
    fn values_have_the_types_of_the_model() {
        let types = [
            (Type::Integer, ["bigint", "bigint"]),
            (Type::Decimal(4), ["numeric", "decimal(38, 4)"]),
            (Type::Float, ["double precision", "double"]),
            (Type::Text, ["text", "string"]),
            (Type::Moment, ["timestamp", "timestamp_ntz"]),
            (Type::Period(Period::Month), ["bigint", "bigint"]),
        ];
        for (ty, names) in types {
            assert_eq!(BOTH.map(|d| d.words().ty(ty)), names, "{ty}");
        }
        let nothing = BOTH.map(|d| d.words().nothing(Type::Date));
        assert_eq!(nothing, ["date '1970-01-01'", "date '1970-01-01'"]);
        let smallest = Scalar::Integer(i64::MIN);
        assert_eq!(
            Dialect::Spark.words().literal(&smallest, Type::Integer),
            "cast('-9223372036854775808' as bigint)"
        );
    }
}
