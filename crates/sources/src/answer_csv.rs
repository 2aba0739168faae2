//! Answers as CSV.

use crate::answer_names::{
    Layout, NOTES, axis_names, grid_names, has_notes, has_totals, kind_name, missing, notes, raw, raw_member,
    totalled, unclear_axes,
};
use vembra_engine::{Answer, Cell, Member, Summary};

/// The members of a line, each with its marker if its axis needs one.
fn marked_members<'m>(
    members: impl Iterator<Item = &'m Member>,
    unclear: &[bool],
) -> impl Iterator<Item = String> {
    members.zip(unclear).flat_map(|(member, unclear)| {
        std::iter::once(raw_member(member)).chain(unclear.then(|| missing(member).to_owned()))
    })
}

/// A table of texts with a header: what CSV holds.
struct Records {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
}

fn records(answer: &Answer, layout: Layout) -> Records {
    match (answer, layout) {
        (Answer::List(list), _) => Records {
            header: list.columns.iter().map(|c| c.name.clone()).collect(),
            rows: list.rows.iter().map(|row| row.iter().map(raw).collect()).collect(),
        },
        (Answer::Summary(summary), layout) => {
            let down = summary.figures_down();
            let summary = down.as_ref().unwrap_or(summary);
            if layout == Layout::Tidy { tidy(summary) } else { grid(summary) }
        }
    }
}

fn tidy(summary: &Summary) -> Records {
    let totals = has_totals(summary);
    let unclear = unclear_axes(summary);
    let keys = axis_names(summary.rows.iter().chain(&summary.columns), &unclear);
    let measures = summary.measures.iter().map(|m| m.heading.name.clone());
    let kinds = totals.then(|| ["line".to_owned(), "over".to_owned()]).into_iter().flatten();
    let told = has_notes(summary);
    let header = kinds.chain(keys).chain(measures).chain(told.then(|| NOTES.to_owned())).collect();
    let row = |line: &vembra_engine::Line| {
        let kind = totals.then(|| [kind_name(line.kind).to_owned(), totalled(summary, line)]);
        let keys = marked_members(line.rows.iter().chain(&line.columns), &unclear);
        let cells = line.cells.iter().map(|c| raw(&c.value));
        kind.into_iter()
            .flatten()
            .chain(keys)
            .chain(cells)
            .chain(told.then(|| notes(summary, line)))
            .collect()
    };
    Records { header, rows: summary.lines.iter().map(row).collect() }
}

fn grid(summary: &Summary) -> Records {
    let totals = summary.totals_on_rows.is_some();
    let grid = summary.grid();
    let header = grid_names(summary, &grid.columns);
    let unclear = unclear_axes(summary);
    let cells = |cells: Option<&[Cell]>| -> Vec<String> {
        match cells {
            Some(cells) => cells.iter().map(|c| raw(&c.value)).collect(),
            None => vec![String::new(); summary.measures.len()],
        }
    };
    let rows = grid.rows.iter().map(|row| {
        let kind = totals.then(|| kind_name(row.kind).to_owned());
        let members = marked_members(row.members.iter(), &unclear);
        kind.into_iter()
            .chain(members)
            .chain(row.cells.iter().flat_map(|c| cells(c.map(|c| c.cells))))
            .collect()
    });
    Records { header, rows: rows.collect() }
}

/// An answer as CSV.
///
/// # Errors
/// When a record cannot be written, which would be a fault of the program.
pub fn answer_csv(answer: &Answer, layout: Layout) -> Result<String, csv::Error> {
    let records = records(answer, layout);
    csv_text(&records.header, &records.rows)
}

/// A table of texts as CSV.
///
/// # Errors
/// When a record cannot be written, which would be a fault of the program.
pub fn csv_text(header: &[String], rows: &[Vec<String>]) -> Result<String, csv::Error> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(header)?;
    for row in rows {
        writer.write_record(row)?;
    }
    let bytes = writer.into_inner().map_err(|error| csv::Error::from(error.into_error()))?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}
