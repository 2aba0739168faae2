//! Accumulators: what is kept per group while rows go by. All can be merged, so that parts of the rows can
//! be read apart, and totals come from the details without reading the rows again.

#![allow(clippy::unnecessary_wraps)] // All accumulators answer alike.

mod bit_sets;
mod collect;
mod count;
mod distinct;
mod extreme;
mod logic;
mod order_key;
mod runs;
mod sorted_set;
mod spread;
mod sum;

pub(crate) use order_key::OrderKey;

use crate::error::EngineError;
use crate::execution::budget::Budget;
use crate::execution::parallel::holds_in_pieces;
use crate::execution::threads::try_gather_of;
use crate::expression::vector::Vector;
use crate::storage::narrow::narrow;
use std::borrow::{Borrow, Cow};
use std::ops::Range;
use vembra_plan::{Aggregate, AggregateFunction, Scalar, Type};

/// A group that is left out when accumulators are merged.
pub(crate) const NO_GROUP: u32 = u32::MAX;

/// What an aggregate is to give.
#[derive(Clone, Debug)]
pub(crate) struct Spec {
    pub(crate) function: AggregateFunction,
    /// The type of the values.
    pub(crate) value: Type,
    pub(crate) parameter: Option<Scalar>,
    /// The type of the result.
    pub(crate) ty: Type,
    /// How much memory texts may take that are put together.
    pub(crate) memory: Budget,
}

impl Spec {
    pub(crate) fn of(aggregate: &Aggregate) -> Self {
        Self {
            function: aggregate.function,
            value: aggregate.value.as_ref().map_or(Type::Null, vembra_plan::Expr::ty),
            parameter: aggregate.parameter.clone(),
            ty: aggregate.ty,
            memory: Budget::none(),
        }
    }

    /// The same within a limit on memory.
    pub(crate) fn within(self, memory: Budget) -> Self {
        Self { memory, ..self }
    }

    /// What it gives where there are no rows.
    pub(crate) fn of_nothing(&self) -> Scalar {
        use AggregateFunction as F;
        match self.function {
            F::Count | F::CountRows | F::CountDistinct => Scalar::Integer(0),
            F::Any => Scalar::Boolean(false),
            F::Every => Scalar::Boolean(true),
            _ => Scalar::Null,
        }
    }
}

/// The groups of a block of rows.
#[derive(Clone, Copy)]
pub(crate) enum Groups<'a> {
    /// All rows belong to group 0.
    One,
    /// The group of each row.
    Each(&'a [u32]),
}

impl Groups<'_> {
    fn of(&self, at: usize) -> usize {
        match self {
            Self::One => 0,
            Self::Each(groups) => groups[at] as usize,
        }
    }
}

macro_rules! accumulators {
    ($($name:ident($ty:ty),)*) => {
        /// The state of one aggregate, of all groups.
        #[derive(Clone, Debug)]
        pub(crate) enum Accumulator {
            $($name($ty),)*
        }

        impl Accumulator {
            /// The same kind of accumulator without groups.
            pub(crate) fn empty_like(&self) -> Self {
                match self {
                    $(Self::$name(state) => Self::$name(state.empty_like()),)*
                }
            }

            /// Makes room for this many groups.
            pub(crate) fn resize(&mut self, groups: usize) {
                match self {
                    $(Self::$name(state) => state.resize(groups),)*
                }
            }

            /// Takes in a block of rows, and the keys of `first` and `last`.
            pub(crate) fn update(
                &mut self, groups: Groups<'_>, values: &Block<'_>,
            ) -> Result<(), EngineError> {
                match self {
                    $(Self::$name(state) => state.update(groups, values),)*
                }
            }

            /// Takes in the groups of another one of the same kind: its group `g` goes to `map[g]`.
            pub(crate) fn merge(&mut self, other: &Self, map: &[u32]) -> Result<(), EngineError> {
                match (self, other) {
                    $((Self::$name(state), Self::$name(other)) => state.merge(other, map),)*
                    _ => Err(EngineError::Internal("accumulators of two kinds".to_owned())),
                }
            }

            /// About how much memory it takes.
            pub(crate) fn bytes(&self) -> usize {
                match self {
                    $(Self::$name(state) => state.bytes(),)*
                }
            }

            /// The results, one a group.
            pub(crate) fn finish(&self, spec: &Spec) -> Result<Vector, EngineError> {
                match self {
                    $(Self::$name(state) => state.finish(spec),)*
                }
            }
        }
    };
}

