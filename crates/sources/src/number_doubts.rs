//! Doubts about how numbers are meant that their types do not show: a lone separator before three digits, and percentages beside numbers
//! without a sign.

use crate::cells::Mode;
use crate::delimited::findings::two_ways;
use vembra_engine::Table;
use vembra_plan::forms::{Forms, NumberForm};
use vembra_plan::{Code, Finding, Type};

/// What is not sure of the numbers of a column.
#[derive(Clone, Debug, Default)]
pub(crate) struct NumberDoubts {
    /// Whether separators are looked at: the type and the form are found.
    looks_at_separators: bool,
    /// The first number with a separator before three digits, and where it stands; none once a number is written in one way only.
    separator: Separator,
    looks_at_percent: bool,
    with_percent: usize,
    without_percent: usize,
    first_without: Option<(usize, String)>,
}

#[derive(Clone, Debug, Default)]
enum Separator {
    #[default]
    Unseen,
    Doubtful(usize, String),
    Sure,
}

impl NumberDoubts {
    pub(crate) fn of(mode: Mode, forms: &Forms) -> Self {
        Self {
            looks_at_separators: matches!(mode, Mode::Find(_)) && forms.numbers.is_none(),
            looks_at_percent: forms.numbers.as_ref().is_some_and(NumberForm::is_percent),
            ..Self::default()
        }
    }

    /// Takes a field of a file without a form of numbers.
    #[inline]
    pub(crate) fn see_separator(&mut self, field: &str, record: usize) {
        if !self.looks_at_separators || matches!(self.separator, Separator::Sure) {
            return;
        }
        let digits = field.strip_prefix('-').unwrap_or(field);
        match digits.split_once('.') {
            // A group of thousands would stand apart.
            None if digits.len() <= 3 => {}
            Some((whole, part))
                if (1..=3).contains(&whole.len()) && part.len() == 3 && !whole.starts_with('0') =>
            {
                if matches!(self.separator, Separator::Unseen) {
                    self.separator = Separator::Doubtful(record, field.to_owned());
                }
            }
            _ => self.separator = Separator::Sure,
        }
    }

    /// Takes a field of a file whose form of numbers has a sign of percent; `plain` is what is made of it.
    pub(crate) fn see_percent(&mut self, plain: &str, field: &str, record: usize) {
        let is_number = |c: char| c.is_ascii_digit() || matches!(c, '-' | '.');
        if !self.looks_at_percent || plain.is_empty() || !plain.chars().all(is_number) {
            return;
        }
        if field.contains('%') {
            self.with_percent += 1;
        } else {
            self.without_percent += 1;
            self.first_without.get_or_insert_with(|| (record, field.trim().to_owned()));
        }
    }

    /// Takes in what was found in a later piece, which starts with a record.
    pub(crate) fn take(&mut self, later: Self, start: usize) {
        self.separator = match (std::mem::take(&mut self.separator), later.separator) {
            (Separator::Sure, _) | (_, Separator::Sure) => Separator::Sure,
            (Separator::Unseen, Separator::Doubtful(record, field)) => {
                Separator::Doubtful(record + start, field)
            }
            (own, _) => own,
        };
        self.with_percent += later.with_percent;
        self.without_percent += later.without_percent;
        let first = later.first_without.map(|(record, field)| (record + start, field));
        self.first_without = self.first_without.take().or(first);
    }

    /// What is to be said of a column of a type.
    pub(crate) fn findings(&self, table: &Table, header: &str, ty: Type) -> Vec<Finding> {
        let mut findings = Vec::new();
        if let (Separator::Doubtful(record, field), Type::Decimal(3)) = (&self.separator, ty) {
            findings.push(two_ways(table, header, field, Some(*record)));
        }
        if let (true, Some((record, field))) = (self.with_percent > 0, &self.first_without) {
            let (with, without) = (self.with_percent, self.without_percent);
            let (has, is) = if with == 1 { ("has", "is") } else { ("have", "are") };
            let message = format!(
                "{with} of {} values {has} a sign of percent and {is} read as hundredths; the others are read as they are, such as '{field}'",
                with + without
            );
            let help = "write the sign behind all of them, or behind none";
            let found = Finding::new(Code::V627, &table.origin, message, help);
            findings.push(Finding { line: table.line(*record), column: Some(header.to_owned()), ..found });
        }
        findings
    }
}
