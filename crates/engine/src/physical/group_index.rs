//! How the group of a row is found: by a direct index, by the order of one key, or by hashing.

use crate::execution::options::{MOST_PARTS, PART};

/// A direct index has at most this many groups,
const MOST_DIRECT: u128 = 1 << 23;
/// and unless the limit of the options is higher, at most this many for each row.
const DIRECT_FOR_ROW: u128 = 2;
/// A direct index of this many bytes is taken without counting the rows that pass.
const FEW_BYTES: u128 = 1 << 18;
/// The direct indexes of all parts together have about this many groups: what parts have for the same group is merged once more, so there
/// are fewer parts the more groups there are.
const DIRECT_OF_ALL_PARTS: u128 = 1 << 22;
/// At most this many codes of the key that determines the others have a slot, for each row.
const SLOTS_FOR_ROW: u128 = 4;
/// The groups of a part take at most this many bytes for each of its rows,
const BYTES_FOR_ROW: u128 = 4;
/// unless there would be fewer parts than this.
const FEWEST_PARTS: u128 = 4;

/// How the group of a row is found, and in how many parts the rows are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Grouping {
    /// The index.
    pub index: GroupIndexForm,
    /// The rows are cut into at most this many parts, which threads read side by side and whose groups are merged in order.
    pub parts: usize,
    /// Why this index.
    pub reason: GroupingReason,
}

/// The forms of a group index.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum GroupIndexForm {
    /// Each combination of codes has a group, whether rows have it or not.
    Direct {
        /// How many combinations there are.
        groups: usize,
    },
    /// One key determines nearly all others: each of its codes has a slot for its first group; further groups of a code are hashed.
    Clustered {
        /// The position of the key among those that rows are grouped by.
        key: usize,
        /// Whether rows stand in the order of that key, so that a part has codes of its own.
        in_order: bool,
    },
    /// Combinations are hashed.
    Hash,
}

/// Why rows are grouped by an index.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum GroupingReason {
    /// The index takes so little that the rows need not be counted.
    Small,
    /// The combinations are within the limit.
    WithinLimit,
    /// There are not many more combinations than this many rows that pass.
    BesideRows(usize),
    /// One key determines the others.
    OneKey,
    /// There are too many combinations for the rows that pass.
    ManyCombinations,
}

/// What is known of the groups of a pass before rows are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Facts {
    /// How many combinations of codes there are.
    pub(crate) combinations: u128,
    /// The position of the key with the most codes, and how many it has.
    pub(crate) finest: (usize, u128),
    /// About how many bytes a group takes.
    pub(crate) group_bytes: u128,
    /// Up to this many combinations are direct-indexed whatever the rows.
    pub(crate) limit: usize,
    /// Whether an index led to the rows: they are known already.
    pub(crate) listed: bool,
    /// How many rows the table has.
    pub(crate) table_rows: usize,
}

/// What has to be looked up in the rows, and is only where it matters.
pub(crate) trait Order {
    /// Whether rows with the same code of the finest key mostly have the same codes of all others.
    fn determines(&self) -> bool;
    /// Whether each part of the rows has codes of its own of the finest key.
    fn is_clustered(&self) -> bool;
}

/// The grouping that does not depend on how many rows pass; none if it does.
pub(crate) fn choose_before_filter(facts: &Facts) -> Option<Grouping> {
    let Facts { combinations, group_bytes, .. } = *facts;
    let is_small = combinations <= facts.within() && group_bytes * combinations <= FEW_BYTES;
    (is_small && !facts.listed).then(|| facts.direct(parts_of(facts.table_rows), GroupingReason::Small))
}

/// The grouping for this many rows that pass.
pub(crate) fn choose(facts: &Facts, rows: usize, order: &impl Order) -> Grouping {
    let Facts { combinations, finest: (finest, codes), .. } = *facts;
    let by_rows = parts_of(rows);
    let parts = |groups: u128| facts.parts(groups, rows).min(by_rows);
    if combinations <= facts.within() {
        return facts.direct(parts(combinations), GroupingReason::WithinLimit);
    }
    let passing = rows as u128;
    let one_key = combinations / codes <= u128::from(u32::MAX)
        && codes <= facts.within().max(SLOTS_FOR_ROW * passing)
        && order.determines();
    let in_order = one_key && order.is_clustered();
    // Where none is direct-indexed by the limit, none is for want of rows.
    let fits =
        facts.limit > 0 && combinations <= facts.within().max(DIRECT_FOR_ROW * passing).min(MOST_DIRECT);
    if fits && !in_order {
        return facts.direct(parts(combinations), GroupingReason::BesideRows(rows));
    }
    if one_key {
        let parts = if in_order { by_rows } else { parts(codes * SLOTS_FOR_ROW) };
        let index = GroupIndexForm::Clustered { key: finest, in_order };
        return Grouping { index, parts, reason: GroupingReason::OneKey };
    }
    Grouping { index: GroupIndexForm::Hash, parts: by_rows, reason: GroupingReason::ManyCombinations }
}

impl Facts {
    /// Up to how many combinations are direct-indexed whatever the rows: without keys there is one.
    fn within(&self) -> u128 {
        (self.limit as u128).max(1)
    }

