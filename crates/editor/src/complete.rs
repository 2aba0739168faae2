//! What may stand at a place of a text.

use crate::Known;
use crate::context::{Wanted, aliases, own_arguments, query_of, wanted};
use crate::functions::SIGNATURES;
use crate::phrases::PHRASES;
use crate::probe::{Probe, TextKind, declaration_start};
use std::collections::HashSet;
use std::ops::Range;
use vembra_model::{ArgumentKind, BoundKind, Model, Treatment};
use vembra_plan::drawing::Colour;
use vembra_plan::{ColumnId, Period, RoleId, Scalar, TableId, TableKind, Type, Unit, civil};
use vembra_syntax::ast::{self, View};
use vembra_syntax::{SyntaxKind, SyntaxNode, SyntaxToken, quote_after_dot, quote_name};

/// A name that stands where one may: no model has one as odd.
const ODD_NAME: &str = "zz__name";

/// How many members at most of a column are offered.
const MOST_MEMBERS: usize = 200;

/// What a completion is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)] // Each is the thing of its name.
pub enum CompletionKind {
    Member,
    Figure,
    Measure,
    Column,
    Table,
    Role,
    Param,
    Function,
    Other,
    Words,
}

/// A text that may stand at a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Completion {
    /// The text.
    pub text: String,
    /// What it is.
    pub kind: CompletionKind,
    /// Its type or formula, in short.
    pub detail: String,
    /// What it is, in a sentence; may be empty.
    pub about: String,
}

/// What may stand at a place.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Completions {
    /// The part of the text that a completion takes the place of.
    pub replaces: Range<usize>,
    /// The completions: those that fit best first.
    pub items: Vec<Completion>,
}

