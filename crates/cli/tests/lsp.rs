//! The language server, spoken to in its protocol over standard input and output.
#![allow(clippy::expect_used, clippy::panic)] // Tests stop at the first fault.

use lsp_server::{Message, Notification, Request, RequestId};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::io::BufReader;
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::time::Duration;

struct Client {
    child: Child,
    input: ChildStdin,
    output: BufReader<ChildStdout>,
    next: i32,
    /// The newest messages about each file.
    said: BTreeMap<String, Value>,
}

impl Client {
    fn start(encodings: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
            .env("VEMBRA_CACHE", "off")
            .arg("lsp")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .expect("the server starts");
        // A server that says nothing more must not keep the test waiting.
        let id = child.id().to_string();
        std::thread::spawn(move || {
            std::thread::sleep(Duration::from_mins(2));
            // It has ended long ago unless something is wrong.
            drop(Command::new("kill").arg(id).status());
        });
        let input = child.stdin.take().expect("an input");
        let output = BufReader::new(child.stdout.take().expect("an output"));
        let mut client = Self { child, input, output, next: 0, said: BTreeMap::new() };
        let general = json!({ "positionEncodings": encodings });
        let result = client.ask("initialize", json!({ "capabilities": { "general": general } }));
        assert_eq!(result["serverInfo"]["name"], "vembra");
        client.tell("initialized", json!({}));
        client
    }

    fn send(&mut self, message: Message) {
        message.write(&mut self.input).expect("the server reads");
    }

    fn tell(&mut self, method: &str, params: Value) {
        self.send(Message::Notification(Notification::new(method.to_owned(), params)));
    }

    fn read(&mut self) -> Message {
        Message::read(&mut self.output).expect("a message").expect("the server is there")
    }

    fn take_news(&mut self, news: Notification) {
        assert_eq!(news.method, "textDocument/publishDiagnostics");
        let uri = news.params["uri"].as_str().expect("an address").to_owned();
        self.said.insert(uri, news.params["diagnostics"].clone());
    }

    /// The answer, or the error with its message.
    fn try_ask(&mut self, method: &str, params: Value) -> Result<Value, (i32, String)> {
        self.next += 1;
        let id = RequestId::from(self.next);
        self.send(Message::Request(Request::new(id.clone(), method.to_owned(), params)));
        loop {
            match self.read() {
                Message::Response(response) if response.id == id => {
                    return response.response_result.map_err(|error| (error.code, error.message));
                }
                Message::Notification(news) => self.take_news(news),
                other => panic!("unexpected {other:?}"),
            }
        }
    }

    fn ask(&mut self, method: &str, params: Value) -> Value {
        self.try_ask(method, params).unwrap_or_else(|(_, why)| panic!("{method}: {why}"))
    }

    /// Tells of something that changes what is to be said.
    fn tell_news(&mut self, method: &str, params: Value) {
        self.said.clear();
        self.tell(method, params);
    }

    fn open(&mut self, uri: &str, text: &str) {
        let document = json!({ "uri": uri, "languageId": "vembra", "version": 1, "text": text });
        self.tell_news("textDocument/didOpen", json!({ "textDocument": document }));
    }

    fn change(&mut self, uri: &str, text: &str) {
        let document = json!({ "uri": uri, "version": 2 });
        self.tell_news(
            "textDocument/didChange",
            json!({ "textDocument": document, "contentChanges": [{ "text": text }] }),
        );
    }

    /// What is said of a file once the server has told what is new of it.
    fn news_of(&mut self, uri: &str) -> Value {
        while !self.said.contains_key(uri) {
            match self.read() {
                Message::Notification(news) => self.take_news(news),
                other => panic!("unexpected {other:?}"),
            }
        }
        self.said[uri].clone()
    }

    fn end(mut self) {
        assert_eq!(self.ask("shutdown", Value::Null), Value::Null);
        self.tell("exit", Value::Null);
        assert!(self.child.wait().expect("it ends").success());
    }
}

