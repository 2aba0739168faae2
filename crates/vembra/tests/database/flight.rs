//! An engine that is asked by Arrow Flight SQL, and speaks as Apache Spark does. Its tables are views of Parquet files.

use super::Storing;
use vembra::{Session, Type};
use vembra_sources::{AskedRows, NoAnswer, Server};
use vembra_sql::Statement;

/// A folder with files, and a beginning of names that nobody else uses; both go at the end.
pub(crate) struct FlightPlace {
    files: tempfile::TempDir,
    pub(crate) prefix: String,
    views: Vec<String>,
}

impl FlightPlace {
    pub(crate) fn new(name: &str) -> Option<Self> {
        if std::env::var("VEMBRA_FLIGHT").is_err() {
            vembra_testing::left_out(&format!("{name} by Arrow Flight SQL"), "VEMBRA_FLIGHT names no server");
            return None;
        }
        let prefix = format!("vembra_{}_{name}", std::process::id());
        Some(Self { files: tempfile::tempdir().unwrap(), prefix, views: Vec::new() })
    }

    /// Runs a statement that gives columns of some types.
    pub(crate) fn asked(sql: &str, columns: &[Type]) -> Result<AskedRows, NoAnswer> {
        let server = Server { name: "shop".to_owned(), variable: "VEMBRA_FLIGHT".to_owned() };
        let statement = Statement { sql: sql.to_owned(), binds: Vec::new(), columns: columns.to_vec() };
        Ok(server.run(&[statement], &|| false)?.remove(0))
    }

    /// A view, again if it is there.
    pub(crate) fn view(&mut self, table: &str, of: &str) {
        let view = self.table(table).1;
        Self::asked(&format!("create or replace temporary view {view} {of}"), &[Type::Boolean]).unwrap();
        self.views.push(view);
    }
}

impl Storing for FlightPlace {
    fn name(&self) -> &'static str {
        "Arrow Flight SQL"
    }

    fn store(&mut self, session: &Session, table: &str) {
        let read = session.star().table(session.model().find_table(table).unwrap()).unwrap();
        let columns: Vec<String> = read.columns.iter().map(|(name, _)| format!("{name} as {name}")).collect();
        let rows = session.ask(&format!("list {} from {table}", columns.join(", "))).unwrap();
        let file = self.files.path().join(format!("{table}_{}.parquet", self.views.len()));
        std::fs::write(&file, rows.parquet(vembra::Periods::FirstDays(1)).unwrap()).unwrap();
        self.view(table, &format!("using parquet options (path '{}')", file.display()));
    }

    fn table(&self, table: &str) -> (&'static str, String) {
        ("VEMBRA_FLIGHT", format!("{}_{table}", self.prefix))
    }
}

impl Drop for FlightPlace {
    fn drop(&mut self) {
        self.views.sort();
        self.views.dedup();
        for view in &self.views {
            Self::asked(&format!("drop view {view}"), &[Type::Boolean]).unwrap();
        }
    }
}
