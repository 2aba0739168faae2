//! Binding of reports: what a drawing names of its query, and whether its options suit it.

use super::Binder;
use super::params::settled;
use super::query::Asker;
use crate::ids::ParamId;
use crate::messages;
use crate::model::Model;
use crate::param::ParamValue;
use crate::properties::format_of;
use crate::query::{BoundQuery, BoundShow, BoundSummary};
use crate::report::{BoundReport, Report};
use crate::scope::BindScope;
use std::collections::BTreeMap;
use vembra_plan::Type;
use vembra_plan::drawing::{Colour, ColourBy, Drawing, Form, MarkRule, Panels, Run};
use vembra_syntax::ast::{self, Expr, View};
use vembra_syntax::{Diagnostic, SourceId, Sources, Span};

/// Resolves the names of a report under values of parameters.
pub fn bind_report(
    model: &Model,
    sources: &Sources,
    report: &Report,
    given: &BTreeMap<ParamId, ParamValue>,
) -> (Option<BoundReport>, Vec<Diagnostic>) {
    bind_report_opened(model, sources, report, given, None)
}

/// The same with a hierarchy that its rows walk opened down to a number of levels, at every member.
pub fn bind_report_opened(
    model: &Model,
    sources: &Sources,
    report: &Report,
    given: &BTreeMap<ParamId, ParamValue>,
    open_levels: Option<usize>,
) -> (Option<BoundReport>, Vec<Diagnostic>) {
    let mut diagnostics = Vec::new();
    let node = report.node.node();
    let bound = ast::ReportDecl::cast(node).and_then(|decl| {
        let root = decl.query()?;
        let (choices, params) = settled(model, given);
        let binder = Binder::new(model, sources, report.source, BindScope::FIGURE, &mut diagnostics);
        let binder = Binder { choices: Some(&choices), values: Some(&params), ..binder };
        let mut asker = Asker { open_levels, ..Asker::new(binder, &root, &params) };
        let query = asker.query()?;
        Drawer { asker, decl: &decl, source: report.source }.report(query)
    });
    (bound, diagnostics)
}

/// Reads how an answer is drawn.
struct Drawer<'a, 'b> {
    asker: Asker<'a, 'b>,
    decl: &'b ast::ReportDecl,
    source: SourceId,
}

impl Drawer<'_, '_> {
    fn fail<T>(&mut self, diagnostic: Diagnostic) -> Option<T> {
        self.asker.binder.fail(diagnostic)
    }

    fn report(mut self, query: BoundQuery) -> Option<BoundReport> {
        let form = match self.decl.form() {
            None => Form::Table,
            Some(name) => Form::from_name(&name.name())?,
        };
        let mut query = match query {
            BoundQuery::Summary(query) => query,
            BoundQuery::List(_) if form == Form::Table && !self.has_options() => {
                return Some(BoundReport { query, drawing: Drawing::new(form, 0, 0) });
            }
            BoundQuery::List(_) => {
                let span = self.drawn_place();
                return self.fail(messages::list_drawn(span));
            }
        };
        self.options_suit(form)?;
        let mut drawing = Drawing { form, shown: query.shows.len(), axis_titles: true, ..Drawing::default() };
        self.runs(&query, &mut drawing)?;
        self.channels(&query, &mut drawing)?;
        self.marks(&mut query, &mut drawing)?;
        query.extra = query.shows.len() - drawing.shown;
        drawing.complete(query.axes.len());
        self.all_drawn(&query, &drawing)?;
        self.one_axis(&query, &drawing);
        Some(BoundReport { query: BoundQuery::Summary(query), drawing })
    }

    /// Where the report says how it is drawn.
    fn drawn_place(&self) -> Span {
        let said = places::<ast::DrawnAs>(self.decl, self.source).into_iter().next();
        said.unwrap_or_else(|| self.decl.span(self.source))
    }

    fn has_options(&self) -> bool {
        !self.said().is_empty()
    }

