//! What names mean, where they are used, and how they are renamed: compared with what the model's own binding says.

use crate::common;
use vembra::Session;
use vembra_editor::{Target, TextKind, about_word, outline, rename, target_at, uses};

const MODEL: &str = "\
calendar from '2025-01-01' to '2025-12-31'
dimension shop from 'shop.csv' key code
fact sale from 'sale.csv'
link sale.shop to shop
link sale.sold_on to calendar as sold default
link sale.paid_on to calendar as paid
column sale.net = amount - rebate
column shop.size label 'Size'
measure takings = sum(net)
measure paid_takings = takings via paid
measure best = max(takings per shop.code)
measure part = share(takings among shop.size)
param year: integer default 2025
viewer north sees only shop.size = 'big'
derived big key code = rows shop.code as code show takings where shop.size = 'big'
assert 'some' seen by north per shop.size: takings > 0
report by_month 'In :year' = rows calendar.month show takings as t, paid_takings sort t where calendar.year = :year
  drawn as line along calendar.month switch year 2024, 2025
dashboard all_of_it 'All of :year' row 1: by_month
";

fn session() -> Session {
    Session::builder()
        .model_text("m.vembra", MODEL)
        .csv_text("shop", "code,size\na,big\nb,small\n")
        .csv_text("sale", "shop,sold_on,paid_on,amount,rebate\na,2025-01-02,2025-02-03,10.00,1.00\nb,2025-01-05,,5.00,0.00\n")
        .open()
        .unwrap_or_else(|failure| panic!("{failure}"))
}

/// What the name after `before` means.
fn meaning(session: &Session, before: &str) -> Option<String> {
    let at = MODEL.find(before).unwrap_or_else(|| panic!("{before}")) + before.len();
    let source = vembra::SourceId(0);
    target_at(session.model(), TextKind::Model, source, MODEL, at).map(|(target, _)| {
        let kind = format!("{target:?}").split('(').next().unwrap_or_default().to_lowercase();
        format!("{kind} {}", target.name(session.model()))
    })
}

#[test]
fn names_mean_what_they_mean_to_the_model() {
    let session = session();
    let cases = [
        ("column sale.net = ", "column sale.amount"),
        ("column sale.net = amount - ", "column sale.rebate"),
        ("column ", "table sale"),
        ("column sale.", "column sale.net"),
        ("measure takings = sum(", "column sale.net"),
        ("measure ", "measure takings"),
        ("measure paid_takings = ", "measure takings"),
        ("takings via ", "role paid"),
        ("per shop.", "column shop.code"),
        ("takings among ", "table shop"),
        ("link sale.sold_on to ", "table calendar"),
        ("to calendar as ", "role sold"),
        ("dimension shop from 'shop.csv' key ", "column shop.code"),
        ("where calendar.year = ", "param year"),
        ("seen by ", "viewer north"),
        ("row 1: ", "report by_month"),
        ("switch ", "param year"),
        ("dashboard ", "dashboard all_of_it"),
        ("derived ", "table big"),
    ];
    for (before, wanted) in cases {
        assert_eq!(meaning(&session, before).as_deref(), Some(wanted), "after {before}");
    }
    // A name that only the query gives, a text, a word of the language.
    for before in ["sort ", "label '", "drawn as "] {
        assert_eq!(meaning(&session, before), None, "after {before}");
    }
}

fn found(session: &Session, target: Target) -> Vec<String> {
    let sources = &session.model().sources;
    let text = |u: vembra_editor::Use| {
        let (line, column) = sources.line_column(u.span);
        format!("{line}:{column} {}{}", sources.slice(u.span), if u.declares { " declared" } else { "" })
    };
    uses(session.model(), target).into_iter().map(text).collect()
}

#[test]
fn uses_are_found_in_formulas_queries_and_titles() {
    let session = session();
    let model = session.model();
    let takings = Target::Measure(model.find_measure("takings").expect("a measure"));
    assert_eq!(
        found(&session, takings),
        [
            "9:9 takings declared",
            "10:24 takings",
            "11:20 takings",
            "12:22 takings",
            "15:52 takings",
            "16:44 takings",
            "17:55 takings",
        ]
    );
    let year = Target::Param(model.find_param("year").expect("a parameter"));
    assert_eq!(
        found(&session, year),
        ["13:7 year declared", "17:22 year", "17:112 year", "18:45 year", "19:30 year"]
    );
    let paid = Target::Role(model.find_role("paid").expect("a role"));
    assert_eq!(found(&session, paid), ["6:34 paid declared", "10:36 paid"]);
}

