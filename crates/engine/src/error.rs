//! What can go wrong while a plan is evaluated.

use crate::execution::budget::OverBudget;
use vembra_plan::{EvalError, Finding, Type};

impl From<OverBudget> for EngineError {
    fn from(over: OverBudget) -> Self {
        Self::OverBudget(over)
    }
}

/// A query that cannot be answered, though its plan is right.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EngineError {
    /// A value could not be worked out.
    #[error(transparent)]
    Value(#[from] EvalError),
    /// A sum, or what is made of sums, left the range of its type.
    #[error("{}", match .0 {
        Type::Integer => "a sum of integers grew past 64 bits",
        Type::Float => "a sum of floats grew past what a float can hold",
        _ => "a sum grew past 38 digits",
    })]
    SumOverflow(Type),
    /// The answer would have more lines than fit in memory.
    #[error("the answer would have {0} lines; split it by fewer attributes or filter it")]
    TooManyLines(u128),
    /// More memory would be taken than is allowed.
    #[error("{0}")]
    OverBudget(OverBudget),
    /// A column that was kept is not to be had any more: why.
    #[error("what was read before cannot be read any more: {0}")]
    Gone(String),
    /// A column cannot be read from where its table lies.
    #[error("{0}")]
    Unread(Box<Finding>),
    /// It was stopped by who asked.
    #[error("it was stopped before it was done")]
    Stopped,
    /// The plan breaks an invariant: a fault of the program.
    #[error("internal fault: {0}")]
    Internal(String),
}
