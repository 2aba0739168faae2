//! Which scans can be answered from representative rows or run boundaries: their inputs depend on one determinant, or on a few whose runs are
//! long, and their aggregates ignore duplicates.

use super::Evaluator;
use crate::error::EngineError;
use crate::expression::prepare::Scope;
use crate::operators::members::Key;
use crate::statistics::representative_rows::Determinant;
use crate::statistics::run_boundaries::any_of;
use crate::storage::bitmap::Bitmap;
use crate::storage::row_id::{RowId, Rows};
use std::sync::Arc;
use vembra_plan::{AggregateFunction, KeyFrom, KeyId, RowExpr, RowLeaf, Scan};

/// A determinant, and a row for each of its members.
pub(super) type Representatives = (Determinant, Arc<Vec<RowId>>);

/// Groups by a key of more codes are not counted while rows go by.
const FEW_CODES: usize = 256;

impl Evaluator<'_> {
    /// The rows of which one stands for each member, if they answer a scan grouped by some keys.
    pub(super) fn representatives(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
    ) -> Result<Option<Representatives>, EngineError> {
        if !is_unmoved_by_the_same(scan) {
            return Ok(None);
        }
        let Some(source) = self.source_of(scan, keys) else { return Ok(None) };
        Ok(self.rows_of_each(source)?.map(|rows| (source, rows)))
    }

    /// Whether a scan grouped by some keys is read at once, since few rows say all.
    pub(super) fn few_rows_say_all(&self, scan: &Scan, position: &[KeyId]) -> Result<bool, EngineError> {
        let own = |key: &KeyId| scan.keys.iter().any(|own| own.key == *key);
        if position.is_empty()
            || !position.iter().all(own)
            || !scan.aggregates.iter().all(|a| is_unmoved(a.function))
        {
            return Ok(false);
        }
        let (keys, _) = self.bound_keys(scan, position, &Scope::default())?;
        let few = scan.filter.is_empty() && self.groups_at_most(scan, &keys)?.is_some();
        Ok(few || self.representatives(scan, &keys)?.is_some())
    }

    /// Where a scan asks only which groups have rows: how many there can be at most, by a key of which one row stands for each member.
    pub(super) fn groups_at_most(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
    ) -> Result<Option<usize>, EngineError> {
        let [(id, key)] = keys else { return Ok(None) };
        let own = scan.keys.iter().find(|own| own.key == *id && own.kept.is_none());
        let (true, Some(own)) = (scan.aggregates.is_empty() && key.members.codes() <= FEW_CODES, own) else {
            return Ok(None);
        };
        let mut sources = Vec::new();
        sources_of(&own.expr, &mut sources);
        let [source] = sources.as_slice() else { return Ok(None) };
        let Some(rows) = self.rows_of_each(*source)? else { return Ok(None) };
        let mut seen = vec![false; key.members.codes()];
        let mut codes = Vec::with_capacity(rows.len());
        key.read(Rows::List(&rows), &mut codes);
        codes.into_iter().for_each(|code| seen[code as usize] = true);
        Ok(Some(seen.into_iter().filter(|seen| *seen).count()))
    }

    /// The rows in which anything changes that a scan asks for, where none of its aggregates minds the same value again; none if these
    /// are many.
    pub(super) fn run_boundaries(
        &self,
        scan: &Scan,
        keys: &[(KeyId, Key)],
    ) -> Result<Option<Arc<Bitmap>>, EngineError> {
        if !is_unmoved_by_the_same(scan) {
            return Ok(None);
        }
        let rows = self.star.rows(scan.table);
        let mut all = Vec::new();
        for source in asked_of_rows(scan, keys) {
            let changes = match source {
                Determinant::Link(link) => self.star.changes.of(source, rows, || {
                    let numbers = self.star.link_rows(link)?;
                    Ok(|rows| numbers.changes(rows))
                })?,
                Determinant::Column(column) => self.star.changes.of(source, rows, || {
                    let column = self.star.column(column)?;
                    Ok(|rows| column.changes(rows))
                })?,
            };
            let Some(changes) = changes else { return Ok(None) };
            all.push(changes);
        }
        Ok(any_of(&all, rows).map(Arc::new))
    }

    fn rows_of_each(&self, source: Determinant) -> Result<Option<Arc<Vec<RowId>>>, EngineError> {
        self.star.one_of_each.of(source, || match source {
            Determinant::Link(link) => Ok(self.star.link_rows(link)?.clone()),
            Determinant::Column(column) => Ok(self.star.column_key(column)?.numbers),
        })
    }

    /// The one source from which all follows that a scan asks of a row.
    fn source_of(&self, scan: &Scan, keys: &[(KeyId, Key)]) -> Option<Determinant> {
        let sources = asked_of_rows(scan, keys);
        let reaches = |from: Determinant, other: &Determinant| match (from, other) {
            (Determinant::Column(column), Determinant::Link(link)) => {
                self.star.schema().link(*link).from == [column]
            }
            _ => from == *other,
        };
        sources.iter().copied().find(|from| sources.iter().all(|other| reaches(*from, other)))
    }
}

/// Whether all that a scan finds is the same if a row comes several times.
fn is_unmoved_by_the_same(scan: &Scan) -> bool {
    let plain = scan.during.is_none() && scan.bridges.is_empty() && scan.choices.is_empty();
    plain && scan.aggregates.iter().all(|a| is_unmoved(a.function))
}

/// What all follows from that a scan asks of a row, grouped by some keys.
fn asked_of_rows(scan: &Scan, keys: &[(KeyId, Key)]) -> Vec<Determinant> {
    let mut sources = Vec::new();
    let own = scan.keys.iter().filter(|key| keys.iter().any(|(id, _)| *id == key.key));
    let exprs = own.flat_map(|key| std::iter::once(&key.expr).chain(&key.kept)).chain(&scan.filter);
    let of_aggregates = scan.aggregates.iter().flat_map(|a| a.value.iter().chain(&a.by).chain(&a.condition));
    exprs.chain(of_aggregates).for_each(|expr| sources_of(expr, &mut sources));
    sources
}

/// Whether an aggregate gives the same for values that come several times.
fn is_unmoved(function: AggregateFunction) -> bool {
    use AggregateFunction as F;
    matches!(
        function,
        F::CountDistinct | F::Min | F::Max | F::Any | F::Every | F::First | F::Last | F::ListAggDistinct
    )
}

/// What the values that an expression takes from a row follow from.
fn sources_of(expr: &RowExpr, sources: &mut Vec<Determinant>) {
    expr.leaves(&mut |leaf| match leaf {
        RowLeaf::Column(column) => {
            let source = column
                .path
                .first()
                .map_or(Determinant::Column(column.column), |link| Determinant::Link(*link));
            if !sources.contains(&source) {
                sources.push(source);
            }
        }
        RowLeaf::Lookup(lookup) => {
            for key in &lookup.keys {
                if let KeyFrom::Row(expr) = &key.from {
                    sources_of(expr, sources);
                }
            }
        }
    });
}
