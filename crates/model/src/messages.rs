//! The wording of every message of this crate.

use vembra_plan::Type;
use vembra_syntax::{Diagnostic, Place};

fn listed(names: &[impl AsRef<str>]) -> String {
    let most = 12;
    let mut text = names.iter().take(most).map(AsRef::as_ref).collect::<Vec<&str>>().join(", ");
    if names.len() > most {
        text.push_str(", …");
    }
    text
}

fn near_or(diagnostic: Diagnostic, place: Place, near: Option<String>, otherwise: String) -> Diagnostic {
    match near {
        Some(near) => diagnostic.fix(format!("did you mean {near}?"), place, near),
        None => diagnostic.help(otherwise),
    }
}

// Files and declarations.

pub(crate) fn unreadable_model(file: &str, why: &str) -> Diagnostic {
    Diagnostic::error("V601", format!("the model {file} cannot be read: {why}"))
        .help("check the path; a model is a text file that ends in .vembra")
}

pub(crate) fn unreadable_include(place: Place, file: &str, why: &str) -> Diagnostic {
    Diagnostic::error("V602", format!("{file} cannot be included: {why}"))
        .at(place, "")
        .help("the path is taken from the folder of the file that includes it")
}

pub(crate) fn outside(place: Option<Place>, file: &str) -> Diagnostic {
    let diagnostic = Diagnostic::error("V604", format!("{file} lies outside the folder of the model"))
        .help("move it into that folder, or allow such files: --allow-outside");
    match place {
        Some(place) => diagnostic.at(place, ""),
        None => diagnostic,
    }
}

pub(crate) fn included_twice(place: Place, file: &str) -> Diagnostic {
    Diagnostic::error("V603", format!("{file} is included twice, or includes itself"))
        .at(place, "")
        .help("leave this include out: what is declared once is known everywhere")
}

pub(crate) fn declared_twice(place: Place, first: Place, what: &str) -> Diagnostic {
    Diagnostic::error("V206", format!("{what} is declared twice"))
        .at(place, "a second time")
        .at(first, "the first")
        .help("remove one of them, or give it another name")
}

pub(crate) fn name_taken(place: Place, name: &str, by: &str) -> Diagnostic {
    Diagnostic::error("V207", format!("the name {name} is taken by {by}"))
        .at(place, "")
        .help(format!("give it another name, such as total_{name}"))
}

pub(crate) fn unknown_table(place: Place, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::error("V208", format!("there is no table {name}")).at(place, "");
    near_or(message, place, near.map(str::to_owned), format!("the tables are: {}", listed(known)))
}

pub(crate) fn unknown_role(place: Place, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::error("V209", format!("no link has the role {name}")).at(place, "");
    let otherwise = if known.is_empty() {
        "name a link first: link TABLE.COLUMN to calendar as ROLE".to_owned()
    } else {
        format!("the roles are: {}", listed(known))
    };
    near_or(message, place, near.map(str::to_owned), otherwise)
}

pub(crate) fn unknown_type(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V210", format!("there is no type {name}"))
        .at(place, "")
        .help(format!("the types are: {}", Type::NAMES.join(", ")))
}

pub(crate) fn odd_separator(place: Place) -> Diagnostic {
    Diagnostic::error("V211", "fields are separated by one character")
        .at(place, "")
        .help("write for example: separated by ';', or separated by 'tab'")
}

pub(crate) fn bad_calendar(place: Place, what: &str) -> Diagnostic {
    Diagnostic::error("V212", format!("the calendar cannot be made: {what}"))
        .at(place, "")
        .help("write for example: calendar from '2023-01-01' to '2026-12-31'")
}

pub(crate) fn no_calendar(place: Place) -> Diagnostic {
    Diagnostic::error("V213", "the model has no calendar")
        .at(place, "")
        .help("declare one: calendar from '2023-01-01' to '2026-12-31'")
}

pub(crate) fn column_needs_table(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V214", "a column is declared with its table")
        .at(place, "")
        .help(format!("write column TABLE.{name}"))
}

pub(crate) fn nothing_said(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V215", format!("{name} is in no file, and no formula is given"))
        .at(place, "")
        .help(format!("give it one: column {name} = …, or mend the name"))
}

pub(crate) fn bad_property(place: Place, what: &str, help: &str) -> Diagnostic {
    Diagnostic::error("V216", what).at(place, "").help(help)
}

// Details, cells and parameters.

pub(crate) fn clause_in_set_twice(place: Place, first: Place, word: &str) -> Diagnostic {
    let message = Diagnostic::error("V330", format!("{word} stands twice behind one expression"))
        .at(place, "a second time");
    let message = if first == place { message } else { message.at(first, "the first") };
    message.help("the clauses of one expression are a set; brackets say which comes first: ((x … ) …)")
}

