//! Functions over blocks. Each kernel answers `None` where it does not apply; then every value goes through
//! the one definition in `vembra_plan::call`.

mod arithmetic;
mod clock;
mod compare;
mod logic;

use crate::execution::parallel::{AT_ONCE, MANY, each, many};
use crate::execution::threads::in_pieces;
use crate::expression::vector::{Values, Vector};
use vembra_plan::{EvalError, Function, Scalar, Type};

/// The kernels in the order in which they are asked.
const ALL: [fn(&Call<'_>) -> Option<Vector>; 6] =
    [arithmetic::physicals, arithmetic::floats, compare::run, compare::is_in, logic::run, clock::run];

/// One call for a block of rows.
pub(crate) struct Call<'a> {
    pub(crate) function: Function,
    pub(crate) args: &'a [&'a Vector],
    pub(crate) types: &'a [Type],
    pub(crate) ty: Type,
    pub(crate) rows: usize,
}

pub(crate) fn run(call: &Call<'_>) -> Result<Vector, EvalError> {
    if call.rows > 0 && call.args.iter().all(|a| a.constant) {
        let value = scalar_at(call, 0)?;
        return Ok(Vector::constant(&value, call.ty));
    }
    for kernel in ALL {
        if let Some(vector) = kernel(call) {
            return Ok(vector);
        }
    }
    let values: Result<Vec<Scalar>, EvalError> = (0..call.rows).map(|at| scalar_at(call, at)).collect();
    Ok(Vector::from_scalars(&values?, call.ty))
}

fn scalar_at(call: &Call<'_>, at: usize) -> Result<Scalar, EvalError> {
    let args: Vec<Scalar> = call.args.iter().zip(call.types).map(|(a, ty)| a.scalar(at, *ty)).collect();
    vembra_plan::call::call(call.function, &args, call.ty)
}

/// Which rows have a value in all arguments.
fn valid_in_all(args: &[&Vector], rows: usize) -> Option<Vec<bool>> {
    let mut all: Option<Vec<bool>> = None;
    for arg in args.iter().filter(|a| a.valid.is_some()) {
        match &mut all {
            None if !arg.constant => all.clone_from(&arg.valid),
            None => all = Some(vec![arg.is_valid(0); rows]),
            Some(all) => match &arg.valid {
                Some(valid) if !arg.constant => all.iter_mut().zip(valid).for_each(|(v, own)| *v &= own),
                _ => all.iter_mut().for_each(|v| *v &= arg.is_valid(0)),
            },
        }
    }
    all
}

/// `f` on two slices of which one may hold a single value that every row has.
fn zip<T: Copy + Sync + Send, U: Copy + Default + Send + Sync>(
    a: &[T],
    b: &[T],
    constant: (bool, bool),
    f: impl Fn(T, T) -> U + Sync,
) -> Vec<U> {
    let some = |a: &[T], b: &[T]| match constant {
        (true, _) => b.iter().map(|y| f(a[0], *y)).collect::<Vec<U>>(),
        (_, true) => a.iter().map(|x| f(*x, b[0])).collect(),
        _ => a.iter().zip(b).map(|(x, y)| f(*x, *y)).collect(),
    };
    let len = if constant.0 { b.len() } else { a.len() };
    if len < MANY {
        return some(a, b);
    }
    // There are many operators over many types: what shares each of them out by itself would be most of the code.
    let mut found = many(len, U::default());
    in_pieces(&mut found, AT_ONCE, |start, own| {
        let piece = start..start + own.len();
        let a = if constant.0 { a } else { &a[piece.clone()] };
        let b = if constant.1 { b } else { &b[piece] };
        own.copy_from_slice(&some(a, b));
    });
    found
}

/// The numbers of a vector as floats.
fn floats(vector: &Vector, ty: Type) -> Option<Vec<f64>> {
    let scale = if let Type::Decimal(scale) = ty { scale } else { 0 };
    match &vector.values {
        Values::Float(floats) => Some(floats.clone()),
        Values::Int(physicals) if ty.is_number() => {
            // What `lane_to_f64` gives, without going through 128 bits.
            let one = 10_f64.powi(i32::from(scale));
            Some(each(physicals, |physical| physical as f64 / one))
        }
        Values::Wide(physicals) if ty.is_number() => {
            Some(each(physicals, |physical| vembra_plan::decimal::physical_to_f64(physical, scale)))
        }
        _ => None,
    }
}

