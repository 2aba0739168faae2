//! Views of queries: their clauses, and the items of these.

use super::{Expr, Literal, Name, NameRef, ParamRef, View, child, children, has_word, texts, tokens};
use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken};

views! {
    /// `having …`.
    HavingClause {
        /// The condition.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `top …`.
    TopClause {
        /// How many.
        pub fn count(&self) -> Option<SyntaxToken> { tokens(&self.0).find(|t| t.kind() == SyntaxKind::Number) }
        /// A parameter that says how many.
        pub fn count_param(&self) -> Option<ParamRef> {
            child::<ParamRef>(&self.0).filter(|_| self.count().is_none())
        }
        /// Whose members are chosen.
        pub fn axis(&self) -> Option<Expr> {
            let skip = usize::from(self.count_param().is_some());
            children::<Expr>(&self.0).into_iter().nth(skip)
        }
        /// By which figure.
        pub fn by(&self) -> Option<Expr> { child::<TopBy>(&self.0).and_then(|b| child(&b.0)) }
        /// The smallest ones.
        pub fn is_ascending(&self) -> bool {
            child::<TopBy>(&self.0).is_some_and(|b| has_word(&b.0, "ascending"))
        }
        /// Again for every combination of these.
        pub fn within(&self) -> Vec<Expr> { child::<TopWithin>(&self.0).map(|w| children(&w.0)).unwrap_or_default() }
        /// Whether equal ones stay.
        pub fn keeps_ties(&self) -> bool { child::<TopTies>(&self.0).is_some() }
        /// The name of the rest.
        pub fn rest(&self) -> Option<String> { child::<TopRest>(&self.0).and_then(|r| texts(&r.0).pop()) }
    }

    /// `by …` of a choice.
    TopBy {}

    /// `within …` of a choice.
    TopWithin {}

    /// `with ties` of a choice.
    TopTies {}

    /// `rest as …` of a choice.
    TopRest {}

    /// `name = …`.
    GivenItem {
        /// The parameter.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// Its value.
        pub fn value(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `open …` of an axis.
    OpenProp {
        /// The members.
        pub fn members(&self) -> Vec<Literal> { children(&self.0) }
    }

    /// `where …`.
    WhereClause {
        /// The condition.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `via …`.
    ViaClause {
        /// The roles.
        pub fn roles(&self) -> Vec<Name> { children(&self.0) }
    }

    /// A model file.
    File {
        /// The declarations.
        pub fn declarations(&self) -> Vec<SyntaxNode> { self.0.children().collect() }
    }

    /// A query that summarises.
    Query {}

    /// A query for single rows.
    ListQuery {
        /// The table.
        pub fn table(&self) -> Option<Name> {
            self.0.children().find(|c| c.kind() == SyntaxKind::FromClause).and_then(|c| child(&c))
        }
        /// How many rows at most.
        pub fn limit(&self) -> Option<SyntaxToken> {
            let clause = self.0.children().find(|c| c.kind() == SyntaxKind::LimitClause)?;
            tokens(&clause).find(|t| t.kind() == SyntaxKind::Number)
        }
    }

    /// `x as y`.
    Item {
        /// The expression.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
        /// The name.
        pub fn alias(&self) -> Option<Name> { child::<Alias>(&self.0).and_then(|a| child(&a.0)) }
        /// The members that are opened.
        pub fn open(&self) -> Option<OpenProp> { child(&self.0) }
    }

    /// `each also …`.
    EachAlso {
        /// What is applied to each figure: a name, or a name with its further arguments.
        pub fn treatments(&self) -> Vec<Expr> { children(&self.0) }
    }

    /// `each across calendar.year 2025 against 2024 with difference`.
    EachAcross {
        /// The attribute.
        pub fn attribute(&self) -> Option<NameRef> { child(&self.0) }
        /// The members, alone or against another.
        pub fn items(&self) -> Vec<AcrossItem> { children(&self.0) }
        /// How members are compared, as written; none if that is not said.
        pub fn comparisons(&self) -> Option<Vec<Name>> { child::<AcrossWith>(&self.0).map(|w| children(&w.0)) }
    }

    /// `2025`, `2025 against 2024`.
    AcrossItem {
        /// The member, and the one that it is compared with.
        pub fn members(&self) -> Vec<Expr> { children(&self.0) }
    }

    /// `with difference, ratio`.
    AcrossWith {}

    /// `as y`.
    Alias {}

    /// `x descending`.
    SortItem {
        /// The expression.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
        /// Largest first.
        pub fn is_descending(&self) -> bool { has_word(&self.0, "descending") }
    }

    /// `on rows first`.
    TotalsItem {
        /// Whether it is about columns.
        pub fn is_columns(&self) -> bool { has_word(&self.0, "columns") }
        /// Before the lines.
        pub fn is_first(&self) -> bool { has_word(&self.0, "first") }
    }
}

/// The items of a clause of a query, such as [`SyntaxKind::RowsClause`].
pub fn clause_items<V: View>(query: &SyntaxNode, kind: SyntaxKind) -> Vec<V> {
    query.children().filter(|c| c.kind() == kind).flat_map(|c| children::<V>(&c)).collect()
}

/// The first clause of a kind in a query.
pub fn query_clause<V: View>(query: &SyntaxNode) -> Option<V> {
    child(query)
}
