//! Pictures as data: which shapes and labels stand where, on figures small enough to work out by hand; and data that tries
//! to break them.

mod generated;
mod hostile;
mod legible;

use vembra::{Picture, Scene, Session, View, drawing};

const SALES: &str = "\
shop,kind,ordered_on,shipped_on,amount,pieces
North,A,2025-01-10,2025-01-20,100,1
North,B,2025-02-10,2025-03-01,40,2
South,A,2025-02-11,,60,3
South,B,2025-04-30,2025-04-30,-20,4
";

fn session(reports: &str) -> Session {
    let model = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
        link sale.ordered_on to calendar as ordered default\nlink sale.shipped_on to calendar as shipped\n\
        measure sales = sum(amount)\n    label 'Sales'\n    format '#,##0'\n\
        measure shops = count(distinct shop)\n    label 'Shops'\n";
    Session::builder()
        .model_text("m.vembra", format!("{model}{reports}"))
        .csv_text("sale", SALES)
        .open()
        .unwrap()
}

fn picture(report: &str) -> Picture {
    session(&format!("report r 'A title' = {report}\n")).report("r", &[]).unwrap()
}

fn scene(report: &str) -> Scene {
    picture(report).scene(View { width: 500.0, height: 300.0, titled: true })
}

/// The texts of a scene, in the order in which they are drawn.
fn texts(scene: &Scene) -> Vec<String> {
    let text = |line: &str| line.strip_prefix("text ").map(str::to_owned);
    scene.to_text().lines().filter_map(text).collect()
}

fn last_words(texts: &[String]) -> Vec<&str> {
    texts.iter().filter_map(|t| t.rsplit(' ').next()).collect()
}

#[test]
fn a_line_runs_in_time_and_breaks_where_there_is_no_figure() {
    let scene = scene("rows calendar.month show sales, (sales via shipped) as shipped drawn as line");
    let text = scene.to_text();
    let shown = last_words(&texts(&scene)).join(" ");
    // Two series in the legend, round figures, months at round places; what is not shipped stands apart.
    assert!(shown.contains("Sales shipped"), "{shown}");
    assert!(shown.contains("-50 0 50 100"), "{shown}");
    assert!(shown.ends_with("2025-01 2025-02 2025-03 2025-04 (none) Month"), "{shown}");
    // Ordered: 100 in January, 100 in February, nothing in March, -20 in April.
    let paths: Vec<&str> =
        text.lines().filter(|l| l.starts_with("path") && l.contains("Series(Red)")).collect();
    assert_eq!(paths.len(), 2, "the legend, and January to February: {text}");
    // The tooltip tells both figures of a place.
    assert!(text.contains("Month: 2025-01; Sales: 100; shipped: 100"), "{text}");
    assert!(text.contains("Month: (none); shipped: 60"), "{text}");
    assert!(text.contains("Month: 2025-04; Sales: -20; shipped: -20"), "{text}");
}

#[test]
fn bars_stand_where_their_figures_say() {
    let scene = scene("rows sale.kind show sales drawn as bars along sale.kind with values axis titles off");
    insta::assert_snapshot!("bars", scene.to_text());
    // A: 160; B: 20. The scale goes to 200, so A stands eight times as high as B and takes 4 of 5 parts.
    let heights: Vec<f64> = scene
        .items
        .iter()
        .filter(|item| !item.tooltip.is_empty())
        .filter_map(|item| match item.shape {
            vembra::Shape::Rect { at: [_, _, _, height], .. } => Some(height),
            _ => None,
        })
        .collect();
    assert_eq!(heights.len(), 2);
    assert!((heights[0] / heights[1] - 8.0).abs() < 1e-6, "{heights:?}");
}

#[test]
fn stacks_say_when_their_height_is_no_total() {
    let adds = scene(
        "rows calendar.month, sale.kind show sales drawn as bars along calendar.month colour by sale.kind stacked",
    );
    assert!(!adds.to_text().contains('≠'));
    let overlaps = scene(
        "rows calendar.month, sale.kind show shops drawn as area along calendar.month colour by sale.kind stacked",
    );
    let text = overlaps.to_text();
    assert!(text.contains("≠ Shops: the height is not the total; each shop counts once"), "{text}");
    // Parts of one whole add up along what they are parts of, figures over other days along all but time.
    let says = |figure: &str| {
        let report = format!(
            "rows calendar.month, sale.kind, sale.shop show {figure} as x drawn as bars along calendar.month \
             colour by sale.kind stacked panels by sale.shop"
        );
        scene(&report).to_text().contains('≠')
    };
    assert!(!says("share(sales among sale.kind)"));
    assert!(!says("share(sales among all)"));
    assert!(says("share(sales among sale.shop)"));
    assert!(says("share(shops among sale.kind)"), "shops count once");
    assert!(!says("(sales during year to date)"));
    assert!(says("(shops during year to date)"));
    assert!(says("(sales regardless of sale.kind)"));
}

