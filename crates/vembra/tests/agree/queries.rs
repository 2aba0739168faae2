//! Generated queries over the generated stars, from the grammar rather than from a list.

use crate::Random;

/// What queries about a fact are made of.
struct Words {
    axes: &'static [&'static str],
    numbers: &'static [&'static str],
    values: &'static [&'static str],
    measures: &'static [&'static str],
    tables: &'static [&'static str],
    roles: &'static [&'static str],
    conditions: &'static [&'static str],
    others: &'static [&'static str],
    /// What a value may be fixed at.
    keys: &'static [&'static str],
    /// What may be forgotten, or looked along.
    parts: &'static [&'static str],
    /// Columns whose sums and largest values are exact.
    exact: &'static [&'static str],
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
        "buyer.worth",
        "sale.by_big",
        "first_sale.month",
        "buyer.code",
        "sale.sent_to",
        "buyer_sum.n",
        "band((sum(net) per sent_to), 0, 40, 90) as worthy",
        "sale.quantity",
        "quote.listed",
        "quote.since",
        "sale.line",
        "extract(month from ordered) as m",
        "coalesce(item.label, 'none') as label2",
        "quantity > 3 as many",
        "sale.weight",
        "likes.topic",
        "topic.kind",
        "likes.topic",
        "mark.colour",
        "likes.since",
        "calendar.working",
        "working_day(sale.ordered, 2) as soon",
        "day_off.why",
        "coalesce(likes.topic, 'no') as topic2",
    ],
    numbers: &[
        "quantity",
        "price",
        "net",
        "wait",
        "weight",
        "buyer.age",
        "discount",
        "quote.listed",
        "off_list",
        "working_days(sale.ordered, sale.shipped)",
    ],
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
    measures: &[
        "revenue",
        "revenue_shipped",
        "big",
        "mean_price",
        "lines",
        "mean_by_buyer",
        "this_year",
        "part_of_all",
        "above",
    ],
    tables: &["sale"],
    roles: &["shipped", "ordered", "payer", "receiver"],
    conditions: &[
        "quantity > 2",
        "quote.listed > price",
        "quote.since < '2024-02-01'",
        "quote.listed is null",
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
        "buyer.first_sale < '2024-02-01'",
        "buyer.second_sale is not null",
        "sale.by_big = 'big'",
        "buyer_sum.n > 2",
        "net > :floor",
        "sale.ordered >= :about",
        "calendar.month_of_year = 'February'",
        "calendar.date >= '2024-01-01'",
        "likes.topic = 'tea'",
        "likes.topic in ('tea', 'oak')",
        "topic.kind is null",
        "likes.since > '2024-01-01'",
        "mark.colour = 'red'",
        "calendar.working",
        "working_days(sale.ordered, sale.shipped) > 5",
        "sale.shipped > working_day(sale.ordered, 3)",
        "mark.colour is null",
        "(likes.topic = 'wax' or topic.kind = 'hot')",
        "(count(rows of likes) per likes.topic) > 2",
    ],
    others: &[
        "listagg(item.label, '+')",
        "listagg(distinct buyer.area)",
        "any(quantity > 5)",
        "every(quantity > 2)",
        "count(distinct sent_to where (sum(net) per sent_to) > 40)",
        "count(rows of buyer where buyer.first_sale is not null) regardless of all",
        "sum(part)",
        "working_days(min(sale.ordered), max(sale.shipped))",
        "working_day(max(sale.ordered), -2)",
        "working_day(min(sale.shipped), count(rows of sale))",
    ],
    keys: &[
        "sent_to",
        "paid_by",
        "sale.line",
        "(sale.line, sale.no)",
        "item",
        "(area, calendar.year)",
        "buyer.code",
        "buyer.area",
        "calendar.month",
        "calendar.year",
        "shipped.month",
        "item.label",
        "(sent_to, calendar.quarter)",
        "calendar.weekday",
        "area.zone",
        "likes.topic",
        "(likes.topic, calendar.year)",
        "mark.colour",
        "topic.kind",
    ],
    parts: &[
        "all",
        "calendar",
        "calendar.month",
        "calendar.year",
        "buyer",
        "buyer.area",
        "buyer.code",
        "ordered",
        "shipped",
        "payer",
        "item",
        "sale",
        "all but calendar.year",
        "all but (calendar.quarter, buyer.area)",
        "area.zone",
        "all but area.zone",
        "(calendar.year, item.label)",
        "calendar.weekday",
        "sale.line",
        "likes",
        "likes.topic",
        "mark",
        "all but likes.topic",
    ],
    exact: &["quantity", "net", "price", "wait"],
};

