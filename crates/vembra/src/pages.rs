//! Reports and dashboards: answers with a way to be drawn.

use crate::error::Error;
use crate::query_execution::{Given, evaluation_failure};
use crate::session::Session;
use std::path::Path;
use vembra_draw::{
    OriginOf, Page, PageDetails, PageItem, PageRow, PageSwitch, Picture, Variant, capitalised,
};
use vembra_engine::Answer;
use vembra_model::{
    Bound, BoundAxis, BoundKind, BoundQuery, PageRowItem, Param, ParamValue, Report, Switch,
    bind_report_opened,
};
use vembra_plan::drawing::Drawing;
use vembra_plan::{ColumnId, Plan};
use vembra_syntax::{Code, Diagnostic, one_line};

/// A page holds at most this many variants of one picture.
const MOST_VARIANTS: usize = 60;

impl Session {
    /// The answer to a report's query, with its title and how it is drawn.
    ///
    /// # Errors
    /// When there is no such report, a given value is wrong, or the query cannot be answered.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\nreport by_shop 'Sales by shop' =\n    rows sale.shop show sum(amount) as sales\n  drawn as bars along sale.shop\n")
    ///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
    ///     .open()?;
    /// let picture = session.report("by_shop", &[])?;
    /// assert!(picture.svg(vembra::View::new(640, 400)).starts_with("<svg"));
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn report(&self, name: &str, given: &[(&str, &str)]) -> Result<Picture, Error> {
        self.is_whole(name)?;
        let given = self.given_values(given)?;
        match self.model.reports.iter().find(|r| r.name == name) {
            Some(report) => self.picture(report, &given).map(|(picture, _)| picture),
            None => Err(self.no_such_name(name)),
        }
    }

    /// A dashboard, or a report on a page of its own, with everything that its switches may ask for.
    ///
    /// # Errors
    /// When there is no such name, a given value is wrong, or a query cannot be answered.
    pub fn page(&self, name: &str, given: &[(&str, &str)]) -> Result<Page, Error> {
        self.is_whole(name)?;
        let values = self.given_values(given)?;
        if let Some(dashboard) = self.model.dashboards.iter().find(|d| d.name == name) {
            let reports = dashboard.rows.iter().flat_map(|s| &s.items).filter_map(|(item, _)| match item {
                PageRowItem::Report(at) => self.model.reports.get(*at),
                PageRowItem::Text(_) => None,
            });
            let mut switches = dashboard.switches.clone();
            for own in reports.flat_map(|r| &r.switches) {
                if !switches.iter().any(|s| s.param == own.param) {
                    switches.push(own.clone());
                }
            }
            let mut rows = Vec::new();
            for row in &dashboard.rows {
                let mut items = Vec::new();
                for (item, share) in &row.items {
                    let item = match item {
                        PageRowItem::Text(paragraphs) => {
                            PageItem::Text(paragraphs.iter().map(|p| self.with_values(p, &values)).collect())
                        }
                        PageRowItem::Report(at) => {
                            self.variants(&self.model.reports[*at], &switches, &values)?
                        }
                    };
                    items.push((item, *share));
                }
                rows.push(PageRow { share: row.share, items });
            }
            return Ok(Page {
                title: self.with_values(&dashboard.title, &values),
                about: dashboard.about.clone(),
                locale: self.locale(),
                size: dashboard.size,
                switches: self.page_switches(&switches, &values),
                rows,
            });
        }
        let Some(report) = self.model.reports.iter().find(|r| r.name == name) else {
            return Err(self.no_such_name(name));
        };
        let item = self.variants(report, &report.switches, &values)?;
        Ok(Page {
            title: self.with_values(&report.title, &values),
            about: None,
            locale: self.locale(),
            size: (1280, 800),
            switches: self.page_switches(&report.switches, &values),
            rows: vec![PageRow { share: 1.0, items: vec![(item, 1.0)] }],
        })
    }

    fn no_such_name(&self, name: &str) -> Error {
        let names: Vec<&str> = self.drawn_names().into_iter().map(|(n, _)| n).collect();
        let near = vembra_syntax::nearest(name, names.iter().copied());
        let help = match (near, names.as_slice()) {
            (Some(near), _) => format!("did you mean {near}?"),
            (None, []) => "declare one: report by_month 'Revenue by month' = rows calendar.month show revenue drawn as line along calendar.month".to_owned(),
            (None, names) => format!("there are: {}", names.join(", ")),
        };
        let diagnostic = Diagnostic::new(Code::V360, format!("there is no report and no dashboard {name}"));
        Error::text(self.model.sources.clone(), vec![diagnostic.help(help)])
    }

    fn given_values(&self, given: &[(&str, &str)]) -> Result<Given, Error> {
        self.read_givens(&mut self.model.sources.clone(), given)
    }

