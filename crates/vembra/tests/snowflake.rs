//! A dimension that links to a further one means what one wide table would: the same rows as two stars, one with a shop's area and its
//! country in tables of their own, one with all of them in the table of shops. Every query gives the same answer over both.

use vembra::{Layout, Session};

const SALES: &str = "calendar from '2024-01-01' to '2025-12-31'\nfact sale from 'sale'\nfact goal from 'goal'\n\
     link sale.code to shop\nlink sale.day to calendar\nlink goal.month to calendar by month\n\
     measure total = sum(amount)\nmeasure lines = count(rows of sale)\nmeasure wanted = sum(hoped)\n";

fn rows() -> (String, String) {
    let (mut sale, mut goal) = (String::from("code,day,amount\n"), String::from("month,area,hoped\n"));
    for at in 0..180_u32 {
        // Some shops are unknown, and some sales name none.
        let shop = ["A", "B", "C", "D", "E", "Z", ""][(at * 5 % 7) as usize];
        let (month, day) = (1 + at * 7 % 12, 1 + at * 11 % 28);
        let year = 2024 + at % 2;
        sale += &format!("{shop},{year}-{month:02}-{day:02},{}\n", 1 + at * 13 % 97);
        if at < 24 {
            let area = ["n1", "s1", "s2"][(at % 3) as usize];
            goal += &format!("{year}-{month:02},{area},{}\n", 100 + at);
        }
    }
    (sale, goal)
}

/// Shops, their areas, and the countries of these, each a table; one shop lies nowhere.
fn narrow() -> Session {
    let (sale, goal) = rows();
    let model = "dimension shop from 'shop' key code\ndimension area from 'area' key no\ndimension country from 'country' key id\n\
                 link shop.area to area\nlink area.country to country\nlink goal.area to area\n";
    Session::builder()
        .model_text("narrow.vembra", format!("{model}{SALES}"))
        .csv_text("shop", "code,name,area\nA,Ash,n1\nB,Elm,n1\nC,Oak,s1\nD,Yew,s2\nE,Fir,\n")
        .csv_text("area", "no,zone,country\nn1,north,x\ns1,south,x\ns2,south,y\n")
        .csv_text("country", "id,title,tax\nx,Xenia,0.20\ny,Yarrow,0.10\n")
        .csv_text("sale", sale)
        .csv_text("goal", goal)
        .open()
        .unwrap()
}

/// The same in one table; what determines what is said outright.
fn wide() -> Session {
    let (sale, _) = rows();
    let sales = SALES
        .replace("fact goal from 'goal'\n", "")
        .replace("link goal.month to calendar by month\n", "")
        .replace("measure wanted = sum(hoped)\n", "");
    let model = "dimension shop from 'shop' key code\nhierarchy shop.a = zone, area\nhierarchy shop.b = country, area\n\
                 hierarchy shop.c = title, country\nhierarchy shop.d = tax, country\n";
    Session::builder()
        .model_text("wide.vembra", format!("{model}{sales}"))
        .csv_text(
            "shop",
            "code,name,area,zone,country,title,tax\nA,Ash,n1,north,x,Xenia,0.20\nB,Elm,n1,north,x,Xenia,0.20\n\
             C,Oak,s1,south,x,Xenia,0.20\nD,Yew,s2,south,y,Yarrow,0.10\nE,Fir,,,,,\n",
        )
        .csv_text("sale", sale)
        .open()
        .unwrap()
}

/// The lines of an answer.
fn lines(session: &Session, query: &str) -> Vec<String> {
    let reply = session.ask(query).unwrap_or_else(|e| panic!("{query}\n{e}"));
    let text = reply.csv(Layout::Tidy).unwrap();
    let mut lines: Vec<String> = text.lines().skip(1).map(str::to_owned).collect();
    lines.sort();
    lines
}

/// A query over the tables apart, with the names of the one table in it.
fn flattened(query: &str) -> String {
    let names = [
        ("area.no", "shop.area"),
        ("area.zone", "shop.zone"),
        ("country.id", "shop.country"),
        ("country.title", "shop.title"),
        ("country.tax", "shop.tax"),
    ];
    names.iter().fold(query.to_owned(), |query, (apart, one)| query.replace(apart, one))
}

