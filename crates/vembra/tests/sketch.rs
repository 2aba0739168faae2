//! First models from files: what is found in them, and that the models stand, pass the check and answer.

use std::fs;
use std::path::Path;
use vembra::{Session, Severity, Sketch, sketch};

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");

/// The sketch of files, once its model stands, finds nothing worse than notes, and answers.
fn sketched(folder: &Path) -> Sketch {
    let found = sketch(&[folder.to_owned()], &[], folder).unwrap();
    fs::write(folder.join("first.vembra"), &found.model).unwrap();
    let session =
        Session::open(folder.join("first.vembra")).unwrap_or_else(|e| unreachable!("{e}\n{}", found.model));
    let worse: Vec<String> = session
        .check_all()
        .unwrap()
        .findings
        .iter()
        .filter(|f| f.severity != Severity::Note)
        .map(ToString::to_string)
        .collect();
    assert_eq!(worse, Vec::<String>::new(), "{}", found.model);
    session.ask(found.query.as_ref().unwrap()).unwrap();
    let again = sketch(&[folder.to_owned()], &[], folder).unwrap();
    assert_eq!(
        again.model, found.model,
        "a model in the folder is no table, and the same files give the same model"
    );
    found
}

/// The declarations of a model, without comments.
fn declarations(model: &str) -> Vec<&str> {
    model.lines().filter(|l| !l.is_empty() && !l.starts_with("--")).collect()
}

#[test]
fn the_demo_is_found_again() {
    let folder = tempfile::tempdir().unwrap();
    for table in ["product", "customer", "order_time", "order_line", "target", "stock"] {
        fs::copy(format!("{DEMO}/{table}.csv"), folder.path().join(format!("{table}.csv"))).unwrap();
    }
    let found = sketched(folder.path());
    let wanted = [
        "calendar from '2023-01-01' to '2025-12-31'",
        "dimension product from 'product.csv' key sku",
        "dimension customer from 'customer.csv' key code",
        "dimension order_time from 'order_time.csv' key order_no",
        "fact order_line from 'order_line.csv'",
        "fact target from 'target.csv'",
        "fact stock from 'stock.csv'",
        "link order_line.sku to product",
        "link order_line.customer_code to customer",
        "link order_line.order_no to order_time",
        "link order_line.ordered_on to calendar as ordered default",
        "link order_line.shipped_on to calendar as shipped",
        "link order_line.due_on to calendar as due",
        "link stock.sku to product",
        "link stock.counted_on to calendar",
        "measure total_quantity = sum(order_line.quantity)",
        "measure average_unit_price = avg(order_line.unit_price)",
        "measure order_line_rows = count(rows of order_line)",
    ];
    for line in wanted {
        assert!(declarations(&found.model).contains(&line), "no {line} in\n{}", found.model);
    }
    let links = declarations(&found.model).iter().filter(|l| l.starts_with("link ")).count();
    assert_eq!(links, 8, "{}", found.model);
    assert_eq!(found.doubts, ["order_line.sku: 1 of 60 values are no keys of product"]);
}

#[test]
fn a_folder_of_german_files_is_read_in_its_forms() {
    let folder = tempfile::tempdir().unwrap();
    let write = |file: &str, text: &str| {
        let (bytes, _, _) = encoding_rs::WINDOWS_1252.encode(text);
        fs::write(folder.path().join(file), bytes).unwrap();
    };
    write("Kunden.csv", "KundenNr;Name;Ort\nK-1;Müller;Köln\nK-2;Weiß;Gräfelfing\nK-3;Groß;Ulm\n");
    write(
        "Aufträge.csv",
        "Nummer;KundenNr;Bestellt am;Geliefert am;Betrag\n\
         1;K-1;31.12.2023;02.01.2024;1.234,50\n2;K-2;01.02.2024;;99,00\n3;K-1;15.02.2024;20.02.2024;-5,25\n\
         4;K-3;16.02.2024;20.02.2024;0,99\n",
    );
    let found = sketched(folder.path());
    let wanted = [
        "calendar from '2023-01-01' to '2024-12-31'",
        "dimension kunden from 'Kunden.csv' encoding 'windows-1252' key KundenNr",
        "link \"aufträge\".KundenNr to kunden",
        "measure total_betrag = sum(aufträge.Betrag)",
    ];
    let plain = found.model.replace("\"aufträge\"", "aufträge");
    for line in wanted {
        assert!(plain.contains(&line.replace("\"aufträge\"", "aufträge")), "no {line} in\n{plain}");
    }
    assert!(
        plain.contains("numbers like '1.234,56'") && plain.contains("dates like '31.12.2024'"),
        "{plain}"
    );
    assert!(plain.contains("link aufträge.\"Bestellt am\" to calendar as bestellt_am default"), "{plain}");
    let session = Session::open(folder.path().join("first.vembra")).unwrap();
    let reply = session.ask("rows kunden.Name show total_betrag").unwrap();
    assert_eq!(
        reply.csv(vembra::Layout::Tidy).unwrap(),
        "kunden.Name,total_betrag\nGroß,0.99\nMüller,1229.25\nWeiß,99.00\n"
    );
}

