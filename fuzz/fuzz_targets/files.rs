//! Any bytes as a CSV file are read or refused with findings.
#![no_main]

use libfuzzer_sys::fuzz_target;
use vembra::Session;

fuzz_target!(|bytes: &[u8]| {
    let opened = Session::builder()
        .model_text("m.vembra", "fact t from 't'\nmeasure n = count(rows of t)\n")
        .csv_bytes("t", bytes.to_vec())
        .open();
    match opened {
        Ok(session) => {
            session.ask("show n").expect("rows are counted");
            session.check().expect("a file that opens is checked");
        }
        Err(failure) => assert!(!failure.to_string().is_empty()),
    }
});
