//! Any model over two small files opens or is refused with messages; what opens is checked, described and drawn.
#![no_main]

use libfuzzer_sys::fuzz_target;
use vembra::{Session, View};

fuzz_target!(|text: &str| {
    let opened = Session::builder()
        .model_text("m.vembra", text)
        .csv_text("product", "sku,name,category\nA,Axe,Tools\nB,Bow,Toys\n")
        .csv_text("sale", "sku,ordered_on,shipped_on,quantity,amount\nA,2024-03-01,2024-03-04,2,10.50\nB,2024-04-01,,1,4.25\n")
        .open();
    match opened {
        Ok(session) => {
            let _ = session.check();
            let _ = session.assertions();
            session.describe(None);
            for (name, _) in session.drawn_names() {
                if let Ok(picture) = session.report(name, &[]) {
                    picture.svg(View::new(300, 200));
                }
            }
        }
        Err(failure) => assert!(!failure.to_string().is_empty()),
    }
});
