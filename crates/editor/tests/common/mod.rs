//! A session over the made-up company.

use vembra::Session;

/// The demo's model over the tables of that many orders.
pub(crate) fn demo(orders: usize) -> Session {
    let company = vembra_demo::Company::new(orders);
    let mut builder = Session::builder().model_text("bees.vembra", vembra_demo::MODEL);
    for (table, csv) in vembra_demo::tables(&company).expect("the demo is made") {
        builder = builder.csv_bytes(table, csv);
    }
    builder.open().expect("the demo opens")
}
