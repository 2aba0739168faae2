//! Tables that live on a server: plans become statements there, and what comes back are finished lines.

mod checks;

use crate::column_finding::column_finding;
use crate::error::Error;
use crate::loader::{Loader, read_options};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use vembra_engine::{
    Answer, EngineError, LevelLine, LineMember, Options, Profiler, Star, Step, list_of, summary_of,
};
use vembra_model::{Declarations, Model, TableSource};
use vembra_plan::civil::{day_of, parts_of};
use vembra_plan::{
    CalendarRange, ColumnId, During, EvalError, Finding, Formula, LinkId, Plan, Scalar, TableId, TableKind,
    Type,
};
use vembra_sources::{AskedRows, Loaded, NoAnswer, Server};
use vembra_sql::{Beforehand, Dialect, Refused, ServerTable, Source, Statement};
use vembra_syntax::Code;

/// A date range, and the last day on which rows stand that it reads.
type LastDay = (During, Option<i32>);

/// What a session needs to be answered by a server.
#[derive(Clone)]
pub(crate) struct ServerSide {
    pub(super) server: Server,
    pub(super) dialect: Dialect,
    pub(super) tables: BTreeMap<TableId, ServerTable>,
    /// The plans of derived tables.
    derived: BTreeMap<TableId, Plan>,
    /// The tables whose rows are here too: those that calendars look at.
    here: BTreeSet<TableId>,
    /// The conditions that hide rows from who looks.
    limits: Vec<(TableId, Formula)>,
    /// What the server said before statements were made.
    said: Arc<Mutex<Said>>,
}

/// What the server said.
#[derive(Default)]
struct Said {
    last_days: Vec<LastDay>,
    /// Whether rows that share a coarser attribute are alike in a column.
    settled: BTreeMap<(LinkId, ColumnId), bool>,
}

impl ServerSide {
    /// The server that some tables of a model live on, if any do.
    pub(crate) fn of(
        declarations: &Declarations,
        model: &Model,
        loader: &Loader,
    ) -> Result<Option<Self>, Error> {
        let mut found: Option<Self> = None;
        for source in &declarations.tables {
            let Some(database) = source.database.as_ref().filter(|database| database.answers) else {
                continue;
            };
            let server = Server { name: database.name.clone(), variable: database.variable.clone() };
            let dialect = server.dialect().map_err(|found| Error::outside(vec![*found]))?;
            let side = found.get_or_insert_with(|| Self {
                server: server.clone(),
                dialect,
                tables: BTreeMap::new(),
                derived: BTreeMap::new(),
                here: BTreeSet::new(),
                limits: Vec::new(),
                said: Arc::default(),
            });
            if side.server != server {
                return Err(Error::outside(vec![two_servers(source, &side.server.name)]));
            }
            let (loaded, columns) = server.shape(&read_options(source, loader.memory));
            if !loaded.findings.is_empty() {
                return Err(Error::outside(loaded.findings));
            }
            let Some(id) = model.find_table(&source.name) else { continue };
            side.tables.insert(id, ServerTable { name: source.stored.clone().unwrap_or_default(), columns });
        }
        Ok(found)
    }

    /// Gives the calendars of a model that cover dates on the server the days that they cover.
    pub(crate) fn cover(&self, model: &mut Model) -> Result<(), Error> {
        let schema = model.schema.clone();
        for table in &mut model.schema.tables {
            let TableKind::Calendar { range: range @ CalendarRange::Covering(_), .. } = &mut table.kind
            else {
                continue;
            };
            let CalendarRange::Covering(columns) = range.clone() else { continue };
            let statements: Vec<Statement> = columns
                .iter()
                .filter_map(|column| {
                    let def = schema.column(*column);
                    let stored = self.tables.get(&def.table)?;
                    vembra_sql::edges(self.dialect, stored, &def.name)
                })
                .collect();
            if statements.len() < columns.len() {
                // It covers what is in memory.
                continue;
            }
            let found = self.run(&statements, &Options::default()).map_err(|error| outside(&error))?;
            let days: Vec<i32> = found
                .iter()
                .flatten()
                .flatten()
                .filter_map(Scalar::physical)
                .filter_map(|day| i32::try_from(day).ok())
                .collect();
            let year = |day: i32| parts_of(day).map(|(year, _, _)| year);
            let edges =
                days.iter().min().zip(days.iter().max()).and_then(|(low, high)| {
                    Some((day_of(year(*low)?, 1, 1)?, day_of(year(*high)?, 12, 31)?))
                });
            let (first, last) = edges.unwrap_or((0, -1));
            *range = CalendarRange::Days(first, last);
        }
        Ok(())
    }

