//! A question with one clause more.

use crate::drill::where_edit;
use vembra_syntax::ast::place_of;
use vembra_syntax::{SourceId, SyntaxKind, parse_query};

/// A question with a clause put into it: a condition is joined to those that it has, any other clause goes in the place of its own
/// kind, or behind the last one.
///
/// # Errors
/// In words, when the text is no clause.
///
/// # Examples
/// ```
/// use vembra_editor::with_clause;
/// let asked = "show revenue where shop = 'a' sort revenue";
/// assert_eq!(with_clause(asked, "where n > 1")?, "show revenue where shop = 'a' and n > 1 sort revenue");
/// assert_eq!(with_clause(asked, "sort revenue descending")?, "show revenue where shop = 'a' sort revenue descending");
/// assert_eq!(with_clause(asked, "rows shop")?, "show revenue where shop = 'a' sort revenue rows shop");
/// # Ok::<(), String>(())
/// ```
pub fn with_clause(question: &str, clause: &str) -> Result<String, String> {
    let question = question.trim_end();
    let clause = clause.trim();
    let root = parse_query(SourceId(0), clause).root;
    let mut clauses = root.children().filter(|n| n.kind() != SyntaxKind::Error);
    let (Some(new), None) = (clauses.next(), clauses.next()) else {
        return Err("one clause can be put in at a time: where, rows, columns, show, via, having, top, sort, keep empty, totals, given or limit".to_owned());
    };
    let asked = parse_query(SourceId(0), question).root;
    if new.kind() == SyntaxKind::WhereClause {
        let condition = clause.get("where".len()..).unwrap_or_default().trim();
        let (start, end, text) = where_edit(&asked, question, condition);
        let mut refined = question.to_owned();
        refined.replace_range(start..end, &text);
        return Ok(refined);
    }
    let old = asked.children().find(|n| n.kind() == new.kind()).map(|n| place_of(&n, SourceId(0)));
    let mut refined = question.to_owned();
    match old {
        Some(place) => refined.replace_range(place.start..place.end, clause),
        None => refined.push_str(&format!(" {clause}")),
    }
    Ok(refined)
}
