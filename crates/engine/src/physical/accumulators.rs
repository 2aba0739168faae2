//! Which values are worked out once for several aggregates, and which aggregates share an accumulator.

use vembra_plan::{Aggregate, AggregateFunction, RowExpr, position_or_push};

/// The accumulators of a pass, by the positions of what they read.
pub(crate) struct Accumulators<'s> {
    /// The different conditions of aggregates; the first one is none at all.
    pub(crate) conditions: Vec<&'s [RowExpr]>,
    /// The different values, each with the condition under which it is read.
    pub(crate) inputs: Vec<(usize, &'s RowExpr)>,
    /// The accumulators.
    pub(crate) of: Vec<Accumulated>,
    /// Per aggregate of the scan the accumulator that serves it.
    pub(crate) serving: Vec<usize>,
}

/// What an accumulator reads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Accumulated {
    /// The aggregate that it is made for.
    pub(crate) aggregate: usize,
    pub(crate) condition: usize,
    pub(crate) value: Option<usize>,
    pub(crate) by: Option<usize>,
}

/// The accumulators of some aggregates. A sum and an average of the same values, under the same condition, share that of the average,
/// which keeps the sum and counts besides.
pub(crate) fn choose(aggregates: &[Aggregate]) -> Accumulators<'_> {
    let mut all = Accumulators {
        conditions: vec![&[]],
        inputs: Vec::new(),
        of: Vec::new(),
        serving: Vec::with_capacity(aggregates.len()),
    };
    for (at, aggregate) in aggregates.iter().enumerate() {
        let condition = position_or_push(&mut all.conditions, &aggregate.condition[..]);
        let value = aggregate.value.as_ref().map(|expr| position_or_push(&mut all.inputs, (condition, expr)));
        let by = aggregate.by.as_ref().map(|expr| position_or_push(&mut all.inputs, (condition, expr)));
        let own = Accumulated { aggregate: at, condition, value, by };
        let alike = |other: &Accumulated| {
            adds_up(aggregate.function)
                && adds_up(aggregates[other.aggregate].function)
                && (other.condition, other.value, other.by) == (condition, value, by)
        };
        let known = all.of.iter().position(alike);
        all.serving.push(known.unwrap_or(all.of.len()));
        match known {
            Some(known) if aggregate.function == AggregateFunction::Avg => all.of[known] = own,
            Some(_) => {}
            None => all.of.push(own),
        }
    }
    all
}

fn adds_up(function: AggregateFunction) -> bool {
    matches!(function, AggregateFunction::Sum | AggregateFunction::Avg)
}

#[cfg(test)]
mod tests {
    use super::choose;
    use vembra_plan::{Aggregate, AggregateFunction as F, ColumnId, ColumnRef, Expr, RowExpr, RowLeaf, Type};

    fn column(id: u32) -> RowExpr {
        Expr::Leaf(RowLeaf::Column(ColumnRef { path: Vec::new(), column: ColumnId(id), ty: Type::Integer }))
    }

    fn aggregate(function: F, value: u32, condition: &[u32]) -> Aggregate {
        Aggregate {
            function,
            value: Some(column(value)),
            by: None,
            parameter: None,
            condition: condition.iter().map(|id| column(*id)).collect(),
            ty: Type::Integer,
        }
    }

    #[test]
    fn a_sum_and_an_average_of_the_same_values_share_an_accumulator() {
        let all = [
            aggregate(F::Sum, 1, &[]),
            aggregate(F::Max, 1, &[]),
            aggregate(F::Avg, 1, &[]),
            aggregate(F::Sum, 1, &[9]),
            aggregate(F::Sum, 2, &[]),
        ];
        let chosen = choose(&all);
        assert_eq!(chosen.serving, [0, 1, 0, 2, 3]);
        // The average serves both: it keeps the sum and counts besides.
        let made_for: Vec<usize> = chosen.of.iter().map(|own| own.aggregate).collect();
        assert_eq!(made_for, [2, 1, 3, 4]);
    }

    #[test]
    fn a_value_is_worked_out_once_for_each_condition() {
        let all = [aggregate(F::Sum, 1, &[]), aggregate(F::Max, 1, &[]), aggregate(F::Min, 1, &[9])];
        let chosen = choose(&all);
        assert_eq!(chosen.conditions.len(), 2);
        assert_eq!(chosen.inputs, [(0, &column(1)), (1, &column(1))]);
        assert_eq!(chosen.of.iter().map(|own| own.value).collect::<Vec<_>>(), [Some(0), Some(0), Some(1)]);
    }
}