    fn direct(&self, parts: usize, reason: GroupingReason) -> Grouping {
        // Within the limits on a direct index.
        let groups = usize::try_from(self.combinations).unwrap_or(usize::MAX);
        Grouping { index: GroupIndexForm::Direct { groups }, parts, reason }
    }

    /// In how many parts rows are read that each have room for all of this many groups.
    fn parts(&self, groups: u128, rows: usize) -> usize {
        let groups = groups.max(1);
        let by_groups = (DIRECT_OF_ALL_PARTS / groups).max(2);
        by_groups.min(parts_with_room(rows, groups * self.group_bytes) as u128) as usize
    }
}

/// In how many parts this many rows are cut by their count alone.
fn parts_of(rows: usize) -> usize {
    (rows / PART).clamp(1, MOST_PARTS)
}

/// In how many parts rows are read that each have room for all groups, which takes this many bytes: so that none has much more room than its
/// rows fill. They can be shared out evenly among threads.
pub(crate) fn parts_with_room(rows: usize, bytes: u128) -> usize {
    let most = (BYTES_FOR_ROW * rows as u128 / bytes.max(1)).clamp(FEWEST_PARTS, MOST_PARTS as u128);
    1 << most.ilog2()
}

#[cfg(test)]
mod tests {
    use super::GroupIndexForm::{Clustered, Direct, Hash};
    use super::{Facts, GroupingReason, Order, choose, choose_before_filter, parts_with_room};

    /// Whether the finest key determines the others, and whether rows stand in its order.
    struct Seen(bool, bool);

    impl Order for Seen {
        fn determines(&self) -> bool {
            self.0
        }

        fn is_clustered(&self) -> bool {
            self.1
        }
    }

    fn facts(combinations: u128, finest: u128) -> Facts {
        Facts {
            combinations,
            finest: (1, finest),
            group_bytes: 9,
            limit: 1 << 16,
            listed: false,
            table_rows: 1 << 24,
        }
    }

    #[test]
    fn few_groups_are_direct_indexed_without_counting_rows() {
        let grouping = choose_before_filter(&facts(24, 6)).unwrap();
        assert_eq!((grouping.index, grouping.reason), (Direct { groups: 24 }, GroupingReason::Small));
        // Not where they take much, nor where the rows are known.
        assert_eq!(choose_before_filter(&Facts { group_bytes: 50_000, ..facts(24, 6) }), None);
        assert_eq!(choose_before_filter(&Facts { listed: true, ..facts(24, 6) }), None);
        assert_eq!(choose_before_filter(&facts(70_000, 600)), None);
    }

    #[test]
    fn the_rows_that_pass_decide_between_a_direct_index_and_hashing() {
        let many = facts(1_000_000, 1_000);
        let form = |rows| choose(&many, rows, &Seen(false, false)).index;
        assert_eq!(form(500_000), Direct { groups: 1_000_000 });
        assert_eq!(form(499_999), Hash);
        // Never more than there is room for.
        assert_eq!(choose(&facts(1 << 24, 1_000), 1 << 24, &Seen(false, false)).index, Hash);
        // Without a limit nothing is direct-indexed but the one group of no keys.
        assert_eq!(choose(&Facts { limit: 0, ..many }, 500_000, &Seen(false, false)).index, Hash);
        assert_eq!(
            choose(&Facts { limit: 0, ..facts(1, 1) }, 9, &Seen(false, false)).index,
            Direct { groups: 1 }
        );
    }

    #[test]
    fn one_key_that_determines_the_others_has_slots() {
        // 1.5 million orders, each of one customer, of 6 million rows.
        let orders = facts(1_500_000 * 150_000, 1_500_000);
        let grouping = |seen| choose(&orders, 6_000_000, &seen);
        assert_eq!(grouping(Seen(true, false)).index, Clustered { key: 1, in_order: false });
        assert_eq!(grouping(Seen(false, false)).index, Hash);
        // In order each part has its own codes, so all threads read.
        let in_order = grouping(Seen(true, true));
        assert_eq!((in_order.index, in_order.parts), (Clustered { key: 1, in_order: true }, 16));
        // Slots for all codes do not pay for few rows.
        assert_eq!(choose(&orders, 300_000, &Seen(true, true)).index, Hash);
        // Order comes before a direct index, which would be as large as all parts together.
        let alone = facts(1_500_000, 1_500_000);
        assert_eq!(choose(&alone, 6_000_000, &Seen(true, true)).index, Clustered { key: 1, in_order: true });
        assert_eq!(choose(&alone, 6_000_000, &Seen(true, false)).index, Direct { groups: 1_500_000 });
    }

    #[test]
    fn parts_have_not_much_more_room_than_their_rows_fill() {
        // Sums of few groups, then of a group for every tenth row, and for every row.
        assert_eq!(parts_with_room(6_000_000, 8 * 100), 16);
        assert_eq!(parts_with_room(6_000_000, 8 * 300_000), 8);
        assert_eq!(parts_with_room(6_000_000, 8 * 6_000_000), 4);
        assert_eq!(parts_with_room(0, 0), 4);
    }
}