    /// Reads the tables that calendars look at, such as holidays: their days are worked out here.
    pub(crate) fn read_days(
        &mut self,
        declarations: &Declarations,
        model: &Model,
        loader: &Loader,
        loaded: &mut [(String, Loaded)],
    ) -> Result<(), Error> {
        let schema = &model.schema;
        let of_calendar = |l: &vembra_plan::LinkId| {
            matches!(schema.table(schema.link_source(*l)).kind, TableKind::Calendar { .. })
        };
        let tables: BTreeSet<TableId> = schema
            .link_ids()
            .filter(of_calendar)
            .map(|l| schema.link_target(l))
            .filter(|t| self.tables.contains_key(t))
            .collect();
        for table in tables {
            let name = &schema.table(table).name;
            let Some(source) = declarations.tables.iter().find(|source| source.name == *name) else {
                continue;
            };
            let read = crate::loader::read_source(source, &read_options(source, loader.memory));
            if !read.findings.is_empty() {
                return Err(Error::outside(read.findings));
            }
            if let Some((_, own)) = loaded.iter_mut().find(|(own, _)| own == name) {
                own.table = read.table;
                self.here.insert(table);
            }
        }
        Ok(())
    }

    /// The same for somebody from whom conditions hide rows.
    pub(crate) fn limited(&self, limits: Vec<(TableId, Formula)>) -> Self {
        Self { limits, said: Arc::default(), ..self.clone() }
    }

    /// The same with the plan of a further derived table.
    pub(crate) fn deriving(&self, table: TableId, plan: Plan) -> Self {
        let mut more = self.clone();
        more.derived.insert(table, plan);
        more
    }

    /// The statements of a plan.
    pub(crate) fn statements(
        &self,
        star: &Star,
        plan: &Plan,
        options: &Options,
    ) -> Result<Vec<Statement>, EngineError> {
        let asking = Asking { server: self, star, options };
        let source = asking.source();
        let made = match plan {
            Plan::Query(query) => vembra_sql::query(&source, query),
            Plan::List(list) => vembra_sql::list(&source, list).map(Vec::from),
        };
        made.map_err(|refused| self.refusal(&refused))
    }

    /// The answer to a plan.
    pub(crate) fn answer(&self, star: &Star, plan: &Plan, options: &Options) -> Result<Answer, EngineError> {
        let statements = self.statements(star, plan, options)?;
        let watch = options.profiler.as_deref();
        watch.into_iter().for_each(Profiler::begins);
        let found = self.run(&statements, options)?;
        watch.into_iter().for_each(|watch| watch.ends(Step::Asked(found.iter().map(Vec::len).collect())));
        match plan {
            Plan::Query(query) => {
                let levels: Vec<Vec<LevelLine>> = query
                    .levels
                    .iter()
                    .zip(found)
                    .map(|(level, rows)| lines_of(query.level_axes(level).len(), rows))
                    .collect();
                summary_of(query, &levels, options).map(Answer::Summary)
            }
            Plan::List(list) => {
                let mut found = found.into_iter();
                let (rows, counted) = (found.next().unwrap_or_default(), found.next().unwrap_or_default());
                let counted = counted.first().and_then(|row| row.first()?.physical()).unwrap_or(0);
                Ok(Answer::List(list_of(list, rows, usize::try_from(counted).unwrap_or(0))))
            }
        }
    }

    /// The last day on which rows stand that a date range looks at.
    #[cfg_attr(not(feature = "explain"), allow(dead_code))]
    pub(crate) fn last_data(
        &self,
        star: &Star,
        during: &During,
        options: &Options,
    ) -> Result<Option<i32>, EngineError> {
        let asking = Asking { server: self, star, options };
        asking.last_day(during).map_err(|refused| self.refusal(&refused))
    }

    pub(super) fn run(
        &self,
        statements: &[Statement],
        options: &Options,
    ) -> Result<Vec<AskedRows>, EngineError> {
        self.server.run(statements, &|| options.stop.is_stopped()).map_err(|error| match error {
            NoAnswer::Stopped => EngineError::Stopped,
            NoAnswer::OutOfRange => EngineError::Value(EvalError::Overflow(Type::Integer)),
            NoAnswer::Unreadable(value, ty) => EngineError::Value(EvalError::Cast { value, ty }),
            NoAnswer::Found(finding) => EngineError::Unread(finding),
        })
    }

