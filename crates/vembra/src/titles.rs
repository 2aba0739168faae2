//! Titles of what is drawn, with the values of parameters that they name.

use crate::asked::Given;
use crate::placeholders;
use crate::session::Session;
use vembra_model::ParamValue;

impl Session {
    /// The names and titles of all reports and dashboards, in the order of the model. Parameters in titles stand for their
    /// defaults.
    pub fn drawn_names(&self) -> Vec<(&str, String)> {
        let reports = self.model.reports.iter().map(|r| (r.name.as_str(), &r.title));
        let all = reports.chain(self.model.dashboards.iter().map(|d| (d.name.as_str(), &d.title)));
        all.map(|(name, title)| (name, self.with_values(title, &Given::new()))).collect()
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
                    let shown = key.map(|key| self.model.schema.column(key.column).name.replace('_', " "));
                    Some(shown.unwrap_or_default())
                }
            }
        })
    }
}
