//! Which keys rows are grouped by: a key with the same codes as another one, or that follows from another one, costs nothing.

use vembra_plan::{KeyId, LinkId};

/// From a key with fewer codes than this nothing is derived: grouping by both is as quick.
const FEW_CODES: usize = 4;

/// Something that rows are grouped by.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct PassKey {
    /// What it is.
    pub of: KeyOf,
    /// How many codes it has: a member each, and those of none, of unknown keys and of a rest.
    pub codes: usize,
    /// Where the code of a row comes from.
    pub source: KeySource,
    /// Whether rows are grouped by it.
    pub role: KeyRole,
}

/// What rows are grouped by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum KeyOf {
    /// A key of the plan.
    Key(KeyId),
    /// The combinations of members that a bridge gives to a row.
    Bridge,
    /// The days of a date range.
    Days,
    /// The cells whose conditions the row meets.
    Classes,
}

/// Where the code of a row comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum KeySource {
    /// A column of the table.
    Column,
    /// A column that is reached by links: the row id that the first of them leads to is looked up in a table of codes.
    Links(Vec<LinkId>),
    /// The same, with the codes materialised for the rows of the table.
    Denormalised(Vec<LinkId>),
    /// An expression, evaluated for all rows or for each member of the one column that it reads.
    Computed,
}

/// Whether rows are grouped by a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeyRole {
    /// They are.
    Grouping,
    /// It has the codes of another one, at this position.
    SameAs(usize),
    /// It follows from another one, at this position: its codes are looked up once for each group.
    DependentOn(usize),
}

/// The role of each key. `codes` says how many codes each has, `same` whether two have the same codes in all rows, `follows` whether the
/// second one is a dependent of the first, in all rows.
pub(crate) fn choose(
    codes: &[usize],
    same: impl Fn(usize, usize) -> bool,
    mut follows: impl FnMut(usize, usize) -> bool,
) -> Vec<KeyRole> {
    let mut roles = vec![KeyRole::Grouping; codes.len()];
    for at in 0..codes.len() {
        let known = (0..at).find(|before| roles[*before] == KeyRole::Grouping && same(*before, at));
        roles[at] = known.map_or(KeyRole::Grouping, KeyRole::SameAs);
    }
    let grouping: Vec<usize> = (0..codes.len()).filter(|at| roles[*at] == KeyRole::Grouping).collect();
    // What any key determines the finest one most likely does.
    let finest = grouping.iter().copied().max_by_key(|at| codes[*at]);
    let Some(finest) = finest.filter(|at| grouping.len() > 1 && codes[*at] >= FEW_CODES) else {
        return roles;
    };
    for at in grouping {
        if at != finest && follows(finest, at) {
            roles[at] = KeyRole::DependentOn(finest);
        }
    }
    roles
}

#[cfg(test)]
mod tests {
    use super::KeyRole::{DependentOn, Grouping, SameAs};
    use super::choose;

    #[test]
    fn a_dependent_key_is_not_grouped_by() {
        // Orders determine their customer and its region; not the product of a line.
        let determined = |from: usize, to: usize| from == 1 && [0, 2].contains(&to);
        let roles = choose(&[90, 7_000, 5, 40], |_, _| false, determined);
        assert_eq!(roles, [DependentOn(1), Grouping, DependentOn(1), Grouping]);
    }

    #[test]
    fn keys_with_the_same_codes_are_grouped_by_once() {
        let roles = choose(&[12, 12, 5, 12], |a, b| a != 2 && b != 2, |_, _| false);
        assert_eq!(roles, [Grouping, SameAs(0), Grouping, SameAs(0)]);
        // A dependent that comes twice follows once.
        let roles = choose(&[5, 5, 900], |a, b| a + b == 1, |from, _| from == 2);
        assert_eq!(roles, [DependentOn(2), SameAs(0), Grouping]);
    }

    #[test]
    fn nothing_is_derived_from_few_codes_nor_from_the_only_key() {
        assert_eq!(choose(&[3, 3], |_, _| false, |_, _| true), [Grouping, Grouping]);
        assert_eq!(choose(&[900], |_, _| false, |_, _| true), [Grouping]);
        assert_eq!(choose(&[], |_, _| false, |_, _| true), []);
    }
}
