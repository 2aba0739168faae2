//! From a line of an answer to the query for its parts.

use crate::refine::{where_edit, without_comments};
use crate::target::{Target, target_of};
use vembra_engine::Member;
use vembra_model::Model;
use vembra_plan::{ColumnId, Scalar};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{SourceId, SyntaxKind, parse_query, quote_name};

/// The query for the parts of one of the lines of an answer, by its number from 0: the same one, only where the line stands, split by one attribute more. That is the next level of a
/// hierarchy, or the one that is named; a line over several lines is opened into these. A walked hierarchy is walked further.
///
/// # Errors
/// In words, when the line has no parts or nothing says by what it is split.
pub fn drill(
    model: &Model,
    query: &str,
    lines: &[Vec<Member>],
    line: usize,
    by: Option<&str>,
) -> Result<String, String> {
    let members = lines.get(line).map_or(&[][..], Vec::as_slice);
    let query = &*without_comments(query);
    let root = parse_query(SourceId(0), query).root;
    let clause = root.children().find(|n| n.kind() == SyntaxKind::RowsClause);
    let clause = clause.ok_or("the answer is not split by rows: there are no lines to open")?;
    let items: Vec<ast::Item> = clause.children().filter_map(ast::Item::cast).collect();
    let fixed: Vec<&Member> = members.iter().take_while(|m| **m != Member::All).collect();
    let Some(last) = fixed.last() else {
        return Err("this is the total: its parts are the lines above or below it".to_owned());
    };
    if let [only] = items.as_slice()
        && let Some(Target::Hierarchy(_)) = target(model, only)
        && by.is_none()
    {
        return walked(query, only, last);
    }
    if fixed.len() > items.len() {
        return Err("a walked hierarchy beside other attributes is opened in the query: open '…'".to_owned());
    }
    let mut conditions = Vec::new();
    for (at, (item, member)) in items.iter().zip(&fixed).enumerate() {
        // Where a key is unknown there is no value either: a condition could not distinguish the two.
        if **member == Member::None && lines.iter().any(|l| l[at] == Member::Unknown) {
            return Err("rows without a value cannot be told from those with unknown keys here: list them with list … from …".to_owned());
        }
        conditions.push(condition(item, member)?);
    }
    let mut edits = vec![where_edit(&root, query, &conditions.join(" and "))];
    let next = match by {
        Some(by) => Some(by.to_owned()),
        None if fixed.len() < items.len() => None,
        None => {
            let item = &items[fixed.len() - 1];
            Some(next_level(model, item).ok_or_else(|| no_level(model, item))?)
        }
    };
    if let Some(next) = next {
        let behind = items.get(fixed.len() - 1).map_or(0, |i| i.span(SourceId(0)).end);
        edits.push((behind, behind, format!(", {next}")));
    }
    edits.sort_by_key(|(start, _, _)| std::cmp::Reverse(*start));
    let mut text = query.to_owned();
    for (start, end, new) in edits {
        text.replace_range(start..end, &new);
    }
    Ok(text)
}

fn target(model: &Model, item: &ast::Item) -> Option<Target> {
    let Expr::NameRef(name) = item.expr()? else { return None };
    let token = name.name()?.node().first_token()?;
    target_of(model, &token)
}

/// `calendar.days open '2025'` with one member more.
fn walked(query: &str, item: &ast::Item, member: &Member) -> Result<String, String> {
    let Member::Value(value) = member else {
        return Err(format!("{member} has no parts in the hierarchy"));
    };
    let literal = quoted(&value.to_string());
    let (at, new) = match item.open() {
        Some(open) => (open.span(SourceId(0)).end, format!(", {literal}")),
        None => (item.span(SourceId(0)).end, format!(" open {literal}")),
    };
    let mut text = query.to_owned();
    text.insert_str(at, &new);
    Ok(text)
}

fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// That rows stand at a member.
fn condition(item: &ast::Item, member: &Member) -> Result<String, String> {
    let expr = item.expr().ok_or("an attribute is missing")?;
    let text = match &expr {
        Expr::NameRef(_) | Expr::ParamRef(_) => expr.text(),
        _ => format!("({})", expr.text()),
    };
    match member {
        Member::Value(Scalar::Boolean(value)) => Ok(format!("{text} = {value}")),
        Member::Value(value @ (Scalar::Integer(_) | Scalar::Decimal(_) | Scalar::Float(_))) => {
            Ok(format!("{text} = {}", value.literal()))
        }
        Member::Value(value) => Ok(format!("{text} = {}", quoted(&value.to_string()))),
        Member::None => Ok(format!("{text} is null")),
        Member::Unknown => {
            Err("rows with unknown keys cannot be split any further: list them with list … from …".to_owned())
        }
        Member::Rest(label) => Err(format!("{label} stands for many members: leave top out to see them")),
        Member::All => Err("this is a total".to_owned()),
    }
}

/// The level below an attribute in a hierarchy of its table, named as the attribute is.
fn next_level(model: &Model, item: &ast::Item) -> Option<String> {
    let Target::Column(column) = target(model, item)? else { return None };
    let Expr::NameRef(name) = item.expr()? else { return None };
    let table = model.schema.column(column).table;
    let below = |levels: &[ColumnId]| {
        let at = levels.iter().position(|l| *l == column)?;
        levels.get(at + 1).copied()
    };
    let calendar = || {
        let named =
            |names: &&[&str]| names.iter().filter_map(|n| model.find_column(table, n)).collect::<Vec<_>>();
        PERIODS.iter().filter(|_| model.calendar == Some(table)).find_map(|names| below(&named(names)))
    };
    let next = model.hierarchies.iter().find_map(|h| below(&h.levels)).or_else(calendar)?;
    let own = model.schema.table(table).name.clone();
    let qualifier = name.qualifier().map_or(own, |q| q.name());
    Some(format!("{}.{}", quote_name(&qualifier), quote_name(&model.schema.column(next).name)))
}

/// What is finer in any calendar, where no hierarchy says otherwise.
const PERIODS: [&[&str]; 3] = [
    &["year", "quarter", "month", "date"],
    &["fiscal_year", "fiscal_quarter", "fiscal_month", "date"],
    &["week", "date"],
];

/// That nothing says what is finer, with an attribute that might be.
fn no_level(model: &Model, item: &ast::Item) -> String {
    let column = match target(model, item) {
        Some(Target::Column(column)) => Some(column),
        _ => None,
    };
    let beside = column.and_then(|column| {
        let table = model.schema.table(model.schema.column(column).table);
        table.columns.iter().copied().find(|c| *c != column && !table.key.contains(c))
    });
    let such = beside.map_or_else(|| "ATTRIBUTE".to_owned(), |c| model.written(c));
    format!("no hierarchy says what is finer: name the attribute, such as open 1 by {such}")
}
