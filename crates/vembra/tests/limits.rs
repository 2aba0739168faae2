//! What a viewer sees is what anyone sees of files from which the hidden rows were deleted.
//!
//! The argument: a limit is not a filter that expressions could forget. The rows that it hides are taken out of the
//! tables before anything else is worked out from them, so that columns, links, derived tables, members, counts of
//! orphans and messages have nothing to tell. The tests attack this from all sides that a query has.

use crate::documented;
use documented::queries;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use vembra::{Layout, Session};

fn demo(file: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(file)
}

/// The lines of a file for which `keep` holds, with its header.
fn kept(file: &str, keep: impl Fn(&[&str]) -> bool) -> String {
    let text = std::fs::read_to_string(demo(file)).unwrap();
    let mut lines = text.lines();
    let header = lines.next().unwrap();
    let kept = lines.filter(|l| keep(&l.split(',').collect::<Vec<_>>()));
    std::iter::once(header).chain(kept).flat_map(|l| [l, "\n"]).collect()
}

/// The demo without all that the Sarrow desk must not see.
fn deleted() -> Session {
    let customers = kept("customer.csv", |f| f[f.len() - 2] == "Sarrow");
    let codes: BTreeSet<String> =
        customers.lines().skip(1).map(|l| l.split(',').next().unwrap().to_owned()).collect();
    Session::builder()
        .model_file(demo("bees.vembra"))
        .csv_text("customer", customers)
        .csv_text("order_line", kept("order_line.csv", |f| codes.contains(f[2])))
        .csv_text("interest", kept("interest.csv", |f| codes.contains(f[0])))
        .csv_text("target", kept("target.csv", |f| f[1] == "Sarrow"))
        .open()
        .unwrap()
}

/// Attacks: forgetting, details, derived tables, lists, columns, choices, counts of what is unknown.
const ATTACKS: [&str; 16] = [
    "show revenue, (revenue overall) as all, (revenue regardless of all) as regardless",
    "rows customer.region show revenue, (revenue pooling customer) as pooled, buyers keep empty totals on rows",
    "rows customer.region show (count(rows of customer) overall) as n, (sum(lifetime) regardless of customer) as worth",
    "show avg(revenue per customer_code) as a, max((revenue per customer.region) per customer.region) as b",
    "show count(rows of january) as n, sum(january.net) as net, count(rows of customer_span) as spans",
    "list code, name, region, first_order, worth from customer sort code",
    "list customer_code, net from order_line where net > (avg(net) overall) sort net descending limit 20",
    "rows customer.name show revenue top 5 customer.name by revenue, rest as 'Other' totals on rows",
    "rows customer.worth show buyers keep empty",
    "rows product.category show share_of_everything, share_of_all",
    "rows calendar.month show revenue_to_date, growth, target_reached, target_amount",
    "rows first_ordered.year show count(rows of customer) as n",
    "rows customer.name show revenue having revenue > (revenue overall) / 100",
    "show listagg(distinct customer.region, '+') as regions, listagg(distinct target.region) as targets",
    "rows calendar.year show revenue where customer.code in ('00417', '2001') or customer.region is null",
    "rows order_line.order_kind columns customer.segment show orders, average_whole_order totals on rows, on columns",
];

#[test]
fn a_viewer_sees_what_deleted_files_hold() {
    let limited = Session::open(demo("bees.vembra")).unwrap().seen_by("sarrow_desk").unwrap();
    let deleted = deleted();
    let documented = queries();
    assert!(documented.len() > 20, "the documents show queries");
    let mut answered = 0;
    for query in documented.iter().map(String::as_str).chain(ATTACKS) {
        let told = |session: &Session| match session.ask(query) {
            // Notes and warnings tell of the data too.
            Ok(reply) => {
                Ok((reply.csv(Layout::Tidy).unwrap(), reply.text(Layout::Grid), reply.notes_text(false)))
            }
            Err(failure) => {
                Err(failure.to_string().replace(&demo("bees.vembra").display().to_string(), "bees.vembra"))
            }
        };
        let (seen, wanted) = (told(&limited), told(&deleted));
        answered += usize::from(seen.is_ok());
        assert_eq!(seen, wanted, "{query}");
    }
    assert!(answered > documented.len() / 2 + ATTACKS.len() / 2);
}

