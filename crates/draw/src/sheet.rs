//! An answer as a table of texts: what text, pages, pictures and Markdown show of it.

use crate::locale::{Locale, Word};
use crate::table::Align;
use crate::words::{Marks, align, figure, members_text};
use vembra_engine::{Answer, Grid, GridCell, GridRow, Heading, Line, ListAnswer, Member, Summary};
use vembra_plan::drawing::{Drawing, MarkRule};
use vembra_plan::{FiguresPlace, LevelKind, Scalar, TotalsPlace};

/// A table of texts.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sheet {
    /// The heading lines, the outermost first.
    pub(crate) heads: Vec<Vec<Head>>,
    /// The columns.
    pub(crate) columns: Vec<Column>,
    /// The rows.
    pub(crate) rows: Vec<Row>,
    /// How many columns, from the first, name the rows.
    pub(crate) keys: usize,
    /// What stands above the table, for those who read nothing else.
    pub(crate) caption: String,
}

/// A heading over some columns.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Head {
    pub(crate) text: String,
    pub(crate) span: usize,
}

/// A column.
#[derive(Clone, Debug, PartialEq)]
#[allow(clippy::struct_excessive_bools)] // Each asks for something of its own.
pub(crate) struct Column {
    pub(crate) align: Align,
    /// The marks that its figures may have: all of them keep room for these.
    pub(crate) marks: Marks,
    /// Whether rules mark its figures.
    pub(crate) ruled: bool,
    /// Whether its figures have small bars.
    pub(crate) bars: bool,
    /// Whether some of these figures lie below zero.
    pub(crate) has_signs: bool,
    /// Whether it holds small lines.
    pub(crate) trend: bool,
}

/// A row.
#[derive(Clone, Debug)]
pub(crate) struct Row {
    pub(crate) kind: LevelKind,
    pub(crate) cells: Vec<SheetCell>,
    /// Whether a rule stands before it, or behind it.
    pub(crate) rule: Option<TotalsPlace>,
    /// Its members on rows.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) members: Vec<Member>,
}

/// A cell.
#[derive(Clone, Debug, Default)]
pub(crate) struct SheetCell {
    pub(crate) text: String,
    /// Why its figure could be taken for another one.
    pub(crate) marks: Marks,
    /// What a rule holds for; pictures and pages colour it.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) ruled: bool,
    /// Whether the dot of such a rule stands here.
    pub(crate) dotted: bool,
    /// The length of its bar, from -1 to 1.
    pub(crate) bar: Option<f64>,
    /// The figures of its small line.
    pub(crate) trend: Vec<Option<f64>>,
    /// What a key would say that is left out since the line above says the same.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) again: Option<String>,
    /// What a table is sorted by, if not by the text.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) value: Option<f64>,
    /// The line and the figure of the answer that it shows.
    #[cfg_attr(not(feature = "charts"), allow(dead_code))]
    pub(crate) of: Option<(usize, usize)>,
}

impl SheetCell {
    fn text(text: String) -> Self {
        Self { text, ..Self::default() }
    }
}

/// An answer as a table; with a drawing only what it shows, with its marks, bars and small lines.
pub(crate) fn sheet(answer: &Answer, drawing: Option<&Drawing>, locale: &Locale) -> Sheet {
    match answer {
        Answer::List(list) => list_sheet(list, locale),
        Answer::Summary(summary) => Builder { summary, drawing, locale }.sheet(),
    }
}

impl Sheet {
    /// Puts the number of each row before it.
    pub(crate) fn number_rows(&mut self) {
        self.heads.iter_mut().for_each(|line| line.insert(0, Head { text: String::new(), span: 1 }));
        self.columns.insert(0, plain(Align::Right));
        for (at, row) in self.rows.iter_mut().enumerate() {
            row.cells.insert(0, SheetCell::text((at + 1).to_string()));
        }
        self.keys += 1;
    }
}

fn plain(align: Align) -> Column {
    Column { align, marks: Marks::default(), ruled: false, bars: false, has_signs: false, trend: false }
}

