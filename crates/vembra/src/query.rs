//! A query that is put to a session: with values of parameters, as somebody who sees only some rows, and with a way to stop it.

use crate::error::Error;
#[cfg(feature = "explain")]
use crate::explain::Explanation;
use crate::plan_words::Stage;
use crate::reply::Reply;
use crate::session::Session;
use vembra_engine::{Options, Stop};

impl Session {
    /// Answers a query: text, tree, meaning, plan, answer.
    ///
    /// # Errors
    /// When the query's text is wrong, or a value cannot be worked out.
    pub fn ask(&self, query: &str) -> Result<Reply, Error> {
        self.query(query).ask()
    }

    /// A query, to be answered or explained once values of parameters are given.
    pub fn query(&self, text: impl Into<String>) -> QueryBuilder {
        QueryBuilder::new(self.clone(), text.into())
    }
}

/// A query with all that belongs to it; see [`Session::query`].
///
/// # Examples
/// ```
/// let session = vembra::Session::builder()
///     .model_text("m.vembra", "fact sale from 'sale'\nparam least: integer default 0\nviewer north sees only sale.shop = 'North'\n")
///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\nNorth,3\n")
///     .open()?;
/// let query = session.query("show sum(amount where amount >= :least) as total");
/// assert_eq!(query.clone().ask()?.csv(vembra::Layout::Tidy)?, "total\n6\n");
/// assert_eq!(query.given("least", "2").viewer("north").ask()?.csv(vembra::Layout::Tidy)?, "total\n3\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
#[must_use = "nothing is asked before ask, why, explain or stage"]
pub struct QueryBuilder {
    session: Session,
    pub(crate) text: String,
    given: Vec<(String, String)>,
    viewer: Option<String>,
    stop: Option<Stop>,
}

impl QueryBuilder {
    pub(crate) fn new(session: Session, text: String) -> Self {
        Self { session, text, given: Vec::new(), viewer: None, stop: None }
    }

    /// Gives a parameter a value, as the query's own `given` would write it; a text may stand without quotes. What the query itself
    /// gives goes first.
    pub fn given(mut self, name: impl Into<String>, value: impl Into<String>) -> Self {
        self.given.push((name.into(), value.into()));
        self
    }

    /// Gives several parameters values, each as [`QueryBuilder::given`] does.
    pub fn given_all<N: Into<String>, V: Into<String>>(
        mut self,
        given: impl IntoIterator<Item = (N, V)>,
    ) -> Self {
        self.given.extend(given.into_iter().map(|(name, value)| (name.into(), value.into())));
        self
    }

    /// Sees only what a viewer of the model sees; see [`Session::seen_by`].
    pub fn viewer(mut self, name: impl Into<String>) -> Self {
        self.viewer = Some(name.into());
        self
    }

    /// Can be stopped by this handle: the answer is then an error of the kind [`ErrorKind::Stopped`](crate::ErrorKind::Stopped).
    /// The handle also says how far the answer has come: [`Stop::rows_read`].
    ///
    /// # Examples
    /// ```
    /// use vembra::{ErrorKind, Session, Stop};
    /// let session = Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\n")
    ///     .csv_text("sale", "amount\n1\n")
    ///     .open()?;
    /// let stop = Stop::default();
    /// stop.stop();
    /// let error = session.query("show sum(amount) as total").stopped_by(&stop).ask().unwrap_err();
    /// assert_eq!(error.kind(), ErrorKind::Stopped);
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn stopped_by(mut self, stop: &Stop) -> Self {
        self.stop = Some(stop.clone());
        self
    }

    /// Answers it: text, tree, meaning, plan, answer.
    ///
    /// # Errors
    /// When the query's text, a given name or a value is wrong, or something cannot be worked out.
    pub fn ask(self) -> Result<Reply, Error> {
        self.on(|session, query, given| session.answer(query, given, &session.options))
    }

    /// Answers it, and says in words what was done for it: what was read how often, what was shared, and how long each
    /// step took: passes over rows, folds to coarser groups, figures worked out from others, choosing and naming lines.
    ///
    /// # Errors
    /// As [`QueryBuilder::ask`].
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\n")
    ///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
    ///     .open()?;
    /// let (_, why) = session.query("rows sale.shop show sum(amount) as total, count(rows of sale) as n").why()?;
    /// assert!(why.contains("sale was read once"), "{why}");
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn why(self) -> Result<(Reply, String), Error> {
        self.on(Session::ask_why)
    }

    /// Explains a figure of it. `cell` says where it stands, such as `calendar.month = '2025-04', customer.region = 'Dunlow'`;
    /// axes that it does not name are totalled. `figure` is the name or heading of the figure; the first one if it is left out.
    ///
    /// # Errors
    /// When the query or the cell is wrong, or a value cannot be worked out.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\nmeasure total = sum(amount)\n")
    ///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\nSouth,3\n")
    ///     .open()?;
    /// let why = session.query("rows sale.shop show total").explain("sale.shop = 'South'", None)?;
    /// assert_eq!((why.value.as_str(), why.agrees), ("5", true));
    /// assert!(why.text().contains("2 rows"), "{}", why.text());
    /// # Ok::<(), vembra::Error>(())
    /// ```
    #[cfg(feature = "explain")]
    pub fn explain(self, cell: &str, figure: Option<&str>) -> Result<Explanation, Error> {
        self.on(|session, query, given| session.explain(query, cell, figure, given))
    }

    /// Explains every figure of every line of its answer, each once.
    ///
    /// # Errors
    /// As [`QueryBuilder::explain`].
    #[cfg(feature = "explain")]
    pub fn explain_all(self) -> Result<Vec<Explanation>, Error> {
        self.on(Session::explain_all)
    }

    /// The text form of a stage that the query goes through: its tree, its meaning, its plan before and after the rewrites.
    ///
    /// # Errors
    /// When its text is wrong.
    pub fn stage(self, stage: Stage) -> Result<String, Error> {
        self.on(|session, query, given| session.stage(query, given, stage))
    }

    /// Does something with the session that the query is put to.
    fn on<T>(
        self,
        work: impl FnOnce(&Session, &str, &[(&str, &str)]) -> Result<T, Error>,
    ) -> Result<T, Error> {
        let mut session = match &self.viewer {
            Some(viewer) => self.session.of_viewer(viewer)?,
            None => self.session,
        };
        if let Some(stop) = self.stop {
            session.options = Options { stop, ..session.options };
        }
        let given: Vec<(&str, &str)> = self.given.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
        work(&session, &self.text, &given)
    }
}