#[test]
fn checks_and_descriptions_tell_nothing_of_hidden_rows() {
    let limited = Session::open(demo("bees.vembra")).unwrap().seen_by("sarrow_desk").unwrap();
    let deleted = deleted();
    let findings = |session: &Session| -> Vec<String> {
        session.check().unwrap().iter().map(|f| format!("{} {} {:?}", f.code, f.message, f.column)).collect()
    };
    assert_eq!(findings(&limited), findings(&deleted));
    for name in
        [None, Some("customer"), Some("customer.region"), Some("customer.name"), Some("order_line.net")]
    {
        assert_eq!(limited.describe(name), deleted.describe(name), "{name:?}");
    }
    let rows = |session: &Session| -> Vec<(String, usize)> {
        session.load_report().tables.iter().map(|t| (t.name.clone(), t.rows)).collect()
    };
    assert_eq!(rows(&limited), rows(&deleted));
    // A name that only a hidden row has is not offered.
    let failure = |session: &Session| {
        session.ask("show revenue where customer.region = 'Dunlov'").map(|r| r.notes_text(false)).unwrap()
    };
    assert_eq!(failure(&limited), failure(&deleted));
    assert!(!failure(&limited).contains("Dunlow"));
}

/// Every role counts: a row of two parties is seen only by who may see both.
#[test]
fn a_limit_reaches_by_every_role() {
    let session = Session::builder()
        .model_text(
            "two.vembra",
            "dimension party from 'party' key code\nfact deal from 'deal'\nfact note from 'note'\n\
             link deal.payer to party as payer default\nlink deal.receiver to party as receiver\n\
             link note.deal_no to deal_of\ndimension deal_of from 'deal_of' key no\nlink deal_of.payer to party\n\
             viewer north sees only party.region = 'N'\n",
        )
        .csv_text("party", "code,region\na,N\nb,S\nc,\n")
        .csv_text("deal", "payer,receiver,amount\na,a,1\na,b,2\nb,a,4\na,,8\n,,16\nc,a,32\na,zz,64\n,a,128\n")
        .csv_text("note", "deal_no,text\n1,yes\n2,no\n")
        .csv_text("deal_of", "no,payer\n1,a\n2,b\n")
        .open()
        .unwrap();
    let north = session.seen_by("north").unwrap();
    let total = |query: &str| north.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    // Both parties north, or one of them and the other missing; a key that no row has may be anyone's.
    assert_eq!(total("show sum(amount) as x"), "x\n137\n");
    assert_eq!(total("show sum(amount) as x via receiver"), "x\n137\n");
    // The limit goes on through tables that lead to limited ones.
    assert_eq!(total("show listagg(note.text) as x"), "x\nyes\n");
    assert!(session.seen_by("nort").err().unwrap().to_string().contains("did you mean north?"));
}

/// A small star whose hidden rows are faulty in every way that the visible ones are not.
fn faulty(model: &str, party: &str, deal: &str) -> Result<Session, vembra::Error> {
    Session::builder()
        .model_text(
            "m.vembra",
            format!("dimension party from 'party' key code\nfact deal from 'deal'\nlink deal.party to party\nviewer north sees only party.region = 'N'\n{model}"),
        )
        .csv_text("party", party)
        .csv_text("deal", deal)
        .viewer("north")
        .open()
}