const VISIT: Words = Words {
    axes: &[
        "calendar.year",
        "calendar.month",
        "ordered.date",
        "buyer.area",
        "buyer.size",
        "area.zone",
        "likes.topic",
        "visit.code",
        "status.rank",
        "status.since",
        "extract(hour from seen_at) as hour",
    ],
    numbers: &["minutes", "buyer.age"],
    values: &["minutes", "seen_at", "buyer.area", "visit.code", "vip"],
    measures: &["minutes_spent"],
    tables: &["visit"],
    roles: &["ordered"],
    conditions: &[
        "minutes < 30",
        "status.rank = 'high'",
        "calendar.year = 2024",
        "buyer.area = 'Moor'",
        "buyer.vip",
        "calendar.weekday = 'Monday'",
        "extract(hour from seen_at) between 5 and before 12",
        "area.zone is null",
        "likes.topic = 'tea'",
    ],
    others: &["listagg(distinct area.zone)", "any(buyer.vip)", "max(seen_at)"],
    keys: &[
        "visit.code",
        "buyer.area",
        "calendar.month",
        "buyer.size",
        "(visit.code, calendar.year)",
        "likes.topic",
        "buyer",
    ],
    parts: &[
        "all",
        "calendar",
        "buyer",
        "buyer.area",
        "area.zone",
        "all but area.zone",
        "calendar.month",
        "all but calendar.year",
        "ordered",
    ],
    exact: &["minutes", "buyer.age"],
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
    keys: &[
        "calendar.month",
        "area.name",
        "calendar.year",
        "area.zone",
        "calendar.quarter",
        "area",
        "(area, calendar.year)",
    ],
    parts: &[
        "all",
        "calendar",
        "area",
        "area.zone",
        "all but area.zone",
        "calendar.month",
        "all but calendar.year",
        "ordered",
    ],
    exact: &["quantity", "minutes", "net"],
};

/// Measures of the model whose values are exact.
const EXACT_MEASURES: [&str; 7] =
    ["revenue", "lines", "big", "above", "minutes_spent", "goals", "revenue_shipped"];

thread_local! {
    static WORDS: std::cell::Cell<&'static Words> = const { std::cell::Cell::new(&SALE) };
}

fn words() -> &'static Words {
    WORDS.get()
}

