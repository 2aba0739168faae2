//! Whole numbers in fewer bits. Every narrowing goes through here, or is a test of the range: a number that does not fit must not
//! become another one.

/// The number of a member, a group or a row in 32 bits.
///
/// Codes and groups are counted in memory, some eight bytes each, and tables of more rows are refused when they are loaded
/// ([`MOST_ROWS`](crate::MOST_ROWS)); what is past the end all the same stops the process, for no figure could be trusted.
#[inline]
pub(crate) fn narrow<N: TryInto<u32>>(number: N) -> u32 {
    fit(number)
}

/// A number in another width that it fits.
#[inline]
pub(crate) fn fit<N: TryInto<M>, M>(number: N) -> M {
    match number.try_into() {
        Ok(number) => number,
        Err(_) => past_the_end(),
    }
}

/// The day that is a number of rows behind the first one of a calendar.
#[inline]
pub(crate) fn day_after(first: i32, rows: usize) -> i32 {
    fit(i64::from(first) + fit::<_, i64>(rows))
}

#[cold]
#[allow(clippy::panic)] // The reason stands above.
fn past_the_end() -> ! {
    panic!("a number of rows, members or groups does not fit its width")
}

#[cfg(test)]
mod tests {
    use super::{day_after, fit, narrow};

    #[test]
    fn what_fits_stays_the_same() {
        assert_eq!(narrow(u64::from(u32::MAX)), u32::MAX);
        assert_eq!(fit::<i128, usize>(7), 7);
        assert_eq!(day_after(-3, 5), 2);
    }

    #[test]
    #[should_panic(expected = "does not fit its width")]
    fn a_number_past_32_bits_is_not_cut() {
        narrow(1_u64 << 32);
    }

    #[test]
    #[should_panic(expected = "does not fit its width")]
    fn a_negative_number_is_no_position() {
        fit::<i64, usize>(-1);
    }
}
