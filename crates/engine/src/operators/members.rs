//! The distinct values of a key in order, and the code of each row: the position of its value.

#![allow(clippy::useless_conversion)] // Of the arms per width one needs none.

use crate::execution::parallel::holds_in_pieces;
use crate::expression::vector::{Values, Vector};
use crate::storage::column::Column;
use crate::storage::narrow::{fit, narrow};
use crate::storage::row_id::Rows;
use crate::storage::small_ints::{SmallInts, with_index};
use std::cmp::Ordering;
use std::sync::Arc;
use vembra_plan::{Scalar, Type};

/// The members of an axis. Behind the last one come a place for none, one for unknown keys, and, if there is one,
/// one for the rest that was not chosen.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Members {
    pub(crate) values: Vec<Scalar>,
    pub(crate) rest: bool,
    /// Whether unknown keys have the place of none.
    pub(crate) missing_as_one: bool,
}

impl Members {
    /// Some values in order, with places of their own for none and for unknown keys, and none for a rest.
    pub(crate) fn of(values: Vec<Scalar>) -> Self {
        Self { values, rest: false, missing_as_one: false }
    }

    pub(crate) fn none(&self) -> u32 {
        narrow(self.values.len())
    }

    pub(crate) fn unknown(&self) -> u32 {
        narrow(self.values.len()) + u32::from(!self.missing_as_one)
    }

    pub(crate) fn rest(&self) -> u32 {
        narrow(self.values.len()) + 2
    }

    /// How many codes there are.
    pub(crate) fn codes(&self) -> usize {
        self.values.len() + 2 + usize::from(self.rest)
    }

    /// The place of each code: the order by hand first, then that of the members.
    pub(crate) fn ranks(&self, by_hand: &[Scalar]) -> Vec<u32> {
        if by_hand.is_empty() {
            return (1..=narrow(self.codes())).collect();
        }
        let hand = |value: &Scalar| by_hand.iter().position(|v| v == value).unwrap_or(by_hand.len());
        let mut order: Vec<usize> = (0..self.values.len()).collect();
        order.sort_by_key(|code| hand(&self.values[*code]));
        let mut ranks: Vec<u32> = (0..narrow(self.codes())).map(|code| code + 1).collect();
        for (rank, code) in order.into_iter().enumerate() {
            ranks[code] = narrow(rank) + 1;
        }
        ranks
    }

    /// The code of a value.
    pub(crate) fn find(&self, value: &Scalar) -> Option<u32> {
        self.values.binary_search_by(|v| v.compare(value)).ok().map(narrow)
    }

    /// All members of both, in order.
    pub(crate) fn union(&self, other: &Self) -> Self {
        let mut values: Vec<Scalar> = self.values.iter().chain(&other.values).cloned().collect();
        values.sort_by(Scalar::compare);
        values.dedup_by(|a, b| a.compare(b) == Ordering::Equal);
        Self { values, rest: self.rest || other.rest, missing_as_one: self.missing_as_one }
    }
}

/// How many codes lie in the nearest cache.
const FEW: usize = 1 << 12;

/// A group key bound to columns in memory: the code of row `r` is `map[numbers[r]]`, or `numbers[r]` without a map.
#[derive(Clone, Debug)]
pub(crate) struct Key {
    pub(crate) numbers: Arc<SmallInts>,
    pub(crate) map: Option<Arc<SmallInts>>,
    pub(crate) members: Arc<Members>,
}

impl Key {
    /// A key whose numbers are led on to codes.
    pub(crate) fn mapped(numbers: Arc<SmallInts>, map: Vec<u32>, members: Arc<Members>) -> Self {
        // Few lie in the nearest cache whatever their width, and are read as they are.
        let map = if map.len() <= FEW { SmallInts::U32(map) } else { SmallInts::new(map, members.codes()) };
        Self { numbers, map: Some(Arc::new(map)), members }
    }

    pub(crate) fn code(&self, row: usize) -> u32 {
        let number = self.numbers.get(row);
        narrow(self.map.as_ref().map_or(number, |map| map.get(number)))
    }

