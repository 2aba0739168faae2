//! The declarations of a file.

use crate::probe::TextKind;
use vembra_syntax::ast::{self, View};
use vembra_syntax::{SourceId, Span, SyntaxKind};

/// What a declaration declares.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // Each is the thing of its name.
pub enum SymbolKind {
    Table,
    Link,
    Column,
    Measure,
    Param,
    Drawn,
    Other,
}

/// A declaration.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Symbol {
    /// Its name, or what it begins with.
    pub name: String,
    /// What it declares.
    pub kind: SymbolKind,
    /// The word that it starts with.
    pub word: String,
    /// All of it.
    pub span: Span,
    /// Its name.
    pub name_place: Span,
}

/// The declarations of a file in their order.
///
/// # Examples
/// ```
/// let found = vembra_editor::outline("measure revenue = sum(net)\n");
/// assert_eq!((found[0].word.as_str(), found[0].name.as_str()), ("measure", "revenue"));
/// ```
pub fn outline(text: &str) -> Vec<Symbol> {
    let root = TextKind::Model.parse(text).root;
    let source = SourceId(0);
    let mut symbols = Vec::new();
    for node in root.children().filter(|n| n.kind() != SyntaxKind::Error) {
        let Some(word) = node.first_token() else { continue };
        let named = node.children().find(|c| {
            matches!(
                c.kind(),
                SyntaxKind::Name | SyntaxKind::NameRef | SyntaxKind::LinkFrom | SyntaxKind::Code
            )
        });
        let span = ast::place_of(&node, source);
        let name_place = named.as_ref().map_or(span, |n| ast::place_of(n, source));
        let title = ast::AssertDecl::cast(node.clone()).and_then(|e| e.title());
        let file = ast::IncludeDecl::cast(node.clone()).and_then(|i| i.file());
        let name = match (&named, title.or(file)) {
            (_, Some(title)) => title,
            (Some(named), _) => named.text().to_string().trim().to_owned(),
            (None, _) => word.text().to_lowercase(),
        };
        symbols.push(Symbol {
            name,
            kind: kind_of(node.kind()),
            word: word.text().to_lowercase(),
            span,
            name_place,
        });
    }
    symbols
}

fn kind_of(kind: SyntaxKind) -> SymbolKind {
    match kind {
        SyntaxKind::DimensionDecl
        | SyntaxKind::FactDecl
        | SyntaxKind::DerivedDecl
        | SyntaxKind::CalendarDecl => SymbolKind::Table,
        SyntaxKind::LinkDecl | SyntaxKind::HierarchyDecl => SymbolKind::Link,
        SyntaxKind::ColumnDecl => SymbolKind::Column,
        SyntaxKind::MeasureDecl => SymbolKind::Measure,
        SyntaxKind::ParamDecl => SymbolKind::Param,
        SyntaxKind::ReportDecl | SyntaxKind::DashboardDecl => SymbolKind::Drawn,
        _ => SymbolKind::Other,
    }
}

/// The files that a model file includes, as it names them.
pub fn includes(text: &str) -> Vec<String> {
    let root = TextKind::Model.parse(text).root;
    root.children().filter_map(ast::IncludeDecl::cast).filter_map(|i| i.file()).collect()
}
