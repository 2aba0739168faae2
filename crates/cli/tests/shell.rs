//! The prompt in a real pseudo-terminal, and the same commands from a file.
#![allow(clippy::expect_used, clippy::panic)] // Tests stop at the first fault.

use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use std::io::{Read, Write};
use std::num::NonZero;
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

const ROWS: NonZero<u16> = NonZero::new(40).expect("more than none");
const COLUMNS: NonZero<u16> = NonZero::new(100).expect("more than none");

const MODEL: &str = "\
calendar from '2025-01-01' to '2025-12-31'
dimension shop from 'shop.csv' key code
fact sale from 'sale.csv'
link sale.shop to shop
link sale.sold_on to calendar as sold default
hierarchy shop.place = region, town
measure takings = sum(amount)
measure sales = count(rows of sale)
param least: integer default 0
report by_town 'By town' = rows shop.town show takings
";

fn model() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).expect("a file");
    write("shops.vembra", MODEL);
    write("shop.csv", "code,region,town\na,North,Ashby\nb,North,Bell\nc,South,Cole\n");
    write("sale.csv", "shop,sold_on,amount\na,2025-01-02,10.00\nb,2025-01-05,5.00\nc,2025-02-05,7.50\n");
    folder
}

type Writer = Arc<Mutex<Box<dyn Write + Send>>>;

/// A terminal with the shell in it.
struct Terminal {
    screen: Arc<Mutex<vt100::Parser>>,
    keys: Writer,
    child: Box<dyn Child + Send + Sync>,
    _master: Box<dyn MasterPty + Send>,
}

impl Terminal {
    fn open(folder: &Path, arguments: &[&str]) -> Self {
        let size = PtySize { rows: ROWS.get(), cols: COLUMNS.get(), pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).expect("a pseudo-terminal");
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_vembra"));
        command.env("VEMBRA_CACHE", "off");
        command.args(["shell", "shops.vembra"]);
        command.args(arguments);
        command.cwd(folder);
        command.env("TERM", "xterm-256color");
        let child = pair.slave.spawn_command(command).expect("the shell starts");
        drop(pair.slave);
        let mut output = pair.master.try_clone_reader().expect("an output");
        let keys: Writer = Arc::new(Mutex::new(pair.master.take_writer().expect("an input")));
        let screen = Arc::new(Mutex::new(vt100::Parser::new(ROWS, COLUMNS, 0)));
        let (shown, replies) = (screen.clone(), keys.clone());
        std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = output.read(&mut bytes) {
                let mut parser = shown.lock().expect("the screen");
                parser.process(&bytes[..count]);
                // A terminal tells where its cursor is when it is asked.
                if bytes[..count].windows(4).any(|w| w == b"\x1b[6n") {
                    let (row, column) = parser.screen().cursor_position();
                    let reply = format!("\x1b[{};{}R", row + 1, column + 1);
                    replies.lock().expect("the keys").write_all(reply.as_bytes()).expect("the shell listens");
                }
            }
        });
        let terminal = Self { screen, keys, child, _master: pair.master };
        terminal.wait("shops> ");
        terminal
    }

    fn keys(&self, text: &str) {
        let mut keys = self.keys.lock().expect("the keys");
        keys.write_all(text.as_bytes()).and_then(|()| keys.flush()).expect("the shell listens");
    }

    fn text(&self) -> String {
        self.screen.lock().expect("the screen").screen().contents()
    }

    /// Waits until the screen shows a text.
    fn wait(&self, text: &str) {
        self.wait_until(text, |screen| screen.contains(text));
    }

    fn wait_until(&self, what: &str, shows: impl Fn(&str) -> bool) {
        let start = Instant::now();
        while !shows(&self.text()) {
            assert!(start.elapsed() < Duration::from_secs(40), "no {what} on\n{}", self.text());
            std::thread::sleep(Duration::from_millis(15));
        }
    }

    /// Types a line and waits for what it brings.
    fn enter(&self, line: &str, shown: &str) {
        self.keys(line);
        self.wait(line);
        self.keys("\r");
        self.wait(shown);
    }

    fn clear(&self) {
        // Ctrl+L: a fresh screen, so that what is waited for is new.
        self.keys("\x0c");
        self.wait_until("empty screen", |screen| screen.trim() == "shops>");
    }

    fn end(mut self) {
        self.keys("quit\r");
        let start = Instant::now();
        while self.child.try_wait().expect("a state").is_none() {
            assert!(start.elapsed() < Duration::from_secs(20), "it does not end\n{}", self.text());
            std::thread::sleep(Duration::from_millis(15));
        }
        assert!(self.child.wait().expect("an end").success());
    }
}

