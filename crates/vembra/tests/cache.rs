//! What is kept never changes an answer: not when it is damaged in any part, not when its sources change, not when it cannot be written.

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use vembra::{Cache, Layout, Session};

const MODEL: &str = "\
calendar covering sale.ordered_on, sale.shipped_on
dimension product from 'product.csv' key sku
hierarchy product.kinds = category, name
fact sale from 'sale.csv'
column sale.price: decimal
link sale.sku to product
link sale.ordered_on to calendar as ordered default
link sale.shipped_on to calendar as shipped
column sale.net = price * quantity
derived busy = rows sale.buyer show sum(sale.net) as spent
measure revenue = sum(net)
measure weight = sum(grams)
";

const QUESTIONS: [&str; 7] = [
    "show revenue, weight, count(rows of sale) as n",
    "rows calendar.month show revenue, (revenue via shipped) as shipped totals on rows",
    "rows product.category, product.name show revenue, count(distinct buyer) as buyers totals on rows",
    "rows gift show revenue, min(note) as first, max(at) as last",
    "list buyer, spent from busy sort buyer limit 30",
    "list sku, buyer, ordered_on, shipped_on, quantity, price, grams, gift, at, note, net from sale where quantity = 7 limit 50",
    "rows product.name show revenue where ordered.year = 2024 and note is null",
];

/// A fact of every type, with values missing and texts over several lines.
fn sales(rows: usize) -> String {
    let mut text = "sku,buyer,ordered_on,shipped_on,quantity,price,grams,gift,at,note\n".to_owned();
    for at in 0..rows {
        let note = match at % 50 {
            0 => "\"left\nat the door\"".to_owned(),
            7 => String::new(),
            n => format!("note {n}"),
        };
        let shipped = if at % 11 == 0 { String::new() } else { format!("2024-0{}-1{}", at % 9 + 1, at % 7) };
        text.push_str(&format!(
            "P{},buyer {},202{}-0{}-0{},{shipped},{},{}.{:02},{}.5,{},2024-01-02T0{}:00:00,{note}\n",
            at % 13,
            at * 7 % 900,
            at % 3 + 3,
            at % 9 + 1,
            at % 8 + 1,
            at % 20,
            at % 400,
            at % 100,
            at % 700,
            at % 2 == 0,
            at % 10,
        ));
    }
    text
}

fn shop(folder: &Path, rows: usize) -> PathBuf {
    let products: String = (0..12).map(|p| format!("P{p},Thing {p},Kind {}\n", p % 4)).collect();
    fs::write(folder.join("product.csv"), format!("sku,name,category\n{products}")).unwrap();
    fs::write(folder.join("sale.csv"), sales(rows)).unwrap();
    fs::write(folder.join("shop.vembra"), MODEL).unwrap();
    folder.join("shop.vembra")
}

fn opened(model: &Path, cache: Option<&Cache>) -> Session {
    let builder = Session::builder().model_file(model);
    match cache {
        Some(cache) => builder.cache(cache.clone()).open().unwrap(),
        None => builder.open().unwrap(),
    }
}

/// All answers, and all that a check finds, with files and lines.
fn answers(session: &Session) -> Vec<String> {
    let answer = |text: &&str| session.ask(text).unwrap().csv(Layout::Tidy).unwrap();
    let findings = session.check().unwrap();
    let told = findings.iter().map(|f| format!("{f} {}", f.help));
    QUESTIONS.iter().map(answer).chain(told).collect()
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { found.extend(files(&path)) } else { found.push(path) }
    }
    found.sort();
    found
}

fn copy(from: &Path, to: &Path) {
    for file in files(from) {
        let place = to.join(file.strip_prefix(from).unwrap());
        fs::create_dir_all(place.parent().unwrap()).unwrap();
        fs::copy(&file, place).unwrap();
    }
}

#[test]
fn what_is_kept_gives_the_same_answers_and_is_read_by_column() {
    let folder = tempfile::tempdir().unwrap();
    let model = shop(folder.path(), 8_000);
    let wanted = answers(&opened(&model, None));
    assert!(wanted.len() > QUESTIONS.len(), "P12 is in no row of product: {wanted:?}");
    let cache = Cache::in_folder(folder.path().join("kept"));
    let first = opened(&model, Some(&cache));
    assert_eq!(answers(&first), wanted);
    first.keep().unwrap();
    let tables: Vec<Option<String>> = cache.list().into_iter().map(|entry| entry.table).collect();
    assert_eq!(tables, [Some("busy".to_owned()), Some("sale".to_owned()), None]);
    let again = opened(&model, Some(&cache));
    // A small table is read at once; of the others nothing is in memory yet.
    let before = again.star().bytes();
    assert!(before < 2_000, "{before}");
    again.ask("show sum(quantity) as units").unwrap();
    assert_eq!(again.star().bytes() - before, 8_000, "a byte a row");
    assert_eq!(answers(&again), wanted);
    let when = |cache: &Cache| files(cache.folder()).len();
    let count = when(&cache);
    again.keep().unwrap();
    assert_eq!(when(&cache), count, "all was kept already");
    // From another folder the same files have other names.
    let detour = folder.path().join("kept/../shop.vembra");
    let named = answers(&opened(&detour, Some(&cache)));
    assert_eq!(named, answers(&opened(&detour, None)), "findings name files as they are named now");
}