fn list_sheet(list: &ListAnswer, locale: &Locale) -> Sheet {
    let cells = |row: &Vec<Scalar>| {
        let values = row.iter().zip(&list.columns);
        let text = |v: &Scalar, c: &Heading| SheetCell::text(locale.value(v, c.format.as_deref()));
        values.map(|(v, c)| SheetCell { value: sort_value(v), ..text(v, c) }).collect()
    };
    Sheet {
        heads: vec![list.columns.iter().map(|c| Head { text: c.label.clone(), span: 1 }).collect()],
        columns: list.columns.iter().map(|c| plain(align(c.ty))).collect(),
        rows: list
            .rows
            .iter()
            .map(|r| Row { kind: LevelKind::Detail, cells: cells(r), rule: None, members: Vec::new() })
            .collect(),
        keys: 0,
        caption: String::new(),
    }
}

struct Builder<'a> {
    summary: &'a Summary,
    drawing: Option<&'a Drawing>,
    locale: &'a Locale,
}

impl Builder<'_> {
    /// How many figures are shown.
    fn shown(&self) -> usize {
        let all = self.summary.measures.len();
        self.drawing.map_or(all, |d| if d.shown == 0 { all } else { d.shown.min(all) })
    }

    fn sheet(&self) -> Sheet {
        let summary = self.summary;
        let grid = summary.grid();
        let trends = self.drawing.is_some_and(|d| d.trends) && grid.columns.len() > 1;
        let down = summary.figures.on_rows();
        let mut columns: Vec<Column> = summary.rows.iter().map(|h| plain(align(h.ty))).collect();
        if down {
            columns.insert(self.figure_key(), plain(Align::Left));
            columns.extend(grid.columns.iter().map(|_| self.shared_column()));
        } else {
            columns.extend(self.places(grid.columns.len()).map(|(_, figure)| self.column(figure)));
        }
        if trends {
            columns.push(Column { trend: true, ..plain(Align::Left) });
        }
        let keys = summary.rows.len() + usize::from(down);
        let rows = if down { self.rows_down(&grid, trends) } else { self.rows_across(&grid, trends) };
        Sheet { heads: self.heads(&grid, trends), columns, rows, keys, caption: self.caption() }
    }

    /// A column of one figure.
    fn column(&self, at: usize) -> Column {
        // A mark of the line stands at its first figure.
        let stands = |m: &MarkRule| m.on.unwrap_or(0) == at;
        let measure = &self.summary.measures[at];
        Column {
            align: align(measure.heading.ty),
            marks: Marks::of_figure(measure),
            ruled: self.drawing.is_some_and(|d| d.marks.iter().any(stands)),
            bars: self.drawing.is_some_and(|d| d.small_bars.contains(&at)),
            has_signs: self.has_signs(at),
            trend: false,
        }
    }

    /// Whether some values of a figure lie below zero.
    fn has_signs(&self, at: usize) -> bool {
        let value = |line: &vembra_engine::Line| line.cells[at].value.to_f64();
        self.summary.lines.iter().filter_map(value).any(|value| value < 0.0)
    }

    /// A column of all figures, where they are written below one another.
    fn shared_column(&self) -> Column {
        let own: Vec<Column> = (0..self.shown()).map(|at| self.column(at)).collect();
        let any = |has: fn(&Column) -> bool| own.iter().any(has);
        Column {
            align: if any(|c| c.align == Align::Right) { Align::Right } else { Align::Left },
            marks: own.iter().fold(Marks::default(), |all, c| all.or(c.marks)),
            ruled: any(|c| c.ruled),
            bars: any(|c| c.bars),
            has_signs: any(|c| c.has_signs),
            trend: false,
        }
    }

    /// Per column of figures the column of the grid, and the figure.
    fn places(&self, columns: usize) -> impl Iterator<Item = (usize, usize)> {
        let (shown, first) = (self.shown(), self.summary.figures == FiguresPlace::ColumnsFirst);
        (0..columns * shown).map(
            move |at| {
                if first { (at % columns, at / columns) } else { (at / shown, at % shown) }
            },
        )
    }

    /// Where among the keys of rows the figure stands, if it is one.
    fn figure_key(&self) -> usize {
        if self.summary.figures == FiguresPlace::RowsFirst { 0 } else { self.summary.rows.len() }
    }

    fn rows_across(&self, grid: &Grid<'_>, trends: bool) -> Vec<Row> {
        let largest = self.largest();
        let mut rows = Vec::new();
        let mut last: Option<&[Member]> = None;
        for (at, row) in grid.rows.iter().enumerate() {
            let texts = members_text(row.members, &self.summary.rows, self.summary.walked, self.locale);
            let mut cells = key_cells(texts, row.members, last);
            let places = self.places(grid.columns.len());
            cells.extend(places.map(|(column, figure)| self.cell(row.cells[column], figure, &largest)));
            if trends {
                cells.push(SheetCell { trend: trend(&row.cells, &grid.columns, 0), ..SheetCell::default() });
            }
            let members = row.members.to_vec();
            rows.push(Row { kind: row.kind, cells, rule: self.rule(row, at > 0), members });
            last = Some(row.members);
        }
        rows
    }

    /// A row for every figure of every row of the grid.
    fn rows_down(&self, grid: &Grid<'_>, trends: bool) -> Vec<Row> {
        let (largest, shown) = (self.largest(), self.shown());
        let first = self.summary.figures == FiguresPlace::RowsFirst;
        let count = grid.rows.len();
        let mut rows: Vec<Row> = Vec::new();
        let mut last: Option<(usize, &[Member])> = None;
        for number in 0..count * shown {
            let (at, figure) =
                if first { (number % count, number / count) } else { (number / shown, number % shown) };
            let row = &grid.rows[at];
            let mut texts = members_text(row.members, &self.summary.rows, self.summary.walked, self.locale);
            let mut label = self.summary.measures[figure].heading.label.clone();
            match last {
                // The same row goes on with another figure.
                Some((_, members)) if !first && members == row.members => {
                    texts.iter_mut().for_each(String::clear);
                }
                Some((other, members)) if !first || other == figure => {
                    blank_repeats(&mut texts, row.members, Some(members));
                    if first {
                        label.clear();
                    }
                }
                _ => {}
            }
            texts.insert(self.figure_key(), label);
            let mut cells: Vec<SheetCell> = texts.into_iter().map(SheetCell::text).collect();
            cells.extend(row.cells.iter().map(|cell| self.cell(*cell, figure, &largest)));
            if trends {
                let trend = trend(&row.cells, &grid.columns, figure);
                cells.push(SheetCell { trend, ..SheetCell::default() });
            }
            // A rule stands before the first figure of a total, or behind its last one.
            let edge = if self.summary.totals_on_rows == Some(TotalsPlace::First) { shown - 1 } else { 0 };
            let rule = self.rule(row, number > 0).filter(|_| first || figure == edge);
            rows.push(Row { kind: row.kind, cells, rule, members: row.members.to_vec() });
            last = Some((figure, row.members));
        }
        rows
    }

    /// The rule that sets a grand total off.
    fn rule(&self, row: &GridRow<'_>, is_further: bool) -> Option<TotalsPlace> {
        let grand = row.kind == LevelKind::Total && !row.members.is_empty();
        self.summary.totals_on_rows.filter(|place| grand && (*place == TotalsPlace::First || is_further))
    }

    /// What stands on columns is named above the table.
    fn caption(&self) -> String {
        let summary = self.summary;
        if summary.columns.is_empty() {
            return String::new();
        }
        let columns: Vec<&str> = summary.columns.iter().map(|h| h.label.as_str()).collect();
        let axes = columns.join(", ");
        match &summary.measures[..self.shown()] {
            [only] if !summary.figures.on_rows() => {
                self.locale.say(Word::FigureByColumns, &[("figure", &only.heading.label), ("axes", &axes)])
            }
            _ => self.locale.say(Word::OnColumns, &[("axes", &axes)]),
        }
    }

    fn heads(&self, grid: &Grid<'_>, trends: bool) -> Vec<Vec<Head>> {
        let summary = self.summary;
        let shown = self.shown();
        let down = summary.figures.on_rows();
        let first = summary.figures == FiguresPlace::ColumnsFirst && shown > 1;
        // Whether a line of heads names the figures, and whether it is the last one.
        let named = !down && (summary.columns.is_empty() || shown > 1);
        let mut heads: Vec<Vec<Head>> = Vec::new();
        let figures = || summary.measures[..shown].iter().map(|m| m.heading.label.clone());
        if named && first && !summary.columns.is_empty() {
            let mut line = self.row_heads(false);
            line.extend(figures().map(|text| Head { text, span: grid.columns.len() }));
            heads.push(line);
        }
        let last_named = !named || first;
        for (axis, heading) in summary.columns.iter().enumerate() {
            let last = axis + 1 == summary.columns.len() && last_named;
            let mut line: Vec<Head> = self.row_heads(last);
            let spans = if down || first { 1 } else { shown };
            for _ in 0..if first { shown } else { 1 } {
                self.axis_heads(grid, axis, spans, &mut line);
            }
            if axis == 0 && summary.rows.is_empty() && grid.columns.is_empty() {
                line.push(single(heading.label.clone()));
            }
            heads.push(line);
        }
        if named && (!first || summary.columns.is_empty()) {
            let mut line: Vec<Head> = self.row_heads(true);
            for _ in &grid.columns {
                line.extend(figures().map(single));
            }
            heads.push(line);
        }
        if down && summary.columns.is_empty() {
            let mut line = self.row_heads(true);
            line.push(single(self.locale.word(Word::Value)));
            heads.push(line);
        }
        if trends {
            heads.iter_mut().for_each(|line| line.push(single(String::new())));
        }
        heads
    }

    /// The heads over the keys of rows: their names, or nothing.
    fn row_heads(&self, named: bool) -> Vec<Head> {
        let mut texts: Vec<String> = self.summary.rows.iter().map(|h| h.label.clone()).collect();
        if self.summary.figures.on_rows() {
            texts.insert(self.figure_key(), self.locale.word(Word::Figure));
        }
        texts.into_iter().map(|text| single(if named { text } else { String::new() })).collect()
    }

    /// The members of one axis on columns, each above all that belong to it.
    fn axis_heads(&self, grid: &Grid<'_>, axis: usize, spans: usize, line: &mut Vec<Head>) {
        let mut before: Option<&[Member]> = None;
        for column in &grid.columns {
            let same = before.is_some_and(|b| b[..=axis] == column[..=axis]);
            match line.last_mut().filter(|_| same) {
                Some(head) => head.span += spans,
                None => {
                    let texts =
                        members_text(&column[..=axis], &self.summary.columns[..=axis], false, self.locale);
                    let text = texts.into_iter().next_back().unwrap_or_default();
                    line.push(Head { text, span: spans });
                }
            }
            before = Some(column);
        }
    }

    /// On which level a line has bars: 0 for details, and where a hierarchy is walked the level on which it stands. Totals have none.
    fn bar_level(&self, line: &Line) -> Option<usize> {
        if !self.summary.walked {
            return (line.kind == LevelKind::Detail).then_some(0);
        }
        let depth = line.rows.iter().filter(|m| **m != Member::All).count();
        (depth > 0 && !line.columns.contains(&Member::All)).then_some(depth)
    }

    /// Per level and figure the largest size on a line. The rest of what was chosen is larger than any of it, and would leave no
    /// room for the others to differ.
    fn largest(&self) -> Vec<Vec<f64>> {
        let figures = self.summary.measures.len();
        let mut largest = vec![vec![0.0_f64; figures]; self.summary.rows.len() + 1];
        let is_rest = |l: &Line| l.rows.iter().chain(&l.columns).any(|m| matches!(m, Member::Rest(_)));
        for line in self.summary.lines.iter().filter(|l| !is_rest(l)) {
            let Some(level) = self.bar_level(line) else { continue };
            for (most, cell) in largest[level].iter_mut().zip(&line.cells) {
                let size = cell.value.to_f64().filter(|v| v.is_finite()).map_or(0.0, f64::abs);
                *most = most.max(size);
            }
        }
        largest
    }

    fn cell(&self, found: Option<GridCell<'_>>, at: usize, largest: &[Vec<f64>]) -> SheetCell {
        let Some(GridCell { line, kind, cells }) = found else { return SheetCell::default() };
        let (cell, measure) = (&cells[at], &self.summary.measures[at]);
        let marks = self.drawing.map_or(&[][..], |d| &d.marks);
        let held = || marks.iter().filter(|m| m.is_about(at) && cells[m.figure].value.physical() == Some(1));
        let has_bars = self.drawing.is_some_and(|d| d.small_bars.contains(&at));
        let level = self.bar_level(&self.summary.lines[line]).filter(|_| has_bars);
        let most = level.map_or(0.0, |level| largest[level][at]);
        let value = cell.value.to_f64().filter(|v| v.is_finite());
        SheetCell {
            text: figure(&cell.value, measure, kind, self.locale),
            marks: Marks::of(cell),
            ruled: held().next().is_some(),
            dotted: held().any(|m| m.on.unwrap_or(0) == at),
            bar: value.filter(|v| v.abs() <= most && most > 0.0).map(|v| v / most),
            trend: Vec::new(),
            again: None,
            value: sort_value(&cell.value),
            of: Some((line, at)),
        }
    }
}

