//! What servers say in different words.

use crate::refused::Refused;
use crate::values::{Read, Value};
use vembra_plan::{AggregateFunction, Function, Scalar, Type};

/// What is said in different words.
pub(crate) trait Words: Sync {
    /// How addresses of such servers begin.
    fn schemes(&self) -> &'static [&'static str];
    /// What a server says where a number left its range, if it is known by that.
    fn says_out_of_range(&self) -> &'static [&'static str] {
        &[]
    }
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
    /// The date of a year, a month and a day that exist.
    fn date(&self, year: &str, month: &str, day: &str) -> String {
        let [year, month, day] = [year, month, day].map(|part| self.cast_to(part, "integer"));
        format!("make_date({year}, {month}, {day})")
    }
    /// Whether a text is as a regular expression says.
    fn matches(&self, text: &str, pattern: &str) -> String;
    /// What stands where a text cannot be read as a type: an error of the server.
    fn unreadable(&self, text: &str, ty: Type) -> String;
    /// A part of a day or a time, as a whole number.
    fn part(&self, name: &str, of: &str) -> String;
    /// The day of the week, Monday being 1.
    fn weekday(&self, day: &str) -> String;
    /// A day this many days later.
    fn days_after(&self, day: &str, days: &str) -> String;
    /// The whole number of days from one day to another.
    fn days_between(&self, from: &str, to: &str) -> String;
    /// The whole part of a quotient of whole numbers.
    fn quotient(&self, left: &str, right: &str) -> String;
    /// A calculation with whole numbers, which must not leave their range.
    fn whole(&self, operator: char, left: &str, right: &str) -> String;
    /// A whole number past the last one, so that a row for which it is worked out is an error.
    fn out_of_range(&self, number: &str) -> String {
        self.whole('+', "9223372036854775807", &format!("({number} + 1)"))
    }
    /// The whole number below or above a value (`floor`, `ceil`), as `ty`.
    fn floor(&self, name: &str, value: &Value) -> String;
    /// A number rounded to this many places, halves away from zero.
    fn round(&self, value: &Value, places: i128) -> String;
    /// What this dialect says of a cast; none if it says what others say.
    fn cast(&self, value: &Value, ty: Type) -> Option<String>;
    /// What this dialect says of a call; none if it says what others say.
    fn call(&self, function: Function, args: &[Value]) -> Option<String>;
    /// A time or a moment with its seconds, and with a fraction that is not zero, as a text.
    fn clock_text(&self, sql: &str, _: Type) -> String {
        self.as_type(sql, Type::Text)
    }
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

    /// Whether the rest of a division of floats is one, to the last digit.
    fn has_float_rests(&self) -> bool {
        false
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
        _ => Scalar::from_physical(ty, 0),
    }
}
