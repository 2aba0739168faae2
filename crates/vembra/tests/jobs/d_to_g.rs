//! Values with a detail of their own, customers over time, comparisons in time, totals and shares.

use super::files::{Line, ask, by_key, cells, demo, exact, lines, session};
use std::collections::{BTreeMap, BTreeSet};
use vembra::{Answer, LevelKind, Member, Scalar, Session};

/// Values joined by a key of each line.
fn grouped<K: Ord, V>(of: &[Line], key: impl Fn(&Line) -> K, add: impl Fn(&mut V, &Line)) -> BTreeMap<K, V>
where
    V: Default,
{
    let mut groups: BTreeMap<K, V> = BTreeMap::new();
    for line in of {
        add(groups.entry(key(line)).or_default(), line);
    }
    groups
}

fn orders(of: &[Line]) -> BTreeMap<String, i64> {
    grouped(of, |l| l.order.clone(), |sum: &mut i64, l| *sum += l.net)
}

fn money(ten_thousandths: i64) -> f64 {
    ten_thousandths as f64 / 10_000.0
}

fn near(found: &str, wanted: f64) -> bool {
    (found.parse::<f64>().unwrap() - wanted).abs() < 1e-9 * wanted.abs().max(1.0)
}

#[test]
fn b3_orders_of_three_lines_or_more() {
    let all = lines();
    let counts = grouped(&all, |l| l.order.clone(), |n: &mut i64, _| *n += 1);
    let long = counts.values().filter(|n| **n >= 3).count();
    assert_eq!(cells(&ask("show long_orders"))[""], [long.to_string()]);
    let found = cells(&ask("rows order_no show lines having lines >= 3 totals on rows"));
    assert_eq!(found.len(), long + 1);
    let marked =
        cells(&ask("rows order_no show lines, case when lines >= 3 then 1 end as long where order_no < 40"));
    for (order, values) in marked {
        assert_eq!(values[0], counts[&order].to_string());
        assert_eq!(values[1].is_empty(), counts[&order] < 3);
    }
}

#[test]
fn b4_average_order_by_hour_in_a_region() {
    let (times, customers) = (by_key("order_time.csv"), by_key("customer.csv"));
    let west: Vec<Line> = lines().into_iter().filter(|l| customers[&l.customer][4] == "Dunlow").collect();
    let found = cells(&ask("rows extract(hour from placed_time) as hour show average_order \
         where customer.region = 'Dunlow' and placed_time between '15:00' and before '18:00'"));
    assert_eq!(found.keys().collect::<Vec<_>>(), ["15", "16", "17"]);
    for hour in ["15", "16", "17"] {
        let of: Vec<i64> = orders(&west)
            .into_iter()
            .filter(|(o, _)| times[o][1].starts_with(hour))
            .map(|(_, n)| n)
            .collect();
        assert!(near(&found[hour][0], money(of.iter().sum()) / of.len() as f64), "{hour}");
    }
    // With both bounds in, 18:00 sharp belongs too.
    let both = cells(&ask("show orders where placed_time between '15:00' and '18:00'"));
    let until = |o: &String| times[o][1].as_str() >= "15:00" && times[o][1].as_str() <= "18:00";
    assert_eq!(both[""], [orders(&lines()).keys().filter(|o| until(o)).count().to_string()]);
}

#[test]
fn b5_rows_cut_out_are_a_table_of_their_own() {
    let of: Vec<Line> = lines().into_iter().filter(|l| l.dates[0].starts_with("2025-01")).collect();
    let found = cells(&ask("show count(rows of january) as n, sum(january.net) as net"));
    assert_eq!(found[""], [of.len().to_string(), exact(of.iter().map(|l| l.net).sum())]);
    // It is linked on as its columns are.
    let customers = by_key("customer.csv");
    let regions = cells(&ask("rows customer.region show count(rows of january) as n"));
    let wanted = grouped(&of, |l| customers[&l.customer][4].clone(), |n: &mut i64, _| *n += 1);
    for (region, n) in wanted.into_iter().filter(|(r, _)| !r.is_empty()) {
        assert_eq!(regions[&region], [n.to_string()]);
    }
}