fn single(text: String) -> Head {
    Head { text, span: 1 }
}

/// A figure of a row over all columns that are no totals.
fn trend(cells: &[Option<GridCell<'_>>], columns: &[&[Member]], figure: usize) -> Vec<Option<f64>> {
    let details = cells.iter().zip(columns).filter(|(_, members)| !members.contains(&Member::All));
    details.map(|(cell, _)| cell.and_then(|c| c.cells.get(figure)).and_then(|c| c.value.to_f64())).collect()
}

/// Leaves out outer members that are those of the line above.
fn blank_repeats(cells: &mut [String], members: &[Member], above: Option<&[Member]>) {
    let Some(above) = above else { return };
    for at in 0..members.len().saturating_sub(1) {
        if members[..=at] != above[..=at] {
            return;
        }
        cells[at].clear();
    }
}

/// The keys of a row; what the row above says already is kept aside.
fn key_cells(texts: Vec<String>, members: &[Member], above: Option<&[Member]>) -> Vec<SheetCell> {
    let mut shown = texts.clone();
    blank_repeats(&mut shown, members, above);
    let value = |member: &Member| match member {
        Member::Value(value) => sort_value(value),
        _ => None,
    };
    let cell = |((text, full), member): ((String, String), &Member)| SheetCell {
        again: (text != full).then_some(full),
        value: value(member),
        ..SheetCell::text(text)
    };
    shown.into_iter().zip(texts).zip(members).map(cell).collect()
}

/// By what a value is sorted on a page where its text would not do: a number, a date, a period.
fn sort_value(value: &Scalar) -> Option<f64> {
    value.to_f64().or_else(|| value.physical().map(|physical| physical as f64)).filter(|v| v.is_finite())
}

/// How high the points of a small line are, from 0 to 1; zero is always in reach. `None` where all are zero, so that no line could
/// say anything.
pub(crate) fn trend_heights(values: &[Option<f64>]) -> Option<Vec<Option<f64>>> {
    let known = values.iter().flatten().copied().filter(|v| v.is_finite());
    let (low, high) = known.fold((0.0_f64, 0.0_f64), |(l, h), v| (l.min(v), h.max(v)));
    let height = |value: &Option<f64>| value.filter(|v| v.is_finite()).map(|v| (v - low) / (high - low));
    (high > low).then(|| values.iter().map(height).collect())
}
