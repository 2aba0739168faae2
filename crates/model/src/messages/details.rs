//! Details, cells and parameters.

use super::{listed, near_or};
use vembra_syntax::{Code, Diagnostic, Span};

pub(crate) fn clause_in_set_twice(span: Span, first: Span, word: &str) -> Diagnostic {
    let message = Diagnostic::new(Code::V330, format!("{word} stands twice behind one expression"))
        .at(span, "a second time");
    let message = if first == span { message } else { message.at(first, "the first") };
    message.help("the clauses of one expression are a set; brackets say which comes first: ((x … ) …)")
}

/// Two roles by which one table is reached, of which only one can be in force.
pub(crate) fn two_roles(span: Span, first: Span, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V330, format!("two roles of {table} are asked for, and one is in force"))
        .at(span, "a second one")
        .at(first, "the first")
        .help("keep one of them, or show a figure by each: show (x via ordered) as a, (x via shipped) as b")
}

/// `per` twice, or `per` and `overall`, behind one expression.
pub(crate) fn two_details(span: Span, first: Span) -> Diagnostic {
    Diagnostic::new(Code::V330, "one expression has one detail: per, per cell or overall")
        .at(span, "a second one")
        .at(first, "the first")
        .help("name all keys behind one per: per (K, L); or let brackets say which comes first: ((x per K) per cell)")
}

pub(crate) fn table_without_key(span: Span, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V338, format!("{table} has no key, so its name stands for no detail"))
        .at(span, "a table stands for its key here")
        .help(format!("name the columns that tell the values apart: per {table}.COLUMN or per ({table}.COLUMN, {table}.OTHER)"))
}

pub(crate) fn keys_apart(span: Span, other: Span) -> Diagnostic {
    Diagnostic::new(Code::V331, "these are values at two details of which neither holds the other")
        .at(span, "one value for every one of these keys")
        .at(other, "and for every one of those")
        .help("name all keys on one side: … per (K, L)")
}

pub(crate) fn keys_not_shown(span: Span, key: &str) -> Diagnostic {
    Diagnostic::new(Code::V332, format!("this has a value per {key}, and {key} is on no axis"))
        .at(span, "")
        .help(format!("split by it (rows {key}), or say what becomes of the values: sum(…), avg(…)"))
}

pub(crate) fn along_inside(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V333, "this looks at the lines shown, and here no lines are shown")
        .at(span, "")
        .help("let it stand behind show, having or sort, outside of aggregates and of pooling, regardless and for")
}

pub(crate) fn along_off_axis(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V334, format!("{name} is on no axis of this query"))
        .at(span, "")
        .help(format!("split by it: rows {name}"))
}

pub(crate) fn among_off_axis(span: Span, text: &str) -> Diagnostic {
    let among = text.split_once(" among ").map_or("", |(_, rest)| rest.trim_end_matches(')').trim());
    Diagnostic::new(
        Code::V334,
        format!("{text} looks along lines, but no axis of this query tells them apart"),
    )
    .at(span, "")
    .help(format!("split the query by what stands behind among: rows {among} show …"))
}

pub(crate) fn no_cell(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V335, "a column has no cell: it is the same whatever is asked")
        .at(span, "")
        .help("use it in a measure or a query")
}

pub(crate) fn not_an_attribute(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V336, format!("{name} is a measure; here an attribute is wanted"))
        .at(span, "")
        .help("name a column, such as customer.code or order_no")
}

pub(crate) fn row_beside_keys(span: Span, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V337, "this has a value per row, the value beside it one per key")
        .at(span, "")
        .help(format!(
            "say whose rows are taken: … from {table} where …; or put the condition inside: (x where …) per …"
        ))
}

pub(crate) fn unknown_param(span: Span, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::new(Code::V341, format!("there is no parameter {name}")).at(span, "");
    let otherwise = if known.is_empty() {
        format!("declare it: param {name}: integer default 0")
    } else {
        format!("the parameters are: {}", listed(known))
    };
    near_or(message, span, near.map(|n| format!(":{n}")), otherwise)
}

pub(crate) fn unknown_given(span: Span, name: &str, near: &str) -> Diagnostic {
    let message = Diagnostic::new(Code::V341, format!("there is no parameter {name}")).at(span, "");
    message.fix(format!("did you mean {near}?"), span, near)
}

pub(crate) fn param_without_value(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V342, format!("the parameter {name} has no value"))
        .at(span, "")
        .help(format!("give it one: given {name} = … in the query, or `QueryBuilder::given`"))
}

pub(crate) fn param_in_data(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V343,
        format!("columns, derived tables and viewers do not change with a query; :{name} does"),
    )
    .at(span, "")
    .help("use the parameter in a measure or a query")
}

pub(crate) fn attribute_param(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V344,
        format!(":{name} stands for an attribute; formulas of the model cannot name it"),
    )
    .at(span, "")
    .help(format!("use it in a query: rows :{name}"))
}

