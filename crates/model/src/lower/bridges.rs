//! What lies behind bridges, as a scan has it: keys, conditions and choices that look at the several rows of a row.

use super::rows::RowScope;
use super::{Lowering, Use};
use crate::bound::Bound;
use crate::messages;
use crate::route::{Crossing, RouteError};
use vembra_plan::{BridgeKey, Bridged, Choice, KeyId, NodeId, RowExpr};

/// The bridges of a scan while it is made.
#[derive(Default)]
pub(super) struct Bridges {
    pub(super) bridges: Vec<Bridged>,
    pub(super) choices: Vec<Choice>,
}

impl Bridges {
    /// The bridge of a crossing, which is taken once.
    fn at(&mut self, crossing: &Crossing) -> &mut Bridged {
        let same = |b: &Bridged| b.link == crossing.link && b.path == crossing.path;
        let at = self.bridges.iter().position(same).unwrap_or_else(|| {
            let (path, link, table) = (crossing.path.clone(), crossing.link, crossing.table);
            self.bridges.push(Bridged { path, link, table, filter: Vec::new(), keys: Vec::new() });
            self.bridges.len() - 1
        });
        &mut self.bridges[at]
    }

    /// A key that a bridge gives.
    fn key(&mut self, crossing: &Crossing, key: KeyId, expr: RowExpr, splits: bool) {
        let keys = &mut self.at(crossing).keys;
        match keys.iter_mut().find(|k| k.key == key) {
            Some(known) => known.splits |= splits,
            None => keys.push(BridgeKey { key, expr, splits }),
        }
    }
}

impl Lowering<'_> {
    /// The bridge behind which all columns of an expression lie, if any of them does.
    #[allow(clippy::option_option)] // The outer one says whether it could be known.
    pub(super) fn crossing(&mut self, bound: &Bound, scope: RowScope<'_>) -> Option<Option<Crossing>> {
        let model = self.model;
        let mut found: Option<Crossing> = None;
        let mut beside = None;
        for (column, role, span) in bound.columns() {
            match model.bridged(scope.table, column, role, scope.roles) {
                Ok(None) => beside = Some(model.written(column)),
                Ok(Some(crossing)) => match &found {
                    Some(known) if known.link != crossing.link => {
                        beside = Some(model.written(column));
                    }
                    _ => found = Some(crossing),
                },
                Err(RouteError::Several { through }) => {
                    let name = |t| model.schema.table(t).name.clone();
                    let through: Vec<String> = through.into_iter().map(name).collect();
                    let to = model.written(column);
                    let from = name(scope.table);
                    return self.fail(messages::several_bridges(span, &from, &to, &through));
                }
                Err(_) => {}
            }
        }
        if let (Some(crossing), Some(other)) = (&found, beside) {
            return self.fail(self.mixed(bound, crossing, &other));
        }
        if let Some(crossing) = &found {
            self.used.extend(&crossing.chosen_by);
        }
        Some(found)
    }

    fn mixed(&self, bound: &Bound, crossing: &Crossing, other: &str) -> vembra_syntax::Diagnostic {
        let schema = &self.model.schema;
        let several = &schema.table(crossing.table).name;
        let to = &schema.table(schema.link_target(crossing.link)).name;
        messages::mixed_bridge(bound.span, several, other, to)
    }

    /// A key of a scan that a bridge gives.
    pub(super) fn bridge_key(
        &mut self,
        key: KeyId,
        crossing: &Crossing,
        scope: RowScope<'_>,
        splits: bool,
        into: &mut Bridges,
    ) -> Option<()> {
        let expr = self.keys[key.index()].expr.clone();
        let expr = self.behind(&expr, crossing, scope)?;
        into.key(crossing, key, expr, splits);
        Some(())
    }

    /// A condition on the rows of a bridge.
    pub(super) fn bridge_condition(
        &mut self,
        condition: &Bound,
        crossing: &Crossing,
        scope: RowScope<'_>,
        into: &mut Bridges,
    ) -> Option<()> {
        let lowered = self.behind(condition, crossing, scope.to(Use::Filter))?;
        let filter = &mut into.at(crossing).filter;
        if !filter.contains(&lowered) {
            filter.push(lowered);
        }
        Some(())
    }

    /// An expression of the rows of a bridge. It may not ask where the cell stands: that may be a row of the same bridge.
    fn behind(&mut self, bound: &Bound, crossing: &Crossing, scope: RowScope<'_>) -> Option<RowExpr> {
        let lowered = self.row_in(bound, RowScope { table: crossing.table, ..scope })?;
        if lowered.asks_cell() {
            return self.fail(self.mixed(bound, crossing, "where the line stands"));
        }
        Some(lowered)
    }

    /// A choice of lines of whose keys a bridge gives at least one; `Some(false)` if none does.
    pub(super) fn bridge_choice(
        &mut self,
        (node, keys): (NodeId, &[KeyId]),
        rest: Option<KeyId>,
        scope: RowScope<'_>,
        into: &mut Bridges,
    ) -> Option<bool> {
        let plain = self.plain.clone();
        let scope = scope.seeing(&plain).to(Use::Split);
        let mut choice = Choice { node, own: Vec::new(), bridged: Vec::new(), rest };
        let mut crossings = Vec::new();
        for key in keys {
            let expr = self.keys[key.index()].expr.clone();
            crossings.push((*key, self.crossing(&expr, scope)?));
        }
        if crossings.iter().all(|(_, crossing)| crossing.is_none()) {
            return Some(false);
        }
        for (key, crossing) in crossings {
            if let Some(crossing) = crossing {
                self.bridge_key(key, &crossing, scope, false, into)?;
                choice.bridged.push(key);
            } else {
                let expr = self.keys[key.index()].expr.clone();
                choice.own.push((key, self.row_in(&expr, scope)?));
            }
        }
        if !into.choices.contains(&choice) {
            into.choices.push(choice);
        }
        Some(true)
    }
}
