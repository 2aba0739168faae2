//! One layout of all models: the same for every text of the same tokens. Comments stay.
//!
//! A declaration starts in the first column; what belongs to it is written below it, four blanks in; a query has one clause a line; a
//! line that grows past 110 characters is broken behind a comma or before `and`, `or` and the words of clauses.

use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken};
use crate::{Diagnostic, SourceId};

/// Lines are at most so long where they can be broken.
const LONGEST: usize = 110;
/// How far what belongs to a declaration is indented.
const STEP: usize = 4;

/// The text of a model in the one layout.
///
/// # Errors
/// What is wrong with a text that cannot be read: it is left alone.
///
/// # Examples
/// ```
/// let tidy = vembra_syntax::format_model("measure  revenue=sum( net )  label 'Revenue' -- all of it\n").unwrap();
/// assert_eq!(tidy, "measure revenue = sum(net)\n    label 'Revenue'  -- all of it\n");
/// ```
pub fn format_model(text: &str) -> Result<String, Vec<Diagnostic>> {
    let parsed = crate::parse_model(SourceId::default(), text);
    if !parsed.diagnostics.is_empty() {
        return Err(parsed.diagnostics);
    }
    let tokens = parsed.root.descendants_with_tokens().filter_map(rowan::NodeOrToken::into_token);
    let mut writer = Writer::default();
    for token in tokens {
        writer.token(&token);
    }
    Ok(writer.finish())
}

/// Where a line starts before a token: how far it is indented; none if it goes on.
fn line_start(token: &SyntaxToken) -> Option<usize> {
    let mut node = token.parent()?;
    loop {
        let first = node
            .descendants_with_tokens()
            .filter_map(rowan::NodeOrToken::into_token)
            .find(|t| !t.kind().is_trivia())?;
        if first.text_range() != token.text_range() {
            return None;
        }
        let parent = node.parent()?;
        if parent.kind() == SyntaxKind::File {
            return Some(0);
        }
        if let Some(indent) = own_line(&node, &parent) {
            return Some(indent);
        }
        node = parent;
    }
}

/// How far a node that has a line of its own is indented.
fn own_line(node: &SyntaxNode, parent: &SyntaxNode) -> Option<usize> {
    use SyntaxKind as K;
    match node.kind() {
        K::FormatProp if matches!(parent.kind(), K::SubtotalProp | K::TotalProp) => Some(2 * STEP),
        K::LabelProp | K::FormatProp | K::AboutProp | K::LabelsProp | K::SubtotalProp | K::TotalProp => {
            Some(STEP)
        }
        K::OrderProp if matches!(parent.kind(), K::ColumnDecl | K::MeasureDecl) => Some(STEP),
        K::FiscalYear | K::Working | K::PageRow | K::SwitchOption => Some(STEP),
        K::DrawnAs => Some(STEP / 2),
        K::ColoursOption
        | K::PanelsOption
        | K::ComparedOption
        | K::MarkOption
        | K::TooltipOption
        | K::AxisTitlesOption
        | K::SmallBarsOption => Some(STEP),
        K::RowsClause
        | K::ColumnsClause
        | K::ShowClause
        | K::WhereClause
        | K::ViaClause
        | K::SortClause
        | K::KeepEmptyClause
        | K::TotalsClause
        | K::FiguresClause
        | K::FromClause
        | K::LimitClause
        | K::HavingClause
        | K::TopClause
        | K::GivenClause => {
            let query = matches!(parent.kind(), K::Query | K::ListQuery);
            let above = parent.parent().map(|p| p.kind());
            (query && matches!(above, Some(K::DerivedDecl | K::ReportDecl))).then_some(STEP)
        }
        _ => None,
    }
}

#[derive(Default)]
struct Writer {
    text: String,
    /// How far the line is indented.
    indent: usize,
    /// The last token that is no blank and no comment.
    before: Option<SyntaxToken>,
    /// Line breaks since the last token.
    breaks: usize,
    /// Whether a comment ended the line.
    ended: bool,
}

