//! What a model's files say, before any table is known.

use crate::messages;
use std::collections::BTreeSet;
use vembra_plan::Type;
use vembra_syntax::ast::{self, View};
use vembra_syntax::{Diagnostic, Place, SourceId, Sources, SyntaxKind, SyntaxNode};

/// Where the texts of a model come from.
pub trait ModelFiles {
    /// The text of a file that `from` names; its name for messages, and its text.
    ///
    /// # Errors
    /// Why it cannot be read.
    fn read(&self, from: Option<&str>, file: &str) -> Result<(String, String), FileError>;
}

/// Why a file of a model is not read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FileError {
    /// It cannot be read; why, in words.
    Failed(String),
    /// It lies outside the folder of the model.
    Outside,
}

/// Where the rows of a table come from.
#[derive(Clone, Debug)]
pub struct TableSource {
    /// The name of the table.
    pub name: String,
    /// The file, as the model writes it.
    pub file: String,
    /// The model file that names it.
    pub declared_in: String,
    /// The character between fields.
    pub separator: char,
    /// Texts that stand for missing values, besides the empty field.
    pub missing: Vec<String>,
    /// The columns whose types the model fixes.
    pub types: Vec<ColumnType>,
    /// For the file of a calendar: the column with its days.
    pub days: Option<String>,
    /// Where the table is declared.
    pub place: Place,
}

/// A type that the model fixes.
#[derive(Clone, Debug)]
pub struct ColumnType {
    /// The column.
    pub column: String,
    /// Its type.
    pub ty: Type,
}

/// A node with the text that it stands in.
#[derive(Clone, Debug)]
pub(crate) struct Declared<V> {
    pub(crate) node: V,
    pub(crate) source: SourceId,
}

impl<V: View> Declared<V> {
    pub(crate) fn place(&self) -> Place {
        self.node.place(self.source)
    }
}

/// The name of the calendar's table.
pub(crate) const CALENDAR: &str = "calendar";

/// What a model's files say.
#[derive(Clone, Debug, Default)]
pub struct Declarations {
    /// The texts.
    pub sources: Sources,
    /// The tables with rows from outside.
    pub tables: Vec<TableSource>,
    /// What is wrong with the texts.
    pub diagnostics: Vec<Diagnostic>,
    pub(crate) table_nodes: Vec<Declared<ast::TableDecl>>,
    pub(crate) currency: Option<Declared<ast::CurrencyDecl>>,
    pub(crate) calendar: Option<Declared<ast::CalendarDecl>>,
    pub(crate) links: Vec<Declared<ast::LinkDecl>>,
    pub(crate) hierarchies: Vec<Declared<ast::HierarchyDecl>>,
    pub(crate) columns: Vec<Declared<ast::ColumnDecl>>,
    pub(crate) measures: Vec<Declared<ast::MeasureDecl>>,
    pub(crate) params: Vec<Declared<ast::ParamDecl>>,
    pub(crate) viewers: Vec<Declared<ast::ViewerDecl>>,
    pub(crate) derived: Vec<Declared<ast::DerivedDecl>>,
    pub(crate) assertions: Vec<Declared<ast::AssertDecl>>,
    pub(crate) accepted: Vec<Declared<ast::AcceptDecl>>,
    pub(crate) treated: Vec<Declared<ast::TreatDecl>>,
    pub(crate) reports: Vec<Declared<ast::ReportDecl>>,
    pub(crate) dashboards: Vec<Declared<ast::DashboardDecl>>,
}

/// Reads a model and all that it includes.
pub fn read(files: &dyn ModelFiles, main: &str) -> Declarations {
    let mut declarations = Declarations::default();
    let mut seen = BTreeSet::new();
    match files.read(None, main) {
        Ok((name, text)) => {
            seen.insert(name.clone());
            add_file(files, &name, &text, &mut seen, &mut declarations);
        }
        Err(FileError::Failed(why)) => {
            declarations.diagnostics.push(messages::unreadable_model(main, &why));
        }
        Err(FileError::Outside) => declarations.diagnostics.push(messages::outside(None, main)),
    }
    collect_tables(&mut declarations);
    declarations
}

fn add_file(
    files: &dyn ModelFiles,
    name: &str,
    text: &str,
    seen: &mut BTreeSet<String>,
    into: &mut Declarations,
) {
    let source = into.sources.add(name, text);
    let parsed = vembra_syntax::parse_model(source, text);
    into.diagnostics.extend(parsed.diagnostics);
    for node in parsed.root.children() {
        if let Some(include) = ast::IncludeDecl::cast(node.clone()) {
            let place = include.place(source);
            let Some(file) = include.file() else { continue };
            match files.read(Some(name), &file) {
                Ok((included, text)) if seen.insert(included.clone()) => {
                    add_file(files, &included, &text, seen, into);
                }
                Ok((included, _)) => into.diagnostics.push(messages::included_twice(place, &included)),
                Err(FileError::Failed(why)) => {
                    into.diagnostics.push(messages::unreadable_include(place, &file, &why));
                }
                Err(FileError::Outside) => into.diagnostics.push(messages::outside(Some(place), &file)),
            }
        } else {
            add_declaration(node, source, into);
        }
    }
}

