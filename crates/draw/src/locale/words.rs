//! The words around figures, in the languages of readers: a file a language in the folder `languages`, as Project Fluent writes
//! them.

use fluent_bundle::concurrent::FluentBundle;
use fluent_bundle::{FluentArgs, FluentResource};
use std::sync::OnceLock;
use vembra_plan::Period;

/// The languages with their files, English first.
const FILES: [(&str, &str); 7] = [
    ("en", include_str!("../../languages/en.ftl")),
    ("de", include_str!("../../languages/de.ftl")),
    ("es", include_str!("../../languages/es.ftl")),
    ("fr", include_str!("../../languages/fr.ftl")),
    ("it", include_str!("../../languages/it.ftl")),
    ("nl", include_str!("../../languages/nl.ftl")),
    ("pl", include_str!("../../languages/pl.ftl")),
];

/// The words of a language.
pub(crate) struct Words {
    language: &'static str,
    bundle: FluentBundle<FluentResource>,
}

macro_rules! words {
    ($($name:ident $key:literal)*) => {
        /// A word or a sentence that readers see.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[cfg_attr(not(feature = "charts"), allow(dead_code))] // Pictures and pages say more.
        pub(crate) enum Word { $($name),* }

        impl Word {
            #[cfg(test)]
            const ALL: &[Self] = &[$(Self::$name),*];

            /// What it is called in the files.
            fn key(self) -> &'static str {
                match self { $(Self::$name => $key),* }
            }
        }
    };
}

words! {
    Amount "amount"
    Percent "percent"
    Million "million"
    Billion "billion"
    Trillion "trillion"
    Total "total"
    None "none"
    Unknown "unknown"
    Figure "figure"
    Value "value"
    NoValue "no-value"
    NoRows "no-rows"
    Rows "rows"
    RowsOf "rows-of"
    FigureByColumns "figure-by-columns"
    OnColumns "on-columns"
    PartOfColumns "part-of-columns"
    LinesDrawn "lines-drawn"
    TableOfLines "table-of-lines"
    MarkOffSum "mark-off-sum"
    MarkPartial "mark-partial"
    MarkShared "mark-shared"
    RemarkOffSum "remark-off-sum"
    RemarkStacked "remark-stacked"
    RemarkPartial "remark-partial"
    RemarkShared "remark-shared"
    RemarkSharedLines "remark-shared-lines"
    SharedRows "shared-rows"
    SharedRowsBetween "shared-rows-between"
    RemarkNone "remark-none"
    RemarkUnknown "remark-unknown"
    LackingDay "lacking-day"
    LackingDays "lacking-days"
    LackingWorkingDays "lacking-working-days"
    WhyDistinct "why-distinct"
    WhyAverageOfRows "why-average-of-rows"
    WhyAverage "why-average"
    WhyExtreme "why-extreme"
    WhyFormula "why-formula"
    WhyDateRange "why-date-range"
    WhyForgotten "why-forgotten"
    WhyWindow "why-window"
    WhyBridge "why-bridge"
    WhyVariant "why-variant"
    WhyElsewhere "why-elsewhere"
    WhyBlank "why-blank"
    NoValuesToDraw "no-values-to-draw"
    AndMore "and-more"
    LargestSize "largest-size"
    AndBeyond "and-beyond"
    TheSame "the-same"
    Against "against"
    LinesDrawing "lines-drawing"
    AreasDrawing "areas-drawing"
    BarsDrawing "bars-drawing"
    DotsDrawing "dots-drawing"
    ShadesDrawing "shades-drawing"
    FromTo "from-to"
    InPanels "in-panels"
    PageOfRows "page-of-rows"
    FiguresAsTable "figures-as-table"
    FiguresOf "figures-of"
    ArrowKeys "arrow-keys"
    WhereFrom "where-from"
    EachExplained "each-explained"
    Query "query"
    SeenBy "seen-by"
    MoreColumns "more-columns"
    ClickFigure "click-figure"
    ClickFigureSome "click-figure-some"
    PageDepth "page-depth"
    ClosedHaving "closed-having"
    ClosedFigures "closed-figures"
    Date "date"
    Year "year"
    Quarter "quarter"
    Month "month"
    Week "week"
    FiscalYear "fiscal-year"
    FiscalQuarter "fiscal-quarter"
    FiscalMonth "fiscal-month"
    QuarterOfYear "quarter-of-year"
    MonthOfYear "month-of-year"
    DayOfMonth "day-of-month"
    DayOfYear "day-of-year"
    Weekday "weekday"
    January "january"
    February "february"
    March "march"
    April "april"
    May "may"
    June "june"
    July "july"
    August "august"
    September "september"
    October "october"
    November "november"
    December "december"
    Monday "monday"
    Tuesday "tuesday"
    Wednesday "wednesday"
    Thursday "thursday"
    Friday "friday"
    Saturday "saturday"
    Sunday "sunday"
}

impl Word {
    pub(super) const MONTHS: [Self; 12] = [
        Self::January,
        Self::February,
        Self::March,
        Self::April,
        Self::May,
        Self::June,
        Self::July,
        Self::August,
        Self::September,
        Self::October,
        Self::November,
        Self::December,
    ];
    pub(super) const WEEKDAYS: [Self; 7] = [
        Self::Monday,
        Self::Tuesday,
        Self::Wednesday,
        Self::Thursday,
        Self::Friday,
        Self::Saturday,
        Self::Sunday,
    ];