#[test]
fn c3_a_year_is_opened_down_to_days() {
    let found = ask("rows calendar.days open 2025, '2025-Q1', '2025-02' show units totals on rows");
    let all = lines();
    let of =
        |start: &str| all.iter().filter(|l| l.dates[0].starts_with(start)).map(|l| l.quantity).sum::<i64>();
    let quarter = |months: [&str; 3]| months.iter().map(|m| of(&format!("2025-{m}"))).sum::<i64>();
    let shown = cells(&found);
    assert_eq!(shown["2023 total total total"], [of("2023").to_string()]);
    assert_eq!(shown["2025 2025-Q2 total total"], [quarter(["04", "05", "06"]).to_string()]);
    assert_eq!(shown["2025 2025-Q1 2025-03 total"], [of("2025-03").to_string()]);
    assert_eq!(shown["2025 2025-Q1 2025-02 2025-02-14"], [of("2025-02-14").to_string()]);
    let kinds: Vec<LevelKind> = found.lines.iter().take(4).map(|l| l.kind).collect();
    assert_eq!(kinds, [LevelKind::Detail, LevelKind::Detail, LevelKind::Subtotal, LevelKind::Subtotal]);
    assert!(!shown.contains_key("2024 2024-Q1 total total"), "2024 is not opened");
}

#[test]
fn c6_a_limit_and_a_change_of_role_work_together() {
    let customers = by_key("customer.csv");
    let north: Vec<Line> = lines().into_iter().filter(|l| customers[&l.customer][4] == "Sarrow").collect();
    let sarrow_desk = session().seen_by("sarrow_desk").unwrap();
    let reply = sarrow_desk.ask("rows calendar.year show revenue via shipped totals on rows").unwrap();
    let Answer::Summary(summary) = reply.answer else { panic!("no summary") };
    let found = cells(&summary);
    let by_year =
        grouped(&north, |l| l.dates[1].get(..4).unwrap_or("(none)").to_owned(), |n: &mut i64, l| *n += l.net);
    assert_eq!(found["total"], [exact(by_year.values().sum())]);
    for (year, net) in by_year {
        assert_eq!(found[&year], [exact(net)]);
    }
}

/// The different order dates of each customer.
fn order_dates() -> BTreeMap<String, BTreeSet<String>> {
    let add = |d: &mut BTreeSet<String>, l: &Line| {
        d.insert(l.dates[0].clone());
    };
    grouped(&lines(), |l| l.customer.clone(), add)
}

#[test]
fn d1_and_d2_first_and_second_order_dates() {
    let dates = order_dates();
    // The same whatever the query filters or splits by.
    let reply = session()
        .ask("list code, first_order, second_order from customer where customer.region = 'Tambeck' and segment = 'Farm'")
        .unwrap();
    let Answer::List(list) = reply.answer else { panic!("no list") };
    assert!(list.rows.len() > 10);
    for row in list.rows {
        let of = dates.get(&row[0].to_string()).cloned().unwrap_or_default();
        let mut of = of.into_iter();
        assert_eq!(row[1].to_string(), of.next().unwrap_or_default());
        assert_eq!(row[2].to_string(), of.next().unwrap_or_default());
    }
    // Of each customer in each year: one more key.
    let found = cells(&ask(
        "rows customer.code, calendar.year show min(ordered_on) as first where customer.code in ('00417', '2001')",
    ));
    for (key, first) in found {
        let (code, year) = key.split_once(' ').unwrap();
        let wanted = dates[code].iter().find(|d| d.starts_with(year)).unwrap();
        assert_eq!(&first[0], wanted);
    }
    // The day of the first order is a date of its own.
    let years = cells(&ask("rows first_ordered.year show count(rows of customer) as n"));
    let wanted = dates.values().filter(|d| d.first().unwrap().starts_with("2024")).count();
    assert_eq!(years["2024"], [wanted.to_string()]);
}

