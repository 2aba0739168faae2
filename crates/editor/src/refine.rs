//! A query with one clause more.

use vembra_syntax::ast::{self, View, place_of};
use vembra_syntax::{SourceId, SyntaxKind, SyntaxNode, parse_query};

/// A query with a clause put into it: a condition is joined to those that it has, what is shown stands beside what was shown, any
/// other clause goes in the place of its own kind, or behind the last one. Comments are left out.
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
/// assert_eq!(with_clause(asked, "show n")?, "show revenue, n where shop = 'a' sort revenue");
/// assert_eq!(with_clause(asked, "rows shop")?, "show revenue where shop = 'a' sort revenue rows shop");
/// # Ok::<(), String>(())
/// ```
pub fn with_clause(query: &str, clause: &str) -> Result<String, String> {
    // What is put behind a comment would be part of it.
    let (query, clause) = (without_comments(query), without_comments(clause));
    let (query, clause) = (query.trim_end(), clause.trim());
    let root = parse_query(SourceId(0), clause).root;
    let mut clauses = root.children().filter(|n| n.kind() != SyntaxKind::Error);
    let (Some(new), None) = (clauses.next(), clauses.next()) else {
        return Err("one clause can be put in at a time: where, rows, columns, show, via, having, top, sort, keep empty, totals, given or limit".to_owned());
    };
    let asked = parse_query(SourceId(0), query).root;
    if new.kind() == SyntaxKind::WhereClause {
        let condition = clause.get("where".len()..).unwrap_or_default().trim();
        let condition = if has_or(&new) { format!("({condition})") } else { condition.to_owned() };
        let (start, end, text) = where_edit(&asked, query, &condition);
        let mut refined = query.to_owned();
        refined.replace_range(start..end, &text);
        return Ok(refined);
    }
    let old = asked.children().find(|n| n.kind() == new.kind()).map(|n| place_of(&n, SourceId(0)));
    let mut refined = query.to_owned();
    match old {
        Some(span) if new.kind() == SyntaxKind::ShowClause => {
            let further = clause.get("show".len()..).unwrap_or_default().trim();
            refined.insert_str(span.end, &format!(", {further}"));
        }
        Some(span) => refined.replace_range(span.start..span.end, clause),
        None => refined.push_str(&format!(" {clause}")),
    }
    Ok(refined)
}

/// The conditions behind those that there are.
pub(crate) fn where_edit(root: &SyntaxNode, query: &str, condition: &str) -> (usize, usize, String) {
    let own = root.children().find_map(ast::WhereClause::cast).and_then(|w| w.condition());
    match own {
        Some(own) => {
            let span = own.span(SourceId(0));
            let text = own.text();
            let text = if has_or(own.node()) { format!("({text})") } else { text };
            (span.start, span.end, format!("{text} and {condition}"))
        }
        None => (query.len(), query.len(), format!(" where {condition}")),
    }
}

/// A query without its comments, which would swallow what is put behind them on their line.
pub(crate) fn without_comments(text: &str) -> String {
    let tokens = parse_query(SourceId(0), text).root.descendants_with_tokens();
    let kept = tokens.filter_map(|t| t.as_token().cloned()).filter(|t| t.kind() != SyntaxKind::Comment);
    kept.map(|t| t.text().to_owned()).collect()
}

/// Whether some of its conditions are joined with `or`, so that brackets keep them together.
pub(crate) fn has_or(node: &SyntaxNode) -> bool {
    let tokens = node.descendants_with_tokens();
    tokens.filter_map(|t| t.as_token().cloned()).any(|t| t.text().eq_ignore_ascii_case("or"))
}

#[cfg(test)]
mod tests {
    use super::with_clause;

    #[test]
    fn what_is_put_in_is_neither_swallowed_nor_torn_apart() {
        let cases = [
            (
                "show n where a = 1 or b = 2",
                "where c = 3 or d = 4",
                "show n where (a = 1 or b = 2) and (c = 3 or d = 4)",
            ),
            ("show n -- a remark", "sort n", "show n sort n"),
            ("show n -- a remark", "where a = 1 -- because", "show n where a = 1"),
            ("show n where t = 'or -- x'", "where a = 1", "show n where t = 'or -- x' and a = 1"),
            ("rows a show n sort n", "show m, k as l", "rows a show n, m, k as l sort n"),
        ];
        for (query, clause, wanted) in cases {
            assert_eq!(with_clause(query, clause).as_deref(), Ok(wanted), "{query} and {clause}");
        }
        assert!(with_clause("show n", "where a = 1 sort n").is_err());
    }
}
