//! A row that a condition leaves out takes no part in anything: what fails of it is no error. By hand, over five sales.

use vembra::{Layout, Session};

fn session() -> Session {
    Session::builder()
        .model_text(
            "m.vembra",
            "dimension product from 'product' key sku\nfact sale from 'sale'\nlink sale.sku to product\n\
             column sale.number = cast(note as integer)\n\
             column sale.big = quantity * 3000000000000000000\n\
             column product.litres = cast(size as integer)\n\
             column product.half = litres / 2\n\
             measure lines = count(rows of sale)\nmeasure total = sum(number)\n",
        )
        .csv_text("product", "sku,size,name\nA,2,Can\nB,none,Bag\nC,5,Tub\n")
        .csv_text("sale", "sku,note,kind,quantity,day\nA,1,n,1,2024-01-31\nA,2,n,2,2024-02-30\nB,zzz,t,9,2024-03-01\nC,4,n,3,x\nB,8,n,1,2024-05-01\n")
        .open()
        .unwrap()
}

/// The lines of the answer, or the code of the message.
fn said(query: &str) -> String {
    match session().ask(query) {
        Ok(reply) => {
            let csv = reply.csv(Layout::Tidy).unwrap();
            csv.lines().skip(1).collect::<Vec<_>>().join(" | ")
        }
        Err(error) => {
            let diagnostic = error.diagnostics().first().map(|d| d.code.to_string());
            diagnostic.unwrap_or_else(|| error.findings()[0].code.to_string())
        }
    }
}

#[test]
fn what_a_condition_leaves_out_cannot_fail() {
    let cases = [
        // Texts of the own table, by each text of the dictionary.
        ("show sum(cast(note as integer)) as s where note <> 'zzz'", "15"),
        ("show sum(cast(note as integer)) as s where kind = 'n'", "15"),
        ("show sum(cast(note as integer) where kind = 'n') as s", "15"),
        ("show (sum(cast(note as integer)) where kind = 'n') as s, lines", "15,5"),
        ("show sum(cast(note as integer)) as s where note <> 'yyy'", "V511"),
        // Whichever condition stands first, and whichever of several measures shares it.
        ("show lines where note <> 'zzz' and cast(note as integer) > 1", "3"),
        ("show lines where cast(note as integer) > 1 and note <> 'zzz'", "3"),
        ("show lines where cast(note as integer) > 1", "V511"),
        (
            "show (lines where cast(note as integer) > 1 and kind = 'n') as a, \
             (lines where cast(note as integer) > 1 and quantity < 9) as b",
            "3,3",
        ),
        // Branches, and what stands behind and, or and coalesce.
        ("show sum(case when kind = 'n' then cast(note as integer) else 0 end) as s", "15"),
        ("show sum(case when kind = 'n' then number else 0 end) as s", "15"),
        (
            "show sum(case when kind = 'n' or kind = sku then cast(note as integer) else quantity end) as s",
            "24",
        ),
        ("show (lines where not (kind = 't' or cast(note as integer) > 2)) as n", "2"),
        ("show (lines where coalesce(nullif(quantity, 1), cast(note as integer)) = 8) as n", "1"),
        ("show (lines where (kind = 't' or number > 2) is not null) as n", "5"),
        ("show (lines where (number > 2 or kind = 't') is not null) as n", "V511"),
        // Computed columns, of the table and behind a link, and what is made of these.
        ("show total where note <> 'zzz'", "15"),
        ("show total", "V511"),
        ("show sum(product.litres) as s where product.size <> 'none'", "7"),
        ("show sum(quantity * product.litres) as s where product.size <> 'none'", "21"),
        ("show sum(quantity * cast(product.size as integer)) as s where product.name <> 'Bag'", "21"),
        ("show sum(cast(product.size as integer)) as s where product.name in ('Can', 'Tub')", "7"),
        ("show sum(product.half) as s where product.litres > 1 and product.sku <> 'B'", "3.5"),
        ("show sum(product.litres) as s", "V511"),
        // As axes, and as details.
        ("rows number show lines where kind = 'n'", "1,1 | 2,1 | 4,1 | 8,1"),
        ("rows product.litres show lines where product.size <> 'none'", "2,2 | 5,1"),
        ("rows cast(note as integer) as n show lines where kind = 'n'", "1,1 | 2,1 | 4,1 | 8,1"),
        ("rows number show lines", "V511"),
        ("show avg(lines per number) as a where kind = 'n'", "1"),
        ("show avg((max(number) per sku)) as a where kind = 'n'", "4.666666666666667"),
        // A figure that rows look up fails for one of its keys.
        ("list sku, (max(cast(note as integer)) per sku) as m from sale where sku = 'A'", "A,2 | A,2"),
        // Overflow, and dates that are none.
        ("show max(big) as s where quantity < 4", "9000000000000000000"),
        ("show count(big) as n where quantity < 4", "4"),
        ("show count(big) as n", "V511"),
        ("show max(cast(day as date)) as d where quantity = 1", "2024-05-01"),
        ("show max(cast(day as date)) as d where quantity <> 3", "V511"),
        // Single rows.
        ("list sku, number from sale where kind = 'n' sort number descending", "B,8 | C,4 | A,2 | A,1"),
        ("list sku, number from sale sort number", "V511"),
        // Figures guard as rows do.
        ("show (case when lines > 100 then cast(max(note) as integer) else 0 end) as n", "0"),
        (
            "rows sku show (case when lines = 2 then 1 else cast(max(note) as integer) end) as n",
            "A,1 | B,1 | C,4",
        ),
        (
            "rows sku show (case when lines = 2 then cast(min(note) as integer) else 0 end) as n",
            "A,1 | B,8 | C,0",
        ),
        ("rows sku show cast(max(note) as integer) as n", "V511"),
    ];
    let answered = cases.map(|(query, _)| format!("{query}: {}", said(query)));
    assert_eq!(answered, cases.map(|(query, wanted)| format!("{query}: {wanted}")));
}
