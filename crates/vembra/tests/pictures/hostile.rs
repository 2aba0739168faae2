//! Names that try to become markup, ten thousand members, values at the ends of their range, nothing at all.

use super::texts;
use vembra::{Session, View};

const FORMS: [&str; 14] = [
    "rows t.name show total drawn as bars along t.name with values",
    "rows t.name show total drawn as bars along t.name sideways with values",
    "rows t.name show total drawn as line along t.name",
    "rows t.name show total drawn as area along t.name",
    "rows t.name show total drawn as dots along t.name size by total",
    "rows t.name columns t.kind show total drawn as heat with values",
    "rows t.kind, t.name show total drawn as line along t.kind panels by t.name",
    "rows t.kind, t.name show total drawn as bars along t.kind colour by t.name stacked",
    "rows t.kind, t.name show total drawn as area stacked along t.kind colour by t.name",
    "rows t.name columns t.kind show total drawn as table small bars total",
    "show (max(amount)) as most, (min(amount)) as least drawn as number compared with least",
    "rows t.name show total, (max(amount)) as most drawn as line along t.name with values",
    "rows t.name show total drawn as table",
    "list name, kind from t drawn as table",
];

fn session(rows: &str) -> Session {
    session_of("decimal", rows)
}

fn session_of(ty: &str, rows: &str) -> Session {
    let reports: String = FORMS
        .iter()
        .enumerate()
        .map(|(at, form)| format!("report r{at} '<i>{at}</i> & \"so\" 🐝' = {form}\n"))
        .collect();
    let page = "dashboard page '</title><script>alert(1)</script>' row 1: r0, '<b>text</b>' row 1: r3, r6\n";
    let model =
        format!("fact t from 't'\ncolumn t.amount: {ty}\nmeasure total = sum(amount)\n{reports}{page}");
    Session::builder()
        .model_text("m.vembra", model)
        .csv_text("t", format!("name,kind,amount\n{rows}"))
        .open()
        .unwrap()
}

/// Draws everything in every way.
fn draw_all(session: &Session) -> Vec<(String, String)> {
    let view = View::new(900, 600);
    let mut drawn = Vec::new();
    for (at, form) in FORMS.iter().enumerate() {
        let picture = session.report(&format!("r{at}"), &[]).unwrap();
        let svg = picture.svg(view);
        assert!(!svg.contains("NaN") && !svg.contains("inf\""), "{form}");
        picture.png(View::new(300, 200), 1.0, vembra::Theme::Light).unwrap();
        assert!(!picture.text(Some(80)).is_empty());
        drawn.push(((*form).to_owned(), svg));
    }
    let html = session.page("page", &[]).unwrap().html();
    drawn.push(("page".to_owned(), html));
    drawn
}

#[test]
fn nothing_from_data_becomes_markup() {
    let rows = "\"<script>alert(2)</script>\",k,1\n\"O'Brien \"\"Q\"\" & <b>\",k,2\n🐝 \u{202e}x,k,3\n\"]]>-->\",k,4\n&amp;,k,5\n\"a\u{7}b\",k,6\n";
    for (form, text) in draw_all(&session(rows)) {
        for tag in ["<script>alert", "<b>", "<i>", "\u{7}", "]]>"] {
            assert!(!text.contains(tag), "{form} lets {tag:?} through");
        }
        assert!(
            text.contains("&amp;amp;") || form.contains("panels") || form.contains("number"),
            "{form} writes a name as it is"
        );
    }
}

#[test]
fn values_at_the_ends_of_their_range_are_drawn() {
    let most = "9".repeat(33);
    for rows in [
        format!("a,k,{most}\nb,k,-{most}\nc,k,0.01\n"),
        "a,k,0\nb,k,0\n".to_owned(),
        "a,k,5\n".to_owned(),
        "a,k,-5\n".to_owned(),
        "a,k,\nb,k,\n".to_owned(),
        ",,1\n,,2\n".to_owned(),
        "a,k,0.0000000001\nb,k,-0.0000000002\n".to_owned(),
        String::new(),
    ] {
        draw_all(&session(&rows));
    }
}

/// Of all pictures of one scene, also in a table and as one number, with figures near the largest and the smallest float.
#[test]
fn figures_near_the_largest_float_are_drawn() {
    for rows in [
        "a,k,1.7e308\nb,l,1.6e308\nc,m,-1.7e308\n",
        "a,k,1.7e308\nb,k,-1.7e308\n",
        "a,k,1.7976931348623157e308\n",
        "a,k,-1.7976931348623157e308\nb,l,1\n",
        "a,k,8e307\na,l,9e307\nb,k,-8e307\nb,l,-9e307\nc,k,1\n",
        "a,k,5e-324\nb,l,1e-320\n",
        "a,k,1e-300\nb,k,1e300\nc,l,0\n",
    ] {
        draw_all(&session_of("float", rows));
    }
}

#[test]
fn empty_pictures_say_so() {
    let nothing = session("").report("r0", &[]).unwrap().scene(View::new(400, 300));
    assert!(texts(&nothing).iter().any(|t| t.ends_with("No rows match.")));
    let nulls = session("a,k,\n").report("r2", &[]).unwrap().scene(View::new(400, 300));
    assert!(texts(&nulls).iter().any(|t| t.ends_with("There are no values to draw.")));
}

#[test]
fn ten_thousand_members_leave_legible_labels() {
    let rows: String = (0..10_000).map(|at| format!("member {at:05},k{},{}\n", at % 3, at % 977)).collect();
    let session = session(&rows);
    for at in [0, 1, 2, 3, 4, 5] {
        let scene = session.report(&format!("r{at}"), &[]).unwrap().scene(View::new(1280, 800));
        assert!(scene.height <= 800.0, "{}", FORMS[at]);
        // No two labels of one kind lie on each other.
        let mut boxes: Vec<(f64, f64, bool)> = scene
            .items
            .iter()
            .filter_map(|item| match &item.shape {
                vembra::Shape::Text { text, at, upright, .. } if text.starts_with("member") => {
                    Some((at.0, at.1, *upright))
                }
                _ => None,
            })
            .collect();
        assert!((5..200).contains(&boxes.len()), "{} has {} labels", FORMS[at], boxes.len());
        boxes.sort_by(|a, b| (a.0 + a.1).total_cmp(&(b.0 + b.1)));
        for pair in boxes.windows(2) {
            let apart = if pair[0].2 { pair[1].0 - pair[0].0 } else { pair[1].1 - pair[0].1 };
            assert!(apart >= 11.0, "{}: {pair:?}", FORMS[at]);
        }
    }
}
