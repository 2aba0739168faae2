//! Without the feature for servers no session is answered by one.

use crate::error::Error;
use crate::load_report::Counts;
use crate::loader::Loader;
use crate::row_location::RowsHere;
use crate::session::Session;
use vembra_engine::{Answer, EngineError, Options, Star};
use vembra_model::{Declarations, Model};
use vembra_plan::{ColumnId, During, Finding, Formula, Plan, Scalar, TableId};
use vembra_sources::Loaded;

/// There is none: nothing makes one.
#[derive(Clone)]
pub(crate) struct ServerSide;

#[allow(
    clippy::unnecessary_wraps,
    clippy::unused_self,
    clippy::needless_pass_by_ref_mut,
    clippy::unused_unit
)] // As it is with the feature.
impl ServerSide {
    pub(crate) fn of(_: &Declarations, _: &Model, _: &Loader) -> Result<Option<Self>, Error> {
        Ok(None)
    }

    pub(crate) fn cover(&self, _: &mut Model) -> Result<(), Error> {
        Ok(())
    }

    pub(crate) fn read_days(
        &mut self,
        _: &Declarations,
        _: &Model,
        _: &Loader,
        _: &mut [(String, Loaded)],
    ) -> Result<(), Error> {
        Ok(())
    }

    pub(crate) fn counts(&self, _: &Star) -> Result<Counts, EngineError> {
        Ok(Counts::new())
    }

    pub(crate) fn findings(&self, _: &Model, _: &Star) -> Result<Vec<Finding>, EngineError> {
        Ok(Vec::new())
    }

    pub(crate) fn check_keys(&self, _: &Model) -> Result<(), Error> {
        Ok(())
    }

    pub(crate) fn ordered(
        &self,
        _: &Model,
        _: &Star,
        _: [ColumnId; 2],
    ) -> Result<Option<Vec<(Scalar, Scalar)>>, EngineError> {
        Ok(None)
    }

    pub(crate) fn deriving(&self, _: TableId, _: Plan) -> Self {
        self.clone()
    }

    pub(crate) fn limited(&self, _: Vec<(TableId, Formula)>) -> Self {
        self.clone()
    }

    #[cfg_attr(not(feature = "explain"), allow(dead_code))]
    pub(crate) fn last_data(&self, _: &Star, _: &During, _: &Options) -> Result<Option<i32>, EngineError> {
        Ok(None)
    }

    pub(crate) fn answer(&self, _: &Star, _: &Plan, _: &Options) -> Result<Answer, EngineError> {
        Err(EngineError::Internal("no server was made".to_owned()))
    }
}

#[allow(
    clippy::unnecessary_wraps,
    clippy::unused_self,
    clippy::needless_pass_by_ref_mut,
    clippy::unused_unit
)] // As it is with the feature.
impl Session {
    #[cfg_attr(not(feature = "explain"), allow(dead_code))]
    pub(crate) fn rows_here(&self) -> Result<RowsHere, Error> {
        Ok(RowsHere::Already)
    }

    pub(crate) fn statements(&self, _: &Plan) -> Result<Option<String>, EngineError> {
        Ok(None)
    }
}
