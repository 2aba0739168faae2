//! The functions of the language with their arguments.

/// What a function takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Signature {
    /// The name.
    pub name: &'static str,
    /// The arguments between commas; of one that starts with a word of the language, such as `by axis`, the word stands instead of the
    /// comma.
    pub arguments: &'static [&'static str],
    /// What may stand behind them.
    pub rest: &'static str,
    /// What it gives.
    pub about: &'static str,
    /// Whether it makes one figure of the values of many rows.
    pub aggregate: bool,
}

const ROWS: &str = " from TABLE where CONDITION";

const fn aggregate(name: &'static str, arguments: &'static [&'static str], about: &'static str) -> Signature {
    Signature { name, arguments, rest: ROWS, about, aggregate: true }
}

const fn function(name: &'static str, arguments: &'static [&'static str], about: &'static str) -> Signature {
    Signature { name, arguments, rest: "", about, aggregate: false }
}

/// All functions: aggregates, figures among the lines shown, functions of values.
pub const SIGNATURES: &[Signature] = &[
    aggregate("sum", &["value"], "the sum over rows"),
    aggregate("avg", &["value"], "the average over rows"),
    aggregate("min", &["value"], "the smallest value"),
    aggregate("max", &["value"], "the largest value"),
    aggregate("count", &["value"], "how many rows have a value; count(distinct x), count(rows of TABLE)"),
    aggregate("median", &["value"], "the value in the middle"),
    aggregate("percentile", &["value", "part"], "the value below which a part of all lies; part from 0 to 1"),
    aggregate("stddev", &["value"], "the standard deviation of a sample"),
    aggregate("variance", &["value"], "the variance of a sample"),
    aggregate("listagg", &["value", "separator"], "all values as one text; listagg(distinct x)"),
    aggregate("any", &["condition"], "whether it holds for some row"),
    aggregate("every", &["condition"], "whether it holds for every row"),
    aggregate("first", &["value", "by order"], "the value of the first row in an order"),
    aggregate("last", &["value", "by order"], "the value of the last row in an order"),
    function("rank", &["figure", "among attribute"], "the place by size among lines that differ only there"),
    function("share", &["figure", "among attribute"], "the part of the same figure without that split"),
    function("running", &["figure", "by axis"], "the sum up to this line"),
    function("lag", &["figure", "by axis"], "the figure on the line before"),
    function("stands_on", &["attribute"], "whether the cell has a place there: false on totals"),
    function("cell_start", &["calendar"], "the first day of the cell"),
    function("cell_end", &["calendar"], "the last day of the cell"),
    function("start_of", &["period", "date"], "the first day of the period around a date"),
    function("end_of", &["period", "date"], "the last day of the period around a date"),
    function("band", &["number", "bound", "bound …"], "the labelled range in which a number falls"),
    function("days_between", &["from", "to"], "how many days from one date to another"),
    function("weeks_between", &["from", "to"], "how many Mondays lie behind one date up to another"),
    function(
        "months_between",
        &["from", "to"],
        "how many starts of months lie behind one date up to another",
    ),
    function(
        "quarters_between",
        &["from", "to"],
        "how many starts of quarters lie behind one date up to another",
    ),
    function("years_between", &["from", "to"], "how many starts of years lie behind one date up to another"),
    function("working_days", &["from", "to"], "how many working days lie behind one date up to another"),
    function(
        "working_day",
        &["date", "count"],
        "the n-th working day after a date, or before it if negative",
    ),
    function(
        "make_date",
        &["year", "month", "day"],
        "a date of three numbers; nothing where there is no such day",
    ),
    function("abs", &["number"], "the number without its sign"),
    function("ceiling", &["number"], "the next whole number above"),
    function("floor", &["number"], "the next whole number below"),
    function("round", &["number", "decimals"], "rounded, halves away from zero"),
    function("sign", &["number"], "-1, 0 or 1"),
    function("sqrt", &["number"], "the square root"),
    function("exp", &["number"], "e to the power of a number"),
    function("ln", &["number"], "the natural logarithm"),
    function("power", &["base", "exponent"], "a number to a power"),
    function("mod", &["number", "divisor"], "what is left of a division"),
    function("greatest", &["value", "value …"], "the largest of several values"),
    function("least", &["value", "value …"], "the smallest of several values"),
    function("coalesce", &["value", "value …"], "the first value that is there"),
    function("nullif", &["value", "other"], "nothing where both are the same"),
    function("char_length", &["text"], "how many characters a text has"),
    function("concat", &["text", "text …"], "texts joined"),
    function("left", &["text", "count"], "the first characters"),
    function("right", &["text", "count"], "the last characters"),
    function("lpad", &["text", "length", "fill"], "filled up on its left: lpad(code, 5, '0')"),
    function("rpad", &["text", "length", "fill"], "filled up on its right"),
    function("lower", &["text"], "in small letters"),
    function("upper", &["text"], "in capital letters"),
    function("trim", &["text"], "without blanks at its ends"),
    function("position", &["part", "text"], "where a part starts in a text, from 1; 0 if it is not there"),
    function("replace", &["text", "part", "by"], "with every such part replaced"),
    function("substring", &["text", "from", "length"], "a part of a text, from a character on, from 1"),
    function("cast", &["value", "as type"], "the value as another type"),
    function("extract", &["unit", "from date"], "a part of a date or time as a number"),
];

impl Signature {
    /// The function of this name, in any case.
    pub fn of(name: &str) -> Option<&'static Self> {
        SIGNATURES.iter().find(|s| s.name.eq_ignore_ascii_case(name))
    }

    /// The whole call, with the range of each argument in it.
    pub fn label(&self) -> (String, Vec<std::ops::Range<usize>>) {
        let mut text = format!("{}(", self.name);
        let mut ranges = Vec::new();
        for (at, argument) in self.arguments.iter().enumerate() {
            if at > 0 {
                text.push_str(if word_of(argument).is_some() { " " } else { ", " });
            }
            ranges.push(text.len()..text.len() + argument.len());
            text.push_str(argument);
        }
        text.push_str(self.rest);
        text.push(')');
        (text, ranges)
    }
}

/// The word of the language that an argument starts with.
pub(crate) fn word_of(argument: &str) -> Option<&str> {
    let (word, _) = argument.split_once(' ')?;
    ["by", "among", "as", "from"].contains(&word).then_some(word)
}
