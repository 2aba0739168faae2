//! Rows that belong to several members by bridges, where choices of lines look at these: a row belongs to those of its members that were
//! chosen, or to the rest.
//!
//! A row of a server has no number that distinguishes it from others, and must not be counted twice where several of its members
//! come to one. So it is first found out under which members those rows stand that are alike in all that choices and bridges look at,
//! each once; the rows are then joined to these.

use crate::NONE;
use crate::builder::Builder;
use crate::keys::KeySql;
use crate::refused::Refused;
use crate::rows::{Rows, different};
use vembra_plan::{Choice, Graph, KeyId, Scan};

/// The name under which the members stand that rows are joined to.
const MEMBERS: &str = "under";

impl Builder<'_> {
    /// Joins to rows the members of `position` under which they stand, as far as bridges or rests give these.
    pub(crate) fn several(
        &mut self,
        rows: &mut Rows,
        graph: &Graph,
        plan: &Scan,
        position: &[KeyId],
    ) -> Result<(), Refused> {
        let mut all = self.rows(plan.table)?;
        let mut conditions = self.bridges(&mut all, graph, plan, |_| true)?;
        for (key, expr) in plan.choices.iter().flat_map(|choice| &choice.own) {
            if all.stands(*key).is_none() {
                let own = self.key(&mut all, graph, *key, expr)?;
                all.cell.push((*key, own));
            }
        }
        let mut rests: Vec<(KeyId, KeySql)> = Vec::new();
        for choice in &plan.choices {
            let chosen = self.chosen(&mut all, graph, choice, &conditions)?;
            match choice.rest {
                None => conditions.push(chosen),
                Some(key) => {
                    let nothing = self.words().nothing(graph.keys[key.index()].ty);
                    rests.push((key, known(&all, key)?.kept(&chosen, &nothing)));
                }
            }
        }
        let given: Vec<KeyId> = position
            .iter()
            .copied()
            .filter(|k| plan.is_bridged(*k) || rests.iter().any(|r| r.0 == *k))
            .collect();
        let there = self.alike(&mut all, graph, plan)?;
        let mut columns: Vec<String> =
            there.iter().enumerate().map(|(at, sql)| format!("{sql} as alike_{at}")).collect();
        for key in &given {
            let rest = rests.iter().find(|(own, _)| own == key).map(|(_, sql)| sql.clone());
            let member = rest.map_or_else(|| known(&all, *key), Ok)?;
            columns.extend(member.selected(graph, *key));
        }
        let members = self.step("members", different(&columns, &all, &conditions));
        let here = self.alike(rows, graph, plan)?;
        let on: Vec<String> =
            here.iter().enumerate().map(|(at, sql)| format!("{MEMBERS}.alike_{at} = {sql}")).collect();
        rows.join(format!("join {members} as {MEMBERS} on {}", on.join(" and ")));
        rows.cell.extend(given.iter().map(|key| (*key, KeySql::in_columns(graph, *key, MEMBERS))));
        Ok(())
    }

    /// What rows have in common that belong to the same members: by what bridges are found, and where choices stand by the rows' own keys.
    /// Each is a value that is never null, or what one stands for.
    fn alike(&mut self, rows: &mut Rows, graph: &Graph, plan: &Scan) -> Result<Vec<String>, Refused> {
        let mut alike = Vec::new();
        for bridged in &plan.bridges {
            let (keys, missing) = self.led_to(rows, bridged)?;
            for key in keys {
                let sql = KeySql::of(self.words(), &key, &NONE.to_string());
                alike.extend([sql.value, sql.stands]);
            }
            alike.push(missing);
        }
        for (key, expr) in plan.choices.iter().flat_map(|choice| &choice.own) {
            let sql = self.key(rows, graph, *key, expr)?;
            alike.extend([sql.value, sql.stands]);
        }
        Ok(alike)
    }

    /// Whether the line was chosen on which each row stands.
    fn chosen(
        &mut self,
        all: &mut Rows,
        graph: &Graph,
        choice: &Choice,
        conditions: &[String],
    ) -> Result<String, Refused> {
        let keys: Vec<(KeyId, KeySql)> = graph
            .node(choice.node)
            .keys
            .iter()
            .map(|key| Ok((*key, known(all, *key)?)))
            .collect::<Result<_, _>>()?;
        let cells = self.asked(graph, all, &keys, conditions);
        let figure = self.figure(graph, choice.node, &cells)?;
        Ok(format!("coalesce({}, false)", all.join_figure(graph, &figure, &keys)))
    }
}

/// Where rows stand on a key.
fn known(rows: &Rows, key: KeyId) -> Result<KeySql, Refused> {
    rows.stands(key).cloned().ok_or_else(|| Refused::new("a choice of lines by a key that no row gives"))
}
