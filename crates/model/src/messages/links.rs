//! Links and roles.

use super::listed;
use vembra_plan::Type;
use vembra_syntax::{Code, Diagnostic, Span};

pub(crate) struct Unreachable<'a> {
    pub(crate) span: Span,
    /// Where the figure stands, and its text; none where a formula over rows is no figure.
    pub(crate) figure: Option<(Span, &'a str)>,
    pub(crate) fact: &'a str,
    pub(crate) attribute: &'a str,
    pub(crate) target: &'a str,
    pub(crate) reached: &'a [&'a str],
    /// Whether the attribute splits; else it filters.
    pub(crate) splits: bool,
}

pub(crate) fn unreachable(u: &Unreachable<'_>) -> Diagnostic {
    let verb = if u.splits { "split by" } else { "filtered on" };
    let what = match u.figure {
        Some((_, text)) => format!("{text} cannot be {verb} {}", u.attribute),
        None => format!("a formula over rows of {} cannot look at {}", u.fact, u.attribute),
    };
    let message =
        Diagnostic::new(Code::V401, format!("{what}: no link leads from {} to {}", u.fact, u.target))
            .at(u.span, format!("{} is not linked to this", u.fact));
    let help = match u.reached {
        [] => format!("no link leads from {} anywhere; use its own attributes, or declare a link", u.fact),
        some => format!("{} reaches {}; use an attribute of these, or declare a link", u.fact, listed(some)),
    };
    let Some((figure, text)) = u.figure else { return message.help(help) };
    let message = message.at(figure, format!("works on rows of {}", u.fact)).help(help);
    if u.splits {
        message.help(format!("or ask for {text} in a query of its own"))
    } else {
        message.help("or put the condition on the other figures only: (figure where …)")
    }
}

pub(crate) fn no_default(span: Span, from: &str, to: &str, column: &str, roles: &[String]) -> Diagnostic {
    let first = roles.first().map_or("", String::as_str);
    Diagnostic::new(
        Code::V402,
        format!("several links lead from {from} to {to} ({}), and none is the default", roles.join(", ")),
    )
    .at(span, "")
    .help(format!("say which: {first}.{column}, or (figure via {first}); or make one the default: link … as {first} default"))
}

pub(crate) fn too_coarse(span: Span, from: &str, by: &str, attribute: &str) -> Diagnostic {
    Diagnostic::new(Code::V403, format!("{from} is linked by {by}, which does not determine {attribute}"))
        .at(span, "finer than the link")
        .help(format!("use {by} or an attribute that it determines"))
}

pub(crate) fn no_role(span: Span, from: &str, role: &str) -> Diagnostic {
    Diagnostic::new(Code::V404, format!("{from} has no link with the role {role}"))
        .at(span, "")
        .help(format!("leave it out for figures of {from}, or declare: link {from}.… to … as {role}"))
}

pub(crate) fn several_routes(span: Span, from: &str, to: &str, through: &[String]) -> Diagnostic {
    Diagnostic::new(
        Code::V405,
        format!("{to} can be reached from {from} through {}", through.join(" and through ")),
    )
    .at(span, "")
    .help(format!("link {from} to {to} directly, so that it is clear which way is meant"))
}

pub(crate) fn link_types(span: Span, from: &str, from_ty: Type, to: &str, to_ty: Type) -> Diagnostic {
    Diagnostic::new(
        Code::V406,
        format!("{from} is {}, {to} is {}", from_ty.with_article(), to_ty.with_article()),
    )
    .at(span, "keys of one link have one type")
    .help(if to_ty == Type::Date {
        format!(
            "dates are read as 2025-03-31, moments as 2025-03-31 15:30; others need a column of their own: column {from}_day = cast(substring(cast({} as text) …) as date), or write the file so",
            from.rsplit('.').next().unwrap_or(from)
        )
    } else {
        format!("fix the type of one of them: column {from}: {to_ty}")
    })
}

pub(crate) fn link_needs_role(span: Span, first: Span, from: &str, to: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V407,
        format!("several links lead from {from} to {to}; each needs a role of its own"),
    )
    .at(span, "this one")
    .at(first, "and this one")
    .help(format!("add as ROLE: link … to {to} as shipped"))
}

pub(crate) fn two_defaults(span: Span, first: Span) -> Diagnostic {
    Diagnostic::new(Code::V408, "two links between these tables are the default")
        .at(span, "this one")
        .at(first, "and this one")
        .help("leave default out of one of them")
}

pub(crate) fn no_key(span: Span, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V409, format!("{table} has no key, so nothing can be linked to it"))
        .at(span, "")
        .help(format!("declare it with one: dimension {table} from '…' key …, or link by an attribute: by …"))
}