    /// The options that the report has, with their places.
    fn said(&self) -> Vec<(&'static str, Span)> {
        let mut said = Vec::new();
        let mut add =
            |name: &'static str, places: Vec<Span>| said.extend(places.into_iter().map(|p| (name, p)));
        let (decl, source) = (self.decl, self.source);
        add("along", places::<ast::AlongOption>(decl, source));
        add("up", places::<ast::UpOption>(decl, source));
        add("colour by", places::<ast::ColourOption>(decl, source));
        add("size by", places::<ast::SizeOption>(decl, source));
        add("colours", places::<ast::ColoursOption>(decl, source));
        add("panels by", places::<ast::PanelsOption>(decl, source));
        add("stacked", places::<ast::StackedOption>(decl, source));
        add("sideways", places::<ast::SidewaysOption>(decl, source));
        add("compared with", places::<ast::ComparedOption>(decl, source));
        add("mark", places::<ast::MarkOption>(decl, source));
        add("tooltip", places::<ast::TooltipOption>(decl, source));
        add("axis titles", places::<ast::AxisTitlesOption>(decl, source));
        add("with values", places::<ast::ValuesOption>(decl, source));
        add("small bars", places::<ast::SmallBarsOption>(decl, source));
        add("trends", places::<ast::TrendsOption>(decl, source));
        said
    }

    fn options_suit(&mut self, form: Form) -> Option<()> {
        let name = self.decl.form().map_or_else(|| "table".to_owned(), |f| f.name().to_ascii_lowercase());
        let mut seen = Vec::new();
        for (option, span) in self.said() {
            if !form.has_option(option) {
                return self.fail(messages::option_unsuited(span, option, &name));
            }
            if seen.contains(&option) && option != "mark" {
                return self.fail(messages::option_twice(span, option));
            }
            seen.push(option);
        }
        Some(())
    }

    fn runs(&mut self, query: &BoundSummary, drawing: &mut Drawing) -> Option<()> {
        let along = ast::property::<ast::AlongOption>(self.decl).map(|o| ast::axis_option(&o));
        let up = ast::property::<ast::UpOption>(self.decl).map(|o| ast::axis_option(&o));
        if let Some(option) = along {
            drawing.along = Some(self.run(query, &option)?);
        }
        if let Some(option) = up {
            drawing.up = Some(self.run(query, &option)?);
        }
        Some(())
    }

    fn run(&mut self, query: &BoundSummary, option: &ast::AxisOption) -> Option<Run> {
        let expr = option.expr.as_ref()?;
        let axis = self.axis(query, expr)?;
        let ty = query.axes[axis].expr.ty;
        if option.time == Some(true) && !ty.lies_in_time() {
            let span = expr.span(self.source);
            return self.fail(messages::not_time(span, ty));
        }
        let mut order = Vec::new();
        for member in &option.order {
            let bound = self.asker.binder.expr(member)?;
            let fitted = self.asker.binder.fitted(bound, ty)?;
            match super::fixed(&fitted) {
                Some(value) => order.push(value),
                None => return self.fail(messages::odd_member(member.span(self.source))),
            }
        }
        Some(Run { axis, reversed: option.reversed, time: option.time, order })
    }

    /// The axis that an expression names.
    fn axis(&mut self, query: &BoundSummary, expr: &Expr) -> Option<usize> {
        match self.asker.shown_as(expr, &query.axes, &query.shows) {
            Some(vembra_plan::SortKey::Axis(axis)) => Some(axis),
            _ => {
                let names: Vec<&str> = query.axes.iter().map(|a| a.name.as_str()).collect();
                let span = expr.span(self.source);
                self.fail(messages::not_an_axis_drawn(span, &expr.text(), &names))
            }
        }
    }

    fn figure(&mut self, query: &BoundSummary, expr: &Expr) -> Option<usize> {
        let span = expr.span(self.source);
        match self.asker.shown_as(expr, &query.axes, &query.shows) {
            Some(vembra_plan::SortKey::Output(at)) if is_drawn(query.shows[at].expr.ty) => Some(at),
            Some(vembra_plan::SortKey::Output(at)) => {
                self.fail(messages::not_a_number_drawn(span, query.shows[at].expr.ty))
            }
            _ => {
                let names: Vec<&str> = query.shows.iter().map(|a| a.name.as_str()).collect();
                self.fail(messages::not_a_figure_drawn(span, &expr.text(), &names))
            }
        }
    }

