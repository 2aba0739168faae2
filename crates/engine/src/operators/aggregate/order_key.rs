//! Values of any one type in their order.

use crate::expression::vector::{Values, Vector};
use std::sync::Arc;
use vembra_plan::{Scalar, Type};

/// A value that is not null; values of one type compare as in the language.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum OrderKey {
    Physical(i128),
    /// A float by its bits, made to sort.
    Float(i64),
    Text(Arc<str>),
}

impl OrderKey {
    /// The value at a position that is not null.
    pub(crate) fn at(vector: &Vector, at: usize) -> Self {
        let at = if vector.constant { 0 } else { at };
        match &vector.values {
            Values::Int(v) => Self::Physical(v[at].into()),
            Values::Wide(v) => Self::Physical(v[at]),
            Values::Bool(v) => Self::Physical(v[at].into()),
            Values::Float(v) => Self::Float(sortable(v[at])),
            Values::Code(v, dictionary) => Self::Text(dictionary.texts[v[at] as usize].clone()),
            Values::Text(v) => Self::Text(v[at].clone()),
        }
    }

    /// How many bytes it has if it is a text.
    pub(crate) fn text_bytes(&self) -> usize {
        if let Self::Text(text) = self { text.len() } else { 0 }
    }

    pub(crate) fn to_scalar(&self, ty: Type) -> Scalar {
        match self {
            Self::Physical(physical) => Scalar::from_physical(ty, *physical),
            Self::Float(bits) => Scalar::Float(unsortable(*bits)),
            Self::Text(text) => Scalar::Text(text.clone()),
        }
    }
}

pub(super) fn sortable(x: f64) -> i64 {
    // Zero has two signs and one value.
    let bits = if x == 0.0 { 0 } else { x.to_bits() as i64 };
    if bits < 0 { i64::MIN.wrapping_sub(bits) - 1 } else { bits }
}

pub(super) fn unsortable(bits: i64) -> f64 {
    f64::from_bits(if bits < 0 { i64::MIN.wrapping_sub(bits + 1) } else { bits } as u64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn floats_sort_by_size_and_come_back() {
        let floats = [-1e300, -1.5, -1e-300, 0.0, 1e-300, 2.5, 1e300];
        let keys: Vec<i64> = floats.iter().map(|x| sortable(*x)).collect();
        assert!(keys.is_sorted());
        let back: Vec<f64> = keys.iter().map(|k| unsortable(*k)).collect();
        assert_eq!(back, floats);
        assert_eq!(sortable(-0.0), sortable(0.0));
    }
}
