//! Diagnostics as text, with the lines that they are about.

use crate::tame::tame_lines;
use annotate_snippets::{AnnotationKind, Group, Level, Patch, Renderer, Snippet};
use std::collections::BTreeMap;
use vembra_syntax::{Diagnostic, Severity, SourceId, Sources, Span};

/// Lines longer than this are cut around the place.
const MOST_LINE: usize = 400;

/// The most that are shown: fixing these may fix the others.
const MOST_SHOWN: usize = 100;

/// Diagnostics one after the other, with colours if asked.
pub fn diagnostics_text(sources: &Sources, diagnostics: &[Diagnostic], colours: bool) -> String {
    let renderer = if colours { Renderer::styled() } else { Renderer::plain() };
    let mut text = String::new();
    for diagnostic in diagnostics.iter().take(MOST_SHOWN) {
        text.push_str(&one(sources, &tamed(diagnostic), &renderer));
        text.push_str("\n\n");
    }
    if diagnostics.len() > MOST_SHOWN {
        text.push_str(&format!("and {} more messages\n", crate::grouped(diagnostics.len() - MOST_SHOWN)));
    }
    text.trim_end().to_owned() + if diagnostics.is_empty() { "" } else { "\n" }
}

/// The same without characters that act on a terminal; those of the sources are shown as marks by the renderer.
fn tamed(diagnostic: &Diagnostic) -> Diagnostic {
    let mut diagnostic = diagnostic.clone();
    diagnostic.message = tame_lines(&diagnostic.message);
    diagnostic.labels.iter_mut().for_each(|l| l.text = tame_lines(&l.text));
    diagnostic.help.iter_mut().for_each(|h| h.text = tame_lines(&h.text));
    diagnostic
}

fn one(sources: &Sources, diagnostic: &Diagnostic, renderer: &Renderer) -> String {
    let level = match diagnostic.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    };
    let title = level.primary_title(diagnostic.message.as_str()).id(diagnostic.code.as_str());
    let mut by_source: BTreeMap<SourceId, Vec<usize>> = BTreeMap::new();
    for (at, label) in diagnostic.labels.iter().enumerate() {
        by_source.entry(label.span.source).or_default().push(at);
    }
    let excerpts: BTreeMap<SourceId, Excerpt> = by_source
        .iter()
        .map(|(id, labels)| (*id, Excerpt::around(sources, diagnostic, *id, labels)))
        .collect();
    let mut group = Group::with_title(title);
    // The place at fault comes first, what it clashes with behind it.
    let primary = diagnostic.labels.first().map(|l| l.span.source);
    let (first, others): (Vec<_>, Vec<_>) =
        by_source.iter().partition(|(source, _)| Some(**source) == primary);
    for (source, labels) in first.into_iter().chain(others) {
        let Some(excerpt) = excerpts.get(source) else { continue };
        let mut snippet = Snippet::source(excerpt.text.as_str())
            .path(tame_lines(sources.name(*source)))
            .line_start(excerpt.line)
            .fold(true);
        for at in labels {
            let label = &diagnostic.labels[*at];
            let kind = if *at == 0 { AnnotationKind::Primary } else { AnnotationKind::Context };
            let annotation = kind.span(excerpt.span(label.span));
            snippet = snippet.annotation(match label.text.as_str() {
                "" => annotation,
                text => annotation.label(text),
            });
        }
        group = group.element(snippet);
    }
    let mut groups = Vec::new();
    let mut patches = Vec::new();
    for help in &diagnostic.help {
        let excerpt = help.fix.as_ref().and_then(|fix| excerpts.get(&fix.span.source).map(|e| (fix, e)));
        match excerpt {
            Some((fix, excerpt)) => patches.push((help.text.as_str(), fix, excerpt)),
            None => group = group.element(Level::HELP.message(help.text.as_str())),
        }
    }
    groups.push(group);
    for (text, fix, excerpt) in patches {
        let snippet = Snippet::source(excerpt.text.as_str())
            .path(tame_lines(sources.name(fix.span.source)))
            .line_start(excerpt.line)
            .fold(true)
            .patch(Patch::new(excerpt.span(fix.span), fix.text.as_str()));
        groups.push(Group::with_title(Level::HELP.secondary_title(text)).element(snippet));
    }
    renderer.render(&groups).clone()
}

/// The part of a text that a diagnostic shows: a whole text is too much for a long line.
struct Excerpt {
    text: String,
    start: usize,
    line: usize,
}

impl Excerpt {
    fn around(sources: &Sources, diagnostic: &Diagnostic, source: SourceId, labels: &[usize]) -> Self {
        let text = sources.text(source);
        let places = labels.iter().map(|at| diagnostic.labels[*at].span);
        let (first, last) =
            places.fold((usize::MAX, 0), |(a, b), p| (a.min(p.start), b.max(p.end.min(p.start + MOST_LINE))));
        let (first, last) = (floor(text, first), floor(text, last));
        let line_start = text.get(..first).and_then(|t| t.rfind('\n')).map_or(0, |at| at + 1);
        let line_end = text.get(last..).and_then(|t| t.find('\n')).map_or(text.len(), |at| last + at);
        let (mut start, mut end) = (line_start, line_end);
        if first - line_start > MOST_LINE {
            start = floor(text, first - MOST_LINE / 2);
        }
        if end - last > MOST_LINE {
            end = floor(text, last + MOST_LINE / 2);
        }
        let line = text.get(..line_start).map_or(1, |t| t.matches('\n').count() + 1);
        Self { text: text.get(start..end).unwrap_or("").to_owned(), start, line }
    }

    fn span(&self, span: Span) -> std::ops::Range<usize> {
        let inside = |at: usize| at.saturating_sub(self.start).min(self.text.len());
        inside(span.start)..inside(span.end)
    }
}

fn floor(text: &str, at: usize) -> usize {
    (0..=at.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0)
}