/// `per` twice, or `per` and `overall`, behind one expression.
pub(crate) fn two_details(place: Place, first: Place) -> Diagnostic {
    Diagnostic::error("V330", "one expression has one detail: per, per cell or overall")
        .at(place, "a second one")
        .at(first, "the first")
        .help("name all keys behind one per: per (K, L); or let brackets say which comes first: ((x per K) per cell)")
}

pub(crate) fn table_without_key(place: Place, table: &str) -> Diagnostic {
    Diagnostic::error("V338", format!("{table} has no key, so its name stands for no detail"))
        .at(place, "a table stands for its key here")
        .help(format!("name the columns that tell the values apart: per {table}.COLUMN or per ({table}.COLUMN, {table}.OTHER)"))
}

pub(crate) fn keys_apart(place: Place, other: Place) -> Diagnostic {
    Diagnostic::error("V331", "these are values at two details of which neither holds the other")
        .at(place, "one value for every one of these keys")
        .at(other, "and for every one of those")
        .help("name all keys on one side: … per (K, L)")
}

pub(crate) fn keys_not_shown(place: Place, key: &str) -> Diagnostic {
    Diagnostic::error("V332", format!("this has a value per {key}, and {key} is on no axis"))
        .at(place, "")
        .help(format!("split by it (rows {key}), or say what becomes of the values: sum(…), avg(…)"))
}

pub(crate) fn along_inside(place: Place) -> Diagnostic {
    Diagnostic::error("V333", "this looks at the lines shown, and here no lines are shown")
        .at(place, "")
        .help("let it stand behind show, having or sort, outside of aggregates and of pooling, regardless and for")
}

pub(crate) fn along_off_axis(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V334", format!("{name} is on no axis of this query"))
        .at(place, "")
        .help(format!("split by it: rows {name}"))
}

pub(crate) fn among_off_axis(place: Place, text: &str) -> Diagnostic {
    let among = text.split_once(" among ").map_or("", |(_, rest)| rest.trim_end_matches(')').trim());
    Diagnostic::error("V334", format!("{text} looks along lines, but no axis of this query tells them apart"))
        .at(place, "")
        .help(format!("split the query by what stands behind among: rows {among} show …"))
}

pub(crate) fn no_cell(place: Place) -> Diagnostic {
    Diagnostic::error("V335", "a column has no cell: it is the same whatever is asked")
        .at(place, "")
        .help("use it in a measure or a query")
}

pub(crate) fn not_an_attribute(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V336", format!("{name} is a measure; here an attribute is wanted"))
        .at(place, "")
        .help("name a column, such as customer.code or order_no")
}

pub(crate) fn row_beside_keys(place: Place, table: &str) -> Diagnostic {
    Diagnostic::error("V337", "this has a value per row, the value beside it one per key").at(place, "").help(
        format!(
            "say whose rows are taken: … from {table} where …; or put the condition inside: (x where …) per …"
        ),
    )
}

pub(crate) fn unknown_param(place: Place, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::error("V341", format!("there is no parameter {name}")).at(place, "");
    let otherwise = if known.is_empty() {
        format!("declare it: param {name}: integer default 0")
    } else {
        format!("the parameters are: {}", listed(known))
    };
    near_or(message, place, near.map(|n| format!(":{n}")), otherwise)
}

pub(crate) fn unknown_given(place: Place, name: &str, near: &str) -> Diagnostic {
    let message = Diagnostic::error("V341", format!("there is no parameter {name}")).at(place, "");
    message.fix(format!("did you mean {near}?"), place, near)
}

pub(crate) fn param_without_value(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V342", format!("the parameter {name} has no value"))
        .at(place, "")
        .help(format!("give it one: given {name} = …, or --given {name}=…"))
}

pub(crate) fn param_in_data(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error(
        "V343",
        format!("columns, derived tables and viewers do not change with a query; :{name} does"),
    )
    .at(place, "")
    .help("use the parameter in a measure or a query")
}

pub(crate) fn attribute_param(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error(
        "V344",
        format!(":{name} stands for an attribute; formulas of the model cannot name it"),
    )
    .at(place, "")
    .help(format!("use it in a query: rows :{name}"))
}

pub(crate) fn bad_given(place: Place, name: &str, wanted: &str) -> Diagnostic {
    Diagnostic::error("V346", format!("{name} takes {wanted}"))
        .at(place, "")
        .help(format!("write for example: given {name} = …"))
}

pub(crate) fn bad_top(place: Place, what: &str) -> Diagnostic {
    Diagnostic::error("V347", what)
        .at(place, "")
        .help("write for example: rows customer.region, product.name … top 5 product.name by revenue within customer.region")
}

pub(crate) fn rest_settles_nothing(place: Place, rest: &str, attribute: &str) -> Diagnostic {
    Diagnostic::error(
        "V355",
        format!("the line {rest} stands for many members and has no {attribute} of its own"),
    )
    .at(place, "")
    .help(format!("leave rest as '{rest}' out, or split by {attribute} too"))
}

