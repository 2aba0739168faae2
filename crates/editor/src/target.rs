//! What a name in a text means.

use crate::context::{aliases, is_unit, own_arguments, query_of, rows_at, table_of_names};
use crate::probe::{TextKind, part_at};
use vembra_model::{MeasureId, Model, Named, ParamId};
use vembra_plan::{ColumnId, RoleId, TableId};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{SourceId, Span, SyntaxKind, SyntaxNode, SyntaxToken};

/// What a name means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)] // Each is the thing of its name; numbers are those in the lists of the model.
pub enum Target {
    Table(TableId),
    Column(ColumnId),
    Measure(MeasureId),
    Treatment(usize),
    Role(RoleId),
    Param(ParamId),
    Viewer(usize),
    Report(usize),
    Dashboard(usize),
    Hierarchy(usize),
}

/// What the name at a place means, and where that name stands.
pub fn target_at(
    model: &Model,
    kind: TextKind,
    source: SourceId,
    text: &str,
    at: usize,
) -> Option<(Target, Span)> {
    let part = text.is_char_boundary(at).then(|| part_at(kind, text, at))?;
    let root = kind.parse(&text[part.clone()]).root;
    let tokens = root.token_at_offset(u32::try_from(at - part.start).ok()?.into());
    let span = |token: &SyntaxToken| Span {
        source,
        start: part.start + usize::from(token.text_range().start()),
        end: part.start + usize::from(token.text_range().end()),
    };
    // Between two tokens the name is meant, whichever side it is on.
    tokens.into_iter().find_map(|token| Some((target_of(model, &token)?, span(&token))))
}

/// What the name in a token means.
pub(crate) fn target_of(model: &Model, token: &SyntaxToken) -> Option<Target> {
    if token.kind() == SyntaxKind::Parameter {
        return model.find_param(token.text().trim_start_matches(':')).map(Target::Param);
    }
    let name = token.parent().filter(|n| n.kind() == SyntaxKind::Name)?;
    let parent = name.parent()?;
    let text = ast::Name::cast(name.clone())?.name();
    match parent.kind() {
        SyntaxKind::DimensionDecl
        | SyntaxKind::FactDecl
        | SyntaxKind::DerivedDecl
        | SyntaxKind::LinkTo
        | SyntaxKind::RowsOf
        | SyntaxKind::AggregateFrom
        | SyntaxKind::FromClause => model.find_table(&text).map(Target::Table),
        SyntaxKind::MeasureDecl if ast::MeasureDecl::cast(parent.clone())?.arguments().is_some() => {
            treatment(model, &text)
        }
        SyntaxKind::MeasureDecl => model.find_measure(&text).map(Target::Measure),
        SyntaxKind::Call => treatment(model, &text),
        SyntaxKind::ParamDecl | SyntaxKind::GivenItem | SyntaxKind::SwitchOption => {
            model.find_param(&text).map(Target::Param)
        }
        SyntaxKind::ViewerDecl | SyntaxKind::SeenBy => {
            model.viewers.iter().position(|v| v.name == text).map(Target::Viewer)
        }
        SyntaxKind::ReportDecl | SyntaxKind::PageRowItem => {
            model.reports.iter().position(|r| r.name == text).map(Target::Report)
        }
        SyntaxKind::DashboardDecl => {
            model.dashboards.iter().position(|d| d.name == text).map(Target::Dashboard)
        }
        SyntaxKind::LinkRole | SyntaxKind::ViaClause => model.find_role(&text).map(Target::Role),
        SyntaxKind::KeyProp
        | SyntaxKind::LinkBy
        | SyntaxKind::LinkAsOf
        | SyntaxKind::LinkUntil
        | SyntaxKind::HierarchyDecl => {
            let table = table_of_names(model, &parent)?;
            model.find_column(table, &text).map(Target::Column)
        }
        SyntaxKind::NameRef => reference(model, &parent, &name),
        _ => None,
    }
}

fn treatment(model: &Model, name: &str) -> Option<Target> {
    model.treatments.iter().position(|t| t.name == name).map(Target::Treatment)
}

fn reference(model: &Model, node: &SyntaxNode, name: &SyntaxNode) -> Option<Target> {
    let written = ast::NameRef::cast(node.clone())?;
    let own = written.name()?;
    let qualifier = written.qualifier().map(|q| q.name());
    let parent = node.parent()?;
    let table_or_role = |text: &str| {
        let table = model.find_table(text).map(Target::Table);
        table.or_else(|| model.find_role(text).map(Target::Role))
    };
    if own.node() != name {
        return table_or_role(qualifier.as_deref()?);
    }
    if let Some(qualifier) = &qualifier {
        let table = match table_or_role(qualifier)? {
            Target::Table(table) => table,
            Target::Role(role) => model.role_target(role)?,
            _ => return None,
        };
        let hierarchy = || model.hierarchies.iter().position(|h| h.table == table && h.name == own.name());
        if parent.kind() == SyntaxKind::HierarchyDecl {
            return hierarchy().map(Target::Hierarchy);
        }
        let column = model.find_column(table, &own.name()).map(Target::Column);
        return column.or_else(|| hierarchy().map(Target::Hierarchy));
    }
    let by_name =
        [SyntaxKind::Forgotten, SyntaxKind::AcceptDecl, SyntaxKind::PerClause, SyntaxKind::AssertPer];
    if by_name.contains(&parent.kind())
        && let Some(target) = table_or_role(&own.name())
    {
        return Some(target);
    }
    if qualifier.is_none() && own_arguments(node).iter().any(|(argument, _)| *argument == own.name()) {
        return None;
    }
    if parent.kind() == SyntaxKind::EachAlso {
        return treatment(model, &own.name());
    }
    if is_unit(node, &parent) || is_alias(node, &own.name()) {
        return None;
    }
    let (prefer, rows) = rows_at(model, node);
    match model.named(None, &own.name(), prefer, rows)? {
        Named::Column(column, _) => Some(Target::Column(column)),
        Named::Measure(measure) => Some(Target::Measure(measure)),
    }
}

/// Whether a bare name in the order, the choice or the drawing of an answer is one that its query gives.
fn is_alias(node: &SyntaxNode, name: &str) -> bool {
    let report = || node.ancestors().find(|n| n.kind() == SyntaxKind::ReportDecl);
    let query = query_of(node).or_else(|| {
        report()?.children().find(|n| matches!(n.kind(), SyntaxKind::Query | SyntaxKind::ListQuery))
    });
    query.is_some_and(|q| aliases(&q).iter().any(|a| a == name))
}

impl Target {
    /// How the model calls it; columns and hierarchies with their table.
    pub fn name(self, model: &Model) -> String {
        match self {
            Self::Table(table) => model.schema.table(table).name.clone(),
            Self::Column(column) => model.schema.qualified(column),
            Self::Measure(measure) => model.measure(measure).name.clone(),
            Self::Treatment(at) => model.treatments[at].name.clone(),
            Self::Role(role) => model.role_name(role).to_owned(),
            Self::Param(param) => model.param(param).name.clone(),
            Self::Viewer(at) => model.viewers[at].name.clone(),
            Self::Report(at) => model.reports[at].name.clone(),
            Self::Dashboard(at) => model.dashboards[at].name.clone(),
            Self::Hierarchy(at) => {
                let hierarchy = &model.hierarchies[at];
                format!("{}.{}", model.schema.table(hierarchy.table).name, hierarchy.name)
            }
        }
    }
}
