//! A `PostgreSQL` server that answers statements itself: what its tables look like, and the rows that statements give.

use super::{AskedRows, Backend, NoAnswer, Shape, in_scale, no_figure, other_type, text_value, wanted_value};
use crate::loaded::ReadOptions;
use crate::postgres::{Kind, Unread, Value, asked, described, numeric};
use postgres::error::SqlState;
use postgres::types::{ToSql, Type as SqlType};
use postgres::{NoTls, Row, Transaction};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use vembra_engine::{ColumnBuilder, Table};
use vembra_plan::{Finding, Scalar, Type};
use vembra_sql::{Dialect, ServerColumn, Statement};

const DIALECT: Dialect = Dialect::PostgreSql;
/// So often it is looked whether a statement is to be stopped.
const LOOK_AGAIN: Duration = Duration::from_millis(20);

/// A server of `PostgreSQL`.
pub(super) struct PostgreSql {
    /// Its name in the model, and the variable that holds its address.
    pub(super) server: String,
    pub(super) variable: String,
    pub(super) address: String,
}

impl Backend for PostgreSql {
    fn shape(&self, name: &str, options: &ReadOptions) -> Result<Shape, Box<Finding>> {
        asked(name, &self.variable, &self.address, |_| (), |transaction| shape(name, transaction, options))
    }

    /// All in one snapshot.
    fn run(
        &self,
        statements: &[Statement],
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Result<Vec<AskedRows>, NoAnswer> {
        let done = AtomicBool::new(false);
        let (mut last, mut unread): (Option<SqlState>, Option<(String, Type)>) = (None, None);
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
            let found = asked(&self.server, &self.variable, &self.address, watch, |transaction| {
                // Compiling a statement takes longer than most of them do. How many rows a step gives is hard to foresee: a
                // loop within a loop is the worst that could come of a wrong guess. Where this program is gone, nobody waits for the rest.
                transaction.batch_execute(
                    "set local jit = off; set local enable_nestloop = off; set local client_connection_check_interval = '1s'",
                )?;
                let rows = |one: &Statement| rows_of(&self.server, transaction, one);
                let all: Result<Vec<AskedRows>, Unread> = statements.iter().map(rows).collect();
                // From here on nothing is cancelled: the connection may serve somebody else.
                done.store(true, Ordering::Relaxed);
                if let Err(Unread::Server(error)) = &all {
                    last = error.code().cloned();
                    unread = error.as_db_error().and_then(|error| DIALECT.unread(error.message()));
                }
                all
            });
            done.store(true, Ordering::Relaxed);
            found
        });
        found.map_err(|finding| match (last, unread) {
            (_, Some((text, ty))) => NoAnswer::Unreadable(text, ty),
            (Some(code), _) if code == SqlState::QUERY_CANCELED && stop() => NoAnswer::Stopped,
            (Some(code), _) if code == SqlState::NUMERIC_VALUE_OUT_OF_RANGE => NoAnswer::OutOfRange,
            _ => NoAnswer::Found(finding),
        })
    }
}

fn shape(name: &str, transaction: &mut Transaction<'_>, options: &ReadOptions) -> Result<Shape, Unread> {
    let mut columns = Vec::new();
    let mut values = BTreeMap::new();
    for (column, kind, natural) in described(name, transaction, options)? {
        let own = DIALECT.quoted_name(&column);
        let mut ty = natural;
        if kind == Kind::Numeric && natural == Type::Decimal(0) {
            // Without a declaration it has as many decimals as its values.
            let asked = format!(
                "select max(scale({own})) from {}",
                DIALECT.quoted(options.table.as_deref().unwrap_or_default())
            );
            let scale: Option<i32> = transaction.query_one(asked.as_str(), &[])?.try_get(0)?;
            ty = Type::Decimal(u8::try_from(scale.unwrap_or(0)).unwrap_or(38).min(38));
        }
        let plain = plain_value(name, &column, kind, options)?;
        let (value, ty) = wanted_value(DIALECT, (name, &column), (&plain, ty), options)?;
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
        Kind::Text | Kind::Named => text_value(DIALECT, options),
        _ => "{}".to_owned(),
    })
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
            return Err(no_figure(name).into());
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

/// A value that came back, as the type that was asked for; none if it cannot be read exactly.
fn value(row: &Row, at: usize, ty: Type) -> Result<Option<Scalar>, postgres::Error> {
    let bytes: Option<crate::postgres::Bytes<'_>> = row.try_get(at)?;
    let Some(bytes) = bytes else { return Ok(Some(Scalar::Null)) };
    let Some(kind) = Kind::of(row.columns()[at].type_()) else { return Ok(None) };
    if let (Kind::Numeric, Type::Decimal(scale)) = (kind, ty) {
        let physical = numeric(bytes.0).and_then(|(physical, own)| in_scale(physical, own, scale));
        return Ok(physical.map(|physical| Scalar::from_physical(ty, physical)));
    }
    Ok(kind.value(bytes.0).map(|value| match value {
        Value::Physical(physical) => Scalar::from_physical(ty, physical),
        Value::Float(float) => Scalar::Float(float),
        Value::Text(text) => Scalar::text(text),
    }))
}
