//! What holds of every picture, whatever its data, form, options and size: all of it lies inside, no label lies on another, bars are as long as
//! their figures, and it is drawn the same each time.

use vembra::{Anchor, Item, Picture, Scene, Session, Shape, View};
use vembra_testing::Random;

/// Rows of sales: few or many shops with short and long names, figures of all sizes, some missing.
fn sales(random: &mut Random) -> String {
    let shops = random.pick(&[1, 2, 5, 9, 30]);
    let size = random.pick(&[1, 100, 1_000_000, 1_000_000_000_000]);
    let names = [
        "A",
        "North",
        "Longer than most",
        "A name that goes on and on until nobody reads it",
        "Ä",
        "W W W W",
        "i",
    ];
    let mut rows = String::from("shop,kind,day,amount,pieces\n");
    for at in 0..random.below(60) + 2 {
        let shop = random.below(shops);
        let name = format!("{} {shop}", names[(shop % names.len() as u64) as usize]);
        let amount = random.below(size * 20) as i64 - (size * random.pick(&[0, 0, 5, 25])) as i64;
        let amount = if random.below(9) == 0 { String::new() } else { amount.to_string() };
        let (month, day) = (random.below(12) + 1, random.below(28) + 1);
        rows += &format!(
            "{name},{},2025-{month:02}-{day:02},{amount},{}\n",
            random.pick(&["x", "y", "z"]),
            at % 7
        );
    }
    rows
}

/// Reports of every form, with the options that it takes.
const REPORTS: [&str; 22] = [
    "rows calendar.month show sales drawn as line",
    "rows calendar.month, sale.kind show sales drawn as line colour by sale.kind",
    "rows calendar.month show sales, lines drawn as line with values",
    "rows calendar.date show (running(sales by calendar.date)) as r drawn as line",
    "rows calendar.month show sales drawn as area",
    "rows calendar.month, sale.kind show sales drawn as area stacked colour by sale.kind",
    "rows sale.shop show sales drawn as bars",
    "rows sale.shop show sales sort sales descending drawn as bars sideways with values",
    "rows sale.shop, sale.kind show sales drawn as bars colour by sale.kind",
    "rows sale.shop, sale.kind show sales drawn as bars stacked colour by sale.kind with values",
    "rows sale.shop, sale.kind show sales drawn as bars sideways stacked colour by sale.kind",
    "rows sale.shop, sale.kind show sales drawn as bars panels by sale.kind",
    "rows calendar.month show sales, lines drawn as bars",
    "rows sale.shop, sale.kind show lines drawn as dots along sale.kind up sale.shop",
    "rows sale.shop, calendar.quarter show pieces_of, lines drawn as dots along calendar.quarter up sale.shop size by pieces_of",
    "rows sale.shop, sale.kind show sales drawn as heat",
    "rows sale.shop columns calendar.quarter show sales drawn as heat with values",
    "show sales drawn as number",
    "show sales, lines drawn as number compared with lines",
    "rows sale.shop show sales, lines totals on rows drawn as table",
    "rows sale.shop columns sale.kind show sales totals on rows, on columns drawn as table small bars sales",
    "rows sale.shop show sales top 3 sale.shop by sales with ties, rest as 'Other' drawn as bars",
];

fn pictures(random: &mut Random) -> Vec<(String, Picture)> {
    let model = "currency 'EUR'\ncalendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\nlink sale.day to calendar\n\
                 measure sales = sum(amount)\n    label 'Sales'\n    format '¤#,##0'\n\
                 measure lines = count(rows of sale)\n    label 'Lines'\nmeasure pieces_of = sum(pieces)\n";
    let reports: String = REPORTS
        .iter()
        .enumerate()
        .map(|(at, r)| format!("report r{at} 'What was sold, by whom and when' = {r}\n"))
        .collect();
    let session = Session::builder()
        .model_text("m.vembra", format!("{model}{reports}"))
        .csv_text("sale", sales(random))
        .open()
        .unwrap_or_else(|e| panic!("{e}"));
    let drawn = |at: usize| {
        (REPORTS[at].to_owned(), session.report(&format!("r{at}"), &[]).unwrap_or_else(|e| panic!("{e}")))
    };
    (0..REPORTS.len()).map(drawn).collect()
}

/// The least place that a text takes: letters of half their size at most are narrower than most are.
fn least_box(item: &Item) -> Option<[f64; 4]> {
    let Shape::Text { at, text, size, anchor, upright, .. } = &item.shape else { return None };
    let narrow = |c: char| if "ijlI.,:;'|! ".contains(c) { 0.2 } else { 0.42 };
    let length = size * text.chars().map(narrow).sum::<f64>();
    let before = match anchor {
        Anchor::Start => 0.0,
        Anchor::Middle => length / 2.0,
        Anchor::End => length,
    };
    let height = size * 0.5;
    Some(if *upright {
        [at.0 - height, at.1 + before - length, at.0, at.1 + before]
    } else {
        [at.0 - before, at.1 - height, at.0 - before + length, at.1]
    })
}

