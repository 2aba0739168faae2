//! What the rewrites make of plans: before and after, as they print. Every case is a query of its own file; read the difference.

use vembra::{Session, Stage};

const MODEL: &str = "\
calendar from '2024-01-01' to '2025-12-31'
dimension product from 'product' key sku
fact sale from 'sale'
link sale.sku to product
link sale.ordered_on to calendar as ordered default
measure revenue = sum(amount)
measure lines = count(rows of sale)
";

#[test]
fn plans_before_and_after() {
    let session = Session::builder()
        .model_text("shop.vembra", MODEL)
        .csv_text("product", "sku,name,category\nA,Axe,Tools\nB,Bow,Toys\n")
        .csv_text("sale", "sku,code,ordered_on,quantity,amount\nA,1,2024-03-01,2,10.50\n")
        .open()
        .unwrap();
    insta::glob!("rewrites/*.txt", |path| {
        let query = std::fs::read_to_string(path).unwrap();
        let stage = |stage| session.query(query.trim()).stage(stage).unwrap();
        let shown =
            format!("{query}\nbefore\n\n{}\nafter\n\n{}", stage(Stage::Plan), stage(Stage::Rewritten));
        insta::with_settings!({ prepend_module_to_snapshot => false, omit_expression => true }, {
            insta::assert_snapshot!(shown);
        });
    });
}