/// Does something to a file.
type Damage = fn(&Path);

#[test]
fn a_part_that_is_damaged_in_any_way_changes_no_answer() {
    let folder = tempfile::tempdir().unwrap();
    let model = shop(folder.path(), 8_000);
    let cache = Cache::in_folder(folder.path().join("kept"));
    let first = opened(&model, Some(&cache));
    let wanted = answers(&first);
    first.keep().unwrap();
    let all = files(cache.folder());
    assert!(all.len() > 20, "{all:?}");
    let ways: [(&str, Damage); 5] = [
        ("gone", |file| fs::remove_file(file).unwrap()),
        ("empty", |file| drop(File::create(file).unwrap())),
        ("cut off", |file| {
            let length = fs::metadata(file).unwrap().len();
            File::options().write(true).open(file).unwrap().set_len(length * 2 / 3).unwrap();
        }),
        ("one bit", |file| {
            let mut bytes = fs::read(file).unwrap();
            let middle = bytes.len() / 2;
            bytes[middle] ^= 4;
            fs::write(file, bytes).unwrap();
        }),
        ("a folder", |file| {
            fs::remove_file(file).unwrap();
            fs::create_dir(file).unwrap();
        }),
    ];
    let every = if std::env::var_os("VEMBRA_EVERY").is_some() { 1 } else { 3 };
    for (at, file) in all.iter().enumerate() {
        for (which, (way, damage)) in ways.iter().enumerate().filter(|(which, _)| (at + which) % every == 0) {
            let other = folder.path().join(format!("kept-{at}-{which}"));
            copy(cache.folder(), &other);
            damage(&other.join(file.strip_prefix(cache.folder()).unwrap()));
            let session = opened(&model, Some(&Cache::in_folder(&other)));
            assert_eq!(answers(&session), wanted, "{} {way}", file.display());
            session.keep().unwrap();
            // What was damaged is kept again.
            let again = opened(&model, Some(&Cache::in_folder(&other)));
            assert_eq!(answers(&again), wanted, "{} {way}, again", file.display());
            fs::remove_dir_all(other).unwrap();
        }
    }
}

#[test]
fn a_source_that_changed_is_read_again_whatever_its_time_says() {
    let folder = tempfile::tempdir().unwrap();
    // One that is looked at whole, and one of which many places are.
    for rows in [8_000, 30_000] {
        let model = shop(folder.path(), rows);
        let file = folder.path().join("sale.csv");
        let old = std::time::SystemTime::now() - std::time::Duration::from_hours(1);
        File::options().write(true).open(&file).unwrap().set_modified(old).unwrap();
        let cache = Cache::in_folder(folder.path().join("kept"));
        let is_large = fs::metadata(&file).unwrap().len() > 1 << 20;
        if is_large {
            // It may change within the same tick of the clock: it is kept once that is over.
            let session = opened(&model, Some(&cache));
            session.keep().unwrap();
            assert_eq!(cache.list().iter().filter(|e| e.rows == rows).count(), 0);
            std::thread::sleep(std::time::Duration::from_millis(2_100));
        }
        let session = opened(&model, Some(&cache));
        let before = answers(&session);
        session.keep().unwrap();
        assert_eq!(cache.list().iter().filter(|e| e.rows == rows).count(), 1);
        let text = fs::read_to_string(&file).unwrap();
        let line = text.match_indices(",7,").map(|(at, _)| at).nth(40).unwrap();
        let changed = format!("{},8,{}", &text[..line], &text[line + 3..]);
        assert_eq!(changed.len(), text.len());
        fs::write(&file, changed).unwrap();
        File::options().write(true).open(&file).unwrap().set_modified(old).unwrap();
        let now = answers(&opened(&model, Some(&cache)));
        assert_eq!(now, answers(&opened(&model, None)));
        assert_ne!(now, before);
    }
}

