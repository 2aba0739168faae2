//! What unit tests of this crate share: columns, and numbers that look random and are the same in every run.

use crate::expression::vector::Vector;
use crate::storage::column::{Column, ColumnBuilder};
use vembra_plan::{Scalar, Type};

/// A column of values.
pub(crate) fn column(ty: Type, values: &[Scalar]) -> Column {
    let mut builder = ColumnBuilder::new(ty);
    values.iter().for_each(|value| builder.push(value));
    builder.finish()
}

/// A generator with a seed (splitmix64).
pub(crate) struct Random(pub(crate) u64);

impl Random {
    pub(crate) fn below(&mut self, bound: usize) -> usize {
        let mut next = vembra_testing::Random(self.0);
        let number = next.below(bound as u64) as usize;
        self.0 = next.0;
        number
    }

    /// A value of a type: small ones, now and then a large one, and nothing in one of six.
    pub(crate) fn scalar(&mut self, ty: Type) -> Scalar {
        if self.below(6) == 0 {
            return Scalar::Null;
        }
        let small = self.below(41) as i128 - 20;
        match ty {
            Type::Text => Scalar::text(["", "a", "b", "ab", "Käse", "zz"][self.below(6)]),
            Type::Boolean => Scalar::Boolean(small > 0),
            Type::Float => Scalar::Float(small as f64 / 4.0),
            Type::Date => Scalar::from_physical(ty, 19_000 + small),
            Type::Time => Scalar::from_physical(ty, self.below(86_400) as i128 * 1_000_000),
            Type::Moment => Scalar::from_physical(ty, (1_700_000_000 + small * 50_000) * 1_000_000),
            _ if self.below(9) == 0 => Scalar::from_physical(ty, small * 100_000_000_000_000_000),
            _ => Scalar::from_physical(ty, small),
        }
    }

    pub(crate) fn scalars(&mut self, ty: Type, rows: usize) -> Vec<Scalar> {
        (0..rows).map(|_| self.scalar(ty)).collect()
    }

    /// A vector of values, with what they are; now and then one value for all rows.
    pub(crate) fn vector(&mut self, ty: Type, rows: usize) -> (Vector, Vec<Scalar>) {
        if self.below(4) == 0 {
            let value = self.scalar(ty);
            return (Vector::constant(&value, ty), vec![value; rows]);
        }
        let scalars = self.scalars(ty, rows);
        (Vector::from_scalars(&scalars, ty), scalars)
    }
}
