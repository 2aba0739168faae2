//! The values of an expression for a block of rows.

use crate::execution::parallel::{AT_ONCE, MANY, each};
use crate::execution::threads::of_pieces;
use crate::expression::selection_vector::selection_vector;
use crate::storage::dictionary::Dictionary;
use crate::storage::narrow::{fit, narrow};
use std::ops::Range;
use std::sync::Arc;
use vembra_plan::{Scalar, Type};

/// Values without their nulls.
#[derive(Clone, Debug)]
pub enum Values {
    /// Physical values.
    Int(Vec<i64>),
    /// Physical values that may need more than 64 bits.
    Wide(Vec<i128>),
    /// Floats.
    Float(Vec<f64>),
    /// Conditions.
    Bool(Vec<bool>),
    /// Texts by their codes.
    Code(Vec<u32>, Arc<Dictionary>),
    /// Texts.
    Text(Vec<Arc<str>>),
}

/// Values with their nulls. One value may stand in every row.
#[derive(Clone, Debug)]
pub struct Vector {
    /// The values.
    pub values: Values,
    /// Which are not null; none if all are.
    pub valid: Option<Vec<bool>>,
    /// Bounds of the physical values.
    pub(crate) range: (i128, i128),
    /// Whether the single value stands in every row.
    pub(crate) constant: bool,
}

/// Bounds of some physical values and zero.
pub(crate) fn range_of<T: Copy + Ord + Default + Into<i128> + Send + Sync>(physicals: &[T]) -> (i128, i128) {
    let zero = || (T::default(), T::default());
    let wider = |(low, high): (T, T), physical: &T| (low.min(*physical), high.max(*physical));
    let (low, high) = if physicals.len() < MANY {
        physicals.iter().fold(zero(), wider)
    } else {
        let pieces = of_pieces(physicals.len(), AT_ONCE, |piece| physicals[piece].iter().fold(zero(), wider));
        pieces.into_iter().fold(zero(), |a, b| (a.0.min(b.0), a.1.max(b.1)))
    };
    (low.into(), high.into())
}

impl Vector {
    pub(crate) fn new(values: Values, valid: Option<Vec<bool>>, range: (i128, i128)) -> Self {
        Self { values, valid, range, constant: false }
    }

    /// One value in every row.
    pub(crate) fn constant(value: &Scalar, ty: Type) -> Self {
        Self { constant: true, ..Self::from_scalars(std::slice::from_ref(value), ty) }
    }

    /// Values of one type. Physical values stay in 64 bits where all fit.
    pub(crate) fn from_scalars(scalars: &[Scalar], ty: Type) -> Self {
        let valid: Vec<bool> = scalars.iter().map(|s| !s.is_null()).collect();
        let valid = valid.contains(&false).then_some(valid);
        let values = match ty {
            Type::Float => Values::Float(scalars.iter().map(|s| s.to_f64().unwrap_or(0.0)).collect()),
            Type::Boolean => Values::Bool(scalars.iter().map(|s| s.physical() == Some(1)).collect()),
            Type::Text => {
                let empty: Arc<str> = "".into();
                let text = |s: &Scalar| if let Scalar::Text(t) = s { t.clone() } else { empty.clone() };
                Values::Text(scalars.iter().map(text).collect())
            }
            _ => {
                let wide: Vec<i128> = scalars.iter().map(|s| s.physical().unwrap_or(0)).collect();
                return Self::from_wide(wide, valid);
            }
        };
        Self::new(values, valid, (0, 0))
    }

    /// Physical values, in 64 bits if all fit.
    pub(crate) fn from_wide(wide: Vec<i128>, valid: Option<Vec<bool>>) -> Self {
        let range = range_of(&wide);
        let fits = i64::try_from(range.0).is_ok() && i64::try_from(range.1).is_ok();
        let values = if fits { Values::Int(wide.into_iter().map(fit).collect()) } else { Values::Wide(wide) };
        Self::new(values, valid, range)
    }

    /// How many values are stored; one for a constant.
    pub fn len(&self) -> usize {
        match &self.values {
            Values::Int(v) => v.len(),
            Values::Wide(v) => v.len(),
            Values::Float(v) => v.len(),
            Values::Bool(v) => v.len(),
            Values::Code(v, _) => v.len(),
            Values::Text(v) => v.len(),
        }
    }

