//! Tables as pictures.

use super::{Room, SMALL, TITLE, nothing, remark_lines};
use crate::font;
use crate::locale::Word;
use crate::palette::Paint;
use crate::picture::Picture;
use crate::scene::{Anchor, Scene, Shape, Style};
use crate::sheet::{Row, Sheet, SheetCell, sheet, trend_heights};
use crate::table::Align;
use vembra_plan::drawing::Colour;
use vembra_plan::{LevelKind, TotalsPlace};

const LINE: f64 = 22.0;
const BETWEEN: f64 = 18.0;
const BAR: f64 = 70.0;
/// A picture is no place for thousands of lines.
const MOST_ROWS: usize = 200;

/// No picture of a table is narrower: remarks need room, too.
const NARROWEST: f64 = 360.0;

/// A column with its place.
struct Placed {
    x: f64,
    width: f64,
    right: bool,
    bar: f64,
}

pub(super) fn draw(scene: &mut Scene, picture: &Picture, room: Room, edge: f64) {
    let sheet = sheet(&picture.answer, Some(&picture.drawing), &picture.locale);
    if sheet.rows.is_empty() {
        nothing(scene, room, &picture.locale.word(Word::NoRows));
        return;
    }
    // Without a height of its own a picture is as large as its table.
    let fits = scene.height <= 0.0;
    let placed = place(&sheet, room, fits);
    let mut y = room.y;
    let soft = Style::new(SMALL, Anchor::Start, Paint::Soft);
    if !sheet.caption.is_empty() {
        scene.text((room.x, y + 12.0), &sheet.caption, room.width, soft);
        y += LINE;
    }
    for line in &sheet.heads {
        let mut column = 0;
        for head in line {
            let over = &placed[column..(column + head.span).min(placed.len())];
            heading(scene, over, y + 14.0, &head.text);
            column += head.span;
        }
        y += LINE;
    }
    let end = placed.last().map_or(room.x, |p| p.x + p.width);
    scene.line((room.x, y), (end, y), Paint::Soft);
    y += 2.0;
    for row in sheet.rows.iter().take(MOST_ROWS) {
        if row.rule == Some(TotalsPlace::Last) {
            scene.line((room.x, y), (end, y), Paint::Soft);
        }
        draw_row(scene, &placed, &sheet, row, y);
        y += LINE;
        if row.rule == Some(TotalsPlace::First) {
            scene.line((room.x, y), (end, y), Paint::Soft);
        }
    }
    let mut notes = remark_lines(picture);
    if sheet.rows.len() > MOST_ROWS {
        let drawn = picture.locale.count(MOST_ROWS);
        notes.insert(0, picture.locale.counted(Word::LinesDrawn, sheet.rows.len(), &[("drawn", &drawn)]));
    }
    y += 8.0;
    let heading = if room.y > edge { font::width(&picture.title, TITLE, true) } else { 0.0 };
    let width = if fits { (end - room.x).max(heading.min(room.width)).max(NARROWEST) } else { room.width };
    for note in notes.iter().flat_map(|n| font::wrap(n, SMALL, false, width)) {
        y += 16.0;
        // As red as what it is about.
        if let Some(meaning) = note.strip_prefix("● ") {
            scene.add(Shape::Dot { at: (room.x + 4.0, y - 4.0), radius: 3.0, fill: Paint::Mark });
            scene.text((room.x + 13.0, y), meaning, width, soft);
        } else {
            scene.text((room.x, y), &note, width, soft);
        }
    }
    scene.height = scene.height.max(y + edge);
    scene.width = if fits { room.x + width + edge } else { scene.width.max(end + edge) };
    scene.description = picture.locale.counted(Word::TableOfLines, sheet.rows.len(), &[]);
}