/// What may stand at a place of a text, given what is written of it already.
///
/// # Examples
/// ```
/// use vembra_editor::{Known, TextKind, complete};
/// let (model, _) = vembra_model::resolve(&vembra_model::Declarations::default(), &[]);
/// let known = Known { model: &model, members: &|_| Vec::new() };
/// let found = complete(known, TextKind::Query, "show count(x) tot", 17);
/// assert_eq!(found.replaces, 14..17);
/// assert_eq!(found.items[0].text, "totals on rows");
/// ```
pub fn complete(known: Known<'_>, kind: TextKind, text: &str, at: usize) -> Completions {
    let at = (0..=at.min(text.len())).rev().find(|a| text.is_char_boundary(*a)).unwrap_or(0);
    let Some(typed) = Typed::at(kind, text, at) else {
        return Completions { replaces: at..at, items: Vec::new() };
    };
    let probe = Probe::new(kind, &text[..typed.start]);
    let mut items = Vec::new();
    match typed.kind {
        TypedKind::Text => members_at(known, &probe, &mut items),
        TypedKind::Param => params_at(known.model, &probe, &mut items),
        TypedKind::Word => {
            members_at(known, &probe, &mut items);
            names_at(known.model, &probe, &mut items);
            // The name after a dot is no word of the language.
            if !text[..typed.start].ends_with('.') {
                words_at(&probe, &typed.written, &mut items);
            }
        }
    }
    let mut seen = HashSet::new();
    items.retain(|i| fits(&i.text, &typed.written).is_some() && seen.insert(i.text.clone()));
    // Otherwise they stay as they come: what is wanted most at the place stands first.
    items.sort_by_cached_key(|i| fits(&i.text, &typed.written));
    Completions { replaces: typed.start..typed.end, items }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum TypedKind {
    Word,
    Text,
    Param,
}

/// What stands at the place already.
struct Typed {
    kind: TypedKind,
    start: usize,
    end: usize,
    written: String,
}

impl Typed {
    /// None in a comment, in a number, and behind a closed quote.
    fn at(kind: TextKind, text: &str, at: usize) -> Option<Self> {
        let from = if kind == TextKind::Model { declaration_start(&text[..at]) } else { 0 };
        let root = kind.parse(&text[from..at]).root;
        let last = root.last_token();
        let whole = |from: usize| {
            let word = |c: char| c.is_alphanumeric() || c == '_';
            text[at..].find(|c| !word(c)).map_or(text.len(), |n| at + n).max(from)
        };
        let nothing = Self { kind: TypedKind::Word, start: at, end: whole(at), written: String::new() };
        let Some(token) = last else { return Some(nothing) };
        let start = from + usize::from(token.text_range().start());
        let written = token.text();
        let quoted = |quote: char, kind: TypedKind| {
            let closed =
                written.len() > 1 && written.ends_with(quote) && written.matches(quote).count() % 2 == 0;
            let line = text[at..].split('\n').next().unwrap_or_default();
            let end = line.find(quote).map_or(at, |n| at + n + 1);
            let written = written[1..].to_owned();
            (!closed).then_some(Self { kind, start, end, written })
        };
        match token.kind() {
            SyntaxKind::Comment | SyntaxKind::Number => None,
            SyntaxKind::Word => {
                Some(Self { kind: TypedKind::Word, start, end: whole(at), written: written.to_owned() })
            }
            SyntaxKind::QuotedName => quoted('"', TypedKind::Word),
            SyntaxKind::Text => quoted('\'', TypedKind::Text),
            SyntaxKind::Parameter => {
                Some(Self { kind: TypedKind::Param, start, end: whole(at), written: written.to_owned() })
            }
            SyntaxKind::Symbol if written == ":" => {
                Some(Self { kind: TypedKind::Param, start, end: whole(at), written: ":".to_owned() })
            }
            _ => Some(nothing),
        }
    }
}

/// How well a text fits what is written: its start, then the start of one of its parts. `None` if it does not.
fn fits(text: &str, written: &str) -> Option<usize> {
    let plain = |t: &str| t.trim_start_matches(['\'', '"']).to_lowercase();
    let (text, written) = (plain(text), plain(written));
    if text.starts_with(&written) {
        return Some(0);
    }
    let mut parts = text.char_indices().zip(text.chars().skip(1)).filter(|((_, c), _)| !c.is_alphanumeric());
    parts.any(|((at, c), _)| text[at + c.len_utf8()..].starts_with(&written)).then_some(1)
}

/// Words of the language that may stand at the place.
fn words_at(probe: &Probe<'_>, written: &str, items: &mut Vec<Completion>) {
    let likely = PHRASES.iter().filter(|p| fits(p.text, written).is_some());
    for phrase in likely.filter(|p| probe.accepts_words(p.text)) {
        items.push(Completion {
            text: phrase.text.to_owned(),
            kind: CompletionKind::Words,
            detail: String::new(),
            about: phrase.about.to_owned(),
        });
    }
}

fn params_at(model: &Model, probe: &Probe<'_>, items: &mut Vec<Completion>) {
    if probe.accepts(":x").is_none_or(|t| t.kind() != SyntaxKind::Parameter) {
        return;
    }
    items.extend(model.params.iter().map(|p| Completion { text: format!(":{}", p.name), ..param(model, p) }));
}

fn param(model: &Model, param: &vembra_model::Param) -> Completion {
    let names = || param.choices.iter().map(|c| model.schema.qualified(c.column)).collect::<Vec<_>>();
    Completion {
        text: quote_name(&param.name),
        kind: CompletionKind::Param,
        detail: if param.attribute { format!("one of {}", names().join(", ")) } else { param.ty.to_string() },
        about: param.about.clone().unwrap_or_default(),
    }
}

/// Members of the column that a value at the place is compared with.
fn members_at(known: Known<'_>, probe: &Probe<'_>, items: &mut Vec<Completion>) {
    let Some(token) = probe.accepts("'x'").filter(|t| t.kind() == SyntaxKind::Text) else { return };
    let Some(column) = compared_with(known.model, &token) else { return };
    let name = known.model.schema.qualified(column);
    for value in (known.members)(column).iter().take(MOST_MEMBERS) {
        let quoted = matches!(value, Scalar::Integer(_) | Scalar::Decimal(_) | Scalar::Boolean(_));
        items.push(Completion {
            text: if quoted {
                value.to_string()
            } else {
                format!("'{}'", value.to_string().replace('\'', "''"))
            },
            kind: CompletionKind::Member,
            detail: name.clone(),
            about: String::new(),
        });
    }
}

/// The column of which a text is a member.
fn compared_with(model: &Model, text: &SyntaxToken) -> Option<ColumnId> {
    let node = text.parent()?;
    let parent = if node.kind() == SyntaxKind::Literal { node.parent()? } else { node.clone() };
    let name_ref = match parent.kind() {
        SyntaxKind::Binary | SyntaxKind::InList | SyntaxKind::Like | SyntaxKind::Between => {
            let own = |n: &SyntaxNode| n.text_range().contains_range(text.text_range());
            parent.children().filter(|c| !own(c)).find_map(ast::NameRef::cast)?
        }
        SyntaxKind::OrderProp => ast::ColumnDecl::cast(parent.parent()?)?.target()?,
        SyntaxKind::MemberColour => {
            let report = parent.ancestors().find(|n| n.kind() == SyntaxKind::ReportDecl)?;
            let colour = report.children().find_map(ast::ColourOption::cast)?.expr()?;
            ast::NameRef::cast(colour.node().clone())?
        }
        _ => return None,
    };
    let (prefer, rows) = crate::context::rows_at(model, name_ref.node());
    let qualifier = name_ref.qualifier().map(|q| q.name());
    match model.named(qualifier.as_deref(), &name_ref.name()?.name(), prefer, rows)? {
        vembra_model::Named::Column(column, _) => Some(column),
        vembra_model::Named::Measure(_) => None,
    }
}

/// Names that may stand at the place.
fn names_at(model: &Model, probe: &Probe<'_>, items: &mut Vec<Completion>) {
    let Some(token) = probe.accepts(ODD_NAME) else { return };
    let Some(name) = token.parent().filter(|n| n.kind() == SyntaxKind::Name) else { return };
    let name_ref = name.parent().and_then(ast::NameRef::cast);
    let qualifier = name_ref.as_ref().and_then(ast::NameRef::qualifier).filter(|q| *q.node() != name);
    match (qualifier, wanted(model, &name)) {
        (Some(qualifier), Wanted::Tables) => drop(qualifier),
        (Some(qualifier), _) => qualified(model, &qualifier.name(), items),
        (None, wanted) => self::named(model, &wanted, &name, items),
    }
}

fn named(model: &Model, wanted: &Wanted, name: &SyntaxNode, items: &mut Vec<Completion>) {
    arguments(wanted, name, items);
    match wanted {
        Wanted::Treatments => {
            let first = |t: &&Treatment| t.arguments.first().is_some_and(|a| a.kind == ArgumentKind::Figure);
            items.extend(model.treatments.iter().filter(first).map(|treatment| Completion {
                // Alone it is applied to each figure; others of its arguments are written.
                text: match treatment.arguments.len() {
                    1 => quote_name(&treatment.name),
                    _ => format!("{}(", quote_name(&treatment.name)),
                },
                ..treatment_item(treatment)
            }));
        }
        Wanted::ArgumentKinds => {
            let kinds = [("attribute", "an attribute"), ("role", "a role of a link"), ("figure", "a figure")];
            plain(items, kinds.iter().map(|(name, about)| (*name, (*about).to_owned())));
            plain(items, Type::NAMES.iter().map(|name| (*name, about_type(name).to_owned())));
        }
        Wanted::Own => {}
        Wanted::Roles => items.extend(role_items(model)),
        Wanted::Tables => items.extend(model.schema.table_ids().map(|t| table_item(model, t))),
        Wanted::ColumnsOf(table) => {
            let columns = model.schema.table(*table).columns.iter();
            items.extend(columns.map(|c| column_item(model, *c, &model.schema.column(*c).name)));
        }
        Wanted::Types => {
            let types = Type::NAMES.iter().map(|name| (*name, about_type(name).to_owned()));
            plain(items, types);
        }
        Wanted::DateParts => {
            let parts = Unit::NAMES.iter().map(|name| (*name, String::new()));
            plain(items, parts);
        }
        Wanted::Periods => {
            let periods = Period::IN_TIME.iter().map(|period| (period.name(), String::new()));
            plain(items, periods);
        }
        Wanted::Params => items.extend(model.params.iter().map(|p| param(model, p))),
        Wanted::Viewers => {
            let viewers = model.viewers.iter().map(|v| (v.name.as_str(), format!("sees only {}", v.text)));
            plain(items, viewers);
        }
        Wanted::Reports => {
            let reports = model.reports.iter().map(|r| (r.name.as_str(), r.title.clone()));
            plain(items, reports);
        }
        Wanted::Colours => {
            let colours = Colour::ALL.iter().map(|c| (c.name(), String::new()));
            plain(items, colours);
        }
        Wanted::Months => {
            let months = civil::MONTHS.map(str::to_lowercase);
            plain(items, months.iter().map(|month| (month.as_str(), String::new())));
        }
        Wanted::Attributes => attributes(model, items),
        Wanted::Keys => {
            let keyed = |t: &TableId| !model.schema.table(*t).key.is_empty();
            items.extend(model.schema.table_ids().filter(keyed).map(|t| table_item(model, t)));
            attributes(model, items);
        }
        Wanted::Forgotten => {
            attributes(model, items);
            items.extend(role_items(model));
            items.extend(model.schema.table_ids().map(|t| table_item(model, t)));
        }
        Wanted::Value { rows, prefer, axes } => {
            if let Some(table) = prefer {
                let columns = model.schema.table(*table).columns.iter();
                items.extend(columns.map(|c| column_item(model, *c, &model.schema.column(*c).name)));
            }
            value(model, *rows, *axes, name, items);
        }
    }
}

/// Whether the names that a query gives mean something at a place: in `sort`, for the axis of `top`, in what a figure runs by, and in
/// how a report is drawn.
fn takes_aliases(name: &SyntaxNode) -> bool {
    use SyntaxKind as K;
    let around = name.ancestors().take_while(|n| !matches!(n.kind(), K::Query | K::ListQuery));
    let clauses = around.map(|n| n.kind()).find(|kind| {
        matches!(
            kind,
            K::CallBy
                | K::SortClause
                | K::TopBy
                | K::TopClause
                | K::ShowClause
                | K::WhereClause
                | K::HavingClause
                | K::RowsClause
                | K::ColumnsClause
                | K::AggregateWhere
        )
    });
    matches!(clauses, None | Some(K::CallBy | K::SortClause | K::TopClause))
}

/// What may stand where a value is wanted: over rows, or over the cells of a query with or without its attributes.
fn value(model: &Model, rows: bool, axes: bool, name: &SyntaxNode, items: &mut Vec<Completion>) {
    if rows {
        bare_columns(model, items);
    }
    let of_query = query_of(name).filter(|_| takes_aliases(name)).map(|q| aliases(&q)).unwrap_or_default();
    items.extend(of_query.into_iter().filter(|a| a != ODD_NAME).map(|a| Completion {
        text: quote_name(&a),
        kind: CompletionKind::Figure,
        detail: "named in this query".to_owned(),
        about: String::new(),
    }));
    if rows || axes {
        attributes(model, items);
    }
    if axes || !rows {
        items.extend(model.measures.iter().map(measure_item));
        items.extend(model.treatments.iter().map(treatment_item));
    }
    functions(!rows, items);
}

/// The arguments of the measure that is being written, where what they stand for may stand.
fn arguments(wanted: &Wanted, name: &SyntaxNode, items: &mut Vec<Completion>) {
    for (own, kind) in own_arguments(name) {
        let suits = match (wanted, kind.as_deref()) {
            (Wanted::Value { rows, .. }, None | Some("figure")) => !rows,
            (Wanted::Attributes | Wanted::Keys | Wanted::Forgotten, Some("attribute")) => true,
            (Wanted::Roles | Wanted::Forgotten, Some("role")) => true,
            (Wanted::Value { .. }, Some(kind)) => Type::from_name(kind).is_some(),
            _ => false,
        };
        if suits {
            items.push(Completion {
                text: quote_name(&own),
                kind: CompletionKind::Param,
                detail: format!("argument: {}", kind.unwrap_or_else(|| "a figure".to_owned())),
                about: String::new(),
            });
        }
    }
}

/// A measure with arguments, ready for them.
fn treatment_item(treatment: &Treatment) -> Completion {
    Completion {
        text: format!("{}(", quote_name(&treatment.name)),
        kind: CompletionKind::Function,
        detail: treatment.signature(),
        about: treatment.about.clone().or_else(|| treatment.label.clone()).unwrap_or_default(),
    }
}

/// Names that are neither columns nor figures, with what there is to say of each.
fn plain<'n>(items: &mut Vec<Completion>, names: impl Iterator<Item = (&'n str, String)>) {
    items.extend(names.map(|(name, about)| Completion {
        text: quote_name(name),
        kind: CompletionKind::Other,
        detail: String::new(),
        about,
    }));
}