    /// Whether both give each row the same code.
    pub(crate) fn is_like(&self, other: &Self) -> bool {
        let maps = match (&self.map, &other.map) {
            (None, None) => true,
            (Some(a), Some(b)) => Arc::ptr_eq(a, b) || a == b,
            _ => false,
        };
        maps && Arc::ptr_eq(&self.numbers, &other.numbers) && self.members.codes() == other.members.codes()
    }

    /// The smallest and largest code of some rows.
    pub(crate) fn code_range(&self, rows: std::ops::Range<usize>) -> (u32, u32) {
        let mut range = (u32::MAX, 0);
        let mut take = |code: u32| range = (range.0.min(code), range.1.max(code));
        with_index!(&*self.numbers, numbers => match &self.map {
            Some(map) => with_index!(&**map, map => {
                numbers[rows].iter().for_each(|n| take(u32::from(map[*n as usize])));
            }),
            None => numbers[rows].iter().for_each(|n| take(u32::from(*n))),
        });
        (range.0.min(range.1), range.1)
    }

    /// Whether some rows stand in the order of their codes.
    pub(crate) fn is_in_order(&self, rows: std::ops::Range<usize>) -> bool {
        with_index!(&*self.numbers, numbers => match &self.map {
            Some(map) => with_index!(&**map, map => {
                holds_in_pieces(rows, |piece| numbers[piece].is_sorted_by_key(|n| map[*n as usize]))
            }),
            None => holds_in_pieces(rows, |piece| numbers[piece].is_sorted()),
        })
    }

    /// Puts the codes of some rows behind `codes`.
    pub(crate) fn read(&self, rows: Rows<'_>, codes: &mut Vec<u32>) {
        with_index!(&*self.numbers, numbers => match (&self.map, rows) {
            (Some(map), Rows::Range(start, length)) => with_index!(&**map, map => {
                codes.extend(numbers[start..start + length].iter().map(|n| u32::from(map[*n as usize])));
            }),
            (None, Rows::Range(start, length)) => {
                codes.extend(numbers[start..start + length].iter().map(|n| u32::from(*n)));
            }
            (Some(map), Rows::List(list)) => with_index!(&**map, map => {
                codes.extend(list.iter().map(|row| u32::from(map[numbers[row.index()] as usize])));
            }),
            (None, Rows::List(list)) => {
                codes.extend(list.iter().map(|row| u32::from(numbers[row.index()])));
            }
        });
    }

    /// Turns each code of some rows into `code * size +` the code of this key.
    pub(crate) fn combine(&self, rows: Rows<'_>, codes: &mut [u32], size: u32) {
        with_index!(&*self.numbers, numbers => {
            let places = codes.iter_mut();
            match (&self.map, rows) {
                (Some(map), Rows::Range(start, length)) => with_index!(&**map, map => {
                    let numbers = &numbers[start..start + length];
                    places.zip(numbers).for_each(|(c, n)| *c = *c * size + u32::from(map[*n as usize]));
                }),
                (None, Rows::Range(start, length)) => {
                    let numbers = &numbers[start..start + length];
                    places.zip(numbers).for_each(|(c, n)| *c = *c * size + u32::from(*n));
                }
                (Some(map), Rows::List(list)) => with_index!(&**map, map => {
                    let numbers = list.iter().map(|row| numbers[row.index()]);
                    places.zip(numbers).for_each(|(c, n)| *c = *c * size + u32::from(map[n as usize]));
                }),
                (None, Rows::List(list)) => {
                    places.zip(list).for_each(|(c, row)| *c = *c * size + u32::from(numbers[row.index()]));
                }
            }
        });
    }

    /// The code of each entry that numbers point to.
    pub(crate) fn entries(&self) -> Vec<u32> {
        match &self.map {
            Some(map) => with_index!(&**map, map => map.iter().map(|code| u32::from(*code)).collect()),
            None => (0..narrow(self.members.codes())).collect(),
        }
    }