#[test]
fn d3_the_whole_order_is_of_one_category_or_of_several() {
    let all = lines();
    let products = by_key("product.csv");
    // A line whose article nobody knows has no category.
    let mut categories: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for line in &all {
        let of_order = categories.entry(&line.order).or_default();
        of_order.extend(products.get(&line.sku).map(|p| p[3].as_str()));
    }
    let hives: Vec<&Line> =
        all.iter().filter(|l| products.get(&l.sku).is_some_and(|p| p[3] == "Hives")).collect();
    assert!(hives.len() > 1_000);
    // It keeps its meaning under a filter on the category.
    let found =
        cells(&ask("rows order_line.order_kind show revenue, orders where product.category = 'Hives'"));
    for (kind, mixed) in [("Several categories", true), ("One category", false)] {
        let several = |l: &&&Line| (categories[l.order.as_str()].len() > 1) == mixed;
        let of: Vec<&&Line> = hives.iter().filter(several).collect();
        let orders: BTreeSet<&str> = of.iter().map(|l| l.order.as_str()).collect();
        let net = exact(of.iter().map(|l| l.net).sum());
        assert_eq!(found[kind], [net, orders.len().to_string()]);
    }
    let summary = ask("rows order_line.order_kind show orders");
    assert_eq!(summary.lines[0].rows[0], Member::Value(Scalar::text("One category")), "in the order by hand");
}

/// The number of a day, counted from some day on.
fn day(text: &str) -> i64 {
    let mut parts = text.split('-').map(|p| p.parse::<i64>().unwrap());
    let (year, month, day) = (parts.next().unwrap(), parts.next().unwrap(), parts.next().unwrap());
    // Years that start in March, so that the day that comes and goes is the last one.
    let (year, month) = if month < 3 { (year - 1, month + 9) } else { (year, month - 3) };
    365 * year + year / 4 - year / 100 + year / 400 + (153 * month + 2) / 5 + day
}

#[test]
fn d3_a_value_of_the_whole_order_is_followed_over_time_as_a_share() {
    let all = lines();
    let mut slowest: BTreeMap<&str, i64> = BTreeMap::new();
    for line in all.iter().filter(|l| !l.dates[1].is_empty()) {
        let waited = day(&line.dates[1]) - day(&line.dates[0]);
        slowest.entry(&line.order).and_modify(|most| *most = waited.max(*most)).or_insert(waited);
    }
    let customers = by_key("customer.csv");
    for (axis, column) in [("segment", 2), ("region", 4)] {
        let found = cells(&ask(&format!(
            "rows calendar.year, customer.{axis}, order_line.left_within_week \
             show share(revenue among order_line.left_within_week) as part, revenue"
        )));
        let key = |l: &Line| {
            let left = slowest.get(l.order.as_str());
            let left = left.map_or("(none)", |most| if *most <= 7 { "Within a week" } else { "Later" });
            let member = &customers[&l.customer][column];
            let member = if member.is_empty() { "(none)" } else { member.as_str() };
            (format!("{} {member}", &l.dates[0][..4]), left)
        };
        let net = grouped(&all, key, |n: &mut i64, l| *n += l.net);
        assert_eq!(found.len(), net.len());
        for ((of, left), sum) in &net {
            let whole: i64 = net.iter().filter(|((other, _), _)| other == of).map(|(_, n)| n).sum();
            let shown = &found[&format!("{of} {left}")];
            assert_eq!(shown[1], exact(*sum));
            assert!(near(&shown[0], money(*sum) / money(whole)), "{of} {left}");
        }
    }
}

#[test]
fn d3_an_order_mixes_categories_or_does_not() {
    let (all, products) = (lines(), by_key("product.csv"));
    let category = |l: &Line| products.get(&l.sku).map(|p| p[3].clone());
    let kinds = grouped(&all, |l| l.order.clone(), |c: &mut BTreeSet<String>, l| c.extend(category(l)));
    let found = cells(&ask("rows order_line.order_kind show orders, average_whole_order"));
    for (kind, mixed) in [("One category", false), ("Several categories", true)] {
        let of: Vec<i64> =
            orders(&all).into_iter().filter(|(o, _)| (kinds[o].len() > 1) == mixed).map(|(_, n)| n).collect();
        assert_eq!(found[kind][0], of.len().to_string());
        assert!(near(&found[kind][1], money(of.iter().sum()) / of.len() as f64), "{kind}");
    }
}