#[test]
fn queries_are_completed_hinted_and_coloured() {
    let folder = model();
    let terminal = Terminal::open(folder.path(), &[]);
    // One completion is taken at once, several are offered with what they are.
    terminal.keys("sho\t");
    terminal.wait("shops> show");
    terminal.keys(" ta\t");
    terminal.wait("shops> show takings");
    {
        let parser = terminal.screen.lock().expect("the screen");
        let (row, _) = parser.screen().cursor_position();
        let cell = parser.screen().cell(row, 8).expect("a cell");
        assert_eq!((cell.contents(), cell.fgcolor()), ("h", vt100::Color::Idx(4)));
    }
    terminal.keys(" where shop.region = '\t");
    terminal.wait_until("both members", |s| s.contains("'North'") && s.contains("'South'"));
    terminal.keys("S\t");
    terminal.wait("shop.region = 'South'");
    terminal.keys("\x15");
    terminal.keys("show sum(");
    terminal.wait("sum(‹value› from TABLE where CONDITION)");
    terminal.keys("amount, ");
    terminal.keys("\x15desc\t");
    terminal.wait("shops> describe");
    terminal.keys(" tak\t");
    terminal.wait("describe takings");
    terminal.keys("\r");
    terminal.wait("= sum(amount)");
    terminal.end();
}

#[test]
fn lines_are_opened_explained_and_left_again() {
    let folder = model();
    let terminal = Terminal::open(folder.path(), &[]);
    terminal.enter("rows shop.region show takings", "2  South");
    terminal.enter("open 1", "2               Bell");
    terminal.enter("explain 2", "Worked out a second time");
    terminal.wait("takings at shop.region North, shop.town Bell: 5");
    terminal.clear();
    terminal.enter("up", "1  North");
    terminal.enter("open 9", "there is no line 9: the last answer has lines 1 to 2");
    terminal.end();
}

#[test]
fn a_query_goes_on_and_lines_come_back() {
    let folder = model();
    let history = folder.path().join("history");
    let file = history.to_str().expect("a path");
    let terminal = Terminal::open(folder.path(), &["--history", file]);
    // An open bracket asks for more.
    terminal.keys("show (takings\r");
    terminal.wait("  … ");
    terminal.keys("where shop.region = 'North') as north\r");
    terminal.wait("15.00");
    terminal.clear();
    terminal.keys("\x1b[A");
    terminal.wait("as north");
    // Ctrl+C drops the line, and the shell stays.
    terminal.keys("\x03");
    terminal.wait_until("an empty line", |screen| screen.trim_end().ends_with("as north\nshops>"));
    terminal.enter("show sales", "    3");
    terminal.end();
    let kept = std::fs::read_to_string(&history).expect("a history");
    assert!(kept.contains("show sales"), "{kept}");
    let terminal = Terminal::open(folder.path(), &["--history", file]);
    terminal.keys("\x1b[A\x1b[A");
    terminal.wait("show sales");
    terminal.keys("\x15");
    terminal.end();
}

#[test]
fn the_model_is_read_again_when_it_changes() {
    let folder = model();
    let terminal = Terminal::open(folder.path(), &[]);
    terminal.enter("show sales", "    3");
    std::fs::write(folder.path().join("shops.vembra"), format!("{MODEL}measure best = max(amount)\n"))
        .expect("a file");
    terminal.enter("show best", "10.00");
    terminal.wait("shops.vembra has changed and was read again");
    std::fs::write(folder.path().join("shops.vembra"), "measure = (\n").expect("a file");
    terminal.clear();
    terminal.enter("show best", "answers are still those of before");
    terminal.wait("10.00");
    terminal.end();
}

#[test]
fn long_answers_stop_after_a_screen() {
    let folder = model();
    let rows: String = (0..100).map(|n| format!("a,2025-01-02,{n}.00\n")).collect();
    std::fs::write(folder.path().join("sale.csv"), format!("shop,sold_on,amount\n{rows}")).expect("a file");
    let terminal = Terminal::open(folder.path(), &[]);
    terminal.enter("list amount from sale", "more lines: more shows the next ones, more all the rest");
    assert!(!terminal.text().contains("99.00"), "{}", terminal.text());
    terminal.enter("more", "60.00");
    terminal.enter("more all", "100 rows");
    terminal.enter("more", "there is nothing more to show");
    terminal.end();
}

/// Lines that come while an answer is worked out are taken one after the other.
#[test]
fn what_is_typed_ahead_is_not_lost() {
    let folder = model();
    let terminal = Terminal::open(folder.path(), &[]);
    terminal.keys("show takings\rshow sales as counted\rrows shop.region show takings\r");
    terminal.wait("22.50");
    terminal.wait("counted");
    terminal.wait("2  South");
    terminal.end();
}

