//! Faults that only a model of its own can show: its calendar, its includes, its links. Code, place and help of each.

use vembra::{ErrorKind, Session};

const FACT: &str = "fact t from 't.csv'\n";

/// What is said of a model over one small fact, a region, and a depot that lies in a region too.
fn said(model: &str) -> String {
    let opened = Session::builder()
        .model_text("m.vembra", model)
        .csv_text("t", "id,day,depot,part,x\n1,2025-01-31,d,p,0.0000000001\n")
        .csv_text("depot", "depot,region\nd,r\n")
        .csv_text("part", "part,region\np,r\n")
        .csv_text("region", "region,name\nr,North\n")
        .open();
    let session = match opened {
        Err(failure) => {
            assert_eq!(failure.kind(), ErrorKind::Text, "{failure}");
            return failure.to_string();
        }
        Ok(session) => session,
    };
    session.ask("rows region.name show count(rows of t) as n").err().unwrap().to_string()
}

fn expect(model: &str, message: &str, place: &str, help: &str) {
    let said = said(model);
    for part in [message, place, help] {
        assert!(said.contains(part), "wanted {part} in:\n{said}");
    }
    assert_eq!(said.matches("error[").count(), 1, "one fault gives one message:\n{said}");
}

#[test]
fn a_text_before_the_first_declaration_is_named() {
    expect(
        "  hello there\nfact t from 't.csv'\n",
        "error[V107]: a declaration starts in the first column",
        "m.vembra:1:3",
        "move it to the first column, or start it with --",
    );
}

#[test]
fn a_calendar_that_ends_before_it_starts_is_named() {
    let help = "calendar from '2023-01-01' to '2026-12-31'";
    let model = format!("calendar from '2025-12-31' to '2025-01-01'\n{FACT}");
    expect(&model, "error[V212]: the calendar cannot be made", "m.vembra:1:", help);
    let model = format!("calendar from '2025-02-30' to '2025-12-31'\n{FACT}");
    expect(
        &model,
        "error[V212]: the calendar cannot be made: '2025-02-30' is not a day",
        "m.vembra:1:1",
        help,
    );
}

#[test]
fn a_link_to_a_calendar_that_is_not_there_is_named() {
    expect(
        &format!("{FACT}link t.day to calendar as made\n"),
        "error[V213]: the model has no calendar",
        "m.vembra:2:",
        "declare one: calendar from '2023-01-01' to '2026-12-31'",
    );
}

#[test]
fn a_product_with_too_many_decimals_is_refused_and_not_rounded() {
    expect(
        &format!("{FACT}column t.tiny = x * x * x * x\n"),
        "error[V305]: this product would need more than 30 decimals",
        "m.vembra:2:",
        "round a factor, or turn it into a float",
    );
}

#[test]
fn two_ways_to_one_dimension_are_no_guess() {
    let dimensions: String =
        ["depot", "part", "region"].map(|d| format!("dimension {d} from '{d}.csv' key {d}\n")).concat();
    let links = "link t.depot to depot\nlink t.part to part\nlink depot.region to region\nlink part.region to region\n";
    expect(
        &format!("{FACT}{dimensions}{links}"),
        "error[V405]: region can be reached from t through",
        "query:1:6",
        "link t to region directly",
    );
}

#[test]
fn includes_that_lead_nowhere_or_in_a_ring_are_named() {
    let help = "the path is taken from the folder of the file that includes it";
    expect(&format!("include 'nowhere.vembra'\n{FACT}"), "error[V602]: nowhere.vembra", "m.vembra:1:", help);
    expect(
        &format!("include 'm.vembra'\n{FACT}"),
        "error[V603]: m.vembra is included twice, or includes itself",
        "m.vembra:1:",
        "leave this include out",
    );
}

#[test]
fn a_model_that_is_not_there_is_named_with_its_path() {
    let failure = Session::open("no/such/model.vembra").err().unwrap().to_string();
    assert!(failure.starts_with("error[V601]: the model no/such/model.vembra cannot be read"), "{failure}");
    assert!(failure.contains("check the path"), "{failure}");
}
