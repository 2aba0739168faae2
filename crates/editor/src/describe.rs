//! What something is, in a few lines of Markdown.

use crate::Known;
use crate::functions::Signature;
use crate::phrases::{PHRASES, Phrase};
use crate::probe::{TextKind, part_at};
use crate::target::Target;
use std::ops::Range;
use vembra_model::{Measure, Model, ParamValue};
use vembra_plan::{ColumnId, TableId};
use vembra_syntax::{SyntaxKind, SyntaxToken, one_line};

/// How many members of a column are shown.
const SHOWN: usize = 6;

/// What something is: its formula or type, its grain, its format, some of its values, what is said of it.
pub fn describe(known: Known<'_>, target: Target) -> String {
    let model = known.model;
    match target {
        Target::Measure(id) => measure(model, model.measure(id)),
        Target::Treatment(at) => {
            let treatment = &model.treatments[at];
            let format = treatment.format.as_ref().map(|f| format!("written {f}")).unwrap_or_default();
            paragraphs([
                code(&format!("measure {} = {}", treatment.signature(), one_line(&treatment.text))),
                treatment.label.clone().unwrap_or_default(),
                format,
                treatment.about.clone().unwrap_or_default(),
            ])
        }
        Target::Column(id) => column(known, id),
        Target::Table(id) => table(model, id),
        Target::Role(role) => {
            let links = model.schema.links.iter().filter(|l| l.role == Some(role));
            let links = links.map(|l| {
                let default = if l.default { " (the default)" } else { "" };
                let to = model.schema.table(model.schema.column(l.to[0]).table).name.clone();
                format!("- {} to {to}{default}", model.schema.qualified(l.from[0]))
            });
            paragraphs([
                code(&format!("role {}", model.role_name(role))),
                links.collect::<Vec<_>>().join("\n"),
            ])
        }
        Target::Param(id) => {
            let param = model.param(id);
            let name = |at: usize| param.choices.get(at).map(|c| model.schema.qualified(c.column));
            let default = match &param.default {
                Some(ParamValue::Value(value)) => format!(" default {}", value.literal()),
                Some(ParamValue::Choice(at)) => format!(" default {}", name(*at).unwrap_or_default()),
                None => String::new(),
            };
            let takes = if param.attribute {
                let choices: Vec<String> = (0..param.choices.len()).filter_map(name).collect();
                format!("one of {}", choices.join(", "))
            } else {
                param.ty.to_string()
            };
            let written = code(&format!("param {}: {takes}{default}", param.name));
            paragraphs([written, param.about.clone().unwrap_or_default()])
        }
        Target::Viewer(at) => {
            let viewer = &model.viewers[at];
            code(&format!("viewer {} sees only {}", viewer.name, one_line(&viewer.text)))
        }
        Target::Report(at) => {
            let report = &model.reports[at];
            paragraphs([
                report.title.clone(),
                code(&one_line(&report.text)),
                report.about.clone().unwrap_or_default(),
            ])
        }
        Target::Dashboard(at) => {
            let dashboard = &model.dashboards[at];
            paragraphs([dashboard.title.clone(), dashboard.about.clone().unwrap_or_default()])
        }
        Target::Hierarchy(at) => {
            let hierarchy = &model.hierarchies[at];
            let levels: Vec<&str> =
                hierarchy.levels.iter().map(|l| model.schema.column(*l).name.as_str()).collect();
            paragraphs([code(&format!("hierarchy {}", target.name(model))), levels.join(" > ")])
        }
    }
}

fn measure(model: &Model, measure: &Measure) -> String {
    let mut formula = format!("measure {} = {}", measure.name, one_line(&measure.text));
    for (what, variant) in [("subtotal", &measure.subtotal), ("total", &measure.total)] {
        if let Some(variant) = variant {
            formula.push_str(&format!("\n  {what} = {}", one_line(&variant.text)));
        }
    }
    let format = measure.format.as_ref().map(|f| format!(", written {f}")).unwrap_or_default();
    let facts = format!("{}, {}{format}", measure.formula.ty, model.grain_in_words(&measure.formula));
    paragraphs([code(&formula), facts, measure.about.clone().unwrap_or_default()])
}

