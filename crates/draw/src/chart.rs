//! Charts: from an answer and a drawing to a scene.
//!
//! Terms: the **along** axis runs from member to member; what is drawn stands **up** from it, by its figure or at a member of
//! the second axis. A **frame** is the room of one panel with its axes. All panels share their axes.

mod bars;
pub(crate) mod data;
mod dots;
mod frame;
pub(crate) mod large_number;
mod legend;
mod lines;
mod scale;
mod shades;
mod table;

use crate::answer::remarks;
use crate::font;
use crate::locale::Word;
use crate::palette::Paint;
use crate::picture::{Picture, View};
use crate::scene::{Anchor, Scene, Style};
use data::Data;
use frame::Frame;
use vembra_engine::Answer;
use vembra_plan::drawing::Form;

/// The room around a picture.
const EDGE: f64 = 20.0;
/// The sizes of letters: titles, texts, and what stands at axes.
const TITLE: f64 = 18.0;
const TEXT: f64 = 13.0;
const SMALL: f64 = 12.0;

/// The room that is left, from the top left corner.
#[derive(Clone, Copy, Debug)]
struct Room {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
}

/// A picture as a scene.
pub(crate) fn scene(picture: &Picture, view: View) -> Scene {
    let mut scene = Scene::new(view.width, view.height);
    scene.title.clone_from(&picture.title);
    let edge = if view.titled { EDGE } else { 4.0 };
    let mut room =
        Room { x: edge, y: edge, width: view.width - 2.0 * edge, height: view.height - 2.0 * edge };
    if view.titled {
        let style = Style::new(TITLE, Anchor::Start, Paint::Ink).bold();
        for line in font::wrap(&picture.title, TITLE, true, room.width).iter().take(2) {
            scene.text((room.x, room.y + TITLE - 3.0), line, room.width, style);
            room.y += TITLE + 6.0;
            room.height -= TITLE + 6.0;
        }
        room.y += 4.0;
        room.height -= 4.0;
    }
    let Answer::Summary(summary) = &picture.answer else {
        table::draw(&mut scene, picture, room, edge);
        return scene;
    };
    if let Some(refusal) = picture.refusal() {
        nothing(&mut scene, room, &refusal);
        return scene;
    }
    match picture.drawing.form {
        Form::Table => table::draw(&mut scene, picture, room, edge),
        Form::Number => large_number::draw(&mut scene, picture, summary, room),
        _ => {
            let data = data::data(summary, &picture.drawing, &picture.locale);
            chart(&mut scene, picture, data.as_ref(), room, edge);
        }
    }
    scene
}

fn chart(scene: &mut Scene, picture: &Picture, data: Option<&Data>, mut room: Room, edge: f64) {
    let Some(data) = data.filter(|d| !d.points.is_empty()) else {
        let empty = picture.is_empty();
        let word = if empty { Word::NoRows } else { Word::NoValuesToDraw };
        nothing(scene, room, &picture.locale.word(word));
        return;
    };
    if let Some(advice) = unreadable(picture, data, room) {
        nothing(scene, room, &advice);
        return;
    }
    legend::draw(scene, &picture.drawing, data, &mut room);
    let notes: Vec<String> =
        data.remarks.iter().flat_map(|r| font::wrap(r, SMALL, false, room.width)).collect();
    room.height -= notes.len() as f64 * 16.0 + if notes.is_empty() { 0.0 } else { 6.0 };
    let frame = Frame::new(&picture.drawing, data, room);
    frame.draw(scene, &picture.drawing, data);
    for panel in 0..frame.panels() {
        match picture.drawing.form {
            Form::Bars => bars::draw(scene, &frame, &picture.drawing, data, panel),
            Form::Dots => dots::draw(scene, &frame, &picture.drawing, data, panel),
            Form::Heat => dots::heat(scene, &frame, &picture.drawing, data, panel),
            _ => lines::draw(scene, &frame, &picture.drawing, data, panel),
        }
    }
    let mut y = frame.bottom() + 18.0;
    for note in &notes {
        scene.text((room.x, y), note, room.width, Style::new(SMALL, Anchor::Start, Paint::Soft));
        y += 16.0;
    }
    let end = if notes.is_empty() { frame.bottom() } else { y - 12.0 };
    scene.height = scene.height.max(end + edge);
    scene.description = describe(picture, data);
}