pub(crate) fn key_width(span: Span, from: usize, to: usize) -> Diagnostic {
    Diagnostic::new(Code::V410, format!("the link starts from {from} columns and reaches {to}"))
        .at(span, "")
        .help("name as many columns as the key has: link (TABLE.A, TABLE.B) to …")
}

pub(crate) fn role_clash(span: Span, role: &str, what: &str) -> Diagnostic {
    Diagnostic::new(Code::V411, format!("the role {role} is also {what}"))
        .at(span, "")
        .help("give the role a name that nothing else has")
}

pub(crate) fn link_ring(span: Span, tables: &[String]) -> Diagnostic {
    Diagnostic::new(Code::V412, format!("the links go round in a ring: {}", tables.join(" -> ")))
        .at(span, "this one closes it")
        .help("remove one of these links")
}

pub(crate) fn via_without_effect(span: Span, role: &str, target: &str) -> Diagnostic {
    Diagnostic::new(Code::V413, format!("via {role} changes nothing here"))
        .at(span, format!("nothing is split by or filtered on {target} in a way that follows the role"))
        .help(format!("split by a shared attribute such as {target}.…, or leave the clause out"))
}

pub(crate) fn stays_on_default(span: Span, fact: &str, role: &str) -> Diagnostic {
    Diagnostic::new(
        Code::V414,
        format!("figures of {fact} stay on their default: it has no link with the role {role}"),
    )
    .at(span, "")
}

pub(crate) fn totals_twice(span: Span, first: Span, side: &str) -> Diagnostic {
    Diagnostic::new(Code::V415, format!("totals on {side} are asked for twice"))
        .at(span, "a second time")
        .at(first, "the first")
        .help("keep one of them")
}

pub(crate) fn totals_without_axis(span: Span, side: &str) -> Diagnostic {
    Diagnostic::new(Code::V416, format!("nothing stands on {side}, so there are no totals over them"))
        .at(span, "")
        .help(format!("split the query ({side} calendar.year), or leave this out"))
}

pub(crate) fn as_of_no_day(span: Span, column: &str, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V227, format!("as of and until name days, and {column} of {table} is none"))
        .at(span, "")
        .help("name a column of dates: link (order_line.currency, order_line.ordered_on) to rate as of valid_from until valid_to")
}

pub(crate) fn as_of_not_last(span: Span, column: &str, table: &str) -> Diagnostic {
    Diagnostic::new(Code::V227, format!("{column} is not the last column of the key of {table}"))
        .at(span, "")
        .help(format!("a row is told by what it is about and by the day from which on it holds: dimension {table} … key currency, {column}"))
}

pub(crate) fn bridge_by_key(span: Span, from: &[String], to: &str) -> Diagnostic {
    let from = if let [one] = from { one.clone() } else { format!("({})", from.join(", ")) };
    Diagnostic::new(Code::V228, "a bridge leads by the key of its table, without by, as, as of or default")
        .at(span, format!("leads to the key of {to}"))
        .help(format!("write just the columns and the table: bridge {from} to {to}"))
}

/// What lies behind a bridge is no value of a row.
pub(crate) fn several_rows(span: Span, column: &str, table: &str, several: &str, to: &str) -> Diagnostic {
    Diagnostic::new(Code::V229, format!("{column} is not one value of a row of {table}"))
        .at(span, format!("a row of {to} may have several rows of {several}"))
        .help(format!(
            "take a value over them, such as: (listagg({column}, ', ') per {to}), or: (any({column} = '…') per {to})"
        ))
}

/// A condition on a bridge that looks at something else besides.
pub(crate) fn mixed_bridge(span: Span, several: &str, other: &str, to: &str) -> Diagnostic {
    Diagnostic::new(Code::V230, format!("this condition is about rows of {several} and about {other} together"))
        .at(span, format!("a condition on {several} is met by one of its rows, alone"))
        .help(format!(
            "write the parts with and between them, or say what is meant of all rows of {several}, such as: (any(…) per {to})"
        ))
}

pub(crate) fn several_bridges(span: Span, from: &str, column: &str, through: &[String]) -> Diagnostic {
    Diagnostic::new(
        Code::V231,
        format!("bridges lead from {from} to {column} over {}", through.join(" and over ")),
    )
    .at(span, "it is not clear which rows are meant")
    .help("let each bridge start from a table of its own, or take a value over the rows, such as: (any(…) per customer)")
}

pub(crate) fn no_working_days(span: Span) -> Diagnostic {
    Diagnostic::new(Code::V232, "the calendar does not say which days are working days")
        .at(span, "")
        .help("write below the calendar: working where weekday not in ('Saturday', 'Sunday')")
}
