//! The text of a first model.

use super::leads::{Lead, Named};
use super::tables::{Origin, Seen, is_code, plain_name};
use super::{is_dimension, leads_of};
use std::collections::BTreeSet;
use std::path::Path;
use vembra_engine::Column;
use vembra_plan::{Scalar, Type, civil};
use vembra_syntax::quote_name;

/// A calendar spans at most this many years; a day outside is taken for a slip or for "never".
const MOST_YEARS: i32 = 60;

/// The model, and a query that it answers.
pub(super) fn model(
    seen: &[Seen],
    leads: &[Lead],
    folder: &Path,
    doubts: &mut Vec<String>,
) -> (String, Option<String>) {
    let mut text = String::from(
        "-- A first model, made by looking at the files. Each guess says why; change what is not so.\n",
    );
    let dates = fact_dates(seen, leads);
    let calendar = calendar(&dates, doubts);
    if let Some((line, _)) = &calendar {
        text.push_str(&format!("\n{line}"));
    }
    text.push('\n');
    text.push_str(&databases(seen));
    for (at, table) in seen.iter().enumerate() {
        text.push_str(&declared(table, is_dimension(seen, leads, at), folder));
    }
    text.push('\n');
    for table in seen {
        text.push_str(&empty_columns(table));
    }
    for at in 0..seen.len() {
        text.push_str(&links(seen, leads, at, doubts));
        if let Some((_, (first, last))) = &calendar {
            text.push_str(&date_links(seen, at, &dates, (*first, *last)));
        }
    }
    let mut taken: BTreeSet<String> = seen.iter().map(|s| s.name.clone()).collect();
    // What is asked first is about the largest fact.
    let mut query: Option<(usize, String)> = None;
    for at in (0..seen.len()).filter(|at| !is_dimension(seen, leads, *at)) {
        let (lines, first) = measures(seen, leads, at, &mut taken);
        text.push_str(&lines);
        let by_year = calendar.is_some() && dates.iter().any(|d| d.table == at);
        let axis = if by_year { "rows calendar.year " } else { "" };
        let rows = seen[at].rows;
        if query.as_ref().is_none_or(|(most, _)| rows > *most) {
            query = Some((rows, format!("{axis}show {first}")));
        }
    }
    let query = query.map(|(_, text)| text);
    (text, query)
}

fn declared(table: &Seen, is_dimension: bool, folder: &Path) -> String {
    let from = match &table.from {
        Origin::File(file) => {
            let file = file.strip_prefix(folder).unwrap_or(file);
            let file = file.strip_prefix(".").unwrap_or(file).display().to_string();
            format!("'{}'", file.replace('\'', "''"))
        }
        Origin::Database { name, .. } => quote_name(name),
        Origin::Model => String::new(),
    };
    let said: String = table.said.iter().map(|s| format!(" {s}")).collect();
    let rows = crate::grouped(table.rows);
    let name = quote_name(&table.name);
    match table.key.filter(|_| is_dimension) {
        Some(key) => {
            let key = table.column(key).0;
            format!(
                "-- {rows} rows; {key} stands once in each, and others lead here by it\ndimension {name} from {from}{said} key {}\n",
                quote_name(key)
            )
        }
        None => format!("-- {rows} rows; nothing leads here\nfact {name} from {from}{said}\n"),
    }
}

/// The databases that tables come from.
fn databases(seen: &[Seen]) -> String {
    let mut lines = BTreeSet::new();
    for table in seen {
        if let Origin::Database { name, variable } = &table.from {
            let variable = variable.replace('\'', "''");
            lines.insert(format!("database {} from env '{variable}'\n", quote_name(name)));
        }
    }
    lines.into_iter().collect()
}

/// Columns in which no row has a value are known to be so.
fn empty_columns(table: &Seen) -> String {
    let empty = table.columns.iter().filter(|(_, c)| c.missing() == c.len() && !c.is_empty());
    let accept = |name: &str| {
        let full = format!("{}.{}", quote_name(&table.name), quote_name(name));
        format!("accept V520 on {full} because 'no row had a value when this model was made'\n")
    };
    empty.map(|(name, _)| accept(name)).collect()
}