accumulators! {
    Count(count::Count),
    Sum(sum::Sum),
    Distinct(distinct::Distinct),
    Extreme(extreme::Extreme),
    Spread(spread::Spread),
    Collect(collect::Collect),
    Logic(logic::Logic),
}

/// Accumulators of fewer groups: group `g` goes to `map[g]`.
pub(crate) fn regrouped<A: Borrow<Accumulator> + Sync>(
    accumulators: &[A],
    map: &[u32],
    groups: usize,
) -> Result<Vec<Accumulator>, EngineError> {
    try_gather_of(accumulators.iter().collect(), |accumulator| {
        let accumulator: &Accumulator = accumulator.borrow();
        let mut folded = accumulator.empty_like();
        folded.resize(groups);
        folded.merge(accumulator, map)?;
        Ok(folded)
    })
}

/// Where groups go that are put together with others.
pub(crate) enum Moved {
    /// This many, side by side from one on.
    Together(usize, usize),
    /// Each one somewhere.
    Each(Vec<u32>),
}

impl Moved {
    /// Group `g` goes to `map[g]`.
    pub(crate) fn of(map: Vec<u32>) -> Self {
        match place_of_run(&map) {
            Some(start) => Self::Together(start, map.len()),
            None => Self::Each(map),
        }
    }

    /// Where the first one goes, if they stay side by side.
    fn start(&self) -> Option<usize> {
        if let Self::Together(start, _) = self { Some(*start) } else { None }
    }

    /// Where each one goes.
    pub(crate) fn map(&self) -> Cow<'_, [u32]> {
        match self {
            Self::Together(start, groups) => (narrow(*start)..narrow(start + groups)).collect(),
            Self::Each(map) => map.into(),
        }
    }
}

/// Where the groups of a map go that stay side by side; none if they do not.
fn place_of_run(map: &[u32]) -> Option<usize> {
    let first = *map.first().filter(|first| **first != NO_GROUP)?;
    let last = first.checked_add(narrow(map.len()) - 1)?;
    // Where the last one is not where it would be, the others need not be looked at.
    let follow = |piece: Range<usize>| map[piece].is_sorted_by(|a, b| a.wrapping_add(1) == *b);
    (map.last() == Some(&last) && holds_in_pieces(0..map.len(), follow)).then_some(first as usize)
}

/// The values of a block, as an accumulator sees them.
pub(crate) struct Block<'a> {
    /// How many rows.
    pub(crate) rows: usize,
    /// The values; none for a count of rows.
    pub(crate) value: Option<&'a Vector>,
    /// The type of the values.
    pub(crate) ty: Type,
    /// The keys of `first` and `last`, and their type.
    pub(crate) by: Option<(&'a Vector, Type)>,
}

impl Block<'_> {
    /// The positions that have a value, with it.
    fn present(&self) -> impl Iterator<Item = (usize, &Vector)> + '_ {
        let rows = if self.value.is_some() { self.rows } else { 0 };
        (0..rows).filter_map(|at| self.value.filter(|v| v.is_valid(at)).map(|v| (at, v)))
    }
}

