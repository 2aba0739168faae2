//! Answers over the demo as tables for people: columns are aligned, rows have as many cells as headings, and no figure is lost.

use vembra::{Answer, Layout, Reply, Session, TextOptions};

fn demo() -> Session {
    let company = vembra_demo::Company::new(400);
    let mut builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
    for (table, csv) in vembra_demo::tables(&company).unwrap() {
        builder = builder.csv_bytes(table, csv);
    }
    builder.open().unwrap()
}

const QUERIES: [&str; 20] = [
    "show revenue",
    "show revenue, orders, units",
    "rows calendar.year show revenue, orders totals on rows",
    "rows calendar.year, customer.segment show revenue, average_order totals on rows first",
    "rows product.category columns calendar.year show revenue totals on rows, on columns",
    "rows product.category columns calendar.year, customer.segment show revenue, units totals on rows, on columns first",
    "columns customer.region show revenue, orders totals on columns",
    "rows customer.region show revenue, orders, units figures on rows",
    "rows customer.region columns calendar.year show revenue, orders figures on rows totals on rows",
    "rows customer.name show revenue top 5 customer.name by revenue, rest as 'All the others' totals on rows",
    "rows product.name show revenue, share(revenue among product.name) as part, rank(revenue among product.name) as place",
    "rows calendar.month show revenue, (revenue via shipped) as shipped, (revenue during year to date) as so_far",
    "rows calendar.weekday show orders keep empty",
    "rows interest.interest show revenue totals on rows",
    "rows customer.town show min(ordered_on) as first, max(ordered_on) as last, max(ordered_on) - min(ordered_on) as days",
    "rows customer.segment show revenue each across calendar.year 2025 against 2024 with difference, growth",
    "rows order_line.left_within_week columns calendar.quarter show orders totals on rows",
    "list order_no, customer.name, product.name, net, shipped_on from order_line sort net descending limit 12",
    "list name, category, list_price from product where list_price > 20",
    "rows customer.name show revenue where customer.name = 'Nobody of this name'",
];

fn asked() -> Vec<(&'static str, Reply)> {
    let session = demo();
    let asked = QUERIES.map(|query| (query, session.ask(query).unwrap_or_else(|e| panic!("{query}\n{e}"))));
    asked.into()
}

/// The lines of each table of a text: those around a rule below its headings.
fn tables(text: &str) -> Vec<Vec<&str>> {
    let is_rule = |line: &str| line.contains("--") && line.chars().all(|c| c == '-' || c == ' ');
    let blocks = text.split("\n\n").map(|block| block.lines().collect::<Vec<_>>());
    blocks.filter(|block| block.iter().any(|line| is_rule(line))).collect()
}

#[test]
fn columns_stand_under_one_another() {
    for (query, reply) in asked() {
        for layout in [Layout::Grid, Layout::Tidy] {
            let text = reply.text(layout);
            for table in tables(&text) {
                let rule = table.iter().find(|line| line.starts_with("--")).unwrap();
                // Between columns each line has blanks, wherever something stands.
                let gaps: Vec<usize> =
                    rule.char_indices().filter(|(_, c)| *c == ' ').map(|(at, _)| at).collect();
                let headed = table.iter().position(|line| line == rule).unwrap();
                for line in &table[headed..] {
                    let cells: Vec<char> = line.chars().collect();
                    for gap in gaps.iter().filter(|gap| **gap < cells.len()) {
                        assert_eq!(cells[*gap], ' ', "{query}\n{text}");
                    }
                    assert!(cells.len() <= rule.chars().count() + 2, "{query}: {line}\n{text}");
                    assert_eq!(line.trim_end(), *line, "{query}: blanks at an end");
                }
            }
        }
    }
}

#[test]
fn narrow_tables_are_cut_into_parts_that_hold_all_figures() {
    for (query, reply) in asked() {
        let whole = reply.text(Layout::Grid);
        for width in [40, 60, 100] {
            let text = reply.text_with(TextOptions { width: Some(width), ..TextOptions::default() });
            // Figures are those of the whole table, in some part each.
            let words = |text: &str| {
                let mut words: Vec<String> =
                    text.split_whitespace().filter(|w| w.starts_with('€')).map(str::to_owned).collect();
                words.sort();
                words
            };
            assert_eq!(words(&text), words(&whole), "{query} at {width}");
        }
    }
}

#[test]
fn markdown_rows_have_as_many_cells_as_headings() {
    for (query, reply) in asked() {
        let text = reply.markdown();
        let bars = |line: &str| line.replace("\\|", "").matches('|').count();
        let rows: Vec<&str> = text.lines().filter(|line| line.starts_with('|')).collect();
        assert!(rows.iter().all(|row| bars(row) == bars(rows[0])), "{query}\n{text}");
        let lines = match &reply.answer {
            Answer::Summary(summary) => summary.lines.len(),
            Answer::List(list) => list.rows.len(),
        };
        assert_eq!(rows.is_empty(), lines == 0, "{query}\n{text}");
        if rows.is_empty() {
            assert!(text.contains("No rows match."), "{query}\n{text}");
        }
    }
}

#[test]
fn comma_separated_records_have_as_many_fields_as_the_first() {
    for (query, reply) in asked() {
        for layout in [Layout::Grid, Layout::Tidy] {
            let csv = reply.csv(layout).unwrap();
            // A reader that is not flexible refuses records of another length.
            let records: Vec<csv::StringRecord> = csv::Reader::from_reader(csv.as_bytes())
                .records()
                .map(|r| r.unwrap_or_else(|e| panic!("{query}: {e}")))
                .collect();
            if let (Answer::Summary(summary), Layout::Tidy) = (&reply.answer, layout) {
                let figures_down = csv.lines().next().unwrap().split(',').any(|name| name == "figure");
                let wanted = if figures_down {
                    summary.lines.len() * summary.measures.len()
                } else {
                    summary.lines.len()
                };
                assert_eq!(records.len(), wanted, "{query}\n{csv}");
            }
            let json = reply.json(layout);
            let told = json.as_array().map_or(records.len(), Vec::len);
            assert!(told == records.len() || layout == Layout::Grid, "{query}: {told} and {}", records.len());
        }
    }
}

#[test]
fn marks_stand_at_totals_that_are_no_sums_and_say_why_below() {
    for (query, reply) in asked() {
        let text = reply.text(Layout::Grid);
        let Answer::Summary(summary) = &reply.answer else { continue };
        let marked = summary.lines.iter().any(|l| l.cells.iter().any(|c| c.adds_up == Some(false)));
        assert_eq!(text.contains('≠'), marked, "{query}\n{text}");
        if marked {
            let reason = text.lines().find(|line| line.starts_with('≠')).unwrap_or_default();
            assert!(reason.len() > 20, "{query}\n{text}");
        }
    }
}