fn column(known: Known<'_>, id: ColumnId) -> String {
    let model = known.model;
    let def = model.schema.column(id);
    let info = model.column_info(id);
    let formula = info.text.as_ref().map(|t| format!(" = {}", one_line(t))).unwrap_or_default();
    let written = code(&format!("column {}: {}{formula}", model.schema.qualified(id), def.ty));
    let members = (known.members)(id);
    let some: Vec<String> = members.iter().take(SHOWN).map(ToString::to_string).collect();
    let more = if members.len() > SHOWN { ", …" } else { "" };
    let values = match members.len() {
        0 => String::new(),
        count => format!("{} different: {}{more}", vembra_draw::grouped(count), some.join(", ")),
    };
    let format = info.format.map(|f| format!("written {f}")).unwrap_or_default();
    paragraphs([written, info.about.or(info.label).unwrap_or_default(), format, values])
}

fn table(model: &Model, id: TableId) -> String {
    let def = model.schema.table(id);
    let word = def.kind.word();
    let declared = if word == def.name { def.name.clone() } else { format!("{word} {}", def.name) };
    let columns: Vec<&str> = def.columns.iter().map(|c| model.schema.column(*c).name.as_str()).collect();
    paragraphs([code(&declared), format!("columns: {}", columns.join(", "))])
}

fn code(text: &str) -> String {
    format!("```vembra\n{text}\n```")
}

fn paragraphs<const N: usize>(parts: [String; N]) -> String {
    parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join("\n\n")
}

/// What the word of the language at a place does, and where the words stand that say so.
///
/// # Examples
/// ```
/// use vembra_editor::{TextKind, about_word};
/// let (about, range) = about_word(TextKind::Query, "show revenue keep empty", 20).unwrap();
/// assert_eq!((about.as_str(), range), ("also members without rows", 13..23));
/// ```
pub fn about_word(kind: TextKind, text: &str, at: usize) -> Option<(String, Range<usize>)> {
    let part = text.is_char_boundary(at).then(|| part_at(kind, text, at))?;
    let root = kind.parse(&text[part.clone()]).root;
    let at = at - part.start;
    let token =
        root.token_at_offset(u32::try_from(at).ok()?.into()).find(|t| t.kind() == SyntaxKind::Word)?;
    let in_text = |range: Range<usize>| part.start + range.start..part.start + range.end;
    let parent = token.parent()?;
    let calls = [SyntaxKind::Call, SyntaxKind::Aggregate];
    let called = parent.parent().is_some_and(|p| calls.contains(&p.kind()));
    let keyword = parent.kind() != SyntaxKind::Name;
    if called || matches!(parent.kind(), SyntaxKind::Cast | SyntaxKind::Extract) {
        let signature = Signature::of(token.text());
        if let Some(signature) = signature {
            let said = format!("{}\n\n{}", code(&signature.label().0), signature.about);
            return Some((said, in_text(range_of(&token, &token))));
        }
    }
    if !keyword {
        return None;
    }
    // The phrase may start one word earlier.
    let before = neighbour(&token, SyntaxToken::prev_token);
    let found = [Some(token), before].into_iter().flatten().filter_map(|first| phrase_from(&first, at));
    let (about, range) = found.max_by_key(|(_, range)| range.len())?;
    Some((about, in_text(range)))
}

/// The longest phrase that starts with a token and reaches a place.
fn phrase_from(first: &SyntaxToken, at: usize) -> Option<(String, Range<usize>)> {
    let whole = |phrase: &Phrase| {
        let mut token = Some(first.clone());
        let mut last = first.clone();
        for word in phrase.text.split(' ') {
            last = token.filter(|t| t.text().eq_ignore_ascii_case(word))?;
            token = neighbour(&last, SyntaxToken::next_token);
        }
        Some((phrase.about.to_owned(), range_of(first, &last)))
    };
    PHRASES
        .iter()
        .filter_map(whole)
        .filter(|(_, r)| r.contains(&at) || r.end == at)
        .max_by_key(|(_, r)| r.len())
}

fn neighbour(token: &SyntaxToken, step: fn(&SyntaxToken) -> Option<SyntaxToken>) -> Option<SyntaxToken> {
    std::iter::successors(step(token), step).find(|t| !t.kind().is_trivia())
}

fn range_of(first: &SyntaxToken, last: &SyntaxToken) -> Range<usize> {
    first.text_range().start().into()..last.text_range().end().into()
}
