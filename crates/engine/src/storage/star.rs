//! Tables, links and computed columns in memory. What is derived is worked out when it is first needed.
//!
//! Three files of this crate know each other, because the thing itself goes round: a computed column may look up a figure (this file
//! asks the evaluator), a figure reads columns (the evaluator asks this file), and what binds an expression to columns (`prepare`)
//! meets both. The model has seen to it that no column looks up a figure that reads the column: its formulas are in an order.

use crate::error::EngineError;
use crate::execution::budget::Budget;
use crate::execution::lru_cache::LruCache;
use crate::execution::options::Options;
use crate::execution::result_cache::ResultCache;
use crate::expression::guards::Guarded;
use crate::expression::prepare::{Preparer, Scope, prepared_key};
use crate::expression::vector::Vector;
use crate::links::denormalised::Attributes;
use crate::links::link::{self, Spans};
use crate::links::reverse_index::ReverseIndex;
use crate::operators::evaluator::Evaluator;
use crate::operators::members::{Key, column_key};
use crate::statistics::functional_dependencies::FunctionalDependencies;
use crate::statistics::representative_rows::RepresentativeRows;
use crate::statistics::run_boundaries::RunBoundaries;
use crate::storage::calendar;
use crate::storage::column::{Column, Numbers};
use crate::storage::narrow::{day_after, narrow};
use crate::storage::row_id::Rows;
use crate::storage::small_ints::{SmallInts, with_index};
use crate::storage::table::Table;
use crate::storage::table_column::TableColumn;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::cmp::Ordering;
use std::sync::atomic::{self, AtomicUsize};
use std::sync::{Arc, Mutex, OnceLock};
use vembra_plan::civil::{day_of, parts_of};
use vembra_plan::{
    CalendarRange, ColumnDef, ColumnId, ColumnRef, During, Expr, LinkDef, LinkId, Scalar, Schema, TableId,
    TableKind,
};

/// After how many times a link is turned round for those who ask for few rows by it.
const ASKED_BEFORE: usize = 3;
/// How many group keys that are formulas are kept.
const FORMULA_KEYS: usize = 8;

/// What a row reaches by a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Reached {
    /// A row of the linked table.
    Row(usize),
    /// Nothing: it has no key.
    None,
    /// Nothing: no row has its key.
    Unknown,
}

/// What was worked out of the same star before, and is kept outside. What it does not have is worked out.
pub trait WorkedOut: Send + Sync {
    /// A computed column.
    fn column(&self, id: ColumnId) -> Option<Column>;
    /// The row that each row reaches by a link: the number of rows for one without a key, and the one behind it for one whose key
    /// no row has.
    fn link(&self, id: LinkId) -> Option<Numbers<'static>>;
}

/// A star in memory.
pub struct Star {
    schema: Schema,
    tables: Vec<Table>,
    /// The columns of tables, where they are.
    loaded: Vec<Option<TableColumn>>,
    /// The columns that are made here: computed ones, and those of calendars.
    columns: Vec<OnceLock<Arc<Column>>>,
    /// Those of which some values cannot be worked out.
    guarded: Vec<OnceLock<Arc<Guarded>>>,
    before: Option<Arc<dyn WorkedOut>>,
    memory: Budget,
    links: Vec<OnceLock<Arc<SmallInts>>>,
    /// Which rows are reached by a link, and behind them whether some row has no key, or one that no row has.
    reached: Vec<OnceLock<Vec<bool>>>,
    /// How often few rows were asked for by a link, and the link the other way round.
    reverse_index: Vec<(AtomicUsize, OnceLock<ReverseIndex>)>,
    calendars: Vec<OnceLock<(i32, usize)>>,
    keys: Mutex<HashMap<ColumnId, Key, FixedState>>,
    /// Keys of attributes behind links, some of them carried to the rows.
    pub(crate) attributes: Attributes,
    /// Which keys follow from which.
    pub(crate) follows: FunctionalDependencies,
    /// Rows of which one stands for each member.
    pub(crate) one_of_each: RepresentativeRows,
    /// Rows in which values change.
    pub(crate) changes: RunBoundaries,
    /// What scans found for earlier queries.
    pub(crate) remembered: ResultCache,
    /// The last group keys that are formulas.
    formula_keys: LruCache<(TableId, Expr<ColumnRef>), Key, FORMULA_KEYS>,
}

