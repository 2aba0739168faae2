//! The demo as files.

use crate::customers::{REGIONS, SEGMENTS};
use crate::orders::{count_days, raise_of};
use crate::random::Random;
use crate::{Company, OrderLine};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// The model of the demo.
pub const MODEL: &str = include_str!("../../../demo/bees.vembra");
/// The model as it is asked where the tables live on a server.
const SERVED: &str = include_str!("../../../demo/served.vembra");
/// Puts the files into a database, by `psql`.
const LOAD: &str = include_str!("../../../demo/load.sql");
/// What makes its tables views of an engine that speaks as Apache Spark does, and what runs that.
const LOAD_SPARK: &str = include_str!("../../../demo/load_spark.sql");
const LOAD_FLIGHT: &str = include_str!("../../../demo/load_flight.py");

/// The files of the demo, without the model.
pub const FILES: [&str; 9] = [
    "order_line.csv",
    "order_time.csv",
    "customer.csv",
    "product.csv",
    "price.csv",
    "target.csv",
    "stock.csv",
    "interest.csv",
    "holiday.csv",
];

/// Writes the company's files and the model into a folder, which must exist.
///
/// # Errors
/// What the file system answers.
pub fn write_to(company: &Company, folder: &Path) -> io::Result<()> {
    let open = |name: &str| File::create(folder.join(name)).map(BufWriter::new);
    write_orders(company, &mut open(FILES[0])?, &mut open(FILES[1])?)?;
    write_small(company, |name| open(name))?;
    std::fs::write(folder.join("bees.vembra"), MODEL)?;
    std::fs::write(folder.join("served.vembra"), SERVED)?;
    std::fs::write(folder.join("load_spark.sql"), LOAD_SPARK)?;
    std::fs::write(folder.join("load_flight.py"), LOAD_FLIGHT)?;
    std::fs::write(folder.join("load.sql"), LOAD)
}

/// The company's files in memory: per table its name and its CSV.
///
/// # Errors
/// Nothing that can happen in memory.
pub fn tables(company: &Company) -> io::Result<Vec<(String, Vec<u8>)>> {
    let mut texts: Vec<Vec<u8>> = vec![Vec::new(); FILES.len()];
    if let [lines, times, customers, products, prices, targets, stock, interests, holidays] =
        texts.as_mut_slice()
    {
        write_orders(company, lines, times)?;
        write_customers(company, customers)?;
        write_products(company, products)?;
        write_prices(company, prices)?;
        write_targets(company, targets)?;
        write_stock(company, stock)?;
        write_interests(company, interests)?;
        write_holidays(holidays)?;
    }
    let names = FILES.iter().map(|f| f.trim_end_matches(".csv").to_owned());
    Ok(names.zip(texts).collect())
}

fn write_small<W: Write>(company: &Company, open: impl Fn(&str) -> io::Result<W>) -> io::Result<()> {
    write_customers(company, &mut open(FILES[2])?)?;
    write_products(company, &mut open(FILES[3])?)?;
    write_prices(company, &mut open(FILES[4])?)?;
    write_targets(company, &mut open(FILES[5])?)?;
    write_stock(company, &mut open(FILES[6])?)?;
    write_interests(company, &mut open(FILES[7])?)?;
    write_holidays(&mut open(FILES[8])?)
}

/// A field, in quotes where it has to be.
fn field(text: &str) -> String {
    if text.contains([',', '"', '\n']) {
        format!("\"{}\"", text.replace('"', "\"\""))
    } else {
        text.to_owned()
    }
}

fn money(cents: i64) -> String {
    format!("{}.{:02}", cents / 100, cents % 100)
}

fn write_orders(company: &Company, lines: &mut impl Write, times: &mut impl Write) -> io::Result<()> {
    writeln!(
        lines,
        "order_no,line_no,customer_code,sku,ordered_on,shipped_on,due_on,quantity,unit_price,unit_cost,discount"
    )?;
    writeln!(times, "order_no,placed_time")?;
    let mut result = Ok(());
    company.each_line(&mut |line| {
        if result.is_ok() {
            result = write_line(company, line, lines).and_then(|()| match line.line_no {
                1 => {
                    let (hour, minute) = (line.placed_minute / 60, line.placed_minute % 60);
                    writeln!(times, "{},{hour:02}:{minute:02}", line.order_no)
                }
                _ => Ok(()),
            });
        }
    });
    result?;
    lines.flush()?;
    times.flush()
}

