//! Where a name stands in a text, and what it may mean there.

use vembra_model::{ArgumentKind, Model};
use vembra_plan::TableId;
use vembra_syntax::ast::{self, View};
use vembra_syntax::{SyntaxKind, SyntaxNode};

/// What is wanted where a name stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Wanted {
    Roles,
    Tables,
    /// Columns of one table, without its name.
    ColumnsOf(TableId),
    Types,
    /// What `extract` takes out of a date or time.
    DateParts,
    /// Periods that have a start and an end.
    Periods,
    Params,
    Viewers,
    Reports,
    Colours,
    Months,
    /// Columns with their tables or roles.
    Attributes,
    /// These, and tables with a key that stand for it.
    Keys,
    /// Attributes, and all tables and roles.
    Forgotten,
    /// A value: of rows if some table's come first or they are aggregated, else figures too.
    Value {
        rows: bool,
        prefer: Option<TableId>,
        axes: bool,
    },
    /// Measures with arguments, the first of which is a figure.
    Treatments,
    /// What an argument may stand for.
    ArgumentKinds,
    /// A name of one's own.
    Own,
}

/// What is wanted where a name, or a reference that it is part of, stands.
pub(crate) fn wanted(model: &Model, name: &SyntaxNode) -> Wanted {
    let Some(parent) = name.parent() else { return Wanted::Own };
    match parent.kind() {
        SyntaxKind::ViaClause | SyntaxKind::LinkRole => Wanted::Roles,
        SyntaxKind::RowsOf | SyntaxKind::AggregateFrom | SyntaxKind::FromClause | SyntaxKind::LinkTo => {
            Wanted::Tables
        }
        SyntaxKind::TypeName if parent.parent().is_some_and(|p| p.kind() == SyntaxKind::Argument) => {
            Wanted::ArgumentKinds
        }
        SyntaxKind::TypeName => Wanted::Types,
        SyntaxKind::Extract => Wanted::DateParts,
        SyntaxKind::GivenItem | SyntaxKind::SwitchOption => Wanted::Params,
        SyntaxKind::SeenBy => Wanted::Viewers,
        SyntaxKind::PageRowItem => Wanted::Reports,
        SyntaxKind::MemberColour => Wanted::Colours,
        SyntaxKind::FiscalYear => Wanted::Months,
        SyntaxKind::KeyProp
        | SyntaxKind::LinkBy
        | SyntaxKind::LinkAsOf
        | SyntaxKind::LinkUntil
        | SyntaxKind::HierarchyDecl => table_of_names(model, &parent).map_or(Wanted::Own, Wanted::ColumnsOf),
        SyntaxKind::NameRef => reference(model, &parent),
        _ => Wanted::Own,
    }
}

/// The table whose columns are named, each without it, in a key, a link or a hierarchy.
pub(crate) fn table_of_names(model: &Model, parent: &SyntaxNode) -> Option<TableId> {
    let named = |node: &SyntaxNode| node.children().find_map(ast::Name::cast).map(|n| n.name());
    let name = match parent.kind() {
        SyntaxKind::KeyProp => {
            let declaration = parent.parent()?;
            match declaration.kind() {
                SyntaxKind::CalendarDecl => return model.calendar,
                _ => named(&declaration)?,
            }
        }
        SyntaxKind::LinkBy | SyntaxKind::LinkAsOf | SyntaxKind::LinkUntil => {
            ast::LinkDecl::cast(parent.parent()?)?.to()?.name()
        }
        _ => ast::HierarchyDecl::cast(parent.clone())?.target()?.qualifier()?.name(),
    };
    model.find_table(&name)
}