    pub(super) fn refusal(&self, refused: &Refused) -> EngineError {
        EngineError::Unread(Box::new(Finding::new(
            Code::V649,
            self.server.name.clone(),
            refused.to_string(),
            refused.help.clone(),
        )))
    }
}

/// Who asks the server what must be known before statements are made.
pub(super) struct Asking<'a> {
    pub(super) server: &'a ServerSide,
    pub(super) star: &'a Star,
    pub(super) options: &'a Options,
}

impl Asking<'_> {
    pub(super) fn source(&self) -> Source<'_> {
        let Self { server, star, .. } = self;
        Source {
            dialect: server.dialect,
            schema: star.schema(),
            tables: &server.tables,
            derived: &server.derived,
            here: &server.here,
            limits: &server.limits,
            star,
            before: self,
        }
    }

    fn said(&self) -> MutexGuard<'_, Said> {
        self.server.said.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The first row of a statement, which says something.
    fn first_row(&self, statement: Statement, what: &str) -> Result<Option<Vec<Scalar>>, Refused> {
        let found = self.server.run(&[statement], self.options);
        let found = found
            .map_err(|error| Refused { what: format!("{what} ({error})"), help: "ask again".to_owned() })?;
        Ok(found.into_iter().next().and_then(|rows| rows.into_iter().next()))
    }
}

impl Asking<'_> {
    /// The last day on which rows stand by the own way of a date range.
    fn last_day_by(&self, during: &During) -> Result<Option<i32>, Refused> {
        let like = |(known, _): &&LastDay| known.path == during.path && known.coarse == during.coarse;
        if let Some((_, day)) = self.said().last_days.iter().find(like) {
            return Ok(*day);
        }
        let statement = vembra_sql::last_day(&self.source(), during)?;
        let row = self.first_row(statement, "the last day with data")?;
        let day = row.and_then(|row| row.first()?.physical()).and_then(|day| i32::try_from(day).ok());
        let day = day.map(|day| self.star.last_of_coarse(during, day));
        self.said().last_days.push((during.clone(), day));
        Ok(day)
    }
}

impl Beforehand for Asking<'_> {
    fn last_day(&self, during: &During) -> Result<Option<i32>, Refused> {
        let mut last = None;
        for way in during.ways() {
            last = last.max(self.last_day_by(&way)?);
        }
        Ok(last)
    }

    fn is_settled(&self, link: LinkId, column: ColumnId) -> Result<bool, Refused> {
        if let Some(settled) = self.said().settled.get(&(link, column)) {
            return Ok(*settled);
        }
        let statement = vembra_sql::differing(&self.source(), link, column)?;
        let column_name = self.star.schema().qualified(column);
        let settled = self.first_row(statement, &format!("what rows have in {column_name}"))?.is_none();
        self.said().settled.insert((link, column), settled);
        Ok(settled)
    }
}

fn lines_of(axes: usize, rows: AskedRows) -> Vec<LevelLine> {
    let line = |row: Vec<Scalar>| {
        let member = |pair: &[Scalar]| match pair[1].physical().and_then(|stands| i64::try_from(stands).ok())
        {
            Some(vembra_sql::VALUE) => LineMember::Value(pair[0].clone()),
            Some(vembra_sql::UNKNOWN) => LineMember::Unknown,
            Some(vembra_sql::REST) => LineMember::Rest,
            _ => LineMember::None,
        };
        let members = row[..2 * axes].chunks(2).map(member).collect();
        LevelLine { members, figures: row[2 * axes..].to_vec() }
    };
    rows.into_iter().map(line).collect()
}

pub(super) fn outside(error: &EngineError) -> Error {
    match error {
        EngineError::Unread(finding) => Error::outside(vec![Finding::clone(finding)]),
        other => Error::outside(vec![column_finding("", other)]),
    }
}

fn two_servers(source: &TableSource, first: &str) -> Finding {
    Finding::new(
        Code::V647,
        source.name.clone(),
        format!("the table lives on another server than {first}"),
        "let all tables live on one server, or load those of the other: declare it with `database`",
    )
}
