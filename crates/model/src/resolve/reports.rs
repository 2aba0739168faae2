//! Reports and dashboards by their names.

use super::Resolver;
use crate::bind::{Binder, bind_report, param_value};
use crate::declarations::Declared;
use crate::messages;
use crate::param::ParamValue;
use crate::report::{Dashboard, PAGE, PageRow, PageRowItem, Report, Switch};
use crate::scope::BindScope;
use std::collections::BTreeMap;
use vembra_plan::Scalar;
use vembra_syntax::ast::{self, View};
use vembra_syntax::{Diagnostic, KeptNode, SourceId};

/// Pages are between these many pixels wide and high.
const SIDES: std::ops::RangeInclusive<u32> = 320..=20_000;

impl Resolver<'_> {
    pub(super) fn reports(&mut self) {
        let declarations = self.declarations;
        for declared in &declarations.reports {
            let Some(name) = declared.node.name() else { continue };
            if !self.new_name(&name, declared.source) {
                continue;
            }
            let Some(root) = declared.node.query() else { continue };
            let name = name.name();
            let switches = self.switches(&ast::options(&declared.node), declared.source);
            let report = Report {
                title: declared.node.title().unwrap_or_else(|| name.clone()),
                name,
                about: ast::property::<ast::AboutProp>(&declared.node).and_then(|a| a.text_value()),
                text: self.model.sources.slice(ast::place_of(&root, declared.source)).to_owned(),
                switches,
                span: declared.span(),
                source: declared.source,
                node: KeptNode::new(declared.node.node()),
            };
            let (_, diagnostics) = bind_report(&self.model, &self.model.sources, &report, &BTreeMap::new());
            self.diagnostics.extend(diagnostics);
            self.model.reports.push(report);
        }
        for declared in &declarations.dashboards {
            self.dashboard(declared);
        }
    }

    /// Whether no report and no dashboard has the name yet.
    fn new_name(&mut self, name: &ast::Name, source: SourceId) -> bool {
        let text = name.name();
        let places = self.model.reports.iter().map(|r| (&r.name, r.span));
        let places = places.chain(self.model.dashboards.iter().map(|d| (&d.name, d.span)));
        let first = places.into_iter().find(|(n, _)| **n == text).map(|(_, span)| span);
        if let Some(first) = first {
            self.diagnostics.push(messages::declared_twice(name.span(source), first, &text));
        }
        first.is_none()
    }

    fn dashboard(&mut self, declared: &Declared<ast::DashboardDecl>) {
        let (node, source) = (&declared.node, declared.source);
        let Some(name) = node.name() else { return };
        if !self.new_name(&name, source) {
            return;
        }
        let size = match node.size() {
            None => PAGE,
            Some(size) => {
                let sides: Vec<Option<u32>> = size.numbers().iter().map(|n| n.parse().ok()).collect();
                match sides.as_slice() {
                    [Some(width), Some(height)] if SIDES.contains(width) && SIDES.contains(height) => {
                        (*width, *height)
                    }
                    _ => {
                        self.diagnostics.push(messages::odd_page(size.span(source)));
                        PAGE
                    }
                }
            }
        };
        let switches = self.switches(&ast::options(node), source);
        let rows: Vec<PageRow> = node.rows().iter().map(|s| self.page_row(s, source)).collect();
        if rows.is_empty() && self.diagnostics.is_empty() {
            self.diagnostics.push(messages::empty_page(declared.span()));
        }
        self.model.dashboards.push(Dashboard {
            title: node.title().unwrap_or_else(|| name.name()),
            name: name.name(),
            about: ast::property::<ast::AboutProp>(node).and_then(|a| a.text_value()),
            size,
            switches,
            rows,
            span: declared.span(),
        });
    }

    fn page_row(&mut self, row: &ast::PageRow, source: SourceId) -> PageRow {
        let share = self.share(row.share(), source);
        let mut items = Vec::new();
        for item in row.items() {
            let width = self.share(item.share(), source);
            let paragraphs = item.paragraphs();
            if !paragraphs.is_empty() {
                items.push((PageRowItem::Text(paragraphs), width));
                continue;
            }
            let Some(name) = item.report() else { continue };
            match self.model.reports.iter().position(|r| r.name == name.name()) {
                Some(report) => items.push((PageRowItem::Report(report), width)),
                None if self
                    .declarations
                    .reports
                    .iter()
                    .any(|r| r.node.name().is_some_and(|n| n.name() == name.name())) => {}
                None => {
                    let known: Vec<&str> = self.model.reports.iter().map(|r| r.name.as_str()).collect();
                    let message = messages::unknown_report(name.span(source), &name.name(), &known);
                    self.diagnostics.push(message);
                }
            }
        }
        PageRow { share, items }
    }

    fn share(&mut self, share: Option<ast::Share>, source: SourceId) -> f64 {
        let Some(share) = share else { return 1.0 };
        let number = share.number().and_then(|n| n.parse::<f64>().ok()).filter(|n| *n > 0.0 && *n <= 1000.0);
        if number.is_none() {
            self.diagnostics.push(messages::odd_share(share.span(source)));
        }
        number.unwrap_or(1.0)
    }

    fn switches(&mut self, options: &[ast::SwitchOption], source: SourceId) -> Vec<Switch> {
        let mut diagnostics = Vec::new();
        let switches = options.iter().filter_map(|o| self.switch(o, source, &mut diagnostics)).collect();
        self.diagnostics.extend(diagnostics);
        switches
    }

    fn switch(
        &self,
        option: &ast::SwitchOption,
        source: SourceId,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Option<Switch> {
        let name = option.name()?;
        let span = name.span(source);
        let model = &self.model;
        let Some(id) = model.find_param(&name.name()) else {
            let known: Vec<&str> = model.params.iter().map(|p| p.name.as_str()).collect();
            diagnostics.push(messages::unknown_switch(span, &name.name(), &known));
            return None;
        };
        let param = model.param(id);
        if option.values().is_empty() && param.attribute {
            let named = |(at, key): (usize, &crate::DetailKey)| {
                let info = model.column_info(key.column);
                let name = model.schema.column(key.column).name.replace('_', " ");
                (ParamValue::Choice(at), info.label.unwrap_or(name))
            };
            return Some(Switch { param: id, values: param.choices.iter().enumerate().map(named).collect() });
        }
        let mut binder = Binder::new(model, &model.sources, source, BindScope::VALUE, diagnostics);
        let values: Option<Vec<(ParamValue, String)>> = option
            .values()
            .iter()
            .map(|v| Some((param_value(&mut binder, id, v)?, shown(&param_value(&mut binder, id, v)?))))
            .collect();
        let values = values?;
        if values.len() < 2 {
            diagnostics.push(messages::switch_without_values(span, &name.name()));
            return None;
        }
        Some(Switch { param: id, values })
    }
}

fn shown(value: &ParamValue) -> String {
    match value {
        ParamValue::Value(Scalar::Null) => "(none)".to_owned(),
        ParamValue::Value(value) => value.to_string(),
        ParamValue::Choice(at) => at.to_string(),
    }
}
