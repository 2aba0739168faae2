//! A model while it is written.

use crate::files::{Files, Stamp, beside, direct_path, file_stamp, folder};
#[cfg(feature = "cache")]
use crate::loader::Loader;
use crate::loader::{has_errors, in_days, read_options, read_source, shape, tables_in_order};
#[cfg(feature = "cache")]
use crate::table_cache::DraftTables;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use vembra_engine::{Budget, Star};
use vembra_model::{Model, TableShape, TableSource};
use vembra_plan::{ColumnId, Finding, Scalar};
use vembra_sources::{Loaded, ReadOptions};
use vembra_syntax::{Diagnostic, SourceId, Span};

/// A model while it is written: its text may be wrong at any time, and is read again after each change. Tables are kept in memory
/// as long as their files stay the same.
///
/// # Examples
/// ```
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("sale.csv"), "shop,amount\nNorth,1\n")?;
/// let mut draft = vembra::Draft::new(folder.path().join("m.vembra"));
/// draft.write("m.vembra", "fact sale from 'sale.csv'\nmeasure total = sum(amont)\n");
/// assert_eq!(draft.read().diagnostics[0].code, "V201");
/// draft.write("m.vembra", "fact sale from 'sale.csv'\nmeasure total = sum(amount)\n");
/// assert!(draft.read().diagnostics.is_empty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Draft {
    main: PathBuf,
    files: Files,
    tables: BTreeMap<String, ReadTable>,
    #[cfg(feature = "cache")]
    outside: Option<DraftTables>,
}

/// A table with what it was read from.
#[derive(Debug)]
struct ReadTable {
    files: Vec<PathBuf>,
    stamps: Vec<Stamp>,
    /// How it was read, in words.
    how: String,
    loaded: Loaded,
}

/// What a draft means at one time: as much of it as could be resolved.
pub struct Reading {
    /// The model.
    pub model: Model,
    /// What is wrong with its texts.
    pub diagnostics: Vec<Diagnostic>,
    /// What was found in the files of tables, each with the place where the table is declared.
    pub findings: Vec<(Span, Finding)>,
    star: Star,
}

impl Draft {
    /// A draft of the model in a file, which need not be there yet.
    pub fn new(main: impl AsRef<Path>) -> Self {
        let main = main.as_ref().to_owned();
        let root = folder(&main.display().to_string());
        Self { main, files: Files { root, ..Files::default() }, ..Self::empty() }
    }

    fn empty() -> Self {
        Self {
            main: PathBuf::new(),
            files: Files::default(),
            tables: BTreeMap::new(),
            #[cfg(feature = "cache")]
            outside: None,
        }
    }

    /// Takes tables that were kept before from there, as [`SessionBuilder::cache`](crate::SessionBuilder::cache) does.
    #[cfg(feature = "cache")]
    pub fn cache(mut self, cache: vembra_sources::Cache) -> Self {
        self.outside = Some(DraftTables::new(cache));
        self
    }

    /// What keeps the tables that were read since this was asked last, if there are any that are worth it. It takes a while for large ones;
    /// a program runs it beside other things.
    #[cfg(feature = "cache")]
    pub fn unkept(&mut self) -> Option<crate::ToKeep> {
        let main = self.main.clone();
        self.outside.as_mut()?.unkept(&main)
    }

    /// Lets the model include files outside its folder.
    pub fn allow_outside(mut self, allow: bool) -> Self {
        self.files.outside = allow;
        self
    }

    /// The main file.
    pub fn main(&self) -> &Path {
        &self.main
    }

    /// Takes the text of a file instead of what is on disk. The path is absolute, or taken from the folder of the model.
    pub fn write(&mut self, file: impl AsRef<Path>, text: impl Into<String>) {
        let path = self.path(file.as_ref());
        self.files.open.insert(path, text.into());
    }

    /// Takes what is on disk again.
    pub fn close(&mut self, file: impl AsRef<Path>) {
        let path = self.path(file.as_ref());
        self.files.open.remove(&path);
    }

