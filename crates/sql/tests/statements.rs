//! Statements of many queries in each dialect, looked at as text: steps that are named once and used, brackets and quotes that are closed, values
//! that are bound and never written, limits before anything else. No server is needed; whether the figures are right is tried on servers.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

#[path = "../../model/tests/common/mod.rs"]
mod common;

use std::collections::{BTreeMap, BTreeSet};
use vembra_engine::{ColumnBuilder, Table};
use vembra_model::lower;
use vembra_plan::{ColumnId, During, LinkId, Plan, TableKind};
use vembra_sql::{Beforehand, Dialect, Refused, ServerColumn, ServerTable, Source, Statement, list, query};

const FORMULAS: &str = "\
column sale.net = price * (1 - rate)
column sale.is_large = (sum(net) per order_no) > 100
measure earned = sum(net)
measure mean_earned = avg(earned per order_no)
viewer north sees only area.region = 'North ''s; drop'
";

/// The model, and where its tables are.
struct Server {
    model: common::Star,
    tables: BTreeMap<vembra_plan::TableId, ServerTable>,
    star: vembra_engine::Star,
}

impl Server {
    fn new() -> Self {
        let model = common::Star::with(FORMULAS);
        let schema = &model.model.schema;
        let stored = schema
            .table_ids()
            .filter(|t| matches!(schema.table(*t).kind, TableKind::Fact | TableKind::Dimension));
        let tables = stored.map(|id| {
            let def = schema.table(id);
            let columns = def.columns.iter().map(|c| schema.column(*c)).filter(|c| c.formula.is_none());
            let columns =
                columns.map(|c| (c.name.clone(), ServerColumn { value: "{}".to_owned() })).collect();
            (id, ServerTable { name: format!("store.{}", def.name), columns })
        });
        let tables = tables.collect();
        // The columns are known here, and their rows are there.
        let empty = schema.tables.iter().map(|def| {
            let stored = !matches!(def.kind, TableKind::Calendar { .. });
            let columns = def.columns.iter().filter(|_| stored).map(|c| schema.column(*c));
            let columns =
                columns.map(|c| (c.name.clone(), ColumnBuilder::new(c.ty).finish().into())).collect();
            Table { columns, ..Table::default() }
        });
        let empty = empty.collect();
        let star = vembra_engine::Star::new(schema.clone(), empty);
        Self { model, tables, star }
    }

    /// The statements of a query, for everyone or for the viewer.
    fn statements(&self, text: &str, dialect: Dialect, limited: bool) -> Result<Vec<Statement>, Refused> {
        let Self { model: common::Star { model, sources }, tables, star } = self;
        let limits = if limited {
            lower::limits(model, sources, &model.viewers[0].conditions).unwrap()
        } else {
            Vec::new()
        };
        let source = Source {
            dialect,
            schema: &model.schema,
            tables,
            derived: &BTreeMap::new(),
            here: &BTreeSet::new(),
            limits: &limits,
            star,
            before: &Known,
        };
        match self.model.rewritten(text) {
            (Some(Plan::Query(plan)), _) => query(&source, &plan),
            (Some(Plan::List(plan)), _) => list(&source, &plan).map(Vec::from),
            (None, said) => panic!("{text}: {said:?}"),
        }
    }
}

/// What the data would say.
struct Known;

impl Beforehand for Known {
    fn last_day(&self, _: &During) -> Result<Option<i32>, Refused> {
        Ok(Some(20_453))
    }

    fn is_settled(&self, _: LinkId, _: ColumnId) -> Result<bool, Refused> {
        Ok(true)
    }
}

