//! Bringing tables together, plain summaries, one date dimension with three dates.

use super::files::{ask, cells, demo, exact, lines, session};
use std::collections::{BTreeMap, BTreeSet};
use vembra::{Answer, Layout, LevelKind, Scalar, Severity};

#[test]
fn a1_the_check_says_what_was_read_and_what_is_wrong() {
    let session = session();
    let report = session.load_report();
    let rows: Vec<(String, usize)> = report.tables.iter().map(|t| (t.name.clone(), t.rows)).collect();
    for (table, rows) in rows {
        let text = std::fs::read_to_string(demo(&format!("{table}.csv"))).unwrap();
        assert_eq!(text.lines().count() - 1, rows, "{table}");
    }
    let fact = report.tables.iter().find(|t| t.name == "order_line").unwrap();
    let shipped = fact.columns.iter().find(|c| c.name == "shipped_on").unwrap();
    assert_eq!(shipped.missing, lines().iter().filter(|l| l.dates[1].is_empty()).count());
    let findings = session.check().unwrap();
    let orphans: Vec<usize> =
        lines().iter().enumerate().filter(|(_, l)| l.sku == "ZZ-99").map(|(at, _)| at + 2).collect();
    assert_eq!(orphans.len(), 3);
    let found: Vec<String> = findings.iter().map(ToString::to_string).collect();
    assert_eq!(found.len(), 2, "{found:?}");
    // Customers that nothing was ever sold to have no rank.
    let sold: std::collections::BTreeSet<String> = lines().iter().map(|l| l.customer.clone()).collect();
    let codes = std::fs::read_to_string(demo("customer.csv")).unwrap();
    let unsold = codes.lines().skip(1).filter(|l| !sold.contains(l.split(',').next().unwrap())).count();
    assert!(found[1].starts_with("note[V503]"), "{found:?}");
    assert!(
        found[1].contains(&format!("in no row of customer_rank (and {} other rows", unsold - 1)),
        "{found:?}"
    );
    assert!(
        found[0].contains(&format!(
            "line {}, column sku: 'ZZ-99' is in no row of product (and 2 other",
            orphans[0]
        ))
    );
    assert_eq!(findings[0].severity, Severity::Warning);
}

#[test]
fn a2_a_code_with_leading_zeros_is_a_text_and_finds_its_customer() {
    let found = cells(&ask("rows customer.code show sum(quantity) where customer.code in ('00417', '2001')"));
    let wanted = |code: &str| lines().iter().filter(|l| l.customer == code).map(|l| l.quantity).sum::<i64>();
    assert_eq!(found["00417"], [wanted("00417").to_string()]);
    assert_eq!(found["2001"], [wanted("2001").to_string()]);
}

#[test]
fn a4_a_month_knows_its_year_and_a_fiscal_year_starts_in_october() {
    let found = cells(&ask("rows calendar.month, calendar.fiscal_year show units"));
    let mut wanted: BTreeMap<String, i64> = BTreeMap::new();
    for line in lines() {
        let (year, month) = (line.dates[0][..4].parse::<i32>().unwrap(), &line.dates[0][5..7]);
        let fiscal = year + i32::from(month >= "10");
        *wanted.entry(format!("{year}-{month} FY{fiscal}")).or_default() += line.quantity;
    }
    let wanted: BTreeMap<String, Vec<String>> =
        wanted.into_iter().map(|(k, v)| (k, vec![v.to_string()])).collect();
    assert_eq!(found, wanted);
    assert_eq!(found.len(), 35, "two Januaries are never added together");
}

#[test]
fn b1_plain_figures_side_by_side() {
    let all = lines();
    let found = cells(&ask(
        "show sum(quantity), avg(quantity), min(net), max(net), count(rows of order_line), count(shipped_on), \
         count(distinct order_line.sku)",
    ));
    let sum: i64 = all.iter().map(|l| l.quantity).sum();
    let wanted = [
        sum.to_string(),
        (sum as f64 / all.len() as f64).to_string(),
        exact(all.iter().map(|l| l.net).min().unwrap()),
        exact(all.iter().map(|l| l.net).max().unwrap()),
        all.len().to_string(),
        all.iter().filter(|l| !l.dates[1].is_empty()).count().to_string(),
        all.iter().map(|l| &l.sku).collect::<BTreeSet<_>>().len().to_string(),
    ];
    assert_eq!(found[""], wanted);
}

