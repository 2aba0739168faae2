//! The days of cells: worked out here for all members of the calendar, and sent along as rows.

use crate::builder::Builder;
use crate::keys::columns;
use crate::refused::Refused;
use crate::{NONE, VALUE};
use vembra_engine::{DaysByMembers, EngineError};
use vembra_plan::{DateStep, Graph, KeyId, Scalar, TableId, TimeUnit, Type};

/// The days of cells, by their members on attributes of a calendar.
#[derive(Clone, Debug)]
pub(crate) struct Days {
    /// The step that has a row for each combination of members that has a date range, even one without days.
    pub(crate) name: String,
    /// The step that has the first and the last day of each combination.
    pub(crate) edges: String,
    /// The step that has a row for each day.
    pub(crate) each: String,
    pub(crate) keys: Vec<KeyId>,
    /// Whether days come from a date range: what has none has no figure then.
    pub(crate) takes_range: bool,
}

impl Builder<'_> {
    /// The days of cells that stand on some keys.
    pub(crate) fn days(
        &mut self,
        graph: &Graph,
        calendar: TableId,
        steps: &[DateStep],
        standing: &[KeyId],
        last_data: Option<i32>,
    ) -> Result<Days, Refused> {
        self.are_worked_out_here(calendar, steps)?;
        let wrap = |error: EngineError| Refused::new(format!("a date range ({error})"));
        let star = self.source.star;
        let found = vembra_engine::days_of_members(star, graph, (calendar, steps), standing, last_data)
            .map_err(wrap)?;
        let spans = self.spans(graph, &found);
        let spans = self.step("date ranges", spans);
        let names = found.keys.iter().flat_map(|key| <[String; 2]>::from(columns(graph, *key)));
        let names = names.collect::<Vec<_>>().join(", ");
        let (keys, group) = match names.as_str() {
            "" => Default::default(),
            names => (format!("{names}, "), format!("\ngroup by {names}")),
        };
        let name = self.step(
            "with_date_range",
            format!("select {keys}(count(*) > 0) as here, min(from_day) as first_day, max(to_day) as last_day\nfrom {spans}{group}"),
        );
        let day = crate::calendars::day_column(self.source, calendar)
            .ok_or_else(|| Refused::new("a calendar without days"))?;
        let relation = self.relation(calendar)?;
        let column = self.words().quoted_name(&self.source.schema.column(day).name);
        let each = self.step(
            "each_day",
            format!("select {keys}a.{column} as day\nfrom {spans} as s\njoin {relation} as a on a.{column} between s.from_day and s.to_day"),
        );
        let takes_range = steps.iter().any(|s| matches!(s, DateStep::DateRange(_)));
        Ok(Days { edges: name.clone(), name, each, keys: found.keys, takes_range })
    }

    /// Refuses what cannot be worked out without the rows of other tables.
    fn are_worked_out_here(&self, calendar: TableId, steps: &[DateStep]) -> Result<(), Refused> {
        let mut exprs = Vec::new();
        for step in steps {
            match step {
                DateStep::Position(keys) => exprs.extend(keys.iter().map(|(_, expr)| expr)),
                DateStep::Where(conditions) => exprs.extend(conditions),
                DateStep::DateRange(date_range) if date_range.unit() == Some(TimeUnit::WorkingDay) => {
                    crate::calendars::are_known_here(self.source, calendar)?;
                }
                DateStep::DateRange(_) => {}
            }
        }
        for expr in exprs {
            let mut read = Vec::new();
            let mut there = !expr.is_plain();
            expr.columns(&mut |column| {
                there |= !column.path.is_empty();
                read.push(column.column);
            });
            if there {
                return Err(Refused::new("a condition on days that looks at other tables"));
            }
            read.into_iter().try_for_each(|column| crate::calendars::is_known_here(self.source, column))?;
        }
        Ok(())
    }

    /// A row for each run of days of each combination of members, and one without days where there are none.
    fn spans(&self, graph: &Graph, found: &DaysByMembers) -> String {
        let words = self.words();
        let keys: Vec<((String, String), Type)> =
            found.keys.iter().map(|key| (columns(graph, *key), graph.keys[key.index()].ty)).collect();
        let day = |day: Option<i32>| words.literal(&day.map_or(Scalar::Null, Scalar::Date), Type::Date);
        let mut lines = Vec::new();
        for (members, days) in &found.days {
            let own: Vec<String> = members
                .iter()
                .zip(&keys)
                .flat_map(|(member, (_, ty))| match member {
                    Some(value) => [words.literal(value, *ty), VALUE.to_string()],
                    None => [words.nothing(*ty), NONE.to_string()],
                })
                .collect();
            let mut line = |from: Option<i32>, to: Option<i32>| {
                let all: Vec<String> = own.iter().cloned().chain([day(from), day(to)]).collect();
                lines.push(format!("({})", all.join(", ")));
            };
            if days.is_empty() {
                line(None, None);
            }
            days.iter().for_each(|(from, to)| line(Some(*from), Some(*to)));
        }
        let names = keys.iter().flat_map(|((value, stands), _)| [value.clone(), stands.clone()]);
        let head: Vec<String> = names.chain(["from_day", "to_day"].map(str::to_owned)).collect();
        if !lines.is_empty() {
            return format!("select * from (values\n{}\n) as s ({})", lines.join(",\n"), head.join(", "));
        }
        let no_day = words.null(Type::Date);
        let nothing = keys.iter().flat_map(|(_, ty)| [words.nothing(*ty), NONE.to_string()]);
        let nothing =
            nothing.chain([no_day.clone(), no_day]).zip(&head).map(|(of, name)| format!("{of} as {name}"));
        format!("select {} where false", nothing.collect::<Vec<_>>().join(", "))
    }
}