const QUERIES: [&str; 29] = [
    "show earned",
    "rows calendar.month show earned, (earned via shipped) as shipped",
    "rows goods.kind columns calendar.year show earned, count(rows of sale) as n totals on rows, on columns",
    "rows area.region show earned, wanted_all",
    "rows calendar.fiscal_quarter show mean_earned totals on rows",
    "rows shop.name show earned where goods.kind = 'it''s; drop table x' and quantity > :least",
    "rows shop.name show earned where note like 'a%' and not paid or seen > '2025-01-01 10:00'",
    "rows calendar.month show earned, (earned during year to date) as so_far, (earned during 1 year earlier) as before",
    "rows calendar.month show (earned during last 3 months) as three, (earned during previous month) as last, (earned during all before) as all_before",
    "rows goods.name show earned top 5 goods.name by earned with ties, rest as 'The others'",
    "rows goods.kind, goods.name show earned top 2 goods.name by earned within goods.kind having earned > 10 totals on rows",
    "rows goods.kind show share(earned among goods.kind) as s, rank(earned among goods.kind) as r, running(earned by goods.kind) as u",
    "rows calendar.month show lag(earned by calendar.month) as l, (earned pooling goods) as p",
    "rows sale.is_large show earned, count(distinct order_no) as orders",
    "show count(earned per order_no where (earned per order_no) > (avg(earned per order_no) overall)) as n",
    "rows area.region show max(sum(earned per order_no) per shop.code) as m",
    "rows taste.word show earned totals on rows",
    "rows goods.kind show earned where taste.word = 'sweet'",
    "rows taste.word show earned top 2 taste.word by earned rest as 'The others'",
    "rows goods.kind show earned where (earned per taste.word) > 5",
    "show count(rows of sale where make_date(2024, quantity, 1) < ordered_on and cast(note as decimal) > 1.5) as n",
    "rows extract(month from ordered_on) as m show min(price) as a, max(price) as b, avg(quantity) as c, count(distinct code) as d",
    "rows band(quantity, 0, 5, 10) as size show any(paid) as a, every(paid) as e, first(note by ordered_on) as f",
    "rows case when quantity > 3 then 'many' else 'few' end as amount show earned",
    "rows upper(goods.name) as n, coalesce(note, 'none') as c show earned",
    "rows calendar.weekday, calendar.week show earned keep empty",
    "list order_no, shop.name, net, is_large from sale where net > 5 sort net descending, order_no limit 7",
    "list sku, (earned per sku) as sold from goods where kind is not null sort sold",
    "rows shop.code show earned, (earned pooling area.region) as r, (earned pooling all but (area.region)) as k",
];

/// The text outside of quotes, with a mark in the place of each quoted part.
fn without_quotes(sql: &str) -> String {
    let mut plain = String::new();
    let mut chars = sql.chars();
    while let Some(c) = chars.next() {
        if matches!(c, '\'' | '"' | '`') {
            let mut closed = false;
            for inner in chars.by_ref() {
                if inner == c {
                    closed = true;
                    break;
                }
            }
            assert!(closed, "a quote is open: {sql}");
            plain.push('Q');
        } else {
            plain.push(c);
        }
    }
    plain
}

/// The names of the steps of a statement, as they are defined.
fn steps(sql: &str) -> Vec<String> {
    let start = |line: &str| {
        let line = line.trim_start_matches("with ").trim_start_matches("recursive ").trim();
        line.strip_suffix(" as (").or_else(|| line.strip_suffix(" as materialized (")).map(str::to_owned)
    };
    sql.lines().filter_map(start).filter(|name| !name.contains(' ')).collect()
}

fn each(mut test: impl FnMut(&str, Dialect, bool, &Statement)) -> (usize, Vec<String>) {
    let server = Server::new();
    let (mut made, mut refused) = (0, Vec::new());
    for text in QUERIES {
        for dialect in [Dialect::PostgreSql, Dialect::Spark] {
            for limited in [false, true] {
                match server.statements(text, dialect, limited) {
                    Ok(statements) => {
                        assert!(!statements.is_empty(), "{text}");
                        made += statements.len();
                        statements.iter().for_each(|statement| test(text, dialect, limited, statement));
                    }
                    Err(error) => {
                        assert!(!error.to_string().contains("internal"), "{text}: {error}");
                        assert!(
                            error.to_string().ends_with("cannot be worked out on the server")
                                && !error.help.is_empty(),
                            "{text}: {error}"
                        );
                        refused.push(format!("{text} ({dialect:?}): {error}"));
                    }
                }
            }
        }
    }
    (made, refused)
}

#[test]
fn steps_are_named_once_and_used() {
    let mut named_steps = 0;
    let (made, refused) = each(|text, dialect, _, statement| {
        let plain = without_quotes(&statement.sql);
        let depth = plain.chars().fold(0_i32, |depth, c| {
            let depth = depth + i32::from(c == '(') - i32::from(c == ')');
            assert!(depth >= 0, "{text} ({dialect:?}) closes what is not open\n{}", statement.sql);
            depth
        });
        assert_eq!(depth, 0, "{text} ({dialect:?})\n{}", statement.sql);
        let steps = steps(&statement.sql);
        let different: BTreeSet<&String> = steps.iter().collect();
        assert_eq!(different.len(), steps.len(), "{text} ({dialect:?}): {steps:?}");
        named_steps += steps.len();
        for step in &steps {
            let named = statement
                .sql
                .split(|c: char| !(c.is_alphanumeric() || "_\"`".contains(c)))
                .filter(|word| word == step)
                .count();
            assert!(named > 1, "{text} ({dialect:?}): nobody asks {step}\n{}", statement.sql);
        }
    });
    assert!(made > 100 && named_steps > 3 * made, "{named_steps} steps of {made} statements");
    // What a server is not asked for is the exception.
    assert!(refused.len() * 10 < made, "{}", refused.join("\n"));
}

