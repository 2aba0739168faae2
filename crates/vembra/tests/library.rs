//! The library as those see it who build on it: sessions go from thread to thread, errors are small and say what lies under them, and
//! what takes long can be stopped.

use std::error::Error as _;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use vembra::physical::Access;
use vembra::{
    Error, ErrorKind, Layout, Options, Profiler, QueryBuilder, Reply, Session, SessionBuilder, Step, Stop,
};

const MODEL: &str = "calendar from '2025-01-01' to '2025-12-31'\nfact sale from 'sale'\n\
    link sale.day to calendar\nmeasure total = sum(amount)\nparam least: integer default 0\n\
    viewer north sees only sale.shop = 'North'\n\
    viewer south sees only sale.shop = 'South'\n";
const SALES: &str = "day,shop,amount\n2025-01-01,North,1\n2025-02-01,South,2\n2025-02-02,North,4\n";

fn builder() -> SessionBuilder {
    Session::builder().model_text("m.vembra", MODEL).csv_text("sale", SALES)
}

fn csv(reply: &Reply) -> String {
    reply.csv(Layout::Tidy).unwrap()
}

#[test]
fn all_that_is_built_on_can_go_from_thread_to_thread_and_be_shown() {
    fn goes<T: Send + Sync + std::fmt::Debug>() {}
    goes::<Session>();
    goes::<SessionBuilder>();
    goes::<QueryBuilder>();
    goes::<Reply>();
    goes::<Error>();
    goes::<Stop>();
    assert_eq!(size_of::<Error>(), size_of::<usize>());
    let shown = format!("{:?}", builder().open().unwrap());
    assert!(shown.contains("\"sale\"") && !shown.contains("North"), "{shown}");
}

#[test]
fn many_threads_ask_one_session() {
    let session = builder().open().unwrap();
    let ask = |month: usize| {
        let session = session.clone();
        std::thread::spawn(move || {
            let text = format!("show total where calendar.month = '2025-{month:02}'");
            session.ask(&text).map(|reply| csv(&reply))
        })
    };
    let threads: Vec<_> = (1..=8).map(|at| ask(1 + at % 2)).collect();
    let answers: Vec<String> = threads.into_iter().map(|t| t.join().unwrap().unwrap()).collect();
    for (at, answer) in answers.iter().enumerate() {
        assert_eq!(answer, ["total\n6\n", "total\n1\n"][at % 2]);
    }
}

#[test]
fn a_viewer_of_a_query_sees_what_a_session_of_its_own_would() {
    let session = builder().open().unwrap();
    let text = "rows sale.shop show total, sum(amount where amount > :least) as more totals on rows";
    let own = session.seen_by("north").unwrap();
    for _ in 0..2 {
        let by_query = session.query(text).viewer("north").given("least", "1").ask().unwrap();
        assert_eq!(csv(&by_query), csv(&own.query(text).given("least", "1").ask().unwrap()));
        assert_eq!(csv(&by_query).lines().count(), 3, "North and a total");
    }
    let why = session.query(text).viewer("north").explain("", None).unwrap();
    assert_eq!((why.value.as_str(), why.agrees), ("5", true));
    assert!(session.explained_rows(&why).is_none(), "rows are numbered as the viewer sees them");
    assert_eq!(own.explained_rows(&why).unwrap().rows.len(), 2);
    // Who sees only some rows stays who they are.
    let again = own.query(text).viewer("north").given("least", "1").ask().unwrap();
    assert_eq!(csv(&again), csv(&own.query(text).given("least", "1").ask().unwrap()));
    let other = own.query(text).viewer("south").ask().unwrap_err();
    assert_eq!(other.diagnostics()[0].code, "V607");
    assert!(other.to_string().contains("has only the rows that north sees"), "{other}");
    let unknown = session.query(text).viewer("nort").ask().unwrap_err();
    assert!(unknown.to_string().contains("did you mean north?"), "{unknown}");
}

#[test]
fn an_error_says_whose_fault_it_is_and_what_lies_under_it() {
    let session = builder().open().unwrap();
    let wrong = session.ask("show totl").unwrap_err();
    assert_eq!((wrong.kind(), wrong.diagnostics()[0].code.as_str()), (ErrorKind::Text, "V201"));
    assert!(wrong.source().is_none() && wrong.findings().is_empty());
    let overflow = session.ask("show sum(9000000000000000000 * amount) as x").unwrap_err();
    assert_eq!(overflow.kind(), ErrorKind::Outside);
    let under = overflow.source().unwrap().to_string();
    assert!(overflow.to_string().contains(&under), "{overflow} tells {under}");
}

/// Stops at the start of a step.
#[derive(Debug)]
struct StopsAt {
    step: usize,
    begun: AtomicUsize,
    stop: Stop,
}