impl Star {
    /// A star of tables in the order of the schema; the table of a calendar is ignored.
    pub fn new(schema: Schema, tables: Vec<Table>) -> Self {
        let by_name: Vec<HashMap<&str, &TableColumn, FixedState>> = tables
            .iter()
            .map(|t| t.columns.iter().map(|(name, column)| (name.as_str(), column)).collect())
            .collect();
        let of_table = |def: &ColumnDef| match &def.formula {
            None => by_name.get(def.table.index())?.get(def.name.as_str()).map(|c| (*c).clone()),
            Some(_) => None,
        };
        let loaded = schema.columns.iter().map(of_table).collect();
        drop(by_name);
        let columns = schema.columns.iter().map(|_| OnceLock::new()).collect();
        let guarded = schema.columns.iter().map(|_| OnceLock::new()).collect();
        let links = schema.links.iter().map(|_| OnceLock::new()).collect();
        let reverse_index = schema.links.iter().map(|_| Default::default()).collect();
        let reached = schema.links.iter().map(|_| OnceLock::new()).collect();
        let calendars = schema.tables.iter().map(|_| OnceLock::new()).collect();
        Self {
            schema,
            tables,
            loaded,
            columns,
            guarded,
            before: None,
            memory: Budget::none(),
            links,
            reached,
            reverse_index,
            calendars,
            keys: Mutex::default(),
            attributes: Attributes::from(Options::default().denormalise_from),
            remembered: ResultCache::default(),
            follows: FunctionalDependencies::default(),
            one_of_each: RepresentativeRows::default(),
            changes: RunBoundaries::default(),
            formula_keys: LruCache::default(),
        }
    }

    /// Takes what was worked out before of this very star from there. Nothing is asked of it before it is needed.
    pub fn take_from(&mut self, before: Arc<dyn WorkedOut>) {
        self.before = Some(before);
    }

    /// Computed columns take no more memory than this.
    pub fn within(&mut self, memory: Budget) {
        self.memory = memory;
    }

    /// Values that rows reach by links are kept as codes in tables of this many rows or more: see [`Options::denormalise_from`].
    pub fn carry_from(&mut self, rows: usize) {
        self.attributes = Attributes::from(rows);
    }

    /// The computed columns that were worked out or fetched so far.
    pub fn computed(&self) -> impl Iterator<Item = (ColumnId, &Arc<Column>)> {
        let defs = self.schema.columns.iter().zip(&self.columns).enumerate();
        let computed = defs.filter(|(_, (def, _))| def.formula.is_some());
        computed.filter_map(|(at, (_, cell))| Some((ColumnId(narrow(at)), cell.get()?)))
    }

    /// The row that each row reaches by a link, of those links that were worked out or fetched so far.
    pub fn reached(&self) -> impl Iterator<Item = (LinkId, Numbers<'_>)> {
        let links = self.links.iter().enumerate();
        links.filter_map(|(at, cell)| Some((LinkId(narrow(at)), Numbers::of(cell.get()?))))
    }

    /// Gives the rows of a derived table, before anything asks for them.
    pub fn fill(&mut self, table: TableId, rows: Table) {
        for (at, def) in self.schema.columns.iter().enumerate().filter(|(_, c)| c.table == table) {
            if let (Some(column), None) = (rows.column(&def.name), &def.formula) {
                self.loaded[at] = Some(column.clone());
            }
        }
        self.tables[table.index()] = rows;
        // They may look at the rows that were there before.
        self.formula_keys = LruCache::default();
        self.attributes = self.attributes.emptied();
    }