fn inside(scene: &Scene, told: &str) {
    let (width, height) = (scene.width, scene.height);
    let holds = |x: f64, y: f64| {
        x.is_finite()
            && y.is_finite()
            && (-1.0..=width + 1.0).contains(&x)
            && (-1.0..=height + 1.0).contains(&y)
    };
    for item in &scene.items {
        let all = match &item.shape {
            Shape::Rect { at: [x, y, w, h], .. } => {
                *w >= 0.0 && *h >= 0.0 && holds(*x, *y) && holds(x + w, y + h)
            }
            Shape::Path { points, .. } => points.iter().all(|(x, y)| holds(*x, *y)),
            Shape::Dot { at, radius, .. } => *radius >= 0.0 && holds(at.0, at.1),
            Shape::Text { at, .. } => {
                let [left, top, right, bottom] = least_box(item).unwrap();
                holds(at.0, at.1) && holds(left, top) && holds(right, bottom)
            }
        };
        assert!(all, "{told}: {:?} lies outside {width} x {height}", item.shape);
    }
}

fn apart(scene: &Scene, told: &str) {
    let boxes: Vec<(&Item, [f64; 4])> = scene.items.iter().filter_map(|i| Some((i, least_box(i)?))).collect();
    for (at, (one, a)) in boxes.iter().enumerate() {
        for (other, b) in &boxes[at + 1..] {
            let meets = a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3];
            assert!(!meets, "{told}: {:?} lies on {:?}", other.shape, one.shape);
        }
    }
}

/// The number that a tooltip shows for a figure.
fn shown_number(item: &Item) -> Option<f64> {
    let (_, value) = item.tooltip.iter().find(|(name, _)| name == "Sales")?;
    let digits: String = value.chars().filter(|c| c.is_ascii_digit() || *c == '-').collect();
    digits.parse().ok()
}

#[test]
fn all_of_a_picture_lies_inside_and_no_label_on_another() {
    let mut random = Random(41);
    let mut drawn = 0;
    for round in 0..14 {
        for (report, picture) in pictures(&mut random) {
            for _ in 0..2 {
                let view = View {
                    width: random.pick(&[320.0, 480.0, 640.0, 900.0, 1280.0]),
                    height: random.pick(&[200.0, 300.0, 480.0, 800.0]),
                    titled: random.below(2) == 0,
                };
                let scene = picture.scene(view);
                let told = format!("round {round}: {report} in {view:?}");
                inside(&scene, &told);
                apart(&scene, &told);
                assert_eq!(scene, picture.scene(view), "{told}");
                assert!(!scene.description.is_empty() && !scene.items.is_empty(), "{told}");
                drawn += 1;
            }
        }
    }
    assert_eq!(drawn, 14 * 2 * REPORTS.len());
}

#[test]
fn bars_are_as_long_as_their_figures() {
    let mut random = Random(43);
    let mut compared = 0;
    for _ in 0..30 {
        for (report, picture) in pictures(&mut random) {
            if !report.contains("as bars") || report.contains("stacked") || report.contains("lines drawn") {
                continue;
            }
            let sideways = report.contains("sideways");
            let scene = picture.scene(View { width: 800.0, height: 500.0, titled: true });
            let bars = scene.items.iter().filter_map(|item| {
                let Shape::Rect { at: [_, _, w, h], .. } = &item.shape else { return None };
                Some((shown_number(item)?.abs(), if sideways { *w } else { *h }))
            });
            let bars: Vec<(f64, f64)> = bars.collect();
            let Some(longest) = bars.iter().copied().max_by(|a, b| a.0.total_cmp(&b.0)).filter(|b| b.0 > 0.0)
            else {
                continue;
            };
            for (value, length) in bars {
                let wanted = longest.1 * value / longest.0;
                // Panels have scales of their own places, but one measure: all bars of a picture compare.
                assert!(
                    (length - wanted).abs() <= 1.5,
                    "{report}: {value} is {length} long, {} is {}",
                    longest.0,
                    longest.1
                );
                compared += 1;
            }
        }
    }
    assert!(compared > 500, "{compared}");
}

#[test]
fn vector_files_hold_each_text_and_are_whole() {
    let mut random = Random(47);
    for (report, picture) in pictures(&mut random) {
        let view = View { width: 700.0, height: 400.0, titled: true };
        let svg = picture.svg(view);
        // Every element that is opened is closed, in turn.
        let mut open: Vec<&str> = Vec::new();
        for tag in svg.split('<').skip(1) {
            let (tag, _) = tag.split_once('>').unwrap_or_else(|| panic!("{report}: <{tag}"));
            if tag.starts_with(['?', '!']) || tag.ends_with('/') {
                continue;
            }
            let name = tag.split_whitespace().next().unwrap_or_default();
            match name.strip_prefix('/') {
                Some(name) => assert_eq!(open.pop(), Some(name), "{report}"),
                None => open.push(name),
            }
        }
        assert!(open.is_empty(), "{report}: {open:?}");
        for item in &picture.scene(view).items {
            if let Shape::Text { text, .. } = &item.shape {
                let escaped = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
                assert!(svg.contains(&escaped), "{report}: {text}");
            }
        }
    }
}
