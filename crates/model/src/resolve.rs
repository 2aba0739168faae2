//! From declarations, and the columns that the tables turned out to have, to a model.

mod accepted;
mod assertions;
mod derived;
mod formats;
mod formulas;
mod items;
mod links;
mod params;
mod reports;
mod tables;
mod treatments;

use crate::declarations::Declarations;
use crate::model::Model;
use vembra_plan::Type;
use vembra_syntax::Diagnostic;

/// The columns of a table from outside.
#[derive(Clone, Debug, Default)]
pub struct TableShape {
    /// The name of the table.
    pub name: String,
    /// Its columns in order.
    pub columns: Vec<(String, Type)>,
}

/// Resolves a model. What could not be resolved stands in the diagnostics; the rest of the model is there.
pub fn resolve(declarations: &Declarations, shapes: &[TableShape]) -> (Model, Vec<Diagnostic>) {
    let mut resolver = Resolver {
        declarations,
        model: Model { sources: declarations.sources.clone(), fiscal_start: 1, ..Model::default() },
        diagnostics: Vec::new(),
        link_places: Vec::new(),
        later_descriptions: Vec::new(),
        hierarchies_done: Vec::new(),
    };
    resolver.tables(shapes);
    resolver.derived_tables();
    resolver.currency();
    resolver.locale();
    resolver.calendar(shapes);
    let pending = resolver.links((0..declarations.links.len()).collect(), false);
    resolver.same_things();
    resolver.hierarchies(false);
    resolver.params();
    let pending = resolver.items(pending);
    resolver.hierarchies(true);
    resolver.describe_derived();
    resolver.column_orders();
    resolver.covering();
    resolver.links(pending, true);
    resolver.check_links();
    resolver.same_things();
    resolver.column_rings();
    resolver.try_treatments();
    resolver.formats();
    resolver.default_figures();
    resolver.attribute_params();
    resolver.viewers();
    resolver.assertions();
    resolver.reports();
    resolver.accepted();
    resolver.diagnostics.sort_by_key(|d| d.labels.first().map(|l| (l.span.source, l.span.start)));
    (resolver.model, resolver.diagnostics)
}

struct Resolver<'a> {
    declarations: &'a Declarations,
    model: Model,
    diagnostics: Vec<Diagnostic>,
    /// Where each link of the schema is declared.
    link_places: Vec<vembra_syntax::Span>,
    /// Where columns of derived tables are described.
    later_descriptions: Vec<vembra_syntax::Span>,
    /// Which hierarchies are resolved.
    hierarchies_done: Vec<vembra_syntax::Span>,
}