pub(crate) fn bad_open(place: Place, what: &str) -> Diagnostic {
    Diagnostic::error("V348", what)
        .at(place, "")
        .help("declare a hierarchy and let it stand last on rows: rows calendar.days open '2025'")
}

pub(crate) fn no_dates(place: Place, fact: &str) -> Diagnostic {
    Diagnostic::error(
        "V349",
        format!("no link leads from {fact} to the calendar, so during has no dates to take"),
    )
    .at(place, "")
    .help(format!("declare one: link {fact}.… to calendar, or leave the clause out"))
}

pub(crate) fn stretch_too_fine(place: Place, fact: &str, by: &str) -> Diagnostic {
    Diagnostic::error(
        "V350",
        format!("{fact} is linked by {by}: its rows cannot be told apart by days or weeks"),
    )
    .at(place, "")
    .help("move by months, quarters or years")
}

pub(crate) fn bad_assertion(place: Place, what: &str) -> Diagnostic {
    Diagnostic::error("V351", what)
        .at(place, "")
        .help("write for example: assert 'value of 2024': (revenue where calendar.year = 2024) = 1234.50 within 0.01")
}

pub(crate) fn unknown_viewer(place: Place, name: &str, near: Option<&str>, known: &[&str]) -> Diagnostic {
    let message = Diagnostic::error("V352", format!("there is no viewer {name}")).at(place, "");
    near_or(message, place, near.map(str::to_owned), format!("the viewers are: {}", listed(known)))
}

pub(crate) fn odd_limit(place: Place) -> Diagnostic {
    Diagnostic::error(
        "V353",
        "what a viewer sees is chosen by columns of one table, or of tables that it leads to",
    )
    .at(place, "")
    .help("write for example: viewer north sees only customer.region = 'Northmoor'")
}

/// The code of [`named_too_deep`].
pub(crate) const TOO_DEEP: &str = "V356";

pub(crate) fn named_too_deep(place: Place, most: usize) -> Diagnostic {
    Diagnostic::error(
        TOO_DEEP,
        format!("formulas that name each other stand in one another more than {most} levels deep"),
    )
    .at(place, "this one is past that, with all that it names")
    .help("name what is wanted more directly: a formula can hold many terms on one level")
}

pub(crate) fn too_large(place: Place) -> Diagnostic {
    Diagnostic::error("V357", "this names measures that name measures so often that it cannot be worked out")
        .at(place, "more than 200,000 steps")
        .help("let measures name each other less often, or under fewer different conditions")
}

/// Read as it is meant, but not as this language writes it.
pub(crate) fn other_not_equal(place: Place) -> Diagnostic {
    Diagnostic::note("V119", "!= is written <> here").at(place, "").fix("write <>", place, "<>")
}

pub(crate) fn limit_on_derived(place: Place, table: &str) -> Diagnostic {
    Diagnostic::error(
        "V353",
        format!(
            "{table} is derived: it is worked out from the rows that a viewer sees, and has none to hide"
        ),
    )
    .at(place, "")
    .help(format!("limit a table that {table} is made from, or put the condition into the where of {table}"))
}

pub(crate) fn variant_needs_own(place: Place) -> Diagnostic {
    Diagnostic::error("V354", "a total has one value per cell; this has one per row or key")
        .at(place, "")
        .help("say what becomes of the rows: sum(…), or show a measure")
}

// Names.

pub(crate) fn unknown_name(
    place: Place,
    name: &str,
    near: Option<&str>,
    table: bool,
    role: bool,
) -> Diagnostic {
    let message = Diagnostic::error("V201", format!("nothing is called {name}")).at(place, "");
    if table {
        return Diagnostic::error("V201", format!("{name} is a table; here a value is wanted"))
            .at(place, "")
            .help(format!("name one of its columns, {name}.…, or count(rows of {name})"));
    }
    if role {
        return Diagnostic::error("V201", format!("{name} is a role; here a value is wanted"))
            .at(place, "")
            .help(format!("it stands before a dot ({name}.month) or after via"));
    }
    let otherwise =
        "vembra describe MODEL lists all measures and columns; a text stands in single quotes".to_owned();
    near_or(message, place, near.map(str::to_owned), otherwise)
}

pub(crate) fn alias_as_name(place: Place, alias: &str, formula: &str, is_figure: bool) -> Diagnostic {
    let further = if is_figure {
        format!(", or make it a measure of the model: measure {alias} = {formula}")
    } else {
        String::new()
    };
    let message = format!("{alias} is what this query calls {formula}; only sort takes such a name");
    Diagnostic::error("V201", message).at(place, "").help(format!("write ({formula}) here too{further}"))
}

