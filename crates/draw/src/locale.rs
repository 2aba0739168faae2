//! How readers write: numbers, amounts, the names of months and weekdays, and the words around figures.

mod numbers;
mod words;

pub(crate) use words::{Word, Words};

use numbers::Numbers;
use std::fmt;
use std::sync::{Arc, OnceLock};
use vembra_engine::Member;
use vembra_plan::{Period, Scalar, Type};

/// How readers write numbers, amounts, months, weekdays and the words around figures.
///
/// Without a locale all is in English, and amounts stand as the patterns of the model have them. CSV, JSON and other files for
/// programs never change with it.
///
/// # Examples
/// ```
/// use vembra_draw::Locale;
/// use vembra_plan::Scalar;
/// let german = Locale::of("de-DE")?.with_currency(Some("EUR"));
/// assert_eq!(german.value(&Scalar::Integer(-1_234_567), Some("¤#,##0")), "-1.234.567\u{a0}€");
/// assert_eq!(Locale::default().value(&Scalar::Float(0.125), Some("0.0%")), "12.5%");
/// # Ok::<(), vembra_draw::LocaleError>(())
/// ```
#[derive(Clone)]
pub struct Locale {
    /// The tag; none where nothing was said.
    tag: Option<Arc<str>>,
    words: &'static Words,
    numbers: Arc<Numbers>,
    currency: Option<Arc<str>>,
}

/// A text that is not the tag of a locale, which are written as `de-DE` is.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("'{0}' is not the tag of a locale")]
pub struct LocaleError(String);

impl Locale {
    /// The locale with a tag (BCP 47), such as `de-DE` or `pl`. Words are English if its language has none here:
    /// [`Locale::has_words`] says.
    ///
    /// # Errors
    /// When it is not the tag of a locale.
    pub fn of(tag: &str) -> Result<Self, LocaleError> {
        let parsed: icu_locale_core::Locale = tag.parse().map_err(|_| LocaleError(tag.to_owned()))?;
        let words = Words::of(parsed.id.language.as_str()).unwrap_or(Words::english());
        Ok(Self { tag: Some(tag.into()), words, numbers: Arc::new(Numbers::of(&parsed)), currency: None })
    }

    /// The same with a currency of amounts, as an ISO 4217 code: `¤` in patterns stands for it.
    #[must_use]
    pub fn with_currency(self, currency: Option<&str>) -> Self {
        Self { currency: currency.map(Into::into), ..self }
    }

    /// The tag; `en` where nothing was said.
    pub fn tag(&self) -> &str {
        self.tag.as_deref().unwrap_or("en")
    }

    /// Whether its language has words of its own.
    pub fn has_words(&self) -> bool {
        self.tag.as_deref().is_none_or(|tag| tag.split(['-', '_']).next() == Some(self.words.language()))
    }

    /// A number of things.
    pub fn count(&self, count: usize) -> String {
        // No count of things in memory is larger.
        self.value(&Scalar::Integer(i64::try_from(count).unwrap_or(i64::MAX)), Some("#,##0"))
    }

    /// A word or sentence without gaps.
    pub(crate) fn word(&self, word: Word) -> String {
        self.words.say(word, &[])
    }

    /// A sentence with texts in its gaps.
    pub(crate) fn say(&self, word: Word, gaps: &[(&'static str, &str)]) -> String {
        self.words.say(word, gaps)
    }

    /// A sentence about a number of things, which is its gap `n`.
    pub(crate) fn counted(&self, word: Word, count: usize, gaps: &[(&'static str, &str)]) -> String {
        let n = self.count(count);
        let all: Vec<(&str, &str)> = gaps.iter().copied().chain([("n", n.as_str())]).collect();
        self.words.say_counted(word, count, &all)
    }

    /// What a column of the calendar is called, such as an axis by months; none of values that the calendar does not make.
    pub fn calendar_name(&self, ty: Type) -> Option<String> {
        match ty {
            Type::Date => Some(self.word(Word::Date)),
            Type::Period(period) => Some(self.word(Word::of_period(period))),
            _ => None,
        }
    }

    /// A member that has a word of its own: a total, what is missing or unknown, a month or a weekday; none of all others.
    pub fn member(&self, member: &Member) -> Option<String> {
        match member {
            Member::Value(value) => self.named(value),
            Member::None => Some(self.word(Word::None)),
            Member::Unknown => Some(self.word(Word::Unknown)),
            Member::All => Some(self.word(Word::Total)),
            Member::Rest(_) => None,
        }
    }

    /// A month or a weekday by its name; none of other values.
    pub(crate) fn named(&self, value: &Scalar) -> Option<String> {
        let Scalar::Period(period, number) = value else { return None };
        let at = usize::try_from(number - 1).ok()?;
        let names: &[Word] = match period {
            Period::MonthOfYear => &Word::MONTHS,
            Period::Weekday => &Word::WEEKDAYS,
            _ => return None,
        };
        names.get(at).map(|name| self.word(*name))
    }

    /// The currency of amounts, as an ISO 4217 code.
    pub fn currency(&self) -> Option<&str> {
        self.currency.as_deref()
    }

    pub(crate) fn numbers(&self) -> &Numbers {
        &self.numbers
    }

    /// Whether amounts and percentages stand as its language has them, not as patterns have them.
    pub(crate) fn places_signs(&self) -> bool {
        self.tag.is_some() && self.has_words()
    }
}

impl Default for Locale {
    fn default() -> Self {
        static ENGLISH: OnceLock<Arc<Numbers>> = OnceLock::new();
        let numbers = ENGLISH.get_or_init(|| Arc::new(Numbers::english())).clone();
        Self { tag: None, words: Words::english(), numbers, currency: None }
    }
}

impl PartialEq for Locale {
    fn eq(&self, other: &Self) -> bool {
        self.tag == other.tag && self.currency == other.currency
    }
}

impl fmt::Debug for Locale {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Locale")
            .field("tag", &self.tag())
            .field("currency", &self.currency)
            .finish_non_exhaustive()
    }
}
