//! Generated questions over the generated stars, from the grammar rather than from a list.

use crate::Random;

/// What questions about a fact are made of.
struct Words {
    axes: &'static [&'static str],
    numbers: &'static [&'static str],
    values: &'static [&'static str],
    measures: &'static [&'static str],
    tables: &'static [&'static str],
    roles: &'static [&'static str],
    conditions: &'static [&'static str],
    others: &'static [&'static str],
}

const SALE: Words = Words {
    axes: &[
        "calendar.year",
        "calendar.month",
        "calendar.date",
        "calendar.quarter",
        "calendar.week",
        "calendar.fiscal_year",
        "calendar.fiscal_quarter",
        "calendar.weekday",
        "calendar.month_of_year",
        "ordered.month",
        "shipped.month",
        "buyer.area",
        "payer.area",
        "receiver.size",
        "buyer.vip",
        "area.zone",
        "area.name",
        "item.label",
        "sale.quantity",
        "sale.line",
        "extract(month from ordered) as m",
        "coalesce(item.label, 'none') as label2",
        "quantity > 3 as many",
        "sale.weight",
    ],
    numbers: &["quantity", "price", "net", "wait", "weight", "buyer.age", "discount"],
    values: &[
        "quantity",
        "net",
        "sale.ordered",
        "sale.shipped",
        "paid_by",
        "buyer.area",
        "item.label",
        "vip",
        "weight",
        "upper(item.label)",
        "payer.area",
    ],
    measures: &["revenue", "revenue_shipped", "big", "mean_price"],
    tables: &["sale"],
    roles: &["shipped", "ordered", "payer", "receiver"],
    conditions: &[
        "quantity > 2",
        "net between 1 and before 50",
        "shipped.month = '2024-02'",
        "ordered.quarter <> '2024-Q1'",
        "sale.shipped is null",
        "sale.shipped > sale.ordered",
        "payer.area <> receiver.area",
        "item.label is not null",
        "price * quantity > 20",
        "coalesce(discount, 0) = 0",
        "case when quantity > 3 then price else discount end > 0.5",
        "sale.ordered = '2024-02-29'",
        "calendar.year = 2024",
        "calendar.month in ('2024-02', '2024-10', '2023-12')",
        "calendar.date between '2024-01-01' and '2024-12-31'",
        "buyer.area = 'Moor'",
        "buyer.age >= 30",
        "vip",
        "area.zone like 'n%'",
        "calendar.weekday = 'Monday'",
        "paid_by = sent_to",
        "weight < 2.5",
    ],
    others: &[
        "listagg(item.label, '+')",
        "listagg(distinct buyer.area)",
        "any(quantity > 5)",
        "every(quantity > 2)",
    ],
};

const VISIT: Words = Words {
    axes: &[
        "calendar.year",
        "calendar.month",
        "ordered.date",
        "buyer.area",
        "buyer.size",
        "area.zone",
        "visit.code",
        "extract(hour from seen_at) as hour",
    ],
    numbers: &["minutes", "buyer.age"],
    values: &["minutes", "seen_at", "buyer.area", "visit.code", "vip"],
    measures: &["minutes_spent"],
    tables: &["visit"],
    roles: &["ordered"],
    conditions: &[
        "minutes < 30",
        "calendar.year = 2024",
        "buyer.area = 'Moor'",
        "buyer.vip",
        "calendar.weekday = 'Monday'",
        "extract(hour from seen_at) between 5 and before 12",
        "area.zone is null",
    ],
    others: &["listagg(distinct area.zone)", "any(buyer.vip)", "max(seen_at)"],
};

/// What several facts reach: their figures stand side by side.
const SHARED: Words = Words {
    axes: &[
        "calendar.year",
        "calendar.month",
        "calendar.quarter",
        "ordered.month",
        "area.zone",
        "area.name",
        "calendar.fiscal_year",
        "calendar.month_of_year",
    ],
    numbers: &["quantity", "minutes", "goal.amount", "net"],
    values: &["goal.amount", "goal.month", "net", "minutes", "area.zone"],
    measures: &["revenue", "minutes_spent", "goals", "mean_price", "revenue_shipped"],
    tables: &["sale", "visit", "goal"],
    roles: &["ordered"],
    conditions: &[
        "calendar.year = 2024",
        "calendar.month in ('2024-02', '2024-10', '2023-12')",
        "area.zone like 'n%'",
        "area.name <> 'Fen'",
        "calendar.quarter = '2024-Q1'",
        "ordered.year >= 2024",
    ],
    others: &["listagg(distinct area.name)", "count(distinct goal.month)"],
};

