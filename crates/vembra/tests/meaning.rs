//! Binding, grain and what determines what: by a list of expressions with their type and grain, and against the data.

use std::fs;
use std::path::Path;
use vembra::{Answer, Session, Stage};

const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension product from 'product' key sku
dimension customer from 'customer' key code
fact sale from 'sale'
link sale.sku to product
link sale.code to customer
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
measure revenue = sum(amount)
measure lines = count(rows of sale)
";

fn session() -> Session {
    Session::builder()
        .model_text("shop.vembra", MODEL)
        .csv_text("product", "sku,name,category\nA,Axe,Tools\nB,Bow,Toys\n")
        .csv_text("customer", "code,name,region\n1,Ann,North\n2,Ben,South\n")
        .csv_text(
            "sale",
            "sku,code,ordered_on,shipped_on,quantity,amount,note\nA,1,2024-03-01,2024-03-04,2,10.50,x\n",
        )
        .open()
        .unwrap()
}

/// What a figure is, as the meaning of a query that shows it says it. A value a key needs its key on an axis.
fn said(session: &Session, expr: &str) -> String {
    if let Some((expr, table)) = expr.rsplit_once(" in ").filter(|(_, table)| !table.contains('(')) {
        return said_of_rows(session, expr, table);
    }
    let axes = [
        "",
        "rows product.name ",
        "rows product.sku ",
        "rows product.name, calendar.month ",
        "rows product.sku, calendar.month ",
    ];
    let show = if expr.contains(" - ") && !expr.contains('(') {
        format!("show {expr} as x")
    } else {
        format!("show ({expr}) as x")
    };
    let meaning = |axes: &str| session.query(format!("{axes}{show}")).stage(Stage::Model);
    match axes.iter().map(|axes| meaning(axes)).find(Result::is_ok).unwrap_or_else(|| meaning("")) {
        Ok(meaning) => {
            let line = meaning.lines().find(|line| line.starts_with("show x: ")).unwrap().to_owned();
            line["show x: ".len()..].split_once(", from ").unwrap().0.to_owned()
        }
        Err(error) => format!("refused {}", error.diagnostics()[0].code),
    }
}

/// The type of a value of rows, as the list that shows it says it.
fn said_of_rows(session: &Session, expr: &str, table: &str) -> String {
    match session.query(format!("list {expr} as x from {table}")).ask().map(|reply| reply.answer) {
        Ok(Answer::List(list)) => list.columns[0].ty.to_string(),
        Ok(Answer::Summary(_)) => "a summary".to_owned(),
        Err(error) => format!("refused {}", error.diagnostics()[0].code),
    }
}

#[test]
fn expressions_have_their_type_and_grain() {
    let session = session();
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/meaning/cases.txt");
    let text = fs::read_to_string(file).unwrap();
    let mut wrong = Vec::new();
    for line in text.lines().filter(|line| !line.is_empty() && !line.starts_with("--")) {
        let (expr, wanted) = line.rsplit_once(" -> ").unwrap();
        let found = said(&session, expr);
        if found != wanted {
            wrong.push(format!("{expr}: {found}, not {wanted}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Wherever the model says that one attribute determines another one, each member of it stands with one member of that in the data of
/// the demo; and of an attribute that settles another one across a link, so does each row of the fact.
#[test]
fn what_is_said_to_determine_does_in_the_data() {
    let demo = Session::open(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/bees.vembra")).unwrap();
    let (model, star) = (demo.model(), demo.star());
    let mut held = 0;
    for table in model.schema.table_ids() {
        for finer in &model.schema.table(table).columns {
            for coarser in model.schema.table(table).columns.iter().filter(|c| *c != finer) {
                if model.determines(*finer, *coarser) {
                    let apart = star.undetermined(*finer, *coarser).unwrap();
                    let names = (model.schema.qualified(*finer), model.schema.qualified(*coarser));
                    assert_eq!(apart, None, "{names:?}");
                    held += 1;
                }
            }
        }
    }
    assert!(held > 50, "{held} pairs");
    // What it is not said of is not known, but the calendar's own are all there: a finer period determines a coarser one.
    let calendar = model.calendar.unwrap();
    let columns = &model.schema.table(calendar).columns;
    let mut missed = Vec::new();
    for finer in columns {
        for coarser in columns.iter().filter(|c| *c != finer) {
            let holds = star.undetermined(*finer, *coarser).unwrap().is_none();
            if holds && !model.determines(*finer, *coarser) {
                missed.push(format!(
                    "{} {}",
                    model.schema.column(*finer).name,
                    model.schema.column(*coarser).name
                ));
            }
        }
    }
    assert!(missed.is_empty(), "the data of three years hold more: {missed:?}");
}
