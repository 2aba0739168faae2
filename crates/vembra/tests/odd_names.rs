//! Names with blanks and words of the language: what a message advises can be pasted.

use vembra::Session;

fn session() -> Session {
    Session::builder()
        .model_text(
            "m.vembra",
            "dimension \"Ship To\" from 'to' key \"Cust No\"\nfact \"Order Line\" from 'line'\n\
             link \"Order Line\".\"Cust No\" to \"Ship To\"\nmeasure \"Net Value\" = sum(\"Order Line\".\"Net €\")\n\
             measure per_one = avg(\"Net Value\" per \"Ship To\".\"Cust No\")\n",
        )
        .csv_text("Ship To", "Cust No,Post Town,group\n1,Ash,a\n2,Elm,b\n")
        .csv_text("Order Line", "Cust No,Net €\n1,10\n2,20\n,5\n")
        .open()
        .unwrap()
}

/// A query with what the first fix of its messages writes.
fn fixed(session: &Session, query: &str) -> String {
    let error = session.ask(query).err().unwrap_or_else(|| panic!("{query} is answered"));
    let fix = error.diagnostics().iter().flat_map(|d| &d.help).find_map(|help| help.fix.clone());
    let fix = fix.unwrap_or_else(|| panic!("{query}: no fix in {error}"));
    format!("{}{}{}", &query[..fix.span.start], fix.text, &query[fix.span.end..])
}

#[test]
fn advice_quotes_what_needs_quotes() {
    let session = session();
    for (query, wanted) in [
        (
            "rows \"Ship To\".\"Post Twn\" show \"Net Value\"",
            "rows \"Ship To\".\"Post Town\" show \"Net Value\"",
        ),
        (
            "rows \"Ship Too\".\"Post Town\" show \"Net Value\"",
            "rows \"Ship To\".\"Post Town\" show \"Net Value\"",
        ),
        ("rows \"Ship To\".grup show \"Net Value\"", "rows \"Ship To\".group show \"Net Value\""),
        ("show \"Net Valu\"", "show \"Net Value\""),
        ("show count(rows of \"Order Lin\") as n", "show count(rows of \"Order Line\") as n"),
    ] {
        assert_eq!(fixed(&session, query), wanted);
        assert!(session.ask(wanted).is_ok(), "{wanted}");
    }
}

#[test]
fn notes_quote_what_needs_quotes() {
    let session = session();
    let reply = session.ask("show per_one").unwrap();
    let note = reply.notes.iter().find(|note| note.code == "V422").unwrap();
    assert!(
        note.message.starts_with("1 row has no \"Ship To\".\"Cust No\", named (none)"),
        "{}",
        note.message
    );
    let advised = note.help[0].text.rsplit_once(": ").unwrap().1;
    let reply = session.ask(&format!("show per_one {advised}")).unwrap();
    assert!(reply.notes.is_empty(), "{advised}");
}