thread_local! {
    static WORDS: std::cell::Cell<&'static Words> = const { std::cell::Cell::new(&SALE) };
}

fn words() -> &'static Words {
    WORDS.get()
}

/// A question; some ask for what a fact cannot reach and are refused.
pub(crate) fn question(random: &mut Random) -> String {
    WORDS.set(match random.below(10) {
        0..=5 => &SALE,
        6 | 7 => &VISIT,
        _ => &SHARED,
    });
    let rows = list(random, 3);
    let columns = if random.chance(35) { list(random, 2) } else { Vec::new() };
    let mut text = String::new();
    if !rows.is_empty() {
        text.push_str(&format!("rows {} ", rows.join(", ")));
    }
    let columns: Vec<&str> = columns.into_iter().filter(|c| !rows.contains(c)).collect();
    if !columns.is_empty() {
        text.push_str(&format!("columns {} ", columns.join(", ")));
    }
    let shows: Vec<String> =
        (0..=random.below(3)).map(|at| format!("({}) as f{at}", figure(random, 3))).collect();
    text.push_str(&format!("show {}", shows.join(", ")));
    if random.chance(40) {
        text.push_str(&format!(" where {}", condition(random, 2)));
    }
    if random.chance(20) {
        text.push_str(&format!(" via {}", role(random)));
    }
    if random.chance(25) {
        text.push_str(" sort f0");
        text.push_str(random.pick(&["", " descending"]));
    }
    if random.chance(50) {
        text.push_str(random.pick(&[
            " totals on rows",
            " totals on columns",
            " totals on rows first, on columns",
        ]));
    }
    text
}

fn list(random: &mut Random, most: usize) -> Vec<&'static str> {
    let mut axes: Vec<&str> = Vec::new();
    for _ in 0..random.below(most + 1) {
        let axis = random.pick(words().axes);
        if !axes.contains(&axis) {
            axes.push(axis);
        }
    }
    axes
}

fn role(random: &mut Random) -> &'static str {
    random.pick(words().roles)
}

fn figure(random: &mut Random, deep: usize) -> String {
    if deep == 0 {
        return aggregate(random);
    }
    match random.below(10) {
        0 | 1 => aggregate(random),
        2..=4 => random.pick(words().measures).to_owned(),
        5 => format!("({}) + ({})", number(random), number(random)),
        6 => format!("({}) / ({})", number(random), number(random)),
        7 => format!("({} via {})", simple(random, deep - 1), role(random)),
        8 => format!("({} where {})", simple(random, deep - 1), condition(random, 1)),
        _ => format!("({} where {} via {})", simple(random, deep - 1), condition(random, 1), role(random)),
    }
}

/// A figure that a clause may stand behind.
fn simple(random: &mut Random, deep: usize) -> String {
    let inner = figure(random, deep);
    if inner.starts_with('(') && inner.ends_with(')') { format!("({inner})") } else { inner }
}

fn number(random: &mut Random) -> String {
    if random.chance(50) {
        random.pick(words().measures).to_owned()
    } else {
        format!("{}({})", random.pick(&["sum", "max", "avg", "count"]), random.pick(words().numbers))
    }
}

fn aggregate(random: &mut Random) -> String {
    let own = if random.chance(25) { format!(" where {}", condition(random, 1)) } else { String::new() };
    match random.below(8) {
        0 => format!("count(rows of {})", random.pick(words().tables)),
        1 => format!("count(distinct {}{own})", random.pick(words().values)),
        2 => format!("{}({}{own})", random.pick(&["min", "max", "count"]), random.pick(words().values)),
        3 => format!("percentile({}, 0.{}{own})", random.pick(words().numbers), random.below(10)),
        4 => format!(
            "{}({} by {})",
            random.pick(&["first", "last"]),
            random.pick(words().values),
            random.pick(words().values)
        ),
        5 => random.pick(words().others).to_owned(),
        6 => format!(
            "{}({}{own})",
            random.pick(&["median", "stddev", "variance", "avg"]),
            random.pick(words().numbers)
        ),
        _ => format!(
            "sum({} * {} - {}{own})",
            random.pick(words().numbers),
            random.pick(words().numbers),
            random.pick(words().numbers)
        ),
    }
}

fn condition(random: &mut Random, deep: usize) -> String {
    if deep > 0 && random.chance(40) {
        let (a, b) = (condition(random, deep - 1), condition(random, deep - 1));
        return match random.below(3) {
            0 => format!("{a} and {b}"),
            1 => format!("({a} or {b})"),
            _ => format!("not ({a})"),
        };
    }
    random.pick(words().conditions).to_owned()
}
