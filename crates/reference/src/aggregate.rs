//! Aggregates over a list of values, one after the other.

use vembra_plan::{AggregateFunction as F, EvalError, Function, Scalar, Type, call};

/// The result of an aggregate over the values of rows, each with its key for `first` and `last`.
pub(crate) fn aggregate(
    function: F,
    rows: &[(Option<Scalar>, Option<Scalar>)],
    parameter: Option<&Scalar>,
    ty: Type,
) -> Result<Scalar, EvalError> {
    if function == F::CountRows {
        return Ok(Scalar::Integer(rows.len() as i64));
    }
    let mut values: Vec<Scalar> =
        rows.iter().filter_map(|(v, _)| v.clone()).filter(|v| !v.is_null()).collect();
    let floats: Vec<f64> = values.iter().filter_map(Scalar::to_f64).collect();
    let count = values.len();
    Ok(match function {
        F::Count => Scalar::Integer(count as i64),
        F::CountDistinct => {
            sort(&mut values);
            values.dedup();
            Scalar::Integer(values.len() as i64)
        }
        F::Any => Scalar::Boolean(values.iter().any(|v| v.physical() == Some(1))),
        F::Every => Scalar::Boolean(values.iter().all(|v| v.physical() == Some(1))),
        _ if count == 0 => Scalar::Null,
        F::Sum => sum(&values, ty)?,
        F::Avg => {
            let exact = values.iter().all(|v| v.physical().is_some());
            let total = match values[0].ty() {
                // The sum of an average need not fit into the type of its values.
                Type::Integer => values.iter().filter_map(Scalar::physical).sum::<i128>() as f64,
                ty if exact => sum(&values, ty)?.to_f64().unwrap_or(0.0),
                _ => floats.iter().sum(),
            };
            Scalar::Float(total / count as f64)
        }
        F::Min => sorted(values).swap_remove(0),
        F::Max => sorted(values).pop().unwrap_or(Scalar::Null),
        F::Median => part_of(floats, 0.5),
        F::Percentile => part_of(floats, parameter.and_then(Scalar::to_f64).unwrap_or(0.5)),
        F::Variance | F::StdDev if count < 2 => Scalar::Null,
        F::Variance | F::StdDev => {
            let mean = floats.iter().sum::<f64>() / count as f64;
            let variance = floats.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / (count - 1) as f64;
            Scalar::Float(if function == F::StdDev { variance.sqrt() } else { variance })
        }
        F::ListAgg | F::ListAggDistinct => {
            let mut texts = sorted(values);
            if function == F::ListAggDistinct {
                texts.dedup();
            }
            let separator = parameter.map_or_else(|| ", ".to_owned(), ToString::to_string);
            Scalar::text(texts.iter().map(ToString::to_string).collect::<Vec<_>>().join(&separator))
        }
        _ => chosen(function, rows),
    })
}

fn sum(values: &[Scalar], ty: Type) -> Result<Scalar, EvalError> {
    let mut total = values[0].clone();
    for value in &values[1..] {
        total = call::call(Function::Add, &[total, value.clone()], ty)?;
    }
    Ok(total)
}

fn sort(values: &mut [Scalar]) {
    values.sort_by(Scalar::compare);
}

fn sorted(mut values: Vec<Scalar>) -> Vec<Scalar> {
    sort(&mut values);
    values
}

fn part_of(mut floats: Vec<f64>, part: f64) -> Scalar {
    floats.sort_by(f64::total_cmp);
    let span = part * (floats.len() - 1) as f64;
    let (low, high) = (floats[span.floor() as usize], floats[span.ceil() as usize]);
    Scalar::Float(low + (high - low) * span.fract())
}

/// `first` and `last`: of equal keys the smallest value.
fn chosen(function: F, rows: &[(Option<Scalar>, Option<Scalar>)]) -> Scalar {
    let mut pairs: Vec<(&Scalar, &Scalar)> = rows
        .iter()
        .filter_map(|(v, k)| Some((k.as_ref()?, v.as_ref()?)))
        .filter(|(k, v)| !k.is_null() && !v.is_null())
        .collect();
    pairs.sort_by(|a, b| {
        let keys = if function == F::Last { b.0.compare(a.0) } else { a.0.compare(b.0) };
        keys.then(a.1.compare(b.1))
    });
    pairs.first().map_or(Scalar::Null, |(_, v)| (*v).clone())
}