impl Writer {
    fn token(&mut self, token: &SyntaxToken) {
        match token.kind() {
            SyntaxKind::Whitespace => self.breaks += token.text().matches('\n').count(),
            SyntaxKind::Comment => self.comment(token),
            _ => self.word(token),
        }
    }

    fn column(&self) -> usize {
        let start = self.text.rfind('\n').map_or(0, |at| at + 1);
        self.text[start..].chars().count()
    }

    fn new_line(&mut self, indent: usize) {
        if !self.text.is_empty() {
            self.text.push('\n');
            if self.breaks > 1 && indent == 0 {
                self.text.push('\n');
            }
        }
        self.text.push_str(&" ".repeat(indent));
    }

    fn comment(&mut self, token: &SyntaxToken) {
        let text = token.text().trim_end();
        if self.breaks == 0 && self.before.is_some() && !self.ended {
            // Behind something on its line.
            self.text.push_str("  ");
            self.text.push_str(text);
        } else {
            // A comment stands where what it is about stands.
            let next = std::iter::successors(token.next_token(), SyntaxToken::next_token);
            let next = next.into_iter().find(|t| !t.kind().is_trivia());
            let indent = next.map_or(0, |t| line_start(&t).unwrap_or(self.indent + STEP));
            self.new_line(indent);
            self.text.push_str(text);
        }
        self.ended = true;
        self.breaks = 0;
    }

    fn word(&mut self, token: &SyntaxToken) {
        let written = written(token);
        if let Some(indent) = line_start(token) {
            self.new_line(indent);
            self.indent = indent;
        } else if self.ended {
            self.new_line(self.indent + STEP);
        } else if let Some(before) = &self.before {
            let gap = usize::from(gap(before, token));
            let wide = self.column() + gap + written.chars().count();
            if wide > LONGEST && breaks_before(before, token) {
                self.breaks = 0;
                self.new_line(self.indent + STEP);
            } else {
                self.text.push_str(&" ".repeat(gap));
            }
        }
        self.text.push_str(&written);
        self.before = Some(token.clone());
        self.ended = false;
        self.breaks = 0;
    }

    fn finish(mut self) -> String {
        if !self.text.is_empty() {
            self.text.push('\n');
        }
        self.text
    }
}

/// Words of the language are written small; names stay as they are.
fn written(token: &SyntaxToken) -> String {
    let parent = token.parent().map(|p| p.kind());
    if parent == Some(SyntaxKind::Code) {
        return token.text().to_ascii_uppercase();
    }
    let named = parent == Some(SyntaxKind::Name);
    if token.kind() == SyntaxKind::Word && !named {
        token.text().to_ascii_lowercase()
    } else {
        token.text().to_owned()
    }
}

/// Whether a line may be broken between two tokens.
fn breaks_before(before: &SyntaxToken, token: &SyntaxToken) -> bool {
    let words =
        ["and", "or", "where", "via", "during", "pooling", "regardless", "per", "overall", "when", "else"];
    before.text() == ","
        || token.kind() == SyntaxKind::Word && words.iter().any(|w| w.eq_ignore_ascii_case(token.text()))
}

/// Whether a blank stands between two tokens.
fn gap(before: &SyntaxToken, token: &SyntaxToken) -> bool {
    let kind = |t: &SyntaxToken| t.parent().map(|p| p.kind());
    if matches!(token.text(), "," | ")" | "." | ":") || matches!(before.text(), "(" | ".") {
        return false;
    }
    if token.text() == "(" {
        // The brackets of a function stand at its name.
        let called = matches!(
            kind(token),
            Some(
                SyntaxKind::Call
                    | SyntaxKind::Aggregate
                    | SyntaxKind::Cast
                    | SyntaxKind::Extract
                    | SyntaxKind::Arguments
                    | SyntaxKind::TypeName
            )
        );
        return !called;
    }
    // A sign stands at its number.
    !(kind(before) == Some(SyntaxKind::Unary) && before.kind() == SyntaxKind::Symbol)
}