    pub(super) fn of_period(period: Period) -> Self {
        match period {
            Period::Year => Self::Year,
            Period::Quarter => Self::Quarter,
            Period::Month => Self::Month,
            Period::Week => Self::Week,
            Period::FiscalYear => Self::FiscalYear,
            Period::FiscalQuarter => Self::FiscalQuarter,
            Period::FiscalMonth => Self::FiscalMonth,
            Period::QuarterOfYear => Self::QuarterOfYear,
            Period::MonthOfYear => Self::MonthOfYear,
            Period::DayOfMonth => Self::DayOfMonth,
            Period::DayOfYear => Self::DayOfYear,
            Period::Weekday => Self::Weekday,
        }
    }
}

impl Words {
    /// Those of a language, if it has a file.
    pub(super) fn of(language: &str) -> Option<&'static Self> {
        FILES.iter().position(|(own, _)| *own == language).map(Self::nth)
    }

    pub(super) fn english() -> &'static Self {
        Self::nth(0)
    }

    fn nth(at: usize) -> &'static Self {
        static ALL: [OnceLock<Words>; FILES.len()] = [const { OnceLock::new() }; FILES.len()];
        let (language, text) = FILES[at];
        ALL[at].get_or_init(|| Self::read(language, text))
    }

    pub(super) fn language(&self) -> &'static str {
        self.language
    }

    /// What cannot be read of a file is left out: the tests see to it that nothing is.
    fn read(language: &'static str, text: &str) -> Self {
        let resource = match FluentResource::try_new(text.to_owned()) {
            Ok(resource) | Err((resource, _)) => resource,
        };
        let tag = language.parse().unwrap_or_default();
        let mut bundle = FluentBundle::new_concurrent(vec![tag]);
        // Marks around what is put in are for texts of two directions: here they would be letters of figures.
        bundle.set_use_isolating(false);
        bundle.add_resource_overriding(resource);
        Self { language, bundle }
    }

    pub(super) fn say(&self, word: Word, gaps: &[(&'static str, &str)]) -> String {
        self.filled(word, FluentArgs::new(), gaps)
    }

    pub(super) fn say_counted(&self, word: Word, count: usize, gaps: &[(&'static str, &str)]) -> String {
        let mut args = FluentArgs::new();
        args.set("count", count);
        self.filled(word, args, gaps)
    }

    fn filled<'g>(&self, word: Word, mut args: FluentArgs<'g>, gaps: &[(&'static str, &'g str)]) -> String {
        gaps.iter().for_each(|(name, text)| args.set(*name, *text));
        let Some(pattern) = self.bundle.get_message(word.key()).and_then(|m| m.value()) else {
            return word.key().to_owned();
        };
        let mut faults = Vec::new();
        self.bundle.format_pattern(pattern, Some(&args), &mut faults).into_owned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    /// The gaps of each message of a file, in the order of their names.
    fn gaps(text: &str) -> BTreeMap<String, Vec<String>> {
        let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
        let mut key = String::new();
        for line in text.lines().filter(|line| !line.starts_with('#')) {
            if let Some((name, _)) = line.split_once(" = ").filter(|_| !line.starts_with(' ')) {
                name.clone_into(&mut key);
                found.entry(key.clone()).or_default();
            }
            for part in line.split('$').skip(1) {
                let name: String = part.chars().take_while(char::is_ascii_lowercase).collect();
                let own = found.entry(key.clone()).or_default();
                if !own.contains(&name) {
                    own.push(name);
                }
            }
        }
        found.values_mut().for_each(|names| names.sort());
        found
    }

    #[test]
    fn no_language_lacks_a_word() {
        assert_eq!(FILES.map(|(language, _)| language), vembra_plan::LANGUAGES);
        let english = gaps(FILES[0].1);
        let wanted: Vec<&str> = Word::ALL.iter().map(|word| word.key()).collect();
        for (language, text) in FILES {
            assert!(FluentResource::try_new(text.to_owned()).is_ok(), "{language} cannot be read");
            let own = gaps(text);
            let lacks: Vec<_> = wanted.iter().filter(|key| !own.contains_key(**key)).collect();
            assert!(lacks.is_empty(), "{language} lacks {lacks:?}");
            let unused: Vec<_> = own.keys().filter(|key| !wanted.contains(&key.as_str())).collect();
            assert!(unused.is_empty(), "{language} has words that nothing says: {unused:?}");
            // A sentence may do without the written number where its plural says it.
            for (key, names) in &own {
                let known = |name: &&String| !english[key].contains(name);
                let unknown: Vec<_> = names.iter().filter(known).collect();
                assert!(unknown.is_empty(), "{language}: nothing fills {unknown:?} of {key}");
                let lost: Vec<_> = english[key].iter().filter(|name| !names.contains(name)).collect();
                assert!(lost.is_empty(), "{language}: {key} does not say {lost:?}");
            }
        }
    }

    #[test]
    fn plurals_follow_the_language() {
        let polish = Words::of("pl").unwrap();
        let rows = |count: usize| polish.say_counted(Word::Rows, count, &[("n", &count.to_string())]);
        assert_eq!([1, 3, 5, 22].map(rows), ["1 rekord", "3 rekordy", "5 rekordów", "22 rekordy"]);
        let french = Words::of("fr").unwrap();
        assert_eq!(french.say_counted(Word::Rows, 0, &[("n", "0")]), "0 enregistrement");
        assert!(Words::of("pt").is_none());
    }
}
