//! Rewrites: one file each, in one list with reasons. Each keeps the meaning; the verifier runs after each.

mod count_combinations;
mod merge_scans;
mod split_conditions;

use crate::graph::Graph;
use crate::ids::ScanId;
use crate::plan::Plan;
use crate::schema::{Formula, Schema};
use crate::verify::{self, Broken};

pub(crate) use merge_scans::parts;

/// One rewrite.
pub struct Rewrite {
    /// Its name in messages.
    pub name: &'static str,
    /// What it does to a graph; the scans are those that stand outside of it, such as those that lines come from.
    pub run: fn(&mut Graph, &mut [ScanId]),
}

/// All rewrites in the order in which they run.
pub const ALL: [Rewrite; 3] = [
    // First, so that equal conditions are seen as equal, and each can be carried along its own link.
    Rewrite { name: "split conditions", run: split_conditions::run },
    // Then what need not be worked out goes, before it is read beside what is needed.
    Rewrite { name: "count combinations", run: count_combinations::run },
    // Then all that is read from one table under the same conditions and keys is read in one pass.
    Rewrite { name: "merge scans", run: merge_scans::run },
];

/// Runs all rewrites on a plan, and the verifier before, and after each in debug builds.
///
/// # Errors
/// A broken invariant, with the pass at fault.
pub fn run(schema: &Schema, plan: &mut Plan) -> Result<(), Broken> {
    verify::plan(schema, plan, "planning")?;
    for rewrite in &ALL {
        match plan {
            Plan::Query(query) => {
                (rewrite.run)(&mut query.graph, &mut query.domain);
                query.domain.sort();
                query.domain.dedup();
            }
            Plan::List(list) => (rewrite.run)(&mut list.graph, &mut []),
        }
        if cfg!(debug_assertions) {
            verify::plan(schema, plan, rewrite.name)?;
        }
    }
    Ok(())
}

/// The same for the formula of a column, which is not verified: its column may not be in the schema yet.
pub fn run_formula(formula: &mut Formula) {
    ALL.iter().for_each(|rewrite| (rewrite.run)(&mut formula.graph, &mut []));
}