#[test]
fn b2_a_total_of_different_customers_is_marked() {
    let summary = ask(
        "rows calendar.date show count(distinct customer_code) as buyers where calendar.month = '2025-04' \
         totals on rows",
    );
    let mut days: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for line in lines().into_iter().filter(|l| l.dates[0].starts_with("2025-04")) {
        days.entry(line.dates[0].clone()).or_default().insert(line.customer);
    }
    let everyone: BTreeSet<&String> = days.values().flatten().collect();
    let total = summary.lines.last().unwrap();
    assert_eq!(
        (total.kind, total.cells[0].value.to_string()),
        (LevelKind::Total, everyone.len().to_string())
    );
    assert_eq!(total.cells[0].adds_up, Some(false));
    assert!(summary.measures[0].marked);
    assert_eq!(summary.lines.len(), days.len() + 1);
    let reply =
        session().ask("rows calendar.date show buyers where calendar.month = '2025-04' totals on rows");
    let text = reply.unwrap().text(Layout::Grid);
    let why = "≠ Buyers: not the sum of the lines; each customer_code counts once in the total";
    assert!(text.contains(why), "{text}");
}

#[test]
fn b5_several_conditions_must_all_hold() {
    let reply = session().ask(
        "list order_no, net from order_line where ordered.date between '2025-01-01' and '2025-01-31' \
         and quantity >= 10 and customer.segment = 'Shop' sort net descending",
    );
    let Answer::List(list) = reply.unwrap().answer else { panic!("not a list") };
    let customers = std::fs::read_to_string(demo("customer.csv")).unwrap();
    let shops: BTreeSet<&str> =
        customers.lines().filter(|l| l.contains(",Shop,")).filter_map(|l| l.split(',').next()).collect();
    let mut wanted: Vec<i64> = lines()
        .iter()
        .filter(|l| {
            l.dates[0].starts_with("2025-01") && l.quantity >= 10 && shops.contains(l.customer.as_str())
        })
        .map(|l| l.net)
        .collect();
    wanted.sort_by_key(|net| -net);
    let found: Vec<String> = list.rows.iter().map(|r| r[1].to_string()).collect();
    assert_eq!(found, wanted.into_iter().map(exact).collect::<Vec<_>>());
    assert!(found.len() > 5);
}

#[test]
fn c1_and_c5_three_dates_on_one_axis_tie() {
    let summary = ask(
        "rows calendar.year show revenue, (revenue via shipped) as shipped, (revenue via due) as due totals on rows",
    );
    let mut wanted: BTreeMap<String, [i64; 3]> = BTreeMap::new();
    for line in lines() {
        for (at, date) in line.dates.iter().enumerate() {
            let year = if date.is_empty() { "(none)" } else { &date[..4] };
            wanted.entry(year.to_owned()).or_default()[at] += line.net;
            wanted.entry("total".to_owned()).or_default()[at] += line.net;
        }
    }
    let found = cells(&summary);
    assert_eq!(found.len(), wanted.len());
    for (year, values) in &wanted {
        // Where nothing is shipped there is no figure, not a zero.
        let shown = values.map(|v| if v == 0 { String::new() } else { exact(v) });
        assert_eq!(found[year], shown, "{year}");
    }
    let total = &wanted["total"];
    assert!(total[0] == total[1] && total[1] == total[2]);
    assert!(summary.measures.iter().all(|m| !m.marked));
}

#[test]
fn c1_a_day_without_shipments_is_empty() {
    let found = cells(&ask(
        "rows calendar.date show revenue, (revenue via shipped) as shipped where calendar.month = '2025-01'",
    ));
    let shipped: BTreeSet<String> = lines().into_iter().map(|l| l.dates[1].clone()).collect();
    let ordered: BTreeSet<String> = lines().into_iter().map(|l| l.dates[0].clone()).collect();
    let only_ordered: Vec<&String> =
        ordered.iter().filter(|d| d.starts_with("2025-01") && !shipped.contains(*d)).collect();
    for day in only_ordered {
        assert!(!found[day][0].is_empty() && found[day][1].is_empty(), "{day}");
    }
}

#[test]
fn c2_a_role_and_a_default_give_the_same() {
    let session = session();
    for axis in ["calendar.year", "calendar.month", "calendar.weekday", "calendar.fiscal_quarter"] {
        let one =
            session.ask(&format!("rows {axis} show (revenue via due) as r, (units via due) as u")).unwrap();
        let all = session.ask(&format!("rows {axis} show revenue as r, units as u via due")).unwrap();
        let (Answer::Summary(one), Answer::Summary(all)) = (one.answer, all.answer) else { panic!() };
        assert_eq!(one.lines, all.lines, "{axis}");
    }
}