/// Several links between the same two tables have roles.
fn links(seen: &[Seen], leads: &[Lead], at: usize, doubts: &mut Vec<String>) -> String {
    let mut text = String::new();
    for lead in leads_of(leads, at) {
        let own = &seen[at];
        let (column, to) = (own.column(lead.from.1).0, &seen[lead.to]);
        let full = format!("{}.{}", quote_name(&own.name), quote_name(column));
        let others: Vec<&Lead> = leads_of(leads, at).filter(|l| l.to == lead.to).collect();
        let why = match lead.named {
            Named::AsKey => "is called as its key",
            Named::AsTable => "is called as the table",
            Named::AsPart => "names it",
            Named::Not => "has only values that are its keys",
        };
        let orphans = match lead.orphans {
            0 => String::new(),
            n => format!("; {n} of {} values are no keys", crate::grouped(lead.values)),
        };
        text.push_str(&format!("-- {column} {why}{orphans}\n"));
        let role = match others.as_slice() {
            [] | [_] => String::new(),
            [first, ..] => {
                let default = if first.from == lead.from { " default" } else { "" };
                format!(" as {}{default}", quote_name(&role_name(column, &seen[at].name)))
            }
        };
        text.push_str(&format!("link {full} to {}{role}\n", quote_name(&to.name)));
        if lead.orphans > 0 {
            doubts.push(format!(
                "{full}: {} of {} values are no keys of {}",
                lead.orphans, lead.values, to.name
            ));
            text.push_str(&format!(
                "accept V503 on {full} because 'so it was when this model was made: look at them'\n"
            ));
        }
        if lead.named == Named::Not {
            doubts.push(format!("{full} leads to {} by its values alone", to.name));
        }
    }
    text
}

/// A column of dates in a fact.
struct DateColumn {
    table: usize,
    column: usize,
    first: i32,
    last: i32,
    missing: usize,
}

fn fact_dates(seen: &[Seen], leads: &[Lead]) -> Vec<DateColumn> {
    let mut dates = Vec::new();
    for (at, table) in seen.iter().enumerate().filter(|(at, _)| !is_dimension(seen, leads, *at)) {
        for column in 0..table.columns.len() {
            let found = table.column(column).1;
            if let Some((first, last)) = days(found) {
                dates.push(DateColumn { table: at, column, first, last, missing: found.missing() });
            }
        }
    }
    dates
}

/// The first and the last day of a column of dates or moments.
fn days(column: &Column) -> Option<(i32, i32)> {
    let (low, high) = column.physical_range()?;
    let day = |physical: i128| match Scalar::from_physical(column.ty(), physical) {
        Scalar::Date(day) => Some(day),
        Scalar::Moment(micros) => i32::try_from(micros.div_euclid(86_400_000_000)).ok(),
        _ => None,
    };
    Some((day(low)?, day(high)?))
}

fn calendar(dates: &[DateColumn], doubts: &mut Vec<String>) -> Option<(String, (i32, i32))> {
    let year = |day: i32| civil::parts_of(day).map_or(0, |(year, _, _)| year);
    // The span of the column that is most like a history: others may hold days such as 9999-12-31.
    let sound: Vec<&DateColumn> =
        dates.iter().filter(|d| year(d.last) - year(d.first) <= MOST_YEARS).collect();
    if sound.len() < dates.len() {
        doubts.push(format!(
            "{} columns of dates span more than {MOST_YEARS} years, and are no roles of the calendar",
            dates.len() - sound.len()
        ));
    }
    let first = sound.iter().map(|d| d.first).min()?;
    let last = sound.iter().map(|d| d.last).max()?;
    let (first, last) = (year(first), year(last));
    let span = (civil::day_of(first, 1, 1)?, civil::day_of(last, 12, 31)?);
    Some((
        format!(
            "-- the whole years of all dates in the facts\ncalendar from '{first:04}-01-01' to '{last:04}-12-31'\n"
        ),
        span,
    ))
}