    /// What the draft would mean with other texts of some files.
    pub fn read_with(&mut self, texts: &[(PathBuf, String)]) -> Reading {
        let open = self.files.open.clone();
        texts.iter().for_each(|(file, text)| self.write(file, text.clone()));
        let reading = self.read();
        self.files.open = open;
        reading
    }

    fn path(&self, file: &Path) -> PathBuf {
        direct_path(&beside(Some(&self.main.display().to_string()), &file.display().to_string()))
    }

    /// The files that the model is made of, as far as they can be read.
    pub fn texts(&self) -> Vec<PathBuf> {
        let declarations = vembra_model::read(&self.files, &self.main.display().to_string());
        let sources = &declarations.sources;
        let names = (0..sources.count()).map(|at| sources.name(SourceId(at as u32)).to_owned());
        names.map(|name| direct_path(Path::new(&name))).collect()
    }

    /// Reads the model, and those of its tables whose files have changed.
    pub fn read(&mut self) -> Reading {
        let declarations = vembra_model::read(&self.files, &self.main.display().to_string());
        #[cfg(feature = "cache")]
        if let Some(outside) = &mut self.outside {
            outside.said(declarations.cache.as_ref());
        }
        let mut tables = BTreeMap::new();
        let (mut shapes, mut findings): (Vec<TableShape>, _) = (Vec::new(), Vec::new());
        for source in &declarations.tables {
            let loaded = self.load(source);
            shapes.push(shape(&source.name, &loaded.table));
            findings.extend(loaded.findings.iter().map(|f| (source.span, f.clone())));
            tables.insert(source.name.clone(), loaded.table.clone());
        }
        let (model, more) = vembra_model::resolve(&declarations, &shapes);
        let mut diagnostics = declarations.diagnostics;
        // What could not be read makes others miss it: those messages would be follow-ups.
        if !has_errors(&diagnostics) {
            diagnostics.extend(more);
        }
        let star = Star::new(model.schema.clone(), tables_in_order(&model, tables));
        Reading { model, diagnostics, findings, star }
    }

    /// The table of a source, read again only if its files or what the model says of them have changed.
    fn load(&mut self, source: &TableSource) -> &Loaded {
        let folder = folder(&source.declared_in);
        // What is wrong with the names of files is reported by the reader.
        let files = vembra_sources::expand(&folder, &source.files).unwrap_or_default();
        let stamps: Vec<Stamp> = files.iter().map(|file| file_stamp(file)).collect();
        let options = read_options(source, Budget::none());
        let how = format!("{options:?} {:?} {:?}", source.days, source.database);
        let is_stored = source.database.is_some();
        let fits = |read: &ReadTable| {
            // A database is not asked again at each letter: it is once the model says another thing of it.
            (!files.is_empty() || is_stored)
                && read.files == files
                && read.stamps == stamps
                && read.how == how
        };
        if !self.tables.get(&source.name).is_some_and(fits) {
            let loaded = self.loaded_from(source, &options);
            self.tables.insert(source.name.clone(), ReadTable { files, stamps, how, loaded });
        }
        &self.tables[&source.name].loaded
    }

    /// The table of a source as it was kept, else from its files.
    #[cfg_attr(
        not(feature = "cache"),
        allow(unused_variables, clippy::unused_self, clippy::needless_pass_by_ref_mut)
    )]
    fn loaded_from(&mut self, source: &TableSource, options: &ReadOptions) -> Loaded {
        let from_files = || in_days(source, read_source(source, options));
        #[cfg(feature = "cache")]
        if let Some(outside) = &mut self.outside {
            let main = self.main.display().to_string();
            let loader = Loader { main, files: self.files.clone(), ..Loader::default() };
            return outside.load(&loader, source, from_files);
        }
        from_files()
    }
}

impl Reading {
    /// Some of the different values of a column, in order, without null; none where they cannot be worked out.
    pub fn members(&self, column: ColumnId) -> Vec<Scalar> {
        self.star.members(column).unwrap_or_default()
    }
}