    /// Whether no values are stored.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    fn at(&self, at: usize) -> usize {
        if self.constant { 0 } else { at }
    }

    pub(crate) fn is_valid(&self, at: usize) -> bool {
        self.valid.as_ref().is_none_or(|v| v[self.at(at)])
    }

    /// Whether a condition holds: true and not null.
    pub(crate) fn is_true(&self, at: usize) -> bool {
        matches!(&self.values, Values::Bool(v) if v[self.at(at)]) && self.is_valid(at)
    }

    /// The value at a position, as `ty`.
    pub fn scalar(&self, at: usize, ty: Type) -> Scalar {
        if !self.is_valid(at) {
            return Scalar::Null;
        }
        let at = self.at(at);
        match &self.values {
            Values::Int(v) => Scalar::from_physical(ty, v[at].into()),
            Values::Wide(v) => Scalar::from_physical(ty, v[at]),
            Values::Float(v) => Scalar::Float(v[at]),
            Values::Bool(v) => Scalar::Boolean(v[at]),
            Values::Code(v, dictionary) => Scalar::Text(dictionary.texts[v[at] as usize].clone()),
            Values::Text(v) => Scalar::Text(v[at].clone()),
        }
    }

    /// A value of its own for every one of `rows` rows.
    pub(crate) fn expand(self, rows: usize) -> Self {
        if self.constant { self.gather(&vec![0_u32; rows]) } else { self }
    }

    /// The positions of a range at which a condition holds.
    pub(crate) fn true_at(&self, range: Range<usize>) -> Vec<u32> {
        match &self.values {
            Values::Bool(holds) if !self.constant => {
                let valid = self.valid.as_ref().map(|valid| &valid[range.clone()]);
                selection_vector(&holds[range.clone()], valid, narrow(range.start))
            }
            _ => range.filter(|at| self.is_true(*at)).map(narrow).collect(),
        }
    }

    /// The values of a range. There is a value for each position.
    pub(crate) fn part(&self, range: Range<usize>) -> Self {
        let values = match &self.values {
            Values::Int(v) => Values::Int(v[range.clone()].to_vec()),
            Values::Wide(v) => Values::Wide(v[range.clone()].to_vec()),
            Values::Float(v) => Values::Float(v[range.clone()].to_vec()),
            Values::Bool(v) => Values::Bool(v[range.clone()].to_vec()),
            Values::Code(v, dictionary) => Values::Code(v[range.clone()].to_vec(), dictionary.clone()),
            Values::Text(v) => Values::Text(v[range.clone()].to_vec()),
        };
        Self::new(values, self.valid.as_ref().map(|v| v[range].to_vec()), self.range)
    }

    /// The values at some positions.
    pub(crate) fn gather<I: Copy + Into<u32> + Sync>(&self, positions: &[I]) -> Self {
        fn take<T: Clone + Send + Sync, I: Copy + Into<u32> + Sync>(values: &[T], positions: &[I]) -> Vec<T> {
            each(positions, |p| values[p.into() as usize].clone())
        }
        let values = match &self.values {
            Values::Int(v) => Values::Int(take(v, positions)),
            Values::Wide(v) => Values::Wide(take(v, positions)),
            Values::Float(v) => Values::Float(take(v, positions)),
            Values::Bool(v) => Values::Bool(take(v, positions)),
            Values::Code(v, dictionary) => Values::Code(take(v, positions), dictionary.clone()),
            Values::Text(v) => Values::Text(take(v, positions)),
        };
        let valid = self.valid.as_ref().map(|v| take(v, positions));
        Self::new(values, valid, self.range)
    }

    /// The values, and after them the first one again this many times: places that nobody asks for. There is one at least.
    pub(crate) fn padded(mut self, more: usize) -> Self {
        fn pad<T: Clone>(values: &mut Vec<T>, more: usize) {
            if let Some(first) = values.first().cloned() {
                values.resize(values.len() + more, first);
            }
        }
        match &mut self.values {
            Values::Int(v) => pad(v, more),
            Values::Wide(v) => pad(v, more),
            Values::Float(v) => pad(v, more),
            Values::Bool(v) => pad(v, more),
            Values::Code(v, _) => pad(v, more),
            Values::Text(v) => pad(v, more),
        }
        if let Some(valid) = &mut self.valid {
            pad(valid, more);
        }
        self
    }

    /// The values, and after them `extra` ones, all of type `ty`.
    pub(crate) fn extended(&self, rows: usize, extra: &[Scalar], ty: Type) -> Self {
        let mut valid = self.valid.clone();
        if extra.iter().any(Scalar::is_null) {
            valid.get_or_insert_with(|| vec![true; rows]);
        }
        if let Some(valid) = &mut valid {
            valid.extend(extra.iter().map(|e| !e.is_null()));
        }
        let physicals: Option<Vec<i64>> =
            extra.iter().map(|e| i64::try_from(e.physical().unwrap_or(0)).ok()).collect();
        match (&self.values, physicals) {
            (Values::Int(v), Some(more)) if !self.constant => {
                let more_range = range_of(&more);
                let range = (self.range.0.min(more_range.0), self.range.1.max(more_range.1));
                Self::new(Values::Int(v.iter().copied().chain(more).collect()), valid, range)
            }
            (Values::Float(v), _) if !self.constant => {
                let more = extra.iter().map(|e| e.to_f64().unwrap_or(0.0));
                Self::new(Values::Float(v.iter().copied().chain(more).collect()), valid, (0, 0))
            }
            (Values::Code(v, dictionary), _)
                if !self.constant && extra.iter().all(Scalar::is_null) && !dictionary.texts.is_empty() =>
            {
                let mut codes = v.clone();
                codes.resize(rows + extra.len(), 0);
                Self::new(Values::Code(codes, dictionary.clone()), valid, self.range)
            }
            _ => {
                let mut all: Vec<Scalar> = (0..rows).map(|at| self.scalar(at, ty)).collect();
                all.extend_from_slice(extra);
                Self::from_scalars(&all, ty)
            }
        }
    }
}