/// Where `what` stands in a text, counted in units of UTF-16, `skip` characters further on.
fn position(text: &str, what: &str, skip: usize) -> Value {
    let at = text.find(what).unwrap_or_else(|| panic!("{what}")) + skip;
    let line = text[..at].matches('\n').count();
    let start = text[..at].rfind('\n').map_or(0, |n| n + 1);
    json!({ "line": line, "character": text[start..at].encode_utf16().count() })
}

fn at(uri: &str, text: &str, what: &str, skip: usize) -> Value {
    json!({ "textDocument": { "uri": uri }, "position": position(text, what, skip) })
}

const MAIN: &str = "\
-- 🐝 honey
calendar from '2025-01-01' to '2025-12-31'
dimension shop from 'shop.csv' key code
fact sale from 'sale.csv'
link sale.shop to shop
link sale.sold_on to calendar as sold default
include 'more.vembra'
measure takings = sum(amount) label '🐝🐝 takings' about 'What was taken.'
measure big = takings where shop.size = 'big'
";
const MORE: &str = "measure per_shop = avg(takings per shop.code)\n";

/// A folder with a model of two files, and their addresses.
fn model() -> (tempfile::TempDir, String, String) {
    let folder = tempfile::tempdir().expect("a folder");
    let write = |name: &str, text: &str| {
        std::fs::write(folder.path().join(name), text).expect("a file");
    };
    write("a model.vembra", MAIN);
    write("more.vembra", MORE);
    write("shop.csv", "code,size\na,big\nb,small\n");
    write("sale.csv", "shop,sold_on,amount\na,2025-01-02,10.00\nb,2025-01-05,5.00\n");
    let direct = std::fs::canonicalize(folder.path()).expect("a path");
    let uri = |name: &str| format!("file://{}/{name}", direct.display());
    let (main, more) = (uri("a%20model.vembra"), uri("more.vembra"));
    (folder, main, more)
}

fn labels(items: &Value) -> Vec<&str> {
    items.as_array().expect("a list").iter().map(|i| i["label"].as_str().expect("a label")).collect()
}

