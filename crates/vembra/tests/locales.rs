//! Answers, pictures and pages as readers of other languages write.

use vembra::{Layout, Locale, Session, SessionBuilder};

const MODEL: &str = "fact sale from 'sale'\ncalendar from '2024-01-01' to '2025-12-31'\nlink sale.sold_on to calendar as sold default\n\
    currency 'EUR'\nmeasure sales = sum(amount)\n  format '¤#,##0.00'\nmeasure share = sales / (sales pooling calendar)\n  format '0.0%'\n\
    measure buyers = count(distinct buyer)\n  label 'Buyers'\n\
    report days 'Days' = rows calendar.weekday show sales, buyers totals on rows drawn as table\n\
    report months 'Months' = rows calendar.month_of_year show sales drawn as bars with values colours 'March' red\n\
    dashboard page 'Page' row: days, months\n";

/// 2025-03-03 is a Monday, 2025-03-05 a Wednesday. One sale has no day. Ann buys twice.
const SALES: &str = "sold_on,buyer,amount\n2025-03-03,Ann,1234.5\n2025-03-05,Ann,1000000\n,Bob,-2\n";

fn builder() -> SessionBuilder {
    Session::builder().model_text("m.vembra", MODEL).csv_text("sale", SALES)
}

/// The table of the weekdays, without the blanks between columns.
fn table(locale: &str) -> Vec<String> {
    let session = builder().locale(locale).open().unwrap();
    let text = session
        .ask("rows calendar.weekday show sales, share, buyers totals on rows")
        .unwrap()
        .text(Layout::Grid);
    text.lines()
        .map(|line| line.split(' ').filter(|part| !part.is_empty()).collect::<Vec<_>>().join(" "))
        .collect()
}

/// Numbers, signs and names by the Common Locale Data Repository.
#[test]
fn numbers_names_and_words_follow_the_locale() {
    let wanted = [
        (
            "de-DE",
            "Montag 1.234,50\u{a0}€ 0,1\u{a0}% 1",
            "Mittwoch 1.000.000,00\u{a0}€ 99,9\u{a0}% 1",
            "(ohne) -2,00\u{a0}€ 0,0\u{a0}% 1",
            "Gesamt 1.001.232,50\u{a0}€ 100,0\u{a0}% 2 ≠",
        ),
        (
            "fr",
            "lundi 1\u{202f}234,50\u{a0}€ 0,1\u{202f}% 1",
            "mercredi 1\u{202f}000\u{202f}000,00\u{a0}€ 99,9\u{202f}% 1",
            "(sans) -2,00\u{a0}€ 0,0\u{202f}% 1",
            "Total 1\u{202f}001\u{202f}232,50\u{a0}€ 100,0\u{202f}% 2 ≠",
        ),
        (
            "es-ES",
            "lunes 1234,50\u{a0}€ 0,1\u{a0}% 1",
            "miércoles 1.000.000,00\u{a0}€ 99,9\u{a0}% 1",
            "(sin valor) -2,00\u{a0}€ 0,0\u{a0}% 1",
            "Total 1.001.232,50\u{a0}€ 100,0\u{a0}% 2 ≠",
        ),
        (
            "it",
            "lunedì 1234,50\u{a0}€ 0,1% 1",
            "mercoledì 1.000.000,00\u{a0}€ 99,9% 1",
            "(senza) -2,00\u{a0}€ 0,0% 1",
            "Totale 1.001.232,50\u{a0}€ 100,0% 2 ≠",
        ),
        (
            "nl-NL",
            "maandag €\u{a0}1.234,50 0,1% 1",
            "woensdag €\u{a0}1.000.000,00 99,9% 1",
            "(geen) €\u{a0}-2,00 0,0% 1",
            "Totaal €\u{a0}1.001.232,50 100,0% 2 ≠",
        ),
        (
            "pl",
            "poniedziałek 1234,50\u{a0}€ 0,1% 1",
            "środa 1\u{a0}000\u{a0}000,00\u{a0}€ 99,9% 1",
            "(brak) -2,00\u{a0}€ 0,0% 1",
            "Razem 1\u{a0}001\u{a0}232,50\u{a0}€ 100,0% 2 ≠",
        ),
        // Nothing is said in Portuguese, so the words and the places of signs stay.
        (
            "pt-BR",
            "Monday €1.234,50 0,1% 1",
            "Wednesday €1.000.000,00 99,9% 1",
            "(none) -€2,00 0,0% 1",
            "Total €1.001.232,50 100,0% 2 ≠",
        ),
    ];
    for (tag, monday, wednesday, none, total) in wanted {
        let lines = table(tag);
        assert_eq!(
            [&lines[2], &lines[3], &lines[4], &lines[6]],
            [monday, wednesday, none, total],
            "{tag}: {lines:#?}"
        );
    }
    let remarks = &table("pl")[8..];
    assert_eq!(
        remarks[0],
        "≠ Buyers: nie jest sumą wierszy; w podsumowaniu buyer liczy się raz na wartość, w ilu wierszach by nie występowała."
    );
}