/// The most series that can be distinguished: eight colours, each also paler.
const MOST_SERIES: usize = 2 * vembra_plan::drawing::Colour::ALL.len();
/// A member that stands on less room cannot be read.
const LEAST_ROOM: f64 = 4.0;

/// Bars, dots and fields on less room are not distinguished.
const LEAST_PLACE: f64 = 0.05;

/// Why nobody could read a picture, and what to ask instead.
fn unreadable(picture: &Picture, data: &Data, room: Room) -> Option<String> {
    let count = data.series.len();
    let shaded = data.shade.is_some();
    if count > MOST_SERIES && !shaded {
        return Some(format!(
            "{} series are too many for colours: {MOST_SERIES} are the most. Choose the largest with top 8 … by …, rest as 'Others', or give each a panel.",
            crate::grouped(count)
        ));
    }
    let along = &data.along;
    let length = if picture.drawing.sideways { room.height } else { room.width };
    let crowded = !along.time && length / (along.places.len().max(1) as f64) < LEAST_PLACE;
    if crowded && !picture.drawing.form.traits().is_continuous {
        return Some(format!(
            "{} members of {} do not fit side by side. Choose some with top 40 … by …, or split by something coarser.",
            crate::grouped(along.places.len()),
            along.label
        ));
    }
    let up = data.up.as_ref().filter(|_| picture.drawing.form.traits().up)?;
    let each = room.height / up.places.len().max(1) as f64;
    (each < LEAST_ROOM).then(|| {
        format!(
            "{} members of {} do not fit on {:.0} pixels. Choose some with top 40 … by …, or draw it higher, in 1280 by 3000.",
            crate::grouped(up.places.len()),
            up.label,
            room.height
        )
    })
}

/// A text in the middle of an empty picture.
fn nothing(scene: &mut Scene, room: Room, text: &str) {
    let lines = font::wrap(text, TEXT, false, room.width * 0.8);
    let mut y = room.y + room.height / 2.0 - (lines.len() - 1) as f64 * 9.0;
    for line in &lines {
        let at = (room.x + room.width / 2.0, y);
        scene.text(at, line, room.width, Style::new(TEXT, Anchor::Middle, Paint::Soft));
        y += 18.0;
    }
    text.clone_into(&mut scene.description);
}

/// What a picture shows, in a sentence.
fn describe(picture: &Picture, data: &Data) -> String {
    let locale = &picture.locale;
    let form = match picture.drawing.form {
        Form::Area => Word::AreasDrawing,
        Form::Bars => Word::BarsDrawing,
        Form::Dots => Word::DotsDrawing,
        Form::Heat => Word::ShadesDrawing,
        Form::Line | Form::Table | Form::Number => Word::LinesDrawing,
    };
    let series: Vec<&str> = data.series.iter().take(6).map(|s| s.name.as_str()).collect();
    let mut said = vec![locale.say(form, &[("figures", &series.join(", ")), ("axis", &data.along.label)])];
    let places = &data.along.places;
    if let [first, .., last] = places.as_slice() {
        said.push(locale.say(Word::FromTo, &[("first", &first.label), ("last", &last.label)]));
    }
    if !data.panels.is_empty() {
        said.push(locale.counted(Word::InPanels, data.panels.len(), &[]));
    }
    said.join(" ") + "."
}

/// The remarks under an answer, one a line.
fn remark_lines(picture: &Picture) -> Vec<String> {
    remarks(&picture.answer, Some(&picture.drawing), &picture.locale)
}
