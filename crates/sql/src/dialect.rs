//! The kinds of servers, each with its own words for names, types, fixed values, and what is not standard SQL.

mod postgres;
mod spark;

use crate::words::Words;
use vembra_plan::{Scalar, Type};

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
    /// All of them.
    const ALL: [Self; 2] = [Self::PostgreSql, Self::Spark];

    /// What a server speaks, by how its address begins; without a scheme that is known, that of `PostgreSQL`, whose addresses need none.
    ///
    /// # Examples
    /// ```
    /// use vembra_sql::Dialect;
    /// assert_eq!(Dialect::of_address(" grpc://localhost:50051"), Dialect::Spark);
    /// assert_eq!(Dialect::of_address("host=localhost dbname=shop"), Dialect::PostgreSql);
    /// ```
    pub fn of_address(address: &str) -> Self {
        let begins =
            |dialect: &Self| dialect.words().schemes().iter().any(|s| address.trim_start().starts_with(s));
        Self::ALL.into_iter().find(begins).unwrap_or_default()
    }

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
        self.words().says_out_of_range().iter().any(|said| message.contains(said))
    }

    /// The text that a server says it cannot read, and the type that it was to be read as.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::Type;
    /// let told = "invalid input syntax for type bigint: \"unreadable as month: 2024-13 :unreadable\"";
    /// let read = vembra_sql::Dialect::PostgreSql.unread(told);
    /// assert_eq!(read, Some(("2024-13".to_owned(), Type::from_name("month").unwrap_or(Type::Null))));
    /// ```
    pub fn unread(self, message: &str) -> Option<(String, Type)> {
        crate::reading::unread(message)
    }

    /// A fixed text.
    pub fn fixed_text(self, text: &str) -> String {
        self.words().literal(&Scalar::text(text), Type::Text)
    }
}

#[cfg(test)]
mod tests {
    use super::{Dialect, Words};
    use crate::functions::call;
    use crate::values::{Read, Value};
    use vembra_plan::{AggregateFunction, Function, Period, Scalar, Type};

    const BOTH: [Dialect; 2] = Dialect::ALL;

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

    /// Whole numbers that would wrap round are worked out as decimals where the server does not say.
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