pub(crate) fn double_quotes(place: Place, text: &str) -> Diagnostic {
    let literal = vembra_plan::Scalar::text(text).literal();
    Diagnostic::error("V201", format!("nothing is called {text}"))
        .at(place, "double quotes are for names")
        .fix(format!("a text stands in single quotes: {literal}"), place, literal)
}

pub(crate) fn unknown_qualifier(
    place: Place,
    name: &str,
    rest: &str,
    near: Option<&str>,
    known: &[&str],
) -> Diagnostic {
    let message = Diagnostic::error("V202", format!("no table or role is called {name}")).at(place, "");
    near_or(message, place, near.map(|n| format!("{n}.{rest}")), format!("there are: {}", listed(known)))
}

pub(crate) fn unknown_column(
    place: Place,
    table: &str,
    name: &str,
    near: Option<&str>,
    known: &[&str],
) -> Diagnostic {
    let message = Diagnostic::error("V203", format!("{table} has no column {name}")).at(place, "");
    near_or(message, place, near.map(|n| format!("{table}.{n}")), format!("it has: {}", listed(known)))
}

pub(crate) fn ambiguous(place: Place, name: &str, meanings: &[String]) -> Diagnostic {
    let first = meanings.first().map_or("", String::as_str);
    Diagnostic::error("V204", format!("{name} could be {}", meanings.join(" or ")))
        .at(place, "")
        .help(format!("say which, for example {first}"))
}

pub(crate) fn unknown_function(place: Place, name: &str, near: Option<&str>) -> Diagnostic {
    let message = Diagnostic::error("V205", format!("there is no function {name}")).at(place, "");
    let otherwise =
        "aggregates are sum, avg, min, max, count, median and others; see docs/reference.md".to_owned();
    near_or(message, place, near.map(str::to_owned), otherwise)
}

// Types.

pub(crate) fn unlike(place: Place, a: Type, b: Type) -> Diagnostic {
    let message = Diagnostic::error(
        "V301",
        format!("{} and {} cannot be put together", a.with_article(), b.with_article()),
    )
    .at(place, "");
    match (a, b) {
        (Type::Text, other) | (other, Type::Text) if other.is_number() => {
            message.help("put a code in quotes ('1024'), or turn the text into a number: cast(… as integer)")
        }
        (Type::Date, Type::Moment) | (Type::Moment, Type::Date) => {
            message.help("take the day of the moment: cast(… as date)")
        }
        _ => message.help(format!("turn one of them into the other's type: cast(… as {a})")),
    }
}

pub(crate) fn unquoted_date(place: Place, text: &str) -> Diagnostic {
    Diagnostic::error("V301", format!("{text} without quotes is a calculation with numbers"))
        .at(place, "")
        .fix("a day stands in quotes", place, format!("'{text}'"))
}

pub(crate) fn unquoted_month(place: Place, text: &str) -> Diagnostic {
    Diagnostic::error("V301", format!("{text} without quotes is a calculation with numbers"))
        .at(place, "")
        .fix("a month stands in quotes", place, format!("'{text}'"))
}

pub(crate) fn labels_not_negated(place: Place, text: &str, labels: &[vembra_plan::Scalar]) -> Diagnostic {
    let listed: Vec<String> = labels.iter().map(vembra_plan::Scalar::literal).collect();
    let last = listed.last().cloned().unwrap_or_default();
    Diagnostic::error("V302", format!("{text} is a text with these values: {}", listed.join(", ")))
        .at(place, "not goes before a condition")
        .help(format!("say which is meant: {text} = {last}"))
}

pub(crate) fn wrong_argument(place: Place, wanted: &str, found: Type, column: Option<&str>) -> Diagnostic {
    let message =
        Diagnostic::error("V302", format!("expected {wanted} here, found {}", found.with_article()))
            .at(place, "");
    match found {
        Type::Text if wanted.contains("number") => {
            let column = column.unwrap_or("TABLE.COLUMN");
            message.help(format!(
                "if it holds numbers, fix its type to see which do not fit: column {column}: decimal"
            ))
        }
        _ => message.help(format!("use a value that is {wanted}, or cast(… as …)")),
    }
}

pub(crate) fn wrong_count(place: Place, name: &str, least: usize, most: usize) -> Diagnostic {
    let count = match (least, most) {
        (least, most) if least == most => format!("{least}"),
        (least, usize::MAX) => format!("at least {least}"),
        (least, most) => format!("{least} to {most}"),
    };
    let s = if count == "1" { "" } else { "s" };
    Diagnostic::error("V303", format!("{name} takes {count} value{s}"))
        .at(place, "")
        .help("see docs/reference.md for what each function takes")
}