#[test]
fn what_the_model_says_of_reading_is_part_of_what_is_kept() {
    let folder = tempfile::tempdir().unwrap();
    let model = shop(folder.path(), 8_000);
    let cache = Cache::in_folder(folder.path().join("kept"));
    for (from, to) in [
        ("from 'sale.csv'", "from 'sale.csv' missing 'note 3'"),
        ("price: decimal", "price: decimal(9, 3)"),
        ("price * quantity", "price * quantity * 2"),
        ("rows sale.buyer show", "rows sale.buyer where sale.gift show"),
        ("as ordered default", "as ordered"),
    ] {
        fs::write(&model, MODEL).unwrap();
        opened(&model, Some(&cache)).keep().unwrap();
        fs::write(&model, MODEL.replace(from, to)).unwrap();
        let open = |cache: Option<&Cache>| -> Vec<String> {
            let builder = Session::builder().model_file(&model);
            let builder = match cache {
                Some(cache) => builder.cache(cache.clone()),
                None => builder,
            };
            match builder.open() {
                Ok(session) => QUESTIONS
                    .iter()
                    .map(|q| session.ask(q).map_or_else(|e| e.to_string(), |r| r.csv(Layout::Tidy).unwrap()))
                    .collect(),
                Err(error) => vec![error.to_string()],
            }
        };
        assert_eq!(open(Some(&cache)), open(None), "{to}");
        assert_eq!(open(Some(&cache.clone().fresh(true))), open(None), "{to}");
    }
}

#[test]
fn a_folder_that_cannot_be_written_is_told_and_changes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let model = shop(folder.path(), 8_000);
    fs::write(folder.path().join("taken"), "a file").unwrap();
    let cache = Cache::in_folder(folder.path().join("taken/below"));
    let session = opened(&model, Some(&cache));
    assert_eq!(answers(&session), answers(&opened(&model, None)));
    let error = session.keep().unwrap_err();
    let told = &error.findings()[0];
    assert_eq!((told.code.as_str(), told.severity), ("V645", vembra::Severity::Note));
    assert!(told.message.starts_with("what was read cannot be kept for the next time: "), "{}", told.message);
    assert!(told.help.contains("`SessionBuilder::cache`"));
}

#[test]
fn what_a_viewer_does_not_see_is_not_kept_for_him() {
    let folder = tempfile::tempdir().unwrap();
    let model = shop(folder.path(), 8_000);
    fs::write(&model, format!("{MODEL}viewer gifts sees only sale.gift\n")).unwrap();
    let seen = |cache: Option<&Cache>| opened(&model, cache).seen_by("gifts").unwrap();
    let wanted = answers(&seen(None));
    let cache = Cache::in_folder(folder.path().join("kept"));
    let first = seen(Some(&cache));
    assert_eq!(answers(&first), wanted);
    first.keep().unwrap();
    assert_eq!(cache.list(), []);
    opened(&model, Some(&cache)).keep().unwrap();
    let count = files(cache.folder()).len();
    let again = seen(Some(&cache));
    assert_eq!(answers(&again), wanted);
    assert_ne!(wanted, answers(&opened(&model, Some(&cache))));
    again.keep().unwrap();
    assert_eq!(files(cache.folder()).len(), count);
    // What was read to open a session for him alone is kept as it is for all.
    let other = Cache::in_folder(folder.path().join("other"));
    let builder = || Session::builder().model_file(&model).cache(other.clone()).viewer("gifts");
    assert_eq!(answers(&builder().open().unwrap()), wanted);
    let tables = |cache: &Cache| cache.list().into_iter().map(|e| (e.table, e.rows)).collect::<Vec<_>>();
    assert_eq!(tables(&other), tables(&cache));
    assert_eq!(answers(&builder().open().unwrap()), wanted);
}

#[test]
fn what_was_used_longest_ago_goes_first() {
    let folder = tempfile::tempdir().unwrap();
    let cache = Cache::in_folder(folder.path().join("kept"));
    let keep = |name: &str, cache: &Cache| {
        let folder = folder.path().join(name);
        fs::create_dir(&folder).unwrap();
        opened(&shop(&folder, 8_000), Some(cache)).keep().unwrap();
    };
    ["one", "two", "three"].iter().for_each(|name| keep(name, &cache));
    let bytes = cache.list().iter().map(|e| e.bytes).sum::<u64>();
    let old = std::time::SystemTime::now() - std::time::Duration::from_hours(2);
    for file in
        files(cache.folder()).iter().filter(|f| fs::read_to_string(f).is_ok_and(|t| t.contains("/two/")))
    {
        File::options().write(true).open(file).unwrap().set_modified(old).unwrap();
    }
    // There is room for three and a bit.
    let less = cache.clone().most(bytes * 10 / 9);
    keep("four", &less);
    let left: Vec<String> = less.list().into_iter().filter(|e| e.table.is_some()).map(|e| e.model).collect();
    let named = ["one", "two", "three", "four"].map(|name| left.iter().filter(|m| m.contains(name)).count());
    assert_eq!(named, [2, 0, 2, 2], "{left:?}");
    assert!(less.remove(None).unwrap().len() >= 9);
    assert_eq!(less.list(), []);
}

