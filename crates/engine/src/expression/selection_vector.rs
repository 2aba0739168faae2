//! Selection vectors: the positions of a block for which a condition holds.

use crate::storage::narrow::narrow;

/// For how many positions a condition holds.
pub(crate) fn count_of(holds: &[bool]) -> usize {
    // This many at once fit in a byte, and bytes are added many at a time.
    holds.chunks(128).map(|some| usize::from(some.iter().map(|holds| u8::from(*holds)).sum::<u8>())).sum()
}

/// Where a condition holds for less than one position in this many, most groups of eight hold nothing.
const SPARSE: usize = 16;

/// The positions for which a condition holds, counted from `from`. Eight are tested together without a branch, which could not be predicted,
/// unless the condition seldom holds.
pub(crate) fn selection_vector(holds: &[bool], valid: Option<&[bool]>, from: u32) -> Vec<u32> {
    if let Some(valid) = valid {
        let both: Vec<bool> = holds.iter().zip(valid).map(|(holds, valid)| *holds && *valid).collect();
        return selection_vector(&both, None, from);
    }
    let all = count_of(holds);
    let sparse = all * SPARSE < holds.len();
    // The last eight may leave what does not count behind those that do.
    let mut kept = vec![0; all + 8];
    let mut count = 0;
    let (eights, rest) = holds.as_chunks::<8>();
    for (at, eight) in eights.iter().enumerate() {
        if sparse && *eight == [false; 8] {
            continue;
        }
        let bits = bits_of(*eight);
        let start = from + narrow(8 * at);
        let places = &PLACES[usize::from(bits)];
        kept[count..count + 8]
            .iter_mut()
            .zip(places)
            .for_each(|(kept, place)| *kept = start + u32::from(*place));
        count += bits.count_ones() as usize;
    }
    let start = from + narrow(holds.len() - rest.len());
    for (place, holds) in (start..).zip(rest) {
        kept[count] = place;
        count += usize::from(*holds);
    }
    kept.truncate(count);
    kept
}

/// A bit for each of eight conditions, the first one the lowest.
fn bits_of(eight: [bool; 8]) -> u8 {
    // Each byte is moved to its bit of the highest one.
    (u64::from_le_bytes(eight.map(u8::from)).wrapping_mul(0x0102_0408_1020_4080) >> 56) as u8
}

/// For eight bits the places of those that are set.
static PLACES: [[u8; 8]; 256] = places_of_bits();

#[allow(clippy::cast_possible_truncation)] // Less than eight.
const fn places_of_bits() -> [[u8; 8]; 256] {
    let mut all = [[0; 8]; 256];
    let mut bits = 0;
    while bits < 256 {
        let (mut count, mut place) = (0, 0);
        while place < 8 {
            if bits >> place & 1 == 1 {
                all[bits][count] = place as u8;
                count += 1;
            }
            place += 1;
        }
        bits += 1;
    }
    all
}

#[cfg(test)]
mod tests {
    use super::{count_of, selection_vector};
    use crate::storage::testing::Random;

    #[test]
    fn each_place_is_found_in_order() {
        // Every eight conditions that there are, then blocks of all lengths.
        let all = (0..256_u32).map(|bits| (0..8).map(|bit| bits >> bit & 1 == 1).collect::<Vec<bool>>());
        let mut random = Random(43);
        // Some of them seldom hold.
        let mut block = |len: usize| {
            let one_of = [3, 40][len % 2];
            (0..len).map(|_| random.below(one_of) == 0).collect()
        };
        let blocks = (0..300).map(&mut block);
        for holds in all.chain(blocks.collect::<Vec<Vec<bool>>>()) {
            let valid: Vec<bool> = (0..holds.len()).map(|at| at % 3 > 0).collect();
            let wanted = |valid: &dyn Fn(usize) -> bool| -> Vec<u32> {
                (0..holds.len()).filter(|at| holds[*at] && valid(*at)).map(|at| at as u32 + 7).collect()
            };
            assert_eq!(selection_vector(&holds, None, 7), wanted(&|_| true));
            assert_eq!(selection_vector(&holds, Some(&valid), 7), wanted(&|at| valid[at]));
            assert_eq!(count_of(&holds), wanted(&|_| true).len());
        }
    }
}