/// Physical values and their bounds.
type Bounded<'a> = (std::borrow::Cow<'a, [i64]>, (i128, i128));

/// The physical values of an exact number with `scale` decimals, and their bounds; `None` if they may leave 64 bits.
fn scaled(vector: &Vector, ty: Type, scale: u8) -> Option<Bounded<'_>> {
    let Values::Int(physicals) = &vector.values else { return None };
    let own = match ty {
        Type::Decimal(own) => own,
        Type::Float | Type::Text | Type::Null => return None,
        _ => 0,
    };
    if own == scale {
        return Some((physicals.into(), vector.range));
    }
    let factor = vembra_plan::decimal::power_of_ten(scale.checked_sub(own)?)?;
    let range = (vector.range.0.checked_mul(factor)?, vector.range.1.checked_mul(factor)?);
    fits(range)?;
    let factor = i64::try_from(factor).ok()?;
    // Slots of nulls may hold anything within the bounds, so nothing wraps.
    Some((physicals.iter().map(|l| l.wrapping_mul(factor)).collect(), range))
}

fn fits(range: (i128, i128)) -> Option<(i128, i128)> {
    (i64::try_from(range.0).is_ok() && i64::try_from(range.1).is_ok()).then_some(range)
}

#[cfg(test)]
mod tests {
    use super::{Call, run};
    use crate::storage::testing::Random;
    use vembra_plan::{Function as F, Scalar, Type, Unit, call};

    /// Blocks give what single values give, whatever kernel takes them: with nulls, constants and values near the ends of a physical value.
    #[test]
    fn blocks_give_what_single_values_give() {
        let types = [
            Type::Integer,
            Type::Decimal(0),
            Type::Decimal(2),
            Type::Float,
            Type::Text,
            Type::Boolean,
            Type::Date,
            Type::Time,
            Type::Moment,
        ];
        let two = [
            F::Add,
            F::Subtract,
            F::Multiply,
            F::Divide,
            F::Equal,
            F::NotEqual,
            F::Less,
            F::LessEqual,
            F::Greater,
            F::GreaterEqual,
            F::And,
            F::Or,
            F::Like,
            F::Coalesce,
            F::NullIf,
            F::Mod,
            F::Concat,
            F::Greatest,
            F::Least,
            F::Power,
            F::In,
            F::Position,
            F::Round,
            F::Left,
        ];
        let one = [
            F::Negate,
            F::Not,
            F::IsNull,
            F::Abs,
            F::Floor,
            F::Ceiling,
            F::Sign,
            F::Upper,
            F::CharLength,
            F::Sqrt,
            F::Extract(Unit::Hour),
            F::Extract(Unit::Period(vembra_plan::Period::Year)),
            F::Extract(Unit::Period(vembra_plan::Period::Weekday)),
        ];
        let mut random = Random(11);
        let mut tried = 0;
        for _ in 0..40 {
            for first in types {
                for second in types {
                    let calls = two.iter().map(|f| (*f, vec![first, second]));
                    for (function, args) in calls.chain(one.iter().map(|f| (*f, vec![first]))) {
                        let Ok(ty) = function.result(&args) else { continue };
                        tried += usize::from(compare(&mut random, function, &args, ty));
                    }
                }
            }
        }
        assert!(tried > 20_000, "{tried} blocks were compared");
    }

    /// Whether there were values to compare: where one of them overflows, the block says so.
    fn compare(random: &mut Random, function: F, types: &[Type], ty: Type) -> bool {
        let rows = random.below(7);
        let (vectors, scalars): (Vec<_>, Vec<_>) = types.iter().map(|t| random.vector(*t, rows)).unzip();
        let one = |at: usize| {
            let args: Vec<Scalar> = scalars.iter().map(|s: &Vec<Scalar>| s[at].clone()).collect();
            call::call(function, &args, ty)
        };
        let wanted: Result<Vec<Scalar>, _> = (0..rows).map(one).collect();
        let args: Vec<&_> = vectors.iter().collect();
        let block = run(&Call { function, args: &args, types, ty, rows });
        match (wanted, block) {
            (Ok(wanted), Ok(block)) => {
                let block = block.expand(rows);
                let found: Vec<Scalar> = (0..rows).map(|at| block.scalar(at, ty)).collect();
                assert_eq!(found, wanted, "{function:?} of {scalars:?}");
                rows > 0
            }
            (Err(_), Err(_)) => false,
            (wanted, block) => panic!("{function:?} of {scalars:?}: {block:?}, not {wanted:?}"),
        }
    }
}
