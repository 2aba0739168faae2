//! What the company sells: 60 products in 12 families and 4 categories.

/// A product.
#[derive(Clone, Debug)]
pub struct Product {
    /// The article number.
    pub sku: String,
    /// The name.
    pub name: String,
    /// The family.
    pub family: &'static str,
    /// The category.
    pub category: &'static str,
    /// The price in cents.
    pub list_price: i64,
    /// What it costs in cents.
    pub unit_cost: i64,
}

const FAMILIES: [(&str, &str, &str, i64, [&str; 5]); 12] = [
    (
        "Hives",
        "HB",
        "Hive bodies",
        8900,
        ["Hive body, pine", "Hive body, cedar", "Nucleus box", "Polystyrene hive", "Observation hive"],
    ),
    (
        "Hives",
        "FR",
        "Frames",
        1450,
        ["Frame set, 10 pieces", "Frame set, 20 pieces", "Wax foundation", "Drone frame", "Frame wire"],
    ),
    (
        "Hives",
        "ST",
        "Stands",
        3900,
        ["Hive stand, low", "Hive stand, high", "Hive scale stand", "Ground sheet", "Hive strap \"Storm\""],
    ),
    (
        "Tools",
        "SM",
        "Smokers",
        3200,
        ["Smoker \"Little Cloud\"", "Smoker, large", "Smoker fuel, 2 kg", "Bellows", "Smoker hook"],
    ),
    (
        "Tools",
        "KN",
        "Knives",
        1850,
        ["Uncapping knife", "Uncapping fork", "Hive tool, J shape", "Hive tool, flat", "Frame grip"],
    ),
    (
        "Tools",
        "QN",
        "Queen rearing",
        2400,
        [
            "Königinnen cage, brass",
            "Queen marking set",
            "Grafting tool",
            "Queen excluder",
            "Cell cups, 100 pieces",
        ],
    ),
    (
        "Clothing",
        "VE",
        "Veils",
        2750,
        ["Veil, round", "Veil, square", "Hat with veil", "Veil for children", "Spare mesh"],
    ),
    (
        "Clothing",
        "GL",
        "Gloves",
        2100,
        [
            "Gloves, goat leather",
            "Gloves, cow leather",
            "Gloves, nitrile, 50 pairs",
            "Sleeve guards",
            "Gloves, long",
        ],
    ),
    (
        "Clothing",
        "SU",
        "Suits",
        9400,
        [
            "Bee suit, cotton",
            "Bee suit, ventilated",
            "Jacket, cotton",
            "Jacket, ventilated",
            "Suit for children",
        ],
    ),
    (
        "Honey",
        "EX",
        "Extractors",
        41_500,
        [
            "Extractor, 3 frames",
            "Extractor, 6 frames",
            "Extractor, électrique",
            "Uncapping tank",
            "Extractor gate",
        ],
    ),
    (
        "Honey",
        "SR",
        "Strainers",
        2650,
        ["Double strainer", "Strainer bucket", "Strainer cloth", "Settling tank", "Honey gate, 40 mm"],
    ),
    (
        "Honey",
        "JA",
        "Jars",
        780,
        ["Jars, 12 × 500 g", "Jars, 24 × 250 g", "Lids, 100 pieces", "Labels, 500 pieces", "Gift box"],
    ),
];

/// The product that nobody buys.
pub(crate) const UNSOLD: &str = "FR-05";
/// The family that starts late, and the day from which it is sold.
pub(crate) const LATE: (&str, (i32, u32, u32)) = ("Suits", (2024, 3, 1));

pub(crate) fn all() -> Vec<Product> {
    let mut products = Vec::new();
    for (category, prefix, family, price, names) in FAMILIES {
        for (at, name) in names.iter().enumerate() {
            let step = at as i64;
            let list_price = price + price * step * 3 / 20 - (price * step) % 7;
            products.push(Product {
                sku: format!("{prefix}-{:02}", at + 1),
                name: (*name).to_owned(),
                family,
                category,
                list_price,
                unit_cost: list_price * (58 + step * 3) / 100,
            });
        }
    }
    products
}
