//! Which argument of a call comes next.

use crate::functions::{Signature, word_of};
use crate::probe::{TextKind, declaration_start};
use std::ops::Range;
use vembra_model::{Model, Treatment};
use vembra_syntax::{SyntaxKind, SyntaxToken};

/// The call in which a place lies.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The whole call with its arguments.
    pub label: String,
    /// The range of each argument in the label.
    pub arguments: Vec<Range<usize>>,
    /// The argument at the place; none behind the last one.
    pub active: Option<usize>,
    /// What the function gives.
    pub about: String,
}

/// The innermost call in which a place lies.
///
/// # Examples
/// ```
/// use vembra_editor::{TextKind, hint};
/// let (model, _) = vembra_model::resolve(&vembra_model::Declarations::default(), &[]);
/// let hint = hint(&model, TextKind::Query, "show percentile(net, ", 21).unwrap();
/// assert_eq!(hint.label, "percentile(value, part from TABLE where CONDITION)");
/// assert_eq!(hint.active, Some(1));
/// ```
pub fn hint(model: &Model, kind: TextKind, text: &str, at: usize) -> Option<Hint> {
    let before = text.get(..at)?;
    let start = if kind == TextKind::Model { declaration_start(before) } else { 0 };
    let root = kind.parse(&before[start..]).root;
    let tokens: Vec<SyntaxToken> = root
        .descendants_with_tokens()
        .filter_map(rowan::NodeOrToken::into_token)
        .filter(|t| !t.kind().is_trivia())
        .collect();
    let (mut depth, mut commas, mut words) = (0, 0, Vec::new());
    for (index, token) in tokens.iter().enumerate().rev() {
        match token.text() {
            ")" => depth += 1,
            "(" if depth > 0 => depth -= 1,
            "(" => {
                let name = index.checked_sub(1).and_then(|i| tokens.get(i));
                let called = name.filter(|n| n.kind() == SyntaxKind::Word);
                if let Some(treatment) = called.and_then(|n| model.find_treatment(n.text())) {
                    return Some(treatment_hint(treatment, commas, index, &tokens));
                }
                // Other brackets belong to the call around them.
                match called.and_then(|n| Signature::of(n.text())) {
                    Some(signature) => return Some(hint_of(signature, commas, &words)),
                    None => (commas, words) = (0, Vec::new()),
                }
            }
            "," if depth == 0 => commas += 1,
            word if depth == 0 && token.kind() == SyntaxKind::Word => words.push(word.to_lowercase()),
            _ => {}
        }
    }
    None
}

fn hint_of(signature: &Signature, commas: usize, words: &[String]) -> Hint {
    let (label, arguments) = signature.label();
    let by_word = signature
        .arguments
        .iter()
        .position(|a| word_of(a).is_some_and(|word| words.iter().any(|w| w == word)));
    let behind = words.iter().any(|w| !signature.rest.is_empty() && (w == "where" || w == "from"));
    let last = signature.arguments.len() - 1;
    let many = signature.arguments[last].ends_with('…');
    let by_comma = if many { commas.min(last) } else { commas };
    let active = by_word.or((by_comma <= last && !behind).then_some(by_comma));
    Hint { label, arguments, active, about: signature.about.to_owned() }
}

/// The arguments of a measure with arguments; behind `each also` the first one is the figure that is shown.
fn treatment_hint(treatment: &Treatment, commas: usize, bracket: usize, tokens: &[SyntaxToken]) -> Hint {
    let label = treatment.signature();
    let mut from = treatment.name.len() + 1;
    let arguments: Vec<Range<usize>> = treatment
        .arguments
        .iter()
        .map(|argument| {
            let range = from..from + argument.written().len();
            from = range.end + ", ".len();
            range
        })
        .collect();
    let is_also = bracket >= 2 && {
        let call = tokens[bracket].parent();
        call.and_then(|c| c.parent()).is_some_and(|p| p.kind() == SyntaxKind::EachAlso)
    };
    let active = Some(commas + usize::from(is_also)).filter(|at| *at < arguments.len());
    let about = treatment.about.clone().or_else(|| treatment.label.clone()).unwrap_or_default();
    Hint { label, arguments, active, about }
}
