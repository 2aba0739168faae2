//! A page as one HTML file: real headings, texts and tables, pictures as SVG in two sizes (for screens and for telephones), tooltip
//! texts and switches by a small script. Nothing is fetched, and the page says that nothing may be.

use super::table::{MANY_ROWS, explanation_id, table};
use super::{Page, PageItem, PageRow, PageSwitch, Variant, placed};
use crate::answer::remarks;
use crate::chart::large_number::large_number;
use crate::locale::Word;
use crate::palette::{Paint, Theme};
use crate::picture::{Picture, View};
use crate::sheet::sheet;
use crate::svg::{COMMON, Target, faces, rules, svg};
use maud::{DOCTYPE, Markup, PreEscaped, html};
use vembra_engine::{Answer, Summary};
use vembra_plan::drawing::Form;

const STYLE: &str = include_str!("style.css");
const SCRIPT: &str = concat!(include_str!("script.js"), include_str!("tables.js"));
/// Nothing may be fetched.
const POLICY: &str = "default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; font-src data:; img-src data:";
/// The width of pictures on a telephone.
const NARROW: f64 = 340.0;
/// The height of a picture on a telephone.
const NARROW_HEIGHT: f64 = 270.0;

fn theme_colours(theme: Theme) -> String {
    let named = [
        ("ink", Paint::Ink),
        ("soft", Paint::Soft),
        ("grid", Paint::Grid),
        ("ground", Paint::Ground),
        ("mark", Paint::Mark),
        ("edge", Paint::Grid),
        ("bar", Paint::Series(vembra_plan::drawing::Colour::Blue)),
        ("above", crate::palette::ABOVE_ZERO),
        ("below", crate::palette::BELOW_ZERO),
    ];
    named.iter().map(|(name, paint)| format!("--{name}:{};", theme.colour(*paint))).collect()
}

fn style() -> String {
    let (light, dark) = (theme_colours(Theme::Light), theme_colours(Theme::Dark));
    format!(
        "{}{STYLE}{COMMON}:root{{{light}}}{}@media (prefers-color-scheme:dark){{:root{{{dark}}}{}}}",
        faces(),
        rules(Theme::Light),
        rules(Theme::Dark)
    )
}

