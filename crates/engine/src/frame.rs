//! Frames: for one level of lines, the key of each line and the value of each output.

use crate::error::EngineError;
use crate::kernels::{self, Call};
use crate::scan::{Groupings, fold};
use crate::vector::Vector;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use vembra_plan::{Aggregate, AggregateFunction, AggregateRef, Expr, Query, Scalar, Type};

/// The codes of a line on some axes as one number.
pub(crate) type PackedKey = u128;

/// How keys are packed: the number of codes of each axis.
pub(crate) struct Packing {
    pub(crate) sizes: Vec<u128>,
}

impl Packing {
    /// Packs the codes on `axes`; `code` gives the code on an axis.
    pub(crate) fn pack(&self, axes: &[usize], code: impl Fn(usize) -> u32) -> PackedKey {
        axes.iter().fold(0, |key, axis| key * self.sizes[*axis] + u128::from(code(*axis)))
    }

    /// The codes of a key on `axes`, in their order.
    pub(crate) fn unpack(&self, axes: &[usize], mut key: PackedKey) -> Vec<u32> {
        let mut codes = vec![0; axes.len()];
        for (code, axis) in codes.iter_mut().zip(axes).rev() {
            *code = (key % self.sizes[*axis]) as u32;
            key /= self.sizes[*axis];
        }
        codes
    }
}

/// The lines of one level.
pub(crate) struct Frame {
    /// The axes that tell the lines apart.
    pub(crate) axes: Vec<usize>,
    pub(crate) keys: Vec<PackedKey>,
    pub(crate) lines: HashMap<PackedKey, u32, FixedState>,
    /// One vector for each output.
    pub(crate) outputs: Vec<Vector>,
}

/// Builds the frame of a level from what the scans found, and from the `empty` keys that are shown anyway.
pub(crate) fn build(
    query: &Query,
    axes: Vec<usize>,
    packing: &Packing,
    found: &[Groupings],
    empty: &[PackedKey],
) -> Result<Frame, EngineError> {
    let mut frame = Frame { axes, keys: Vec::new(), lines: HashMap::default(), outputs: Vec::new() };
    let folded: Result<Vec<Folded>, EngineError> =
        found.iter().map(|f| fold_to(f, &frame.axes, packing)).collect();
    let folded = folded?;
    let keys = folded.iter().flat_map(|f| &f.keys).chain(empty);
    for key in keys {
        frame.lines.entry(*key).or_insert_with(|| {
            frame.keys.push(*key);
            frame.keys.len() as u32 - 1
        });
    }
    if query.axes.is_empty() && frame.keys.is_empty() {
        frame.keys.push(0);
        frame.lines.insert(0, 0);
    }
    let spread: Result<Vec<Vec<Vector>>, EngineError> =
        folded.iter().zip(&query.scans).map(|(f, scan)| f.spread(&scan.aggregates, &frame)).collect();
    let spread = spread?;
    let rows = frame.keys.len();
    for output in &query.outputs {
        let leaf = |leaf: &AggregateRef| spread[leaf.scan.index()][leaf.index].clone();
        let vector = eval(&output.expr, &leaf, rows)?;
        frame.outputs.push(vector.expand(rows));
    }
    Ok(frame)
}

/// What a scan found, for fewer axes.
struct Folded {
    keys: Vec<PackedKey>,
    accumulators: Vec<crate::aggregate::Accumulator>,
}

fn fold_to(found: &Groupings, axes: &[usize], packing: &Packing) -> Result<Folded, EngineError> {
    let mut keys = Vec::new();
    let mut places: HashMap<PackedKey, u32, FixedState> = HashMap::default();
    let map: Vec<u32> = (0..found.groups)
        .map(|group| {
            let key = packing.pack(axes, |axis| found.codes[axis][group]);
            *places.entry(key).or_insert_with(|| {
                keys.push(key);
                keys.len() as u32 - 1
            })
        })
        .collect();
    let accumulators = fold(&found.accumulators, &map, keys.len())?;
    Ok(Folded { keys, accumulators })
}

impl Folded {
    /// The result of each aggregate for each line; where there are no rows, zero for counts and null for others.
    fn spread(&self, aggregates: &[Aggregate], frame: &Frame) -> Result<Vec<Vector>, EngineError> {
        let missing = self.keys.len() as u32;
        let mut places = vec![missing; frame.keys.len()];
        for (group, key) in self.keys.iter().enumerate() {
            if let Some(line) = frame.lines.get(key) {
                places[*line as usize] = group as u32;
            }
        }
        self.accumulators
            .iter()
            .zip(aggregates)
            .map(|(accumulator, aggregate)| {
                let results = accumulator.finish(aggregate)?;
                let counts = matches!(
                    aggregate.function,
                    AggregateFunction::Count
                        | AggregateFunction::CountRows
                        | AggregateFunction::CountDistinct
                );
                let empty = if counts { Scalar::Integer(0) } else { Scalar::Null };
                Ok(results.extended(self.keys.len(), &[empty], aggregate.ty).gather(&places))
            })
            .collect()
    }
}

fn eval(
    expr: &Expr<AggregateRef>,
    leaf: &impl Fn(&AggregateRef) -> Vector,
    rows: usize,
) -> Result<Vector, EngineError> {
    match expr {
        Expr::Leaf(l) => Ok(leaf(l)),
        Expr::Literal(value) => Ok(Vector::constant(value, value.ty())),
        Expr::Call { function, args, ty } => {
            let vectors: Result<Vec<Vector>, EngineError> =
                args.iter().map(|a| eval(a, leaf, rows)).collect();
            let types: Vec<Type> = args.iter().map(Expr::ty).collect();
            Ok(kernels::run(&Call { function: *function, args: &vectors?, types: &types, ty: *ty, rows })?)
        }
    }
}
