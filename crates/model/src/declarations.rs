//! What a model's files say, before any table is known.

use crate::messages;
use std::collections::BTreeSet;
use vembra_plan::Type;
use vembra_plan::Zone;
use vembra_plan::forms::{DateForm, Forms, NumberForm};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{Diagnostic, SourceId, Sources, Span, SyntaxKind, SyntaxNode};

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
    /// The files, as the model writes them: at least one, unless it comes from a database.
    pub files: Vec<String>,
    /// The database that it comes from, if it does.
    pub database: Option<DatabaseSource>,
    /// The model file that names it.
    pub declared_in: String,
    /// The character between fields, if the model says it.
    pub separator: Option<char>,
    /// The encoding, if the model says it.
    pub encoding: Option<String>,
    /// The sheet of a workbook, if the model says it.
    pub sheet: Option<String>,
    /// The table of a database, if the model says it.
    pub stored: Option<String>,
    /// How values are written.
    pub forms: Forms,
    /// Texts that stand for missing values, besides the empty field.
    pub missing: Vec<String>,
    /// What the model says of columns before they are read.
    pub columns: Vec<ColumnSource>,
    /// For the file of a calendar: the column with its days.
    pub days: Option<String>,
    /// Whether the model has viewers, who see a part of its rows.
    pub has_viewers: bool,
    /// Where the table is declared.
    pub span: Span,
}

/// A database that tables come from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DatabaseSource {
    /// Its name in the model.
    pub name: String,
    /// The variable of the environment that says where it is.
    pub variable: String,
    /// Whether queries are answered there; else its tables are loaded.
    pub answers: bool,
}

/// What the model says of a column before it is read.
#[derive(Clone, Debug, Default)]
pub struct ColumnSource {
    /// The column.
    pub column: String,
    /// Its type, if it is fixed.
    pub ty: Option<Type>,
    /// How many digits a decimal has at most, and how many of them behind the point, if that is fixed.
    pub digits: Option<(u8, u8)>,
    /// How its values are written.
    pub forms: Forms,
}

/// A node with the text that it stands in.
#[derive(Clone, Debug)]
pub(crate) struct Declared<V> {
    pub(crate) node: V,
    pub(crate) source: SourceId,
}