impl Accumulator {
    /// Takes in the groups of others of the same kind, in their order, each to where it is moved.
    pub(crate) fn merge_all(&mut self, parts: &[&Self], moved: &[Moved]) -> Result<(), EngineError> {
        if self.take_runs(parts, moved) {
            return Ok(());
        }
        let maps: Vec<Cow<'_, [u32]>> = moved.iter().map(Moved::map).collect();
        if let Self::Collect(own) = self {
            let others: Option<Vec<_>> = parts
                .iter()
                .zip(&maps)
                .map(|(part, map)| if let Self::Collect(part) = part { Some((part, &**map)) } else { None })
                .collect();
            if others.is_some_and(|others| own.append(&others)) {
                return Ok(());
            }
        }
        parts.iter().zip(&maps).try_for_each(|(part, map)| self.merge(part, map))
    }

    /// Takes in others if the groups of all stay side by side, a piece of all groups at a time; says whether it did.
    fn take_runs(&mut self, parts: &[&Self], moved: &[Moved]) -> bool {
        macro_rules! all {
            ($kind:ident, $own:expr) => {{
                let mut same = Vec::with_capacity(parts.len());
                for (part, moved) in parts.iter().zip(moved) {
                    let (Self::$kind(part), Some(to)) = (part, moved.start()) else { return false };
                    same.push((to, part));
                }
                $own.take_runs(&same)
            }};
        }
        match self {
            Self::Sum(own) => all!(Sum, own),
            Self::Count(own) => all!(Count, own),
            Self::Extreme(own) => all!(Extreme, own),
            Self::Distinct(own) => all!(Distinct, own),
            _ => false,
        }
    }

    /// No more rows come, other than by merging: what can be done apart, part by part, is done now.
    pub(crate) fn settle(&mut self) {
        if let Self::Distinct(distinct) = self {
            distinct.settle();
        }
    }

