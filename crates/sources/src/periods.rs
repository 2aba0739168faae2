//! Periods that a source can only write as their first day.

use vembra_plan::{Period, Type, call, civil};

/// A field as the physical value of a type. The first day of a month, a quarter or a week is also that period, for sources that have no other
/// way to say it.
pub(crate) fn physical(field: &str, ty: Type) -> Option<i128> {
    if let Some(physical) = call::parse(field, ty).and_then(|value| value.physical()) {
        return Some(physical);
    }
    let Type::Period(period @ (Period::Month | Period::Quarter | Period::Week)) = ty else { return None };
    let day = civil::parse_date(field)?;
    let index = civil::period_of(period, day, 1)?;
    (civil::first_day(period, index, 1) == Some(day)).then_some(index.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_first_day_is_its_period_and_no_other_day_is() {
        let month = Type::Period(Period::Month);
        assert_eq!(physical("2024-03-01", month), physical("2024-03", month));
        assert_eq!(physical("2024-03-02", month), None);
        let week = Type::Period(Period::Week);
        assert_eq!(physical("2024-12-30", week), physical("2025-W01", week));
        assert_eq!(physical("2024-03-01", Type::Period(Period::Weekday)), None);
        assert_eq!(physical("12", Type::Integer), Some(12));
    }
}