/// A page as HTML.
pub(super) fn html(page: &Page) -> String {
    let width = f64::from(page.size.0);
    let page_html = html! {
        (DOCTYPE)
        html lang=(page.locale.tag()) {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta http-equiv="Content-Security-Policy" content=(POLICY);
                title { (page.title) }
                style { (PreEscaped(style())) }
            }
            body {
                div class="page" style=(format!("max-width:{width:.0}px")) {
                    header {
                        h1 { (page.title) }
                        @if let Some(about) = &page.about { p class="about" { (about) } }
                        @if !page.switches.is_empty() { (switches(&page.switches)) }
                    }
                    main {
                        @for (at, (row, height)) in page.rows.iter().zip(page.heights(90.0)).enumerate() {
                            (page_row_html(page, row, at, height))
                        }
                    }
                }
                div id="tip" role="status" aria-live="polite" hidden {}
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    // Characters that move a cursor or ring a bell have no place in a page.
    let tame = |c: char| if c.is_control() && c != '\n' { '\u{fffd}' } else { c };
    page_html.into_string().chars().map(tame).chain(['\n']).collect()
}

fn switches(switches: &[PageSwitch]) -> Markup {
    html! {
        form class="switches" {
            @for (at, switch) in switches.iter().enumerate() {
                fieldset {
                    legend { (switch.label) }
                    @for (nth, value) in switch.values.iter().enumerate() {
                        label {
                            input type="radio" name=(format!("switch{at}")) value=(nth) data-switch=(at) checked[nth == switch.chosen] autocomplete="off";
                            span { (value) }
                        }
                    }
                }
            }
        }
    }
}

fn page_row_html(page: &Page, row: &PageRow, at: usize, height: f64) -> Markup {
    let shares: Vec<String> = row.items.iter().map(|(_, s)| format!("minmax(0,{s}fr)")).collect();
    let inner = f64::from(page.size.0) - 48.0;
    // A chart beside a table that is higher fills its box.
    let height = row.items.iter().map(|(item, _)| table_height(item)).fold(height, f64::max);
    html! {
        div class="row" style=(format!("grid-template-columns:{}", shares.join(" "))) {
            @for (nth, (_, width, item)) in placed(row, 0.0, inner).into_iter().enumerate() {
                @match item {
                    PageItem::Text(paragraphs) => {
                        section class="box text" {
                            @for paragraph in paragraphs { p { (paragraph) } }
                        }
                    }
                    PageItem::Pictures(variants) => (pictures(page, variants, &format!("r{at}-{nth}"), (width - 30.0, height - 62.0))),
                }
            }
        }
    }
}

/// About how high a table stands on a page, with what is around it; nothing for what has no height of its own.
fn table_height(item: &PageItem) -> f64 {
    let PageItem::Pictures(variants) = item else { return 0.0 };
    let Some(picture) = variants.first().map(|v| &v.picture) else { return 0.0 };
    if picture.drawing.form != Form::Table && matches!(picture.answer, Answer::Summary(_)) {
        return 0.0;
    }
    let sheet = sheet(&picture.answer, Some(&picture.drawing), &picture.locale);
    let notes = remarks(&picture.answer, Some(&picture.drawing), &picture.locale).len() as f64;
    let lines =
        if sheet.rows.len() > MANY_ROWS { 16.0 } else { (sheet.rows.len() + sheet.heads.len()) as f64 };
    lines * 29.0 + notes * 26.0 + 90.0
}

fn pictures(page: &Page, variants: &[Variant], id: &str, size: (f64, f64)) -> Markup {
    let Some(first) = variants.first() else { return html! {} };
    let alone =
        page.rows.iter().map(|s| s.items.len()).sum::<usize>() == 1 && first.picture.title == page.title;
    html! {
        section class="box" aria-labelledby=(id) {
            // A page of one picture has its title already.
            h2 id=(id) class=[alone.then_some("hidden")] { (first.picture.title) }
            @if let Some(about) = &first.picture.about { p class="about" { (about) } }
            @for variant in variants {
                @let own = format!("{id}{}", variant.when.iter().flatten().map(|at| format!("-{at}")).collect::<String>());
                @let chosen = variant.when.iter().zip(&page.switches).all(|(w, s)| w.is_none_or(|w| w == s.chosen));
                div class="variant" data-when=[when(variant)] hidden[!chosen] {
                    (picture(&variant.picture, &own, size))
                    // Both stand on one quiet line, and open below it.
                    div class="more" {
                        (as_table(&variant.picture, &own))
                        (origin(&variant.picture, &own))
                    }
                }
            }
        }
    }
}

/// The choices that a picture is for, such as `0=1 2=0`.
fn when(variant: &Variant) -> Option<String> {
    let parts: Vec<String> =
        variant.when.iter().enumerate().filter_map(|(at, w)| w.map(|w| format!("{at}={w}"))).collect();
    (!parts.is_empty()).then(|| parts.join(" "))
}

fn picture(picture: &Picture, id: &str, size: (f64, f64)) -> Markup {
    match (&picture.answer, picture.drawing.form) {
        (Answer::Summary(summary), Form::Number) => number_html(picture, summary),
        (Answer::List(_), _) | (_, Form::Table) => table(picture, id),
        _ => chart(picture, size),
    }
}

/// What the figures are made of, folded away.
fn origin(picture: &Picture, id: &str) -> Markup {
    html! {
        @if !picture.origin.is_empty() {
            details class="origin" {
                summary { (picture.locale.word(Word::WhereFrom)) }
                dl {
                    @for (name, text) in &picture.origin {
                        dt { (name.text(&picture.locale)) }
                        dd { code { (text) } }
                    }
                }
                @if picture.drawing.form == Form::Number {
                    @for explanation in picture.details.explained.values() { pre tabindex="0" { (explanation) } }
                }
            }
        }
        @if picture.drawing.form != Form::Number && !picture.details.explained.is_empty() {
            details class="explained" {
                summary { (picture.locale.word(Word::EachExplained)) }
                @for (of, explanation) in &picture.details.explained {
                    pre tabindex="0" id=(explanation_id(id, *of)) { (explanation) }
                }
            }
        }
    }
}

fn number_html(picture: &Picture, summary: &Summary) -> Markup {
    let Some(number) = large_number(picture, summary) else {
        return html! { p { (picture.locale.word(Word::NoRows)) } };
    };
    html! {
        p class=(if number.meanings.is_empty() { "figure" } else { "figure marked" }) { (number.text) }
        @if !number.label.is_empty() { p class="soft" { (number.label) } }
        @if !number.compared.is_empty() { p class="soft" { (number.compared) } }
        @for meaning in &number.meanings { p class="soft" { span class="dot" aria-hidden="true" { "●" } " " (meaning) } }
    }
}

fn chart(picture: &Picture, (width, height): (f64, f64)) -> Markup {
    let view =
        |width: f64, height: f64| View { width: width.max(120.0), height: height.max(120.0), titled: false };
    let (wide, narrow) = (picture.scene(view(width, height)), picture.scene(view(NARROW, NARROW_HEIGHT)));
    html! {
        div class="drawn" tabindex="0" aria-label=(picture.locale.say(Word::ArrowKeys, &[("title", &picture.title)])) role="group" {
            div class="wide" { (PreEscaped(svg(&wide, Target::Page))) }
            div class="narrow" { (PreEscaped(svg(&narrow, Target::Page))) }
        }
    }
}

/// The figures of a chart as a table, folded away.
fn as_table(picture: &Picture, id: &str) -> Markup {
    let is_chart = picture.drawing.form.traits().is_chart && matches!(picture.answer, Answer::Summary(_));
    html! {
        @if is_chart && !picture.is_empty() {
            details {
                summary { (picture.locale.word(Word::FiguresAsTable)) }
                (table(picture, id))
            }
        }
    }
}
