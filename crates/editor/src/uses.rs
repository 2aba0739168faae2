//! Where something is declared and used, and how it gets another name.

use crate::probe::parts;
use crate::target::{Target, target_of};
use vembra_model::Model;
use vembra_plan::TableKind;
use vembra_syntax::{SourceId, Span, SyntaxKind, SyntaxToken, parse_model, quote_name};

/// A place at which something is named.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Use {
    /// Where the name stands.
    pub span: Span,
    /// Whether it is declared there.
    pub declares: bool,
}

/// The places in all files of a model at which something is named, in their order. Of something with two declarations, such as a
/// role of two links, both declare it.
pub fn uses(model: &Model, target: Target) -> Vec<Use> {
    let mut uses = Vec::new();
    let name = target.name(model);
    let own = name.rsplit('.').next().unwrap_or(&name);
    // What a name means is only asked where it could mean this.
    let may_mean = |text: &str| text.contains(own) || own.contains('"');
    for id in 0..model.sources.count() {
        let source = SourceId(id as u32);
        let text = model.sources.text(source);
        for part in parts(text).into_iter().filter(|p| may_mean(&text[p.clone()])) {
            let root = parse_model(source, &text[part.clone()]).root;
            for token in root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token) {
                let found = if token.kind() == SyntaxKind::Text {
                    inside_text(model, target, source, &token)
                } else if may_mean(token.text()) && target_of(model, &token) == Some(target) {
                    vec![Use { span: place_of(source, &token), declares: declares(&token) }]
                } else {
                    Vec::new()
                };
                uses.extend(found.into_iter().map(|u| u.later(part.start)));
            }
        }
    }
    uses
}

impl Use {
    fn later(mut self, bytes: usize) -> Self {
        self.span.start += bytes;
        self.span.end += bytes;
        self
    }
}

fn place_of(source: SourceId, token: &SyntaxToken) -> Span {
    let range = token.text_range();
    // Of `:name` the name.
    let colon = usize::from(token.kind() == SyntaxKind::Parameter);
    Span { source, start: usize::from(range.start()) + colon, end: range.end().into() }
}

fn declares(token: &SyntaxToken) -> bool {
    let Some(name) = token.parent() else { return false };
    let Some(parent) = name.parent() else { return false };
    match parent.kind() {
        SyntaxKind::DimensionDecl
        | SyntaxKind::FactDecl
        | SyntaxKind::DerivedDecl
        | SyntaxKind::MeasureDecl
        | SyntaxKind::ParamDecl
        | SyntaxKind::ViewerDecl
        | SyntaxKind::ReportDecl
        | SyntaxKind::DashboardDecl
        | SyntaxKind::LinkRole => true,
        SyntaxKind::NameRef => {
            let last = parent.children().filter(|n| n.kind() == SyntaxKind::Name).last();
            let declared = parent.parent().is_some_and(|p| {
                let first = p.children().next().is_some_and(|n| n == parent);
                first && matches!(p.kind(), SyntaxKind::ColumnDecl | SyntaxKind::HierarchyDecl)
            });
            declared && last.is_some_and(|l| l == name)
        }
        _ => false,
    }
}

/// Titles and descriptions on pages name parameters: `:name`.
fn inside_text(model: &Model, target: Target, source: SourceId, token: &SyntaxToken) -> Vec<Use> {
    let Target::Param(param) = target else { return Vec::new() };
    let shown = token.parent_ancestors().any(|n| {
        matches!(n.kind(), SyntaxKind::ReportDecl | SyntaxKind::DashboardDecl)
            && token.parent().is_some_and(|p| matches!(p.kind(), SyntaxKind::Title | SyntaxKind::AboutProp))
    });
    if !shown {
        return Vec::new();
    }
    let written = format!(":{}", model.param(param).name);
    let text = token.text();
    let longer = |end: usize| text[end..].starts_with(|c: char| c.is_alphanumeric() || c == '_');
    let found = text.match_indices(&written).filter(|(at, _)| !longer(at + written.len()));
    let start = usize::from(token.text_range().start());
    found
        .map(|(at, _)| Use {
            span: Span { source, start: start + at + 1, end: start + at + written.len() },
            declares: false,
        })
        .collect()
}

