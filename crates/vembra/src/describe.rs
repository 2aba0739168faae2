//! What a model holds, as text.

use crate::session::Session;
use vembra_draw::{Align, TextTable, grouped};
use vembra_model::{ColumnInfo, Measure, Report, Treatment};
use vembra_plan::{ColumnId, LinkId, TableId};
use vembra_syntax::{Span, nearest, one_line};

impl Session {
    /// Tables, links, columns and measures; or all about one of them, by name. `None` if nothing has that name;
    /// [`Session::nearest_name`] then says what may have been meant.
    pub fn describe(&self, name: Option<&str>) -> Option<String> {
        let Some(name) = name else { return Some(self.describe_all()) };
        if let Some(id) = self.model.find_measure(name) {
            return Some(self.describe_measure(self.model.measure(id)));
        }
        if let Some(treatment) = self.model.find_treatment(name) {
            return Some(self.describe_treatment(treatment));
        }
        if let Some(table) = self.model.find_table(name) {
            return Some(self.describe_table(table));
        }
        if let Some(report) = self.model.reports.iter().find(|r| r.name == name) {
            return Some(self.describe_report(report));
        }
        let (table, column) = name.split_once('.').map_or((None, name), |(t, c)| (Some(t), c));
        let found: Vec<ColumnId> = (0..self.model.schema.columns.len() as u32)
            .map(ColumnId)
            .filter(|c| self.model.schema.column(*c).name == column)
            .filter(|c| table.is_none_or(|t| self.table_name(self.model.schema.column(*c).table) == t))
            .collect();
        let texts: Vec<String> = found.iter().map(|c| self.describe_column(*c)).collect();
        (!texts.is_empty()).then(|| texts.join("\n"))
    }

    /// The name nearest to one that nothing has.
    pub fn nearest_name(&self, name: &str) -> Option<String> {
        let measures = self.model.measures.iter().map(|m| m.name.as_str());
        let measures = measures.chain(self.model.treatments.iter().map(|t| t.name.as_str()));
        let tables = self.model.schema.tables.iter().map(|t| t.name.as_str());
        let columns = self.model.schema.columns.iter().map(|c| c.name.as_str());
        let reports = self.model.reports.iter().map(|r| r.name.as_str());
        nearest(name, measures.chain(tables).chain(columns).chain(reports)).map(str::to_owned)
    }

    fn table_name(&self, table: TableId) -> &str {
        &self.model.schema.table(table).name
    }

    fn describe_all(&self) -> String {
        let mut text = String::new();
        for table in self.model.schema.table_ids() {
            text.push_str(&self.describe_table(table));
            text.push('\n');
        }
        text.push_str("Measures\n\n");
        let mut table = TextTable::new(vec![Align::Left; 3]);
        table.heading(["name", "formula", "about"].map(str::to_owned).to_vec());
        for measure in &self.model.measures {
            let about = measure.about.clone().unwrap_or_default();
            table.row(vec![measure.name.clone(), clipped(&one_line(&measure.text)), about]);
        }
        text.push_str(&indented(&table));
        if !self.model.treatments.is_empty() {
            text.push_str("\nMeasures with arguments\n\n");
            let mut table = TextTable::new(vec![Align::Left; 3]);
            table.heading(["name", "formula", "about"].map(str::to_owned).to_vec());
            for treatment in &self.model.treatments {
                let about = treatment.about.clone().unwrap_or_default();
                table.row(vec![treatment.signature(), clipped(&one_line(&treatment.text)), about]);
            }
            text.push_str(&indented(&table));
        }
        self.describe_rest(&mut text);
        text
    }

    /// Parameters, viewers and assertions.
    fn describe_rest(&self, text: &mut String) {
        if !self.model.params.is_empty() {
            text.push_str("\nParameters\n\n");
            let mut table = TextTable::new(vec![Align::Left; 4]);
            table.heading(["name", "takes", "default", "about"].map(str::to_owned).to_vec());
            for param in &self.model.params {
                let choices = || {
                    let names = param.choices.iter().map(|c| self.model.schema.qualified(c.column));
                    names.collect::<Vec<_>>()
                };
                let takes = if param.attribute { choices().join(", ") } else { param.ty.to_string() };
                let default = match &param.default {
                    Some(vembra_model::ParamValue::Value(value)) => value.literal(),
                    Some(vembra_model::ParamValue::Choice(at)) => choices().swap_remove(*at),
                    None => String::new(),
                };
                let about = param.about.clone().unwrap_or_default();
                table.row(vec![param.name.clone(), takes, default, about]);
            }
            text.push_str(&indented(&table));
        }
        // What others see is nothing that a viewer learns.
        let is_told = |viewer: Option<&String>| {
            self.viewer.is_none() || viewer.is_none() || viewer == self.viewer.as_ref()
        };
        let viewers: Vec<_> = self.model.viewers.iter().filter(|v| is_told(Some(&v.name))).collect();
        if !viewers.is_empty() {
            text.push_str("\nViewers\n\n");
            for viewer in viewers {
                text.push_str(&format!("  {} sees only {}\n", viewer.name, one_line(&viewer.text)));
            }
        }
        let assertions: Vec<_> =
            self.model.assertions.iter().filter(|a| is_told(a.seen_by.as_ref())).collect();
        if !assertions.is_empty() {
            text.push_str("\nAssertions\n\n");
            for assertion in assertions {
                text.push_str(&format!("  {}\n", assertion.title));
            }
        }
        let drawn = self.drawn_names();
        if !drawn.is_empty() {
            text.push_str("\nReports and dashboards\n\n");
            let mut table = TextTable::new(vec![Align::Left; 2]);
            table.heading(["name", "title"].map(str::to_owned).to_vec());
            drawn.into_iter().for_each(|(name, title)| table.row(vec![name.to_owned(), title]));
            text.push_str(&indented(&table));
        }
    }