impl Profiler for StopsAt {
    fn begins(&self) {
        if self.begun.fetch_add(1, Ordering::Relaxed) == self.step {
            self.stop.stop();
        }
    }
    fn ends(&self, _: Step) {}
}

#[test]
fn what_is_stopped_midway_ends_with_an_error_of_its_own() {
    let text = "rows calendar.month show total, (total during year to date) as y, count(rows of sale where \
                (total per sale.shop) > 2) as n totals on rows";
    let begun = |step: usize| {
        let stop = Stop::default();
        let watch = Arc::new(StopsAt { step, begun: AtomicUsize::new(0), stop: stop.clone() });
        let options = Options { profiler: Some(watch.clone()), ..Options::default() };
        let session = builder().options(options).open().unwrap();
        let asked = session.query(text).stopped_by(&stop).ask();
        (asked, watch.begun.load(Ordering::Relaxed))
    };
    let (whole, steps) = begun(usize::MAX);
    assert!(whole.is_ok() && steps > 10, "{steps} steps");
    let mut stopped = 0;
    for step in 0..steps {
        match begun(step).0 {
            Ok(reply) => assert_eq!(csv(&reply), csv(whole.as_ref().unwrap()), "after the last look"),
            Err(error) => {
                assert_eq!(
                    (error.kind(), error.diagnostics()[0].code.as_str()),
                    (ErrorKind::Stopped, "V513")
                );
                stopped += 1;
            }
        }
    }
    assert!(stopped > steps / 2, "{stopped} of {steps} were stopped");
}

/// Which passes there were: whether each was remembered, and how many rows it looked at.
#[derive(Debug, Default)]
struct Passes(Mutex<Vec<(bool, usize)>>);

impl Profiler for Passes {
    fn begins(&self) {}
    fn ends(&self, step: Step) {
        if let Step::Pass(pass) = step {
            self.0.lock().unwrap().push((pass.plan.access == Access::ResultCache, pass.read));
        }
    }
}

#[test]
fn what_queries_found_is_remembered_within_its_limit_and_for_the_same_rows_alone() {
    let asked = |most: usize, viewer: Option<&str>| {
        let passes = Arc::new(Passes::default());
        let options =
            Options { profiler: Some(passes.clone()), result_cache_limit: most, ..Options::default() };
        let session = builder().options(options).open().unwrap();
        let session = viewer.map_or(session.clone(), |name| session.seen_by(name).unwrap());
        move |text: &str| {
            passes.0.lock().unwrap().clear();
            let answer = csv(&session.ask(text).unwrap());
            (answer, passes.0.lock().unwrap().clone())
        }
    };
    let ask = asked(1 << 20, None);
    let plain = builder().open().unwrap();
    let anew = vec![(false, 3)];
    let known = vec![(true, 0)];
    let queries = [
        ("rows sale.shop show total", &anew),
        ("rows sale.shop show total", &known),
        ("rows sale.shop show total * 2 as twice sort twice", &known),
        ("rows sale.shop show total where sale.amount > 1", &anew),
        ("rows sale.shop show total where sale.amount > 2", &anew),
        ("rows sale.shop show total where sale.amount > 1", &known),
        ("rows sale.shop show min(amount) as least", &anew),
        ("rows calendar.month show total", &anew),
        // As numbers they are equal, as texts they are not.
        ("show min(concat(sale.shop, cast(1 as text))) as n", &anew),
        ("show min(concat(sale.shop, cast(1.0 as text))) as n", &anew),
    ];
    for (text, wanted) in queries {
        let (answer, passes) = ask(text);
        assert_eq!((answer, &passes), (csv(&plain.ask(text).unwrap()), wanted), "{text}");
    }
    // Who sees less finds nothing that others left, and nobody finds what was too large.
    let north = asked(1 << 20, Some("north"));
    assert_eq!(north("show total").0, csv(&plain.seen_by("north").unwrap().ask("show total").unwrap()));
    for most in [0, 16] {
        let little = asked(most, None);
        (0..2).for_each(|_| assert_eq!(little("rows sale.shop show total").1, anew, "{most}"));
    }
}

#[test]
fn a_handle_tells_how_many_rows_were_read() {
    let session = builder().open().unwrap();
    let rows = session.star().rows(session.model().find_table("sale").unwrap()) as u64;
    let read = |text: &str| {
        let stop = Stop::default();
        session.query(text).stopped_by(&stop).ask().unwrap();
        stop.rows_read()
    };
    assert_eq!((read("show total").read, read("show total").to_read), (rows, rows));
    assert_eq!(read("list sale.shop from sale").read, rows);
    let twice = read("show total, (total where sale.shop = 'North') as north, count(rows of sale) as n");
    assert!(twice.to_read >= twice.read && twice.read >= rows, "{twice:?}");
}

