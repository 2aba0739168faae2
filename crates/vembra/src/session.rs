//! A model over loaded tables: what queries are put to.

use crate::error::Error;
use crate::load_report::LoadReport;
use crate::loader::Loader;
use crate::server::ServerSide;
use crate::table_cache::Keeping;
use std::collections::BTreeMap;
use std::fmt;
use std::path::PathBuf;
use std::sync::{Arc, Mutex};
use vembra_draw::Locale;
use vembra_engine::{Budget, Options, Star};
use vembra_model::Model;
use vembra_model::lower::KnownValues;
use vembra_plan::{ColumnId, Finding, Scalar};
use vembra_syntax::Diagnostic;

/// A model over loaded tables. Cloning it costs next to nothing: all clones share the model and the tables, also from thread to thread.
///
/// # Examples
/// ```
/// let session = vembra::Session::builder()
///     .model_text("m.vembra", "fact sale from 'sale'\nmeasure total = sum(amount)\n")
///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
///     .open()?;
/// let threads: Vec<_> = ["North", "South"]
///     .map(|shop| {
///         let session = session.clone();
///         std::thread::spawn(move || session.ask(&format!("show total where sale.shop = '{shop}'")))
///     })
///     .into();
/// for (thread, total) in threads.into_iter().zip(["1", "2"]) {
///     let reply = thread.join().expect("no panic")?;
///     assert_eq!(reply.csv(vembra::Layout::Tidy)?, format!("total\n{total}\n"));
/// }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone)]
pub struct Session {
    pub(crate) model: Arc<Model>,
    pub(crate) star: Arc<Star>,
    /// Who looks, if not everyone.
    pub(crate) viewer: Option<String>,
    pub(crate) report: Arc<LoadReport>,
    /// The files of the model's texts and of its tables.
    pub(crate) files: Arc<[PathBuf]>,
    pub(crate) findings: Arc<[Finding]>,
    diagnostics: Arc<[Diagnostic]>,
    pub(crate) options: Options,
    /// What is wrong in the model and was left out.
    pub(crate) wrong: Arc<[Wrong]>,
    /// How its tables are read again for a viewer, if the model has any.
    pub(crate) loader: Option<Arc<Loader>>,
    /// The server that answers, where tables live on one.
    pub(crate) server: Option<Arc<ServerSide>>,
    /// The same over rows that were fetched from there for the last explanation.
    pub(crate) fetched: Arc<Mutex<Option<Session>>>,
    /// What is kept for the next time.
    pub(crate) keeping: Option<Arc<Keeping>>,
    /// Why what the session of all rows read could not be kept, where this is one of its viewers.
    #[cfg_attr(not(feature = "cache"), allow(dead_code))]
    pub(crate) not_kept: Option<Error>,
    /// The sessions of viewers that were asked for.
    pub(crate) viewers: Arc<Mutex<BTreeMap<String, Session>>>,
}

/// Something that is wrong and that nothing else needs.
#[derive(Clone, Debug)]
pub(crate) struct Wrong {
    /// What it is, with its name.
    pub(crate) name: String,
    /// What is wrong: said when it is to be drawn, or needed.
    pub(crate) diagnostics: Vec<Diagnostic>,
}

impl fmt::Debug for Session {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let tables: Vec<&str> = self.model.schema.tables.iter().map(|t| t.name.as_str()).collect();
        f.debug_struct("Session")
            .field("tables", &tables)
            .field("viewer", &self.viewer)
            .finish_non_exhaustive()
    }
}

impl Session {
    pub(crate) fn new(
        model: Model,
        star: Star,
        report: LoadReport,
        told: (Vec<Finding>, Vec<Diagnostic>),
        options: Options,
    ) -> Self {
        Self {
            model: Arc::new(model),
            star: Arc::new(star),
            viewer: None,
            report: Arc::new(report),
            files: Arc::default(),
            findings: told.0.into(),
            diagnostics: told.1.into(),
            options,
            wrong: Arc::default(),
            loader: None,
            server: None,
            fetched: Arc::default(),
            keeping: None,
            not_kept: None,
            viewers: Arc::default(),
        }
    }

    /// The model.
    pub fn model(&self) -> &Model {
        &self.model
    }

    /// How readers of its texts, pictures and pages write, with the currency of the model.
    pub fn locale(&self) -> Locale {
        let own = self.model.locale.as_deref().and_then(|tag| Locale::of(tag).ok());
        own.unwrap_or_default().with_currency(self.model.currency.as_deref())
    }

    /// The files that the model is made of, as far as they are files: its texts, and those of its tables, also where a table comes from
    /// several.
    pub fn files(&self) -> Vec<PathBuf> {
        self.files.iter().filter(|file| file.exists()).cloned().collect()
    }

    /// The tables in memory.
    pub fn star(&self) -> &Star {
        &self.star
    }

    /// The memory that may be taken: [`Budget::none`] unless the builder sets a limit.
    pub fn memory(&self) -> Budget {
        self.options.memory
    }

    /// What was read.
    pub fn load_report(&self) -> &LoadReport {
        &self.report
    }

    /// Notes and warnings about the model's text.
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.diagnostics
    }
}

/// The values of columns in memory; those of a server are not known.
pub(crate) struct Known<'a>(pub(crate) &'a Session);

impl KnownValues for Known<'_> {
    fn values(&self, column: ColumnId) -> Option<Vec<Scalar>> {
        if self.0.server.is_some() {
            return None;
        }
        self.0.star.members(column).ok()
    }

    fn holds(&self, column: ColumnId, value: &Scalar) -> Option<bool> {
        if self.0.server.is_some() {
            return None;
        }
        self.0.star.has_member(column, value).ok()
    }
}
