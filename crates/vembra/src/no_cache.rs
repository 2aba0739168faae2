//! Built without the feature `kept`: nothing is, and what would do it cannot be made.

#![allow(clippy::trivially_copy_pass_by_ref)] // As it is with the feature.

use crate::error::Error;
use crate::loader::Loader;
use crate::session::Session;
use vembra_engine::Table;
use vembra_model::TableSource;
use vembra_sources::{Loaded, Tell};

#[derive(Clone, Copy)]
pub(crate) enum Keeping {}

impl Keeping {
    pub(crate) fn load(&self, _: &Loader, _: &TableSource, _: Tell) -> Result<Loaded, Error> {
        match *self {}
    }

    pub(crate) fn meet(&self, _: &mut Session) {
        match *self {}
    }

    pub(crate) fn derived(&self, _: &Loader, _: &Session, _: usize) -> Option<Table> {
        match *self {}
    }

    pub(crate) fn is_sound(&self) -> bool {
        match *self {}
    }
}

impl Session {
    #[allow(clippy::unused_self, clippy::needless_pass_by_ref_mut)] // As it is with the feature.
    pub(crate) fn kept_of_whole(&mut self, _: &Self) {}
}