#[test]
fn each_option_of_a_drawing_changes_it() {
    let plain =
        "rows calendar.month, sale.kind show sales drawn as bars along calendar.month colour by sale.kind";
    let options = [
        "stacked",
        "sideways",
        "with values",
        "axis titles off",
        "colours 'A' green",
        "mark 'Low' where sales < 60",
        "about 'What it is.'",
    ];
    let drawn = |report: &str| picture(report);
    let view = || View { width: 500.0, height: 300.0, titled: true };
    let before = drawn(plain);
    for option in options {
        let after = drawn(&format!("{plain} {option}"));
        let scenes = (before.scene(view()).to_text(), after.scene(view()).to_text());
        let told = (before.about.clone(), after.about.clone());
        assert!(scenes.0 != scenes.1 || told.0 != told.1, "{option} changes nothing");
    }
    let line = "rows calendar.month show sales drawn as line";
    let pointed = drawn(&format!("{line} tooltip shops")).scene(view()).to_text();
    assert_ne!(pointed, drawn(line).scene(view()).to_text(), "what a tooltip tells");
    let members = drawn("rows calendar.month show sales drawn as line along calendar.month as members");
    assert_ne!(members.scene(view()).to_text(), drawn(line).scene(view()).to_text(), "no gaps in time");
    let dots =
        "rows calendar.month, sale.kind show sales, shops drawn as dots along calendar.month up sale.kind";
    assert_ne!(
        drawn(&format!("{dots} size by shops")).scene(view()).to_text(),
        drawn(dots).scene(view()).to_text(),
        "dots as large as a figure"
    );
}

#[test]
fn labels_below_a_panel_stay_out_of_the_next_one() {
    let report = "rows calendar.month, sale.shop show sales drawn as bars along calendar.month panels by sale.shop, 2 across";
    for width in (220..900).step_by(9) {
        let scene = picture(report).scene(View { width: f64::from(width), height: 220.0, titled: false });
        let labels: Vec<(f64, f64)> = scene
            .items
            .iter()
            .filter_map(|item| match &item.shape {
                vembra::Shape::Text { text, at, .. } if text.starts_with("2025-") => Some(*at),
                _ => None,
            })
            .collect();
        for (at, a) in labels.iter().enumerate() {
            for b in &labels[at + 1..] {
                let same_line = (a.1 - b.1).abs() < 1.0;
                assert!(!same_line || (a.0 - b.0).abs() >= 45.0, "{width}: {labels:?}");
            }
        }
    }
}

#[test]
fn order_by_hand_by_figure_and_reversed() {
    let drawn = |report: &str| texts(&scene(report));
    let x = |texts: &[String], word: &str| {
        let found = texts.iter().find(|t| t.ends_with(word)).unwrap();
        found.split([',', ' ']).next().unwrap().parse::<f64>().unwrap()
    };
    let by_name = drawn("rows sale.shop show sales drawn as bars");
    assert!(x(&by_name, "North") < x(&by_name, "South"));
    let by_hand = drawn("rows sale.shop show sales drawn as bars along sale.shop order 'South'");
    assert!(x(&by_hand, "South") < x(&by_hand, "North"));
    let reversed = drawn("rows sale.shop show sales drawn as bars along sale.shop reversed");
    assert!(x(&reversed, "South") < x(&reversed, "North"));
    // South has 40, North 140.
    let by_figure = drawn("rows sale.shop show sales sort sales ascending drawn as bars");
    assert!(x(&by_figure, "South") < x(&by_figure, "North"));
}

#[test]
fn panels_stand_in_a_grid_of_the_width_asked_for() {
    let scene = scene(
        "rows calendar.month_of_year, sale.kind show sales drawn as bars along sale.kind panels by calendar.month_of_year, 2 across",
    );
    let titles: Vec<(String, f64, f64)> = scene
        .items
        .iter()
        .filter_map(|item| match &item.shape {
            vembra::Shape::Text { text, at, bold: true, .. } if text != "A title" => {
                Some((text.clone(), at.0, at.1))
            }
            _ => None,
        })
        .collect();
    let names: Vec<&str> = titles.iter().map(|(t, _, _)| t.as_str()).collect();
    assert_eq!(names, ["January", "February", "April"]);
    assert!((titles[0].1 - titles[2].1).abs() < 1e-6 && titles[2].2 > titles[0].2, "{titles:?}");
    assert!(titles[1].1 > titles[0].1 && (titles[1].2 - titles[0].2).abs() < 1e-6, "{titles:?}");
}