fn add_declaration(node: SyntaxNode, source: SourceId, into: &mut Declarations) {
    match node.kind() {
        SyntaxKind::DimensionDecl | SyntaxKind::FactDecl => {
            into.table_nodes.extend(ast::TableDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::CurrencyDecl => {
            once(
                &mut into.currency,
                ast::CurrencyDecl::cast(node),
                source,
                "currency",
                &mut into.diagnostics,
            );
        }
        SyntaxKind::CalendarDecl => {
            once(
                &mut into.calendar,
                ast::CalendarDecl::cast(node),
                source,
                "calendar",
                &mut into.diagnostics,
            );
        }
        SyntaxKind::LinkDecl => {
            into.links.extend(ast::LinkDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::HierarchyDecl => {
            into.hierarchies.extend(ast::HierarchyDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::ColumnDecl => {
            into.columns.extend(ast::ColumnDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::MeasureDecl => {
            into.measures.extend(ast::MeasureDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::ParamDecl => {
            into.params.extend(ast::ParamDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::ViewerDecl => {
            into.viewers.extend(ast::ViewerDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::DerivedDecl => {
            into.derived.extend(ast::DerivedDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::AssertDecl => {
            into.assertions.extend(ast::AssertDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::AcceptDecl => {
            into.accepted.extend(ast::AcceptDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::TreatDecl => {
            into.treated.extend(ast::TreatDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::ReportDecl => {
            into.reports.extend(ast::ReportDecl::cast(node).map(|node| Declared { node, source }));
        }
        SyntaxKind::DashboardDecl => {
            into.dashboards.extend(ast::DashboardDecl::cast(node).map(|node| Declared { node, source }));
        }
        _ => {}
    }
}

fn once<V: View>(
    slot: &mut Option<Declared<V>>,
    node: Option<V>,
    source: SourceId,
    word: &str,
    diagnostics: &mut Vec<Diagnostic>,
) {
    let Some(node) = node else { return };
    if let Some(first) = slot {
        diagnostics.push(messages::declared_twice(node.place(source), first.place(), word));
    } else {
        *slot = Some(Declared { node, source });
    }
}

/// The tables and the types that the model fixes, for the readers of files.
fn collect_tables(into: &mut Declarations) {
    for declared in &into.table_nodes {
        let (Some(name), Some((file, _))) = (declared.node.name(), declared.node.file()) else { continue };
        let mut separator = ',';
        if let Some(property) = declared.node.separator() {
            let text = property.text_value().unwrap_or_default();
            let mut chars = text.chars();
            match (chars.next(), chars.next()) {
                (Some(c), None) if c.is_ascii() && c != '"' => separator = c,
                _ if text == "tab" => separator = '\t',
                _ => into.diagnostics.push(messages::odd_separator(property.place(declared.source))),
            }
        }
        into.tables.push(TableSource {
            name: name.name(),
            file,
            declared_in: into.sources.name(declared.source).to_owned(),
            separator,
            missing: declared.node.missing(),
            types: Vec::new(),
            days: None,
            place: declared.place(),
        });
    }
    if let Some(declared) = &into.calendar
        && let Some((file, key)) = declared.node.file()
    {
        into.tables.push(TableSource {
            name: CALENDAR.to_owned(),
            file,
            declared_in: into.sources.name(declared.source).to_owned(),
            separator: ',',
            missing: Vec::new(),
            types: vec![ColumnType { column: key.name(), ty: Type::Date }],
            days: Some(key.name()),
            place: declared.place(),
        });
    }
    for declared in &into.columns {
        let (Some(target), Some(ty)) = (declared.node.target(), declared.node.ty()) else { continue };
        let (Some(table), Some(column)) = (target.qualifier(), target.name()) else { continue };
        let name = ty.name().map(|n| n.name()).unwrap_or_default();
        let Some(fixed) = Type::from_name(&name) else {
            let place = ty.place(declared.source);
            into.diagnostics.push(messages::unknown_type(place, &name));
            continue;
        };
        let computed = declared.node.formula().is_some();
        if let Some(table) = into.tables.iter_mut().find(|t| t.name == table.name() && !computed) {
            table.types.push(ColumnType { column: column.name(), ty: fixed });
        }
    }
}
