//! The forms of drawings. One table says of each what all stages must know; how a form draws its marks is a file of `draw::chart`.

use serde::{Deserialize, Serialize};

/// The ways to draw an answer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// Lines of figures.
    #[default]
    Table,
    /// One figure.
    Number,
    /// A line through the figures of each series.
    Line,
    /// The same, filled down to the ground or to the one below.
    Area,
    /// A bar per figure.
    Bars,
    /// A dot per figure.
    Dots,
    /// A field of cells coloured by a figure.
    Heat,
}

/// What is known of a form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
#[allow(clippy::struct_excessive_bools)] // Each says something else of the form.
pub struct FormTraits {
    /// The form.
    pub form: Form,
    /// Its name in a report.
    pub name: &'static str,
    /// Whether it has marks along an axis; else it is written in figures.
    pub is_chart: bool,
    /// Whether its marks flow from one member to the next, so that many fit side by side.
    pub is_continuous: bool,
    /// Whether its marks stand on zero.
    pub from_zero: bool,
    /// Whether an axis of the answer may run up, and a figure may have the colours.
    pub up: bool,
    /// The options that only some forms have, and this one does; those of every chart are not listed.
    pub options: &'static [&'static str],
}

impl Form {
    /// All forms.
    pub const ALL: [FormTraits; 7] = [
        FormTraits { options: &["small bars", "trends"], ..written(Self::Table, "table") },
        FormTraits { options: &["compared with"], ..written(Self::Number, "number") },
        FormTraits {
            is_continuous: true,
            options: &["colours", "sideways", "with values"],
            ..chart(Self::Line, "line")
        },
        FormTraits {
            is_continuous: true,
            from_zero: true,
            options: &["colours", "sideways", "stacked"],
            ..chart(Self::Area, "area")
        },
        FormTraits {
            from_zero: true,
            options: &["colours", "sideways", "stacked", "with values"],
            ..chart(Self::Bars, "bars")
        },
        FormTraits {
            up: true,
            options: &["colours", "up", "size by", "with values"],
            ..chart(Self::Dots, "dots")
        },
        FormTraits { up: true, options: &["up", "with values"], ..chart(Self::Heat, "heat") },
    ];

    /// The options that every chart has, and nothing else.
    const OF_CHARTS: [&str; 5] = ["along", "panels by", "axis titles", "tooltip", "colour by"];

    /// The form of a name.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::drawing::Form;
    /// assert_eq!(Form::from_name("Heat"), Some(Form::Heat));
    /// assert!(Form::Heat.traits().up && !Form::Table.traits().is_chart);
    /// assert!(Form::Bars.has_option("stacked") && !Form::Line.has_option("stacked"));
    /// ```
    pub fn from_name(name: &str) -> Option<Self> {
        let name = name.to_ascii_lowercase();
        Self::ALL.iter().find(|own| own.name == name).map(|own| own.form)
    }

    /// What is known of it.
    pub fn traits(self) -> FormTraits {
        // As many as there are variants, in their order: a test holds the two together.
        Self::ALL[self as usize]
    }

    /// Whether it has an option; those that no form claims belong to all.
    pub fn has_option(self, option: &str) -> bool {
        if Self::OF_CHARTS.contains(&option) {
            return self.traits().is_chart;
        }
        let has = |traits: &FormTraits| traits.options.contains(&option);
        has(&self.traits()) || !Self::ALL.iter().any(has)
    }
}

const fn written(form: Form, name: &'static str) -> FormTraits {
    FormTraits {
        form,
        name,
        is_chart: false,
        is_continuous: false,
        from_zero: false,
        up: false,
        options: &[],
    }
}

const fn chart(form: Form, name: &'static str) -> FormTraits {
    FormTraits { is_chart: true, ..written(form, name) }
}

#[cfg(test)]
mod tests {
    use super::Form;

    #[test]
    fn each_form_has_its_traits() {
        for traits in Form::ALL {
            assert_eq!(traits.form.traits(), traits);
            assert_eq!(Form::from_name(traits.name), Some(traits.form));
        }
    }

    #[test]
    fn options_that_no_form_claims_belong_to_all() {
        assert!(Form::Table.has_option("title") && Form::Heat.has_option("title"));
        assert!(!Form::Number.has_option("along") && Form::Number.has_option("compared with"));
    }
}