#[test]
fn d_a_table_stands_for_its_key() {
    let found = cells(&ask("show (avg(revenue per customer)) as a, (avg(revenue per customer.code)) as b, \
         (count(revenue per calendar)) as days, (count(revenue per (customer, calendar.year))) as pairs"));
    let all = lines();
    let customers = grouped(&all, |l| l.customer.clone(), |n: &mut i64, l| *n += l.net);
    let days: BTreeSet<&str> = all.iter().map(|l| l.dates[0].as_str()).collect();
    let pairs: BTreeSet<(&str, &str)> = all.iter().map(|l| (l.customer.as_str(), &l.dates[0][..4])).collect();
    let found = &found[""];
    assert!(near(&found[0], money(customers.values().sum()) / customers.len() as f64));
    assert_eq!(found[0], found[1]);
    assert_eq!(found[2..], [days.len().to_string(), pairs.len().to_string()]);
}

#[test]
fn f_goods_that_are_open_at_the_end_of_a_week() {
    let found =
        cells(&ask("rows calendar.week show goods_open where calendar.week in ('2023-W01', '2024-W20')"));
    for (week, end) in [("2023-W01", "2023-01-08"), ("2024-W20", "2024-05-19")] {
        let open = |l: &&Line| match l.dates[1].as_str() {
            "" => day(&l.dates[0]) > day(end) - 30,
            shipped => day(shipped) > day(end),
        };
        let all = lines();
        let ordered = all.iter().filter(|l| day(&l.dates[0]) <= day(end));
        assert_eq!(found[week], [exact(ordered.filter(open).map(|l| l.net).sum())], "{week}");
    }
}

#[test]
fn d4_orders_above_the_average_order() {
    let of = orders(&lines());
    let mean = money(of.values().sum()) / of.len() as f64;
    let found = cells(&ask("show average_order, orders_above_average"));
    assert!(near(&found[""][0], mean));
    assert_eq!(found[""][1], of.values().filter(|n| money(**n) > mean).count().to_string());
}

#[test]
fn d_an_order_by_category_and_its_whole_twin_differ() {
    let (all, products) = (lines(), by_key("product.csv"));
    let whole = orders(&all);
    let found = cells(&ask("rows product.category show average_order, average_whole_order"));
    for category in ["Hives", "Feed"] {
        let Some(found) = found.get(category) else { continue };
        let of: Vec<&Line> =
            all.iter().filter(|l| products.get(&l.sku).is_some_and(|p| p[3] == category)).collect();
        let own: BTreeSet<&str> = of.iter().map(|l| l.order.as_str()).collect();
        let part = money(of.iter().map(|l| l.net).sum()) / own.len() as f64;
        let all_of: i64 = own.iter().map(|o| whole[*o]).sum();
        assert!(near(&found[0], part), "{category}");
        assert!(near(&found[1], money(all_of) / own.len() as f64), "{category}");
        assert!(money(all_of) > part);
    }
    assert!(found.contains_key("Hives"));
}

#[test]
fn d5_customers_in_bands_of_their_revenue() {
    let of = grouped(&lines(), |l| l.customer.clone(), |n: &mut i64, l| *n += l.net);
    let found = cells(&ask("rows customer.worth show buyers"));
    let middle = of.values().filter(|n| (5_000.0..20_000.0).contains(&money(**n))).count();
    assert_eq!(found["5000 to below 20000"], [middle.to_string()], "{found:?}");
}

#[test]
fn e1_customers_lost_before_the_year_of_a_day() {
    let last = grouped(
        &lines(),
        |l| l.customer.clone(),
        |d: &mut String, l| {
            *d = d.clone().max(l.dates[0].clone());
        },
    );
    for (day, year) in [("2025-06-30", "2025-01-01"), ("2024-02-29", "2024-01-01")] {
        let wanted = last.values().filter(|d| d.as_str() < year).count();
        let reply = session().query("show customers_lost").given("as_of", day).ask().unwrap();
        let Answer::Summary(summary) = reply.answer else { panic!("no summary") };
        assert_eq!(cells(&summary)[""], [wanted.to_string()], "{day}");
        assert!(wanted > 0);
    }
    // The list behind the number.
    let reply = session()
        .ask("list code, last_order from customer where last_order < '2025-01-01' sort last_order descending")
        .unwrap();
    let Answer::List(list) = reply.answer else { panic!("no list") };
    assert_eq!(list.rows.len(), last.values().filter(|d| d.as_str() < "2025-01-01").count());
    // New ones, by the month of their first order.
    let first =
        grouped(&lines(), |l| l.customer.clone(), |d: &mut Vec<String>, l| d.push(l.dates[0].clone()));
    let wanted = first.values().filter(|d| d.iter().min().is_some_and(|d| d.starts_with("2024-03"))).count();
    let found = cells(&ask("rows calendar.month show new_buyers where calendar.year = 2024"));
    assert_eq!(found["2024-03"], [wanted.to_string()]);
}