#[test]
fn faults_of_hidden_rows_are_not_told() {
    // A key twice, a hierarchy that does not hold and a text among numbers, all in the south.
    let session = faulty(
        "hierarchy party.places = region, town\nmeasure total = sum(amount)\n",
        "code,region,town\n1,N,Aby\n2,S,Bex\n2,S,Bex\n3,S,Cod\n4,W,Cod\n",
        "party,amount,secret\n1,1,7\n2,many,top secret\n1,2,8\n",
    );
    // The whole column is a text, so a measure is wrong for who sees all; for who does not see that row it is right, and nothing is told.
    let session = session.unwrap();
    assert!(session.diagnostics().is_empty() && session.load_report().tables.len() == 2);
    let reply = session.ask("show total").unwrap();
    assert_eq!(
        (reply.csv(Layout::Tidy).unwrap().as_str(), reply.notes_text(false).as_str()),
        ("total\n3\n", "")
    );
    // A column stops the model; what is told names no hidden value and no type.
    let session = faulty(
        "column deal.more = amount + 1\n",
        "code,region,town\n1,N,Aby\n2,S,Bex\n",
        "party,amount,secret\n1,1,7\n2,many,top secret\n1,2,8\n",
    );
    let told = session.err().unwrap().to_string();
    assert!(told.contains("error[V514]") && !told.contains("V302"), "{told}");
    assert!(!told.contains("many") && !told.contains("Bex") && !told.contains("Cod"), "{told}");
    let session = faulty(
        "hierarchy party.places = region, town\n",
        "code,region,town\n1,N,Aby\n2,S,Bex\n2,S,Bex\n3,S,Cod\n4,W,Cod\n",
        "party,amount,secret\n1,1,7\n2,2.50,top secret\n1,2,8\n",
    )
    .unwrap();
    let described = format!("{:?}{:?}", session.load_report(), session.describe(Some("deal")));
    assert!(!described.contains("decimal") && described.contains("integer"), "{described}");
    assert_eq!(session.ask("show sum(secret) as s").unwrap().csv(Layout::Tidy).unwrap(), "s\n15\n");
    assert!(
        session.check_all().unwrap().findings.iter().all(|f| f.line.is_none()),
        "lines tell how many lie between"
    );
    // The same faults among rows that are seen are told.
    let failure = faulty("", "code,region\n1,N\n1,N\n", "party,amount\n1,1\n").err().unwrap().to_string();
    assert!(failure.contains("V501") && failure.contains("the key 1 stands twice"), "{failure}");
}

#[test]
fn a_key_that_is_half_hidden_shows_no_row() {
    for order in ["1,N\n1,S\n", "1,S\n1,N\n"] {
        let session = faulty("", &format!("code,region\n{order}2,N\n"), "party,amount\n1,1\n2,2\n").unwrap();
        assert_eq!(session.ask("show sum(amount) as s").unwrap().csv(Layout::Tidy).unwrap(), "s\n2\n");
    }
}

/// Whatever the order of rows, a target of a region is seen by who sees anyone of the region.
#[test]
fn coarse_links_do_not_depend_on_the_order_of_rows() {
    for customers in ["1,N,yes\n2,N,no\n3,S,no\n", "2,N,no\n3,S,no\n1,N,yes\n"] {
        let session = Session::builder()
            .model_text(
                "m.vembra",
                "dimension customer from 'customer' key code\nfact target from 'target'\nlink target.region to customer by region\n\
                 viewer some sees only customer.mine = 'yes'\n",
            )
            .csv_text("customer", format!("code,region,mine\n{customers}"))
            .csv_text("target", "region,wanted\nN,5\nS,7\n")
            .viewer("some")
            .open()
            .unwrap();
        assert_eq!(session.ask("show sum(wanted) as s").unwrap().csv(Layout::Tidy).unwrap(), "s\n5\n");
    }
}

#[test]
fn derived_tables_cannot_be_limited() {
    let failure = Session::builder()
        .model_text(
            "m.vembra",
            "fact f from 'f'\nderived d = rows f.k show sum(q) as q\nviewer v sees only d.q > 1\n",
        )
        .csv_text("f", "k,q\na,1\nb,2\n")
        .open()
        .err()
        .unwrap()
        .to_string();
    assert!(failure.contains("V353") && failure.contains("d is derived"), "{failure}");
}

#[test]
fn assertions_of_other_viewers_are_left_out() {
    let model = "fact f from 'f'\nviewer a sees only f.k = 'a'\nviewer b sees only f.k = 'b'\n\
                 assert 'a has one' seen by a: sum(q) = 1\nassert 'b has two' seen by b: sum(q) = 2\nassert 'all' : sum(q) > 0\n";
    let open = |viewer: Option<&str>| {
        let builder = Session::builder().model_text("m.vembra", model).csv_text("f", "k,q\na,1\nb,2\n");
        match viewer {
            Some(viewer) => builder.viewer(viewer),
            None => builder,
        }
        .open()
        .unwrap()
    };
    let titles = |session: &Session| -> Vec<String> {
        let outcomes = session.assertions().unwrap();
        assert!(outcomes.iter().all(vembra::Outcome::holds));
        outcomes.into_iter().map(|o| o.title).collect()
    };
    assert_eq!(titles(&open(None)), ["a has one", "b has two", "all"]);
    assert_eq!(titles(&open(Some("a"))), ["a has one", "all"]);
}

