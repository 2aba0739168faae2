//! To whom the company sells.

use crate::random::Random;
use chrono::{Days, NaiveDate};

/// The segments: kinds of buyers.
pub const SEGMENTS: [&str; 5] = ["Club", "Farm", "Shop", "School", "Nursery"];
/// The regions: the valleys of rivers.
pub const REGIONS: [&str; 6] = ["Sarrow", "Tambeck", "Quillon", "Dunlow", "Oskell", "Wendry"];

/// The towns of each region. The first ones are larger.
const TOWNS: [[&str; 2]; 6] = [
    ["Sarrowgate", "Harrowgill"],
    ["Tambeck Mills", "Ferncliffe"],
    ["Quillonford", "Sallowby"],
    ["Dunlow Bridge", "Lindenhythe"],
    ["Oskell Weir", "Mossington"],
    ["Wendry Cross", "Ottersea"],
];
/// Of a thousand customers, those of each town.
const IN_TOWNS: [usize; 12] = [140, 110, 110, 90, 90, 80, 80, 70, 70, 60, 60, 40];
const PLACES: [&str; 20] = [
    "Alder", "Bramble", "Clover", "Damson", "Elder", "Foxglove", "Gorse", "Heather", "Ivy", "Juniper",
    "Knapweed", "Lavender", "Meadow", "Nettle", "Orchard", "Primrose", "Quince", "Rowan", "Sorrel", "Thyme",
];
const ENDINGS: [[&str; 4]; 5] = [
    ["Bee Club", "Beekeepers", "Apiary Society", "Hive Circle"],
    ["Farm", "Honey Farm", "Orchards", "Holding"],
    ["Stores", "Garden Shop", "Country Supplies", "Delicatessen"],
    ["School", "Village School", "College", "Forest School"],
    ["Nursery", "Tree Nursery", "Seedlings", "Glasshouses"],
];

/// A customer.
#[derive(Clone, Debug)]
pub struct Customer {
    /// The number; one of them has leading zeros.
    pub code: String,
    /// The name.
    pub name: String,
    /// The position in [`SEGMENTS`].
    pub segment: usize,
    /// The town.
    pub town: &'static str,
    /// The position in [`REGIONS`]; one customer has none.
    pub region: Option<usize>,
    /// The first day on which they may buy.
    pub joined_on: NaiveDate,
    /// The last day on which they buy.
    pub(crate) until: NaiveDate,
    /// How much they buy, against others.
    pub(crate) weight: usize,
}

pub(crate) fn day(year: i32, month: u32, day: u32) -> NaiveDate {
    NaiveDate::from_ymd_opt(year, month, day).unwrap_or_default()
}

/// The first and the last day with orders.
pub(crate) fn first_day() -> NaiveDate {
    day(2023, 1, 1)
}
pub(crate) fn last_day() -> NaiveDate {
    day(2025, 11, 30)
}

/// Those who are there from the first to the last day, and the one who never buys.
pub(crate) const FAITHFUL: [usize; 2] = [16, 203];
pub(crate) const IDLE: usize = 57;

pub(crate) fn all(count: usize, random: &mut Random) -> Vec<Customer> {
    (0..count).map(|at| one(at, random)).collect()
}

fn one(at: usize, random: &mut Random) -> Customer {
    let segment = random.weighted(&[34, 24, 18, 13, 11]);
    let place_of_town = random.weighted(&IN_TOWNS);
    let region = place_of_town / 2;
    let town = TOWNS[region][place_of_town % 2];
    let place = PLACES[at % PLACES.len()];
    let ending = ENDINGS[segment][(at / PLACES.len()) % 4];
    let name = match at {
        31 => format!("{place} & Söhne, {ending}"),
        88 => format!("The \"{place}\" {ending}"),
        _ if at >= 80 => format!("{place} {ending}, {town}"),
        _ => format!("{place} {ending}"),
    };
    // Some were there before the first day, new ones come all the time, and in each year some stop.
    let joined_on = if random.chance(550) {
        day(2015, 1, 5) + Days::new(random.below(2800) as u64)
    } else {
        first_day() + Days::new(random.below(1000) as u64)
    };
    let start = joined_on.max(first_day());
    let left = (last_day() - start).num_days().max(1) as usize;
    let until = if random.chance(280) {
        start + Days::new((left / 4 + random.below(left)) as u64)
    } else {
        last_day()
    };
    let faithful = FAITHFUL.contains(&at);
    Customer {
        code: if at == 41 { "00417".to_owned() } else { (2001 + at * 7).to_string() },
        name,
        segment,
        town,
        region: (at != 120).then_some(region),
        joined_on: if faithful { day(2015, 1, 5) } else { joined_on },
        until: if faithful { last_day() } else { until.min(last_day()) },
        weight: [2, 5, 4, 2, 4][segment] + random.below(6),
    }
}