/// The dates of a fact as roles. The likeliest default comes first: by its name, then by missing values, then the first of the file.
fn date_links(seen: &[Seen], at: usize, dates: &[DateColumn], span: (i32, i32)) -> String {
    let mut own: Vec<&DateColumn> =
        dates.iter().filter(|d| d.table == at && d.first >= span.0 && d.last <= span.1).collect();
    let likely = |d: &&DateColumn| {
        let name = plain_name(seen[at].column(d.column).0);
        let says =
            ["order", "sold", "sale", "invoice", "booked", "posted", "created", "purchase", "transaction"];
        (says.iter().position(|w| name.contains(w)).unwrap_or(says.len()), d.missing, d.column)
    };
    own.sort_by_key(likely);
    let mut text = String::new();
    for (nth, date) in own.iter().enumerate() {
        let column = seen[at].column(date.column).0;
        let full = format!("{}.{}", quote_name(&seen[at].name), quote_name(column));
        if own.len() == 1 {
            text.push_str(&format!("link {full} to calendar\n"));
            continue;
        }
        let default = match nth {
            0 => {
                text.push_str(&format!(
                    "-- of {} dates, {column} is the likeliest to be meant unasked\n",
                    own.len()
                ));
                " default"
            }
            _ => "",
        };
        text.push_str(&format!(
            "link {full} to calendar as {}{default}\n",
            quote_name(&role_name(column, &seen[at].name))
        ));
    }
    text
}

/// The role of a column: its name without what every date or key is called.
fn role_name(column: &str, table: &str) -> String {
    let name = plain_name(column);
    let endings = ["_on", "_at", "_date", "_day", "_time", "date", "_id", "_code", "_key", "_no"];
    let short =
        endings.iter().find_map(|e| name.strip_suffix(e)).unwrap_or(&name).trim_end_matches('_').to_owned();
    if short.is_empty() || short == table { name } else { short }
}

/// Sums of what adds up, means of what does not, and how many rows there are.
fn measures(seen: &[Seen], leads: &[Lead], at: usize, taken: &mut BTreeSet<String>) -> (String, String) {
    let table = &seen[at];
    let name = quote_name(&table.name);
    let mut text = format!("\n-- {}\n", table.name);
    // What is asked first: of all sums the one that is likeliest about money.
    let mut first: Option<(usize, String)> = None;
    let free = |wanted: String, taken: &mut BTreeSet<String>| {
        let mut found = wanted.clone();
        let mut number = 1;
        while !taken.insert(found.clone()) {
            found = if number == 1 {
                format!("{wanted}_of_{}", table.name)
            } else {
                format!("{wanted}_{number}")
            };
            number += 1;
        }
        quote_name(&found)
    };
    for column in 0..table.columns.len() {
        let (header, values) = table.column(column);
        let is_lead = leads_of(leads, at).any(|l| l.from.1 == column);
        let is_number = matches!(values.ty(), Type::Integer | Type::Decimal(_) | Type::Float);
        let plain = plain_name(header);
        if !is_number
            || is_lead
            || is_code(&plain)
            || table.key == Some(column)
            || values.missing() == values.len()
        {
            continue;
        }
        let rates = [
            "price",
            "rate",
            "percent",
            "pct",
            "discount",
            "ratio",
            "share",
            "score",
            "rating",
            "lat",
            "lon",
            "latitude",
            "longitude",
            "altitude",
            "elevation",
            "temp",
            "temperature",
            "age",
        ];
        let full = format!("{name}.{}", quote_name(header));
        if rates.iter().any(|r| plain.split('_').any(|part| part == *r)) || plain.starts_with("unit") {
            let measure = free(format!("average_{plain}"), taken);
            text.push_str(&format!(
                "-- {header} is something of each row, which is not added\nmeasure {measure} = avg({full})\n"
            ));
        } else {
            let measure = free(format!("total_{plain}"), taken);
            text.push_str(&format!("measure {measure} = sum({full})\n"));
            let rank = money(&plain, values.ty());
            if first.as_ref().is_none_or(|(best, _)| rank < *best) {
                first = Some((rank, measure));
            }
        }
    }
    let count = free(format!("{}_rows", table.name), taken);
    text.push_str(&format!("measure {count} = count(rows of {name})\n"));
    (text, first.map_or(count, |(_, measure)| measure))
}

/// How likely a column holds money, the likeliest first: by its name, then by its decimals.
fn money(plain: &str, ty: Type) -> usize {
    let words = [
        "revenue", "sales", "turnover", "amount", "net", "gross", "paid", "total", "value", "fare", "cost",
        "umsatz", "erlös", "betrag", "summe", "wert",
    ];
    match ty {
        _ if plain.split('_').any(|part| words.contains(&part)) => 0,
        Type::Decimal(2) => 1,
        Type::Decimal(_) => 2,
        _ => 3,
    }
}
