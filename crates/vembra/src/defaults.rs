//! Defaults of parameters that come from the data: `default (max(ordered_on) overall)`.

use crate::error::Error;
use crate::session::Session;
use std::sync::Arc;
use vembra_engine::Answer;
use vembra_model::{AssertionCheck, BoundQuery, ParamId, ParamValue};
use vembra_plan::{Scalar, call};

impl Session {
    /// Works out the defaults that come from the data: from the rows that are seen.
    pub(crate) fn fill_defaults(&mut self) -> Result<(), Error> {
        let model = self.model.clone();
        let mut found: Vec<(usize, Scalar)> = Vec::new();
        for (at, param) in model.params.iter().enumerate() {
            let Some(figure) = &param.figure else { continue };
            let query = BoundQuery::Summary(figure.clone());
            let answer = self.answer_to(&model.sources, &query, param.span)?;
            let Answer::Summary(summary) = answer else { continue };
            let value =
                summary.lines.first().and_then(|line| line.cells.first()).map(|cell| cell.value.clone());
            let value =
                value.filter(|value| !value.is_null()).and_then(|value| call::convert(value, param.ty).ok());
            found.extend(value.map(|value| (at, value)));
        }
        if found.is_empty() {
            return Ok(());
        }
        let model = Arc::make_mut(&mut self.model);
        for (at, value) in found {
            model.params[at].default = Some(ParamValue::Value(value.clone()));
            // What was bound before gets the value too.
            for assertion in &mut model.assertions {
                match &mut assertion.check {
                    AssertionCheck::Holds { query, .. } => with_value(query, at, &value),
                    AssertionCheck::Matches(left, right) => {
                        with_value(left, at, &value);
                        with_value(right, at, &value);
                    }
                }
            }
        }
        Ok(())
    }
}

fn with_value(query: &mut BoundQuery, at: usize, value: &Scalar) {
    let params = match query {
        BoundQuery::Summary(query) => &mut query.params,
        BoundQuery::List(list) => &mut list.params,
    };
    params.entry(ParamId(at as u32)).or_insert_with(|| value.clone());
}
