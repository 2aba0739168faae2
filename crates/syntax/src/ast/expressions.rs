//! Views of names, expressions, and the clauses that follow these.

use super::{ViaClause, View, WhereClause, child, children, has_word, texts, tokens, unquote_name, words};
use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken};

views! {
    /// One name.
    Name {
        /// The name without quotes.
        pub fn name(&self) -> String {
            tokens(&self.0).next().map_or_else(String::new, |t| match t.kind() {
                SyntaxKind::QuotedName => unquote_name(t.text()),
                _ => t.text().to_owned(),
            })
        }
    }

    /// `name` or `qualifier.name`.
    NameRef {
        /// What stands before the dot.
        pub fn qualifier(&self) -> Option<Name> {
            let mut names = children::<Name>(&self.0);
            (names.len() == 2).then(|| names.swap_remove(0))
        }
        /// What stands after the dot, or alone.
        pub fn name(&self) -> Option<Name> {
            children::<Name>(&self.0).pop()
        }
    }

    /// A type by name.
    TypeName {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// `(18, 4)`: how many digits a decimal has at most, and how many of them behind the point.
        pub fn digits(&self) -> Vec<String> {
            tokens(&self.0).filter(|t| t.kind() == SyntaxKind::Number).map(|t| t.text().to_owned()).collect()
        }
    }

    /// `among …` in a call.
    Among {
        /// What lines may differ in.
        pub fn forgotten(&self) -> Option<Forgotten> { child(&self.0) }
    }

    /// `by …` in a call.
    CallBy {
        /// The axis or figure.
        pub fn key(&self) -> Option<Expr> { child(&self.0) }
        /// Largest first.
        pub fn is_descending(&self) -> bool { has_word(&self.0, "descending") }
    }

    /// What a clause forgets.
    Forgotten {
        /// The names.
        pub fn names(&self) -> Vec<NameRef> { children(&self.0) }
        /// `all`, also before `but`.
        pub fn is_all(&self) -> bool { has_word(&self.0, "all") }
        /// `all but …`.
        pub fn is_but(&self) -> bool { has_word(&self.0, "but") }
    }

    /// A number, text, `true`, `false` or `null`.
    Literal {
        /// The token.
        pub fn token(&self) -> Option<SyntaxToken> { tokens(&self.0).next() }
        /// The text without its quotes, if it is a text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `date '…'`.
    TypedLiteral {
        /// The type.
        pub fn word(&self) -> String { words(&self.0).pop().unwrap_or_default() }
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `:name`.
    ParamRef {
        /// The name.
        pub fn name(&self) -> String {
            tokens(&self.0).next().map(|t| t.text().trim_start_matches(':').to_owned()).unwrap_or_default()
        }
    }

    /// `f(a, b)`.
    Call {
        /// The function.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The arguments.
        pub fn args(&self) -> Vec<Expr> { children(&self.0) }
        /// `among …`.
        pub fn among(&self) -> Option<Among> { child(&self.0) }
        /// `by …`.
        pub fn by(&self) -> Option<CallBy> { child(&self.0) }
    }

    /// `sum(x where …)`.
    Aggregate {
        /// The function.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// Whether `distinct` stands in it.
        pub fn is_distinct(&self) -> bool { has_word(&self.0, "distinct") }
        /// The value.
        pub fn value(&self) -> Option<Expr> {
            // The parameter stands behind a comma.
            let before = self.0.children_with_tokens().take_while(|c| c.as_token().is_none_or(|t| t.text() != ","));
            before.filter_map(rowan::NodeOrToken::into_node).find_map(Expr::cast)
        }
        /// What stands behind the comma.
        pub fn parameter(&self) -> Option<Expr> {
            let behind = self.0.children_with_tokens().skip_while(|c| c.as_token().is_none_or(|t| t.text() != ","));
            behind.filter_map(rowan::NodeOrToken::into_node).find_map(Expr::cast)
        }
        /// `rows of …`.
        pub fn rows_of(&self) -> Option<RowsOf> { child(&self.0) }
        /// `by …`.
        pub fn by(&self) -> Option<AggregateBy> { child(&self.0) }
        /// `from …`.
        pub fn from(&self) -> Option<Name> { child::<AggregateFrom>(&self.0).and_then(|f| child(&f.0)) }
        /// `where …`.
        pub fn condition(&self) -> Option<Expr> { child::<AggregateWhere>(&self.0).and_then(|w| child(&w.0)) }
    }

    /// `by …` in an aggregate.
    AggregateBy {
        /// The key.
        pub fn key(&self) -> Option<Expr> { child(&self.0) }
        /// Largest first.
        pub fn is_descending(&self) -> bool { has_word(&self.0, "descending") }
    }

    /// `from …` in an aggregate.
    AggregateFrom {}

    /// `where …` in an aggregate.
    AggregateWhere {}

    /// `rows of …` in a count.
    RowsOf {
        /// The table.
        pub fn table(&self) -> Option<Name> { child(&self.0) }
    }

    /// `a + b`.
    Binary {
        /// The operator, in lower case.
        pub fn operator(&self) -> String {
            tokens(&self.0).next().map(|t| t.text().to_ascii_lowercase()).unwrap_or_default()
        }
        /// The operator's token.
        pub fn operator_token(&self) -> Option<SyntaxToken> { tokens(&self.0).next() }
        /// The operands.
        pub fn operands(&self) -> Vec<Expr> { children(&self.0) }
    }

    /// `- a`, `not a`.
    Unary {
        /// The operator, in lower case.
        pub fn operator(&self) -> String {
            tokens(&self.0).next().map(|t| t.text().to_ascii_lowercase()).unwrap_or_default()
        }
        /// The operand.
        pub fn operand(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `( a )`.
    Paren {
        /// What stands inside.
        pub fn inner(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `case … end`.
    Case {
        /// The branches.
        pub fn branches(&self) -> Vec<CaseWhen> { children(&self.0) }
        /// The value otherwise.
        pub fn otherwise(&self) -> Option<Expr> { child::<CaseElse>(&self.0).and_then(|e| child(&e.0)) }
    }

    /// `when … then …`.
    CaseWhen {
        /// Condition and value.
        pub fn parts(&self) -> Vec<Expr> { children(&self.0) }
    }

    /// `else …`.
    CaseElse {}

    /// `a in (…)`.
    InList {
        /// The value, then the choices.
        pub fn operands(&self) -> Vec<Expr> { children(&self.0) }
        /// Whether `not` stands before.
        pub fn is_negated(&self) -> bool { has_word(&self.0, "not") }
    }

    /// `a like b`.
    Like {
        /// Value and pattern.
        pub fn operands(&self) -> Vec<Expr> { children(&self.0) }
        /// Whether `not` stands before.
        pub fn is_negated(&self) -> bool { has_word(&self.0, "not") }
    }

    /// `a is null`.
    IsNull {
        /// The value.
        pub fn operand(&self) -> Option<Expr> { child(&self.0) }
        /// `is not null`.
        pub fn is_negated(&self) -> bool { has_word(&self.0, "not") }
    }

    /// `a between b and c`.
    Between {
        /// Value, lower and upper bound.
        pub fn operands(&self) -> Vec<Expr> { children(&self.0) }
        /// Whether `not` stands before.
        pub fn is_negated(&self) -> bool { has_word(&self.0, "not") }
        /// Whether the upper bound is left out.
        pub fn is_before(&self) -> bool { has_word(&self.0, "before") }
    }

    /// `cast(a as type)`.
    Cast {
        /// The value.
        pub fn operand(&self) -> Option<Expr> { child(&self.0) }
        /// The type.
        pub fn ty(&self) -> Option<TypeName> { child(&self.0) }
    }

    /// `extract(unit from a)`.
    Extract {
        /// The unit.
        pub fn unit(&self) -> Option<Name> { child(&self.0) }
        /// The value.
        pub fn operand(&self) -> Option<Expr> { child(&self.0) }
    }

    /// An expression with clauses after it.
    Claused {
        /// The expression.
        pub fn inner(&self) -> Option<Expr> { child(&self.0) }
        /// The clauses.
        pub fn clauses(&self) -> Vec<Clause> { self.0.children().filter_map(Clause::cast).collect() }
    }
}

views! {
    /// `pooling …`.
    PoolingClause {
        /// What it forgets.
        pub fn forgotten(&self) -> Option<Forgotten> { child(&self.0) }
    }
    /// `regardless of …`.
    RegardlessClause {
        /// What it forgets.
        pub fn forgotten(&self) -> Option<Forgotten> { child(&self.0) }
    }
    /// `during …`.
    DuringClause {
        /// Its words after the first, in lower case.
        pub fn words(&self) -> Vec<String> { words(&self.0).into_iter().skip(1).collect() }
        /// Its number.
        pub fn count(&self) -> Option<SyntaxToken> { tokens(&self.0).find(|t| t.kind() == SyntaxKind::Number) }
        /// The name that stands for its number.
        pub fn counted(&self) -> Option<Name> { child(&self.0) }
    }
    /// `per …`.
    PerClause {
        /// The keys, or tables that stand for theirs.
        pub fn keys(&self) -> Vec<NameRef> { children(&self.0) }
        /// `per cell`.
        pub fn is_cell(&self) -> bool { has_word(&self.0, "cell") }
    }
    /// `overall`.
    OverallClause {}
}

macro_rules! sum_of_views {
    ($(#[$doc:meta])* $name:ident: $($variant:ident)*) => {
        $(#[$doc])*
        #[derive(Clone, Debug, PartialEq, Eq, Hash)]
        #[allow(missing_docs)] // Each variant is the view of its name.
        pub enum $name {
            $($variant($variant),)*
        }

        impl View for $name {
            fn cast(node: SyntaxNode) -> Option<Self> {
                match node.kind() {
                    $(SyntaxKind::$variant => $variant::cast(node).map(Self::$variant),)*
                    _ => None,
                }
            }
            fn node(&self) -> &SyntaxNode {
                match self {
                    $(Self::$variant(view) => view.node(),)*
                }
            }
        }
    };
}

sum_of_views! {
    /// An expression.
    Expr: NameRef Literal TypedLiteral ParamRef Call Aggregate Binary Unary Paren Case InList Like IsNull Between
        Cast Extract Claused
}

sum_of_views! {
    /// A clause after an expression.
    Clause: WhereClause ViaClause PoolingClause RegardlessClause DuringClause PerClause OverallClause
}