#[test]
fn dots_have_areas_as_large_as_their_figures() {
    let scene = scene(
        "rows sale.shop, sale.kind show sum(pieces) as pieces drawn as dots along sale.kind up sale.shop size by pieces",
    );
    let radii: Vec<f64> = scene
        .items
        .iter()
        .filter_map(|item| match item.shape {
            vembra::Shape::Dot { radius, .. } => Some(radius * radius),
            _ => None,
        })
        .collect();
    // 1, 2, 3 and 4 pieces.
    assert_eq!(radii.len(), 4);
    for (at, area) in radii.iter().enumerate() {
        assert!((area / radii[0] - (at as f64 + 1.0)).abs() < 1e-6, "{radii:?}");
    }
    assert!(texts(&scene).iter().any(|t| t.ends_with("Size: pieces, largest 4")));
}

#[test]
fn heat_cells_without_rows_stay_empty() {
    let scene = scene(
        "rows ordered.month columns shipped.month show sales drawn as heat along shipped.month up ordered.month with values",
    );
    let text = scene.to_text();
    let cells: Vec<&str> = text.lines().filter(|l| l.starts_with("rect") && l.contains(" | ")).collect();
    assert_eq!(cells.len(), 4, "{text}");
    assert!(text.contains("Ordered month: 2025-02; Shipped month: (none); Sales: 60"), "{text}");
    // Below zero the shade is of the other colour.
    assert!(cells.iter().any(|c| c.contains("Below(")), "{text}");
}

#[test]
fn marks_and_tooltip_figures_add_no_lines() {
    let marked =
        picture("rows sale.shop show sales drawn as bars mark 'Below 100' where sales < 100 tooltip shops");
    let vembra::Answer::Summary(summary) = &marked.answer else { panic!("a summary") };
    assert_eq!(summary.lines.len(), 2);
    let text = marked.scene(View::new(500, 300)).to_text();
    assert_eq!(text.matches("Mark | ").count(), 1, "only South has less than 100: {text}");
    assert!(text.contains("Shop: South; Sales: 40; Shops: 1; Below 100"), "{text}");
    assert!(
        texts(&marked.scene(View::new(500, 300))).iter().any(|t| t.ends_with("Below 100")),
        "the legend says it"
    );
}

#[test]
fn a_number_is_compared() {
    let number =
        scene("show sales, (sales where sale.shop = 'South') as south drawn as number compared with south");
    let shown = texts(&number).join("\n");
    // 180 against 40 is 350 per cent more.
    assert!(shown.contains("180") && shown.contains("+350.0% against 40, south"), "{shown}");
    let empty = scene("show (sales where sale.shop = 'South' and sale.kind = 'C') as s drawn as number");
    assert!(texts(&empty).iter().any(|t| t.ends_with("no value")));
}

/// A mark on a figure stands there alone; one of the line stands at its first figure.
#[test]
fn a_mark_on_a_figure_stands_there_alone() {
    let report = "rows calendar.month show sales, shops totals on rows drawn as table mark 'Loss' on shops where sales < 0";
    let text = picture(report).text(None);
    let marked: Vec<&str> = text.lines().filter(|line| line.contains('●')).collect();
    let [line, "● Loss"] = marked.as_slice() else { panic!("{text}") };
    assert!(line.starts_with("2025-04    -20 ") && line.ends_with("1   ●"), "{text}");
    // In a chart too.
    let of = |on: &str| {
        let report =
            format!("rows calendar.month show sales, shops drawn as bars mark 'Loss'{on} where sales < 0");
        picture(&report).scene(View::new(500, 300)).to_text().lines().filter(|l| l.starts_with("dot")).count()
    };
    assert!(of(" on shops") < of(""), "{} {}", of(" on shops"), of(""));
}

#[test]
fn tables_mark_totals_and_rules() {
    let report = "rows calendar.month show sales, shops totals on rows drawn as table small bars sales mark 'Loss' where sales < 0";
    let text = picture(report).text(None);
    assert_eq!(
        text,
        "\
A title

Month    Sales                Shops
-------  -------  ----------  -------
2025-01    100    ██████████      1
2025-02    100    ██████████      2
2025-04    -20 ●  ░░              1
-------  -------  ----------  -------
Total      180                    2 ≠

● Loss
≠ Shops: not the sum of the lines; each shop counts once in the total, on however many lines it stands.
"
    );
}

