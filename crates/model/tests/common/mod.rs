//! A small star without any rows: names, types and grain are known before data are read.
#![allow(dead_code)] // Each test file takes what it needs.

use std::collections::BTreeMap;
use vembra_model::{
    Bound, BoundList, BoundQuery, BoundSummary, FileError, Model, ModelFiles, TableShape, ask, read, resolve,
};
use vembra_plan::{Period, Type};
use vembra_syntax::{Diagnostic, Severity, Sources, parse_query};

/// Sales by shops, goods and days; goals of months and regions; tastes of shops' goods over a bridge.
pub(crate) const STAR: &str = "\
calendar from '2024-01-01' to '2025-12-31'
  fiscal year starts october
dimension shop from 'shop' key code
dimension area from 'area' key area_no
dimension goods from 'goods' key sku
fact sale from 'sale'
fact goal from 'goal'
fact taste from 'taste'
bridge taste.sku to goods
link sale.code to shop
link sale.sku to goods
link shop.area_no to area
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
link goal.month to calendar by month as ordered
link goal.area_no to area
hierarchy goods.range = kind, name
hierarchy area.places = region, area_no
measure total = sum(price)
measure per_order = total per order_no
measure mean_order = avg(per_order)
measure wanted_all = sum(wanted)
measure flat = total overall
param least: integer default 3
param shift: text
";

/// A table and what its columns hold.
pub(crate) fn shape(name: &str, columns: &[(&str, Type)]) -> TableShape {
    let columns = columns.iter().map(|(name, ty)| ((*name).to_owned(), *ty)).collect();
    TableShape { name: name.to_owned(), columns }
}

/// The tables of [`STAR`]: `sale` has a column of each type.
pub(crate) fn shapes() -> Vec<TableShape> {
    use Type::{Boolean, Date, Decimal, Float, Integer, Moment, Text, Time};
    vec![
        shape("shop", &[("code", Text), ("name", Text), ("area_no", Integer), ("opened_on", Date)]),
        shape("area", &[("area_no", Integer), ("region", Text)]),
        shape("goods", &[("sku", Text), ("name", Text), ("kind", Text), ("weight", Float)]),
        shape(
            "sale",
            &[
                ("order_no", Integer),
                ("code", Text),
                ("sku", Text),
                ("ordered_on", Date),
                ("shipped_on", Date),
                ("quantity", Integer),
                ("price", Decimal(2)),
                ("rate", Decimal(4)),
                ("share_of", Float),
                ("note", Text),
                ("paid", Boolean),
                ("day", Date),
                ("clock", Time),
                ("seen", Moment),
                ("in_month", Type::Period(Period::Month)),
                ("in_year", Type::Period(Period::Year)),
                ("nothing", Type::Null),
            ],
        ),
        shape("goal", &[("month", Type::Period(Period::Month)), ("area_no", Integer), ("wanted", Integer)]),
        shape("taste", &[("sku", Text), ("word", Text)]),
    ]
}

struct OneFile(String);

impl ModelFiles for OneFile {
    fn read(&self, from: Option<&str>, file: &str) -> Result<(String, String), FileError> {
        match from {
            None => Ok(("star.vembra".to_owned(), self.0.clone())),
            Some(_) => Err(FileError::Failed(format!("there is no {file}"))),
        }
    }
}

/// A model of these texts, with all that is said of it.
pub(crate) fn resolved(text: &str, shapes: &[TableShape]) -> (Model, Sources, Vec<Diagnostic>) {
    let declarations = read(&OneFile(text.to_owned()), "star.vembra");
    let (model, mut said) = resolve(&declarations, shapes);
    said.extend(declarations.diagnostics.iter().cloned());
    (model, declarations.sources.clone(), said)
}

/// A model that is right, with the texts that it is made of.
pub(crate) struct Star {
    pub(crate) model: Model,
    pub(crate) sources: Sources,
}