#[test]
fn an_editor_is_served_while_a_model_is_written() {
    let (_folder, main, more) = model();
    let mut client = Client::start(&["utf-16"]);
    client.open(&main, MAIN);
    assert_eq!(client.news_of(&main), json!([]));

    // What is wrong is told with its place, and taken back when it is fixed.
    let broken = MAIN.replace("sum(amount)", "sum(amout)");
    client.change(&main, &broken);
    let said = client.news_of(&main);
    assert_eq!(said[0]["code"], "V201");
    assert_eq!(said[0]["range"]["start"], position(&broken, "amout", 0));
    let range = said[0]["range"].clone();
    let wanted = json!({ "textDocument": { "uri": main }, "range": range, "context": { "diagnostics": [] } });
    let actions = client.ask("textDocument/codeAction", wanted);
    assert_eq!(actions[0]["edit"]["changes"][&main][0]["newText"], "amount");
    client.change(&main, MAIN);
    assert_eq!(client.news_of(&main), json!([]));

    // Members of a column, behind letters that take two units each.
    let typed = MAIN.replace("shop.size = 'big'", "shop.size = 's");
    client.change(&main, &typed);
    let found = client.ask("textDocument/completion", at(&main, &typed, "shop.size = 's", 14));
    assert_eq!(labels(&found), ["'small'"]);
    assert_eq!(found[0]["textEdit"]["range"]["start"], position(&typed, "shop.size = 's", 12));
    client.change(&main, MAIN);

    let hover = client.ask("textDocument/hover", at(&main, MAIN, "takings where", 2));
    let text = hover["contents"]["value"].as_str().expect("a text");
    assert_eq!(
        text,
        "```vembra\nmeasure takings = sum(amount)\n```\n\ndecimal, one per cell\n\nWhat was taken."
    );
    let hover = client.ask("textDocument/hover", at(&main, MAIN, "size = ", 0));
    let text = hover["contents"]["value"].as_str().expect("a text");
    assert_eq!(text, "```vembra\ncolumn shop.size: text\n```\n\n2 different: big, small");
    let help = client.ask("textDocument/signatureHelp", at(&main, MAIN, "sum(amount", 4));
    assert_eq!(help["signatures"][0]["label"], "sum(value from TABLE where CONDITION)");
    assert_eq!(help["activeParameter"], 0);

    // From one file to the other and back.
    client.open(&more, MORE);
    let found = client.ask("textDocument/definition", at(&more, MORE, "takings", 0));
    assert_eq!(found[0]["uri"], main.as_str());
    assert_eq!(found[0]["range"]["start"], position(MAIN, "takings", 0));
    let mut params = at(&main, MAIN, "takings", 3);
    params["context"] = json!({ "includeDeclaration": true });
    let found = client.ask("textDocument/references", params);
    assert_eq!(found.as_array().map(Vec::len), Some(3));

    let mut params = at(&more, MORE, "takings", 0);
    params["newName"] = json!("till roll");
    let edits = client.ask("textDocument/rename", params.clone());
    assert_eq!(edits["changes"][&more][0]["newText"], "\"till roll\"");
    assert_eq!(edits["changes"][&main].as_array().map(Vec::len), Some(2));
    params["newName"] = json!("big");
    let refused = client.try_ask("textDocument/rename", params).expect_err("taken");
    assert_eq!(refused.1, "the name big is taken by a measure");
    let ready = client.ask("textDocument/prepareRename", at(&main, MAIN, "takings", 1));
    assert_eq!(ready["placeholder"], "takings");
    // A column of a file has its name there.
    let refused =
        client.try_ask("textDocument/prepareRename", at(&main, MAIN, "amount", 1)).expect_err("of a file");
    assert_eq!(refused.1, "the name sale.amount comes from the data: rename it there");

    let document = json!({ "textDocument": { "uri": main } });
    let symbols = client.ask("textDocument/documentSymbol", document.clone());
    let names: Vec<&str> =
        symbols.as_array().expect("a list").iter().map(|s| s["name"].as_str().expect("a name")).collect();
    assert_eq!(names[5..], ["more.vembra", "takings", "big"]);
    let ugly = MAIN.replace("measure big = ", "measure   big=");
    client.change(&main, &ugly);
    let mut params = document;
    params["options"] = json!({ "tabSize": 2, "insertSpaces": true });
    let edits = client.ask("textDocument/formatting", params.clone());
    assert!(edits[0]["newText"].as_str().expect("a text").contains("measure big = takings"));
    client.change(&main, "measure = (\n");
    let refused = client.try_ask("textDocument/formatting", params).expect_err("no layout");
    assert!(refused.1.starts_with("a wrong text has no layout"), "{}", refused.1);
    client.end();
}

/// Parts of a text by the protocol's own kinds; and a name that can be changed although something else is wrong.
#[test]
fn texts_are_coloured_and_names_change_beside_errors() {
    let (_folder, main, _) = model();
    let mut client = Client::start(&["utf-8"]);
    client.open(&main, MAIN);
    let tokens = client.ask("textDocument/semanticTokens/full", json!({ "textDocument": { "uri": main } }));
    let data: Vec<u64> =
        tokens["data"].as_array().expect("numbers").iter().map(|n| n.as_u64().expect("a number")).collect();
    assert!(data.len().is_multiple_of(5) && data.len() > 50);
    // The model starts with a comment.
    let first = MAIN.lines().next().expect("a line").len() as u64;
    assert_eq!(data[..5], [0, 0, first, 4, 0]);
    let wrong = format!("{MAIN}measure broken = sum(amonut)\n");
    client.change(&main, &wrong);
    let mut params = at(&main, &wrong, "big", 0);
    params["newName"] = json!("large");
    assert!(client.ask("textDocument/rename", params)["changes"].is_object());
    let wrong = format!("{MAIN}measure broken = big + sum(amonut) whre big\n");
    client.change(&main, &wrong);
    let mut params = at(&main, &wrong, "big", 0);
    params["newName"] = json!("large");
    let refused = client.try_ask("textDocument/rename", params).expect_err("unclear");
    assert!(refused.1.starts_with("fix the error around line"), "{}", refused.1);
    client.end();
}