#[test]
fn enter_runs_what_stands_there_and_completions_add_no_blanks() {
    let folder = model();
    let terminal = Terminal::open(folder.path(), &[]);
    terminal.keys("sho\t takings\r");
    terminal.wait("22.50");
    assert!(terminal.text().contains("shops> show takings"), "{}", terminal.text());
    // A menu is open below a line that is complete.
    terminal.keys("rows shop.region show \t");
    terminal.wait("sales");
    terminal.keys("sales\r");
    terminal.wait("2  South");
    terminal.clear();
    terminal.keys("show zzz\t");
    std::thread::sleep(Duration::from_millis(300));
    assert!(!terminal.text().contains("NO RECORDS FOUND"), "{}", terminal.text());
    terminal.keys("\x15");
    terminal.end();
}

#[test]
fn queries_are_refined_measures_tried_and_answers_saved() {
    let folder = model();
    let (said, code) = script(
        folder.path(),
        "rows shop.region show takings\nand where shop.town <> 'Bell'\nand totals on rows\nup\n\
         measure best = max(amount)\nshow best, takings\nsave out.csv\nmeasure best = min(amount)\nshow best\nsave shops.vembra\nsave x.foo\n",
    );
    assert!(said.contains("rows shop.region show takings where shop.town <> 'Bell'\n"), "{said}");
    assert!(
        said.contains("rows shop.region show takings where shop.town <> 'Bell' totals on rows\n"),
        "{said}"
    );
    assert!(said.contains("it stands until the shell ends; write it into the model to keep it"), "{said}");
    let saved = std::fs::read_to_string(folder.path().join("out.csv")).expect("a file");
    assert_eq!(saved, "best,takings\n10.00,22.50\n");
    assert!(said.contains("5.00") && said.contains("error: say by its ending what the file is"), "{said}");
    assert_eq!(code, Some(2));
    assert_eq!(std::fs::read_to_string(folder.path().join("shops.vembra")).expect("a file"), MODEL);
    for (text, wanted) in [
        ("and where shop.town = 'Bell'", "ask a query first"),
        ("show takings\nand", "and takes a clause"),
        ("show takings\nand nonsense", "one clause can be put in at a time"),
        ("measure best = max(amont)", "did you mean amount?"),
        ("measure takings = max(amount)", "the measure takings is declared twice"),
    ] {
        let (said, _) = script(folder.path(), text);
        assert!(said.contains(wanted), "{text}\n{said}");
    }
}

/// What the shell prints for lines of standard input, with its exit code.
fn script(folder: &Path, text: &str) -> (String, Option<i32>) {
    let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
        .env("VEMBRA_CACHE", "off")
        .args(["shell", "shops.vembra"])
        .current_dir(folder)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the shell starts");
    child.stdin.take().expect("an input").write_all(text.as_bytes()).expect("it reads");
    let output = child.wait_with_output().expect("it ends");
    let both = [output.stdout, output.stderr].concat();
    (String::from_utf8(both).expect("a text"), output.status.code())
}

#[test]
fn commands_from_a_file_say_what_is_wrong_with_them() {
    let folder = model();
    let cases = [
        ("open 1", "error: ask a query first"),
        ("up", "error: this is the query that was asked; nothing lies above it"),
        ("open one", "error: open takes the number of a line, such as open 3, or open 3 by product.name"),
        ("check now", "error: check stands alone"),
        ("show takings\nopen 1", "error: the last answer has no numbered lines"),
        (
            "rows shop.town show takings\nopen 1",
            "no hierarchy says what is finer: name the attribute, such as open 1 by shop.region",
        ),
        ("rows shop.region show takings totals on rows\nopen 3", "this is the total"),
        ("rows shop.place show takings\nopen 1 by shop.code", "2              b"),
        ("describe taking", "error: nothing is called taking; did you mean takings?"),
        ("given leest = 3", "there is no parameter leest"),
        ("draw nothing", "there is no report and no dashboard nothing"),
        ("show takings\nexplain shop.region = 'North'", "the query is not split by shop.region"),
        ("list shop, amount from sale\nexplain", "single rows explain themselves"),
        ("show takings where", "expected a value"),
        ("sow takings", "error["),
    ];
    for (text, wanted) in cases {
        let (said, _) = script(folder.path(), text);
        assert!(said.contains(wanted), "{text}\n{said}");
    }
    let (said, code) = script(
        folder.path(),
        "given least = 6\nlist amount from sale where amount > :least\ngiven least\ngiven\n",
    );
    assert!(said.contains("least = 6") && said.contains("7.50") && !said.contains("5.00"), "{said}");
    assert!(said.ends_with("> given least\nnothing is given\n> given\nnothing is given\n"), "{said}");
    assert_eq!(code, Some(0));
    assert_eq!(script(folder.path(), "show nonsense").1, Some(2));
    let (said, _) = script(folder.path(), "draw\ndraw by_town\ncheck\nhelp\nquit\nshow takings\n");
    assert!(said.contains("by_town: By town") && said.contains("0 errors, 0 warnings, 1 note"), "{said}");
    // Behind the end nothing is asked any more.
    assert!(
        said.contains("explain [N | CELL] [show FIGURE]") && said.ends_with("the end\n> quit\n"),
        "{said}"
    );
}