#[test]
fn values_are_bound_or_written_so_that_they_cannot_end_their_text() {
    each(|text, dialect, _, statement| {
        let plain = without_quotes(&statement.sql);
        assert!(
            !statement.sql.to_lowercase().contains("drop table"),
            "{text} ({dialect:?})\n{}",
            statement.sql
        );
        assert!(!statement.sql.contains("it's"), "{text} ({dialect:?})\n{}", statement.sql);
        let mut numbers: Vec<usize> = plain
            .split('$')
            .skip(1)
            .map(|rest| rest.chars().take_while(char::is_ascii_digit).collect::<String>().parse().unwrap())
            .collect();
        numbers.sort_unstable();
        numbers.dedup();
        match dialect {
            // Each value has its parameter, and each parameter its value.
            Dialect::PostgreSql => assert_eq!(
                numbers,
                (1..=statement.binds.len()).collect::<Vec<_>>(),
                "{text}\n{}",
                statement.sql
            ),
            // That protocol takes no values: texts that could end a literal are written by their bytes.
            Dialect::Spark => {
                assert!(numbers.is_empty() && statement.binds.is_empty(), "{text}\n{}", statement.sql);
            }
        }
    });
}

#[test]
fn hidden_rows_are_left_out_where_rows_are_read() {
    let server = Server::new();
    for text in QUERIES {
        let Ok(open) = server.statements(text, Dialect::PostgreSql, false) else { continue };
        let Ok(limited) = server.statements(text, Dialect::PostgreSql, true) else { continue };
        for (open, limited) in open.iter().zip(&limited) {
            let hidden = |statement: &Statement| {
                statement.binds.iter().filter(|b| b.to_string() == "North 's; drop").count()
            };
            // What reaches no area is not limited.
            let reads = ["sale", "goal", "shop", "area"]
                .iter()
                .any(|t| limited.sql.contains(&format!("\"store\".\"{t}\"")));
            assert_eq!(hidden(limited) > 0, reads, "{text}\n{}", limited.sql);
            assert_eq!(hidden(open), 0, "{text}");
            assert_eq!(open.columns, limited.columns, "{text}: what comes back has the same types");
        }
    }
}

#[test]
fn rows_of_facts_do_not_leave_the_server_for_figures() {
    // The last step of a query for figures groups; only a list gives rows.
    let server = Server::new();
    for text in QUERIES.iter().filter(|q| !q.starts_with("list")) {
        for statement in server.statements(text, Dialect::PostgreSql, false).into_iter().flatten() {
            let last = statement.sql.rsplit("\n)\n").next().unwrap_or_default();
            assert!(
                !last.contains("\"store\"")
                    || last.contains("group by")
                    || last.contains("sum(")
                    || last.contains("count("),
                "{text}\n{last}"
            );
        }
    }
}

#[test]
fn the_same_query_gives_the_same_text_each_time() {
    for text in QUERIES {
        for dialect in [Dialect::PostgreSql, Dialect::Spark] {
            let once = Server::new().statements(text, dialect, true);
            let again = Server::new().statements(text, dialect, true);
            assert_eq!(once, again, "{text}");
            for statement in once.into_iter().flatten() {
                let by_hand = statement.by_hand();
                assert!(by_hand.contains(&statement.sql) && by_hand.trim_end().ends_with(';'), "{by_hand}");
            }
        }
    }
}

#[test]
fn days_are_told_for_members_that_never_come_together() {
    // A month, all days up to it, a year of these, and the whole of that year: months of one year stand beside the year before.
    let server = Server::new();
    let text = "rows calendar.month show (sum((earned during whole year) during all to date per calendar.year)) as f";
    let [statement] = server.statements(text, Dialect::PostgreSql, false).unwrap().try_into().unwrap();
    // January 2025 is month 24300.
    for year in ["2024", "2025"] {
        let told = format!("(24300::bigint, 0, {year}::bigint, 0, date '{year}-01-01', date '{year}-12-31')");
        assert!(statement.sql.contains(&told), "{told}");
    }
}
