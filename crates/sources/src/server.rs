//! Servers that answer statements themselves: what their tables look like, and the rows that statements give.

#[cfg(feature = "flight")]
mod flight;
#[cfg(feature = "postgres")]
mod postgres;

use crate::loaded::{Loaded, ReadOptions};
use std::collections::BTreeMap;
use vembra_engine::Table;
use vembra_plan::{Code, Finding, Scalar, Type};
use vembra_sql::{Dialect, ServerColumn, Statement, period_of_day};

#[cfg(feature = "flight")]
pub(crate) use flight::read as read_flight;

/// A server, by its name in the model and the variable of the environment that says where it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Server {
    /// Its name in the model.
    pub name: String,
    /// The variable.
    pub variable: String,
}

/// The rows of a statement.
pub type AskedRows = Vec<Vec<Scalar>>;

/// A table without rows, and how the values of its columns are asked for.
type Shape = (Table, BTreeMap<String, ServerColumn>);

/// Why a server did not answer.
#[derive(Debug)]
pub enum NoAnswer {
    /// It was stopped.
    Stopped,
    /// A number left the range of its type.
    OutOfRange,
    /// A text cannot be read as a type.
    Unreadable(String, Type),
    /// Anything else.
    Found(Box<Finding>),
}

/// A way to ask a kind of server.
trait Backend {
    /// A table without its rows: its columns with their types, and how their values are asked for.
    fn shape(&self, name: &str, options: &ReadOptions) -> Result<Shape, Box<Finding>>;

    /// Runs statements, each after the other; `stop` says whether they are to be stopped.
    fn run(
        &self,
        statements: &[Statement],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<AskedRows>, NoAnswer>;
}

impl Server {
    /// What the server speaks, by its address.
    ///
    /// # Errors
    /// When the environment does not say where the server is.
    pub fn dialect(&self) -> Result<Dialect, Box<Finding>> {
        Ok(Dialect::of_address(&self.address(&self.name)?))
    }

    /// A table of the server without its rows: its columns with their types, and how their values are asked for.
    pub fn shape(&self, options: &ReadOptions) -> (Loaded, BTreeMap<String, ServerColumn>) {
        let name = format!("{} {}", self.name, options.table.as_deref().unwrap_or_default());
        match self.backend(&name).and_then(|backend| backend.shape(&name, options)) {
            Ok((table, values)) => (Loaded { table, findings: Vec::new() }, values),
            Err(found) => (crate::loaded::failed(&name, vec![*found]), BTreeMap::new()),
        }
    }

