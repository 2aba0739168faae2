//! Sessions whose tables live on a server: the statements of a plan, and rows fetched to see whether an answer is right.

use crate::error::Error;
use crate::loader::Loader;
use crate::server::{ServerSide, outside};
use crate::session::Session;
use std::sync::PoisonError;
use vembra_engine::EngineError;
use vembra_model::TableSource;
use vembra_plan::Plan;
use vembra_sources::Tell;
use vembra_sql::{Refused, Statement};

/// Tables of more rows are not fetched from a server.
const MOST_FETCHED: usize = 200_000;

impl Session {
    /// The same session over the rows of the server, fetched, where these are few enough; none where tables are in memory.
    #[cfg_attr(not(feature = "explain"), allow(dead_code))]
    pub(crate) fn rows_here(&self) -> Result<Option<Session>, Error> {
        let Some(side) = &self.server else { return Ok(None) };
        // What was fetched before may not be there any more.
        let fetched = self.fetch(side)?;
        *self.fetched.lock().unwrap_or_else(PoisonError::into_inner) = Some(fetched.clone());
        Ok(Some(fetched))
    }

    fn fetch(&self, side: &ServerSide) -> Result<Session, Error> {
        let counts = side.counts(&self.star).map_err(|error| outside(&error))?;
        if let Some((table, (rows, _))) =
            counts.iter().max_by_key(|(_, (rows, _))| *rows).filter(|(_, (rows, _))| *rows > MOST_FETCHED)
        {
            let refused = Refused {
                what: format!(
                    "an explanation, for which the {} rows of {table} were fetched,",
                    vembra_draw::grouped(*rows)
                ),
                help: format!(
                    "tables of at most {} rows are fetched: explain the figure over a view of the server that has fewer",
                    vembra_draw::grouped(MOST_FETCHED)
                ),
            };
            return Err(outside(&side.refusal(&refused)));
        }
        let Some(loader) = &self.loader else {
            let refused = Refused {
                what: "an explanation beside tables that were given in memory".to_owned(),
                help: "give all tables, or none".to_owned(),
            };
            return Err(outside(&side.refusal(&refused)));
        };
        let loader = Loader { fetches: true, ..Loader::clone(loader) };
        let declarations = loader.declarations();
        let load =
            |source: &TableSource| Ok((source.name.clone(), loader.load(source, None, Tell::default())?));
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
