//! Window functions: figures among the lines shown. One table says of each what all stages must know.

use serde::{Deserialize, Serialize};

/// How a figure is made from the lines of its group, as by `over (partition by … order by …)` of SQL.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum WindowFunction {
    /// The rank by size, the largest first; equal ones share a rank.
    Rank,
    /// The sum up to the line.
    Running,
    /// The value of the line before.
    Lag,
}

/// What is known of a window function.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WindowForm {
    /// The function.
    pub function: WindowFunction,
    /// Its name.
    pub name: &'static str,
    /// What its lines are ordered by.
    pub order: WindowLines,
    /// Which lines of the group make the figure of one.
    pub frame: WindowFrame,
    /// Whether its values must be numbers.
    pub numbers_only: bool,
    /// The function of SQL.
    pub sql: &'static str,
}

/// What the lines of a window function are ordered by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WindowLines {
    /// The value itself, the largest first: the figure is a number of lines, and a rest has none.
    ByValue,
    /// What `by` names: the figure is made of values, and has their type and format.
    Ordered,
}

/// Which lines make the figure of a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WindowFrame {
    /// All of the group.
    All,
    /// Those from the first one up to this: `rows unbounded preceding`.
    UpToLine,
    /// The one before.
    LineBefore,
}

impl WindowFunction {
    /// All window functions.
    pub const FORMS: [WindowForm; 3] = [
        WindowForm {
            function: Self::Rank,
            name: "rank",
            order: WindowLines::ByValue,
            frame: WindowFrame::All,
            numbers_only: false,
            sql: "rank",
        },
        WindowForm {
            function: Self::Running,
            name: "running",
            order: WindowLines::Ordered,
            frame: WindowFrame::UpToLine,
            numbers_only: true,
            sql: "sum",
        },
        WindowForm {
            function: Self::Lag,
            name: "lag",
            order: WindowLines::Ordered,
            frame: WindowFrame::LineBefore,
            numbers_only: false,
            sql: "lag",
        },
    ];

    /// The function of this name, in lower case.
    ///
    /// # Examples
    /// ```
    /// use vembra_plan::WindowFunction;
    /// assert_eq!(WindowFunction::from_name("lag"), Some(WindowFunction::Lag));
    /// assert!(WindowFunction::Lag.is_ordered() && !WindowFunction::Rank.is_ordered());
    /// ```
    pub fn from_name(name: &str) -> Option<Self> {
        Self::FORMS.iter().find(|form| form.name == name).map(|form| form.function)
    }

    /// What is known of it.
    pub fn form(self) -> WindowForm {
        // As many as there are variants, in their order: a test holds the two together.
        Self::FORMS[self as usize]
    }

    /// Whether its lines are ordered by what `by` names.
    pub fn is_ordered(self) -> bool {
        self.form().order == WindowLines::Ordered
    }
}

#[cfg(test)]
mod tests {
    use super::WindowFunction;

    #[test]
    fn each_function_has_its_form() {
        for form in WindowFunction::FORMS {
            assert_eq!(form.function.form(), form);
            assert_eq!(WindowFunction::from_name(form.name), Some(form.function));
        }
    }
}