    fn describe_report(&self, report: &Report) -> String {
        let mut text = format!("report {}: {}\n", report.name, report.title);
        text.push_str(&format!("\n  query  {}\n", one_line(&report.text)));
        if let Some(about) = &report.about {
            text.push_str(&format!("  about     {about}\n"));
        }
        for switch in &report.switches {
            let values: Vec<&str> = switch.values.iter().map(|(_, name)| name.as_str()).collect();
            let name = &self.model.param(switch.param).name;
            text.push_str(&format!("  switch    {name}: {}\n", values.join(", ")));
        }
        text
    }

    fn describe_table(&self, table: TableId) -> String {
        let def = self.model.schema.table(table);
        let kind = def.kind.word();
        let name = if kind == def.name { kind.to_owned() } else { format!("{kind} {}", def.name) };
        let there = self.server.is_some() && !matches!(def.kind, vembra_plan::TableKind::Calendar { .. });
        let rows =
            if there { "on a server".to_owned() } else { format!("{} rows", grouped(self.star.rows(table))) };
        let mut text = format!("{name}, {rows}\n\n");
        let mut columns = TextTable::new(vec![Align::Left; 4]);
        columns.heading(["column", "type", "what it is", "about"].map(str::to_owned).to_vec());
        for column in &def.columns {
            let info = self.model.column_info(*column);
            let what = self.column_role(*column, &info);
            let schema = self.model.schema.column(*column);
            let about = info.about.unwrap_or_default();
            columns.row(vec![schema.name.clone(), schema.ty.to_string(), clipped(&what), about]);
        }
        text.push_str(&indented(&columns));
        if let Some(derived) = self.model.derived.iter().find(|d| d.table == table) {
            text.push_str(&format!("\n  made by\n    {}\n", one_line(&derived.text)));
        }
        let links: Vec<LinkId> =
            self.model.schema.link_ids().filter(|l| self.model.schema.link_source(*l) == table).collect();
        if !links.is_empty() {
            text.push_str("\n  links\n");
        }
        for link in links {
            text.push_str(&format!("    {}\n", self.link_text(link)));
        }
        let bridges = self
            .model
            .schema
            .link_ids()
            .filter(|l| self.model.schema.link(*l).bridge && self.model.schema.link_target(*l) == table);
        for bridge in bridges {
            let several = self.table_name(self.model.schema.link_source(bridge));
            text.push_str(&format!("\n  several rows of {several} each, by a bridge\n"));
        }
        for hierarchy in self.model.hierarchies.iter().filter(|h| h.table == table) {
            let levels: Vec<&str> =
                hierarchy.levels.iter().map(|l| self.model.schema.column(*l).name.as_str()).collect();
            text.push_str(&format!("\n  hierarchy {}: {}\n", hierarchy.name, levels.join(" > ")));
        }
        text
    }

    /// Whether a column is a key, links on, or is computed.
    fn column_role(&self, column: ColumnId, info: &ColumnInfo) -> String {
        let schema = &self.model.schema;
        let table = schema.table(schema.column(column).table);
        let mut parts = Vec::new();
        if table.key.contains(&column) {
            parts.push("key".to_owned());
        }
        for link in schema.links.iter().filter(|l| l.from.contains(&column)) {
            let role = link.role.map(|r| format!(" as {}", self.model.role_name(r))).unwrap_or_default();
            let target = schema.column(link.to[0]).table;
            parts.push(format!("to {}{role}", self.table_name(target)));
        }
        let counted = schema.column(column).formula.as_ref().is_some_and(|f| f.counted);
        let sign = if counted { "days so far with" } else { "=" };
        parts.extend(info.text.as_ref().map(|t| format!("{sign} {}", one_line(t))));
        parts.join(", ")
    }

