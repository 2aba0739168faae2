//! Typed views of the tree. What a broken text lacks is `None` or left out; nothing here panics.

use crate::kind::{SyntaxKind, SyntaxNode, SyntaxToken};
use crate::source::{Place, SourceId};

/// A view of a node of one kind.
pub trait View: Sized {
    /// The view, if the node is of this kind.
    fn cast(node: SyntaxNode) -> Option<Self>;
    /// The node.
    fn node(&self) -> &SyntaxNode;

    /// The place of the node in its text, without blanks around it.
    fn place(&self, source: SourceId) -> Place {
        place_of(self.node(), source)
    }

    /// The text of the node, without blanks around it.
    fn text(&self) -> String {
        self.node().text().to_string().trim().to_owned()
    }
}

/// The place of a node, without blanks and comments around it.
pub fn place_of(node: &SyntaxNode, source: SourceId) -> Place {
    let mut tokens = node
        .descendants_with_tokens()
        .filter_map(rowan::NodeOrToken::into_token)
        .filter(|t| !t.kind().is_trivia());
    let whole = node.text_range();
    let first = tokens.next();
    let start = first.as_ref().map_or(whole.start(), |t| t.text_range().start());
    let end = tokens.last().or(first).map_or(start, |t| t.text_range().end());
    Place { source, start: start.into(), end: end.into() }
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

views! {
    /// One name.
    Name {
        /// The name without quotes.
        pub fn name(&self) -> String {
            tokens(&self.0).next().map_or_else(String::new, |t| match t.kind() {
                SyntaxKind::QuotedName => unquote(t.text(), '"'),
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
    }

    /// `currency 'EUR'`.
    CurrencyDecl {
        /// The code.
        pub fn code(&self) -> Option<String> { texts(&self.0).pop() }
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
    }

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

    /// `link …`.
    LinkDecl {
        /// The columns that it starts from.
        pub fn from(&self) -> Vec<NameRef> { child::<LinkFrom>(&self.0).map(|f| children(&f.0)).unwrap_or_default() }
        /// The table that it reaches.
        pub fn to(&self) -> Option<Name> { child::<LinkTo>(&self.0).and_then(|t| child(&t.0)) }
        /// The coarser attributes that it reaches.
        pub fn by(&self) -> Vec<Name> { child::<LinkBy>(&self.0).map(|b| children(&b.0)).unwrap_or_default() }
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
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The formula.
        pub fn formula(&self) -> Option<Expr> { child(&self.0) }
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
    /// `report …`.
    ReportDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The title.
        pub fn title(&self) -> Option<String> { child::<Title>(&self.0).and_then(|t| t.text_value()) }
        /// The question.
        pub fn question(&self) -> Option<SyntaxNode> { questions(&self.0).into_iter().next() }
        /// How it is drawn.
        pub fn form(&self) -> Option<Name> { child::<DrawnAs>(&self.0).and_then(|d| child(&d.0)) }
    }
    /// `drawn as …`.
    DrawnAs {}
    /// `dashboard …`.
    DashboardDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The title.
        pub fn title(&self) -> Option<String> { child::<Title>(&self.0).and_then(|t| t.text_value()) }
        /// Width and height.
        pub fn size(&self) -> Option<PageSize> { child(&self.0) }
        /// What stands on it, from the top.
        pub fn strips(&self) -> Vec<Strip> { children(&self.0) }
    }
    /// A title or a text on a page.
    Title {
        /// The text.
        pub fn text_value(&self) -> Option<String> { texts(&self.0).pop() }
    }
    /// `1280 by 800`.
    PageSize {
        /// Width and height.
        pub fn numbers(&self) -> Vec<String> { numbers(&self.0) }
    }
    /// `strip …`.
    Strip {
        /// How much of the page's height it takes.
        pub fn share(&self) -> Option<Share> { child(&self.0) }
        /// What stands on it, from the left.
        pub fn items(&self) -> Vec<StripItem> { children(&self.0) }
    }
    /// What stands on a strip.
    StripItem {
        /// A report.
        pub fn report(&self) -> Option<Name> { child(&self.0) }
        /// The paragraphs of a text.
        pub fn paragraphs(&self) -> Vec<String> { child::<Title>(&self.0).map(|t| texts(&t.0)).unwrap_or_default() }
        /// How much of the strip's width it takes.
        pub fn share(&self) -> Option<Share> { child(&self.0) }
    }
    /// A number that says how much of the whole.
    Share {
        /// The number.
        pub fn number(&self) -> Option<String> { numbers(&self.0).pop() }
    }
    /// `along …`.
    AlongOption {}
    /// `up …`.
    UpOption {}
    /// `reversed`.
    ReversedOption {}
    /// `as time`, `as members`.
    AsTimeOption {
        /// Whether it is time.
        pub fn is_time(&self) -> bool { has_word(&self.0, "time") }
    }
    /// `colour by …`.
    ColourOption {
        /// An axis or a figure.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
    }
    /// `size by …`.
    SizeOption {
        /// A figure.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
    }
    /// `colours …`.
    ColoursOption {
        /// The members with their colours.
        pub fn members(&self) -> Vec<MemberColour> { children(&self.0) }
    }
    /// A member with its colour.
    MemberColour {
        /// The member.
        pub fn member(&self) -> Option<String> { texts(&self.0).pop() }
        /// The colour.
        pub fn colour(&self) -> Option<Name> { child(&self.0) }
    }
    /// `panels by …, 3 across`.
    PanelsOption {
        /// An axis.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
        /// How many stand side by side.
        pub fn across(&self) -> Option<String> { numbers(&self.0).pop() }
    }
    /// `stacked`.
    StackedOption {}
    /// `sideways`.
    SidewaysOption {}
    /// `compared with …`.
    ComparedOption {
        /// A figure.
        pub fn expr(&self) -> Option<Expr> { child(&self.0) }
    }
    /// `mark … where …`.
    MarkOption {
        /// What it means.
        pub fn meaning(&self) -> Option<String> { texts(&self.0).into_iter().next() }
        /// The rule.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
    }
    /// `pointer …`.
    PointerOption {
        /// What it shows too.
        pub fn items(&self) -> Vec<Item> { children(&self.0) }
    }
    /// `axis titles off`.
    AxisTitlesOption {
        /// Whether they are off.
        pub fn is_off(&self) -> bool { has_word(&self.0, "off") }
    }
    /// `with values`.
    ValuesOption {}
    /// `small bars …`.
    SmallBarsOption {
        /// The figures.
        pub fn exprs(&self) -> Vec<Expr> { children(&self.0) }
    }
    /// `trends`.
    TrendsOption {}
    /// `switch …`.
    SwitchOption {
        /// The parameter.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The values to choose from.
        pub fn values(&self) -> Vec<Expr> { children(&self.0) }
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
        /// The members.
        pub fn members(&self) -> Vec<Expr> { children(&self.0) }
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
        /// The question that it is made from.
        pub fn question(&self) -> Option<SyntaxNode> { questions(&self.0).into_iter().next() }
    }
    /// `expect …`.
    ExpectDecl {
        /// What is expected.
        pub fn title(&self) -> Option<String> { texts(&self.0).into_iter().next() }
        /// Who looks.
        pub fn seen_by(&self) -> Option<Name> { child::<SeenBy>(&self.0).and_then(|s| child(&s.0)) }
        /// The keys of its cells.
        pub fn each(&self) -> Vec<NameRef> {
            child::<ExpectEach>(&self.0).map(|e| children(&e.0)).unwrap_or_default()
        }
        /// The condition.
        pub fn holds(&self) -> Option<ExpectHolds> { child(&self.0) }
        /// The two questions that must have one answer.
        pub fn matches(&self) -> Option<(SyntaxNode, SyntaxNode)> {
            let node = child::<ExpectMatches>(&self.0)?;
            let mut questions = questions(&node.0).into_iter();
            Some((questions.next()?, questions.next()?))
        }
    }
    /// `seen by …`.
    SeenBy {}
    /// `for each …` of an expectation.
    ExpectEach {}
    /// A condition that is expected, with its tolerance.
    ExpectHolds {
        /// The condition.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
        /// How far two sides may lie apart.
        pub fn tolerance(&self) -> Option<Literal> { child::<Tolerance>(&self.0).and_then(|t| child(&t.0)) }
    }
    /// `within …` of an expectation.
    Tolerance {}
    /// `(…) matches (…)`.
    ExpectMatches {}

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
        /// For each combination of these anew.
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
    /// A question that summarises.
    Query {}
    /// A question for single rows.
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

/// What an axis of a drawing says.
#[derive(Clone, Debug)]
pub struct AxisOption {
    /// The axis.
    pub expr: Option<Expr>,
    /// Whether it runs the other way round.
    pub reversed: bool,
    /// `as time`, `as members`.
    pub time: Option<bool>,
    /// An order by hand.
    pub order: Vec<Expr>,
}

/// An axis of a drawing: of [`AlongOption`] or [`UpOption`].
pub fn axis_option(view: &impl View) -> AxisOption {
    let node = view.node();
    AxisOption {
        expr: child(node),
        reversed: child::<ReversedOption>(node).is_some(),
        time: child::<AsTimeOption>(node).map(|t| t.is_time()),
        order: child::<OrderProp>(node).map(|o| o.members()).unwrap_or_default(),
    }
}

/// All options of one kind under a declaration, in their order.
pub fn options<V: View>(declaration: &impl View) -> Vec<V> {
    children(declaration.node())
}

/// The properties that stand under a column or measure.
pub fn property<V: View>(declaration: &impl View) -> Option<V> {
    child(declaration.node())
}

/// The items of a clause of a question, such as [`SyntaxKind::RowsClause`].
pub fn clause_items<V: View>(query: &SyntaxNode, kind: SyntaxKind) -> Vec<V> {
    query.children().filter(|c| c.kind() == kind).flat_map(|c| children::<V>(&c)).collect()
}

/// The first clause of a kind in a question.
pub fn query_clause<V: View>(query: &SyntaxNode) -> Option<V> {
    child(query)
}

/// The word that a node starts with, in lower case.
pub fn first_word(node: &SyntaxNode) -> String {
    node.descendants_with_tokens()
        .filter_map(rowan::NodeOrToken::into_token)
        .find(|t| !t.kind().is_trivia())
        .map(|t| t.text().to_ascii_lowercase())
        .unwrap_or_default()
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
                    $(SyntaxKind::$variant => Some(Self::$variant($variant(node))),)*
                    _ => None,
                }
            }
            fn node(&self) -> &SyntaxNode {
                match self {
                    $(Self::$variant(view) => &view.0,)*
                }
            }
        }
    };
}

/// The questions directly in a node.
fn questions(node: &SyntaxNode) -> Vec<SyntaxNode> {
    node.children().filter(|c| matches!(c.kind(), SyntaxKind::Query | SyntaxKind::ListQuery)).collect()
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
    }
    /// `for …`.
    ForClause {
        /// The keys of `for each`.
        pub fn keys(&self) -> Vec<NameRef> { children(&self.0) }
        /// `for cell`.
        pub fn is_cell(&self) -> bool { has_word(&self.0, "cell") }
        /// `for all`.
        pub fn is_all(&self) -> bool { has_word(&self.0, "all") }
    }
}

sum_of_views! {
    /// An expression.
    Expr: NameRef Literal TypedLiteral ParamRef Call Aggregate Binary Unary Paren Case InList Like IsNull Between
        Cast Extract Claused
}

sum_of_views! {
    /// A clause after an expression.
    Clause: WhereClause ViaClause PoolingClause RegardlessClause DuringClause ForClause
}
