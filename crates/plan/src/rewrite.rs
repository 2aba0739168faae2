//! Rewrites: one file each, in one list with reasons. Each keeps the meaning; the verifier runs after each.

mod merge_scans;
mod split_conditions;

use crate::query::Query;
use crate::schema::Schema;
use crate::verify::{self, Broken};

/// One rewrite.
pub struct Rewrite {
    /// Its name in messages.
    pub name: &'static str,
    /// What it does to a plan.
    pub run: fn(&Schema, &mut Query),
}

/// All rewrites in the order in which they run.
pub const ALL: [Rewrite; 2] = [
    // First, so that equal conditions are seen as equal, and each can be carried along its own link.
    Rewrite { name: "split conditions", run: split_conditions::run },
    // Then all that is read from one table under the same conditions and keys is read in one pass.
    Rewrite { name: "merge scans", run: merge_scans::run },
];

/// Runs all rewrites, and the verifier before and after each in debug builds.
///
/// # Errors
/// A broken invariant, with the pass at fault.
pub fn run(schema: &Schema, query: &mut Query) -> Result<(), Broken> {
    verify::query(schema, query, "planning")?;
    for rewrite in &ALL {
        (rewrite.run)(schema, query);
        if cfg!(debug_assertions) {
            verify::query(schema, query, rewrite.name)?;
        }
    }
    Ok(())
}