    fn channels(&mut self, query: &BoundSummary, drawing: &mut Drawing) -> Option<()> {
        let decl = self.decl;
        if let Some(expr) = ast::property::<ast::ColourOption>(decl).and_then(|c| c.expr()) {
            let axis = self.asker.shown_as(&expr, &query.axes, &query.shows);
            drawing.colour = Some(match axis {
                Some(vembra_plan::SortKey::Axis(axis)) => ColourBy::Axis(axis),
                _ if drawing.form.traits().up => ColourBy::Figure(self.figure(query, &expr)?),
                _ => ColourBy::Axis(self.axis(query, &expr)?),
            });
        }
        if let Some(expr) = ast::property::<ast::SizeOption>(decl).and_then(|s| s.expr()) {
            drawing.size = Some(self.figure(query, &expr)?);
        }
        if let Some(expr) = ast::property::<ast::ComparedOption>(decl).and_then(|s| s.expr()) {
            drawing.compared = Some(self.figure(query, &expr)?);
        }
        if let Some(option) = ast::property::<ast::PanelsOption>(decl) {
            let axis = self.axis(query, &option.expr()?)?;
            let across = match option.across() {
                None => 3,
                Some(number) => match number.parse().ok().filter(|n| (1..=12).contains(n)) {
                    Some(across) => across,
                    None => return self.fail(messages::odd_across(option.span(self.source))),
                },
            };
            drawing.panels = Some(Panels { axis, across });
        }
        for member in ast::options::<ast::ColoursOption>(decl).iter().flat_map(ast::ColoursOption::members) {
            let (Some(text), Some(name)) = (member.member(), member.colour()) else { continue };
            let Some(colour) = Colour::from_name(&name.name()) else {
                let span = name.span(self.source);
                return self.fail(messages::unknown_colour(span, &name.name()));
            };
            drawing.colours.push((text, colour));
        }
        for option in ast::options::<ast::SmallBarsOption>(decl) {
            for expr in option.exprs() {
                drawing.small_bars.push(self.figure(query, &expr)?);
            }
        }
        drawing.stacked = ast::property::<ast::StackedOption>(decl).is_some();
        drawing.sideways = ast::property::<ast::SidewaysOption>(decl).is_some();
        drawing.values = ast::property::<ast::ValuesOption>(decl).is_some();
        drawing.trends = ast::property::<ast::TrendsOption>(decl).is_some();
        drawing.axis_titles = !ast::property::<ast::AxisTitlesOption>(decl).is_some_and(|o| o.is_off());
        Some(())
    }

    /// Rules and figures for the tooltip become figures behind those that are shown.
    fn marks(&mut self, query: &mut BoundSummary, drawing: &mut Drawing) -> Option<()> {
        let options = ast::options::<ast::MarkOption>(self.decl);
        for (at, option) in options.into_iter().enumerate() {
            let (Some(meaning), Some(condition)) = (option.meaning(), option.condition()) else { continue };
            let bound = self.asker.binder.expr(&condition)?;
            if !matches!(bound.ty, Type::Boolean | Type::Null) {
                return self.fail(messages::not_a_condition(bound.span, bound.ty));
            }
            if matches!(self.asker.binder.model.grain(&bound), crate::Grain::Row(_)) {
                let message = self.asker.binder.row_in_cell(&bound);
                return self.fail(message);
            }
            let on = match option.on() {
                Some(figure) => Some(self.marked_figure(&figure, query, drawing.shown)?),
                None => None,
            };
            let name = format!("mark {}", at + 1);
            drawing.marks.push(MarkRule { figure: query.shows.len(), on, meaning: meaning.clone() });
            query.shows.push(BoundShow { name, label: meaning, expr: bound });
        }
        for option in ast::options::<ast::TooltipOption>(self.decl) {
            for item in option.items() {
                let show = self.asker.show(&item)?;
                drawing.tooltip.push(query.shows.len());
                query.shows.push(BoundShow { name: format!("tooltip {}", query.shows.len()), ..show });
            }
        }
        Some(())
    }