impl Star {
    /// [`STAR`] with more behind it.
    pub(crate) fn with(more: &str) -> Self {
        let (model, sources, said) = resolved(&format!("{STAR}{more}"), &shapes());
        let wrong: Vec<&Diagnostic> = said.iter().filter(|d| d.severity == Severity::Error).collect();
        assert!(wrong.is_empty(), "{more}: {wrong:?}");
        Self { model, sources }
    }

    /// What a query means, or the codes of what is wrong with it.
    pub(crate) fn query(&self, query: &str) -> Result<BoundQuery, Vec<String>> {
        let mut sources = self.sources.clone();
        let source = sources.add("query", query);
        let parsed = parse_query(source, query);
        let (bound, said) = ask(&self.model, &sources, source, &parsed.root, &BTreeMap::new());
        let errors = parsed.diagnostics.iter().chain(&said).filter(|d| d.severity == Severity::Error);
        let codes: Vec<String> = errors.map(|d| d.code.to_string()).collect();
        match bound.filter(|_| codes.is_empty()) {
            Some(bound) => Ok(bound),
            None => {
                assert!(!codes.is_empty(), "{query}: nothing is bound and nothing is said");
                Err(codes)
            }
        }
    }

    /// A query that summarises.
    pub(crate) fn summary(&self, query: &str) -> BoundSummary {
        match self.query(query) {
            Ok(BoundQuery::Summary(summary)) => *summary,
            other => panic!("{query}: {other:?}"),
        }
    }

    /// A query for rows.
    pub(crate) fn list(&self, query: &str) -> Result<BoundList, Vec<String>> {
        self.query(query).map(|bound| match bound {
            BoundQuery::List(list) => *list,
            BoundQuery::Summary(_) => panic!("{query} is no list"),
        })
    }

    /// A figure of a query.
    pub(crate) fn figure(&self, expr: &str) -> Result<Bound, Vec<String>> {
        self.query(&format!("show ({expr}) as x")).map(|bound| match bound {
            BoundQuery::Summary(summary) => summary.shows[0].expr.clone(),
            BoundQuery::List(_) => panic!("{expr} is no figure"),
        })
    }

    /// A value of each row of `sale`.
    pub(crate) fn row(&self, expr: &str) -> Result<Bound, Vec<String>> {
        self.list(&format!("list ({expr}) as x from sale")).map(|list| list.columns[0].expr.clone())
    }
}

/// Nothing is known of any column's values.
struct NothingKnown;

impl vembra_model::lower::KnownValues for NothingKnown {
    fn values(&self, _: vembra_plan::ColumnId) -> Option<Vec<vembra_plan::Scalar>> {
        None
    }
}

impl Star {
    /// The plan of a query in its text form, after all rewrites, and the codes of what is noted beside it.
    pub(crate) fn planned(&self, query: &str) -> (String, Vec<String>) {
        let (plan, codes) = self.rewritten(query);
        (plan.map_or_else(String::new, |plan| plan.to_string()), codes)
    }

    /// The plan of a query after all rewrites, and the codes of what is noted beside it.
    pub(crate) fn rewritten(&self, query: &str) -> (Option<vembra_plan::Plan>, Vec<String>) {
        let bound = self.query(query).unwrap_or_else(|codes| panic!("{query}: {codes:?}"));
        let (plan, said) = vembra_model::lower::plan(&self.model, &self.sources, &bound, &NothingKnown);
        let codes = said.iter().map(|d| d.code.to_string()).collect();
        let Some(mut plan) = plan else { return (None, codes) };
        vembra_plan::verify::plan(&self.model.schema, &plan, "planning").unwrap();
        vembra_plan::rewrite::run(&self.model.schema, &mut plan).unwrap();
        (Some(plan), codes)
    }

    /// The plan alone, of a query of which nothing is wrong.
    pub(crate) fn plan(&self, query: &str) -> String {
        let (plan, said) = self.planned(query);
        assert!(!plan.is_empty(), "{query}: {said:?}");
        plan
    }
}