#[test]
fn a_file_that_got_more_lines_answers_as_the_whole_of_it() {
    let folder = tempfile::tempdir().unwrap();
    let cache = Cache::in_folder(folder.path().join("kept"));
    let (model, file) = (folder.path().join("m.vembra"), folder.path().join("t.csv"));
    fs::write(&model, "fact t from 't.csv'\n").unwrap();
    let lines = |from: usize, to: usize| -> String {
        (from..to)
            .map(|at| format!("{at},{}.5,2024-01-0{},word {}\n", at % 90, at % 9 + 1, at * 7 % 300))
            .collect()
    };
    let ask = |cache: Option<&Cache>| {
        let session = opened(&model, cache);
        let queries = [
            "rows w show sum(a) as a, min(d) as d, count(rows of t) as n",
            "list no, a from t sort no descending limit 3",
        ];
        let answers = queries.map(|q| session.ask(q).unwrap().csv(Layout::Tidy).unwrap());
        (session, answers)
    };
    let append = |text: &str| {
        let mut file = File::options().append(true).open(&file).unwrap();
        std::io::Write::write_all(&mut file, text.as_bytes()).unwrap();
    };
    fs::write(&file, format!("no,a,d,w\n{}", lines(0, 15_000))).unwrap();
    ask(Some(&cache)).0.keep().unwrap();
    for (from, more) in [(15_000, lines(15_000, 15_100)), (15_100, "15100,7,2024-05-05,word\n".to_owned())] {
        append(&more);
        let (session, found) = ask(Some(&cache));
        assert_eq!(found, ask(None).1, "{from}");
        session.keep().unwrap();
        assert_eq!(cache.list().len(), 2, "what was kept before is gone");
        assert!(cache.list()[0].rows > from);
    }
    // Other lines before the new ones.
    let text = fs::read_to_string(&file).unwrap().replacen("\n0,0.5", "\n0,9.5", 1);
    fs::write(&file, text + &lines(15_101, 15_200)).unwrap();
    assert_eq!(ask(Some(&cache)).1, ask(None).1);
    // A type that the new lines change.
    ask(Some(&cache)).0.keep().unwrap();
    append("15200,none,2024-05-05,word\n");
    assert_eq!(
        Session::builder().model_file(&model).cache(cache).open().is_ok(),
        Session::open(&model).is_ok()
    );
}

#[test]
fn of_a_parquet_file_only_what_was_needed_is_kept() {
    let folder = tempfile::tempdir().unwrap();
    let csv = shop(folder.path(), 0);
    // Numbers in no order, so that the file is large enough to be kept.
    let sales = sales(60_000).replace("\nP", "\n\u{1}P");
    let number = |at: usize| at * 2_654_435_761 % 4_000_000_007;
    let numbered = sales.split('\u{1}').enumerate().map(|(at, sale)| format!("{},{sale}", number(at)));
    let sales = numbered.collect::<String>().replacen("0,", "number,", 1);
    fs::write(folder.path().join("sale.csv"), sales).unwrap();
    let all =
        "list number, sku, buyer, ordered_on, shipped_on, quantity, price, grams, gift, at, note from sale";
    let whole = opened(&csv, None);
    let parquet = whole.ask(all).unwrap().parquet(vembra::Periods::Texts).unwrap();
    fs::write(folder.path().join("sale.parquet"), parquet).unwrap();
    let model = folder.path().join("columnar.vembra");
    let text = MODEL.replace("sale.csv", "sale.parquet");
    fs::write(&model, text.replace("derived busy = rows sale.buyer show sum(sale.net) as spent\n", ""))
        .unwrap();
    let cache = Cache::in_folder(folder.path().join("kept"));
    let tables = folder.path().join("kept/tables");
    let ask = |question: &str| {
        let session = opened(&model, Some(&cache));
        let answer = session.ask(question).unwrap().csv(Layout::Tidy).unwrap();
        session.keep().unwrap();
        let parts = files(&tables).iter().filter(|f| f.extension().is_some_and(|e| e != "json")).count();
        assert_eq!(answer, whole.ask(question).unwrap().csv(Layout::Tidy).unwrap());
        parts
    };
    let counts: Vec<usize> = [0, 0, 2, 3, 2].map(|at| ask(QUESTIONS[at])).to_vec();
    assert!(counts[0] > 0 && counts[0] == counts[1], "nothing more was needed: {counts:?}");
    assert!(counts[1] < counts[2] && counts[2] < counts[3] && counts[3] == counts[4], "{counts:?}");
    for at in 0..counts[3] {
        // The next one takes what is damaged from the file, and keeps it again: only what it needs.
        let parts = files(&tables);
        let part = &parts[at % parts.len()];
        let bytes = fs::read(part).unwrap();
        fs::write(part, &bytes[..bytes.len() / 2]).unwrap();
        ask(QUESTIONS[at % 4]);
    }
}
