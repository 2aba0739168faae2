//! Grain: rows, keys and cells.

use super::near_or;
use vembra_plan::Type;
use vembra_syntax::{Code, Diagnostic, Span};

pub(crate) fn row_in_cell(span: Span, name: &str, table: &str, number: bool) -> Diagnostic {
    let aggregate = if number { "sum" } else { "count" };
    Diagnostic::new(Code::V311, format!("{name} has a value per row of {table}; a figure needs one per cell"))
        .at(span, "one value a row")
        .fix(
            format!("say what becomes of the rows, for example {aggregate}({name})"),
            span,
            format!("{aggregate}({name})"),
        )
}

pub(crate) fn sum_of_measure(span: Span, function: &str, name: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V312,
        format!("{name} is one figure per cell already; {function}(…) needs the detail to run over"),
    )
    .at(span, "a figure, not a value of each row")
    .help(format!("write {name} alone, or say the detail: {function}({name} per order_no)"))
}

/// `column` is one of a derived table that has the name too.
pub(crate) fn cell_in_row(span: Span, name: &str, column: Option<&str>) -> Diagnostic {
    let message = Diagnostic::new(
        Code::V313,
        format!("{name} is a figure of a cell; here every row needs a value of its own"),
    )
    .at(span, "no value of a row");
    let message = match column {
        Some(column) => message.fix(format!("the column of the derived table is {column}"), span, column),
        None => message,
    };
    message
    .help(format!("use columns, or say whose figure is meant: ({name} per KEY), ({name} per cell) or ({name} overall); a query keeps lines by their figure with having"))
}

pub(crate) fn not_a_condition(span: Span, ty: Type) -> Diagnostic {
    Diagnostic::new(Code::V314, format!("a condition is true or false; this is {}", ty.with_article()))
        .at(span, "")
        .help("compare it with something: … = …, … > …, … is not null")
}

pub(crate) fn no_rows_named(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V315, "nothing here says which rows are meant")
        .at(span, "")
        .help("name the table: count(rows of TABLE), or add from TABLE")
}

pub(crate) fn no_finest(span: Span, tables: &[String]) -> Diagnostic {
    Diagnostic::new(Code::V316, format!("no table reaches all of {}", tables.join(", ")))
        .at(span, "columns of tables that no link joins")
        .help("aggregate each table by itself and combine the figures: sum(a) - sum(b)")
}

pub(crate) fn from_needed(span: Span, finer: &str, value_table: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V317,
        format!("the condition is about rows of {finer}, the value about rows of {value_table}"),
    )
    .at(span, "")
    .help(format!("say whose rows are taken: … from {finer} where …"))
}

pub(crate) fn condition_across(span: Span, figure: &str, attribute: &str) -> Diagnostic {
    let message =
        format!("{figure} has a condition of its own on {attribute}, which holds beside each member");
    Diagnostic::new(Code::V420, message)
        .at(span, "")
        .help("show a figure without that condition, or without each across")
}

pub(crate) fn ring(span: Span, names: &[String]) -> Diagnostic {
    Diagnostic::new(Code::V318, format!("these need each other: {}", names.join(", ")))
        .at(span, "")
        .help("break the ring: one of them must be worked out without the others")
}

pub(crate) fn clause_on_row(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V319, "a value of a row does not depend on filters or roles")
        .at(span, "")
        .help("put the clause behind an aggregate, or the role before a dot: shipped.month")
}

pub(crate) fn not_an_axis(span: Span, constant: bool) -> Diagnostic {
    let what = if constant { "a fixed value" } else { "a figure" };
    Diagnostic::new(Code::V320, format!("{what} splits nothing"))
        .at(span, "")
        .help("split by attributes, such as customer.region or calendar.month; figures stand behind show")
}

pub(crate) fn constant_condition(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V321, "this condition names no column, so it keeps all rows or none")
        .at(span, "")
        .help("compare a column: customer.region = 'Dunlow'")
}

pub(crate) fn never_held(span: Span, column: &str, value: &str, near: Option<String>) -> Diagnostic {
    let message = Diagnostic::new(Code::V322, format!("{column} never holds {value}")).at(span, "");
    near_or(message, span, near, format!("vembra ask MODEL \"rows {column} show …\" shows what it holds"))
}

pub(crate) fn bad_bounds(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V323, "the bounds of band(…) are fixed numbers that rise")
        .at(span, "")
        .help("write for example band(quantity, 0, 5, 10)")
}

pub(crate) fn bad_parameter(span: Span, what: &str, example: &str) -> Diagnostic {
    Diagnostic::new(Code::V324, what).at(span, "").help(format!("write for example {example}"))
}

pub(crate) fn sort_by_unshown(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(Code::V325, format!("{text} is not shown, so nothing can be sorted by it"))
        .at(span, "")
        .help("sort by something behind show, or by an attribute on rows or columns")
}

pub(crate) fn shown_twice(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V326, format!("two things would be called {name}"))
        .at(span, "")
        .help(format!("give one another name: … as {name}_2"))
}
