//! Figures at cells.

use crate::aggregates::of_nothing;
use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::functions::call;
use crate::keys::{columns, selected};
use crate::refused::Refused;
use crate::values::Value;
use crate::{NONE, UNKNOWN, VALUE};
use vembra_plan::{ColumnRef, Determining, Graph, KeyId, NodeId, NodeKind, TableId, Type};

/// How a graph is known: it stays in its place for as long as a statement is made.
pub(crate) fn known_as(graph: &Graph) -> usize {
    std::ptr::from_ref(graph) as usize
}

impl Builder<'_> {
    /// A figure at cells, as an expression over them and what is joined to them.
    pub(crate) fn node(&mut self, graph: &Graph, id: NodeId, cells: &mut Cells) -> Result<Value, Refused> {
        let node = graph.node(id);
        let value = |sql: String| Ok(Value { sql, ty: node.ty, fixed: None });
        match &node.kind {
            NodeKind::Literal(scalar) => Ok(Value { ty: node.ty, ..self.literal(scalar) }),
            NodeKind::Call(function, args) => {
                let args: Vec<Value> =
                    args.iter().map(|arg| self.node(graph, *arg, cells)).collect::<Result<_, _>>()?;
                value(call(self.words(), *function, &args, node.ty)?)
            }
            NodeKind::StandsOn => value(node.keys.iter().any(|k| cells.keys.contains(k)).to_string()),
            NodeKind::Member(key) => {
                if !cells.keys.contains(key) {
                    return value("null".to_owned());
                }
                let (own, stands) = columns(graph, *key);
                value(format!("(case when {CELL}.{stands} = {VALUE} then {CELL}.{own} end)"))
            }
            NodeKind::OnlyAt(inner, lists) => {
                let own: Vec<KeyId> = cells.keys.iter().copied().filter(|k| node.keys.contains(k)).collect();
                if lists.iter().all(|list| list.iter().any(|key| own.contains(key))) {
                    return self.node(graph, *inner, cells);
                }
                value(self.words().null(node.ty))
            }
            NodeKind::Aggregate(scan, index) => self.aggregate_at(graph, (*scan, *index), cells),
            // The others are about cells side by side: each is a step of its own.
            _ => {
                let own = self.project(graph, cells, &node.keys);
                let step = self.figure(graph, id, &own)?;
                let name = cells.join(graph, &step, &own.keys);
                value(format!("{name}.figure"))
            }
        }
    }

    /// An aggregate of a scan at cells.
    fn aggregate_at(
        &mut self,
        graph: &Graph,
        (scan, index): (vembra_plan::ScanId, usize),
        cells: &mut Cells,
    ) -> Result<Value, Refused> {
        let plan = graph.scan(scan);
        let position: Vec<KeyId> =
            cells.keys.iter().copied().filter(|k| plan.key_ids().any(|s| s == *k)).collect();
        let groups = self.groups_of(graph, scan, &position, cells)?;
        let mut keys = position;
        keys.extend(groups.given.iter().copied());
        let name = cells.join(graph, &groups.name, &keys);
        let aggregate = &plan.aggregates[index];
        let mut sql = format!("{name}.figure_{index}");
        if let Some(nothing) = of_nothing(aggregate.function) {
            sql = format!("coalesce({sql}, {nothing})");
        }
        if let Some(days) = &groups.days {
            // A cell that has no date range has no figure.
            let known = cells.join(graph, &days.name, &days.keys);
            sql = if days.takes_range { format!("(case when {known}.here then {sql} end)") } else { sql };
        }
        Ok(Value { sql, ty: aggregate.ty, fixed: None })
    }

    /// A figure side by side with the cells that it is worked out for: a step with their keys and `figure`.
    pub(crate) fn figure(&mut self, graph: &Graph, id: NodeId, cells: &Cells) -> Result<String, Refused> {
        let known = (known_as(graph), id, cells.name.clone());
        if let Some(step) = self.figures.get(&known) {
            return Ok(step.clone());
        }
        let node = graph.node(id);
        let step = match &node.kind {
            NodeKind::Fold(fold) => self.fold(graph, fold, node.ty, cells)?,
            NodeKind::Window(window) => self.window(graph, window, node.ty, cells)?,
            NodeKind::Kept(kept) => self.kept(graph, kept, cells)?,
            NodeKind::Edge { last, calendar, steps } => self.edge(graph, (*last, *calendar, steps), cells)?,
            NodeKind::Derive { inner, key, away, from } => {
                let stands = cells.keys.contains(key);
                let (inner, key) =
                    away.as_ref().filter(|_| !stands).map_or((*inner, *key), |(node, key)| (*node, *key));
                let from = from.iter().filter(|_| !stands).find(|from| cells.keys.contains(&from.key));
                match from {
                    None => self.plain_figure(graph, inner, cells)?,
                    Some(from) => {
                        let map = self.derived_keys(graph, key, from)?;
                        self.moved(graph, inner, key, (cells, &map, from.key))?
                    }
                }
            }
            NodeKind::At { inner, key, member } => self.at_member(graph, (*inner, *key, *member), cells)?,
            _ => self.plain_figure(graph, id, cells)?,
        };
        self.figures.insert(known, step.clone());
        Ok(step)
    }

    fn plain_figure(&mut self, graph: &Graph, id: NodeId, cells: &Cells) -> Result<String, Refused> {
        let mut own = cells.bare();
        let value = self.node(graph, id, &mut own)?;
        let keys = selected(graph, &own.keys, CELL);
        let columns: Vec<String> = keys.into_iter().chain([format!("{} as figure", value.sql)]).collect();
        Ok(self.step("figure", format!("select {}\nfrom {}", columns.join(", "), own.from())))
    }

    /// Per member of a key the member of another one that it determines.
    fn derived_keys(&mut self, graph: &Graph, key: KeyId, from: &Determining) -> Result<String, Refused> {
        let mut rows = self.rows(from.table)?;
        let (to, own) = (
            self.key(&mut rows, graph, key, &from.determined)?,
            self.key(&mut rows, graph, from.key, &from.own)?,
        );
        let ((to_name, to_stands), (from_name, from_stands)) =
            (columns(graph, key), columns(graph, from.key));
        let body = format!(
            "select {} as {from_name}, {} as {from_stands}, min({}) as to_{to_name}, min({}) as to_{to_stands}\nfrom {}\ngroup by 1, 2",
            own.value,
            own.stands,
            to.value,
            to.stands,
            rows.from()
        );
        Ok(self.step(&format!("{to_name}_of_{from_name}"), body))
    }

    /// A figure at cells that stand on a further key, which a map gives for one of theirs.
    fn moved(
        &mut self,
        graph: &Graph,
        inner: NodeId,
        key: KeyId,
        (cells, map, from): (&Cells, &str, KeyId),
    ) -> Result<String, Refused> {
        let mut own = cells.bare();
        let name = own.join(graph, map, &[from]);
        let (value, stands) = columns(graph, key);
        let from_stands = columns(graph, from).1;
        let nothing = self.words().nothing(graph.keys[key.index()].ty);
        // What is none or unknown determines the same.
        let missing = format!("{CELL}.{from_stands} in ({NONE}, {UNKNOWN})");
        let of = format!(
            "case when {missing} or {name}.to_{value} is null then {nothing} else {name}.to_{value} end"
        );
        let lacks = if graph.keys[key.index()].missing_as_one {
            NONE.to_string()
        } else {
            format!("{CELL}.{from_stands}")
        };
        let is = format!("case when {missing} then {lacks} else coalesce({name}.to_{stands}, {NONE}) end");
        self.at_further_key(graph, inner, key, (own, &of, &is))
    }

    /// A figure at the member of a further key that a figure says.
    fn at_member(
        &mut self,
        graph: &Graph,
        (inner, key, member): (NodeId, KeyId, NodeId),
        cells: &Cells,
    ) -> Result<String, Refused> {
        let mut own = cells.bare();
        let said = self.node(graph, member, &mut own)?;
        let of = format!("coalesce({}, {})", said.sql, self.words().nothing(graph.keys[key.index()].ty));
        let is = format!("case when {} is null then {NONE} else {VALUE} end", said.sql);
        self.at_further_key(graph, inner, key, (own, &of, &is))
    }

    fn at_further_key(
        &mut self,
        graph: &Graph,
        inner: NodeId,
        key: KeyId,
        (cells, of, is): (Cells, &str, &str),
    ) -> Result<String, Refused> {
        let (value, stands) = columns(graph, key);
        let keys = selected(graph, &cells.keys, CELL);
        let columns: Vec<String> =
            keys.iter().cloned().chain([format!("{of} as {value}"), format!("{is} as {stands}")]).collect();
        let moved =
            self.step("moved", format!("select distinct {}\nfrom {}", columns.join(", "), cells.from()));
        let all = cells.keys.iter().copied().chain([key]).collect();
        let at = Cells::new(moved, all);
        let inner = self.figure(graph, inner, &at)?;
        let mut own = cells.clone();
        let on = format!(
            "{} and {{}}.{value} = {of} and {{}}.{stands} = {is}",
            crate::keys::equal(graph, &cells.keys, "{}", CELL)
        );
        let name = own.join_on(&inner, &on);
        let columns: Vec<String> = keys.into_iter().chain([format!("{name}.figure")]).collect();
        Ok(self.step("figure", format!("select {}\nfrom {}", columns.join(", "), own.from())))
    }

    /// The first or last day of cells.
    fn edge(
        &mut self,
        graph: &Graph,
        (last, calendar, steps): (bool, TableId, &[vembra_plan::DateStep]),
        cells: &Cells,
    ) -> Result<String, Refused> {
        let days = self.days(graph, calendar, steps, &cells.keys, None)?;
        let mut own = cells.bare();
        let name = own.join(graph, &days.edges, &days.keys);
        let column = if last { "last_day" } else { "first_day" };
        let keys = selected(graph, &own.keys, CELL);
        let columns: Vec<String> = keys.into_iter().chain([format!("{name}.{column} as figure")]).collect();
        Ok(self.step("edge", format!("select {}\nfrom {}", columns.join(", "), own.from())))
    }

    /// A column of a calendar that holds its days, as rows that links lead there see it.
    pub(crate) fn day_of_rows(
        &mut self,
        rows: &mut crate::rows::Rows,
        calendar: TableId,
        path: &[vembra_plan::LinkId],
    ) -> Result<Value, Refused> {
        let Some(column) = crate::calendars::day_column(self.source, calendar) else {
            return Err(Refused::new("a calendar without days"));
        };
        self.column(rows, &ColumnRef { path: path.to_vec(), column, ty: Type::Date })
    }
}