#[test]
fn dimensions_behind_dimensions_mean_what_one_table_means() {
    let (narrow, wide) = (narrow(), wide());
    let attributes =
        ["shop.code", "shop.name", "area.no", "area.zone", "country.id", "country.title", "country.tax"];
    let mut asked = 0;
    for axis in attributes {
        for forgotten in attributes {
            let queries = [
                format!("rows {axis} show total, (total pooling {forgotten}) as p totals on rows"),
                format!(
                    "rows {axis} show (total regardless of {forgotten}) as r where {forgotten} is not null"
                ),
                format!(
                    "rows {axis}, calendar.year show (total pooling all but ({forgotten})) as k totals on rows"
                ),
                format!("rows {axis} columns calendar.year show share(total among {forgotten}) as s"),
                format!("rows {axis} show count(distinct {forgotten} from sale) as n totals on rows"),
                format!("rows {axis} show avg(total per {forgotten}) as a totals on rows"),
                format!("rows {axis}, {forgotten} show total, lines totals on rows"),
                format!(
                    "rows {axis} show total top 2 {axis} by (total pooling {forgotten}) with ties, rest as 'Other' totals on rows"
                ),
                format!(
                    "rows {axis} show (max(total per ({forgotten}, calendar.month))) as m where {forgotten} is not null"
                ),
                format!("rows {axis} show total having (total pooling {forgotten}) > 3000"),
            ];
            for query in queries
                .iter()
                .filter(|q| axis != forgotten || !q.starts_with(&format!("rows {axis}, {axis}")))
            {
                let told = |text: &str| narrow.query(text).ask().is_err();
                // Shares among what is not on an axis are refused by both.
                if told(query) {
                    assert!(
                        wide.ask(&flattened(query)).is_err(),
                        "{query} is refused over tables apart alone"
                    );
                    continue;
                }
                // What a total is over is told by the names of each.
                let narrowly: Vec<String> =
                    lines(&narrow, query).iter().map(|line| flattened(line)).collect();
                assert_eq!(narrowly, lines(&wide, &flattened(query)), "{query}");
                asked += 1;
            }
        }
    }
    assert!(asked > 350, "only {asked} were answered");
}

#[test]
fn two_details_of_which_links_settle_one_stand_beside_each_other() {
    let (narrow, wide) = (narrow(), wide());
    for (fine, coarse) in [
        ("shop.code", "area.no"),
        ("shop.code", "area.zone"),
        ("shop.code", "country.title"),
        ("area.no", "country.tax"),
        ("country.id", "country.title"),
    ] {
        for query in [
            format!("show avg((total per {fine}) / (total per {coarse})) as x"),
            format!(
                "rows calendar.year show max((total per {fine}) - (total per ({coarse}, calendar.year))) as x"
            ),
            format!("show sum((total per {fine}) where (total per {coarse}) > 2000) as x"),
        ] {
            match narrow.ask(&query) {
                Ok(_) => assert_eq!(lines(&narrow, &query), lines(&wide, &flattened(&query)), "{query}"),
                Err(_) => assert!(wide.ask(&flattened(&query)).is_err(), "{query}"),
            }
        }
    }
}

#[test]
fn forgetting_what_a_further_dimension_says_forgets_the_nearer_one_too() {
    // By hand: three sales of 10, 20 and 30 in shops A and B of the north and C of the south.
    let session = Session::builder()
        .model_text(
            "m.vembra",
            "dimension shop from 'shop' key code\ndimension area from 'area' key no\nfact sale from 'sale'\n\
             link sale.code to shop\nlink shop.area to area\nmeasure total = sum(amount)\n",
        )
        .csv_text("shop", "code,area\nA,1\nB,1\nC,2\n")
        .csv_text("area", "no,zone\n1,north\n2,south\n")
        .csv_text("sale", "code,amount\nA,10\nB,20\nC,30\n")
        .open()
        .unwrap();
    let told = |figure: &str| lines(&session, &format!("rows shop.code show ({figure}) as f"));
    assert_eq!(told("total pooling area.zone"), ["A,60", "B,60", "C,60"]);
    assert_eq!(told("total pooling area"), ["A,60", "B,60", "C,60"]);
    assert_eq!(told("total pooling all but (area.zone)"), ["A,30", "B,30", "C,30"]);
    assert_eq!(told("total / (total pooling area.zone)"), told("share(total among area.zone)"));
    assert_eq!(
        lines(&session, "show avg((total per shop.code) / (total per area.zone)) as f"),
        ["0.6666666666666666"]
    );
}
