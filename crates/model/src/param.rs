//! Parameters: what a query may choose.

use crate::bound::DetailKey;
use vembra_plan::{Scalar, Type};
use vembra_syntax::Span;

/// A value or attribute that a query may choose.
#[derive(Clone, Debug)]
pub struct Param {
    /// The name.
    pub name: String,
    /// The type of its value; [`Type::Null`] if it stands for an attribute.
    pub ty: Type,
    /// Whether it stands for an attribute.
    pub attribute: bool,
    /// The attributes that it may stand for; empty if it has a value.
    pub choices: Vec<DetailKey>,
    /// The value if none is given: a value, or the number of an attribute.
    pub default: Option<ParamValue>,
    /// The figure that gives the default once the data are known, and nothing else: a query without axes.
    pub figure: Option<Box<crate::query::BoundSummary>>,
    /// The description.
    pub about: Option<String>,
    /// Where it is declared.
    pub span: Span,
}

/// What a parameter stands for.
#[derive(Clone, Debug, PartialEq)]
pub enum ParamValue {
    /// A value.
    Value(Scalar),
    /// One of the attributes, by its number.
    Choice(usize),
}