fn reference(model: &Model, name_ref: &SyntaxNode) -> Wanted {
    let Some(parent) = name_ref.parent() else { return Wanted::Own };
    match parent.kind() {
        SyntaxKind::LinkFrom | SyntaxKind::CalendarDecl | SyntaxKind::OneOf => Wanted::Attributes,
        SyntaxKind::AssertPer | SyntaxKind::PerClause => Wanted::Keys,
        SyntaxKind::ColumnDecl if parent.children().next().as_ref() == Some(name_ref) => Wanted::Attributes,
        SyntaxKind::AcceptDecl => Wanted::Forgotten,
        SyntaxKind::HierarchyDecl => Wanted::Tables,
        SyntaxKind::Forgotten => Wanted::Forgotten,
        SyntaxKind::Item if in_axes(&parent) => Wanted::Attributes,
        SyntaxKind::AlongOption
        | SyntaxKind::UpOption
        | SyntaxKind::PanelsOption
        | SyntaxKind::ColourOption
        | SyntaxKind::EachAcross
        | SyntaxKind::TopWithin => Wanted::Attributes,
        SyntaxKind::Call if is_unit(name_ref, &parent) => Wanted::Periods,
        SyntaxKind::EachAlso => Wanted::Treatments,
        SyntaxKind::Call
            if argument_at(model, name_ref, &parent).is_some_and(|kind| kind != ArgumentKind::Figure) =>
        {
            match argument_at(model, name_ref, &parent) {
                Some(ArgumentKind::Attribute) => Wanted::Attributes,
                Some(ArgumentKind::Role) => Wanted::Roles,
                _ => Wanted::Own,
            }
        }
        _ => {
            let (prefer, rows) = rows_at(model, name_ref);
            let axes = name_ref.ancestors().any(|n| {
                matches!(
                    n.kind(),
                    SyntaxKind::WhereClause
                        | SyntaxKind::AggregateWhere
                        | SyntaxKind::SortClause
                        | SyntaxKind::TopClause
                        | SyntaxKind::ViewerDecl
                )
            });
            Wanted::Value { rows: rows || prefer.is_some(), prefer, axes }
        }
    }
}

fn in_axes(item: &SyntaxNode) -> bool {
    item.parent().is_some_and(|p| matches!(p.kind(), SyntaxKind::RowsClause | SyntaxKind::ColumnsClause))
}

/// Whether a name is the period of `start_of` and `end_of`.
pub(crate) fn is_unit(name_ref: &SyntaxNode, call: &SyntaxNode) -> bool {
    let Some(call) = ast::Call::cast(call.clone()) else { return false };
    let edge =
        call.name().is_some_and(|n| ["start_of", "end_of"].contains(&n.name().to_lowercase().as_str()));
    edge && call.args().first().is_some_and(|first| first.node() == name_ref)
}

/// What a name stands for as an argument of the treatment that is called.
fn argument_at(model: &Model, name_ref: &SyntaxNode, call: &SyntaxNode) -> Option<ArgumentKind> {
    let node = ast::Call::cast(call.clone())?;
    let treatment = model.find_treatment(&node.name()?.name())?;
    let at = node.args().iter().position(|arg| arg.node() == name_ref)?;
    // Behind `each also` the first argument is the figure that is shown.
    let is_also = call.parent().is_some_and(|p| p.kind() == SyntaxKind::EachAlso);
    treatment.arguments.get(at + usize::from(is_also)).map(|argument| argument.kind)
}

/// The arguments of the measure in whose declaration a node stands: each with what it stands for, if that is said.
pub(crate) fn own_arguments(node: &SyntaxNode) -> Vec<(String, Option<String>)> {
    let declaration = node.ancestors().find_map(ast::MeasureDecl::cast);
    let arguments = declaration.and_then(|d| d.arguments()).unwrap_or_default();
    let own = |a: &ast::Argument| Some((a.name()?.name(), a.kind().map(|k| k.name().to_lowercase())));
    arguments.iter().filter_map(own).collect()
}

/// The table whose columns come first at a place, and whether rows are aggregated there.
pub(crate) fn rows_at(model: &Model, node: &SyntaxNode) -> (Option<TableId>, bool) {
    let mut rows = false;
    for ancestor in node.ancestors() {
        let table = match ancestor.kind() {
            SyntaxKind::Aggregate => {
                rows = true;
                ast::Aggregate::cast(ancestor).and_then(|a| a.from())
            }
            SyntaxKind::ColumnDecl => {
                ast::ColumnDecl::cast(ancestor).and_then(|c| c.target()).and_then(|t| t.qualifier())
            }
            SyntaxKind::ListQuery => {
                rows = true;
                ast::ListQuery::cast(ancestor).and_then(|l| l.table())
            }
            _ => None,
        };
        if let Some(table) = table {
            return (model.find_table(&table.name()), rows);
        }
    }
    (None, rows)
}

/// The query in which a node stands.
pub(crate) fn query_of(node: &SyntaxNode) -> Option<SyntaxNode> {
    node.ancestors().find(|n| matches!(n.kind(), SyntaxKind::Query | SyntaxKind::ListQuery))
}

/// The names that a query gives to its axes and figures.
pub(crate) fn aliases(query: &SyntaxNode) -> Vec<String> {
    let items = query.descendants().filter_map(ast::Item::cast);
    items.filter_map(|i| Some(i.alias()?.name())).collect()
}