pub(crate) fn unreadable_literal(place: Place, text: &str, ty: Type) -> Diagnostic {
    let message =
        Diagnostic::error("V304", format!("'{text}' cannot be read as {}", ty.with_article())).at(place, "");
    match ty {
        Type::Date => {
            message.help("write a day as '2025-03-31'; for a month compare calendar.month = '2025-03'")
        }
        Type::Time => message.help("write a time as '15:30'"),
        Type::Moment => {
            message.help("write a moment as '2025-03-31 15:30'; for whole days compare cast(… as date)")
        }
        Type::Period(p) => message.help(format!("write it as {}", p.example())),
        _ => message.help("check the text"),
    }
}

pub(crate) fn too_many_decimals(place: Place) -> Diagnostic {
    Diagnostic::error("V305", "this product would need more than 30 decimals")
        .at(place, "")
        .help("round a factor, or turn it into a float: cast(… as float)")
}

pub(crate) fn number_too_large(place: Place, text: &str) -> Diagnostic {
    Diagnostic::error("V306", format!("{text} is too large for a number of 64 bits"))
        .at(place, "")
        .help("write it with a decimal point, or as 1e20")
}

// Grain.

pub(crate) fn row_in_cell(place: Place, name: &str, table: &str, number: bool) -> Diagnostic {
    let aggregate = if number { "sum" } else { "count" };
    Diagnostic::error("V311", format!("{name} has a value per row of {table}; a figure needs one per cell"))
        .at(place, "one value a row")
        .fix(
            format!("say what becomes of the rows, for example {aggregate}({name})"),
            place,
            format!("{aggregate}({name})"),
        )
}

pub(crate) fn sum_of_measure(place: Place, function: &str, name: &str) -> Diagnostic {
    Diagnostic::error(
        "V312",
        format!("{name} is one figure per cell already; {function}(…) needs the detail to run over"),
    )
    .at(place, "a figure, not a value of each row")
    .help(format!("write {name} alone, or say the detail: {function}({name} per order_no)"))
}

/// `column` is one of a derived table that has the name too.
pub(crate) fn cell_in_row(place: Place, name: &str, column: Option<&str>) -> Diagnostic {
    let message = Diagnostic::error(
        "V313",
        format!("{name} is a figure of a cell; here every row needs a value of its own"),
    )
    .at(place, "no value of a row");
    let message = match column {
        Some(column) => message.fix(format!("the column of the derived table is {column}"), place, column),
        None => message,
    };
    message
    .help(format!("use columns, or say whose figure is meant: ({name} per KEY), ({name} per cell) or ({name} overall); a query keeps lines by their figure with having"))
}

pub(crate) fn not_a_condition(place: Place, ty: Type) -> Diagnostic {
    Diagnostic::error("V314", format!("a condition is true or false; this is {}", ty.with_article()))
        .at(place, "")
        .help("compare it with something: … = …, … > …, … is not null")
}

pub(crate) fn no_rows_named(place: Place) -> Diagnostic {
    Diagnostic::error("V315", "nothing here says which rows are meant")
        .at(place, "")
        .help("name the table: count(rows of TABLE), or add from TABLE")
}

pub(crate) fn no_finest(place: Place, tables: &[String]) -> Diagnostic {
    Diagnostic::error("V316", format!("no table reaches all of {}", tables.join(", ")))
        .at(place, "columns of tables that no link joins")
        .help("aggregate each table by itself and combine the figures: sum(a) - sum(b)")
}

pub(crate) fn from_needed(place: Place, finer: &str, value_table: &str) -> Diagnostic {
    Diagnostic::error(
        "V317",
        format!("the condition is about rows of {finer}, the value about rows of {value_table}"),
    )
    .at(place, "")
    .help(format!("say whose rows are taken: … from {finer} where …"))
}

pub(crate) fn ring(place: Place, names: &[String]) -> Diagnostic {
    Diagnostic::error("V318", format!("these need each other: {}", names.join(", ")))
        .at(place, "")
        .help("break the ring: one of them must be worked out without the others")
}

pub(crate) fn clause_on_row(place: Place) -> Diagnostic {
    Diagnostic::error("V319", "a value of a row does not depend on filters or roles")
        .at(place, "")
        .help("put the clause behind an aggregate, or the role before a dot: shipped.month")
}

pub(crate) fn not_an_axis(place: Place, constant: bool) -> Diagnostic {
    let what = if constant { "a fixed value" } else { "a figure" };
    Diagnostic::error("V320", format!("{what} splits nothing"))
        .at(place, "")
        .help("split by attributes, such as customer.region or calendar.month; figures stand behind show")
}

pub(crate) fn constant_condition(place: Place) -> Diagnostic {
    Diagnostic::warning("V321", "this condition names no column, so it keeps all rows or none")
        .at(place, "")
        .help("compare a column: customer.region = 'Westholt'")
}

pub(crate) fn never_held(place: Place, column: &str, value: &str, near: Option<String>) -> Diagnostic {
    let message = Diagnostic::warning("V322", format!("{column} never holds {value}")).at(place, "");
    near_or(message, place, near, format!("vembra ask MODEL \"rows {column} show …\" shows what it holds"))
}

