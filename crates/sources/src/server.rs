//! A `PostgreSQL` server that answers statements itself: what its tables look like, and the rows that statements give.

use crate::loaded::{Loaded, ReadOptions, finding};
use crate::postgres::{Kind, Unread, Value, asked, described, numeric};
use postgres::error::SqlState;
use postgres::types::{ToSql, Type as SqlType};
use postgres::{NoTls, Row, Transaction};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use vembra_engine::{ColumnBuilder, Table};
use vembra_plan::{Finding, Scalar, Type};
use vembra_sql::{ServerColumn, Statement, period_of_day, quoted, quoted_name};

/// So often it is looked whether a statement is to be stopped.
const LOOK_AGAIN: Duration = Duration::from_millis(20);

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

/// Why a server did not answer.
#[derive(Debug)]
pub enum NoAnswer {
    /// It was stopped.
    Stopped,
    /// A number left the range of its type.
    OutOfRange,
    /// Anything else.
    Found(Box<Finding>),
}

impl Server {
    fn address(&self, name: &str) -> Result<String, Box<Finding>> {
        crate::database::address(&self.name, &self.variable, name)
    }

    /// A table of the server without its rows: its columns with their types, and how their values are asked for.
    pub fn shape(&self, options: &ReadOptions) -> (Loaded, BTreeMap<String, ServerColumn>) {
        let name = format!("{} {}", self.name, options.table.as_deref().unwrap_or_default());
        let found = self.address(&name).and_then(|address| {
            asked(&name, &self.variable, &address, |_| (), |transaction| shape(&name, transaction, options))
        });
        match found {
            Ok((table, values)) => (Loaded { table, findings: Vec::new() }, values),
            Err(found) => (crate::loaded::failed(&name, vec![*found]), BTreeMap::new()),
        }
    }

    /// Runs statements in one snapshot, each after the other; `stop` says whether they are to be stopped.
    ///
    /// # Errors
    /// What the server says, without its address or a password.
    pub fn run(
        &self,
        statements: &[Statement],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<AskedRows>, NoAnswer> {
        let address = self.address(&self.name).map_err(NoAnswer::Found)?;
        let done = AtomicBool::new(false);
        let mut last: Option<SqlState> = None;
        let found = std::thread::scope(|scope| {
            let watch = |client: &postgres::Client| {
                let cancel = client.cancel_token();
                let done = &done;
                scope.spawn(move || {
                    while !done.load(Ordering::Relaxed) {
                        if stop() && cancel.cancel_query(NoTls).is_err() {
                            return;
                        }
                        std::thread::sleep(LOOK_AGAIN);
                    }
                });
            };
            let found = asked(&self.name, &self.variable, &address, watch, |transaction| {
                // Compiling a statement takes longer than most of them do. How many rows a step gives is hard to foresee: a
                // loop within a loop is the worst that could come of a wrong guess. Where this program is gone, nobody waits for the rest.
                transaction.batch_execute(
                    "set local jit = off; set local enable_nestloop = off; set local client_connection_check_interval = '1s'",
                )?;
                let rows = |one: &Statement| rows_of(&self.name, transaction, one);
                let all: Result<Vec<AskedRows>, Unread> = statements.iter().map(rows).collect();
                // From here on nothing is cancelled: the connection may serve somebody else.
                done.store(true, Ordering::Relaxed);
                if let Err(Unread::Server(error)) = &all {
                    last = error.code().cloned();
                }
                all
            });
            done.store(true, Ordering::Relaxed);
            found
        });
        found.map_err(|finding| match last {
            Some(code) if code == SqlState::QUERY_CANCELED && stop() => NoAnswer::Stopped,
            Some(code) if code == SqlState::NUMERIC_VALUE_OUT_OF_RANGE => NoAnswer::OutOfRange,
            _ => NoAnswer::Found(finding),
        })
    }
}

fn shape(
    name: &str,
    transaction: &mut Transaction<'_>,
    options: &ReadOptions,
) -> Result<(Table, BTreeMap<String, ServerColumn>), Unread> {
    let mut columns = Vec::new();
    let mut values = BTreeMap::new();
    for (column, kind, natural) in described(name, transaction, options)? {
        let own = quoted_name(&column);
        let mut ty = natural;
        if kind == Kind::Numeric && natural == Type::Decimal(0) {
            // Without a declaration it has as many decimals as its values.
            let asked = format!(
                "select max(scale({own})) from {}",
                quoted(options.table.as_deref().unwrap_or_default())
            );
            let scale: Option<i32> = transaction.query_one(asked.as_str(), &[])?.try_get(0)?;
            ty = Type::Decimal(u8::try_from(scale.unwrap_or(0)).unwrap_or(38).min(38));
        }
        let plain = plain_value(name, &column, kind, options)?;
        let wanted = options.columns.iter().find(|c| c.name == column);
        // A decimal without digits of its own has as many decimals as the server says.
        let any_digits = |wanted: &Type| matches!((wanted, ty), (Type::Decimal(_), Type::Decimal(_)));
        let wanted = wanted.and_then(|c| c.ty.filter(|wanted| c.digits.is_some() || !any_digits(wanted)));
        let (value, ty) = match wanted.filter(|wanted| *wanted != ty) {
            None => (plain, ty),
            Some(wanted) => (as_wanted(name, &column, (&plain, ty), wanted)?, wanted),
        };
        columns.push((column.clone(), ColumnBuilder::new(ty).finish().into()));
        values.insert(column, ServerColumn { value });
    }
    Ok((Table { columns, rows: 0, origin: name.to_owned(), ..Table::default() }, values))
}

/// The value of a column in the type that it has by itself.
fn plain_value(name: &str, column: &str, kind: Kind, options: &ReadOptions) -> Result<String, Unread> {
    Ok(match kind {
        Kind::Short | Kind::Int => "{}::bigint".to_owned(),
        Kind::Real => "{}::double precision".to_owned(),
        Kind::Instant if options.forms.zone.is_none_or(vembra_plan::Zone::is_utc) => {
            "({} at time zone 'UTC')".to_owned()
        }
        Kind::Instant => {
            return Err(other_type(name, column, "a moment with an offset", "a moment of a time zone").into());
        }
        Kind::Text | Kind::Named => {
            let mut value = "({}::text collate \"C\")".to_owned();
            for missing in &options.missing {
                value = format!("nullif({value}, '{}')", missing.replace('\'', "''"));
            }
            value
        }
        _ => "{}".to_owned(),
    })
}

/// The value of a column in the type that the model wants, where that changes no value.
fn as_wanted(name: &str, column: &str, (plain, ty): (&str, Type), wanted: Type) -> Result<String, Unread> {
    Ok(match (ty, wanted) {
        (Type::Integer, Type::Decimal(_)) => format!("{plain}::numeric"),
        (Type::Decimal(own), Type::Decimal(scale)) if own <= scale => plain.to_owned(),
        (Type::Integer | Type::Decimal(_), Type::Float) => format!("{plain}::double precision"),
        (Type::Integer, Type::Period(period)) if period.reads_as_integer() => plain.to_owned(),
        (Type::Date, Type::Period(period)) => period_of_day(period, plain, 1),
        (Type::Integer | Type::Boolean, Type::Text) => format!("({plain}::text collate \"C\")"),
        _ => return Err(other_type(name, column, &ty.with_article(), &wanted.with_article()).into()),
    })
}

fn other_type(name: &str, column: &str, there: &str, wanted: &str) -> Finding {
    let message = format!("the column is {there} on the server, and the model wants {wanted}");
    let help = "leave the type out of the model, or turn the column into it by a view on the server";
    Finding { column: Some(column.to_owned()), ..finding("V648", name, message, help) }
}

fn rows_of(name: &str, transaction: &mut Transaction<'_>, asked: &Statement) -> Result<AskedRows, Unread> {
    let texts: Vec<Bound> = asked.binds.iter().map(Bound::of).collect();
    let binds: Vec<&(dyn ToSql + Sync)> = texts.iter().map(Bound::as_sql).collect();
    let types: Vec<SqlType> = texts.iter().map(Bound::ty).collect();
    let statement = transaction.prepare_typed(&asked.sql, &types)?;
    let mut all = Vec::new();
    for row in transaction.query(&statement, &binds)? {
        let values = asked.columns.iter().enumerate().map(|(at, ty)| value(&row, at, *ty));
        let values: Option<Vec<Scalar>> = values.collect::<Result<Option<Vec<_>>, postgres::Error>>()?;
        let Some(values) = values else {
            let message = "a figure is infinite, no number, or has more than 38 digits".to_owned();
            return Err(finding(
                "V618",
                name,
                message,
                "leave such rows out by a condition, or mend the data",
            )
            .into());
        };
        all.push(values);
    }
    Ok(all)
}

/// A value that is bound to a parameter.
enum Bound {
    Integer(i64),
    Float(f64),
    Boolean(bool),
    Text(String),
}

impl Bound {
    fn of(value: &Scalar) -> Self {
        match value {
            Scalar::Integer(n) => Self::Integer(*n),
            Scalar::Period(_, index) => Self::Integer((*index).into()),
            Scalar::Float(x) => Self::Float(*x),
            Scalar::Boolean(b) => Self::Boolean(*b),
            other => Self::Text(other.to_string()),
        }
    }

