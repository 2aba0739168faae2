//! The one layout of models: formatting twice changes nothing, no token is lost, comments stay, and the meaning is the same.

use std::fs;
use std::path::Path;
use vembra::inside::parse_model;
use vembra::{Session, SourceId, format_model};

/// All tokens that carry meaning, and comments, one a line.
fn tokens(text: &str) -> Vec<String> {
    let root = parse_model(SourceId::default(), text).root;
    let tokens = root.descendants_with_tokens().filter_map(|element| element.as_token().cloned());
    tokens.map(|t| t.text().trim_end().to_owned()).filter(|t| !t.trim().is_empty()).collect()
}

fn models() -> Vec<String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR"));
    let cases = fs::read_dir(folder.join("tests/wrong_texts/cases")).unwrap();
    let mut models: Vec<String> = cases
        .filter_map(|entry| {
            let text = fs::read_to_string(entry.unwrap().path()).unwrap();
            let own = text.split("\n----\n").next().unwrap();
            own.strip_prefix("model:\n").map(str::to_owned)
        })
        .collect();
    models.push(vembra_demo::MODEL.to_owned());
    models
}

#[test]
fn formatting_keeps_every_token_and_is_done_once() {
    let mut formatted = 0;
    for model in models() {
        let Ok(tidy) = format_model(&model) else { continue };
        assert_eq!(format_model(&tidy).unwrap(), tidy, "a second time changes\n{tidy}");
        let (before, after) = (tokens(&model), tokens(&tidy));
        assert_eq!(before, after, "{model}\nbecomes\n{tidy}");
        assert!(tidy.lines().all(|l| l == l.trim_end()), "{tidy}");
        formatted += 1;
    }
    assert!(formatted >= 30, "{formatted} models were formatted");
}

#[test]
fn the_demo_is_laid_out_so_and_means_the_same_in_any_layout() {
    assert_eq!(format_model(vembra_demo::MODEL).unwrap(), vembra_demo::MODEL);
    let open = |model: &str| {
        let mut builder = Session::builder().model_text("bees.vembra", model);
        for (table, csv) in vembra_demo::tables(&vembra_demo::Company::new(20)).unwrap() {
            builder = builder.csv_bytes(table, csv);
        }
        builder.open().unwrap().describe(None).unwrap()
    };
    // Everything of a declaration on one line, and words in capitals.
    let squeezed =
        vembra_demo::MODEL.replace("\n    ", " ").replace("\n  ", " ").replace("measure ", "MEASURE  ");
    assert_eq!(open(&format_model(&squeezed).unwrap()), open(vembra_demo::MODEL));
}

#[test]
fn comments_stay_where_they_are_about_something() {
    let text = "-- head\n\n\nmeasure   a=sum( x )   -- first\n  label 'A' -- its name\n        -- why\n   format '0'\n-- last";
    assert_eq!(
        format_model(text).unwrap(),
        "-- head\n\nmeasure a = sum(x)  -- first\n    label 'A'  -- its name\n    -- why\n    format '0'\n-- last\n"
    );
    assert!(format_model("measure = \n").is_err(), "what cannot be read is left alone");
    assert_eq!(format_model("").unwrap(), "");
    assert_eq!(format_model("-- only this").unwrap(), "-- only this\n");
}