    /// The schema.
    pub fn schema(&self) -> &Schema {
        &self.schema
    }

    /// How many rows a table has.
    pub fn rows(&self, table: TableId) -> usize {
        match &self.schema.table(table).kind {
            TableKind::Calendar { .. } => self.calendar_days(table).1,
            _ => self.tables.get(table.index()).map_or(0, |t| t.rows),
        }
    }

    /// The table as it was loaded.
    pub fn table(&self, table: TableId) -> Option<&Table> {
        self.tables.get(table.index())
    }

    /// A column, worked out if it is a computed one.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn column(&self, id: ColumnId) -> Result<&Arc<Column>, EngineError> {
        if let Some(column) = &self.loaded[id.index()] {
            return column.get();
        }
        let cell = &self.columns[id.index()];
        if let Some(column) = cell.get() {
            return Ok(column);
        }
        let column = match self.column_of_before(id) {
            Some(column) => column,
            None => self.make_column(id)?,
        };
        Ok(cell.get_or_init(|| Arc::new(column)))
    }

    /// A computed column of which some values cannot be worked out.
    pub(crate) fn guarded_column(&self, id: ColumnId) -> Result<Arc<Guarded>, EngineError> {
        let cell = &self.guarded[id.index()];
        if let Some(guarded) = cell.get() {
            return Ok(guarded.clone());
        }
        let def = self.schema.column(id);
        let (Some(formula), rows) = (&def.formula, self.rows(def.table)) else {
            return Err(EngineError::Internal(format!("{} is not computed", self.schema.qualified(id))));
        };
        let (options, scope) =
            (Options { guarded: true, memory: self.memory, ..Options::default() }, Scope::default());
        let roots = [(def.table, &formula.expr)];
        let evaluator = Evaluator::new(self, &formula.graph, &options, &roots);
        let preparer =
            Preparer { evaluator: &evaluator, table: def.table, scope: &scope, within_growing: false };
        let (values, failed) = preparer.prepare(&formula.expr)?.or_errors(rows)?;
        // What is counted so far is not known behind a row that fails.
        if let (true, Some(error)) = (formula.counted, failed.values().next()) {
            return Err(error.clone());
        }
        let ty = formula.expr.ty();
        let column = Column::from_vector(ty, Vector::from_scalars(&values, ty), rows);
        let guarded = Arc::new(Guarded { column: Arc::new(column), failed: Arc::new(failed) });
        Ok(cell.get_or_init(|| guarded).clone())
    }

    fn column_of_before(&self, id: ColumnId) -> Option<Column> {
        let def = self.schema.column(id);
        def.formula.as_ref()?;
        let column = self.before.as_ref()?.column(id)?;
        (column.ty() == def.ty && column.len() == self.rows(def.table)).then_some(column)
    }

    fn link_of_before(&self, id: LinkId) -> Option<SmallInts> {
        let numbers = self.before.as_ref()?.link(id)?;
        let (from, to) = (self.schema.link_source(id), self.schema.link_target(id));
        let fits = numbers.len() == self.rows(from);
        numbers.below(self.rows(to) + 2).filter(|_| fits)
    }

    fn make_column(&self, id: ColumnId) -> Result<Column, EngineError> {
        let def = self.schema.column(id);
        let rows = self.rows(def.table);
        if let Some(formula) = &def.formula {
            let options = Options { memory: self.memory, ..Options::default() };
            let scope = Scope::default();
            let roots = [(def.table, &formula.expr)];
            let evaluator = Evaluator::new(self, &formula.graph, &options, &roots);
            let preparer =
                Preparer { evaluator: &evaluator, table: def.table, scope: &scope, within_growing: false };
            let worked_out = preparer.prepare(&formula.expr).and_then(|p| p.eval(Rows::Range(0, rows)));
            let vector = match worked_out {
                // What failed may be what no row asks for.
                Err(error) if error.is_of_value() => {
                    let guarded = self.guarded_column(id)?;
                    if let Some(error) = guarded.failed.values().next() {
                        return Err(error.clone());
                    }
                    guarded.column.read(Rows::Range(0, rows))
                }
                worked_out => worked_out?,
            };
            if formula.counted {
                let mut count = 0;
                let so_far = |row| {
                    count += i64::from(vector.is_true(row));
                    Scalar::Integer(count)
                };
                let counts: Vec<Scalar> = (0..rows).map(so_far).collect();
                return Ok(Column::from_vector(def.ty, Vector::from_scalars(&counts, def.ty), rows));
            }
            return Ok(Column::from_vector(def.ty, vector, rows));
        }
        match &self.schema.table(def.table).kind {
            TableKind::Calendar { fiscal_start, .. } => {
                Ok(calendar::column(def.ty, self.calendar_start(def.table), rows, *fiscal_start))
            }
            _ => Err(EngineError::Internal(format!("{} was not loaded", self.schema.qualified(id)))),
        }
    }

    /// The last day for which a day with data stands: a coarser link reaches the first of its days, and the data go on to the last one.
    pub fn last_of_coarse(&self, during: &During, day: i32) -> i32 {
        let Some(Ok(key)) = during.coarse.map(|coarse| self.column_key(coarse)) else { return day };
        let (first, days) = self.calendar_days(during.calendar);
        let mut row = (day - first) as usize;
        let code = key.code(row);
        while row + 1 < days && key.code(row + 1) == code {
            row += 1;
        }
        day_after(first, row)
    }

    /// The first day of a calendar.
    pub(crate) fn calendar_start(&self, table: TableId) -> i32 {
        self.calendar_days(table).0
    }

    /// The first and the last day of a calendar.
    pub fn calendar_range(&self, table: TableId) -> (i32, i32) {
        let (first, days) = self.calendar_days(table);
        (first, i32::try_from(i64::from(first) + days as i64 - 1).unwrap_or(first))
    }

    /// The first day and the number of days.
    fn calendar_days(&self, table: TableId) -> (i32, usize) {
        *self.calendars[table.index()].get_or_init(|| {
            let (first, last) = match &self.schema.table(table).kind {
                TableKind::Calendar { range: CalendarRange::Days(first, last), .. } => (*first, *last),
                TableKind::Calendar { range: CalendarRange::Covering(columns), .. } => self.covered(columns),
                TableKind::Calendar { range: CalendarRange::Loaded, .. } => self.loaded_days(table),
                _ => return (0, 0),
            };
            (first, usize::try_from(i64::from(last) - i64::from(first) + 1).unwrap_or(0))
        })
    }

    /// The days of a calendar's own table, which has a row for every one of them.
    fn loaded_days(&self, table: TableId) -> (i32, i32) {
        let dates = self.schema.table(table).key.first().map(|key| self.schema.column(*key).name.as_str());
        let column = dates.and_then(|name| self.tables.get(table.index())?.column(name));
        let day = |day: i128| i32::try_from(day).unwrap_or(0);
        column.and_then(TableColumn::physical_range).map_or((0, -1), |(low, high)| (day(low), day(high)))
    }

    /// The whole years around the dates of some columns; no days if there are none.
    fn covered(&self, columns: &[ColumnId]) -> (i32, i32) {
        let ranges = columns.iter().filter_map(|id| {
            // What is known of a column that is kept outside is enough.
            let (range, ty) = match &self.loaded[id.index()] {
                Some(column) => (column.physical_range(), column.ty()),
                None => self.column(*id).ok().map(|c| (c.physical_range(), c.ty()))?,
            };
            let (low, high) = range?;
            let days = if ty == vembra_plan::Type::Moment {
                i128::from(vembra_plan::civil::MICROS_PER_DAY)
            } else {
                1
            };
            Some((low.div_euclid(days), high.div_euclid(days)))
        });
        let range = ranges.reduce(|(a, b), (c, d)| (a.min(c), b.max(d)));
        let year = |day: i128| i32::try_from(day).ok().and_then(parts_of).map(|(year, _, _)| year);
        range
            .and_then(|(low, high)| Some((day_of(year(low)?, 1, 1)?, day_of(year(high)?, 12, 31)?)))
            .unwrap_or((0, -1))
    }

    /// The rows that are reached by a link, if that was asked before.
    pub(crate) fn known_link_rows(&self, id: LinkId) -> Option<&Arc<SmallInts>> {
        self.links[id.index()].get()
    }

    pub(crate) fn link_rows(&self, id: LinkId) -> Result<&Arc<SmallInts>, EngineError> {
        let cell = &self.links[id.index()];
        if let Some(numbers) = cell.get() {
            return Ok(numbers);
        }
        let numbers = match self.link_of_before(id) {
            Some(numbers) => numbers,
            None => self.resolved(id)?,
        };
        Ok(cell.get_or_init(|| Arc::new(numbers)))
    }

    /// Whether each row reaches one by a link.
    pub(crate) fn is_complete(&self, id: LinkId) -> Result<bool, EngineError> {
        let rows = self.rows(self.schema.link_target(id));
        Ok(self.rows_reached(id)?[rows..].iter().all(|reached| !reached))
    }

    /// Whether some row may have no value of a column that is reached by some links.
    ///
    /// # Errors
    /// When a link or a column cannot be worked out.
    pub fn may_lack(&self, path: &[LinkId], column: ColumnId) -> Result<bool, EngineError> {
        for link in path {
            if !self.is_complete(*link)? {
                return Ok(true);
            }
        }
        Ok(self.column(column)?.missing() > 0)
    }

    /// A link the other way round. It takes longer to make than to read the rows a few times, and is made when few of them are asked for
    /// again and again.
    pub(crate) fn reverse_index(&self, id: LinkId) -> Result<Option<&ReverseIndex>, EngineError> {
        let (asked, known) = &self.reverse_index[id.index()];
        if known.get().is_none() && asked.fetch_add(1, atomic::Ordering::Relaxed) < ASKED_BEFORE {
            return Ok(None);
        }
        let targets = self.rows(self.schema.link_target(id)) + 2;
        let numbers = self.link_rows(id)?;
        Ok(Some(known.get_or_init(|| ReverseIndex::new(numbers, targets))))
    }

    /// Which rows are reached by a link; behind them whether some row has no key, and whether some has one that no row has.
    pub(crate) fn rows_reached(&self, id: LinkId) -> Result<&[bool], EngineError> {
        if let Some(reached) = self.reached[id.index()].get() {
            return Ok(reached);
        }
        let mut reached = vec![false; self.rows(self.schema.link_target(id)) + 2];
        let numbers = self.link_rows(id)?;
        with_index!(&**numbers, numbers => numbers.iter().for_each(|n| reached[*n as usize] = true));
        Ok(self.reached[id.index()].get_or_init(|| reached))
    }

    fn resolved(&self, id: LinkId) -> Result<SmallInts, EngineError> {
        let (def, target) = (self.schema.link(id), self.schema.link_target(id));
        let rows = self.rows(target);
        if matches!(self.schema.table(target).kind, TableKind::Calendar { .. }) && !def.coarse {
            return Ok(link::by_day(self.column(def.from[0])?, self.calendar_start(target), rows));
        }
        if let Some(as_of) = &def.as_of {
            return self.resolved_as_of(def, as_of.until, rows);
        }
        let pairs = def.from.iter().zip(&def.to);
        let keys: Result<Vec<(Key, Key)>, EngineError> =
            pairs.map(|(from, to)| Ok((self.column_key(*from)?, self.column_key(*to)?))).collect();
        let numbers = link::by_key(&keys?, rows);
        if !self.is_sparse(id) {
            return Ok(numbers);
        }
        let known = (0..numbers.len()).map(|row| narrow(numbers.get(row).min(rows))).collect();
        Ok(SmallInts::new(known, rows + 2))
    }

    /// Whether a link need not find a row: a table about some days of the calendar, such as holidays, says nothing of the others.
    pub(crate) fn is_sparse(&self, id: LinkId) -> bool {
        matches!(self.schema.table(self.schema.link_source(id)).kind, TableKind::Calendar { .. })
    }

    /// The row that holds on the day of each row.
    fn resolved_as_of(
        &self,
        def: &LinkDef,
        until: Option<ColumnId>,
        rows: usize,
    ) -> Result<SmallInts, EngineError> {
        let (Some((day, from)), Some((since, to))) = (def.from.split_last(), def.to.split_last()) else {
            return Err(EngineError::Internal("a link without columns".to_owned()));
        };
        let pairs = from.iter().zip(to);
        let keys: Result<Vec<(Key, Key)>, EngineError> =
            pairs.map(|(from, to)| Ok((self.column_key(*from)?, self.column_key(*to)?))).collect();
        let until = until.map(|column| self.column(column)).transpose()?;
        let spans =
            Spans { day: self.column(*day)?, since: self.column(*since)?, until: until.map(|u| &**u) };
        Ok(link::by_span(&keys?, &spans, rows))
    }

    /// The members of a column and the code of each row; kept for the next query.
    pub(crate) fn column_key(&self, id: ColumnId) -> Result<Key, EngineError> {
        let kept = self.keys.lock().ok().and_then(|keys| keys.get(&id).cloned());
        if let Some(key) = kept {
            return Ok(key);
        }
        let key = column_key(self.column(id)?);
        if let Ok(mut keys) = self.keys.lock() {
            keys.insert(id, key.clone());
        }
        Ok(key)
    }

    /// The members of a formula over the rows of a table and the code of each row. The last few are kept for the next
    /// query.
    pub(crate) fn expression_key(&self, table: TableId, expr: &Expr<ColumnRef>) -> Result<Key, EngineError> {
        self.formula_keys.or_found(
            |(own, kept)| *own == table && kept == expr,
            || (table, expr.clone()),
            || prepared_key(crate::expression::prepare::prepare(self, expr)?, self.rows(table)),
        )
    }

    /// The different values of a column, in order, without null.
    ///
    /// # Errors
    /// When a value of a computed column cannot be worked out.
    pub fn members(&self, id: ColumnId) -> Result<Vec<Scalar>, EngineError> {
        Ok(self.column_key(id)?.members.values.clone())
    }

    /// Whether a value is one of a column.
    ///
    /// # Errors
    /// When the column cannot be worked out.
    pub fn has_member(&self, id: ColumnId, value: &Scalar) -> Result<bool, EngineError> {
        Ok(self.column_key(id)?.members.find(value).is_some())
    }

    /// The row that a row reaches.
    pub(crate) fn linked_row(&self, link: LinkId, row: usize) -> Result<Reached, EngineError> {
        let number = self.link_rows(link)?.get(row);
        let rows = self.rows(self.schema.link_target(link));
        Ok(match number.cmp(&rows) {
            Ordering::Less => Reached::Row(number),
            Ordering::Equal => Reached::None,
            Ordering::Greater => Reached::Unknown,
        })
    }

    /// How many bytes the loaded and computed columns take.
    pub fn bytes(&self) -> usize {
        let loaded = self.loaded.iter().flatten().filter_map(TableColumn::here);
        loaded.chain(self.columns.iter().filter_map(OnceLock::get)).map(|c| c.bytes()).sum()
    }
}