#[test]
fn a_missing_file_is_told_where_its_table_is_declared_and_read_when_it_comes() {
    let (folder, main, _) = model();
    std::fs::remove_file(folder.path().join("sale.csv")).expect("it was there");
    let mut client = Client::start(&[]);
    client.open(&main, MAIN);
    let said = client.news_of(&main);
    let missing =
        said.as_array().expect("a list").iter().find(|d| d["code"] == "V610").expect("the missing file");
    assert_eq!(missing["range"]["start"], position(MAIN, "fact sale", 0));
    std::fs::write(folder.path().join("sale.csv"), "shop,sold_on,amount\na,2025-01-02,10.00\n")
        .expect("a file");
    client.tell_news("textDocument/didSave", json!({ "textDocument": { "uri": main } }));
    assert_eq!(client.news_of(&main), json!([]));
    client.end();
}

#[test]
fn an_included_file_is_read_as_part_of_its_model() {
    let (_folder, main, more) = model();
    let mut client = Client::start(&[]);
    // Alone it would know no table at all.
    client.open(&more, MORE);
    assert_eq!(client.news_of(&more), json!([]));
    let broken = MORE.replace("shop.code", "shop.cod");
    client.change(&more, &broken);
    assert_eq!(client.news_of(&more)[0]["code"], "V203");
    client.tell_news("textDocument/didClose", json!({ "textDocument": { "uri": more } }));
    assert_eq!(client.news_of(&more), json!([]));
    assert!(client.said.contains_key(&main));
    client.end();
}

#[test]
fn what_the_server_does_not_understand_is_said() {
    let (_folder, main, _) = model();
    let mut client = Client::start(&["utf-8"]);
    let (code, why) = client.try_ask("textDocument/moniker", json!({})).expect_err("no such method");
    assert_eq!((code, why.as_str()), (-32601, "there is no method textDocument/moniker"));
    let (code, why) = client.try_ask("textDocument/hover", json!({ "a": 1 })).expect_err("bad parameters");
    assert_eq!(code, -32602, "{why}");
    // A file that nobody opened has no answers; neither has a place behind the end.
    assert_eq!(client.ask("textDocument/hover", at(&main, MAIN, "shop", 0)), Value::Null);
    client.open(&main, MAIN);
    let far = json!({ "textDocument": { "uri": main }, "position": { "line": 900, "character": 7 } });
    assert_eq!(client.ask("textDocument/hover", far), Value::Null);
    client.tell("textDocument/didChange", json!({ "nothing": true }));
    client.tell("$/unknown", json!({}));
    assert_eq!(client.news_of(&main), json!([]));
    client.end();
}

/// Every place of a broken text gets an answer of some kind to every request.
#[test]
fn no_place_of_a_broken_text_stops_the_server() {
    let (_folder, main, _) = model();
    let text = "measure a = (b via \n  'é🐝\nreport \"x' = show ( drawn as\ncolumn .=\n:p 1e\n";
    let mut client = Client::start(&[]);
    client.open(&main, text);
    let methods = ["completion", "hover", "signatureHelp", "definition", "prepareRename"];
    for line in 0..6 {
        for character in 0..16 {
            let place = json!({ "line": line, "character": character });
            for method in methods {
                let params = json!({ "textDocument": { "uri": main }, "position": place });
                client.ask(&format!("textDocument/{method}"), params);
            }
        }
    }
    client.end();
}

/// A message that is none, and an end without a word: what happened is said.
#[test]
fn broken_messages_are_named() {
    let told = |input: &[u8]| {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vembra"))
            .env("VEMBRA_CACHE", "off")
            .arg("lsp")
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .expect("the server starts");
        std::io::Write::write_all(&mut child.stdin.take().expect("an input"), input).expect("it reads");
        let output = child.wait_with_output().expect("it ends");
        assert_eq!(output.status.code(), Some(3));
        String::from_utf8_lossy(&output.stderr).into_owned()
    };
    assert!(told(b"Content-Length: many\r\n\r\n{}").contains("what the editor sends cannot be read"));
    assert!(told(b"Content-Length: 5000\r\n\r\n{}").contains("what the editor sends cannot be read"));
    let huge = told(b"Content-Length: 99999999999999\r\n\r\n{}");
    assert!(huge.contains("99999999999999 bytes"), "{huge}");
    assert!(told(b"").contains("standard input ended before the editor said that it is done"));
}
