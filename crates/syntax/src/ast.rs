//! Typed views of the tree. What a broken text lacks is `None` or left out; nothing here panics.
//!
//! One file per part of the language; here stands what they share.

use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken, Vembra};
use crate::source::{SourceId, Span};

/// A view of a node of one kind.
pub trait View: Sized {
    /// The view, if the node is of this kind.
    fn cast(node: SyntaxNode) -> Option<Self>;
    /// The node.
    fn node(&self) -> &SyntaxNode;

    /// The span of the node in its text, without blanks around it.
    fn span(&self, source: SourceId) -> Span {
        place_of(self.node(), source)
    }

    /// The text of the node, without blanks around it.
    fn text(&self) -> String {
        self.node().text().to_string().trim().to_owned()
    }
}

/// The span of a node, without blanks and comments around it.
pub fn place_of(node: &SyntaxNode, source: SourceId) -> Span {
    let whole = node.text_range();
    let green = node.green();
    let (before, _) = trivia(&green, false);
    let (behind, _) = trivia(&green, true);
    let start = usize::from(whole.start()) + before;
    Span { source, start, end: (usize::from(whole.end()) - behind.min(whole.len().into())).max(start) }
}

/// How many bytes of blanks and comments a node starts or ends with, and whether it is nothing else. Looks at the shared nodes below the
/// tree: places are asked for so often that walking the tree itself would be felt.
fn trivia(green: &rowan::GreenNodeData, from_end: bool) -> (usize, bool) {
    let mut children = green.children();
    let mut bytes = 0;
    while let Some(child) = if from_end { children.next_back() } else { children.next() } {
        match child {
            rowan::NodeOrToken::Node(inner) => {
                let (inner_bytes, only) = trivia(inner, from_end);
                bytes += inner_bytes;
                if !only {
                    return (bytes, false);
                }
            }
            rowan::NodeOrToken::Token(token) => {
                if !<Vembra as rowan::Language>::kind_from_raw(token.kind()).is_trivia() {
                    return (bytes, false);
                }
                bytes += usize::from(token.text_len());
            }
        }
    }
    (bytes, true)
}

fn child<V: View>(node: &SyntaxNode) -> Option<V> {
    node.children().find_map(V::cast)
}

fn children<V: View>(node: &SyntaxNode) -> Vec<V> {
    node.children().filter_map(V::cast).collect()
}

fn tokens(node: &SyntaxNode) -> impl Iterator<Item = SyntaxToken> {
    node.children_with_tokens().filter_map(rowan::NodeOrToken::into_token).filter(|t| !t.kind().is_trivia())
}

fn words(node: &SyntaxNode) -> Vec<String> {
    tokens(node).filter(|t| t.kind() == SyntaxKind::Word).map(|t| t.text().to_ascii_lowercase()).collect()
}

fn has_word(node: &SyntaxNode, word: &str) -> bool {
    words(node).iter().any(|w| w == word)
}

/// The texts in quotes directly in a node, without their quotes.
fn texts(node: &SyntaxNode) -> Vec<String> {
    tokens(node).filter(|t| t.kind() == SyntaxKind::Text).map(|t| unquote(t.text(), '\'')).collect()
}

/// The numbers directly in a node, as they are written.
fn numbers(node: &SyntaxNode) -> Vec<String> {
    tokens(node).filter(|t| t.kind() == SyntaxKind::Number).map(|t| t.text().to_owned()).collect()
}

fn unquote(text: &str, quote: char) -> String {
    let inner = text.strip_prefix(quote).unwrap_or(text);
    let inner = inner.strip_suffix(quote).unwrap_or(inner);
    inner.replace(&format!("{quote}{quote}"), &quote.to_string())
}

/// The name that stands in double quotes: `\n` is a line break, as spreadsheets have them in headings, `\\` a backslash.
fn unquote_name(text: &str) -> String {
    let inner = unquote(text, '"');
    let mut name = String::with_capacity(inner.len());
    let mut chars = inner.chars().peekable();
    while let Some(c) = chars.next() {
        let meant = match (c, chars.peek()) {
            ('\\', Some('n')) => '\n',
            ('\\', Some('r')) => '\r',
            ('\\', Some('t')) => '\t',
            ('\\', Some('\\')) => '\\',
            _ => {
                name.push(c);
                continue;
            }
        };
        chars.next();
        name.push(meant);
    }
    name
}

macro_rules! views {
    ($($(#[$doc:meta])* $name:ident { $($body:tt)* })*) => {
        $(
            $(#[$doc])*
            #[derive(Clone, Debug, PartialEq, Eq, Hash)]
            pub struct $name(SyntaxNode);

            impl View for $name {
                fn cast(node: SyntaxNode) -> Option<Self> {
                    (node.kind() == SyntaxKind::$name).then_some(Self(node))
                }
                fn node(&self) -> &SyntaxNode {
                    &self.0
                }
            }

            impl $name { $($body)* }
        )*
    };
}

/// The queries directly in a node.
fn queries(node: &SyntaxNode) -> Vec<SyntaxNode> {
    node.children().filter(|c| matches!(c.kind(), SyntaxKind::Query | SyntaxKind::ListQuery)).collect()
}

// Behind the macro that they use.
mod declarations;
mod expressions;
mod queries;
mod reports;

pub use declarations::*;
pub use expressions::*;
pub use queries::*;
pub use reports::*;
