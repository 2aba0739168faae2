//! Views of reports and dashboards: how an answer is drawn, and what stands on a page.

use super::{Expr, Item, Name, OrderProp, View, child, children, has_word, numbers, queries, texts};
use crate::kind::{SyntaxKind, SyntaxNode};

views! {
    /// `report …`.
    ReportDecl {
        /// The name.
        pub fn name(&self) -> Option<Name> { child(&self.0) }
        /// The title.
        pub fn title(&self) -> Option<String> { child::<Title>(&self.0).and_then(|t| t.text_value()) }
        /// The query.
        pub fn query(&self) -> Option<SyntaxNode> { queries(&self.0).into_iter().next() }
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
        pub fn rows(&self) -> Vec<PageRow> { children(&self.0) }
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

    /// `row …`.
    PageRow {
        /// How much of the page's height it takes.
        pub fn share(&self) -> Option<Share> { child(&self.0) }
        /// What stands on it, from the left.
        pub fn items(&self) -> Vec<PageRowItem> { children(&self.0) }
    }

    /// What stands on a row.
    PageRowItem {
        /// A report.
        pub fn report(&self) -> Option<Name> { child(&self.0) }
        /// The paragraphs of a text.
        pub fn paragraphs(&self) -> Vec<String> { child::<Title>(&self.0).map(|t| texts(&t.0)).unwrap_or_default() }
        /// How much of the row's width it takes.
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
        /// The figure that is marked; without it the line is.
        pub fn on(&self) -> Option<Expr> { child::<MarkOn>(&self.0).and_then(|on| child(&on.0)) }
        /// The rule.
        pub fn condition(&self) -> Option<Expr> { child(&self.0) }
    }

    /// `on …` of a mark.
    MarkOn {}

    /// `tooltip …`.
    TooltipOption {
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