fn about_type(name: &str) -> &'static str {
    match Type::from_name(name) {
        Some(Type::Integer) => "whole numbers",
        Some(Type::Decimal(_)) => "exact numbers",
        Some(Type::Float) => "binary floats",
        Some(Type::Text) => "texts, and codes with leading zeros",
        Some(Type::Boolean) => "true and false",
        Some(Type::Date) => "days",
        Some(Type::Time) => "times of day",
        Some(Type::Moment) => "a day and a time",
        Some(Type::Period(_)) => "a period of the calendar",
        Some(Type::Null) | None => "",
    }
}

fn functions(with_lines: bool, items: &mut Vec<Completion>) {
    let of_cells = ["share", "stands_on", "cell_start", "cell_end"];
    let is_window = |name: &str| vembra_plan::WindowFunction::from_name(name).is_some();
    let suits = |name: &str| with_lines || !(of_cells.contains(&name) || is_window(name));
    for signature in SIGNATURES.iter().filter(|s| suits(s.name)) {
        items.push(Completion {
            text: format!("{}(", signature.name),
            kind: CompletionKind::Function,
            detail: signature.label().0,
            about: signature.about.to_owned(),
        });
    }
}

fn role_items(model: &Model) -> impl Iterator<Item = Completion> {
    let roles = model.schema.roles.iter().enumerate();
    roles.map(|(at, role)| {
        let target = model.role_target(RoleId(at as u32));
        let table = target.map_or("", |t| model.schema.table(t).name.as_str());
        Completion {
            text: quote_name(role),
            kind: CompletionKind::Role,
            detail: format!("role of {table}"),
            about: String::new(),
        }
    })
}

