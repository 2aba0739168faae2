//! What an explanation is made of.

#[cfg(feature = "csv")]
use crate::error::OutputError;
use serde::Serialize;

/// Why a figure is what it is.
#[derive(Clone, Debug, Serialize)]
#[non_exhaustive]
pub struct Explanation {
    /// The heading of the figure.
    pub figure: String,
    /// Where it stands: per axis its heading and its member.
    pub cell: Vec<(String, String)>,
    /// What parameters stand for.
    pub given: Vec<(String, String)>,
    /// Whose limits hold, in words.
    pub limits: Option<String>,
    /// The value as the answer shows it.
    pub value: String,
    /// The value as the engine shows it; none where its answer has no such line.
    pub engine: Option<String>,
    /// Whether both are the same.
    pub agrees: bool,
    /// How it was worked out a second time.
    pub second_way: SecondWay,
    /// Why it is not the sum of its lines, for a total that is none.
    pub not_a_sum: Option<String>,
    /// The days before the calendar that its date range lacks, if it is the value of a part.
    pub lacking: Option<String>,
    /// On a line of the rest of a bridge, how many of its rows also belong to a member shown.
    pub shared: Option<usize>,
    /// Its formula, step by step.
    pub step: ExplainedStep,
    /// The other figures that the query shows, where none was named.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub others: Vec<String>,
    /// Who asked: rows are numbered as he sees them.
    #[serde(skip)]
    pub(super) viewer: Option<String>,
}

/// How a figure was worked out a second time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
#[non_exhaustive]
pub enum SecondWay {
    /// Row by row, by the plain evaluator.
    RowByRow,
    /// By the server where the rows stay, by a statement of the plan as it was before any rewrite.
    PlainStatement,
}

/// One step of a formula.
#[derive(Clone, Debug, Serialize)]
#[non_exhaustive]
pub struct ExplainedStep {
    /// The expression as it is written, or the name of the measure.
    pub text: String,
    /// The value.
    pub value: String,
    /// The rows behind it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub behind: Option<ExplainedRows>,
    /// The values at keys.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keys: Option<ExplainedKeys>,
    /// What it is made of.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<ExplainedStep>,
}

/// The rows behind an aggregate.
#[derive(Clone, Debug, Serialize)]
#[non_exhaustive]
pub struct ExplainedRows {
    /// The table.
    pub table: String,
    /// The roles by which its links are followed: per table reached the role, and whether it was asked for.
    pub roles: Vec<String>,
    /// How many rows the table has.
    pub all: usize,
    /// Each test, where it comes from, and how many rows are left.
    pub tests: Vec<(String, usize)>,
    /// The test that let no row through.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub emptied_by: Option<String>,
    /// The numbers of the rows that are left, from 0.
    #[serde(skip)]
    pub rows: Vec<usize>,
    /// How many values count once though they stand on several lines, and the first of them with their lines.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub overlaps: Vec<(String, Vec<String>)>,
    /// How many there are.
    pub overlapping: usize,
    /// How many are left.
    pub left: usize,
}

/// The values at keys.
#[derive(Clone, Debug, Serialize)]
#[non_exhaustive]
pub struct ExplainedKeys {
    /// The attributes.
    pub keys: Vec<String>,
    /// How many combinations have a value taken.
    pub count: usize,
    /// The first of them with their values.
    pub values: Vec<(String, String)>,
    /// How the first one comes about, and the condition that it passed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub first: Vec<ExplainedStep>,
}

/// Rows behind a figure.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[non_exhaustive]
pub struct ExplainedTable {
    /// The table.
    pub table: String,
    /// The columns: the line of the file first.
    pub header: Vec<String>,
    /// The values.
    pub rows: Vec<Vec<String>>,
}

impl ExplainedTable {
    /// The rows as CSV.
    ///
    /// # Errors
    /// When a record cannot be written, which would be a fault of the program.
    #[cfg(feature = "csv")]
    pub fn csv(&self) -> Result<String, OutputError> {
        vembra_sources::csv_text(&self.header, &self.rows).map_err(|error| OutputError(error.to_string()))
    }
}