fn write_line(company: &Company, line: &OrderLine, to: &mut impl Write) -> io::Result<()> {
    writeln!(
        to,
        "{},{},{},{},{},{},{},{},{},{},{}",
        line.order_no,
        line.line_no,
        company.customers[line.customer].code,
        line.product.map_or("ZZ-99", |p| &company.products[p].sku),
        line.ordered_on,
        line.shipped_on.map(|d| d.to_string()).unwrap_or_default(),
        line.due_on,
        line.quantity,
        money(line.unit_price),
        money(line.unit_cost),
        money(line.discount),
    )
}

fn write_customers(company: &Company, to: &mut impl Write) -> io::Result<()> {
    writeln!(to, "code,name,segment,town,region,joined_on")?;
    for c in &company.customers {
        let region = c.region.map_or("", |r| REGIONS[r]);
        writeln!(
            to,
            "{},{},{},{},{region},{}",
            c.code,
            field(&c.name),
            SEGMENTS[c.segment],
            c.town,
            c.joined_on
        )?;
    }
    to.flush()
}

fn write_products(company: &Company, to: &mut impl Write) -> io::Result<()> {
    writeln!(to, "sku,name,family,category,list_price")?;
    for p in &company.products {
        writeln!(to, "{},{},{},{},{}", p.sku, field(&p.name), p.family, p.category, money(p.list_price))?;
    }
    to.flush()
}

/// The price list: new prices each January.
fn write_prices(company: &Company, to: &mut impl Write) -> io::Result<()> {
    writeln!(to, "sku,valid_from,listed")?;
    for p in &company.products {
        for year in 2023..=2025 {
            writeln!(to, "{},{year}-01-01,{}", p.sku, money(p.list_price * raise_of(year) / 100))?;
        }
    }
    to.flush()
}

/// Monthly targets by region, a little above what such a month brings.
fn write_targets(company: &Company, to: &mut impl Write) -> io::Result<()> {
    const SHARES: [usize; 6] = [25, 20, 17, 15, 13, 10];
    const SEASON: [usize; 12] = [30, 45, 95, 140, 150, 115, 85, 70, 60, 45, 35, 30];
    writeln!(to, "month,region,amount")?;
    for year in 2023..=2025_usize {
        for (month, season) in SEASON.iter().enumerate() {
            for (region, share) in REGIONS.iter().zip(SHARES) {
                let growth = 100 + 14 * (year - 2023);
                let amount = company.orders * 27 * season * share * growth / 9_000_000 * 10;
                writeln!(to, "{year}-{:02},{region},{}", month + 1, money(amount as i64 * 100))?;
            }
        }
    }
    to.flush()
}

/// Weekly counts that fall and are filled up again.
fn write_stock(company: &Company, to: &mut impl Write) -> io::Result<()> {
    let mut random = Random::new(0x570c_cafe);
    let mut stock: Vec<i64> = company.products.iter().map(|_| random.between(40, 260)).collect();
    writeln!(to, "counted_on,sku,on_hand")?;
    for date in count_days() {
        for (product, on_hand) in company.products.iter().zip(&mut stock) {
            *on_hand -= random.between(0, 30).min(*on_hand);
            if *on_hand < 25 {
                *on_hand += random.between(80, 240);
            }
            writeln!(to, "{date},{},{on_hand}", product.sku)?;
        }
    }
    to.flush()
}

/// What customers are interested in: none, one or several things each.
const INTERESTS: [(&str, [usize; 5]); 6] = [
    ("Candles", [180, 80, 420, 350, 120]),
    ("Honey sales", [220, 700, 650, 90, 260]),
    ("Pollination", [60, 520, 20, 60, 760]),
    ("Queen breeding", [330, 300, 10, 10, 60]),
    ("Swarm rescue", [480, 120, 10, 40, 80]),
    ("Teaching", [520, 60, 90, 880, 110]),
];

fn write_interests(company: &Company, to: &mut impl Write) -> io::Result<()> {
    let mut random = Random::new(0x17e2_e575);
    writeln!(to, "customer_code,interest")?;
    for customer in &company.customers {
        for (interest, of_segment) in INTERESTS {
            if random.chance(of_segment[customer.segment]) {
                writeln!(to, "{},{interest}", customer.code)?;
            }
        }
    }
    to.flush()
}

/// Days off in the invented region, most of them on a fixed day.
fn write_holidays(to: &mut impl Write) -> io::Result<()> {
    const FIXED: [(&str, &str); 6] = [
        ("01-01", "New Year"),
        ("03-03", "First Flight"),
        ("05-20", "Hive Day"),
        ("08-15", "Harvest Home"),
        ("12-24", "Candle Eve"),
        ("12-25", "Midwinter"),
    ];
    writeln!(to, "day,name")?;
    for year in 2023..=2025 {
        for (day, name) in FIXED {
            writeln!(to, "{year}-{day},{name}")?;
        }
    }
    to.flush()
}
