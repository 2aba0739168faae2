//! The rule that nothing is left out in silence: every token of a text is part of what the views read, or lies under a message.
//!
//! Two things could break it, and both are looked for in the finished tree: tokens in an error node without a message about
//! them, and a part that its view reads once but that stands there twice.

use crate::Parsed;
use crate::diagnostic::{Diagnostic, Severity};
use crate::kind::{SyntaxKind, SyntaxNode};
use crate::messages;
use crate::source::{SourceId, Span};

/// Parts that the views of every node around them read once.
const READ_ONCE: [SyntaxKind; 60] = [
    SyntaxKind::FiscalYear,
    SyntaxKind::Working,
    SyntaxKind::FromDatabase,
    SyntaxKind::KeyProp,
    SyntaxKind::SeparatorProp,
    SyntaxKind::MissingProp,
    SyntaxKind::EncodingProp,
    SyntaxKind::SheetProp,
    SyntaxKind::StoredProp,
    SyntaxKind::NumbersProp,
    SyntaxKind::DatesProp,
    SyntaxKind::BooleansProp,
    SyntaxKind::LinkBy,
    SyntaxKind::LinkAsOf,
    SyntaxKind::LinkUntil,
    SyntaxKind::LinkRole,
    SyntaxKind::TypeName,
    SyntaxKind::Arguments,
    SyntaxKind::EachAlso,
    SyntaxKind::EachAcross,
    SyntaxKind::AcrossWith,
    SyntaxKind::MarkOn,
    SyntaxKind::OneOf,
    SyntaxKind::ParamDefault,
    SyntaxKind::SeenBy,
    SyntaxKind::AssertPer,
    SyntaxKind::Tolerance,
    SyntaxKind::Reason,
    SyntaxKind::PageSize,
    SyntaxKind::LabelProp,
    SyntaxKind::FormatProp,
    SyntaxKind::AboutProp,
    SyntaxKind::OrderProp,
    SyntaxKind::LabelsProp,
    SyntaxKind::SubtotalProp,
    SyntaxKind::TotalProp,
    SyntaxKind::ReversedOption,
    SyntaxKind::AsTimeOption,
    SyntaxKind::AggregateFrom,
    SyntaxKind::AggregateWhere,
    SyntaxKind::AggregateBy,
    SyntaxKind::Among,
    SyntaxKind::CallBy,
    SyntaxKind::CaseElse,
    SyntaxKind::Alias,
    SyntaxKind::OpenProp,
    SyntaxKind::RowsClause,
    SyntaxKind::ColumnsClause,
    SyntaxKind::ShowClause,
    SyntaxKind::SortClause,
    SyntaxKind::KeepEmptyClause,
    SyntaxKind::TotalsClause,
    SyntaxKind::FiguresClause,
    SyntaxKind::FromClause,
    SyntaxKind::LimitClause,
    SyntaxKind::HavingClause,
    SyntaxKind::TopClause,
    SyntaxKind::TopBy,
    SyntaxKind::TopWithin,
    SyntaxKind::GivenClause,
];

/// Adds a message per part that is read once and stands a second time, where there is none yet.
pub(crate) fn report_repeated(root: &SyntaxNode, source: SourceId, diagnostics: &mut Vec<Diagnostic>) {
    for node in root.descendants() {
        let mut seen: Vec<SyntaxNode> = Vec::new();
        for part in node.children().filter(|c| READ_ONCE.contains(&c.kind())) {
            let first = seen.iter().find(|s| s.kind() == part.kind());
            if let Some(first) = first {
                let span = first_word(&part, source);
                if !diagnostics.iter().any(|d| d.labels.iter().any(|l| l.span.start == span.start)) {
                    let word = part.text().to_string();
                    let word = word.split_whitespace().next().unwrap_or_default().to_owned();
                    diagnostics.push(messages::clause_twice(span, first_word(first, source), &word));
                }
            } else {
                seen.push(part);
            }
        }
    }
}

fn first_word(node: &SyntaxNode, source: SourceId) -> Span {
    let range = node
        .descendants_with_tokens()
        .filter_map(rowan::NodeOrToken::into_token)
        .find(|t| !t.kind().is_trivia())
        .map_or_else(|| node.text_range(), |t| t.text_range());
    Span { source, start: range.start().into(), end: range.end().into() }
}

/// The first run of tokens that nothing reads and that no message is about.
pub(crate) fn silent(parsed: &Parsed) -> Option<String> {
    let about = |start: usize, end: usize| {
        parsed.diagnostics.iter().any(|d| {
            d.severity == Severity::Error
                && d.labels.iter().any(|l| l.span.start <= end && l.span.end >= start)
        })
    };
    parsed.root.descendants_with_tokens().find_map(|part| match part {
        // The message stands where reading stopped, or in the part that it could not complete.
        rowan::NodeOrToken::Node(node) if node.kind() == SyntaxKind::Error => {
            let from =
                node.prev_sibling().or_else(|| node.parent()).map_or(0, |n| n.text_range().start().into());
            (!about(from, node.text_range().end().into())).then(|| node.text().to_string())
        }
        rowan::NodeOrToken::Token(token) if token.kind() == SyntaxKind::Stray => {
            let range = token.text_range();
            (!about(range.start().into(), range.end().into())).then(|| token.text().to_owned())
        }
        _ => None,
    })
}

#[cfg(test)]
mod tests {
    use crate::{Sources, parse_model, parse_query};

    fn codes(text: &str, model: bool) -> Vec<String> {
        let id = Sources::default().add("text", text);
        let parsed = if model { parse_model(id, text) } else { parse_query(id, text) };
        assert_eq!(parsed.root.to_string(), text);
        parsed.diagnostics.iter().map(|d| d.code.to_string()).collect()
    }

    #[test]
    fn what_is_not_read_is_told() {
        let refused = [
            "show revenue wher calendar.year = 2025",
            "show revenue where a = 'x' und b = 2",
            "show revenue where a = 'x', b = 2",
            "show revenue where a = 'x' b = 2",
            "rows a show b order by b",
            "show b havng b > 0",
            "show b offset 5",
            "rows a show b sort b desc",
            "show b top 5 a by b, with ties",
            "rows a show b keep empty empty",
        ];
        for text in refused {
            assert_eq!(codes(text, false).len(), 1, "{text}");
        }
    }

    #[test]
    fn what_is_read_once_stands_once() {
        assert_eq!(codes("measure a = sum(b)\n    label 'x'\n    label 'y'\n", true), ["V109"]);
        assert_eq!(codes("fact f from 'f' key a key b\n", true), ["V109"]);
        assert_eq!(codes("show a show b", false), ["V109"]);
        assert!(codes("measure a = sum(b)\n    label 'x'\n    format '0'\n", true).is_empty());
    }
}