#[test]
fn files_for_programs_do_not_change() {
    let query = "rows calendar.weekday, calendar.month show sales, share totals on rows";
    let (plain, german) = (builder().open().unwrap(), builder().locale("de-DE").open().unwrap());
    let (plain, german) = (plain.ask(query).unwrap(), german.ask(query).unwrap());
    assert_ne!(plain.text(Layout::Grid), german.text(Layout::Grid));
    assert_eq!(plain.csv(Layout::Tidy).unwrap(), german.csv(Layout::Tidy).unwrap());
    assert_eq!(plain.json(Layout::Grid), german.json(Layout::Grid));
    assert_eq!(plain.record_batch().unwrap(), german.record_batch().unwrap());
    // A spreadsheet is for people: its words follow, its numbers are numbers.
    assert_ne!(plain.spreadsheet().unwrap().bytes, german.spreadsheet().unwrap().bytes);
}

/// What readers see of a page, without what the model says.
#[test]
fn nothing_of_a_page_stays_english() {
    let english = include_str!("../../draw/languages/en.ftl");
    let sentences = english.lines().filter_map(|line| line.split_once(" = ").map(|(_, text)| text));
    let plain: Vec<&str> = sentences.filter(|text| !text.contains('{') && text.len() > 4).collect();
    assert!(plain.len() > 50);
    let page = |tag: Option<&str>| {
        let builder = tag.into_iter().fold(builder(), SessionBuilder::locale);
        builder.open().unwrap().page("page", &[]).unwrap().html()
    };
    let in_page = |html: &str| -> Vec<&str> {
        plain.iter().filter(|text| html.contains(&format!(">{text}<"))).copied().collect()
    };
    let known = page(None);
    assert!(in_page(&known).len() > 8, "{:?}", in_page(&known));
    for tag in ["de-DE", "es", "fr", "it", "nl", "pl"] {
        let html = page(Some(tag));
        assert!(html.contains(&format!("<html lang=\"{tag}\">")), "{tag}");
        let left: Vec<&str> = in_page(&html).into_iter().filter(|text| *text != "Total").collect();
        assert!(left.is_empty(), "{tag} leaves {left:?}");
    }
    // The colour of March is that of März.
    assert!(page(Some("de")).contains("März") && page(Some("de")).contains("f-red"));
}

#[test]
fn a_model_says_its_locale_and_the_builder_another_one() {
    let model = format!("locale 'de-DE'\n{MODEL}");
    let german = || Session::builder().model_text("m.vembra", model.clone()).csv_text("sale", SALES);
    let session = german().open().unwrap();
    assert_eq!(session.locale(), Locale::of("de-DE").unwrap().with_currency(Some("EUR")));
    assert!(session.ask("list amount from sale").unwrap().text(Layout::Grid).contains("3 Datensätze"));
    let polish = german().locale("pl").open().unwrap();
    assert!(polish.ask("list amount from sale").unwrap().text(Layout::Grid).contains("3 rekordy"));
    let wrong = builder().locale("de_DE").open().unwrap_err().to_string();
    assert!(wrong.starts_with("error[V239]: 'de_DE' is not the tag of a locale"), "{wrong}");
}