/// The changes that give something another name, in all files.
///
/// # Errors
/// In words, when it cannot have that name, or its name comes from a file of data.
pub fn rename(model: &Model, target: Target, new: &str) -> Result<Vec<(Span, String)>, String> {
    let plain = new.trim();
    if plain.is_empty() || plain.contains('\n') {
        return Err("a name has at least one character, and stands on one line".to_owned());
    }
    if let Target::Param(_) = target
        && (quote_name(plain) != plain)
    {
        return Err(format!("{plain} cannot be the name of a parameter: letters, digits and _ only"));
    }
    let places = uses(model, target);
    if !places.iter().any(|u| u.declares) || is_of_file(model, target) {
        return Err(format!("the name {} comes from the data: rename it there", target.name(model)));
    }
    if let Some(taken) = taken(model, target, plain) {
        return Err(format!("the name {plain} is taken by {taken}"));
    }
    Ok(places.into_iter().map(|u| (u.span, quote_name(plain))).collect())
}

/// A place with the name of something that could mean it but could not be resolved: inside one of the declarations where a text is
/// wrong. While there is one, a change of the name could miss it.
pub fn unresolved(model: &Model, target: Target, wrong: &[Span]) -> Option<Span> {
    let known: Vec<Span> = uses(model, target).into_iter().map(|u| u.span).collect();
    let name = target.name(model);
    let own = name.rsplit('.').next().unwrap_or(&name).to_owned();
    for id in 0..model.sources.count() {
        let source = SourceId(id as u32);
        let text = model.sources.text(source);
        for part in parts(text) {
            let is_wrong = |w: &&Span| w.source == source && w.start <= part.end && w.end >= part.start;
            if !wrong.iter().any(|w| is_wrong(&w)) {
                continue;
            }
            let root = parse_model(source, &text[part.clone()]).root;
            let tokens = root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token);
            let named =
                tokens.filter(|t| t.text().trim_matches(['"', ':']) == own).map(|t| place_of(source, &t));
            let span = named
                .map(|p| Span { start: p.start + part.start, end: p.end + part.start, ..p })
                .find(|p| !known.contains(p));
            if span.is_some() {
                return span;
            }
        }
    }
    None
}

/// A column of a file, or of the calendar, may be described in a model but is not named there.
fn is_of_file(model: &Model, target: Target) -> bool {
    match target {
        Target::Column(column) => model.schema.column(column).formula.is_none(),
        Target::Table(table) => matches!(model.schema.table(table).kind, TableKind::Calendar { .. }),
        _ => false,
    }
}

/// What has the name already, where two of that name could not be distinguished.
fn taken(model: &Model, target: Target, name: &str) -> Option<String> {
    match target {
        Target::Column(column) => {
            let table = model.schema.column(column).table;
            let other = model.find_column(table, name)?;
            Some(format!("the column {}", model.schema.qualified(other)))
        }
        Target::Hierarchy(at) => {
            let table = model.hierarchies[at].table;
            let column = model.find_column(table, name)?;
            Some(format!("the column {}", model.schema.qualified(column)))
        }
        Target::Param(_) => model.find_param(name).map(|_| "a parameter".to_owned()),
        Target::Viewer(_) => model.viewers.iter().any(|v| v.name == name).then(|| "a viewer".to_owned()),
        Target::Report(_) | Target::Dashboard(_) => {
            let reports = model.reports.iter().map(|r| &r.name);
            let mut drawn = reports.chain(model.dashboards.iter().map(|d| &d.name));
            drawn.any(|n| n == name).then(|| "a report or dashboard".to_owned())
        }
        Target::Table(_) | Target::Role(_) => {
            let table = model.find_table(name).map(|_| "a table".to_owned());
            table.or_else(|| model.find_role(name).map(|_| "a role".to_owned()))
        }
        Target::Treatment(_) => {
            let function = crate::functions::Signature::of(name).map(|s| format!("the function {}", s.name));
            let other = || model.find_treatment(name).map(|_| "a measure with arguments".to_owned());
            function.or_else(other).or_else(|| model.find_measure(name).map(|_| "a measure".to_owned()))
        }
        Target::Measure(_) => {
            let column = model.columns_called(name).first();
            let column = column.map(|c| format!("the column {}", model.schema.qualified(*c)));
            let treatment = || model.find_treatment(name).map(|_| "a measure with arguments".to_owned());
            let measure = || model.find_measure(name).map(|_| "a measure".to_owned());
            column.or_else(measure).or_else(treatment)
        }
    }
}
