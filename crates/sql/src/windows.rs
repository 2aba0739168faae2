//! Figures among the lines shown: ranks, running sums, the line before.

use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::functions::cast;
use crate::keys::{columns, selected};
use crate::refused::Refused;
use crate::values::Value;
use crate::{REST, VALUE};
use vembra_plan::{Graph, KeyId, Type, WindowCall, WindowFrame, WindowOrder};

impl Builder<'_> {
    pub(crate) fn window(
        &mut self,
        graph: &Graph,
        window: &WindowCall,
        ty: Type,
        cells: &Cells,
    ) -> Result<String, Refused> {
        let among: Vec<KeyId> = window.among.iter().copied().filter(|k| cells.keys.contains(k)).collect();
        let stands = match window.order {
            WindowOrder::Key(key) if window.function.is_ordered() => {
                cells.keys.contains(&key) && !among.is_empty()
            }
            _ => !among.is_empty(),
        };
        let mut own = cells.bare();
        let keys = selected(graph, &cells.keys, CELL);
        let step = |builder: &mut Self, figure: String, own: &Cells| {
            let columns: Vec<String> = keys.iter().cloned().chain([format!("{figure} as figure")]).collect();
            builder.step("among", format!("select {}\nfrom {}", columns.join(", "), own.from()))
        };
        if !stands {
            return Ok(step(self, self.words().null(ty), &own));
        }
        let value = self.node(graph, window.value, &mut own)?;
        let others: Vec<KeyId> = cells.keys.iter().copied().filter(|k| !among.contains(k)).collect();
        let mut apart = selected(graph, &others, CELL);
        let form = window.function.form();
        let figure = match form.frame {
            WindowFrame::All => {
                let rests: Vec<String> = among
                    .iter()
                    .filter(|k| graph.keys[k.index()].rest.is_some())
                    .map(|k| format!(" and {CELL}.{} <> {REST}", columns(graph, *k).1))
                    .collect();
                let known = format!("({} is not null{})", value.sql, rests.concat());
                apart.push(known.clone());
                format!(
                    "(case when {known} then {}() over (partition by {} order by {} desc) end)",
                    form.sql,
                    apart.join(", "),
                    value.sql
                )
            }
            WindowFrame::UpToLine | WindowFrame::LineBefore => {
                let mut order = Vec::new();
                match window.order {
                    WindowOrder::Key(key) => order.push(self.member_order(graph, key, CELL)),
                    WindowOrder::Figure { node, descending } => {
                        let by = self.node(graph, node, &mut own)?;
                        order.push(format!("{}{} nulls last", by.sql, if descending { " desc" } else { "" }));
                    }
                }
                for key in &cells.keys {
                    order.push(self.member_order(graph, *key, CELL));
                }
                let partition = if apart.is_empty() {
                    String::new()
                } else {
                    format!("partition by {} ", apart.join(", "))
                };
                let over = format!("over ({partition}order by {}", order.join(", "));
                if form.frame == WindowFrame::LineBefore {
                    format!("{}({}) {over})", form.sql, value.sql)
                } else {
                    let summed = Value { sql: cast(self.words(), &value, ty)?, ty, fixed: None };
                    self.words().running(&summed, &format!("{over} rows unbounded preceding)"))
                }
            }
        };
        Ok(step(self, figure, &own))
    }

    /// The order of the members of a key: that by hand first, then their own; none, unknown and the rest behind them.
    pub(crate) fn member_order(&mut self, graph: &Graph, key: KeyId, of: &str) -> String {
        let (value, stands) = columns(graph, key);
        let by_hand = &graph.keys[key.index()].order;
        let mut order = format!("{of}.{stands}");
        if !by_hand.is_empty() {
            let cases: Vec<String> = by_hand
                .iter()
                .enumerate()
                .map(|(at, member)| format!("when {of}.{value} = {} then {at}", self.bind(member)))
                .collect();
            order += &format!(
                ", case when {of}.{stands} <> {VALUE} then 0 {} else {} end",
                cases.join(" "),
                by_hand.len()
            );
        }
        format!("{order}, {of}.{value}")
    }
}
