//! The kinds of tokens and nodes.

macro_rules! kinds {
    ($($(#[$doc:meta])* $name:ident,)*) => {
        /// What a token or node of the tree is.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum SyntaxKind {
            $($(#[$doc])* $name,)*
        }

        const ALL: &[SyntaxKind] = &[$(SyntaxKind::$name,)*];
    };
}

kinds! {
    /// Blanks and line breaks.
    Whitespace,
    /// `-- …` to the end of the line.
    Comment,
    /// A word.
    Word,
    /// A name in double quotes.
    QuotedName,
    /// A text in single quotes.
    Text,
    /// A number.
    Number,
    /// `(`, `<=`, `+` and the like.
    Symbol,
    /// `:name`.
    Parameter,
    /// Characters that are no token.
    Stray,

    /// A model file.
    File,
    /// `currency …`.
    CurrencyDecl,
    /// `kept …`.
    CachedDecl,
    /// `database …`.
    DatabaseDecl,
    /// The database that a table comes from.
    FromDatabase,
    /// `locale …`.
    LocaleDecl,
    /// `time zone …`.
    TimeZoneDecl,
    /// `calendar …`.
    CalendarDecl,
    /// `fiscal year starts …`.
    FiscalYear,
    /// `working where …` of a calendar.
    Working,
    /// `dimension …`.
    DimensionDecl,
    /// `fact …`.
    FactDecl,
    /// `link …`.
    LinkDecl,
    /// The columns that a link starts from.
    LinkFrom,
    /// The table that a link reaches.
    LinkTo,
    /// `by …` of a link.
    LinkBy,
    /// `as of …` of a link.
    LinkAsOf,
    /// `until …` of a link.
    LinkUntil,
    /// `as …` of a link.
    LinkRole,
    /// `hierarchy …`.
    HierarchyDecl,
    /// `column …`.
    ColumnDecl,
    /// `: type`.
    TypeName,
    /// `measure …`.
    MeasureDecl,
    /// `(m, a: attribute)` of a measure.
    Arguments,
    /// `m`, `a: attribute`.
    Argument,
    /// `each also …`.
    EachAlso,
    /// `each across …`.
    EachAcross,
    /// `2025 against 2024`.
    AcrossItem,
    /// `with difference, ratio` of `each across`.
    AcrossWith,
    /// `include …`.
    IncludeDecl,
    /// `param …`.
    ParamDecl,
    /// `one of …` of a parameter.
    OneOf,
    /// `default …` of a parameter.
    ParamDefault,
    /// `viewer …`.
    ViewerDecl,
    /// `derived …`.
    DerivedDecl,
    /// `assert …`.
    AssertDecl,
    /// `seen by …`.
    SeenBy,
    /// `per …` of an assertion.
    AssertPer,
    /// A condition that is asserted, with its tolerance.
    AssertHolds,
    /// `within …` of an assertion.
    Tolerance,
    /// `(…) matches (…)`.
    AssertMatches,
    /// `accept …`.
    AcceptDecl,
    /// `treat …`.
    TreatDecl,
    /// A code of a message, such as `V503`.
    Code,
    /// `because …`.
    Reason,
    /// `report …`.
    ReportDecl,
    /// `dashboard …`.
    DashboardDecl,
    /// A title or a text on a page.
    Title,
    /// `1280 by 800`.
    PageSize,
    /// `row …` of a dashboard.
    PageRow,
    /// What stands on a row.
    PageRowItem,
    /// How much of its page or row something takes.
    Share,
    /// `drawn as …`.
    DrawnAs,
    /// `along …`.
    AlongOption,
    /// `up …`.
    UpOption,
    /// `reversed`.
    ReversedOption,
    /// `as time`, `as members`.
    AsTimeOption,
    /// `colour by …`.
    ColourOption,
    /// `size by …`.
    SizeOption,
    /// `colours …`.
    ColoursOption,
    /// A member with its colour.
    MemberColour,
    /// `panels by …`.
    PanelsOption,
    /// `stacked`.
    StackedOption,
    /// `sideways`.
    SidewaysOption,
    /// `compared with …`.
    ComparedOption,
    /// `mark … where …`.
    MarkOption,
    /// `on …` of a mark.
    MarkOn,
    /// `tooltip …`.
    TooltipOption,
    /// `axis titles off`.
    AxisTitlesOption,
    /// `with values`.
    ValuesOption,
    /// `small bars …`.
    SmallBarsOption,
    /// `trends`.
    TrendsOption,
    /// `switch …`.
    SwitchOption,
    /// A declaration that could not be read.
    BadDecl,
    /// `label '…'`.
    LabelProp,
    /// `format '…'`.
    FormatProp,
    /// `about '…'`.
    AboutProp,
    /// `order '…', '…'`.
    OrderProp,
    /// `labels true '…', false '…'`.
    LabelsProp,
    /// `key …`.
    KeyProp,
    /// `separated by …`.
    SeparatorProp,
    /// `missing 'NA'`.
    MissingProp,
    /// `encoding 'windows-1252'`.
    EncodingProp,
    /// `sheet 'Orders'`.
    SheetProp,
    /// `table 'orders'`.
    StoredProp,
    /// `numbers like '1.234,56'`.
    NumbersProp,
    /// `dates like '31.12.2024'`.
    DatesProp,
    /// `booleans like 'yes', 'no'`.
    BooleansProp,
    /// `subtotal = …`.
    SubtotalProp,
    /// `total = …`.
    TotalProp,

    /// One name.
    Name,
    /// `name` or `qualifier.name`.
    NameRef,
    /// A number, text, `true`, `false` or `null`.
    Literal,
    /// `date '…'`.
    TypedLiteral,
    /// `:name`.
    ParamRef,
    /// `f(a, b)`.
    Call,
    /// `sum(x where …)`.
    Aggregate,
    /// `from …` in an aggregate.
    AggregateFrom,
    /// `where …` in an aggregate.
    AggregateWhere,
    /// `by …` in an aggregate.
    AggregateBy,
    /// `rows of …` in a count.
    RowsOf,
    /// `among …` in a call.
    Among,
    /// `by …` in a call.
    CallBy,
    /// `a + b`.
    Binary,
    /// `- a`, `not a`.
    Unary,
    /// `( a )`.
    Paren,
    /// `case … end`.
    Case,
    /// `when … then …`.
    CaseWhen,
    /// `else …`.
    CaseElse,
    /// `a in (…)`.
    InList,
    /// `a like b`.
    Like,
    /// `a is null`.
    IsNull,
    /// `a between b and c`.
    Between,
    /// `cast(a as type)`.
    Cast,
    /// `extract(unit from a)`.
    Extract,
    /// An expression with clauses after it.
    Claused,
    /// `where …`.
    WhereClause,
    /// `via …`.
    ViaClause,
    /// `pooling …`.
    PoolingClause,
    /// `regardless of …`.
    RegardlessClause,
    /// `during …`.
    DuringClause,
    /// `per …`.
    PerClause,
    /// `overall`.
    OverallClause,
    /// What a clause forgets: `all`, `all but (…)`, names.
    Forgotten,

    /// A query that summarises.
    Query,
    /// A query for single rows.
    ListQuery,
    /// `rows …`.
    RowsClause,
    /// `columns …`.
    ColumnsClause,
    /// `show …`.
    ShowClause,
    /// `x as y`.
    Item,
    /// `as y`.
    Alias,
    /// `sort …`.
    SortClause,
    /// `x descending`.
    SortItem,
    /// `keep empty`.
    KeepEmptyClause,
    /// `totals …`.
    TotalsClause,
    /// `figures on rows`.
    FiguresClause,
    /// `on rows first`.
    TotalsItem,
    /// `from …` of a list.
    FromClause,
    /// `limit …`.
    LimitClause,
    /// `having …`.
    HavingClause,
    /// `top …`.
    TopClause,
    /// `by …` of a choice.
    TopBy,
    /// `within …` of a choice.
    TopWithin,
    /// `with ties` of a choice.
    TopTies,
    /// `rest as …` of a choice.
    TopRest,
    /// `given …`.
    GivenClause,
    /// `name = …`.
    GivenItem,
    /// `open …` of an axis.
    OpenProp,
    /// What could not be read.
    Error,
}

impl SyntaxKind {
    /// Whether it carries no meaning.
    pub fn is_trivia(self) -> bool {
        matches!(self, Self::Whitespace | Self::Comment)
    }
}

/// The language, as the tree's library sees it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Vembra {}

impl rowan::Language for Vembra {
    type Kind = SyntaxKind;

    fn kind_from_raw(raw: rowan::SyntaxKind) -> SyntaxKind {
        ALL.get(usize::from(raw.0)).copied().unwrap_or(SyntaxKind::Error)
    }

    fn kind_to_raw(kind: SyntaxKind) -> rowan::SyntaxKind {
        rowan::SyntaxKind(kind as u16)
    }
}

/// A node of the tree.
pub type SyntaxNode = rowan::SyntaxNode<Vembra>;
/// A token of the tree.
pub type SyntaxToken = rowan::SyntaxToken<Vembra>;
