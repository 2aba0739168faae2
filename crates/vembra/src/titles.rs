//! Titles of what is drawn, with the values of parameters that they name.

use crate::placeholders;
use crate::query_execution::Given;
use crate::session::Session;
use vembra_model::ParamValue;
use vembra_plan::ColumnId;

impl Session {
    /// The names and titles of all reports and dashboards, in the order of the model. Parameters in titles stand for their
    /// defaults.
    pub fn drawn_names(&self) -> Vec<(&str, String)> {
        let reports = self.model.reports.iter().map(|r| (r.name.as_str(), &r.title));
        let all = reports.chain(self.model.dashboards.iter().map(|d| (d.name.as_str(), &d.title)));
        all.map(|(name, title)| (name, self.with_values(title, &Given::new()))).collect()
    }

    /// The word for a column of the calendar, where the model has a locale.
    pub(crate) fn word_of(&self, column: ColumnId) -> Option<String> {
        let own = self.model.schema.column(column);
        let in_words = self.model.locale.is_some() && Some(own.table) == self.model.calendar;
        self.locale().calendar_name(own.ty).filter(|_| in_words)
    }

    /// A text in which `:name` of a parameter stands for its value.
    pub(crate) fn with_values(&self, text: &str, given: &Given) -> String {
        placeholders::fill(text, |name| {
            let id = self.model.find_param(name)?;
            let param = self.model.param(id);
            match given.get(&id).or(param.default.as_ref())? {
                ParamValue::Value(value) => Some(value.to_string()),
                ParamValue::Choice(choice) => {
                    let key = param.choices.get(*choice);
                    let name = |column| self.model.schema.column(column).name.replace('_', " ");
                    let shown = key.map(|key| self.word_of(key.column).unwrap_or_else(|| name(key.column)));
                    Some(shown.unwrap_or_default())
                }
            }
        })
    }
}
