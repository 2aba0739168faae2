//! Choices of lines: those for which a condition holds, and the first ones by a figure.

use crate::builder::Builder;
use crate::cells::{CELL, Cells};
use crate::keys::{equal, selected};
use crate::refused::Refused;
use vembra_plan::{Graph, Kept, KeptRule, KeyId};

impl Builder<'_> {
    /// Whether cells were chosen among the lines that have rows.
    pub(crate) fn kept(&mut self, graph: &Graph, kept: &Kept, cells: &Cells) -> Result<String, Refused> {
        let mut lines = self.lines(graph, &kept.domain, &cells.keys)?;
        let keys = lines.keys.clone();
        let own = selected(graph, &keys, CELL);
        let here = |own: &[String]| {
            own.iter().cloned().chain(["true as here".to_owned()]).collect::<Vec<_>>().join(", ")
        };
        let chosen = match &kept.rule {
            KeptRule::Having(condition) => {
                let holds = self.node(graph, *condition, &mut lines)?;
                let body = format!("select {}\nfrom {}\nwhere {}", here(&own), lines.from(), holds.sql);
                self.step("chosen", body)
            }
            KeptRule::Top { count, by, smallest, key, ties } => {
                let value = self.node(graph, *by, &mut lines)?;
                let others: Vec<KeyId> = keys.iter().copied().filter(|k| k != key).collect();
                let apart = selected(graph, &others, CELL);
                let partition = if apart.is_empty() {
                    String::new()
                } else {
                    format!("partition by {} ", apart.join(", "))
                };
                let order = if *smallest { "" } else { " desc" };
                let place = if *ties {
                    format!("rank() over ({partition}order by {}{order})", value.sql)
                } else {
                    let members = self.member_order(graph, *key, CELL);
                    format!("row_number() over ({partition}order by {}{order}, {members})", value.sql)
                };
                let columns: Vec<String> = own.iter().cloned().chain([format!("{place} as place")]).collect();
                let placed = format!(
                    "select {}\nfrom {}\nwhere {} is not null",
                    columns.join(", "),
                    lines.from(),
                    value.sql
                );
                let placed = self.step("placed", placed);
                self.step(
                    "chosen",
                    format!("select {}\nfrom {placed} as {CELL}\nwhere place <= {count}", here(&own)),
                )
            }
        };
        let mut all = cells.bare();
        let name = all.join_on(&chosen, &equal(graph, &keys, "{}", CELL));
        let columns: Vec<String> = selected(graph, &cells.keys, CELL)
            .into_iter()
            .chain([format!("({name}.here is not null) as figure")])
            .collect();
        Ok(self.step("is_chosen", format!("select {}\nfrom {}", columns.join(", "), all.from())))
    }
}