fn table_item(model: &Model, table: TableId) -> Completion {
    let def = model.schema.table(table);
    Completion {
        text: quote_name(&def.name),
        kind: CompletionKind::Table,
        detail: def.kind.word().to_owned(),
        about: String::new(),
    }
}

fn column_item(model: &Model, column: ColumnId, name: &str) -> Completion {
    let info = model.column_info(column);
    Completion {
        text: quote_name(name),
        kind: CompletionKind::Column,
        detail: model.schema.column(column).ty.to_string(),
        about: info.about.or(info.label).unwrap_or_default(),
    }
}

fn measure_item(measure: &vembra_model::Measure) -> Completion {
    // A measure that is being written has no formula yet.
    let known = !matches!(measure.formula.kind, BoundKind::Literal(_));
    let ty = if known { measure.formula.ty.to_string() } else { String::new() };
    Completion {
        text: quote_name(&measure.name),
        kind: CompletionKind::Measure,
        detail: ty,
        about: measure.about.clone().or_else(|| measure.label.clone()).unwrap_or_default(),
    }
}

/// Attributes with their tables, and those of the calendar with roles too.
fn attributes(model: &Model, items: &mut Vec<Completion>) {
    for table in model.schema.table_ids() {
        let def = model.schema.table(table);
        let pinned =
            (0..model.schema.roles.len() as u32).map(RoleId).filter(|r| model.role_target(*r) == Some(table));
        let names = std::iter::once(def.name.clone()).chain(pinned.map(|r| model.role_name(r).to_owned()));
        for qualifier in names {
            items.extend(columns_of(model, table, &qualifier));
        }
    }
}