    /// Runs statements, each after the other; `stop` says whether they are to be stopped. A server that has snapshots gives all rows from
    /// one of them.
    ///
    /// # Errors
    /// What the server says, without its address or a password.
    pub fn run(
        &self,
        statements: &[Statement],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<AskedRows>, NoAnswer> {
        self.backend(&self.name).map_err(NoAnswer::Found)?.run(statements, stop)
    }

    fn address(&self, name: &str) -> Result<String, Box<Finding>> {
        crate::address::address(&self.name, &self.variable, name)
    }

    fn backend(&self, name: &str) -> Result<Box<dyn Backend>, Box<Finding>> {
        let address = self.address(name)?;
        match Dialect::of_address(&address) {
            Dialect::Spark => self.by_flight(name, address),
            Dialect::PostgreSql => self.by_postgres(name, address),
        }
    }

    #[cfg(feature = "flight")]
    #[allow(clippy::unnecessary_wraps)] // As it is without the feature.
    fn by_flight(&self, _: &str, address: String) -> Result<Box<dyn Backend>, Box<Finding>> {
        let (server, variable) = (self.name.clone(), self.variable.clone());
        Ok(Box::new(flight::Flight { server, variable, address }))
    }

    #[cfg(not(feature = "flight"))]
    #[allow(clippy::unused_self)] // As it is with the feature.
    fn by_flight(&self, name: &str, _: String) -> Result<Box<dyn Backend>, Box<Finding>> {
        Err(left_out(name, "Arrow Flight SQL", "flight"))
    }

    #[cfg(feature = "postgres")]
    #[allow(clippy::unnecessary_wraps)] // As it is without the feature.
    fn by_postgres(&self, _: &str, address: String) -> Result<Box<dyn Backend>, Box<Finding>> {
        let (server, variable) = (self.name.clone(), self.variable.clone());
        Ok(Box::new(postgres::PostgreSql { server, variable, address }))
    }

    #[cfg(not(feature = "postgres"))]
    #[allow(clippy::unused_self)] // As it is with the feature.
    fn by_postgres(&self, name: &str, _: String) -> Result<Box<dyn Backend>, Box<Finding>> {
        Err(left_out(name, "PostgreSQL", "postgres"))
    }
}

#[cfg(not(all(feature = "flight", feature = "postgres")))]
fn left_out(name: &str, kind: &str, feature: &str) -> Box<Finding> {
    let message = format!("this program was built without the way to servers of {kind}");
    let help = format!("build it with the feature {feature}, or load the tables from files");
    Box::new(Finding::new(Code::V635, name, message, &help))
}

/// The value of a column as the model wants it: `plain` as the server has it, or turned into another type where that changes no value.
fn wanted_value(
    dialect: Dialect,
    (name, column): (&str, &str),
    (plain, ty): (&str, Type),
    options: &ReadOptions,
) -> Result<(String, Type), Box<Finding>> {
    let wanted = options.columns.iter().find(|c| c.name == column);
    // A decimal without digits of its own has as many decimals as the server says.
    let any_digits = |wanted: &Type| matches!((wanted, ty), (Type::Decimal(_), Type::Decimal(_)));
    let wanted = wanted.and_then(|c| c.ty.filter(|wanted| c.digits.is_some() || !any_digits(wanted)));
    let Some(wanted) = wanted.filter(|wanted| *wanted != ty) else { return Ok((plain.to_owned(), ty)) };
    let value = match (ty, wanted) {
        (Type::Integer, Type::Decimal(_)) => dialect.as_type(plain, wanted),
        (Type::Decimal(own), Type::Decimal(scale)) if own <= scale && dialect == Dialect::PostgreSql => {
            plain.to_owned()
        }
        (Type::Decimal(own), Type::Decimal(scale)) if own <= scale => dialect.as_type(plain, wanted),
        (Type::Integer | Type::Decimal(_), Type::Float) => dialect.as_type(plain, wanted),
        (Type::Integer, Type::Period(period)) if period.reads_as_integer() => plain.to_owned(),
        (Type::Date, Type::Period(period)) => period_of_day(dialect, period, plain, 1),
        (Type::Integer | Type::Boolean, Type::Text) => dialect.text(&dialect.as_type(plain, wanted)),
        _ => return Err(other_type(name, column, &ty.with_article(), &wanted.with_article())),
    };
    Ok((value, wanted))
}

/// A text of a server, with what stands for a missing one taken out.
fn text_value(dialect: Dialect, options: &ReadOptions) -> String {
    let mut value = match dialect {
        Dialect::PostgreSql => dialect.text(&dialect.as_type("{}", Type::Text)),
        Dialect::Spark => "{}".to_owned(),
    };
    for missing in &options.missing {
        value = format!("nullif({value}, {})", dialect.fixed_text(missing));
    }
    value
}

fn other_type(name: &str, column: &str, there: &str, wanted: &str) -> Box<Finding> {
    let message = format!("the column is {there} on the server, and the model wants {wanted}");
    let help = "leave the type out of the model, or turn the column into it by a view on the server";
    Box::new(Finding { column: Some(column.to_owned()), ..Finding::new(Code::V648, name, message, help) })
}

/// A figure that is none of ours.
fn no_figure(name: &str) -> Finding {
    let message = "a figure is infinite, no number, or has more than 38 digits".to_owned();
    Finding::new(Code::V618, name, message, "leave such rows out by a condition, or fix the data")
}

/// A physical value with some decimals as one with others, where no digit is lost.
fn in_scale(physical: i128, own: u8, scale: u8) -> Option<i128> {
    if own <= scale {
        let physical = physical.checked_mul(10_i128.checked_pow((scale - own).into())?)?;
        return (physical.unsigned_abs() < 10_u128.pow(38)).then_some(physical);
    }
    let unit = 10_i128.checked_pow((own - scale).into())?;
    (physical % unit == 0).then_some(physical / unit)
}
