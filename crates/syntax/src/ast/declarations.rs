//! Views of declarations: tables, links, columns, measures, parameters, viewers, derived tables, assertions, and what a
//! model accepts.

use super::{
    Expr, Literal, Name, NameRef, TypeName, View, child, children, has_word, queries, texts, tokens, unquote,
};
use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken};

views! {
    /// `time zone 'Europe/Berlin'`.
    TimeZoneDecl {
        /// Its name.
        pub fn zone(&self) -> Option<String> { texts(&self.0).into_iter().next() }
    }

    /// `locale 'de-DE'`.
    LocaleDecl {
        /// The tag.
        pub fn tag(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `currency 'EUR'`.
    CurrencyDecl {
        /// The code.
        pub fn code(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `cached in 'cache'`, `not cached`.
    CachedDecl {
        /// The folder; none for nowhere.
        pub fn folder(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `database shop from env 'SHOP_URL'`, `server shop from env 'SHOP_URL'`.
    DatabaseDecl {
        /// Whether queries are answered there.
        pub fn is_server(&self) -> bool { has_word(&self.0, "server") }
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The variable of the environment that says where it is.
        pub fn variable(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// The database behind `from`.
    FromDatabase {
        /// The name.
        pub fn name_text(&self) -> String { child::<Name>(&self.0).map(|name| name.name()).unwrap_or_default() }
    }

    /// `calendar …`.
    CalendarDecl {
        /// The first and last day of a range.
        pub fn range(&self) -> Option<(String, String)> {
            let mut texts = texts(&self.0).into_iter();
            Some((texts.next()?, texts.next()?))
        }
        /// The file that it comes from, and the column with its days.
        pub fn file(&self) -> Option<(String, Name)> {
            let key = child::<KeyProp>(&self.0).and_then(|k| k.columns().into_iter().next())?;
            Some((texts(&self.0).into_iter().next()?, key))
        }
        /// The columns that it covers.
        pub fn covering(&self) -> Vec<NameRef> { children(&self.0) }
        /// The fiscal year.
        pub fn fiscal_year(&self) -> Option<FiscalYear> { child(&self.0) }
        /// Which days are working days.
        pub fn working(&self) -> Option<Expr> { child::<Working>(&self.0).and_then(|w| child(&w.0)) }
    }

    /// `working where …` of a calendar.
    Working {}

    /// `fiscal year starts october`.
    FiscalYear {
        /// The month.
        pub fn month(&self) -> Option<Name> { child(&self.0) }
    }

    /// `dimension …`.
    DimensionDecl {}

    /// `fact …`.
    FactDecl {}

    /// `key …`.
    KeyProp {
        /// The columns.
        pub fn columns(&self) -> Vec<Name> { children(&self.0) }
    }

    /// `separated by …`.
    SeparatorProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `missing 'NA'`.
    MissingProp {
        /// The texts.
        pub fn texts(&self) -> Vec<String> {
            texts(&self.0)
        }
    }

    /// `encoding 'windows-1252'`.
    EncodingProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `sheet 'Orders'`.
    SheetProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `table 'orders'`.
    StoredProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `numbers like '1.234,56'`.
    NumbersProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `dates like '31.12.2024'`.
    DatesProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `booleans like 'yes', 'no'`.
    BooleansProp {
        /// What is written for true, and for false.
        pub fn texts(&self) -> Option<(String, String)> {
            let mut texts = texts(&self.0).into_iter();
            Some((texts.next()?, texts.next()?))
        }
    }

    /// `link …` or `bridge …`.
    LinkDecl {
        /// Whether it is a bridge.
        pub fn is_bridge(&self) -> bool { has_word(&self.0, "bridge") }
        /// The columns that it starts from.
        pub fn from(&self) -> Vec<NameRef> { child::<LinkFrom>(&self.0).map(|f| children(&f.0)).unwrap_or_default() }
        /// The table that it reaches.
        pub fn to(&self) -> Option<Name> { child::<LinkTo>(&self.0).and_then(|t| child(&t.0)) }
        /// The coarser attributes that it reaches.
        pub fn by(&self) -> Vec<Name> { child::<LinkBy>(&self.0).map(|b| children(&b.0)).unwrap_or_default() }
        /// The column from whose day on a row is met.
        pub fn as_of(&self) -> Option<Name> { child::<LinkAsOf>(&self.0).and_then(|a| child(&a.0)) }
        /// The column before whose day it is.
        pub fn until(&self) -> Option<Name> { child::<LinkUntil>(&self.0).and_then(|u| child(&u.0)) }
        /// The role.
        pub fn role(&self) -> Option<Name> { child::<LinkRole>(&self.0).and_then(|r| child(&r.0)) }
        /// Whether it is the default.
        pub fn is_default(&self) -> bool { has_word(&self.0, "default") }
    }

    /// The columns that a link starts from.
    LinkFrom {}

    /// The table that a link reaches.
    LinkTo {}

    /// `by …` of a link.
    LinkBy {}

    /// `as of …` of a link.
    LinkAsOf {}

    /// `until …` of a link.
    LinkUntil {}

    /// `as …` of a link.
    LinkRole {}

    /// `hierarchy …`.
    HierarchyDecl {
        /// Table and name.
        pub fn target(&self) -> Option<NameRef> { child(&self.0) }
        /// The attributes, the coarsest first.
        pub fn levels(&self) -> Vec<Name> { children(&self.0) }
    }

    /// `column …`.
    ColumnDecl {
        /// Table and name.
        pub fn target(&self) -> Option<NameRef> { child(&self.0) }
        /// The type.
        pub fn ty(&self) -> Option<TypeName> { child(&self.0) }
        /// The formula.
        pub fn formula(&self) -> Option<Expr> {
            let mut rest = self.0.children_with_tokens().skip_while(|c| {
                c.as_token().is_none_or(|t| t.text() != "=")
            });
            rest.find_map(|c| c.into_node().and_then(Expr::cast))
        }
    }

    /// `measure …`.
    MeasureDecl {
        /// The arguments of one that is applied to others; none if it has no brackets.
        pub fn arguments(&self) -> Option<Vec<Argument>> { child::<Arguments>(&self.0).map(|a| children(&a.0)) }
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The formula.
        pub fn formula(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `(m, a: attribute)` of a measure.
    Arguments {}

    /// `m`, `a: attribute`.
    Argument {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// What it stands for, if that is said: `attribute`, `role` or a type.
        pub fn kind(&self) -> Option<Name> { child::<TypeName>(&self.0).and_then(|t| t.name()) }
    }

    /// `include …`.
    IncludeDecl {
        /// The file.
        pub fn file(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `accept …`.
    AcceptDecl {
        /// The code of what is accepted.
        pub fn code(&self) -> Option<Code> { child(&self.0) }
        /// Where: a table, or a column of one.
        pub fn target(&self) -> Option<NameRef> { child(&self.0) }
        /// Why.
        pub fn reason(&self) -> Option<String> { child::<Reason>(&self.0).and_then(|r| texts(&r.0).pop()) }
    }

    /// `because …`.
    Reason {}

    /// `treat …`.
    TreatDecl {
        /// The code of what is treated otherwise.
        pub fn code(&self) -> Option<Code> { child(&self.0) }
        /// How much it matters.
        pub fn severity(&self) -> Option<Name> { child(&self.0) }
    }

    /// A code of a message.
    Code {
        /// The code in capitals.
        pub fn code(&self) -> String {
            tokens(&self.0).next().map(|t| t.text().to_ascii_uppercase()).unwrap_or_default()
        }
    }

    /// `label '…'`.
    LabelProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `format '…'`.
    FormatProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `about '…'`.
    AboutProp {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }

    /// `order '…', '…'`.
    OrderProp {
        /// The members, where they are listed.
        pub fn members(&self) -> Vec<Expr> { if self.by().is_some() { Vec::new() } else { children(&self.0) } }
        /// The column whose values say the order.
        pub fn by(&self) -> Option<NameRef> { if has_word(&self.0, "by") { child(&self.0) } else { None } }
    }

    /// `labels true '…', false '…'`.
    LabelsProp {
        /// The values.
        pub fn values(&self) -> Vec<Expr> { children(&self.0) }
        /// The texts shown for them, in the same order.
        pub fn shown(&self) -> Vec<String> { texts(&self.0) }
    }

    /// `subtotal = …`.
    SubtotalProp {
        /// The formula.
        pub fn formula(&self) -> Option<Expr> { child(&self.0) }
        /// Its format.
        pub fn format(&self) -> Option<String> { child::<FormatProp>(&self.0).and_then(|f| f.text_value()) }
    }

    /// `total = …`.
    TotalProp {
        /// The formula.
        pub fn formula(&self) -> Option<Expr> { child(&self.0) }
        /// Its format.
        pub fn format(&self) -> Option<String> { child::<FormatProp>(&self.0).and_then(|f| f.text_value()) }
    }

    /// `param …`.
    ParamDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The type of its values.
        pub fn ty(&self) -> Option<TypeName> { child(&self.0) }
        /// The attributes that it may stand for.
        pub fn choices(&self) -> Vec<NameRef> { child::<OneOf>(&self.0).map(|o| children(&o.0)).unwrap_or_default() }
        /// Its value if none is given.
        pub fn default(&self) -> Option<Expr> { child::<ParamDefault>(&self.0).and_then(|d| child(&d.0)) }
    }

    /// `one of …` of a parameter.
    OneOf {}

    /// `default …` of a parameter.
    ParamDefault {}

    /// `viewer …`.
    ViewerDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// What the viewer sees.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `derived …`.
    DerivedDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The columns of its key.
        pub fn key(&self) -> Vec<Name> { child::<KeyProp>(&self.0).map(|k| k.columns()).unwrap_or_default() }
        /// The query that it is made from.
        pub fn query(&self) -> Option<SyntaxNode> { queries(&self.0).into_iter().next() }
    }

    /// `assert …`.
    AssertDecl {
        /// What is asserted.
        pub fn title(&self) -> Option<String> { texts(&self.0).into_iter().next() }
        /// Who looks.
        pub fn seen_by(&self) -> Option<Name> { child::<SeenBy>(&self.0).and_then(|s| child(&s.0)) }
        /// The keys of its cells.
        pub fn keys(&self) -> Vec<NameRef> {
            child::<AssertPer>(&self.0).map(|e| children(&e.0)).unwrap_or_default()
        }
        /// The condition.
        pub fn holds(&self) -> Option<AssertHolds> { child(&self.0) }
        /// The two queries that must have one answer.
        pub fn matches(&self) -> Option<(SyntaxNode, SyntaxNode)> {
            let node = child::<AssertMatches>(&self.0)?;
            let mut queries = queries(&node.0).into_iter();
            Some((queries.next()?, queries.next()?))
        }
    }

    /// `seen by …`.
    SeenBy {}

    /// `per …` of an assertion.
    AssertPer {}

    /// A condition that is asserted, with its tolerance.
    AssertHolds {
        /// The condition.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
        /// How far two sides may lie apart.
        pub fn tolerance(&self) -> Option<Literal> { child::<Tolerance>(&self.0).and_then(|t| child(&t.0)) }
    }

    /// `within …` of an assertion.
    Tolerance {}

    /// `(…) matches (…)`.
    AssertMatches {}
}

/// A table declaration: a dimension or a fact.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum TableDecl {
    /// `dimension …`.
    Dimension(DimensionDecl),
    /// `fact …`.
    Fact(FactDecl),
}

impl TableDecl {
    /// The name.
    pub fn name(&self) -> Option<Name> {
        child(self.node())
    }

    /// The file.
    pub fn file(&self) -> Option<(String, SyntaxToken)> {
        let token = tokens(self.node()).find(|t| t.kind() == SyntaxKind::Text)?;
        Some((unquote(token.text(), '\''), token))
    }

    /// All files, if there are several.
    pub fn files(&self) -> Vec<String> {
        texts(self.node())
    }

    /// The key.
    pub fn key(&self) -> Vec<Name> {
        child::<KeyProp>(self.node()).map(|k| k.columns()).unwrap_or_default()
    }

    /// The texts that stand for missing values.
    pub fn missing(&self) -> Vec<String> {
        child::<MissingProp>(self.node()).map(|m| m.texts()).unwrap_or_default()
    }

    /// The separator.
    pub fn separator(&self) -> Option<SeparatorProp> {
        child(self.node())
    }
}

impl View for TableDecl {
    fn cast(node: SyntaxNode) -> Option<Self> {
        match node.kind() {
            SyntaxKind::DimensionDecl => Some(Self::Dimension(DimensionDecl(node))),
            SyntaxKind::FactDecl => Some(Self::Fact(FactDecl(node))),
            _ => None,
        }
    }

    fn node(&self) -> &SyntaxNode {
        match self {
            Self::Dimension(d) => &d.0,
            Self::Fact(f) => &f.0,
        }
    }
}

/// The properties below a column or measure.
pub fn property<V: View>(declaration: &impl View) -> Option<V> {
    child(declaration.node())
}