    fn as_sql(&self) -> &(dyn ToSql + Sync) {
        match self {
            Self::Integer(n) => n,
            Self::Float(x) => x,
            Self::Boolean(b) => b,
            Self::Text(t) => t,
        }
    }

    fn ty(&self) -> SqlType {
        match self {
            Self::Integer(_) => SqlType::INT8,
            Self::Float(_) => SqlType::FLOAT8,
            Self::Boolean(_) => SqlType::BOOL,
            Self::Text(_) => SqlType::TEXT,
        }
    }
}

/// A value that came back, as the type that was asked for; none if it cannot be told exactly.
fn value(row: &Row, at: usize, ty: Type) -> Result<Option<Scalar>, postgres::Error> {
    let bytes: Option<crate::postgres::Bytes<'_>> = row.try_get(at)?;
    let Some(bytes) = bytes else { return Ok(Some(Scalar::Null)) };
    let Some(kind) = Kind::of(row.columns()[at].type_()) else { return Ok(None) };
    if let (Kind::Numeric, Type::Decimal(scale)) = (kind, ty) {
        let lane = numeric(bytes.0).and_then(|(lane, own)| in_scale(lane, own, scale));
        return Ok(lane.map(|lane| Scalar::from_lane(ty, lane)));
    }
    Ok(kind.value(bytes.0).map(|value| match value {
        Value::Lane(lane) => Scalar::from_lane(ty, lane),
        Value::Float(float) => Scalar::Float(float),
        Value::Text(text) => Scalar::text(text),
    }))
}

/// A lane with some decimals as one with others, where no digit is lost.
fn in_scale(lane: i128, own: u8, scale: u8) -> Option<i128> {
    if own <= scale {
        let lane = lane.checked_mul(10_i128.checked_pow((scale - own).into())?)?;
        return (lane.unsigned_abs() < 10_u128.pow(38)).then_some(lane);
    }
    let unit = 10_i128.checked_pow((own - scale).into())?;
    (lane % unit == 0).then_some(lane / unit)
}