pub(crate) fn bad_given(span: Span, name: &str, wanted: &str) -> Diagnostic {
    Diagnostic::new(Code::V346, format!("{name} takes {wanted}"))
        .at(span, "")
        .help(format!("write for example: given {name} = …"))
}

pub(crate) fn bad_top(span: Span, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V347, what)
        .at(span, "")
        .help("write for example: rows customer.region, product.name … top 5 product.name by revenue within customer.region")
}

pub(crate) fn rest_settles_nothing(span: Span, rest: &str, attribute: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V355,
        format!("the line {rest} stands for many members and has no {attribute} of its own"),
    )
    .at(span, "")
    .help(format!("leave rest as '{rest}' out, or split by {attribute} too"))
}

pub(crate) fn bad_open(span: Span, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V348, what)
        .at(span, "")
        .help("declare a hierarchy and let it stand last on rows: rows calendar.days open '2025'")
}

pub(crate) fn no_dates(span: Span, fact: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V349,
        format!("no link leads from {fact} to the calendar, so during has no dates to take"),
    )
    .at(span, "")
    .help(format!("declare one: link {fact}.… to calendar, or leave the clause out"))
}

pub(crate) fn date_range_too_fine(span: Span, fact: &str, by: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V350,
        format!("{fact} is linked by {by}: its rows cannot be split by days or weeks"),
    )
    .at(span, "")
    .help("move by months, quarters or years")
}

pub(crate) fn bad_assertion(span: Span, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V351, what)
        .at(span, "")
        .help("write for example: assert 'value of 2024': (revenue where calendar.year = 2024) = 1234.50 within 0.01")
}

/// A viewer that the model does not have; without a span when it was asked for from outside of any text.
pub fn unknown_viewer(span: Option<Span>, name: &str, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::new(Code::V352, format!("there is no viewer {name}"));
    match (span, vembra_syntax::nearest(name, known.iter().copied())) {
        (Some(span), Some(near)) => message.at(span, "").fix(format!("did you mean {near}?"), span, near),
        (Some(span), None) => message.at(span, "").help(viewers(known)),
        (None, Some(near)) => message.help(format!("did you mean {near}?")),
        (None, None) => message.help(viewers(known)),
    }
}

fn viewers(known: &[&str]) -> String {
    match known {
        [] => "declare one: viewer NAME sees only CONDITION".to_owned(),
        known => format!("the viewers are: {}", listed(known)),
    }
}

pub(crate) fn odd_limit(span: Span) -> Diagnostic {
    Diagnostic::new(
        Code::V353,
        "what a viewer sees is chosen by columns of one table, or of tables that it leads to",
    )
    .at(span, "")
    .help("write for example: viewer sarrow_desk sees only customer.region = 'Sarrow'")
}

pub(crate) fn limit_half_pinned(span: Span) -> Diagnostic {
    Diagnostic::new(
        Code::V233,
        "in one condition of a viewer stand an attribute by a role, and this one by every role",
    )
    .at(span, "")
    .help("say by which role, or write the two as conditions of their own, with and between them")
}

pub(crate) fn named_too_deep(span: Span, most: usize) -> Diagnostic {
    Diagnostic::new(
        Code::V356,
        format!("formulas that name each other stand in one another more than {most} levels deep"),
    )
    .at(span, "this one is past that, with all that it names")
    .help("name what is wanted more directly: a formula can hold many terms on one level")
}

pub(crate) fn too_large(span: Span) -> Diagnostic {
    Diagnostic::new(
        Code::V357,
        "this names measures that name measures so often that it cannot be worked out",
    )
    .at(span, "more than 200,000 steps")
    .help("let measures name each other less often, or under fewer different conditions")
}

/// Read as it is meant, but not as this language writes it.
pub(crate) fn other_not_equal(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V121, "!= is written <> here").at(span, "").fix("write <>", span, "<>")
}

pub(crate) fn limit_on_derived(span: Span, table: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V353,
        format!(
            "{table} is derived: it is worked out from the rows that a viewer sees, and has none to hide"
        ),
    )
    .at(span, "")
    .help(format!("limit a table that {table} is made from, or put the condition into the where of {table}"))
}

pub(crate) fn variant_needs_own(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V354, "a total has one value per cell; this has one per row or key")
        .at(span, "")
        .help("say what becomes of the rows: sum(…), or show a measure")
}

pub(crate) fn default_of_many(span: Span, text: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V362,
        "a default from the data is one value, whatever is asked, and reads no parameter",
    )
    .at(span, "")
    .help(format!("say that it is that of everything: default ({text} overall)"))
}

pub(crate) fn broken_measure(span: Span, name: &str) -> Diagnostic {
    Diagnostic::new(Code::V236, format!("the measure {name} is wrong in the model, so that nothing can be made of it"))
        .about(name)
        .at(span, "")
        .help("fix its formula: vembra check shows what is wrong in it; what does not need it can be asked meanwhile")
}