#[test]
fn a_wide_table_is_cut_into_parts_that_name_their_lines() {
    let reply = session("").ask("rows sale.shop columns calendar.month show sales").unwrap();
    assert_eq!(
        reply.text_with(vembra::TextOptions { width: Some(30), ..Default::default() }),
        "\
Sales by calendar.month (columns)

sale.shop  2025-01  2025-02
---------  -------  -------
North          100       40
South                    60

(columns, part 2 of 2)

sale.shop  2025-04
---------  -------
North
South          -20
"
    );
}

#[test]
fn files_are_the_same_bytes_each_time_and_sharp_at_twice_the_size() {
    let picture = picture("rows calendar.month show sales drawn as area");
    let view = View::new(640, 400);
    let once = picture.png(view, 1.0, vembra::Theme::Light).unwrap();
    assert_eq!(once, picture.png(view, 1.0, vembra::Theme::Light).unwrap());
    assert_eq!(picture.svg(view), picture.svg(view));
    let size = |png: &[u8]| [16, 20].map(|at| u32::from_be_bytes(png[at..at + 4].try_into().unwrap()));
    assert_eq!(size(&once), [640, 400]);
    assert_eq!(size(&picture.png(view, 2.0, vembra::Theme::Dark).unwrap()), [1280, 800]);
    let large = picture.png(view, 40.0, vembra::Theme::Light).unwrap_err();
    assert!(large.to_string().contains("25600"), "{large}");
}

#[test]
fn a_drawing_settles_what_is_left_open() {
    use drawing::{ColourBy, Drawing, Form};
    let line = Drawing::new(Form::Line, 2, 1);
    assert_eq!((line.along.map(|r| r.axis), line.colour), (Some(0), Some(ColourBy::Axis(1))));
    let heat = Drawing::new(Form::Heat, 2, 1);
    assert_eq!((heat.along.map(|r| r.axis), heat.up.map(|r| r.axis)), (Some(0), Some(1)));
    assert_eq!(Drawing::new(Form::Number, 0, 1).axes(), Vec::<usize>::new());
}

#[test]
fn a_label_at_the_edge_does_not_lie_on_its_neighbour() {
    let rows: String = (1..=9).map(|month| format!("North,A,2025-{month:02}-10,,{month},1\n")).collect();
    let model = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
        link sale.ordered_on to calendar as ordered default\nmeasure sales = sum(amount)\n\
        report r = rows calendar.month show sales drawn as line\n";
    let session = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("sale", format!("shop,kind,ordered_on,shipped_on,amount,pieces\n{rows}"))
        .open()
        .unwrap();
    let picture = session.report("r", &[]).unwrap();
    for width in (200..900).step_by(7) {
        let scene = picture.scene(View { width: f64::from(width), height: 200.0, titled: false });
        let mut middles: Vec<f64> = scene
            .items
            .iter()
            .filter_map(|item| match &item.shape {
                vembra::Shape::Text { text, at, .. } if text.starts_with("2025-") => Some(at.0),
                _ => None,
            })
            .collect();
        middles.sort_by(f64::total_cmp);
        // Seven letters of twelve pixels are some 47 pixels wide.
        assert!(middles.windows(2).all(|w| w[1] - w[0] >= 47.0), "{width}: {middles:?}");
        assert!(!middles.is_empty(), "{width}");
    }
}

#[test]
fn a_picture_of_a_table_is_as_large_as_the_table() {
    let table = picture("rows sale.shop show sales drawn as table");
    let own = table.scene(table.natural_size());
    // A heading and two shops.
    assert!(own.width < 500.0 && own.height < 200.0, "{} x {}", own.width, own.height);
    let asked = table.scene(View { width: 1280.0, height: 800.0, titled: true });
    assert_eq!((asked.width, asked.height), (1280.0, 800.0), "as large as was asked for");
}

#[test]
fn axes_have_capitals_and_no_needless_decimals() {
    let shown = texts(&scene("rows sale.kind as sort show share(sales among all) as part drawn as bars"));
    let words = last_words(&shown);
    assert!(words.contains(&"Sort") && words.contains(&"Part"), "{words:?}");
    assert!(words.contains(&"0%") && words.contains(&"100%"), "{words:?}");
    assert!(!words.iter().any(|word| word.contains(".0")), "{words:?}");
    // A: 1 and 3 pieces; B: 2 and 4; all: 1 to 4.
    let middle = texts(&scene("rows sale.kind show median(pieces) as middle totals on rows drawn as table"));
    let words = last_words(&middle);
    assert!(words.contains(&"2") && words.contains(&"3"), "{words:?}");
    assert!(middle.iter().any(|text| text.contains(" 2.5")), "{middle:?}");
}