    fn page_switches(&self, switches: &[Switch], given: &Given) -> Vec<PageSwitch> {
        let page_switch = |switch: &Switch| {
            let param = self.model.param(switch.param);
            PageSwitch {
                label: param.about.clone().unwrap_or_else(|| readable(&param.name)),
                values: switch
                    .values
                    .iter()
                    .map(|(value, name)| self.choice_name(param, value, name))
                    .collect(),
                chosen: self.chosen(switch, given),
            }
        };
        switches.iter().map(page_switch).collect()
    }

    /// What readers may choose: an attribute of the calendar has a word in their language.
    fn choice_name(&self, param: &Param, value: &ParamValue, name: &str) -> String {
        let ParamValue::Choice(choice) = value else { return name.to_owned() };
        let key = param.choices.get(*choice);
        key.and_then(|key| self.word_of(key.column)).unwrap_or_else(|| name.to_owned())
    }

    /// The choice that stands first: what is given, or the default.
    fn chosen(&self, switch: &Switch, given: &Given) -> usize {
        let own = given.get(&switch.param).or(self.model.param(switch.param).default.as_ref());
        switch.values.iter().position(|(value, _)| Some(value) == own).unwrap_or(0)
    }

    /// The pictures of a report at all choices of the switches that matter to it, that which stands first before the others.
    fn variants(&self, report: &Report, switches: &[Switch], given: &Given) -> Result<PageItem, Error> {
        let mut base = given.clone();
        for switch in switches {
            if let Some((value, _)) = switch.values.get(self.chosen(switch, given)) {
                base.insert(switch.param, value.clone());
            }
        }
        let plain = self.report_plan(report, &base, None)?.planned();
        let mut matter = Vec::new();
        for (at, switch) in switches.iter().enumerate() {
            let differs = |value: &ParamValue| {
                let mut other = base.clone();
                other.insert(switch.param, value.clone());
                let titled =
                    self.with_values(&report.title, &other) != self.with_values(&report.title, &base);
                Ok::<bool, Error>(titled || self.report_plan(report, &other, None)?.planned() != plain)
            };
            let mut any = false;
            for (value, _) in &switch.values {
                any = any || differs(value)?;
            }
            if any {
                matter.push(at);
            }
        }
        let count = matter.iter().map(|at| switches[*at].values.len()).product::<usize>();
        if count > MOST_VARIANTS {
            let diagnostic = Diagnostic::new(
                Code::V380,
                format!("the report {} would be drawn {count} times, once per choice", report.name),
            )
            .at(report.span, "")
            .help(format!("let the page switch between fewer values: {MOST_VARIANTS} pictures are the most"));
            return Err(Error::text(self.model.sources.clone(), vec![diagnostic]));
        }
        let mut variants = Vec::new();
        for nth in 0..count {
            let (mut rest, mut values) = (nth, base.clone());
            let mut when = vec![None; switches.len()];
            for at in &matter {
                let switch = &switches[*at];
                let choice = rest % switch.values.len();
                rest /= switch.values.len();
                when[*at] = Some(choice);
                values.insert(switch.param, switch.values[choice].0.clone());
            }
            let (mut picture, query) = self.picture(report, &values)?;
            if let BoundQuery::Summary(query) = query {
                picture.details = self.page_details(report, &values, *query, &picture)?;
            }
            variants.push((values != base, Variant { when, picture }));
        }
        variants.sort_by_key(|(other, _)| *other);
        Ok(PageItem::Pictures(variants.into_iter().map(|(_, v)| v).collect()))
    }

    /// `open_levels` opens a hierarchy that is walked at every member, down to that many levels.
    pub(crate) fn report_plan(
        &self,
        report: &Report,
        given: &Given,
        open_levels: Option<usize>,
    ) -> Result<ReportPlan, Error> {
        let sources = &self.model.sources;
        let (bound, mut diagnostics) = bind_report_opened(&self.model, sources, report, given, open_levels);
        let Some(mut bound) = bound else { return Err(Error::text(sources.clone(), diagnostics)) };
        if let BoundQuery::Summary(query) = &mut bound.query {
            query.axes.iter_mut().for_each(|axis| self.name_for_readers(axis));
        }
        let plan = self.planned(sources, &bound.query, &mut diagnostics)?;
        Ok(ReportPlan { plan, drawing: bound.drawing, query: bound.query })
    }

