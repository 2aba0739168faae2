//! What a line at the prompt says.

/// A line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Line {
    Nothing,
    Query(String),
    /// A clause that is put into the last query.
    And(String),
    /// A measure that stands until the shell ends.
    Measure(String),
    /// The next screen of the last answer, or all of it.
    More(bool),
    /// Writes the last answer into a file.
    Save(String),
    Describe(Option<String>),
    Draw(Option<String>),
    Check,
    Why,
    Help,
    Quit,
    Up,
    /// The line of this number, by this attribute.
    Open(usize, Option<String>),
    Explain(Cell, Option<String>),
    /// Names with values; without a value the name is given no longer.
    Given(Vec<(String, String)>),
    /// What is wrong with a command.
    Wrong(String),
}

/// Where a figure stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Cell {
    /// On the line of this number, and further members.
    Line(usize, String),
    /// At these members.
    Members(String),
}

/// The commands, each with what may follow it and what it does.
pub(super) const COMMANDS: [(&str, &str, &str); 15] = [
    ("and", "CLAUSE", "puts a clause into the last query: and where …, and show …, and sort …"),
    ("measure", "NAME = FORMULA", "a measure to try; it stands until the shell ends"),
    ("more", "[all]", "the next screen of a long answer, or all of it"),
    ("save", "FILE", "writes the last answer into a file, as its ending says"),
    ("open", "N [by ATTRIBUTE]", "the parts of line N: the next level of a hierarchy, or by this attribute"),
    ("up", "", "back to the answer before"),
    ("explain", "[N | CELL] [show FIGURE]", "why a figure of the last answer is what it is"),
    ("why", "", "what was done for the last answer, and how long it took"),
    ("describe", "[NAME]", "what the model holds, or all about one name"),
    ("draw", "[NAME]", "the reports that there are, or one of them"),
    ("given", "[NAME = VALUE, …]", "values of parameters from now on; without a value no longer"),
    ("check", "", "what is wrong with the data"),
    ("help", "", "this list"),
    ("quit", "", "the end"),
    ("exit", "", "the end"),
];

impl Line {
    pub(super) fn read(text: &str) -> Self {
        let text = text.trim();
        let (word, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
        let rest = rest.trim();
        let named = || (!rest.is_empty()).then(|| rest.to_owned());
        match word.to_lowercase().as_str() {
            "" => Self::Nothing,
            "describe" => Self::Describe(named()),
            "draw" => Self::Draw(named()),
            "check" if rest.is_empty() => Self::Check,
            "why" if rest.is_empty() => Self::Why,
            "help" => Self::Help,
            "quit" | "exit" if rest.is_empty() => Self::Quit,
            "up" if rest.is_empty() => Self::Up,
            "open" => open(rest),
            "explain" => explain(rest),
            "given" if !asks(text) => Self::Given(rest.split(',').filter_map(pair).collect()),
            "and" if !rest.is_empty() => Self::And(rest.to_owned()),
            "and" => Self::Wrong("and takes a clause, such as and where calendar.year = 2025".to_owned()),
            "measure" => Self::Measure(text.to_owned()),
            "more" if rest.is_empty() || rest.eq_ignore_ascii_case("all") => Self::More(!rest.is_empty()),
            "save" if !rest.is_empty() => Self::Save(rest.trim_matches(['\'', '"']).to_owned()),
            "save" => Self::Wrong("save takes a file, such as save answer.csv".to_owned()),
            "check" | "why" | "quit" | "exit" | "up" | "more" => {
                Self::Wrong(match word.to_lowercase().as_str() {
                    "more" => "more stands alone, or with all".to_owned(),
                    _ => format!("{word} stands alone"),
                })
            }
            _ => Self::Query(text.to_owned()),
        }
    }
}

/// Whether a text that starts with `given` goes on as a query.
fn asks(text: &str) -> bool {
    text.split(|c: char| !c.is_alphanumeric() && c != '_').any(|w| w.eq_ignore_ascii_case("show"))
}

fn pair(text: &str) -> Option<(String, String)> {
    let (name, value) = text.split_once('=').unwrap_or((text, ""));
    let name = name.trim().trim_start_matches(':');
    (!name.is_empty()).then(|| (name.to_owned(), value.trim().to_owned()))
}

fn open(rest: &str) -> Line {
    let (number, by) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
    let by = by.trim();
    let attribute = by.strip_prefix("by ").map(str::trim);
    match (number.parse(), by.is_empty(), attribute) {
        (Ok(number), true, _) => Line::Open(number, None),
        (Ok(number), _, Some(attribute)) => Line::Open(number, Some(attribute.to_owned())),
        _ => Line::Wrong(
            "open takes the number of a line, such as open 3, or open 3 by product.name".to_owned(),
        ),
    }
}

fn explain(rest: &str) -> Line {
    let (at, figure) = match rest.rsplit_once("show ") {
        Some((at, figure)) => (at.trim(), Some(figure.trim().to_owned())),
        None => (rest, None),
    };
    let (first, more) = at.split_once([',', ' ']).unwrap_or((at, ""));
    let cell = match first.parse() {
        Ok(number) => Cell::Line(number, more.trim_start_matches([',', ' ']).to_owned()),
        Err(_) => Cell::Members(at.to_owned()),
    };
    Line::Explain(cell, figure)
}