/// Deals between parties, as files of which some rows may be left out.
fn deals(keep: impl Fn(&str, &str) -> bool, viewer: Option<&str>) -> Session {
    let rows =
        ["a,a,1", "a,b,2", "b,a,4", "a,,8", ",,16", "c,a,32", "a,zz,64", ",a,128", "b,b,256", "b,c,512"];
    let region = |code: &str| match code {
        "a" => "N",
        "b" => "S",
        _ => "",
    };
    let mut deal = "payer,receiver,amount,day\n".to_owned();
    for (at, row) in rows.iter().enumerate() {
        let mut parts = row.split(',');
        let (payer, receiver) = (parts.next().unwrap(), parts.next().unwrap());
        if keep(region(payer), region(receiver)) {
            deal.push_str(&format!("{row},2024-0{}-11\n", 1 + at % 3));
        }
    }
    let mut gift = "payer,worth\n".to_owned();
    for payer in ["a", "b", "c", ""] {
        // A gift has no receiver: no limit by that role is about it.
        if keep(region(payer), region(payer)) {
            gift.push_str(&format!("{payer},7\n"));
        }
    }
    let builder = Session::builder()
        .model_text(
            "two.vembra",
            "calendar from '2024-01-01' to '2024-12-31'\ndimension party from 'party' key code\n\
             fact deal from 'deal'\nfact gift from 'gift'\n\
             link deal.payer to party as payer default\nlink deal.receiver to party as receiver\n\
             link gift.payer to party as payer\nlink deal.day to calendar as made\n\
             column deal.amount: integer\ncolumn deal.payer: text\ncolumn deal.receiver: text\n\
             column gift.payer: text\ncolumn gift.worth: integer\ncolumn deal.day: date\n\
             column party.paid = sum(deal.amount) per party\nmeasure total = sum(amount)\n\
             derived by_party key code = rows party.code show total\n\
             viewer payers sees only payer.region = 'N'\n\
             viewer either sees only payer.region = 'N' or receiver.region = 'N'\n\
             viewer both sees only payer.region = 'N' and receiver.region = 'N'\n",
        )
        .csv_text("party", "code,region\na,N\nb,S\nc,\n")
        .csv_text("deal", deal)
        .csv_text("gift", gift);
    match viewer {
        Some(viewer) => builder.viewer(viewer).open().unwrap(),
        None => builder.open().unwrap(),
    }
}

/// Whether a deal between a payer and a receiver of these regions is seen.
type Sees<'s> = &'s dyn Fn(&str, &str) -> bool;

/// A limit by one role, by two of them, and by both: what is seen is what files without the other rows hold.
///
/// Nothing leaks, because the rows are taken out of the files before anything is worked out, as with every limit; that rows of the
/// dimension itself stay is what the limit says: it is about deals, not about parties.
#[test]
fn a_limit_by_one_role_reaches_by_just_its_links() {
    let attacks = [
        "show total, (total overall) as o, (total regardless of all) as r, count(rows of deal) as n, sum(worth) as w",
        "rows party.code show total, sum(worth) as w keep empty totals on rows",
        "rows party.code show total keep empty via receiver totals on rows",
        "rows payer.region columns receiver.region show total totals on rows, on columns",
        "rows made.month show total, (total during year to date) as y, listagg(distinct deal.receiver) as l",
        "list payer, receiver, amount from deal sort amount",
        "list code, region, paid from party",
        "list code, total from by_party",
        "show avg(total per receiver.code) as a, max((total per payer.code) per payer.code) as m",
        "rows party.code show total top 1 party.code by total, rest as 'Other' totals on rows",
        "show total where payer.region = 'S'",
        "show total where payer.region = 'Q'",
    ];
    let north = |region: &str| region == "N";
    let kept: [(&str, Sees<'_>); 3] = [
        ("payers", &|payer, _| north(payer)),
        ("either", &|payer, receiver| north(payer) || north(receiver)),
        ("both", &|payer, receiver| north(payer) && north(receiver)),
    ];
    for (viewer, keep) in kept {
        let (limited, deleted) = (deals(|_, _| true, Some(viewer)), deals(keep, None));
        for query in attacks {
            let told = |session: &Session| {
                let reply = session.ask(query).unwrap();
                (reply.csv(Layout::Tidy).unwrap(), reply.notes_text(false))
            };
            assert_eq!(told(&limited), told(&deleted), "{viewer}: {query}");
        }
        let all: Vec<String> = limited.check().unwrap().iter().map(|f| f.message.clone()).collect();
        let wanted: Vec<String> = deleted.check().unwrap().iter().map(|f| f.message.clone()).collect();
        assert_eq!(all, wanted, "{viewer}");
    }
    // By hand: 1 + 2 + 8 + 64, and with those that a receives 4, 32 and 128.
    let total =
        |viewer| deals(|_, _| true, Some(viewer)).ask("show total").unwrap().csv(Layout::Tidy).unwrap();
    assert_eq!(
        [total("payers"), total("either"), total("both")],
        ["total\n75\n", "total\n239\n", "total\n1\n"]
    );
}

/// A folder with a model of two viewers, over one file or over several by a pattern.
fn shop(from: &str) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let model = format!(
        "dimension shop from 'shop.csv' key code\nfact sale from '{from}'\nlink sale.shop to shop\n\
         measure total = sum(amount)\nviewer north sees only shop.region = 'N'\n\
         viewer south sees only shop.region = 'Secret South'\nassert 'the south has 12' seen by south: sum(amount) = 12\n"
    );
    std::fs::write(folder.path().join("m.vembra"), model).unwrap();
    std::fs::write(folder.path().join("shop.csv"), "code,region\na,N\nb,Secret South\n").unwrap();
    std::fs::create_dir(folder.path().join("sales")).unwrap();
    folder
}

