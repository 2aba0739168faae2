//! What commands keep for the next one: killed midway, several at once, without room on the disk, turned off.
#![allow(clippy::unwrap_used)] // Tests stop at the first fault.

use std::fs;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::Instant;

const QUERY: &str = "rows product.kind show sum(twice) as twice, max(note) as last, count(distinct day) as days totals on rows";
/// Of each kind 15,000 rows: the even numbers below 100 are 49 in the middle, the odd ones 50, each a quarter more, and twice.
const ANSWER: &str = "line,over,product.kind,twice,last,days\ndetail,,A,1477500.00,n8,14\n\
     detail,,B,1507500.00,n9,14\ntotal,product.kind,,2985000.00,n9,28\n";

const MODEL: &str = "\
calendar covering sale.sold_on
dimension product from 'product.csv' key sku
fact sale from 'sale.csv'
link sale.sku to product
link sale.sold_on to calendar as sold
column sale.twice = amount * 2
column sale.day = extract(day from sold_on)
derived by_note = rows sale.note show sum(amount) as amount
";

fn shop(folder: &Path) {
    let line = |at: usize| format!("P{},2024-01-{:02},{}.25,n{}\n", at % 2, at % 28 + 1, at % 100, at % 10);
    let lines: String = (0..30_000).map(line).collect();
    fs::write(folder.join("sale.csv"), format!("sku,sold_on,amount,note\n{lines}")).unwrap();
    fs::write(folder.join("product.csv"), "sku,kind\nP0,A\nP1,B\n").unwrap();
    fs::write(folder.join("shop.vembra"), MODEL).unwrap();
}

fn vembra(folder: &Path, arguments: &[&str], cache: &str) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
    command.current_dir(folder).args(arguments).env("VEMBRA_CACHE", cache);
    command
}

fn ask(folder: &Path, cache: &str) -> Command {
    vembra(folder, &["ask", "shop.vembra", QUERY, "--format", "csv"], cache)
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8(bytes.to_vec()).unwrap()
}

fn assert_right(output: &Output, when: &str) {
    assert_eq!((text(&output.stdout).as_str(), text(&output.stderr).as_str()), (ANSWER, ""), "{when}");
    assert_eq!(output.status.code(), Some(0), "{when}");
}

#[test]
fn a_command_that_is_killed_while_it_keeps_leaves_nothing_wrong() {
    let folder = tempfile::tempdir().unwrap();
    shop(folder.path());
    let kills: u32 = std::env::var("VEMBRA_KILLS").ok().map_or(25, |n| n.parse().unwrap());
    // How long a command takes that reads and keeps everything.
    let start = Instant::now();
    assert_right(&ask(folder.path(), "whole").output().unwrap(), "first");
    let whole = start.elapsed();
    let mut midway = 0;
    for kill in 0..kills {
        if kill % 4 > 0 && folder.path().join("kept").exists() {
            // Nothing is kept yet; else the last one's work stands, as far as it came.
            fs::remove_dir_all(folder.path().join("kept")).unwrap();
        }
        let mut child =
            ask(folder.path(), "kept").stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(whole.mul_f64(f64::from(kill * 37 % 100) / 90.0));
        midway += u32::from(child.try_wait().unwrap().is_none());
        child.kill().unwrap();
        child.wait().unwrap();
        if kill % 3 != 0 {
            // The next one may be killed over what this one has left.
            assert_right(&ask(folder.path(), "kept").output().unwrap(), &format!("kill {kill}"));
        }
    }
    assert!(midway * 4 > kills, "{midway} of {kills} were killed at work");
}

#[test]
fn several_commands_at_once_keep_the_same() {
    let folder = tempfile::tempdir().unwrap();
    shop(folder.path());
    for round in 0..3 {
        let start =
            || ask(folder.path(), "kept").stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let children: Vec<_> = (0..4).map(|_| start()).collect();
        for child in children {
            let output = child.wait_with_output().unwrap();
            assert_eq!(text(&output.stdout), ANSWER, "round {round}");
        }
    }
    assert_right(&ask(folder.path(), "kept").output().unwrap(), "last");
    let listed = text(&vembra(folder.path(), &["cache"], "kept").output().unwrap().stdout);
    assert_eq!(listed.matches(" 30,000 ").count(), 1, "{listed}");
    let left = fs::read_dir(folder.path().join("kept/tables")).unwrap();
    let left: Vec<_> = left.map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    assert!(left.iter().all(|name| !name.starts_with("part-")), "{left:?}");
}

