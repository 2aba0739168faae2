//! Accumulators: what is kept per group while rows go by. All can be merged, so that parts of the rows can
//! be read apart, and totals come from the details without reading the rows again.

#![allow(clippy::unnecessary_wraps)] // All accumulators answer alike.

mod collect;
mod count;
mod distinct;
mod extreme;
mod logic;
mod order_key;
mod spread;
mod sum;

use crate::error::EngineError;
use crate::vector::Vector;
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
}

impl Spec {
    pub(crate) fn of(aggregate: &Aggregate) -> Self {
        Self {
            function: aggregate.function,
            value: aggregate.value.as_ref().map_or(Type::Null, vembra_plan::Expr::ty),
            parameter: aggregate.parameter.clone(),
            ty: aggregate.ty,
        }
    }

    /// What it gives where there are no rows.
    pub(crate) fn of_nothing(&self) -> Scalar {
        use AggregateFunction as F;
        match self.function {
            F::Count | F::CountRows | F::CountDistinct => Scalar::Integer(0),
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
pub(crate) fn regrouped(
    accumulators: &[Accumulator],
    map: &[u32],
    groups: usize,
) -> Result<Vec<Accumulator>, EngineError> {
    accumulators
        .iter()
        .map(|accumulator| {
            let mut folded = accumulator.empty_like();
            folded.resize(groups);
            folded.merge(accumulator, map)?;
            Ok(folded)
        })
        .collect()
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
