//! Statements that look at the data of a server: how many rows there are, and what is wrong with keys, links and hierarchies.

use crate::builder::Builder;
use crate::dialect::Dialect;
use crate::refused::Refused;
use crate::rows::Rows;
use crate::source::{ServerTable, Source};
use crate::statement::Statement;
use vembra_plan::{ColumnId, ColumnRef, LinkId, TableId, Type};

/// A key that several rows of a table of the server have, by the names of its columns; none if a column is not stored there.
pub fn twice(dialect: Dialect, table: &ServerTable, names: &[&str]) -> Option<Statement> {
    let value = |name: &&str| table.columns.get(*name).map(|column| column.of(dialect, name));
    let values: Vec<String> = names.iter().map(value).collect::<Option<_>>()?;
    let known: Vec<String> = values.iter().map(|v| format!("{v} is not null")).collect();
    let texts: Vec<String> = values.iter().map(|v| dialect.as_type(&format!("({v})"), Type::Text)).collect();
    let sql = format!(
        "select {} from {} where {} group by {} having count(*) > 1 limit 1",
        texts.join(" || ', ' || "),
        dialect.quoted(&table.name),
        known.join(" and "),
        values.join(", ")
    );
    Some(Statement { sql, binds: Vec::new(), columns: vec![Type::Text] })
}

/// The first and the last day of a column of the server; none if it is not stored there.
pub fn edges(dialect: Dialect, table: &ServerTable, name: &str) -> Option<Statement> {
    let value = table.columns.get(name)?.of(dialect, name);
    let edge = |edge: &str| dialect.as_type(&format!("{edge}({value})"), Type::Date);
    let sql = format!("select {}, {} from {}", edge("min"), edge("max"), dialect.quoted(&table.name));
    Some(Statement { sql, binds: Vec::new(), columns: vec![Type::Date, Type::Date] })
}

/// How many rows a table has, and how many of them have a value in each of its stored columns.
///
/// # Errors
/// What cannot be said.
pub fn counts(source: &Source<'_>, table: TableId) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let rows = builder.rows(table)?;
    let mut columns = vec!["count(*)".to_owned()];
    for column in stored(source, table) {
        columns.push(format!("count({})", builder.own_column(table, column)));
    }
    let types = vec![Type::Integer; columns.len()];
    builder.finish(&format!("select {}\nfrom {}", columns.join(", "), rows.from()), types)
}

/// The stored columns of a table, in their order.
pub fn stored(source: &Source<'_>, table: TableId) -> Vec<ColumnId> {
    let columns = source.schema.table(table).columns.iter().copied();
    columns.filter(|c| source.schema.column(*c).formula.is_none()).collect()
}

/// A key that a link starts from and no row of its target has, and how many rows have such keys.
///
/// # Errors
/// What cannot be said.
pub fn orphans(source: &Source<'_>, link: LinkId) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let schema = source.schema;
    let (table, def) = (schema.link_source(link), schema.link(link));
    let mut rows = builder.rows(table)?;
    let mut known = Vec::new();
    for from in &def.from {
        known.push(own_value(&mut builder, &mut rows, *from)?);
    }
    let landing = builder.landing(&mut rows, &[link])?;
    let all: Vec<String> = known.iter().map(|sql| format!("{sql} is not null")).collect();
    let body = format!(
        "select min({}), count(*)\nfrom {}\nwhere {} and {landing} is null",
        text(&builder, &known[0]),
        rows.from(),
        all.join(" and ")
    );
    builder.finish(&body, vec![Type::Text, Type::Integer])
}

/// The different values of two stored or computed columns that stand together in a row, the first one known.
///
/// # Errors
/// What cannot be said.
pub fn pairs(source: &Source<'_>, column: ColumnId, other: ColumnId) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let schema = source.schema;
    let mut rows = builder.rows(schema.column(column).table)?;
    let first = own_value(&mut builder, &mut rows, column)?;
    let second = own_value(&mut builder, &mut rows, other)?;
    let body = format!("select distinct {first}, {second}\nfrom {}\nwhere {first} is not null", rows.from());
    builder.finish(&body, vec![schema.column(column).ty, schema.column(other).ty])
}

/// A member of a finer attribute that stands with two members of a coarser one, and these.
///
/// # Errors
/// What cannot be said.
pub fn undetermined(source: &Source<'_>, finer: ColumnId, coarser: ColumnId) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let schema = source.schema;
    let mut rows = builder.rows(schema.column(finer).table)?;
    let finer = own_value(&mut builder, &mut rows, finer)?;
    let coarser = own_value(&mut builder, &mut rows, coarser)?;
    let other = text(&builder, &coarser);
    let body = format!(
        "select {}, min({other}), case when count({coarser}) = count(*) then max({other}) end\nfrom {}\n\
         where {finer} is not null\ngroup by {finer}\nhaving {}\norder by 1\nlimit 1",
        text(&builder, &finer),
        rows.from(),
        differs(&coarser)
    );
    builder.finish(&body, vec![Type::Text; 3])
}

/// One row if rows that a link by a coarser attribute leads to have different values in a column, or some of them none.
///
/// # Errors
/// What cannot be said.
pub fn differing(source: &Source<'_>, link: LinkId, column: ColumnId) -> Result<Statement, Refused> {
    let mut builder = Builder::new(source);
    let mut rows = builder.rows(source.schema.link_target(link))?;
    let mut by = Vec::new();
    for to in &source.schema.link(link).to {
        by.push(own_value(&mut builder, &mut rows, *to)?);
    }
    let own = own_value(&mut builder, &mut rows, column)?;
    let known: Vec<String> = by.iter().map(|by| format!("{by} is not null")).collect();
    let body = format!(
        "select count(*) as here\nfrom {}\nwhere {}\ngroup by {}\nhaving {}\nlimit 1",
        rows.from(),
        known.join(" and "),
        by.join(", "),
        differs(&own)
    );
    builder.finish(&body, vec![Type::Integer])
}

/// Whether the rows of a group have different values, or some of them none.
fn differs(value: &str) -> String {
    format!("count(distinct {value}) > 1 or (count({value}) > 0 and count({value}) < count(*))")
}

/// A column of rows, stored or computed.
fn own_value(builder: &mut Builder<'_>, rows: &mut Rows, column: ColumnId) -> Result<String, Refused> {
    let own = ColumnRef { path: Vec::new(), column, ty: builder.source.schema.column(column).ty };
    Ok(builder.column(rows, &own)?.sql)
}

/// A value as a text, compared by code points.
fn text(builder: &Builder<'_>, sql: &str) -> String {
    let words = builder.words();
    words.text(&words.as_type(sql, Type::Text))
}
