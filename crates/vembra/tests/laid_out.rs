//! Where figures stand, and figures at members of an attribute: by hand, in all forms of an answer.

use vembra::{Layout, Session};

fn session() -> Session {
    Session::builder()
        .model_text(
            "m.vembra",
            "calendar from '2024-01-01' to '2025-12-31'\nfact sale from 'sale'\nlink sale.day to calendar\n\
             measure total = sum(amount)\n    label 'Total'\n    format '0.00'\n\
             measure lines = count(rows of sale)\n    label 'Lines'\n\
             measure twice(m) = m + m\n    label 'Twice {m}'\n\
             param year: integer default 2025\n",
        )
        .csv_text(
            "sale",
            "shop,day,amount\nA,2024-03-01,10.50\nA,2025-03-01,21.00\nB,2024-04-01,4.00\nB,2024-05-01,\n",
        )
        .open()
        .unwrap()
}

fn tidy(query: &str) -> String {
    session().ask(query).unwrap().csv(Layout::Tidy).unwrap()
}

fn text(query: &str) -> String {
    let text = session().ask(query).unwrap().text(Layout::Grid);
    text.lines().map(str::trim_end).collect::<Vec<_>>().join("\n")
}

const GRID: &str = "rows sale.shop columns calendar.year show total, lines";

#[test]
fn figures_stand_under_one_another_each_in_its_format() {
    let shown = "\
calendar.year on columns

sale.shop  Figure   2024   2025
---------  ------  -----  -----
A          Total   10.50  21.00
           Lines       1      1
B          Total    4.00
           Lines       2";
    assert_eq!(text(&format!("{GRID} figures on rows")), shown);
    let shown = "\
calendar.year on columns

Figure  sale.shop   2024   2025
------  ---------  -----  -----
Total   A          10.50  21.00
        B           4.00
Lines   A              1      1
        B              2";
    assert_eq!(text(&format!("{GRID} figures on rows first")), shown);
    let shown = "\
calendar.year on columns

           Total         Lines
sale.shop   2024   2025   2024  2025
---------  -----  -----  -----  ----
A          10.50  21.00      1     1
B           4.00             2";
    assert_eq!(text(&format!("{GRID} figures on columns first")), shown);
}

#[test]
fn tidy_output_names_the_figure_of_each_line() {
    assert_eq!(
        tidy(&format!("{GRID} figures on rows")),
        "sale.shop,figure,calendar.year,value\nA,total,2024,10.50\nA,total,2025,21.00\nA,lines,2024,1\nA,lines,2025,1\n\
         B,total,2024,4.00\nB,lines,2024,2\n"
    );
    let reply = session().ask(format!("{GRID} figures on rows").as_str()).unwrap();
    assert_eq!(
        reply.csv(Layout::Grid).unwrap(),
        "sale.shop,figure,2024,2025\nA,total,10.50,21.00\nA,lines,1,1\nB,total,4.00,\nB,lines,2,\n"
    );
    // A column of all of them holds whole numbers and decimals exactly.
    let batch = reply.record_batch().unwrap();
    assert_eq!(batch.schema().field(3).data_type().to_string(), "Decimal128(38, 2)");
    let again = Session::builder()
        .model_text("again.vembra", "fact t from 't'\n")
        .record_batches("t", vec![batch])
        .open()
        .unwrap();
    assert_eq!(again.ask("show sum(value) as s").unwrap().csv(Layout::Tidy).unwrap(), "s\n39.50\n");
}

#[test]
fn treatments_stand_under_their_figures() {
    let shown = "\
Figure       Value
-----------  -----
Total        35.50
Twice Total  71.00
Lines            4
Twice Lines      8";
    assert_eq!(text("show total, lines each also twice figures on rows"), shown);
}

#[test]
fn members_stand_in_one_row_and_are_compared() {
    assert_eq!(
        tidy(
            "rows sale.shop show total each across calendar.year 2025 against 2024 with difference, ratio, growth totals on rows"
        ),
        "line,over,sale.shop,total 2025,total 2024,total 2025 - 2024,total 2025 / 2024,total growth 2024 to 2025\n\
         detail,,A,21.00,10.50,10.50,2,1\ndetail,,B,,4.00,,,\ntotal,sale.shop,,21.00,14.50,6.50,1.4482758620689655,0.4482758620689655\n"
    );
    // Alone, by a parameter, each member once, and with treatments of it.
    assert_eq!(
        tidy(
            "rows sale.shop show lines each also twice each across calendar.year :year against 2024, 2024 with difference"
        ),
        "sale.shop,lines 2025,lines 2024,lines 2025 - 2024,twice(lines) 2025,twice(lines) 2024,twice(lines) 2025 - 2024\n\
         A,1,1,0,2,2,0\nB,0,2,-2,0,4,-4\n"
    );
    assert_eq!(tidy("show total each across sale.shop 'A', 'B'"), "total A,total B\n31.50,4.00\n");
    assert_eq!(
        tidy("rows sale.shop show total each across calendar.year 2024 sort \"total 2024\" descending"),
        "sale.shop,total 2024\nA,10.50\nB,4.00\n"
    );
}

/// The rest of each group stays in its group, whatever lines are sorted by; groups come in the order of their first lines.
#[test]
fn the_rest_of_a_group_is_sorted_with_its_group() {
    let session = Session::builder()
        .model_text("m.vembra", "fact sale from 'sale'\nmeasure total = sum(amount)\n")
        .csv_text("sale", "kind,name,amount\nx,a,5\nx,b,9\nx,c,2\nx,d,1\ny,e,7\ny,f,30\ny,g,4\nz,h,8\n")
        .open()
        .unwrap();
    let said = |query: &str| {
        let csv = session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
        csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
    };
    let top =
        "rows sale.kind, sale.name show total top 1 sale.name by total within sale.kind, rest as 'Other'";
    assert_eq!(
        said(&format!("{top} sort total descending")),
        "y,f,30 | y,Other,11 | x,b,9 | x,Other,8 | z,h,8"
    );
    assert_eq!(said(&format!("{top} sort total")), "z,h,8 | x,b,9 | x,Other,8 | y,f,30 | y,Other,11");
    // Over all there is one group, and one rest behind it.
    let all = "rows sale.name show total top 2 sale.name by total, rest as 'Other' sort total";
    assert_eq!(said(all), "b,9 | f,30 | Other,27");
}