pub(crate) fn bad_bounds(place: Place) -> Diagnostic {
    Diagnostic::error("V323", "the bounds of band(…) are fixed numbers that rise")
        .at(place, "")
        .help("write for example band(quantity, 0, 5, 10)")
}

pub(crate) fn bad_parameter(place: Place, what: &str, example: &str) -> Diagnostic {
    Diagnostic::error("V324", what).at(place, "").help(format!("write for example {example}"))
}

pub(crate) fn sort_by_unshown(place: Place, text: &str) -> Diagnostic {
    Diagnostic::error("V325", format!("{text} is not shown, so nothing can be sorted by it"))
        .at(place, "")
        .help("sort by something behind show, or by an attribute on rows or columns")
}

pub(crate) fn shown_twice(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V326", format!("two things would be called {name}"))
        .at(place, "")
        .help(format!("give one another name: … as {name}_2"))
}

// Links and roles.

pub(crate) struct Unreachable<'a> {
    pub(crate) place: Place,
    /// Where the figure stands.
    pub(crate) figure: Place,
    pub(crate) figure_text: &'a str,
    pub(crate) fact: &'a str,
    pub(crate) attribute: &'a str,
    pub(crate) target: &'a str,
    pub(crate) reached: &'a [&'a str],
    /// Whether the attribute splits; else it filters.
    pub(crate) splits: bool,
}

pub(crate) fn unreachable(u: &Unreachable<'_>) -> Diagnostic {
    let verb = if u.splits { "split by" } else { "filtered on" };
    let message = Diagnostic::error(
        "V401",
        format!(
            "{} cannot be {verb} {}: no link leads from {} to {}",
            u.figure_text, u.attribute, u.fact, u.target
        ),
    )
    .at(u.place, format!("{} is not linked to this", u.fact))
    .at(u.figure, format!("works on rows of {}", u.fact));
    let reached = if u.reached.is_empty() { "nothing".to_owned() } else { listed(u.reached) };
    let message =
        message.help(format!("{} reaches {reached}; use an attribute of these, or declare a link", u.fact));
    if u.splits {
        message.help(format!("or ask for {} in a query of its own", u.figure_text))
    } else {
        message.help("or put the condition on the other figures only: (figure where …)")
    }
}

pub(crate) fn no_default(place: Place, from: &str, to: &str, column: &str, roles: &[String]) -> Diagnostic {
    let first = roles.first().map_or("", String::as_str);
    Diagnostic::error(
        "V402",
        format!("several links lead from {from} to {to} ({}), and none is the default", roles.join(", ")),
    )
    .at(place, "")
    .help(format!("say which: {first}.{column}, or (figure via {first}); or make one the default: link … as {first} default"))
}

pub(crate) fn too_coarse(place: Place, from: &str, by: &str, attribute: &str) -> Diagnostic {
    Diagnostic::error("V403", format!("{from} is linked by {by}, which does not determine {attribute}"))
        .at(place, "finer than the link")
        .help(format!("use {by} or an attribute that it determines"))
}

pub(crate) fn no_role(place: Place, from: &str, role: &str) -> Diagnostic {
    Diagnostic::error("V404", format!("{from} has no link with the role {role}"))
        .at(place, "")
        .help(format!("leave it out for figures of {from}, or declare: link {from}.… to … as {role}"))
}

pub(crate) fn several_routes(place: Place, from: &str, to: &str, through: &[String]) -> Diagnostic {
    Diagnostic::error(
        "V405",
        format!("{to} can be reached from {from} through {}", through.join(" and through ")),
    )
    .at(place, "")
    .help(format!("link {from} to {to} directly, so that it is clear which way is meant"))
}

pub(crate) fn link_types(place: Place, from: &str, from_ty: Type, to: &str, to_ty: Type) -> Diagnostic {
    Diagnostic::error(
        "V406",
        format!("{from} is {}, {to} is {}", from_ty.with_article(), to_ty.with_article()),
    )
    .at(place, "keys of one link have one type")
    .help(if to_ty == Type::Date {
        format!(
            "dates are read as 2025-03-31, moments as 2025-03-31 15:30; others need a column of their own: column {from}_day = cast(substring(cast({} as text) …) as date), or write the file so",
            from.rsplit('.').next().unwrap_or(from)
        )
    } else {
        format!("fix the type of one of them: column {from}: {to_ty}")
    })
}

pub(crate) fn link_needs_role(place: Place, first: Place, from: &str, to: &str) -> Diagnostic {
    Diagnostic::error("V407", format!("several links lead from {from} to {to}; each needs a role of its own"))
        .at(place, "this one")
        .at(first, "and this one")
        .help(format!("add as ROLE: link … to {to} as shipped"))
}