fn place(sheet: &Sheet, room: Room, fits: bool) -> Vec<Placed> {
    let natural = |at: usize| {
        let column = &sheet.columns[at];
        let cells = sheet.rows.iter().take(MOST_ROWS).filter_map(|r| r.cells.get(at));
        let bold = |row_cell: &SheetCell| shown(row_cell);
        let widest = cells.map(|c| font::width(&bold(c), SMALL, true)).fold(0.0, f64::max);
        let head = own_head(sheet, at).map_or(0.0, |t| font::width(t, SMALL, true));
        let bar = if column.bars || column.trend { BAR + 8.0 } else { 0.0 };
        let most = if column.align == Align::Left { 320.0 } else { f64::MAX };
        (widest.max(head).min(most) + bar, bar)
    };
    let sizes: Vec<(f64, f64)> = (0..sheet.columns.len()).map(natural).collect();
    let whole: f64 = sizes.iter().map(|(width, _)| width).sum();
    // Where there is little room, columns move together.
    let gaps = sizes.len().saturating_sub(1).max(1) as f64;
    let between = ((room.width - whole) / gaps).clamp(8.0, BETWEEN);
    let mut x = room.x;
    let mut placed: Vec<Placed> = Vec::new();
    for (at, (width, bar)) in sizes.into_iter().enumerate() {
        placed.push(Placed { x, width, right: sheet.columns[at].align == Align::Right, bar });
        x += width + between;
    }
    // What is over is shared, so that short tables do not stick to the left edge; not so much that rows tear apart.
    let over = if fits { 0.0 } else { (room.width - (x - between - room.x)).max(0.0) };
    let share = (over / sheet.columns.len().max(1) as f64).min(36.0);
    placed.iter_mut().enumerate().for_each(|(at, p)| p.x += share * at as f64);
    placed
}

/// The heading that stands over this column alone.
fn own_head(sheet: &Sheet, column: usize) -> Option<&str> {
    let mut widest: Option<&str> = None;
    for line in &sheet.heads {
        let mut from = 0;
        for head in line {
            if from == column && head.span == 1 && widest.is_none_or(|w| w.len() < head.text.len()) {
                widest = Some(&head.text);
            }
            from += head.span;
        }
    }
    widest
}

fn heading(scene: &mut Scene, over: &[Placed], y: f64, text: &str) {
    let (Some(first), Some(last)) = (over.first(), over.last()) else { return };
    let style = Style::new(SMALL, Anchor::Start, Paint::Ink).bold();
    let room = last.x + last.width - first.x;
    if first.right {
        // Over the figures, not over their bars.
        let end = if over.len() == 1 { first.x + first.width - first.bar } else { last.x + last.width };
        scene.text((end, y), text, room, Style { anchor: Anchor::End, ..style });
    } else {
        scene.text((first.x, y), text, room, style);
    }
}

fn shown(cell: &SheetCell) -> String {
    cell.text.clone() + &cell.marks.text()
}

fn draw_row(scene: &mut Scene, placed: &[Placed], sheet: &Sheet, row: &Row, y: f64) {
    let total = row.kind != LevelKind::Detail;
    for (at, (cell, place)) in row.cells.iter().zip(placed).enumerate() {
        let figure = at >= sheet.keys;
        let paint = if cell.ruled && figure { Paint::Mark } else { Paint::Ink };
        let style = Style { bold: total, ..Style::new(SMALL, Anchor::Start, paint) };
        let text = shown(cell);
        let room = place.width - place.bar;
        if place.right {
            let end = place.x + room;
            scene.text((end, y + 15.0), &text, f64::MAX, Style { anchor: Anchor::End, ..style });
        } else {
            scene.text((place.x, y + 15.0), &text, room, style);
        }
        if cell.dotted && figure && sheet.columns[at].ruled {
            let x = if place.right { place.x + room + 7.0 } else { place.x - 7.0 };
            scene.add(Shape::Dot { at: (x, y + 10.5), radius: 3.0, fill: Paint::Mark });
        }
        if let Some(bar) = cell.bar {
            let fill = crate::palette::bar(bar, sheet.columns[at].has_signs);
            scene.rect([place.x + room + 17.0, y + 5.0, bar.abs() * (BAR - 13.0), 11.0], fill);
        }
        trend(scene, &cell.trend, (place.x, y));
    }
}

/// A small line through the figures of a row.
fn trend(scene: &mut Scene, values: &[Option<f64>], (x, y): (f64, f64)) {
    let Some(heights) = trend_heights(values).filter(|h| h.len() > 1) else { return };
    let point = |(at, height): (usize, f64)| {
        let along = at as f64 / (values.len() - 1) as f64;
        (x + along * BAR, y + 18.0 - height * 14.0)
    };
    let runs = heights.iter().enumerate().collect::<Vec<_>>();
    for run in runs.split(|(_, v)| v.is_none()) {
        let points: Vec<(f64, f64)> = run.iter().filter_map(|(at, v)| v.map(|v| point((*at, v)))).collect();
        if points.len() > 1 {
            let stroke = Some(Paint::Series(Colour::Blue));
            scene.add(Shape::Path { points, stroke, width: 1.5, dashed: false, fill: None });
        }
    }
}