/// The model's own binding is the judge: every name that it bound to a measure or a column is found as that.
#[test]
fn targets_agree_with_the_binding_of_the_demo() {
    let session = common::demo(200);
    let model = session.model();
    let mut checked = 0;
    let formulas = model.measures.iter().map(|m| &m.formula).chain(model.column_formulas.values());
    for formula in formulas {
        formula.walk(&mut |bound| {
            let wanted = match &bound.kind {
                vembra::inside::BoundKind::Measure(id) => Target::Measure(*id),
                vembra::inside::BoundKind::Column(id, _) => Target::Column(*id),
                _ => return,
            };
            let text = model.sources.text(bound.span.source);
            // Of `table.column` the last letter belongs to the column.
            let at = bound.span.end;
            let target = target_at(model, TextKind::Model, bound.span.source, text, at).map(|(t, _)| t);
            let same = match (target, wanted) {
                (Some(Target::Column(a)), Target::Column(b)) => model.same_things(a).contains(&b),
                (found, wanted) => found == Some(wanted),
            };
            assert!(same, "{}: {target:?}, not {wanted:?}", model.sources.slice(bound.span));
            checked += 1;
        });
    }
    assert!(checked > 60, "only {checked} names were looked at");
}

fn renamed(session: &Session, target: Target, new: &str) -> Result<String, String> {
    let mut text = MODEL.to_owned();
    for (span, new) in rename(session.model(), target, new)?.into_iter().rev() {
        text.replace_range(span.start..span.end, &new);
    }
    Ok(text)
}

#[test]
fn a_renamed_model_means_the_same() {
    let session = session();
    let model = session.model();
    let column = |table: &str, name: &str| {
        let table = model.find_table(table).expect("a table");
        Target::Column(model.find_column(table, name).expect("a column"))
    };
    let cases = [
        (Target::Measure(model.find_measure("takings").expect("a measure")), "income"),
        (Target::Table(model.find_table("sale").expect("a table")), "Till Roll"),
        (Target::Role(model.find_role("paid").expect("a role")), "settled"),
        (Target::Param(model.find_param("year").expect("a parameter")), "which"),
        (column("sale", "net"), "kept"),
        (Target::Viewer(0), "show"),
        (Target::Report(0), "monthly"),
    ];
    let csv = [
        ("shop", "code,size\na,big\nb,small\n"),
        (
            "sale",
            "shop,sold_on,paid_on,amount,rebate\na,2025-01-02,2025-02-03,10.00,1.00\nb,2025-01-05,,5.00,0.00\n",
        ),
    ];
    for (target, new) in cases {
        let old = target.name(model);
        let text = renamed(&session, target, new).unwrap_or_else(|why| panic!("{old}: {why}"));
        let builder = Session::builder().model_text("m.vembra", text.clone());
        let builder = csv.iter().fold(builder, |b, (table, csv)| {
            let table = if *table == "sale" && new == "Till Roll" { new } else { table };
            b.csv_text(table, *csv)
        });
        let after = builder.open().unwrap_or_else(|failure| panic!("{old} to {new}: {failure}\n{text}"));
        assert_eq!(after.model().measures.len(), model.measures.len());
        let own = old.rsplit('.').next().unwrap_or_default();
        let left = text.match_indices(own).filter(|(at, _)| {
            let letter = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
            !letter(text[..*at].chars().next_back()) && !letter(text[at + own.len()..].chars().next())
        });
        // Only the file of that name, or a word inside another name, keeps the old one.
        let kept: Vec<usize> = left.map(|(at, _)| at).collect();
        assert!(kept.iter().all(|at| text[..*at].ends_with(['\'', '.'])), "{old} is left in\n{text}");
    }
}

#[test]
fn what_cannot_be_renamed_says_why() {
    let session = session();
    let model = session.model();
    let takings = Target::Measure(model.find_measure("takings").expect("a measure"));
    let shop = model.find_table("shop").expect("a table");
    let size = Target::Column(model.find_column(shop, "size").expect("a column"));
    let cases = [
        (takings, "best", "the name best is taken by a measure"),
        (takings, "amount", "the name amount is taken by the column sale.amount"),
        (takings, " ", "a name has at least one character, and stands on one line"),
        (size, "extent", "the name shop.size comes from the data: rename it there"),
        (
            Target::Table(model.find_table("calendar").expect("a table")),
            "days",
            "the name calendar comes from the data: rename it there",
        ),
        (
            Target::Param(model.find_param("year").expect("a parameter")),
            "the year",
            "the year cannot be the name of a parameter: letters, digits and _ only",
        ),
        (Target::Role(model.find_role("paid").expect("a role")), "shop", "the name shop is taken by a table"),
    ];
    for (target, new, wanted) in cases {
        assert_eq!(renamed(&session, target, new).expect_err(new), wanted);
    }
}

#[test]
fn words_and_outlines_read_well() {
    let said = about_word(TextKind::Model, "measure x = sum(net) regardless of all", 26);
    assert_eq!(said, Some(("forgets where the cell stands, and filters".to_owned(), 21..34)));
    let (said, _) = about_word(TextKind::Query, "show sum(net)", 6).expect("a function");
    assert_eq!(said, "```vembra\nsum(value from TABLE where CONDITION)\n```\n\nthe sum over rows");
    assert_eq!(about_word(TextKind::Query, "show takings", 7), None);
    let lines: Vec<String> = outline(MODEL).iter().map(|s| format!("{} {}", s.word, s.name)).collect();
    assert_eq!(lines[..4], ["calendar calendar", "dimension shop", "fact sale", "link sale.shop"]);
    assert_eq!(lines[15], "assert some");
}
