//! Without the feature for servers no session is answered by one.

use crate::error::Error;
use crate::loader::Loader;
use crate::session::Session;
use vembra_engine::{Answer, EngineError, Options, Star};
use vembra_model::{Declarations, Model, TableSource};
use vembra_plan::{Formula, Plan, TableId};
use vembra_sources::Loaded;

/// There is none.
#[derive(Clone)]
pub(crate) enum ServerSide {}

pub(crate) fn shape(_: &TableSource, _: &Loader) -> Option<Loaded> {
    None
}

#[allow(clippy::unnecessary_wraps, clippy::unused_self)] // As it is with the feature.
impl ServerSide {
    pub(crate) fn of(_: &Declarations, _: &Model, _: &Loader) -> Result<Option<Self>, Error> {
        Ok(None)
    }

    pub(crate) fn cover(&self, _: &mut Model) -> Result<(), Error> {
        match *self {}
    }

    pub(crate) fn read_days(
        &mut self,
        _: &Declarations,
        _: &Model,
        _: &Loader,
        _: &mut [(String, Loaded)],
    ) -> Result<(), Error> {
        match *self {}
    }

    pub(crate) fn check_keys(&self, _: &Model) -> Result<(), Error> {
        match *self {}
    }

    pub(crate) fn derive(&mut self, _: TableId, _: Plan) {
        match *self {}
    }

    pub(crate) fn limit(&mut self, _: Vec<(TableId, Formula)>) {
        match *self {}
    }

    pub(crate) fn answer(&self, _: &Star, _: &Plan, _: &Options) -> Result<Answer, EngineError> {
        match *self {}
    }
}

#[allow(clippy::unnecessary_wraps, clippy::unused_self)] // As it is with the feature.
impl Session {
    pub(crate) fn not_on_server(&self, _: &str) -> Result<(), Error> {
        Ok(())
    }

    pub(crate) fn statements(&self, _: &Plan) -> Result<Option<String>, EngineError> {
        Ok(None)
    }
}