fn columns_of(model: &Model, table: TableId, qualifier: &str) -> Vec<Completion> {
    let columns = model.schema.table(table).columns.iter();
    let item = |c: &ColumnId| {
        let name = format!("{}.{}", quote_name(qualifier), quote_after_dot(&model.schema.column(*c).name));
        Completion { text: name, ..column_item(model, *c, "") }
    };
    let hierarchies = model.hierarchies.iter().filter(|h| h.table == table);
    let walked = hierarchies.map(|h| Completion {
        text: format!("{}.{}", quote_name(qualifier), quote_after_dot(&h.name)),
        kind: CompletionKind::Column,
        detail: "hierarchy".to_owned(),
        about: h.levels.iter().map(|l| model.schema.column(*l).name.clone()).collect::<Vec<_>>().join(" > "),
    });
    columns.map(item).chain(walked).collect()
}

/// Columns by their bare names, those of facts first.
fn bare_columns(model: &Model, items: &mut Vec<Completion>) {
    let kind = |c: &ColumnId| &model.schema.table(model.schema.column(*c).table).kind;
    let all = || (0..model.schema.columns.len() as u32).map(ColumnId);
    let facts = all().filter(|c| matches!(kind(c), TableKind::Fact));
    for column in facts.chain(all().filter(|c| matches!(kind(c), TableKind::Dimension))) {
        let name = &model.schema.column(column).name;
        if model.named(None, name, None, true).is_some() {
            items.push(column_item(model, column, name));
        }
    }
}

/// What stands behind the dot of a table or role.
fn qualified(model: &Model, qualifier: &str, items: &mut Vec<Completion>) {
    let role = model.find_role(qualifier).and_then(|r| model.role_target(r));
    let Some(table) = model.find_table(qualifier).or(role) else { return };
    let prefix = format!("{}.", quote_name(qualifier));
    items.extend(columns_of(model, table, qualifier).into_iter().map(|mut item| {
        item.text = item.text[prefix.len()..].to_owned();
        item
    }));
}