/// A query; some ask for what a fact cannot reach and are refused.
pub(crate) fn query(random: &mut Random) -> String {
    WORDS.set(match random.below(10) {
        0..=5 => &SALE,
        6 | 7 => &VISIT,
        _ => &SHARED,
    });
    let rows = list(random, 3);
    let columns = if random.chance(30) { list(random, 2) } else { Vec::new() };
    let columns: Vec<&str> = columns.into_iter().filter(|c| !rows.contains(c)).collect();
    let mut text = String::new();
    if !rows.is_empty() {
        text.push_str(&format!("rows {} ", rows.join(", ")));
    }
    if !columns.is_empty() {
        text.push_str(&format!("columns {} ", columns.join(", ")));
    }
    let axes: Vec<&str> = rows.iter().chain(&columns).map(|a| name_of(a)).collect();
    let shows: Vec<String> =
        (0..=random.below(3)).map(|at| format!("({}) as f{at}", shown(random, &axes))).collect();
    text.push_str(&format!("show {}", shows.join(", ")));
    if random.chance(5) {
        text.push_str(random.pick(&[" each also t_range", " each also t_growth, t_part(calendar.year)"]));
    }
    if random.chance(5) {
        let members = random.pick(&[
            "2024 against 2025",
            "2024, 2025 against 2024 with growth, ratio",
            ":year against 2024",
        ]);
        text.push_str(&format!(" each across calendar.year {}", members.replace(":year", "2023")));
    }
    if random.chance(8) {
        text.push_str(random.pick(&[
            " figures on rows",
            " figures on rows first",
            " figures on columns first",
        ]));
    }
    if random.chance(40) {
        let looked_up = if random.chance(25) { format!(" and {}", lookup(random, 1)) } else { String::new() };
        text.push_str(&format!(" where {}{looked_up}", condition(random, 2)));
    }
    if random.chance(20) {
        text.push_str(&format!(" via {}", role(random)));
    }
    if random.chance(12) {
        text.push_str(&format!(" having ({}) > {}", exact(random), random.below(60)));
    }
    if random.chance(15) && !axes.is_empty() {
        text.push_str(&top(random, &axes));
    }
    if random.chance(20) {
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

/// A list of single rows; some ask for what cannot be reached and are refused.
pub(crate) fn rows(random: &mut Random) -> String {
    let of_sale = random.chance(60);
    WORDS.set(if of_sale { &SALE } else { &VISIT });
    let table = if of_sale { "sale" } else { random.pick(&["visit", "visit", "buyer"]) };
    let column = |random: &mut Random| match random.below(5) {
        0 => format!("({} per {})", exact(random), random.pick(words().keys)),
        1 => random.pick(words().axes).to_owned(),
        _ => random.pick(words().values).to_owned(),
    };
    let columns: Vec<String> = (0..=random.below(3))
        .map(|at| {
            let column = column(random);
            if column.contains(" as ") { column } else { format!("{column} as c{at}") }
        })
        .collect();
    let mut text = format!("list {} from {table}", columns.join(", "));
    if random.chance(50) {
        text.push_str(&format!(" where {}", condition(random, 2)));
    }
    if random.chance(20) {
        text.push_str(&format!(" via {}", role(random)));
    }
    if random.chance(60) {
        let first = name_of(&columns[0]).to_owned();
        text.push_str(&format!(" sort {first}{}", random.pick(&["", " descending", " ascending"])));
        if random.chance(40) {
            text.push_str(&format!(", {}", random.pick(words().values)));
        }
    }
    if random.chance(40) {
        text.push_str(&format!(" limit {}", random.below(6)));
    }
    text
}

/// The name by which the query calls an axis.
fn name_of(axis: &str) -> &str {
    axis.rsplit_once(" as ").map_or(axis, |(_, name)| name)
}

fn top(random: &mut Random, axes: &[&str]) -> String {
    let axis = axes[random.below(axes.len())];
    let others: Vec<&str> = axes.iter().copied().filter(|a| *a != axis).collect();
    let within = if !others.is_empty() && random.chance(50) {
        format!(" within {}", others[random.below(others.len())])
    } else {
        String::new()
    };
    format!(
        " top {} {axis} by ({}){}{within}{}{}",
        1 + random.below(3),
        exact(random),
        random.pick(&["", "", " ascending"]),
        random.pick(&["", " with ties"]),
        random.pick(&["", "", ", rest as 'Others'"]),
    )
}

/// An exact figure: what is chosen or ordered by it does not hang on the last digit of a float.
fn exact(random: &mut Random) -> String {
    let measures: Vec<&str> =
        words().measures.iter().copied().filter(|m| EXACT_MEASURES.contains(m)).collect();
    if random.chance(25) && !measures.is_empty() {
        return random.pick(&measures).to_owned();
    }
    let function = random.pick(&["sum", "max", "min", "count"]);
    format!("{function}({})", random.pick(words().exact))
}

/// A figure that is shown: it may look along the lines.
fn shown(random: &mut Random, axes: &[&str]) -> String {
    if axes.is_empty() || !random.chance(22) {
        return figure(random, 3);
    }
    let axis = axes[random.below(axes.len())];
    let among = match random.below(3) {
        0 => format!(" among {}", random.pick(words().parts)),
        1 => format!(" among {axis}"),
        _ => String::new(),
    };
    match random.below(9) {
        6 => format!("running({} by {} descending{among})", exact(random), exact(random)),
        7 => format!("running({} by {axis}{among})", exact(random)),
        8 => format!("lag({} by {}{among})", exact(random), exact(random)),
        0 => format!("rank({} among {})", exact(random), random.pick(words().parts)),
        1 => format!("running({} by {axis})", exact(random)),
        2 => format!("lag({} by {axis})", exact(random)),
        3 => format!("running({} by {} descending)", exact(random), exact(random)),
        4 => format!("share({} among {})", exact(random), random.pick(words().parts)),
        _ => format!("lag(({} where {}) by {axis})", exact(random), condition(random, 1)),
    }
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

/// A measure with arguments, applied to some.
fn treated(random: &mut Random, deep: usize) -> String {
    let figure = simple(random, deep);
    let attribute = random.pick(words().axes);
    // A name for an expression is no attribute.
    let attribute = if attribute.contains(" as ") { "calendar.year" } else { attribute };
    match random.below(7) {
        0 => format!("t_range({figure})"),
        1 => format!("t_growth({figure})"),
        2 => format!("t_part({figure}, {attribute})"),
        3 => format!("t_role({figure}, {})", role(random)),
        4 => format!("t_last({figure}, {})", 1 + random.below(4)),
        5 => format!("t_twice({figure}, {attribute})"),
        _ => format!("t_where({figure}, {})", random.below(4)),
    }
}

fn figure(random: &mut Random, deep: usize) -> String {
    if deep == 0 {
        return aggregate(random);
    }
    if random.chance(12) {
        return treated(random, deep - 1);
    }
    match random.below(16) {
        0 | 1 => aggregate(random),
        2 | 3 => random.pick(words().measures).to_owned(),
        4 => format!("({}) + ({})", number(random), number(random)),
        5 => format!("({}) / ({})", number(random), number(random)),
        6 => {
            let stands = random.pick(words().parts);
            let stands =
                if stands.starts_with("all") || stands.starts_with('(') { "calendar" } else { stands };
            format!("case when stands_on({stands}) then {} else {} end", exact(random), exact(random))
        }
        7 | 8 => folded(random, deep - 1),
        9 => dated(random),
        _ => format!("({}{})", simple(random, deep - 1), clauses(random)),
    }
}

/// Some clauses, in any order.
fn clauses(random: &mut Random) -> String {
    let mut text = String::new();
    let mut kinds: Vec<usize> = Vec::new();
    for _ in 0..=random.below(3) {
        let kind = random.below(7);
        if kinds.contains(&kind) {
            continue;
        }
        kinds.push(kind);
        text.push_str(&match kind {
            0 | 1 => format!(" where {}", condition(random, 1)),
            2 => format!(" via {}", role(random)),
            3 => format!(" pooling {}", random.pick(words().parts)),
            4 => format!(" regardless of {}", random.pick(words().parts)),
            5 => format!(" during {}", date_range(random)),
            _ => random.pick(&[" per cell", " overall"]).to_owned(),
        });
    }
    text
}

fn date_range(random: &mut Random) -> String {
    let unit = random.pick(&["year", "quarter", "month", "fiscal year", "fiscal quarter", "week"]);
    if random.chance(12) {
        return match random.below(3) {
            0 => format!("{} working days earlier{}", random.below(4), random.pick(&["", " matched"])),
            1 => format!("last {} working days", 1 + random.below(5)),
            _ => "previous working day".to_owned(),
        };
    }
    let units = random.pick(&["year", "quarters", "months", "weeks", "days", "month"]);
    match random.below(8) {
        0 | 1 => format!("{unit} to date"),
        2 => format!("whole {unit}"),
        3 => format!("{} {units} earlier{}", 1 + random.below(3), random.pick(&["", " matched"])),
        4 => format!("previous {unit}"),
        5 => format!("last {} {units}", 1 + random.below(3)),
        6 => "all before".to_owned(),
        _ => "all to date".to_owned(),
    }
}

/// An aggregate over one value per key.
fn folded(random: &mut Random, deep: usize) -> String {
    let function = random.pick(&["avg", "max", "min", "sum", "count", "median"]);
    let key = random.pick(words().keys);
    let inner = simple(random, deep.min(1));
    let value = format!("{inner} per {key}");
    let tail = match random.below(7) {
        // By the key itself, where it is one attribute.
        5 if !key.starts_with('(') && key.contains('.') => {
            let order = random.pick(&["", " descending"]);
            return format!("{}({value} by {key}{order})", random.pick(&["first", "last"]));
        }
        6 if !key.starts_with('(') && key.contains('.') => format!(" where {key} is not null"),
        0 => format!(" where ({} per {key}) > {}", exact(random), random.below(40)),
        1 => format!(" where ({}) > ({} per cell)", value, exact_of(random, "count")),
        _ => String::new(),
    };
    if random.chance(20) {
        return format!("{function}(({value}) - ({} per cell){tail})", exact(random));
    }
    let own = random.pick(&["", "", " where ", " during "]);
    let own = match own {
        " where " => format!(" where {}", condition(random, 1)),
        " during " => format!(" during {}", date_range(random)),
        _ => String::new(),
    };
    // The clauses of one expression are a set.
    if tail.is_empty() {
        // A where directly inside an aggregate would be the aggregate's.
        format!("{function}(({inner}{own} per {key}))")
    } else {
        format!("{function}(({value}){tail})")
    }
    .replace("count(count", "max(count")
}

fn exact_of(random: &mut Random, function: &str) -> String {
    format!("{function}({})", random.pick(words().exact))
}

/// A figure that asks for the days of its cell.
fn dated(random: &mut Random) -> String {
    let table = words().tables[random.below(words().tables.len())];
    let edge = random.pick(&["cell_start(calendar)", "cell_end(calendar)"]);
    let forget = random.pick(&["", " pooling calendar", " regardless of calendar"]);
    let (number, most) = (random.pick(words().exact), random.below(60));
    match random.below(3) {
        0 => format!("(count(rows of {table} where calendar.date <= {edge}){forget})"),
        1 => format!(
            "(sum({number} where calendar.date <= {edge} and {edge} - calendar.date < {most}){forget})"
        ),
        _ => format!(
            "((count(distinct {number}) where calendar.date < {edge} or {edge} - calendar.date > {most}){forget})"
        ),
    }
}

/// A condition of rows that looks a figure up.
fn lookup(random: &mut Random, deep: usize) -> String {
    let key = random.pick(words().keys);
    match random.below(5) {
        0 | 1 => format!("({} per {key}) > {}", exact(random), random.below(60)),
        2 => format!("{} > (max({}) overall)", random.pick(words().exact), random.pick(words().exact)),
        3 => format!("{} * 2 > (max({}) per cell)", random.pick(words().exact), random.pick(words().exact)),
        _ => format!(
            "({} where {} per {key}) > {}",
            exact(random),
            condition(random, deep.saturating_sub(1)),
            random.below(20)
        ),
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
    let own = match random.below(10) {
        0 | 1 => format!(" where {}", condition(random, 1)),
        2 => format!(" where {}", lookup(random, 1)),
        _ => String::new(),
    };
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
