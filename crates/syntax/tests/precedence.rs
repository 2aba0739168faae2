//! Which operator binds to what: expressions are made as trees, written with only the brackets that the reference manual asks for, and read back.
#![allow(clippy::unwrap_used, clippy::panic)] // Tests stop at the first fault.

use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{SourceId, parse_query};
use vembra_testing::Random;

/// An expression as it is made.
enum Made {
    Leaf(&'static str),
    Prefix(&'static str, Box<Made>),
    Infix(&'static str, Box<Made>, Box<Made>),
    /// `x is null`, `x is not null`.
    Null(bool, Box<Made>),
    /// `x between a and b`, negated or not.
    Between(bool, [Box<Made>; 3]),
    /// `x in (a, b)`, negated or not.
    In(bool, Box<Made>, Vec<Made>),
    Like(bool, Box<Made>, Box<Made>),
    Call(&'static str, Vec<Made>),
    /// `case when c then a else b end`.
    Case([Box<Made>; 3]),
}

/// How strongly an expression holds together: 1 for `or`, 7 for what needs no brackets anywhere.
fn strength(made: &Made) -> u8 {
    match made {
        Made::Infix("or", ..) => 1,
        Made::Infix("and", ..) => 2,
        Made::Prefix("not", _) => 3,
        Made::Infix("=" | "<>" | "<" | "<=" | ">" | ">=", ..)
        | Made::Null(..)
        | Made::Between(..)
        | Made::In(..)
        | Made::Like(..) => 4,
        Made::Infix("+" | "-" | "||", ..) => 5,
        Made::Infix(..) => 6,
        Made::Prefix(..) => 7,
        Made::Leaf(_) | Made::Call(..) | Made::Case(_) => 8,
    }
}

fn made(random: &mut Random, depth: u64) -> Made {
    if depth == 0 || random.below(5) == 0 {
        return Made::Leaf(random.pick(&[
            "a",
            "b.c",
            "1",
            "2.5",
            "'x'",
            ":p",
            "true",
            "null",
            "date '2025-03-31'",
            "\"odd name\"",
        ]));
    }
    let part = |random: &mut Random| Box::new(made(random, depth - 1));
    let negated = random.below(2) == 0;
    match random.below(12) {
        0 => Made::Prefix("not", part(random)),
        1 => Made::Prefix("-", part(random)),
        2 => Made::Null(negated, part(random)),
        3 => Made::Between(negated, [part(random), part(random), part(random)]),
        4 => Made::In(negated, part(random), vec![*part(random), *part(random)]),
        5 => Made::Like(negated, part(random), part(random)),
        6 => Made::Call(random.pick(&["coalesce", "greatest", "f"]), vec![*part(random), *part(random)]),
        7 => Made::Case([part(random), part(random), part(random)]),
        _ => {
            let operators =
                ["or", "and", "=", "<>", "<", "<=", ">", ">=", "+", "-", "||", "*", "/", "*", "+", "and"];
            Made::Infix(random.pick(&operators), part(random), part(random))
        }
    }
}

/// The text, in brackets where it holds less strongly than is wanted.
fn at_least(made: &Made, wanted: u8) -> String {
    let text = written(made);
    if strength(made) < wanted { format!("({text})") } else { text }
}

fn written(made: &Made) -> String {
    let own = strength(made);
    let not = |negated: &bool| if *negated { "not " } else { "" };
    match made {
        Made::Leaf(text) => (*text).to_owned(),
        // A sign before a sign would be a comment, or read as one.
        Made::Prefix("-", inner) => format!("-{}", at_least(inner, 8)),
        Made::Prefix(word, inner) => format!("{word} {}", at_least(inner, own)),
        // Comparisons stand between sums, and not beside one another.
        Made::Infix(operator, left, right) if own == 4 => {
            format!("{} {operator} {}", at_least(left, 5), at_least(right, 5))
        }
        // The left one goes first; on the right the same strength needs brackets.
        Made::Infix(operator, left, right) => {
            format!("{} {operator} {}", at_least(left, own), at_least(right, own + 1))
        }
        Made::Null(negated, inner) => format!("{} is {}null", at_least(inner, 5), not(negated)),
        Made::Between(negated, [value, low, high]) => {
            let (value, low, high) = (at_least(value, 5), at_least(low, 5), at_least(high, 5));
            format!("{value} {}between {low} and {high}", not(negated))
        }
        Made::In(negated, value, list) => {
            let list: Vec<String> = list.iter().map(written).collect();
            format!("{} {}in ({})", at_least(value, 5), not(negated), list.join(", "))
        }
        Made::Like(negated, value, pattern) => {
            format!("{} {}like {}", at_least(value, 5), not(negated), at_least(pattern, 5))
        }
        Made::Call(name, args) => {
            let args: Vec<String> = args.iter().map(written).collect();
            format!("{name}({})", args.join(", "))
        }
        Made::Case([condition, value, otherwise]) => {
            format!(
                "case when {} then {} else {} end",
                written(condition),
                written(value),
                written(otherwise)
            )
        }
    }
}

/// The tree, each part in brackets of its own.
fn shape(made: &Made) -> String {
    let all = |parts: &[&Made]| parts.iter().map(|p| shape(p)).collect::<Vec<_>>().join(" ");
    let sign = |negated: &bool| if *negated { "!" } else { "" };
    match made {
        Made::Leaf(text) => (*text).to_owned(),
        Made::Prefix(word, inner) => format!("[{word} {}]", shape(inner)),
        Made::Infix(operator, left, right) => format!("[{operator} {}]", all(&[left, right])),
        Made::Null(negated, inner) => format!("[{}null {}]", sign(negated), shape(inner)),
        Made::Between(negated, [a, b, c]) => format!("[{}between {}]", sign(negated), all(&[a, b, c])),
        Made::In(negated, value, list) => {
            let list: Vec<&Made> = std::iter::once(&**value).chain(list).collect();
            format!("[{}in {}]", sign(negated), all(&list))
        }
        Made::Like(negated, a, b) => format!("[{}like {}]", sign(negated), all(&[a, b])),
        Made::Call(name, args) => format!("[{name} {}]", all(&args.iter().collect::<Vec<_>>())),
        Made::Case([a, b, c]) => format!("[case {}]", all(&[a, b, c])),
    }
}

/// The tree that was read, in the same form; brackets in the text leave no trace.
fn read(expr: &Expr) -> String {
    let all = |parts: Vec<Expr>| parts.iter().map(read).collect::<Vec<_>>().join(" ");
    let sign = |negated: bool| if negated { "!" } else { "" };
    match expr {
        Expr::Paren(paren) => read(&paren.inner().unwrap()),
        Expr::Unary(unary) => format!("[{} {}]", unary.operator(), read(&unary.operand().unwrap())),
        Expr::Binary(binary) => format!("[{} {}]", binary.operator(), all(binary.operands())),
        Expr::IsNull(null) => format!("[{}null {}]", sign(null.is_negated()), read(&null.operand().unwrap())),
        Expr::Between(between) => {
            format!("[{}between {}]", sign(between.is_negated()), all(between.operands()))
        }
        Expr::InList(list) => format!("[{}in {}]", sign(list.is_negated()), all(list.operands())),
        Expr::Like(like) => format!("[{}like {}]", sign(like.is_negated()), all(like.operands())),
        Expr::Call(call) => format!("[{} {}]", call.name().unwrap().name(), all(call.args())),
        Expr::Case(case) => {
            let mut parts: Vec<Expr> = case.branches().iter().flat_map(ast::CaseWhen::parts).collect();
            parts.extend(case.otherwise());
            format!("[case {}]", all(parts))
        }
        other => other.text(),
    }
}

fn parsed(text: &str) -> (Option<Expr>, usize) {
    let query = format!("show ({text}) as x");
    let parsed = parse_query(SourceId::default(), &query);
    let items: Vec<ast::Item> = ast::clause_items(&parsed.root, vembra_syntax::SyntaxKind::ShowClause);
    (items.first().and_then(ast::Item::expr), parsed.diagnostics.len())
}

#[test]
fn operators_bind_by_their_strength_and_from_the_left() {
    let mut random = Random(11);
    let mut longest = 0;
    for _ in 0..4_000 {
        let tree = made(&mut random, 4);
        let text = written(&tree);
        let (expr, said) = parsed(&text);
        assert_eq!(said, 0, "{text}");
        assert_eq!(read(&expr.unwrap()), shape(&tree), "{text}");
        longest = longest.max(text.len());
    }
    assert!(longest > 300, "expressions of at most {longest} bytes");
}

#[test]
fn by_hand() {
    for (text, want) in [
        ("a or b and c", "[or a [and b c]]"),
        ("a and b or c", "[or [and a b] c]"),
        ("not a and b", "[and [not a] b]"),
        ("not a = b", "[not [= a b]]"),
        ("not not a", "[not [not a]]"),
        ("a = b + c * d", "[= a [+ b [* c d]]]"),
        ("a - b - c", "[- [- a b] c]"),
        ("a / b * c", "[* [/ a b] c]"),
        ("a || b || c", "[|| [|| a b] c]"),
        ("-a * b", "[* [- a] b]"),
        ("- -a", "[- [- a]]"),
        ("a - -b", "[- a [- b]]"),
        ("a between b and c and d", "[and [between a b c] d]"),
        ("a between b + 1 and c and d between e and f", "[and [between a [+ b 1] c] [between d e f]]"),
        ("a in (b) or c", "[or [in a b] c]"),
        ("a is null and b is not null", "[and [null a] [!null b]]"),
        ("a + b like c || d", "[like [+ a b] [|| c d]]"),
        ("(a or b) and c", "[and [or a b] c]"),
        ("AND1 AND and2 Or or3", "[or [and AND1 and2] or3]"),
    ] {
        let (expr, said) = parsed(text);
        assert_eq!((read(&expr.unwrap()), said), (want.to_owned(), 0), "{text}");
    }
}

#[test]
fn what_binds_to_nothing_is_refused() {
    let refused = [
        "",
        "a +",
        "+ ",
        "a b",
        "a in b",
        "a in ()",
        "a between b",
        "a between b or c",
        "a like",
        "case a end",
        "case when a end",
        "case when a then b",
        "not",
        "a and",
        "or a",
        "f(a",
        "f(a,)",
        "f(,a)",
        "(a",
        "a)",
        "a..b",
        ".a",
        "a.",
        "a.b.c",
        ": p",
        "'x",
        "\"x",
        "1.2.3",
        "1x",
        "a ! b",
        "a == b",
        "a & b",
        "{a}",
        "a;",
    ];
    let taken: Vec<&str> = refused.into_iter().filter(|text| parsed(text).1 == 0).collect();
    assert!(taken.is_empty(), "{taken:?} were taken");
}