#[test]
fn c4_two_dates_as_two_axes() {
    let found =
        cells(&ask("rows ordered.month columns shipped.month show sum(quantity) where ordered.year = 2024"));
    let mut wanted: BTreeMap<String, i64> = BTreeMap::new();
    for line in lines().into_iter().filter(|l| l.dates[0].starts_with("2024")) {
        let shipped = line.dates[1].get(..7).unwrap_or("(none)");
        *wanted.entry(format!("{} {shipped}", &line.dates[0][..7])).or_default() += line.quantity;
    }
    let wanted: BTreeMap<String, Vec<String>> =
        wanted.into_iter().map(|(k, v)| (k, vec![v.to_string()])).collect();
    assert_eq!(found, wanted);
}

#[test]
fn where_a_filter_comes_from_makes_no_difference() {
    let session = session();
    let model = session.model();
    let names: Vec<String> = model.measures.iter().map(|m| m.name.clone()).collect();
    for name in names {
        for condition in ["product.category = 'Hives'", "calendar.year = 2024"] {
            let figure = |query: String| match session.ask(&query).map(|r| r.answer) {
                Ok(Answer::Summary(s)) => Some(s.lines[0].cells[0].value.clone()),
                _ => None,
            };
            let outside = figure(format!("show {name} where {condition}"));
            let inside = figure(format!("show ({name} where {condition})"));
            assert_eq!(outside, inside, "{name} where {condition}");
        }
    }
}

#[test]
fn unknown_keys_and_missing_attributes_stand_on_lines_of_their_own() {
    let found = cells(&ask("rows product.category show lines totals on rows"));
    assert_eq!(found["(unknown)"], ["3"]);
    assert_eq!(found["total"], [lines().len().to_string()]);
    let regions = cells(&ask("rows customer.region show orders"));
    let without: BTreeSet<String> = {
        let customers = std::fs::read_to_string(demo("customer.csv")).unwrap();
        let code = customers
            .lines()
            .find(|l| l.contains(",,"))
            .and_then(|l| l.split(',').next())
            .unwrap()
            .to_owned();
        lines().into_iter().filter(|l| l.customer == code).map(|l| l.order).collect()
    };
    assert_eq!(regions["(none)"], [without.len().to_string()]);
}

#[test]
fn keep_empty_shows_members_without_rows() {
    let summary = ask("rows calendar.month show revenue where calendar.year = 2025 keep empty");
    assert_eq!(summary.lines.len(), 12);
    assert_eq!(summary.lines[11].cells[0].value, Scalar::Null);
    let products = ask("rows product.name show units where product.family = 'Frames' keep empty");
    assert_eq!(products.lines.len(), 5, "also the product that nobody buys");
}

#[test]
fn the_demo_files_are_what_the_generator_writes() {
    let tables = vembra_demo::tables(&vembra_demo::Company::new(vembra_demo::ORDERS)).unwrap();
    for (name, bytes) in tables {
        assert!(bytes == std::fs::read(demo(&format!("{name}.csv"))).unwrap(), "{name}.csv is out of date");
    }
}

#[test]
fn a4_a_calendar_from_a_file_knows_its_holidays() {
    let open = |days: &str| {
        vembra::Session::builder()
            .model_text(
                "m.vembra",
                "calendar from 'days.csv' key day\nfact sale from 'sale'\nlink sale.on to calendar\n\
                 measure total = sum(amount)\n",
            )
            .csv_text("calendar", days)
            .csv_text("sale", "on,amount\n2025-01-01,5\n2025-01-03,7\n2025-01-05,9\n2025-02-01,11\n")
            .open()
    };
    let session = open("day,holiday\n2025-01-05,Eve\n2025-01-01,New year\n2025-01-02,\n").unwrap();
    let csv = |query: &str| session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    // Days that the file leaves out are days; those outside are not known.
    assert_eq!(
        csv("rows calendar.holiday show total sort total"),
        "calendar.holiday,total\nNew year,5\n,7\nEve,9\n(unknown),11\n"
    );
    assert_eq!(
        csv(
            "rows calendar.date show (total during all to date) as so_far where calendar.date < '2025-01-05' keep empty"
        ),
        "calendar.date,so_far\n2025-01-01,5\n2025-01-02,5\n2025-01-03,12\n2025-01-04,12\n"
    );
    let twice = open("day,holiday\n2025-01-01,a\n2025-01-01,b\n").map(|_| ()).unwrap_err();
    assert!(
        twice
            .to_string()
            .starts_with("error[V528] days.csv, line 3, column day: the day 2025-01-01 stands twice")
    );
}
