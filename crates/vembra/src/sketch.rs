//! A first model from files: tables, keys, links, dates as roles, a calendar and plain measures, each guess with its reason.
//!
//! Terms: a **key** distinguishes the rows of a table (no value twice, none missing); a column **leads** to a table when its values are
//! keys of it; a table that others lead to is a dimension, any other a fact.

mod added;
mod leads;
mod tables;
mod text;

use crate::error::Error;
use leads::Lead;
use std::path::{Path, PathBuf};
use tables::{Origin, Seen};
use vembra_sources::ReadOptions;

/// A first model of some files.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Sketch {
    /// The text of the model. Paths in it are taken from the folder that was named.
    pub model: String,
    /// What was doubtful or left out, in sentences.
    pub doubts: Vec<String>,
    /// A query that the model answers, if it has a measure.
    pub query: Option<String>,
}

/// Looks at files and folders, and at databases by the variables of the environment that say where they are, and writes a first model
/// of them that stands in `folder`. Each guess says its reason as a comment.
///
/// # Errors
/// When nothing can be read as a table, or the model that was made does not stand, which would be a fault of the program.
///
/// # Examples
/// ```
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("shop.csv"), "code,town\nN,Northmoor\nS,Southam\n")?;
/// std::fs::write(folder.path().join("sale.csv"), "shop,sold_on,paid\nN,2025-01-30,1.50\nS,2025-02-01,2\n")?;
/// let sketch = vembra::sketch(&[folder.path().to_owned()], &[], folder.path())?;
/// assert!(sketch.model.contains("dimension shop from 'shop.csv' key code"), "{}", sketch.model);
/// assert!(sketch.model.contains("link sale.shop to shop"));
/// assert!(sketch.model.contains("link sale.sold_on to calendar"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn sketch(files: &[PathBuf], databases: &[String], folder: &Path) -> Result<Sketch, Error> {
    let mut doubts = Vec::new();
    let mut seen = Vec::new();
    for file in all_files(files) {
        let from = Origin::File(file);
        tables::look(&from, &ReadOptions::default(), &mut seen, &mut doubts);
    }
    for variable in databases {
        let from = Origin::Database { name: database_name(variable), variable: variable.clone() };
        tables::look_into(&from, &mut seen, &mut doubts).map_err(|found| Error::outside(vec![*found]))?;
    }
    tables::name_apart(&mut seen);
    if seen.is_empty() {
        return Err(Error::outside(vec![tables::nothing(files, &doubts)]));
    }
    let leads = leads::all(&seen, |_, _| true);
    let (model, query) = text::model(&seen, &leads, folder, &mut doubts);
    Ok(Sketch { model, doubts, query })
}

/// The name of a database by that of its variable: `SHOP_URL` says where the shop is.
fn database_name(variable: &str) -> String {
    let plain = tables::plain_name(variable);
    let endings = ["_database_url", "_db_url", "_url", "_dsn", "_database", "_db"];
    let short = endings.iter().find_map(|ending| plain.strip_suffix(ending)).unwrap_or(&plain);
    if short == "database" { "db".to_owned() } else { short.to_owned() }
}

/// The files, and of folders those in them, in the order of their names.
fn all_files(files: &[PathBuf]) -> Vec<PathBuf> {
    let mut all = Vec::new();
    for file in files {
        match std::fs::read_dir(file) {
            Ok(entries) => {
                let mut found: Vec<PathBuf> =
                    entries.filter_map(Result::ok).map(|e| e.path()).filter(|p| is_data(p)).collect();
                found.sort();
                all.extend(found);
            }
            Err(_) => all.push(file.clone()),
        }
    }
    all
}

/// Whether a file of a folder is looked at: no model, no text for people, nothing hidden.
fn is_data(path: &Path) -> bool {
    let name = path.file_name().map(|n| n.to_string_lossy().to_lowercase()).unwrap_or_default();
    let other =
        [".vembra", ".md", ".txt.md", ".html", ".pdf", ".png", ".py", ".sql", ".yaml", ".yml", ".toml"];
    path.is_file() && !name.starts_with('.') && !other.iter().any(|ending| name.ends_with(ending))
}

/// The leads that start from a table.
fn leads_of(leads: &[Lead], table: usize) -> impl Iterator<Item = &Lead> {
    leads.iter().filter(move |lead| lead.from.0 == table)
}

/// Whether a table is one that others lead to.
fn is_dimension(seen: &[Seen], leads: &[Lead], table: usize) -> bool {
    seen[table].key.is_some() && leads.iter().any(|lead| lead.to == table)
}