    /// An axis that has no heading of its own is called by its attribute, and by its role where it is pinned to one.
    fn name_for_readers(&self, axis: &mut BoundAxis) {
        if let (BoundKind::Column(column, role), true) = (&axis.expr.kind, axis.label == axis.name) {
            let schema = &self.model.schema;
            let own = schema.column(*column);
            let named = axis.name == schema.qualified(*column) || axis.name == own.name;
            axis.label = match (role, self.word_of(*column)) {
                (Some(role), Some(words)) => format!("{words} ({})", self.model.role_name(*role)),
                (Some(role), None) => readable(&format!("{} {}", self.model.role_name(*role), own.name)),
                (None, Some(words)) if named => words,
                (None, None) if named => readable(&own.name),
                (None, _) => return,
            };
        }
    }

    /// The picture of a report, with its query.
    fn picture(&self, report: &Report, given: &Given) -> Result<(Picture, BoundQuery), Error> {
        let ReportPlan { mut plan, drawing, query } = self.report_plan(report, given, None)?;
        let answer = self.report_answer(report, &mut plan)?;
        let origin = self.origin(report, &query, &drawing);
        let picture = Picture {
            title: self.with_values(&report.title, given),
            about: report.about.as_ref().map(|a| self.with_values(a, given)),
            answer,
            drawing,
            locale: self.locale(),
            origin,
            details: PageDetails::default(),
        };
        Ok((picture, query))
    }

    pub(crate) fn report_answer(&self, report: &Report, plan: &mut Plan) -> Result<Answer, Error> {
        let answer = self.evaluate(plan, &self.options);
        answer.map_err(|error| evaluation_failure(&error, &self.model.sources, report.span))
    }

    /// What the figures of a report are made of: its query, and the formulas of the measures that stand in it, down to the
    /// aggregates.
    fn origin(&self, report: &Report, query: &BoundQuery, drawing: &Drawing) -> Vec<(OriginOf, String)> {
        let mut origin = vec![(OriginOf::Query, one_line(&report.text))];
        if let BoundQuery::Summary(query) = query {
            let shown = query.shows.iter().take(drawing.shown.max(1));
            for id in self.model.measures_in(shown.map(|s| &s.expr)) {
                let measure = self.model.measure(id);
                origin.push((OriginOf::Named(measure.name.clone()), one_line(&measure.text)));
            }
            let shown = query.shows.iter().take(drawing.shown.max(1));
            let columns = self.columns_behind(shown.map(|s| &s.expr));
            origin.extend(columns.into_iter().map(|(name, text)| (OriginOf::Named(name), text)));
            let mut bounds: Vec<_> = query.shows.iter().map(|s| &s.expr).collect();
            bounds.extend(query.axes.iter().map(|a| &a.expr));
            bounds.extend(query.filters.iter().chain(&query.having));
            let used = self.model.params_in(&bounds);
            for (id, value) in query.params.iter().filter(|(id, _)| used.contains(id)) {
                origin.push((OriginOf::Named(format!(":{}", self.model.param(*id).name)), value.to_string()));
            }
        }
        let viewer = self.viewer.as_ref().and_then(|v| self.model.viewers.iter().find(|own| own.name == *v));
        let seen = |v: &vembra_model::Viewer| format!("{} sees only {}", v.name, one_line(&v.text));
        origin.extend(viewer.map(|v| (OriginOf::Viewer, seen(v))));
        origin
    }

    /// The formulas of computed columns behind figures, and then the columns of each file that all is made of.
    fn columns_behind<'b>(&'b self, figures: impl Iterator<Item = &'b Bound>) -> Vec<(String, String)> {
        let schema = &self.model.schema;
        let columns = self.model.columns_in(figures);
        let formula = |id: &ColumnId| self.model.column_info(*id).text;
        let name = |id: &ColumnId| schema.qualified(*id);
        let mut behind: Vec<(String, String)> =
            columns.iter().filter_map(|id| Some((name(id), one_line(&formula(id)?)))).collect();
        let read = |id: &&ColumnId| !self.model.column_formulas.contains_key(*id);
        for table in schema.table_ids() {
            let own = columns.iter().filter(read).filter(|id| schema.column(**id).table == table);
            let names: Vec<&str> = own.map(|id| schema.column(*id).name.as_str()).collect();
            let origin = self.star.table(table).map(|table| Path::new(&table.origin).file_name());
            let file = origin.flatten().map(|file| file.to_string_lossy().into_owned());
            if !names.is_empty() {
                behind.push((file.unwrap_or_else(|| schema.table(table).name.clone()), names.join(", ")));
            }
        }
        behind
    }
}

/// A report on its way to a picture.
pub(crate) struct ReportPlan {
    pub(crate) plan: Plan,
    drawing: Drawing,
    pub(crate) query: BoundQuery,
}

impl ReportPlan {
    fn planned(self) -> (Plan, Drawing) {
        (self.plan, self.drawing)
    }
}

/// A name as readers of a page like it: `first_order` as `First order`.
fn readable(name: &str) -> String {
    capitalised(&name.replace('_', " "))
}
