//! Work on all threads, which comes through [`for_each`]: that is compiled once, whatever the work is. What shares work out is much more
//! code than most of the work, so only what must write each value once ([`crate::execution::parallel`], [`crate::operators::scan`]) or sorts is shared out by itself.

use rayon::prelude::*;
use std::ops::Range;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Does some work for each number below `count`, on all threads.
pub(crate) fn for_each(count: usize, work: &(dyn Fn(usize) + Sync)) {
    match count {
        0 => {}
        1 => work(0),
        _ => (0..count).into_par_iter().for_each(work),
    }
}

/// What is found for each number below `count`, in their order.
pub(crate) fn gather<T: Send>(count: usize, find: impl Fn(usize) -> T + Sync) -> Vec<T> {
    let found: Vec<Mutex<Option<T>>> = (0..count).map(|_| Mutex::new(None)).collect();
    for_each(count, &|at| put(&found[at], find(at)));
    found.into_iter().filter_map(|place| place.into_inner().ok().flatten()).collect()
}

/// What is found for each of some things, in their order.
pub(crate) fn gather_of<I: Send, T: Send>(things: Vec<I>, find: impl Fn(I) -> T + Sync) -> Vec<T> {
    let things: Vec<Mutex<Option<I>>> = things.into_iter().map(|thing| Mutex::new(Some(thing))).collect();
    let found = gather(things.len(), |at| taken(&things[at]).map(&find));
    found.into_iter().flatten().collect()
}

/// What is found for each of some things, in their order, or the first error among them. Behind an error nothing more is begun.
pub(crate) fn try_gather_of<I: Send, T: Send, E: Send>(
    things: Vec<I>,
    find: impl Fn(I) -> Result<T, E> + Sync,
) -> Result<Vec<T>, E> {
    let failed = AtomicUsize::new(usize::MAX);
    let things = things.into_iter().enumerate().collect();
    let found = gather_of(things, |(at, thing)| {
        if failed.load(Ordering::Relaxed) < at {
            return None;
        }
        let found = find(thing);
        if found.is_err() {
            failed.fetch_min(at, Ordering::Relaxed);
        }
        Some(found)
    });
    // What was not begun stands behind the first error.
    found.into_iter().flatten().collect()
}

/// Works on values by pieces of a size, each with the place of its first value.
pub(crate) fn in_pieces<T: Send>(values: &mut [T], size: usize, work: impl Fn(usize, &mut [T]) + Sync) {
    let pieces: Vec<Mutex<Option<&mut [T]>>> =
        values.chunks_mut(size).map(|piece| Mutex::new(Some(piece))).collect();
    for_each(pieces.len(), &|at| {
        if let Some(piece) = taken(&pieces[at]) {
            work(at * size, piece);
        }
    });
}

/// [`in_pieces`], for work that may fail: with the first of the errors.
pub(crate) fn try_in_pieces<T: Send, E: Send>(
    values: &mut [T],
    size: usize,
    work: impl Fn(usize, &mut [T]) -> Result<(), E> + Sync,
) -> Result<(), E> {
    let pieces: Vec<(usize, &mut [T])> = values.chunks_mut(size).enumerate().collect();
    try_gather_of(pieces, |(at, piece)| work(at * size, piece)).map(drop)
}

/// What is found for each piece of a size from 0 to below `len`, in their order.
pub(crate) fn of_pieces<T: Send>(len: usize, size: usize, find: impl Fn(Range<usize>) -> T + Sync) -> Vec<T> {
    gather(len.div_ceil(size), |at| find(at * size..((at + 1) * size).min(len)))
}

fn put<T>(place: &Mutex<Option<T>>, value: T) {
    if let Ok(mut place) = place.lock() {
        *place = Some(value);
    }
}

fn taken<T>(place: &Mutex<Option<T>>) -> Option<T> {
    place.lock().ok()?.take()
}

#[cfg(test)]
mod tests {
    use super::{gather, gather_of, in_pieces, try_gather_of};

    #[test]
    fn what_is_found_stands_in_the_order_of_what_it_was_found_for() {
        for count in [0, 1, 2, 1_000] {
            let wanted: Vec<usize> = (0..count).map(|at| at * at).collect();
            assert_eq!(gather(count, |at| at * at), wanted);
            let texts: Vec<String> = wanted.iter().map(ToString::to_string).collect();
            assert_eq!(gather_of(texts, |text| text.parse::<usize>().unwrap()), wanted);
        }
    }

    #[test]
    fn the_first_of_several_errors_is_told() {
        for wrong in [vec![], vec![0], vec![7, 993], vec![999], (400..600).collect()] {
            let found =
                try_gather_of((0..1_000).collect(), |at| if wrong.contains(&at) { Err(at) } else { Ok(at) });
            let wanted = wrong.first().map_or_else(|| Ok((0..1_000).collect::<Vec<i32>>()), |at| Err(*at));
            assert_eq!(found, wanted);
        }
    }

    #[test]
    fn each_piece_is_worked_on_once() {
        for len in [0, 1, 9, 10, 11, 995] {
            let mut values = vec![0; len];
            in_pieces(&mut values, 10, |start, piece| {
                piece.iter_mut().enumerate().for_each(|(at, value)| *value += start + at + 1);
            });
            assert_eq!(values, (1..=len).collect::<Vec<usize>>());
        }
    }
}