    fn link_text(&self, link: LinkId) -> String {
        let schema = &self.model.schema;
        let def = schema.link(link);
        let names = |columns: &[ColumnId]| -> String {
            columns.iter().map(|c| schema.column(*c).name.as_str()).collect::<Vec<_>>().join(", ")
        };
        let by = if def.coarse { format!(" by {}", names(&def.to)) } else { String::new() };
        let as_of = def.as_of.map(|as_of| {
            let until = as_of.until.map(|c| format!(" until {}", schema.column(c).name)).unwrap_or_default();
            format!(" as of {}{until}", names(&def.to[def.to.len() - 1..]))
        });
        let by = as_of.unwrap_or(by);
        let role = def.role.map(|r| format!(" as {}", self.model.role_name(r))).unwrap_or_default();
        let default = if def.default { " (default)" } else { "" };
        let bridge = if def.bridge { ", a bridge: it has several rows here" } else { "" };
        let target = self.table_name(schema.link_target(link));
        format!("{} to {target}{by}{role}{default}{bridge}", names(&def.from))
    }

    fn describe_measure(&self, measure: &Measure) -> String {
        let mut text = format!("measure {} ({})\n", measure.name, measure.formula.ty);
        text.push_str(&format!("  = {}\n", one_line(&measure.text)));
        for (what, variant) in [("subtotal", &measure.subtotal), ("total", &measure.total)] {
            if let Some(variant) = variant {
                let format = variant.format.as_ref().map(|f| format!("   {f}")).unwrap_or_default();
                text.push_str(&format!("  on {what}s = {}{format}\n", one_line(&variant.text)));
            }
        }
        let properties = [("label", &measure.label), ("format", &measure.format), ("about", &measure.about)];
        text.push_str(&self.describe_properties(properties, measure.span));
        text
    }

    fn describe_treatment(&self, treatment: &Treatment) -> String {
        let mut text = format!("measure {}\n", treatment.signature());
        text.push_str(&format!("  = {}\n", one_line(&treatment.text)));
        let properties =
            [("label", &treatment.label), ("format", &treatment.format), ("about", &treatment.about)];
        text.push_str(&self.describe_properties(properties, treatment.span));
        text
    }

    /// What a declaration says of itself, and where it stands.
    fn describe_properties(&self, properties: [(&str, &Option<String>); 3], span: Span) -> String {
        let said = properties.into_iter().filter_map(|(what, value)| value.as_ref().map(|v| (what, v)));
        let mut text: String = said.map(|(what, value)| format!("  {what:<7} {value}\n")).collect();
        let (line, _) = self.model.sources.line_column(span);
        let file = self.model.sources.name(span.source);
        text.push_str(&format!("  in      {file}, line {line}\n"));
        text
    }

    fn describe_column(&self, column: ColumnId) -> String {
        let schema = self.model.schema.column(column);
        let info = self.model.column_info(column);
        let mut text = format!("column {} ({})\n", self.model.schema.qualified(column), schema.ty);
        let role = self.column_role(column, &info);
        let order: Vec<String> = info.order.iter().map(ToString::to_string).collect();
        let mut values = self.star.members(column).unwrap_or_default();
        let by_hand = |v: &_| info.order.iter().position(|o| o == v).unwrap_or(info.order.len());
        values.sort_by_key(by_hand);
        let shown: Vec<String> = values.iter().take(8).map(ToString::to_string).collect();
        let more = if values.len() > shown.len() { ", …" } else { "" };
        let missing = self.star.column(column).map_or(0, |c| c.missing());
        let missing = match missing {
            0 => String::new(),
            1 => "1 row has no value".to_owned(),
            more => format!("{} rows have no value", grouped(more)),
        };
        let parts = [
            ("is", role),
            ("label", info.label.unwrap_or_default()),
            ("format", info.format.unwrap_or_default()),
            ("about", info.about.unwrap_or_default()),
            ("order", order.join(", ")),
            (
                "values",
                match &self.server {
                    Some(_) if values.is_empty() => "on a server; ask for them: rows … show …".to_owned(),
                    _ => format!("{} different: {}{more}", grouped(values.len()), shown.join(", ")),
                },
            ),
            ("missing", missing),
        ];
        for (what, value) in parts.iter().filter(|(_, v)| !v.is_empty()) {
            text.push_str(&format!("  {what:<7} {value}\n"));
        }
        text
    }
}

/// The start of a long formula: describing the thing itself shows all of it.
fn clipped(text: &str) -> String {
    const MOST: usize = 56;
    if text.chars().count() <= MOST {
        return text.to_owned();
    }
    let start: String = text.chars().take(MOST - 1).collect();
    format!("{}…", start.trim_end())
}

fn indented(table: &TextTable) -> String {
    table.to_string().lines().map(|l| format!("  {l}\n")).collect()
}