#[test]
fn members_stand_in_the_order_of_another_column() {
    let opened = |rank: &str| {
        let model = "dimension item from 'item' key code\nfact sale from 'sale'\nlink sale.code to item\n\
             column item.size order by size_rank\nmeasure paid = sum(amount)\n";
        let items =
            format!("code,size,size_rank\nA,Large,3\nB,Small,1\nC,Medium,2\nD,Large,{rank}\nE,Odd,\n");
        Session::builder()
            .model_text("m.vembra", model)
            .csv_text("item", items)
            .csv_text("sale", "code,amount\nA,1\nB,2\nC,4\nD,8\nE,16\n")
            .open()
    };
    let session = opened("3").unwrap();
    let csv = |query: &str| session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    assert_eq!(csv("rows item.size show paid"), "item.size,paid\nSmall,2\nMedium,4\nLarge,9\nOdd,16\n");
    // What a member stands for is known by it, as by a level of a hierarchy.
    assert_eq!(
        csv("rows item.size_rank, item.size show paid where item.size <> 'Odd' sort size descending"),
        "item.size_rank,item.size,paid\n3,Large,9\n2,Medium,4\n1,Small,2\n"
    );
    let broken = opened("7").unwrap_err().to_string();
    let told = "error[V506] item, line 5, column size: the order by size_rank does not hold: 'Large' stands with 3 and with 7";
    assert!(broken.contains(told), "{broken}");
}

/// What nothing else needs may be wrong: the rest answers, with a note; it is never shown in part.
#[test]
fn a_broken_report_stops_nothing_else() {
    let more = "report good 'Good' = rows sale.shop show total drawn as bars\n\
        report broken 'Broken' = rows sale.shop show totl drawn as bars\n\
        report cut 'Cut' = rows sale.shop show total where\n  drawn as bars\n\
        dashboard page 'Page' 800 by 600 row 1: good, broken\n\
        dashboard fine 'Fine' 800 by 600 row 1: good\n\
        assert 'odd': totl > 1\nassert 'seven': total = 7\n";
    let opened = |more: &str| {
        Session::builder().model_text("m.vembra", format!("{MODEL}{more}")).csv_text("sale", SALES).open()
    };
    let session = opened(more).unwrap();
    let reply = session.ask("show total").unwrap();
    assert_eq!(reply.csv(Layout::Tidy).unwrap(), "total\n7\n");
    let note = "note[V418]: the report broken of the model and 3 more are wrong, and were left out";
    assert!(reply.notes_text(false).starts_with(note), "{}", reply.notes_text(false));
    let codes: Vec<&str> = session.diagnostics().iter().map(|d| d.code.as_str()).collect();
    assert_eq!(codes, ["V103", "V201", "V201"]);
    let titles: Vec<String> = session.assertions().unwrap().iter().map(|o| o.title.clone()).collect();
    assert_eq!(titles, ["seven"]);
    // What anything else could need stops everything.
    for deep in ["column sale.odd = totl + 1\n", "viewer v sees only sale.shp = 'x'\n", "param p: integr\n"] {
        assert!(opened(&format!("{more}{deep}")).is_err(), "{deep}");
    }
}

/// A default that comes from the data is that of the rows that are seen, and holds in assertions too.
#[test]
fn a_default_may_come_from_the_data() {
    let more = "param last_day: date default (max(sale.day) overall)\nmeasure on_last = total where sale.day = :last_day\n\
        assert 'something came in': on_last > 0\n";
    let builder = Session::builder().model_text("m.vembra", format!("{MODEL}{more}"));
    let session = builder.csv_text("sale", SALES).open().unwrap();
    let csv = |session: &Session, query: &str| session.ask(query).unwrap().csv(Layout::Tidy).unwrap();
    let query = "show :last_day as day, on_last";
    assert_eq!(csv(&session, query), "day,on_last\n2025-02-02,4\n");
    assert_eq!(
        csv(&session, &format!("{query} given last_day = '2025-01-01'")),
        "day,on_last\n2025-01-01,1\n"
    );
    assert_eq!(csv(&session.seen_by("south").unwrap(), query), "day,on_last\n2025-02-01,2\n");
    assert!(session.assertions().unwrap().iter().all(vembra::Outcome::holds));
}

/// Rows are numbered in 32 bits: a table of more of them is refused, not cut.
#[test]
fn a_table_of_too_many_rows_is_refused() {
    let open = |rows: usize| {
        let table = vembra::Table { rows, origin: "huge".to_owned(), ..vembra::Table::default() };
        Session::builder().model_text("m.vembra", "fact t from 't'\n").table("t", table).open()
    };
    assert!(open(4_294_967_293).is_ok());
    let told = open(4_294_967_294).unwrap_err().to_string();
    assert!(
        told.contains("error[V628] huge: the table has 4,294,967,294 rows, and 4,294,967,293 are the most"),
        "{told}"
    );
}
