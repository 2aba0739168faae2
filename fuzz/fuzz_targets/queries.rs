//! Any query over a small star is answered or refused with a message; its answer can be written in every text form.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::OnceLock;
use vembra::{Layout, Session};

const MODEL: &str = "calendar from '2024-01-01' to '2025-12-31'\n\
dimension product from 'product' key sku\n\
fact sale from 'sale'\n\
link sale.sku to product\n\
link sale.ordered_on to calendar as ordered default\n\
link sale.shipped_on to calendar as shipped\n\
hierarchy product.range = category, name\n\
column sale.band = band(amount, 0, 5, 10)\n\
measure revenue = sum(amount)\n    format '¤#,##0'\n\
measure average = avg(revenue per sale.sku)\n\
param least: integer default 1\n";

fn session() -> &'static Session {
    static SESSION: OnceLock<Session> = OnceLock::new();
    SESSION.get_or_init(|| {
        Session::builder()
            .model_text("m.vembra", MODEL)
            .csv_text("product", "sku,name,category\nA,Axe,Tools\nB,Bow,Toys\n")
            .csv_text("sale", "sku,ordered_on,shipped_on,quantity,amount,note\nA,2024-03-01,2024-03-04,2,10.50,x\nB,2024-04-01,,1,4.25,y\nA,2025-03-02,2025-03-09,1,,\n")
            .open()
            .expect("the model opens")
    })
}

fuzz_target!(|query: &str| {
    match session().ask(query) {
        Ok(reply) => {
            reply.text(Layout::Grid);
            reply.text(Layout::Tidy);
            reply.markdown();
            reply.csv(Layout::Tidy).expect("an answer is written");
            reply.json(Layout::Grid);
        }
        Err(failure) => assert!(!failure.to_string().is_empty()),
    }
});