/// A viewer is asked for after the files were replaced: the rows are those that the session has read.
#[test]
fn rows_of_a_viewer_are_those_that_the_session_holds() {
    for from in ["sales/1.csv", "sales/*.csv"] {
        let folder = shop(from);
        let write =
            |name: &str, text: &str| std::fs::write(folder.path().join("sales").join(name), text).unwrap();
        write("1.csv", "shop,amount\na,1\nb,10\na,100\n");
        if from.contains('*') {
            write("2.csv", "shop,amount\nb,1000\na,10000\n");
        }
        let session = Session::open(folder.path().join("m.vembra")).unwrap();
        let wanted = if from.contains('*') { "total\n10101\n" } else { "total\n101\n" };
        // The same rows in another order, and then no rows at all.
        write("1.csv", "shop,amount\nb,10\na,100\na,1\n");
        write("2.csv", "shop,amount\na,10000\nb,1000\n");
        let north = |session: &Session| {
            session.seen_by("north").unwrap().ask("show total").unwrap().csv(Layout::Tidy).unwrap()
        };
        assert_eq!(north(&session), wanted, "{from}");
        std::fs::remove_file(folder.path().join("sales/1.csv")).unwrap();
        assert_eq!(north(&session), wanted, "{from}");
        let read: Vec<String> =
            session.files().iter().map(|f| f.file_name().unwrap().to_string_lossy().into_owned()).collect();
        let own = if from.contains('*') {
            vec!["m.vembra", "shop.csv", "2.csv"]
        } else {
            vec!["m.vembra", "shop.csv"]
        };
        assert_eq!(read, own, "files that are there");
        assert_eq!(session.seen_by("north").unwrap().files(), session.files());
    }
}

#[test]
fn a_viewer_is_told_nothing_of_the_machine_nor_of_others() {
    let folder = shop("sales/1.csv");
    std::fs::write(folder.path().join("sales/1.csv"), "shop,amount\na,1\nb,10\n").unwrap();
    let model = folder.path().join("m.vembra");
    let north = Session::open(&model).unwrap().seen_by("north").unwrap();
    let described = north.describe(None).unwrap();
    assert!(described.contains("north sees only") && !described.contains("south"), "{described}");
    assert!(!described.contains("Secret"), "{described}");
    let place = folder.path().display().to_string();
    let mut told = format!("{:?}", north.load_report());
    for query in ["show totel", "show sum(amount / 'x')", "rows shop.region show total sort"] {
        told.push_str(&north.ask(query).unwrap_err().to_string());
    }
    told.push_str(&north.with_declarations("measure x = y").unwrap_err().to_string());
    std::fs::remove_file(folder.path().join("sales/1.csv")).unwrap();
    told.push_str(&Session::builder().model_file(&model).viewer("north").open().unwrap_err().to_string());
    std::fs::remove_file(&model).unwrap();
    told.push_str(&Session::builder().model_file(&model).viewer("north").open().unwrap_err().to_string());
    assert!(!told.contains(&place), "{told}");
}
