//! Cells in statements: a relation of combinations of members, and what is joined to it.

use crate::builder::Builder;
use crate::keys::{columns, equal, selected};
use vembra_plan::{Graph, KeyId};

/// The name under which cells stand where figures are worked out for them.
pub(crate) const CELL: &str = "c";

/// Cells that figures are worked out for.
#[derive(Clone, Debug)]
pub(crate) struct Cells {
    /// The step that has them.
    pub(crate) name: String,
    pub(crate) keys: Vec<KeyId>,
    /// What was joined to them so far, with its name here.
    joins: Vec<(String, String)>,
}

impl Cells {
    pub(crate) fn new(name: String, keys: Vec<KeyId>) -> Self {
        Self { name, keys, joins: Vec::new() }
    }

    /// The one cell without keys.
    pub(crate) fn one() -> Self {
        Self::new("(select 1 as here)".to_owned(), Vec::new())
    }

    /// The same cells without what was joined.
    pub(crate) fn bare(&self) -> Self {
        Self::new(self.name.clone(), self.keys.clone())
    }

    /// What stands behind `from`.
    pub(crate) fn from(&self) -> String {
        let joins = self.joins.iter().map(|(join, _)| join.as_str());
        std::iter::once(format!("{} as {CELL}", self.name).as_str())
            .chain(joins)
            .collect::<Vec<_>>()
            .join("\n")
    }

    /// Joins a step whose rows stand on some of the keys, on none of them if there is just one, and gives the name under which it stands.
    pub(crate) fn join(&mut self, graph: &Graph, step: &str, keys: &[KeyId]) -> String {
        // Where cells are the groups themselves, their figures stand beside them.
        if step == self.name && !keys.is_empty() && self.keys.iter().all(|key| keys.contains(key)) {
            return CELL.to_owned();
        }
        let joins = |join: &str| {
            join.split(" as ").next().is_some_and(|begin| begin.ends_with(&format!("join {step}")))
        };
        if let Some((_, name)) = self.joins.iter().find(|(join, _)| joins(join)) {
            return name.clone();
        }
        if keys.is_empty() {
            let name = format!("f{}", self.joins.len() + 1);
            self.joins.push((format!("cross join {step} as {name}"), name.clone()));
            return name;
        }
        self.join_on(step, &equal(graph, keys, "{}", CELL))
    }

    /// Joins a step under a condition, in which `{}` is the name under which it stands.
    pub(crate) fn join_on(&mut self, step: &str, on: &str) -> String {
        let name = format!("f{}", self.joins.len() + 1);
        let on = on.replace("{}", &name);
        self.joins.push((format!("left join {step} as {name} on {on}"), name.clone()));
        name
    }
}

impl Builder<'_> {
    /// The different cells on fewer keys.
    pub(crate) fn project(&mut self, graph: &Graph, cells: &Cells, keys: &[KeyId]) -> Cells {
        let keys: Vec<KeyId> = cells.keys.iter().copied().filter(|k| keys.contains(k)).collect();
        if keys.len() == cells.keys.len() {
            return cells.bare();
        }
        if keys.is_empty() {
            return Cells::one();
        }
        let body = format!(
            "select distinct {}\nfrom {} as {CELL}",
            selected(graph, &keys, CELL).join(", "),
            cells.name
        );
        let names: Vec<String> = keys.iter().map(|k| columns(graph, *k).0).collect();
        Cells::new(self.step(&format!("cells_{}", names.join("_")), body), keys)
    }
}