impl<V: View> Declared<V> {
    pub(crate) fn span(&self) -> Span {
        self.node.span(self.source)
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
    /// Where what is read is kept, if the model says it.
    pub cache: Option<CachePlace>,
    cached_node: Option<Declared<ast::CachedDecl>>,
    databases: Vec<Declared<ast::DatabaseDecl>>,
    pub(crate) currency: Option<Declared<ast::CurrencyDecl>>,
    pub(crate) locale: Option<Declared<ast::LocaleDecl>>,
    pub(crate) time_zone: Option<Declared<ast::TimeZoneDecl>>,
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

/// Where what is read is kept for the next time, as a model says it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum CachePlace {
    /// In a folder below that of the main file, taken from the file that says it.
    In(String),
    /// It is not kept.
    Nowhere,
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
    place_kept(&mut declarations);
    place_zone(&mut declarations);
    declarations
}

/// The clocks by which moments with an offset are shown are those of all tables.
fn place_zone(into: &mut Declarations) {
    let Some(name) = into.time_zone.as_ref().and_then(|declared| declared.node.zone()) else { return };
    let Some(zone) = Zone::named(&name) else {
        let near = vembra_syntax::nearest(&name, Zone::names());
        let span = into.time_zone.as_ref().map(Declared::span).unwrap_or_default();
        into.diagnostics.push(messages::no_time_zone(span, &name, near));
        return;
    };
    into.tables.iter_mut().for_each(|table| table.forms.zone = Some(zone));
}

/// A model that came from elsewhere must not write into any folder of the user.
fn place_kept(into: &mut Declarations) {
    let Some(declared) = &into.cached_node else { return };
    into.cache = match declared.node.folder() {
        None => Some(CachePlace::Nowhere),
        Some(folder) => {
            let is_below = std::path::Path::new(&folder)
                .components()
                .all(|part| matches!(part, std::path::Component::Normal(_) | std::path::Component::CurDir));
            if !is_below {
                into.diagnostics.push(messages::kept_outside(declared.span(), &folder));
                return;
            }
            let beside = std::path::Path::new(into.sources.name(declared.source)).parent();
            let folder = beside.map_or_else(|| folder.clone().into(), |beside| beside.join(&folder));
            Some(CachePlace::In(folder.display().to_string()))
        }
    };
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
            let span = include.span(source);
            let Some(file) = include.file() else { continue };
            match files.read(Some(name), &file) {
                Ok((included, text)) if seen.insert(included.clone()) => {
                    add_file(files, &included, &text, seen, into);
                }
                Ok((included, _)) => into.diagnostics.push(messages::included_twice(span, &included)),
                Err(FileError::Failed(why)) => {
                    into.diagnostics.push(messages::unreadable_include(span, &file, &why));
                }
                Err(FileError::Outside) => into.diagnostics.push(messages::outside(Some(span), &file)),
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
        SyntaxKind::LocaleDecl => {
            once(&mut into.locale, ast::LocaleDecl::cast(node), source, "locale", &mut into.diagnostics);
        }
        SyntaxKind::TimeZoneDecl => {
            once(
                &mut into.time_zone,
                ast::TimeZoneDecl::cast(node),
                source,
                "time zone",
                &mut into.diagnostics,
            );
        }
        SyntaxKind::DatabaseDecl => {
            let Some(node) = ast::DatabaseDecl::cast(node) else { return };
            let name = node.name().map(|name| name.name()).unwrap_or_default();
            let same = |d: &&Declared<ast::DatabaseDecl>| d.node.name().is_some_and(|n| n.name() == name);
            if let Some(first) = into.databases.iter().find(same) {
                let diagnostic = messages::declared_twice(node.span(source), first.span(), &name);
                into.diagnostics.push(diagnostic);
            }
            into.databases.push(Declared { node, source });
        }
        SyntaxKind::CachedDecl => {
            once(
                &mut into.cached_node,
                ast::CachedDecl::cast(node),
                source,
                "the cache",
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
        diagnostics.push(messages::declared_twice(node.span(source), first.span(), word));
    } else {
        *slot = Some(Declared { node, source });
    }
}

/// The database of a name, or the names that there are.
fn database(
    all: &[Declared<ast::DatabaseDecl>],
    from: &ast::FromDatabase,
) -> Result<DatabaseSource, Vec<String>> {
    let named = |d: &Declared<ast::DatabaseDecl>| {
        let (name, variable) = (d.node.name()?.name(), d.node.variable()?);
        Some(DatabaseSource { name, variable, answers: d.node.is_server() })
    };
    let all: Vec<DatabaseSource> = all.iter().filter_map(named).collect();
    let name = from.name_text();
    let known = || all.iter().map(|d| d.name.clone()).collect();
    all.iter().find(|d| d.name == name).cloned().ok_or_else(known)
}

/// The tables and what the model says of their columns, for the readers of files.
fn collect_tables(into: &mut Declarations) {
    for declared in &into.table_nodes {
        let node = &declared.node;
        let (Some(name), from) = (node.name(), ast::property::<ast::FromDatabase>(node)) else { continue };
        if from.is_none() && node.file().is_none() {
            continue;
        }
        let stored = ast::property::<ast::StoredProp>(node).and_then(|p| p.text_value());
        let database = match from {
            None => None,
            Some(from) => match database(&into.databases, &from) {
                Ok(database) => Some(database),
                Err(known) => {
                    let span = from.span(declared.source);
                    into.diagnostics.push(messages::no_such_database(span, &from.name_text(), &known));
                    continue;
                }
            },
        };
        let separator = node
            .separator()
            .and_then(|property| separator(&property, declared.source, &mut into.diagnostics));
        into.tables.push(TableSource {
            name: name.name(),
            files: if database.is_some() { Vec::new() } else { node.files() },
            database,
            declared_in: into.sources.name(declared.source).to_owned(),
            separator,
            encoding: ast::property::<ast::EncodingProp>(node).and_then(|p| p.text_value()),
            sheet: ast::property::<ast::SheetProp>(node).and_then(|p| p.text_value()),
            stored,
            forms: forms(node, declared.source, &mut into.diagnostics),
            missing: node.missing(),
            columns: Vec::new(),
            days: None,
            has_viewers: false,
            span: declared.span(),
        });
    }
    into.tables.extend(calendar_file(into));
    let columns: Vec<(String, ColumnSource)> =
        into.columns.iter().filter_map(|c| column_source(c, &mut into.diagnostics)).collect();
    for (table, column) in columns {
        if let Some(table) = into.tables.iter_mut().find(|t| t.name == table) {
            table.columns.push(column);
        }
    }
    let has_viewers = !into.viewers.is_empty();
    into.tables.iter_mut().for_each(|table| table.has_viewers = has_viewers);
}

fn separator(
    property: &ast::SeparatorProp,
    source: SourceId,
    diagnostics: &mut Vec<Diagnostic>,
) -> Option<char> {
    let text = property.text_value().unwrap_or_default();
    let mut chars = text.chars();
    match (chars.next(), chars.next()) {
        (Some(c), None) if c.is_ascii() && c != '"' => Some(c),
        _ if text == "tab" => Some('\t'),
        _ => {
            diagnostics.push(messages::odd_separator(property.span(source)));
            None
        }
    }
}

/// The file that the calendar takes its days from.
fn calendar_file(declarations: &Declarations) -> Option<TableSource> {
    let declared = declarations.calendar.as_ref()?;
    let (file, key) = declared.node.file()?;
    let days = ColumnSource { column: key.name(), ty: Some(Type::Date), ..ColumnSource::default() };
    Some(TableSource {
        name: CALENDAR.to_owned(),
        files: vec![file],
        database: None,
        declared_in: declarations.sources.name(declared.source).to_owned(),
        separator: None,
        encoding: None,
        sheet: None,
        stored: None,
        forms: Forms::default(),
        missing: Vec::new(),
        columns: vec![days],
        days: Some(key.name()),
        has_viewers: false,
        span: declared.span(),
    })
}

/// The table of a column, and what the model says of it before it is read; nothing of one that is computed.
fn column_source(
    declared: &Declared<ast::ColumnDecl>,
    diagnostics: &mut Vec<Diagnostic>,
) -> Option<(String, ColumnSource)> {
    let target = declared.node.target()?;
    let (table, column) = (target.qualifier()?.name(), target.name()?.name());
    let forms = forms(&declared.node, declared.source, diagnostics);
    if declared.node.formula().is_some() {
        if forms != Forms::default() {
            diagnostics.push(messages::form_of_computed(declared.span()));
        }
        return None;
    }
    let mut found = ColumnSource { column, forms, ..ColumnSource::default() };
    if let Some(ty) = declared.node.ty() {
        let span = ty.span(declared.source);
        let name = ty.name().map(|n| n.name()).unwrap_or_default();
        found.ty = Type::from_name(&name);
        if found.ty.is_none() {
            diagnostics.push(messages::unknown_type(span, &name));
        }
        if let [digits, scale] = ty.digits().as_slice() {
            found.digits = digits_and_scale(digits, scale);
            match found.digits {
                Some((_, scale)) => found.ty = Some(Type::Decimal(scale)),
                None => diagnostics.push(messages::odd_digits(span)),
            }
        }
    }
    let says = found.ty.is_some() || found.forms != Forms::default();
    says.then_some((table, found))
}

/// `(18, 4)`: at most 38 digits, and no more behind the point than there are.
pub(crate) fn digits_and_scale(digits: &str, scale: &str) -> Option<(u8, u8)> {
    digits.parse().ok().zip(scale.parse().ok()).filter(|(d, s)| *d <= 38 && s <= d)
}

/// A report, a dashboard or an assertion: nothing else in a model needs it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leaf {
    /// What it is, with its name: `report by_month`.
    pub name: String,
    /// Where it is declared.
    pub span: Span,
    /// The reports that it shows, by what they are.
    pub shows: Vec<String>,
}

impl Declarations {
    /// What nothing else needs: where one of them is wrong, the rest of the model means what it says.
    pub fn leaves(&self) -> Vec<Leaf> {
        let named = |name: Option<ast::Name>| name.map(|n| n.name()).unwrap_or_default();
        let report = |name: String| format!("report {name}");
        let reports = self.reports.iter().map(|declared| Leaf {
            name: report(named(declared.node.name())),
            span: declared.span(),
            shows: Vec::new(),
        });
        let dashboards = self.dashboards.iter().map(|declared| {
            let rows = declared.node.rows();
            let items = rows.iter().flat_map(ast::PageRow::items);
            Leaf {
                name: format!("dashboard {}", named(declared.node.name())),
                span: declared.span(),
                shows: items.filter_map(|item| Some(report(item.report()?.name()))).collect(),
            }
        });
        let assertions = self.assertions.iter().map(|declared| Leaf {
            name: format!("assertion '{}'", declared.node.title().unwrap_or_default()),
            span: declared.span(),
            shows: Vec::new(),
        });
        // What applies a measure with arguments is wrong with it, wherever it stands.
        let is_plain = |declared: &&Declared<ast::MeasureDecl>| {
            declared.node.arguments().is_none() && declared.node.name().is_some()
        };
        let plain = self.measures.iter().filter(is_plain);
        let measures = plain.map(|declared| Leaf {
            name: format!("measure {}", named(declared.node.name())),
            span: declared.span(),
            shows: Vec::new(),
        });
        reports.chain(dashboards).chain(assertions).chain(measures).collect()
    }
}

/// How values are written, by the examples of a table or a column.
fn forms(node: &impl View, source: SourceId, diagnostics: &mut Vec<Diagnostic>) -> Forms {
    let mut forms = Forms::default();
    if let Some((property, text)) =
        ast::property::<ast::NumbersProp>(node).and_then(|p| p.text_value().map(|t| (p, t)))
    {
        match NumberForm::like(&text) {
            Ok(form) => forms.numbers = Some(form),
            Err(why) => diagnostics.push(messages::odd_number_form(property.span(source), &text, why)),
        }
    }
    if let Some((property, text)) =
        ast::property::<ast::DatesProp>(node).and_then(|p| p.text_value().map(|t| (p, t)))
    {
        match DateForm::like(&text) {
            Ok(form) => forms.dates = Some(form),
            Err(why) => diagnostics.push(messages::odd_date_form(property.span(source), &text, why)),
        }
    }
    forms.booleans = ast::property::<ast::BooleansProp>(node).and_then(|p| p.texts());
    forms
}