    /// The same rows with codes among `all` members.
    pub(crate) fn among(self, all: &Arc<Members>) -> Self {
        if Arc::ptr_eq(&self.members, all) {
            return self;
        }
        let own = &self.members;
        let mut to: Vec<u32> = own.values.iter().map(|v| all.find(v).unwrap_or_else(|| all.none())).collect();
        to.extend([all.none(), all.unknown()]);
        let map = self.entries().iter().map(|code| to[*code as usize]).collect();
        Self::mapped(self.numbers, map, all.clone())
    }
}

/// The members of a column and the code of each row.
pub(crate) fn column_key(column: &Column) -> Key {
    let rows = column.len();
    if let Some((codes, dictionary)) = column.texts() {
        let values = dictionary.texts.iter().cloned().map(Scalar::Text).collect();
        return Key { numbers: codes.clone(), map: None, members: Arc::new(Members::of(values)) };
    }
    let vector = column.read(Rows::Range(0, rows));
    if let Values::Bool(bools) = &vector.values {
        return condition_key(bools, &vector);
    }
    let (codes, values) = match (&vector.values, column.physical_range()) {
        (Values::Int(physicals), Some((low, high))) if high - low <= (4 * rows as i128).max(1 << 16) => {
            ranked_by_place(physicals, &vector, fit(low), fit(high), column.ty())
        }
        _ => ranked_by_order(column),
    };
    let bound = values.len() + 2;
    Key { numbers: Arc::new(SmallInts::new(codes, bound)), map: None, members: Arc::new(Members::of(values)) }
}

/// Conditions: false before true.
fn condition_key(bools: &[bool], vector: &Vector) -> Key {
    let holds = |wanted: bool| bools.iter().enumerate().any(|(at, b)| *b == wanted && vector.is_valid(at));
    let values: Vec<Scalar> = [false, true].into_iter().filter(|b| holds(*b)).map(Scalar::Boolean).collect();
    let codes =
        [false, true].map(|b| narrow(values.iter().position(|v| *v == Scalar::Boolean(b)).unwrap_or(0)));
    let none = narrow(values.len());
    let code = |(at, b): (usize, &bool)| if vector.is_valid(at) { codes[usize::from(*b)] } else { none };
    let numbers = SmallInts::new(bools.iter().enumerate().map(code).collect(), values.len() + 2);
    Key { numbers: Arc::new(numbers), map: None, members: Arc::new(Members::of(values)) }
}

/// Physical values within a short range: a place per possible one.
fn ranked_by_place(
    physicals: &[i64],
    vector: &Vector,
    low: i64,
    high: i64,
    ty: Type,
) -> (Vec<u32>, Vec<Scalar>) {
    let mut rank = vec![u32::MAX; fit::<_, usize>(high - low) + 1];
    for (at, physical) in physicals.iter().enumerate() {
        if vector.is_valid(at) {
            rank[fit::<_, usize>(physical - low)] = 0;
        }
    }
    let mut values = Vec::new();
    for (at, rank) in rank.iter_mut().enumerate().filter(|(_, rank)| **rank == 0) {
        *rank = narrow(values.len());
        values.push(Scalar::from_physical(ty, i128::from(low) + at as i128));
    }
    let none = narrow(values.len());
    let code = |(at, physical): (usize, &i64)| {
        if vector.is_valid(at) { rank[fit::<_, usize>(physical - low)] } else { none }
    };
    (physicals.iter().enumerate().map(code).collect(), values)
}

fn ranked_by_order(column: &Column) -> (Vec<u32>, Vec<Scalar>) {
    let mut order: Vec<(Scalar, u32)> = (0..column.len())
        .map(|row| (column.scalar(row), narrow(row)))
        .filter(|(value, _)| !value.is_null())
        .collect();
    order.sort_by(|a, b| a.0.compare(&b.0));
    let mut values: Vec<Scalar> = Vec::new();
    let mut codes = vec![u32::MAX; column.len()];
    for (value, row) in order {
        if values.last().is_none_or(|last| last.compare(&value) != Ordering::Equal) {
            values.push(value);
        }
        codes[row as usize] = narrow(values.len()) - 1;
    }
    let none = narrow(values.len());
    codes.iter_mut().filter(|code| **code == u32::MAX).for_each(|code| *code = none);
    (codes, values)
}