    /// The figure on which a mark stands: one that is shown.
    fn marked_figure(&mut self, figure: &ast::Expr, query: &BoundSummary, shown: usize) -> Option<usize> {
        let span = self.asker.binder.span(figure);
        match self.asker.shown_as(figure, &[], &query.shows[..shown]) {
            Some(vembra_plan::SortKey::Output(at)) => Some(at),
            _ if self.asker.binder.diagnostics.is_empty() => {
                let shown: Vec<&str> = query.shows[..shown].iter().map(|s| s.name.as_str()).collect();
                self.fail(messages::mark_on_unshown(span, &figure.text(), &shown))
            }
            _ => None,
        }
    }

    /// An axis that is not drawn would lay figures on each other.
    fn all_drawn(&mut self, query: &BoundSummary, drawing: &Drawing) -> Option<()> {
        let span = self.drawn_place();
        if drawing.form == Form::Table {
            return Some(());
        }
        if let Some(text) = query.shows[..drawing.shown].iter().find(|s| !is_drawn(s.expr.ty))
            && drawing.form != Form::Number
        {
            return self.fail(messages::not_a_number_drawn(text.expr.span, text.expr.ty));
        }
        let used = drawing.axes();
        for (at, axis) in query.axes.iter().enumerate() {
            let times = used.iter().filter(|u| **u == at).count();
            if times == 0 {
                return self.fail(messages::axis_not_drawn(
                    axis.expr.span,
                    &axis.name,
                    drawing.form == Form::Number,
                ));
            }
            if times > 1 {
                let twice = places::<ast::PanelsOption>(self.decl, self.source);
                let twice = twice.into_iter().chain(places::<ast::ColourOption>(self.decl, self.source));
                let span =
                    twice.chain(places::<ast::UpOption>(self.decl, self.source)).next().unwrap_or(span);
                return self.fail(messages::axis_drawn_twice(span, &axis.name));
            }
        }
        if drawing.along.is_none() && drawing.form != Form::Number {
            return self.fail(messages::nothing_along(span));
        }
        if drawing.form == Form::Heat && drawing.up.is_none() {
            return self.fail(messages::nothing_up(span));
        }
        Some(())
    }

    /// Figures of unlike kinds on one axis: the smaller ones would not be seen.
    fn one_axis(&mut self, query: &BoundSummary, drawing: &Drawing) {
        let shared = drawing.form.traits().is_chart && drawing.form != Form::Heat && drawing.up.is_none();
        if !shared {
            return;
        }
        let model = self.asker.binder.model;
        let drawn = query.shows[..drawing.shown]
            .iter()
            .enumerate()
            .filter(|(at, _)| Some(*at) != drawing.size && drawing.colour != Some(ColourBy::Figure(*at)));
        let kinds: Vec<(&BoundShow, &str)> =
            drawn.map(|(_, show)| (show, kind(format_of(model, &show.expr).as_deref()))).collect();
        let Some((first, wanted)) = kinds.first() else { return };
        if let Some((other, found)) = kinds.iter().find(|(_, k)| k != wanted) {
            let message =
                messages::unlike_figures(other.expr.span, (&other.label, found), (&first.label, wanted));
            self.asker.binder.diagnostics.push(message);
        }
    }
}

/// What a format says a number is.
fn kind(format: Option<&str>) -> &'static str {
    match format {
        Some(f) if f.contains('%') => "per cent",
        Some(f) if f.contains('¤') => "money",
        _ => "a plain number",
    }
}

fn places<V: View>(decl: &ast::ReportDecl, source: SourceId) -> Vec<Span> {
    ast::options::<V>(decl).iter().map(|o| o.span(source)).collect()
}

/// Whether values can be drawn: numbers, and what has no value at all.
fn is_drawn(ty: Type) -> bool {
    ty.is_number() || ty == Type::Null
}