#[cfg(unix)]
#[test]
fn without_room_on_the_disk_the_answer_is_the_same_and_it_is_told() {
    let folder = tempfile::tempdir().unwrap();
    shop(folder.path());
    // Files of more than this many blocks cannot be written.
    let script = format!(
        "trap '' XFSZ; ulimit -f 20; VEMBRA_CACHE=kept exec {} ask shop.vembra \"$0\" --format csv",
        env!("CARGO_BIN_EXE_vembra")
    );
    let output = Command::new("sh").args(["-c", &script, QUERY]).current_dir(folder.path()).output().unwrap();
    assert_eq!(text(&output.stdout), ANSWER);
    assert_eq!(output.status.code(), Some(0));
    let told = text(&output.stderr);
    assert!(told.starts_with("note[V645] kept: what was read cannot be kept for the next time: "), "{told}");
    assert!(told.ends_with("help: keep it in another folder, or nothing, by --cache\n"), "{told}");
    assert_right(&ask(folder.path(), "kept").output().unwrap(), "with room again");
}

#[cfg(unix)]
#[test]
fn what_is_kept_is_the_users_own_and_can_be_turned_off_listed_and_removed() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    shop(folder.path());
    let exists = || folder.path().join("kept").exists();
    assert_right(&ask(folder.path(), "off").output().unwrap(), "off");
    assert!(!exists());
    let listed =
        |arguments: &[&str]| text(&vembra(folder.path(), arguments, "kept").output().unwrap().stdout);
    assert_eq!(listed(&["cache"]), "nothing is cached in kept\n");
    assert_right(&ask(folder.path(), "kept").output().unwrap(), "first");
    for entry in fs::read_dir(folder.path().join("kept/tables")).unwrap() {
        let table = entry.unwrap().path();
        assert_eq!(fs::metadata(&table).unwrap().permissions().mode() & 0o777, 0o700);
        for file in fs::read_dir(table).unwrap() {
            assert_eq!(file.unwrap().metadata().unwrap().permissions().mode() & 0o777, 0o600);
        }
    }
    let all = listed(&["cache"]);
    let names: Vec<&str> = all
        .lines()
        .skip(2)
        .filter_map(|l| l.split("shop.vembra").last()?.split_whitespace().next())
        .collect();
    assert_eq!(names[..3], ["by_note", "sale", "(links,"], "{all}");
    assert!(all.ends_with(" in kept, where at most 10 GB are cached\n"), "{all}");
    assert_eq!(listed(&["cache", "other.vembra"]), "nothing is cached in kept\n");
    let checked = listed(&["check", "shop.vembra"]);
    assert!(checked.contains("what was read is cached in kept for the next command"), "{checked}");
    assert_right(
        &vembra(folder.path(), &["ask", "shop.vembra", QUERY, "--format", "csv", "--fresh"], "kept")
            .output()
            .unwrap(),
        "fresh",
    );
    std::fs::write(folder.path().join("small.vembra"), "fact product from 'product.csv'\n").unwrap();
    let small = listed(&["check", "small.vembra"]);
    assert!(small.contains("product") && !small.contains("kept"), "{small}");
    let removed = listed(&["cache", "shop.vembra", "--remove"]);
    assert!(removed.starts_with("removed ") && removed.ends_with(" from kept\n"), "{removed}");
    assert_eq!(listed(&["cache"]), "nothing is cached in kept\n");
}

#[test]
fn a_model_says_where_it_is_kept_unless_the_command_does() {
    let folder = tempfile::tempdir().unwrap();
    shop(folder.path());
    let model = folder.path().join("shop.vembra");
    let command = |arguments: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_vembra"));
        // The user's own folder is another one in this test.
        let home = folder.path().join("home");
        command
            .current_dir(folder.path())
            .env_remove("VEMBRA_CACHE")
            .env("HOME", &home)
            .env("XDG_CACHE_HOME", &home);
        text(&command.args(arguments).output().unwrap().stdout)
    };
    let ask = ["ask", "shop.vembra", QUERY, "--format", "csv"];
    let exists = |below: &str| folder.path().join(below).exists();
    fs::write(&model, format!("{MODEL}not cached\n")).unwrap();
    assert_eq!(command(&ask), ANSWER);
    assert!(!exists("home"));
    assert_eq!(command(&["cache", "shop.vembra"]), "nothing is cached: that is turned off\n");
    fs::write(&model, format!("{MODEL}cached in 'cache'\n")).unwrap();
    assert_eq!(command(&ask), ANSWER);
    assert!(exists("cache/tables") && !exists("home"));
    assert!(command(&["cache", "shop.vembra"]).contains("sale"), "listed where it is");
    assert_eq!(command(&[&ask[..], &["--cache", "told"]].concat()), ANSWER);
    assert!(exists("told/tables") && !exists("home"));
    fs::write(&model, MODEL).unwrap();
    assert_eq!(command(&ask), ANSWER);
    assert!(exists("home"));
    fs::write(&model, format!("{MODEL}cached in '../cache'\n")).unwrap();
    assert_eq!(command(&ask), "", "not outside the folder of the model");
}