#[test]
fn e2_and_e3_the_longest_standing_customers() {
    let dates = order_dates();
    let days =
        |d: &str| Scalar::from_physical(vembra::Type::Date, i128::from(chrono_days(d))).physical().unwrap();
    let span = |d: &BTreeSet<String>| days(d.last().unwrap()) - days(d.first().unwrap());
    let longest = dates.iter().max_by_key(|(_, d)| span(d)).unwrap();
    let found = cells(&ask("show max(customer_span.span) as longest, \
         first(customer_span.code by customer_span.span descending) as who"));
    assert_eq!(found[""], [span(longest.1).to_string(), longest.0.clone()]);
    // All that tie, joined into one text.
    let customers = by_key("customer.csv");
    let oldest = customers.values().map(|c| &c[5]).min().unwrap();
    let mut tied: Vec<&str> =
        customers.values().filter(|c| c[5] == *oldest).map(|c| c[1].trim_matches('"')).collect();
    tied.sort_unstable();
    assert_eq!(tied.len(), 2);
    let names = cells(&ask(
        "show listagg(customer.name, ' and ' where joined_on = (min(joined_on) overall)) as names",
    ));
    assert_eq!(names[""], [tied.join(" and ")]);
    // The table has a line a customer, and the next query uses it.
    let one = cells(&ask("show count(rows of customer_span) as n where customer.region = 'Dunlow'"));
    let west = dates.keys().filter(|c| customers[*c][4] == "Dunlow").count();
    assert_eq!(one[""], [west.to_string()]);
}

