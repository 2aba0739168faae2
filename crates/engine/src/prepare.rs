//! Binding of row expressions to columns in memory.
//!
//! What depends only on one linked table is worked out once for each of its rows and looked up through the
//! link; what depends only on one text column is worked out once for each different text.

use crate::error::EngineError;
use crate::eval::{Lookup, Prepared};
use crate::star::Star;
use crate::vector::{Rows, Vector};
use std::sync::Arc;
use vembra_plan::{ColumnId, ColumnRef, Expr, LinkId, Scalar, TableId, call};

/// Binds an expression over the rows of `table`.
pub(crate) fn prepare(star: &Star, table: TableId, expr: &Expr<ColumnRef>) -> Result<Prepared, EngineError> {
    if let Expr::Literal(value) = expr {
        return Ok(Prepared::Literal(value.clone(), value.ty()));
    }
    if let Some(link) = common_link(expr) {
        return linked(star, link, expr).map(Prepared::Lookup);
    }
    if let Expr::Leaf(leaf) = expr {
        return Ok(Prepared::Own(star.column(leaf.column)?.clone()));
    }
    if let Some(column) = only_text_column(expr) {
        return by_text(star, table, column, expr).map(Prepared::Lookup);
    }
    let Expr::Call { function, args, ty } = expr else {
        return Err(EngineError::Internal("an expression of no kind".to_owned()));
    };
    let args: Result<Vec<Prepared>, EngineError> = args.iter().map(|a| prepare(star, table, a)).collect();
    let args = args?;
    let types = args.iter().map(Prepared::ty).collect();
    Ok(Prepared::Call { function: *function, args, types, ty: *ty })
}

/// The link that all columns of an expression are reached by first.
fn common_link(expr: &Expr<ColumnRef>) -> Option<LinkId> {
    let mut first: Option<Option<LinkId>> = None;
    let mut same = true;
    expr.leaves(&mut |leaf: &ColumnRef| {
        let link = leaf.path.first().copied();
        same &= first.is_none_or(|f| f == link);
        first = Some(link);
    });
    first.flatten().filter(|_| same)
}

fn linked(star: &Star, link: LinkId, expr: &Expr<ColumnRef>) -> Result<Lookup, EngineError> {
    let target = star.schema().link_target(link);
    let rows = star.rows(target);
    let tail = expr.map_leaves(&mut |leaf: &ColumnRef| ColumnRef {
        path: leaf.path[1..].to_vec(),
        column: leaf.column,
        ty: leaf.ty,
    });
    let values = prepare(star, target, &tail)?.eval(Rows::Range(0, rows))?.expand(rows);
    let null = of_nulls(&tail)?;
    let values = values.extended(rows, &[null.clone(), null], expr.ty());
    Ok(Lookup {
        numbers: star.link_rows(link)?.clone(),
        values: Arc::new(values),
        ty: expr.ty(),
        linked: true,
    })
}

/// The text column that is the only column of an expression.
fn only_text_column(expr: &Expr<ColumnRef>) -> Option<ColumnId> {
    let mut only: Option<ColumnId> = None;
    let mut same = true;
    expr.leaves(&mut |leaf: &ColumnRef| {
        let own = leaf.path.is_empty() && leaf.ty == vembra_plan::Type::Text;
        same &= own && only.is_none_or(|o| o == leaf.column);
        only = Some(leaf.column);
    });
    only.filter(|_| same)
}

fn by_text(star: &Star, _: TableId, column: ColumnId, expr: &Expr<ColumnRef>) -> Result<Lookup, EngineError> {
    let column = star.column(column)?.clone();
    let Some((codes, dictionary)) = column.texts() else {
        return Err(EngineError::Internal("a text column without texts".to_owned()));
    };
    let mut values = Vec::with_capacity(dictionary.texts.len() + 1);
    for text in &dictionary.texts {
        values.push(scalar(expr, &mut |_| Scalar::Text(text.clone()))?);
    }
    values.push(of_nulls(expr)?);
    let values = Vector::from_scalars(&values, expr.ty());
    Ok(Lookup { numbers: codes.clone(), values: Arc::new(values), ty: expr.ty(), linked: false })
}

/// The value where every column is null.
fn of_nulls(expr: &Expr<ColumnRef>) -> Result<Scalar, EngineError> {
    scalar(expr, &mut |_| Scalar::Null)
}

/// One value, with branches of `case` worked out only when reached.
pub(crate) fn scalar<L>(expr: &Expr<L>, leaf: &mut impl FnMut(&L) -> Scalar) -> Result<Scalar, EngineError> {
    match expr {
        Expr::Leaf(l) => Ok(leaf(l)),
        Expr::Literal(value) => Ok(value.clone()),
        Expr::Call { function: vembra_plan::Function::Case, args, ty } => {
            for pair in args.chunks(2) {
                let value = match pair {
                    [condition, value] if scalar(condition, leaf)?.lane() == Some(1) => value,
                    [_, _] => continue,
                    rest => &rest[0],
                };
                return Ok(call::convert(scalar(value, leaf)?, *ty)?);
            }
            Ok(Scalar::Null)
        }
        Expr::Call { function, args, ty } => {
            let args: Result<Vec<Scalar>, EngineError> = args.iter().map(|a| scalar(a, leaf)).collect();
            Ok(call::call(*function, &args?, *ty)?)
        }
    }
}