/// The files of a star, the lines that must be in its model, and those that must not.
type Guessed<'g> = (&'g [(&'g str, String)], &'g [&'g str], &'g [&'g str]);

/// Small stars with what makes guessing hard: each with the lines that must be there, and those that must not.
#[test]
fn guesses_are_right_where_names_and_values_mislead() {
    let ids = |n: usize| (1..=n).map(|i| format!("{i},x{i}\n")).collect::<String>();
    let cases: [Guessed<'_>; 5] = [
        // Small numbers are keys of everything that is numbered: only a name makes a link of them.
        (
            &[
                ("customers", format!("id,name\n{}", ids(12))),
                ("sales", "id,customer_id,quantity\n1,3,2\n2,12,5\n3,3,1\n".to_owned()),
            ],
            &["link sales.customer_id to customers", "measure total_quantity = sum(sales.quantity)"],
            &["link sales.quantity", "link sales.id", "sum(sales.id)"],
        ),
        // Two columns that lead to one table are roles.
        (
            &[
                ("airport", "iata,town\nAAA,A\nBBB,B\nCCC,C\n".to_owned()),
                ("flight", "origin,dest,miles\nAAA,BBB,5\nBBB,CCC,7\nCCC,AAA,9\nAAA,CCC,4\n".to_owned()),
            ],
            &["link flight.origin to airport as origin default", "link flight.dest to airport as dest"],
            &[],
        ),
        // A day that means never makes no calendar of eight thousand years.
        (
            &[(
                "stay",
                "came_on,left_on,nights\n2024-01-02,2024-01-05,3\n2024-03-01,9999-12-31,1\n".to_owned(),
            )],
            &["calendar from '2024-01-01' to '2024-12-31'", "link stay.came_on to calendar"],
            &["left_on to calendar"],
        ),
        // What files write for nothing is nothing.
        (
            &[(
                "t",
                format!("n,x\n{}11,NA\n12,3\n", (0..10).map(|i| format!("{i},{i}\n")).collect::<String>()),
            )],
            &["fact t from 't.csv' missing 'NA'", "measure total_x = sum(t.x)"],
            &[],
        ),
        // A table that leads on to another is a dimension of its own; words of the language are quoted.
        (
            &[
                ("region", "code,name\nN,North\nS,South\nW,West\n".to_owned()),
                ("shop", "code,region,name\nA,N,a\nB,S,b\nC,W,c\n".to_owned()),
                ("order", "no,shop,total\n1,A,1.5\n2,B,2\n3,C,9\n4,A,1\n".to_owned()),
            ],
            &["link shop.region to region", "to shop"],
            &["link region"],
        ),
    ];
    for (files, wanted, unwanted) in cases {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in files {
            fs::write(folder.path().join(format!("{name}.csv")), text).unwrap();
        }
        let model = sketched(folder.path()).model;
        for line in wanted {
            assert!(model.contains(line), "no {line} in\n{model}");
        }
        for line in unwanted {
            assert!(!model.contains(line), "{line} in\n{model}");
        }
    }
}

#[test]
fn what_cannot_be_read_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let nothing = sketch(&[folder.path().to_owned()], &[], folder.path()).unwrap_err().to_string();
    assert!(
        nothing.contains("error[V643]") && nothing.contains("there is nothing to look at here"),
        "{nothing}"
    );
    fs::write(folder.path().join("a.csv"), "x,y\n1\n").unwrap();
    fs::write(folder.path().join("b.csv"), "x\n1\n").unwrap();
    fs::write(folder.path().join("c.csv"), "x,y\n").unwrap();
    let found = sketch(&[folder.path().to_owned()], &[], folder.path()).unwrap();
    assert_eq!(declarations(&found.model)[0], "fact b from 'b.csv'");
    assert!(found.doubts[0].starts_with("left out: error[V616] "), "{:?}", found.doubts);
    assert!(
        found.doubts[1].starts_with("left out: ") && found.doubts[1].ends_with("c.csv has no rows"),
        "{:?}",
        found.doubts
    );
    assert_eq!(found.query.as_deref(), Some("show b_rows"));
}

#[test]
fn a_table_that_was_added_without_links_is_told_with_the_lines_to_write() {
    let opened = |more: &str| {
        let model = format!(
            "calendar from '2025-01-01' to '2025-12-31'\ndimension shop from 'shop' key code\n\
             fact sale from 'sale'\nlink sale.shop to shop\nlink sale.sold_on to calendar\nfact visit from 'visit'\n{more}"
        );
        let builder = vembra::Session::builder()
            .model_text("m.vembra", model)
            .csv_text("shop", "code,town\nN,Northmoor\nS,Southam\nE,Eastley\n")
            .csv_text("sale", "shop,sold_on,paid\nN,2025-01-30,1.50\nS,2025-02-01,2\n")
            .csv_text("visit", "shop_code,seen_on,people\nN,2025-01-30,12\nE,2025-02-02,7\nS,2025-02-03,9\n");
        let findings = builder.open().unwrap().check_all().unwrap().findings;
        findings.iter().filter(|f| f.code == "V526").map(ToString::to_string).collect::<String>()
            + &findings.iter().filter(|f| f.code == "V526").map(|f| f.help.clone()).collect::<String>()
    };
    let told = opened("");
    assert!(told.contains("visit: nothing links this table with others"), "{told}");
    let lines = "link visit.shop_code to shop; link visit.seen_on to calendar";
    assert!(told.ends_with(lines), "{told}");
    assert_eq!(opened(&lines.replace("; ", "\n")), "");
    assert_eq!(opened("accept V526 on visit because 'people are counted for the town alone'\n"), "");
}