pub(crate) fn two_defaults(place: Place, first: Place) -> Diagnostic {
    Diagnostic::error("V408", "two links between these tables are the default")
        .at(place, "this one")
        .at(first, "and this one")
        .help("leave default out of one of them")
}

pub(crate) fn no_key(place: Place, table: &str) -> Diagnostic {
    Diagnostic::error("V409", format!("{table} has no key, so nothing can be linked to it"))
        .at(place, "")
        .help(format!("declare it with one: dimension {table} from '…' key …, or link by an attribute: by …"))
}

pub(crate) fn key_width(place: Place, from: usize, to: usize) -> Diagnostic {
    Diagnostic::error("V410", format!("the link starts from {from} columns and reaches {to}"))
        .at(place, "")
        .help("name as many columns as the key has: link (TABLE.A, TABLE.B) to …")
}

pub(crate) fn role_clash(place: Place, role: &str, what: &str) -> Diagnostic {
    Diagnostic::error("V411", format!("the role {role} is also {what}"))
        .at(place, "")
        .help("give the role a name that nothing else has")
}

pub(crate) fn link_ring(place: Place, tables: &[String]) -> Diagnostic {
    Diagnostic::error("V412", format!("the links go round in a ring: {}", tables.join(" -> ")))
        .at(place, "this one closes it")
        .help("remove one of these links")
}

pub(crate) fn via_without_effect(place: Place, role: &str, target: &str) -> Diagnostic {
    Diagnostic::warning("V413", format!("via {role} changes nothing here"))
        .at(place, format!("nothing is split by or filtered on {target} in a way that follows the role"))
        .help(format!("split by a shared attribute such as {target}.…, or leave the clause out"))
}

pub(crate) fn stays_on_default(place: Place, fact: &str, role: &str) -> Diagnostic {
    Diagnostic::note(
        "V414",
        format!("figures of {fact} stay on their default: it has no link with the role {role}"),
    )
    .at(place, "")
}

pub(crate) fn totals_twice(place: Place, first: Place, side: &str) -> Diagnostic {
    Diagnostic::error("V415", format!("totals on {side} are asked for twice"))
        .at(place, "a second time")
        .at(first, "the first")
        .help("keep one of them")
}

pub(crate) fn totals_without_axis(place: Place, side: &str) -> Diagnostic {
    Diagnostic::warning("V416", format!("nothing stands on {side}, so there are no totals over them"))
        .at(place, "")
        .help(format!("split the query ({side} calendar.year), or leave this out"))
}

// Reports and dashboards.

pub(crate) fn unknown_report(place: Place, name: &str, known: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(name, known.iter().copied()).map(str::to_owned);
    let message = Diagnostic::error("V360", format!("there is no report {name}")).at(place, "");
    let others = match known {
        [] => "declare one: report by_month = rows calendar.month show revenue drawn as line".to_owned(),
        known => format!("the reports are: {}", listed(known)),
    };
    near_or(message, place, near, others)
}

pub(crate) fn option_unsuited(place: Place, option: &str, form: &str) -> Diagnostic {
    let help = match option {
        "up" => "dots and heat have a second axis; elsewhere tell members apart with colour by or panels by",
        "size by" => "only dots have a size",
        "stacked" => "areas and bars can stand on each other",
        "sideways" => "lines, areas and bars can lie on their side",
        "compared with" => "a number is compared with another figure: drawn as number compared with before",
        "small bars" | "trends" => "these belong to a table: drawn as table small bars revenue",
        _ => "leave it out, or draw the answer in another form",
    };
    Diagnostic::error("V361", format!("{option} does not go with {form}")).at(place, "").help(help)
}

pub(crate) fn option_twice(place: Place, option: &str) -> Diagnostic {
    Diagnostic::error("V362", format!("{option} is said twice"))
        .at(place, "a second time")
        .help("keep one of them")
}

pub(crate) fn not_an_axis_drawn(place: Place, text: &str, axes: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(text, axes.iter().copied()).map(str::to_owned);
    let message = Diagnostic::error("V363", format!("the query is not split by {text}")).at(place, "");
    let help = match axes {
        [] => format!("put it on rows of the query: rows {text} show …"),
        axes => format!("it is split by: {}", listed(axes)),
    };
    near_or(message, place, near, help)
}

pub(crate) fn not_a_figure_drawn(place: Place, text: &str, figures: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(text, figures.iter().copied()).map(str::to_owned);
    let message = Diagnostic::error("V364", format!("the query does not show {text}")).at(place, "");
    near_or(message, place, near, format!("it shows: {}", listed(figures)))
}

pub(crate) fn not_a_number_drawn(place: Place, ty: Type) -> Diagnostic {
    Diagnostic::error("V365", format!("only numbers can be drawn, and this is {}", ty.with_article()))
        .at(place, "")
        .help("show a number, or draw the answer as a table")
}