    /// An empty accumulator for an aggregate. `always` says that every row has a value.
    pub(crate) fn new(spec: &Spec, always: bool) -> Self {
        use AggregateFunction as F;
        match spec.function {
            F::CountRows | F::Count => Self::Count(count::Count::default()),
            F::Sum | F::Avg => {
                let counts = spec.function == F::Avg || !always;
                Self::Sum(sum::Sum::new(spec.value == Type::Float, counts))
            }
            F::CountDistinct => Self::Distinct(distinct::Distinct::default()),
            F::Min | F::Max | F::First | F::Last => Self::Extreme(extreme::Extreme::new(spec.function)),
            F::StdDev | F::Variance => Self::Spread(spread::Spread::default()),
            F::Median | F::Percentile => Self::Collect(collect::Collect::new(true)),
            F::ListAgg | F::ListAggDistinct => Self::Collect(collect::Collect::new(false)),
            F::Any | F::Every => Self::Logic(logic::Logic::default()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{Accumulator, Block, Groups, NO_GROUP, Spec};
    use crate::expression::vector::Vector;
    use crate::storage::testing::Random;
    use vembra_plan::{AggregateFunction as F, Scalar, Type};

    const ALL: [F; 16] = [
        F::CountRows,
        F::Count,
        F::CountDistinct,
        F::Sum,
        F::Avg,
        F::Min,
        F::Max,
        F::First,
        F::Last,
        F::Median,
        F::Percentile,
        F::StdDev,
        F::Variance,
        F::ListAgg,
        F::ListAggDistinct,
        F::Any,
    ];

    struct Rows {
        groups: Vec<u32>,
        values: Vec<Scalar>,
        keys: Vec<Scalar>,
    }

    fn spec(function: F, value: Type) -> Option<Spec> {
        let ty = function.result(value).ok()?;
        let parameter = match function {
            F::Percentile => Some(Scalar::Float(0.25)),
            F::ListAgg | F::ListAggDistinct => Some(Scalar::text("; ")),
            _ => None,
        };
        Some(Spec { function, value, parameter, ty, memory: crate::execution::budget::Budget::none() })
    }

    fn read(spec: &Spec, groups: usize, rows: &Rows) -> Accumulator {
        let mut accumulator = Accumulator::new(spec, false);
        accumulator.resize(groups);
        let value = Vector::from_scalars(&rows.values, spec.value);
        let keys = Vector::from_scalars(&rows.keys, Type::Integer);
        let block = Block {
            rows: rows.groups.len(),
            value: (spec.function != F::CountRows).then_some(&value),
            ty: spec.value,
            by: matches!(spec.function, F::First | F::Last).then_some((&keys, Type::Integer)),
        };
        if block.rows > 0 {
            accumulator.update(Groups::Each(&rows.groups), &block).unwrap();
        }
        accumulator
    }

    fn results(accumulator: &Accumulator, spec: &Spec, groups: usize) -> Vec<Scalar> {
        let vector = accumulator.finish(spec).unwrap().expand(groups);
        (0..groups).map(|at| vector.scalar(at, spec.ty)).collect()
    }

    fn rows(random: &mut Random, ty: Type, groups: usize) -> Rows {
        let count = random.below(12);
        Rows {
            groups: (0..count).map(|_| random.below(groups) as u32).collect(),
            values: random.scalars(ty, count),
            // Keys that distinguish rows: of equal ones the smallest value counts, wherever it was read.
            keys: (0..count).map(|_| Scalar::Integer(random.below(5) as i64)).collect(),
        }
    }

    /// Rows read in two parts and put together give what rows read at once give; so do groups that are put together under a map.
    #[test]
    fn parts_put_together_are_the_whole() {
        let types = [Type::Integer, Type::Decimal(2), Type::Float, Type::Text, Type::Date, Type::Boolean];
        let mut random = Random(5);
        let mut tried = 0;
        for _ in 0..60 {
            for ty in types {
                for function in ALL {
                    let Some(spec) = spec(function, ty) else { continue };
                    let fine = 4;
                    let (left, right) = (rows(&mut random, ty, fine), rows(&mut random, ty, fine));
                    // Four groups become two; one of the four is left out.
                    let map = [0, 1, NO_GROUP, 0];
                    let mut merged = read(&spec, fine, &left).empty_like();
                    merged.resize(2);
                    merged.merge(&read(&spec, fine, &left), &map).unwrap();
                    merged.merge(&read(&spec, fine, &right), &map).unwrap();
                    let mut whole = Rows { groups: Vec::new(), values: Vec::new(), keys: Vec::new() };
                    for part in [&left, &right] {
                        for (at, group) in part.groups.iter().enumerate() {
                            if map[*group as usize] != NO_GROUP {
                                whole.groups.push(map[*group as usize]);
                                whole.values.push(part.values[at].clone());
                                whole.keys.push(part.keys[at].clone());
                            }
                        }
                    }
                    let wanted = results(&read(&spec, 2, &whole), &spec, 2);
                    let found = results(&merged, &spec, 2);
                    let alike = |(a, b): (&Scalar, &Scalar)| match (a, b) {
                        (Scalar::Float(a), Scalar::Float(b)) => (a - b).abs() <= 1e-9 * a.abs().max(1.0),
                        _ => a == b,
                    };
                    assert!(
                        found.iter().zip(&wanted).all(alike),
                        "{function:?} of {ty:?}: {found:?}, not {wanted:?}"
                    );
                    tried += 1;
                }
            }
        }
        assert!(tried > 3_000, "{tried}");
    }

    #[test]
    fn a_group_without_rows_has_the_value_of_nothing() {
        for function in ALL {
            for ty in [Type::Integer, Type::Text, Type::Boolean] {
                let Some(spec) = spec(function, ty) else { continue };
                let none = Rows { groups: Vec::new(), values: Vec::new(), keys: Vec::new() };
                let found = results(&read(&spec, 1, &none), &spec, 1);
                assert_eq!(found, [spec.of_nothing()], "{function:?} of {ty:?}");
            }
        }
    }
}