/// Days since 1970 of a date as a text, by counting.
fn chrono_days(date: &str) -> i64 {
    let part = |range: std::ops::Range<usize>| date[range].parse::<i64>().unwrap();
    let (year, month, day) = (part(0..4), part(5..7), part(8..10));
    let leap = |y: i64| y % 4 == 0 && (y % 100 != 0 || y % 400 == 0);
    let years: i64 = (1970..year).map(|y| if leap(y) { 366 } else { 365 }).sum();
    let lengths = [31, if leap(year) { 29 } else { 28 }, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    years + lengths[..(month - 1) as usize].iter().sum::<i64>() + day - 1
}

#[test]
fn f1_to_date_starts_again_each_year() {
    let of = grouped(&lines(), |l| l.dates[0][..7].to_owned(), |n: &mut i64, l| *n += l.net);
    let found = cells(&ask("rows calendar.month show revenue, (revenue during year to date) as ytd, \
         (revenue during fiscal year to date) as fytd, (revenue during quarter to date) as qtd keep empty"));
    for (month, values) in &found {
        let sum = |from: &str| {
            let sum: i64 = of.iter().filter(|(m, _)| m.as_str() >= from && *m <= month).map(|(_, n)| n).sum();
            exact(sum)
        };
        if month.as_str() > "2025-11" {
            assert!(values.iter().all(String::is_empty), "beyond the data: {month} {values:?}");
            continue;
        }
        let (year, number) = (&month[..4], month[5..].parse::<usize>().unwrap());
        assert_eq!(values[1], sum(&format!("{year}-01")), "{month}");
        let fiscal =
            if number >= 10 { year.parse::<i32>().unwrap() } else { year.parse::<i32>().unwrap() - 1 };
        assert_eq!(values[2], sum(&format!("{fiscal}-10")), "{month}");
        assert_eq!(values[3], sum(&format!("{year}-{:02}", (number - 1) / 3 * 3 + 1)), "{month}");
    }
    assert_eq!(found.len(), 36);
}

#[test]
fn f2_the_same_period_a_year_earlier_and_means_over_months() {
    let of = grouped(&lines(), |l| l.dates[0][..7].to_owned(), |n: &mut i64, l| *n += l.net);
    let found = cells(&ask(
        "rows calendar.month show (revenue during 1 year earlier) as before, (revenue during previous month) as previous, \
         running(revenue by calendar.month) as running, mean_of_three_months where calendar.year = 2024",
    ));
    let month = |index: i32| format!("{}-{:02}", index.div_euclid(12), index.rem_euclid(12) + 1);
    for number in 0..12 {
        let own = 2024 * 12 + number;
        let values = &found[&month(own)];
        assert_eq!(values[0], exact(of[&month(own - 12)]));
        assert_eq!(values[1], exact(of[&month(own - 1)]));
        let running: i64 = (2024 * 12..=own).map(|m| of[&month(m)]).sum();
        assert_eq!(values[2], exact(running));
        let three: i64 = (own - 2..=own).map(|m| of[&month(m)]).sum();
        assert!(near(&values[3], money(three) / 3.0));
    }
}

#[test]
fn f3_explicit_dates_in_a_measure() {
    let wanted: i64 = lines()
        .iter()
        .filter(|l| ("2024-02-10".."2024-03-06").contains(&l.dates[0].as_str()))
        .map(|l| l.net)
        .sum();
    let found =
        cells(&ask("show (revenue where calendar.date between '2024-02-10' and '2024-03-05') as a, \
         (revenue where calendar.date between '2024-02-10' and before '2024-03-06') as b"));
    assert_eq!(found[""], [exact(wanted), exact(wanted)]);
}

#[test]
fn g1_three_shares_are_three_figures() {
    let (all, products) = (lines(), by_key("product.csv"));
    let known: Vec<&Line> =
        all.iter().filter(|l| l.dates[0].starts_with("2024") && products.contains_key(&l.sku)).collect();
    let net = |keep: &dyn Fn(&Line) -> bool| money(known.iter().filter(|l| keep(l)).map(|l| l.net).sum());
    let found = cells(&ask(
        "rows product.category, product.family show share(revenue among product.family) as of_group, \
         share(revenue among all) as of_shown, share_of_everything where calendar.year = 2024 and product.category is not null",
    ));
    let everything = money(all.iter().map(|l| l.net).sum());
    let shown = net(&|_| true);
    let mut checked = 0;
    for (family, category) in products.values().map(|p| (p[2].clone(), p[3].clone())).collect::<BTreeSet<_>>()
    {
        let Some(values) = found.get(&format!("{category} {family}")) else { continue };
        let own = net(&|l| products[&l.sku][2] == family);
        let group = net(&|l| products[&l.sku][3] == category);
        for (value, wanted) in values.iter().zip([own / group, own / shown, own / everything]) {
            assert!(near(value, wanted), "{family}");
        }
        checked += 1;
    }
    assert!(checked > 8);
}

#[test]
fn g2_money_on_details_shares_on_subtotals() {
    let summary = ask("rows product.category, product.family show money_then_share totals on rows");
    let measure = &summary.measures[0];
    let all = exact(lines().iter().map(|l| l.net).sum());
    for line in &summary.lines {
        let (value, (_, format)) = (&line.cells[0].value, measure.on(line.kind));
        match line.kind {
            LevelKind::Detail => assert_eq!((value.ty(), format), (vembra::Type::Decimal(4), Some("¤#,##0"))),
            LevelKind::Subtotal => {
                assert_eq!(format, Some("0.0%"));
                assert!((0.0..=1.0).contains(&value.to_f64().unwrap()));
            }
            LevelKind::Total => {
                assert_eq!((value.to_string(), format), (all.clone(), Some("¤#,##0")));
                assert_eq!(line.cells[0].adds_up, None, "it is not meant to be a sum");
            }
        }
    }
}

#[test]
fn g3_ranks_and_the_first_ones() {
    let (all, products) = (lines(), by_key("product.csv"));
    let mut of: Vec<(i64, String)> = grouped(&all, |l| l.sku.clone(), |n: &mut i64, l| *n += l.net)
        .into_iter()
        .filter(|(sku, _)| products.contains_key(sku))
        .map(|(sku, n)| (n, sku))
        .collect();
    of.sort_by(|a, b| b.cmp(a));
    let found = cells(&ask(
        "rows product.sku show rank(revenue among product.sku) as place where product.sku is not null",
    ));
    for (at, (_, sku)) in of.iter().enumerate() {
        assert_eq!(found[sku], [(at + 1).to_string()]);
    }
    let top = ask(
        "rows product.sku show revenue top 3 product.sku by revenue, rest as 'Other' sort revenue descending totals on rows",
    );
    let values: Vec<String> = top.lines.iter().map(|l| l.cells[0].value.to_string()).collect();
    let whole: i64 = all.iter().map(|l| l.net).sum();
    let first: i64 = of[..3].iter().map(|(n, _)| n).sum();
    assert_eq!(values[..3], [exact(of[0].0), exact(of[1].0), exact(of[2].0)]);
    assert_eq!(values[3..], [exact(whole - first), exact(whole)], "the rest, then the total of all");
    let cut = ask("rows product.sku show revenue top 3 product.sku by revenue totals on rows");
    assert_eq!(cut.lines[3].cells[0].value.to_string(), exact(first), "totals see the lines shown");
}

#[test]
fn two_facts_side_by_side_and_what_cannot_be_split() {
    let targets = std::fs::read_to_string(demo("target.csv")).unwrap();
    let of = |month: &str| -> f64 {
        let lines = targets.lines().filter(|l| l.starts_with(month));
        lines.map(|l| l.rsplit(',').next().unwrap().parse::<f64>().unwrap()).sum()
    };
    let revenue: i64 = lines().iter().filter(|l| l.dates[0].starts_with("2024-05")).map(|l| l.net).sum();
    let found = cells(&ask("rows calendar.month show target_reached where calendar.year = 2024"));
    assert!(near(&found["2024-05"][0], money(revenue) / of("2024-05")));
    // A month cannot be split into days, nor a region into customers.
    for query in ["rows calendar.date show target_amount", "rows customer.name show target_amount"] {
        let failure = session().ask(query).map(|_| ()).unwrap_err();
        assert_eq!(failure.diagnostics()[0].code, "V403", "{query}");
    }
}

#[test]
fn stock_is_added_over_products_and_never_over_weeks() {
    let text = std::fs::read_to_string(demo("stock.csv")).unwrap();
    let rows: Vec<Vec<&str>> = text.lines().skip(1).map(|l| l.split(',').collect()).collect();
    let mut last: BTreeMap<(&str, &str), (&str, i64)> = BTreeMap::new();
    for row in rows.iter().filter(|r| r[0].starts_with("2024")) {
        let count = (row[0], row[2].parse().unwrap());
        let place = last.entry((&row[0][..7], row[1])).or_insert(count);
        *place = (*place).max(count);
    }
    let found =
        cells(&ask("rows calendar.month show on_hand_last where calendar.year = 2024 totals on rows"));
    let wanted: i64 = last.iter().filter(|((month, _), _)| *month == "2024-07").map(|(_, (_, n))| n).sum();
    assert_eq!(found["2024-07"], [wanted.to_string()]);
    let mut year: BTreeMap<&str, (&str, i64)> = BTreeMap::new();
    for ((_, sku), count) in &last {
        let place = year.entry(sku).or_insert(*count);
        *place = (*place).max(*count);
    }
    assert_eq!(found["total"], [year.values().map(|(_, n)| n).sum::<i64>().to_string()]);
}

/// The clauses of one expression are a set: any order gives the same figure.
#[test]
fn clauses_come_in_any_order() {
    let clauses = ["where quantity > 2", "via shipped", "pooling product", "during year to date"];
    let mut answers = BTreeSet::new();
    for first in 0..4 {
        for second in (0..4).filter(|s| *s != first) {
            let rest: Vec<&str> =
                (0..4).filter(|r| *r != first && *r != second).map(|r| clauses[r]).collect();
            for rest in [[rest[0], rest[1]], [rest[1], rest[0]]] {
                let text = [clauses[first], clauses[second], rest[0], rest[1]].join(" ");
                let query = format!("rows calendar.quarter, product.category show (revenue {text}) as x");
                answers.insert(format!("{:?}", cells(&ask(&query))));
            }
        }
    }
    assert_eq!(answers.len(), 1);
}

#[test]
fn via_for_a_query_is_via_for_each_measure() {
    let session = session();
    for measure in session.model().measures.clone() {
        let name = measure.name;
        let figures = |query: String| match session.ask(&query).map(|r| r.answer) {
            Ok(Answer::Summary(s)) => Some(cells(&s)),
            _ => None,
        };
        // Measures without the role are refused when they are asked for by it, and stay where the query asks.
        let Some(own) = figures(format!("rows calendar.year show ({name} via due) as x")) else { continue };
        assert_eq!(figures(format!("rows calendar.year show {name} as x via due")), Some(own), "{name}");
    }
}

/// Hand-made days: leap days, month ends, a month without rows, the first and the last fiscal month.
#[test]
fn date_ranges_on_hand_made_days() {
    let days = [
        ("2023-01-31", 1),
        ("2023-02-28", 2),
        ("2023-09-30", 4),
        ("2023-10-01", 8),
        ("2023-12-31", 16),
        ("2024-01-30", 32),
        ("2024-01-31", 64),
        ("2024-02-28", 128),
        ("2024-02-29", 256),
        ("2024-03-31", 512),
        ("2024-09-15", 1024),
        ("2024-10-05", 2048),
    ];
    let csv: String = days.iter().map(|(d, n)| format!("{d},{n}\n")).collect();
    let session = Session::builder()
        .model_text("days.vembra", "calendar from '2023-01-01' to '2024-12-31'\n    fiscal year starts october\nfact f from 'f'\nlink f.day to calendar\nmeasure n = sum(amount)\n")
        .csv_text("f", format!("day,amount\n{csv}"))
        .open()
        .unwrap();
    let at = |split: &str, member: &str, clause: &str| {
        let query = format!("rows calendar.{split} show (n during {clause}) as x keep empty");
        let Answer::Summary(summary) = session.ask(&query).unwrap().answer else { panic!("no summary") };
        cells(&summary)[member][0].clone()
    };
    assert_eq!(at("date", "2024-02-29", "month to date"), "384");
    assert_eq!(at("date", "2024-02-29", "quarter to date"), "480");
    assert_eq!(at("date", "2024-02-29", "year to date"), "480");
    assert_eq!(at("date", "2024-03-31", "1 month earlier"), "256", "falls back to the month's end");
    assert_eq!(at("date", "2024-03-30", "1 month earlier"), "256");
    assert_eq!(at("date", "2024-02-29", "1 year earlier"), "2");
    assert_eq!(at("month", "2024-02", "1 year earlier"), "2", "a whole month stays whole");
    assert_eq!(at("month", "2024-02", "1 month earlier"), "96");
    assert_eq!(at("fiscal_month", "FY2024-M01", "fiscal year to date"), "8", "the first fiscal month");
    assert_eq!(at("fiscal_month", "FY2024-M12", "fiscal year to date"), "2040", "the last fiscal month");
    assert_eq!(at("month", "2024-04", "previous month"), "512");
    assert_eq!(at("month", "2024-05", "previous month"), "", "a month without rows");
    assert_eq!(at("month", "2024-05", "quarter to date"), "");
    assert_eq!(at("month", "2024-05", "year to date"), "992");
    assert_eq!(at("month", "2024-11", "year to date"), "", "beyond the last day with data");
    assert_eq!(at("month", "2024-10", "year to date"), "4064");
    assert_eq!(at("year", "2024", "1 year earlier matched"), "15", "up to October 5 only");
    assert_eq!(at("month", "2024-01", "last 2 months"), "112");
    assert_eq!(at("week", "2024-W01", "1 weeks earlier"), "16");
    assert_eq!(at("month", "2023-10", "all before"), "7");
    assert_eq!(at("quarter", "2024-Q1", "whole year"), "4064");
}