pub(crate) fn axis_not_drawn(place: Place, name: &str, number: bool) -> Diagnostic {
    let help = if number {
        "a number shows one figure: leave the split out of the query".to_owned()
    } else {
        format!("say what tells its members apart: colour by {name}, or panels by {name}")
    };
    Diagnostic::error("V366", format!("the query is split by {name}, but the drawing has no place for it"))
        .at(place, "figures of different members would lie on each other")
        .help(help)
}

pub(crate) fn axis_drawn_twice(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error("V367", format!("{name} is drawn in two ways"))
        .at(place, "")
        .help("let it run along, stand up, have the colours or the panels, but only one of these")
}

pub(crate) fn nothing_along(place: Place) -> Diagnostic {
    Diagnostic::error("V368", "there is nothing to draw along")
        .at(place, "")
        .help("split the query, such as rows calendar.month, or draw it as a number")
}

pub(crate) fn nothing_up(place: Place) -> Diagnostic {
    Diagnostic::error("V369", "heat needs two axes")
        .at(place, "")
        .help("split the query twice: rows calendar.month columns shipped.month show revenue")
}

pub(crate) fn list_drawn(place: Place) -> Diagnostic {
    Diagnostic::error("V370", "single rows are drawn as a plain table")
        .at(place, "")
        .help("leave out how it is drawn, or ask for a summary: rows … show …")
}

pub(crate) fn not_time(place: Place, ty: Type) -> Diagnostic {
    Diagnostic::error("V371", format!("{} does not lie in time", ty.with_article()))
        .at(place, "")
        .help("dates, moments, months, quarters and years do; leave out 'as time'")
}

pub(crate) fn odd_member(place: Place) -> Diagnostic {
    Diagnostic::error("V372", "an order by hand lists members")
        .at(place, "")
        .help("write them outright: order 'Club', 'Farm'")
}

pub(crate) fn odd_across(place: Place) -> Diagnostic {
    Diagnostic::error("V373", "between 1 and 12 panels stand side by side")
        .at(place, "")
        .help("write panels by calendar.month, 3 across")
}

pub(crate) fn unknown_colour(place: Place, name: &str) -> Diagnostic {
    use vembra_plan::drawing::Colour;
    let names: Vec<&str> = Colour::ALL.iter().map(|c| c.name()).collect();
    let near = vembra_syntax::nearest(name, names.iter().copied()).map(str::to_owned);
    let message = Diagnostic::error("V374", format!("there is no colour {name}")).at(place, "");
    near_or(message, place, near, format!("the colours are: {}", listed(&names)))
}

pub(crate) fn odd_page(place: Place) -> Diagnostic {
    Diagnostic::error("V375", "a page is between 320 and 20000 pixels wide and high")
        .at(place, "")
        .help("write 1280 by 800")
}

pub(crate) fn empty_page(place: Place) -> Diagnostic {
    Diagnostic::error("V376", "nothing stands on this page")
        .at(place, "")
        .help("add a strip of reports: strip 1: by_month, 'A text.'")
}

pub(crate) fn odd_share(place: Place) -> Diagnostic {
    Diagnostic::error("V377", "a share is a number between 0 and 1000")
        .at(place, "")
        .help("2 takes twice the room of 1")
}

pub(crate) fn unknown_switch(place: Place, name: &str, known: &[&str]) -> Diagnostic {
    let near = vembra_syntax::nearest(name, known.iter().copied()).map(str::to_owned);
    let message = Diagnostic::error("V378", format!("there is no parameter {name}")).at(place, "");
    let others = match known {
        [] => format!("declare it: param {name}: one of calendar.weekday, calendar.day_of_month"),
        known => format!("the parameters are: {}", listed(known)),
    };
    near_or(message, place, near, others)
}

pub(crate) fn switch_without_values(place: Place, name: &str) -> Diagnostic {
    Diagnostic::error(
        "V379",
        format!("the switch does not say which values of {name} there are to choose from"),
    )
    .at(place, "")
    .help(format!("list two or more: switch {name} 2024, 2025"))
}

pub(crate) fn unlike_figures(
    place: Place,
    (name, kind): (&str, &str),
    (first, wanted): (&str, &str),
) -> Diagnostic {
    Diagnostic::warning(
        "V381",
        format!("{name} is {kind} and {first} is {wanted}, but both stand on one axis"),
    )
    .at(place, "the smaller of the two will hardly be seen")
    .help("draw them in two reports, or show one of them to the pointer only: pointer …")
}

pub(crate) fn not_a_finding(place: Place, code: &str) -> Diagnostic {
    Diagnostic::error(
        "V382",
        format!("{code} is not the code of a finding, so it cannot be accepted or treated otherwise"),
    )
    .at(place, "")
    .help("findings have codes from V501 to V599; vembra check shows them")
}
