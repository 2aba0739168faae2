//! Sessions whose tables live on a server: the statements of a plan, and rows fetched to see whether an answer is right.

use crate::error::Error;
use crate::loader::Loader;
use crate::row_location::RowsHere;
use crate::server::outside;
use crate::session::Session;
use std::sync::PoisonError;
use vembra_engine::EngineError;
use vembra_model::TableSource;
use vembra_plan::Plan;
use vembra_sources::Tell;
use vembra_sql::Statement;

/// Tables of more rows are not fetched from a server, unless it was said how many are.
const MOST_FETCHED: usize = 200_000;

impl Session {
    /// The rows that an explanation looks at: those of a server are fetched, where they are few enough.
    #[cfg_attr(not(feature = "explain"), allow(dead_code))]
    pub(crate) fn rows_here(&self) -> Result<RowsHere, Error> {
        let Some(side) = &self.server else { return Ok(RowsHere::Already) };
        let counts = side.counts(&self.star).map_err(|error| outside(&error))?;
        // What was fetched before may not be there any more.
        let most = self.loader.as_ref().and_then(|loader| loader.most_fetched).unwrap_or(MOST_FETCHED);
        let few = counts.values().all(|(rows, _)| *rows <= most);
        let fetched = self.loader.as_ref().filter(|_| few).map(|loader| self.fetch(loader)).transpose()?;
        self.fetched.lock().unwrap_or_else(PoisonError::into_inner).clone_from(&fetched);
        Ok(fetched.map_or(RowsHere::Stay, |session| RowsHere::Fetched(Box::new(session))))
    }

    fn fetch(&self, loader: &Loader) -> Result<Session, Error> {
        let loader = Loader { fetches: true, ..Loader::clone(loader) };
        let declarations = loader.declarations();
        let load = |source: &TableSource| Ok((source.name.clone(), loader.load(source, Tell::default())?));
        let loaded = declarations.tables.iter().map(load).collect::<Result<_, Error>>()?;
        let session = loader.session(&declarations, loaded, self.options.clone(), None)?;
        session.sound()?;
        self.viewer.as_ref().map_or_else(|| Ok(session.clone()), |viewer| session.seen_by(viewer))
    }

    /// The statements that a server is asked for a plan; none where tables are in memory.
    pub(crate) fn statements(&self, plan: &Plan) -> Result<Option<String>, EngineError> {
        let Some(side) = &self.server else { return Ok(None) };
        let statements = side.statements(&self.star, plan, &self.options)?;
        Ok(Some(statements.iter().map(Statement::by_hand).collect::<Vec<_>>().join("\n")))
    }
}
