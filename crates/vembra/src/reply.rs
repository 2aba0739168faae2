//! An answer with all that belongs to it.

#[cfg(any(feature = "csv", feature = "arrow", feature = "xlsx"))]
use crate::error::OutputError;
#[cfg(feature = "arrow")]
use arrow_array::RecordBatch;
#[cfg(feature = "xlsx")]
use vembra_draw::answer_remarks;
use vembra_draw::{Locale, TextOptions, answer_markdown, answer_text, diagnostics_text};
use vembra_engine::Answer;
use vembra_plan::Plan;
use vembra_sources::{Layout, answer_json};
#[cfg(feature = "xlsx")]
use vembra_sources::{Spreadsheet, SpreadsheetWords, answer_xlsx};
#[cfg(feature = "arrow")]
use vembra_sources::{arrow, arrow::Periods, columnar};
use vembra_syntax::{Diagnostic, Sources};

/// An answer, with notes and warnings about the query.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Reply {
    /// The cells.
    pub answer: Answer,
    /// Notes and warnings.
    pub notes: Vec<Diagnostic>,
    /// The plan that was evaluated.
    pub plan: Plan,
    pub(crate) sources: Sources,
    pub(crate) locale: Locale,
    /// The month in which the fiscal year starts, from 1 to 12.
    pub fiscal_start: i32,
}

impl Reply {
    /// How many values the answer has: per line its members and its figures.
    pub fn size(&self) -> usize {
        match &self.answer {
            Answer::Summary(s) => s.lines.len() * (s.rows.len() + s.columns.len() + s.measures.len()),
            Answer::List(list) => list.rows.len() * list.columns.len(),
        }
    }

    /// The answer as a table for people; with [`Layout::Tidy`] keys on columns become columns of their own.
    pub fn text(&self, layout: Layout) -> String {
        self.text_with(TextOptions { tidy: layout == Layout::Tidy, ..TextOptions::default() })
    }

    /// The same in parts that fit a width, with small bars or lines if asked.
    ///
    /// # Examples
    /// ```
    /// let session = vembra::Session::builder()
    ///     .model_text("m.vembra", "fact sale from 'sale'\n")
    ///     .csv_text("sale", "shop,amount\nNorth,1\nSouth,2\n")
    ///     .open()?;
    /// let reply = session.ask("rows sale.shop show sum(amount) as total")?;
    /// let text = reply.text_with(vembra::TextOptions { bars: true, ..Default::default() });
    /// assert!(text.contains("South          2  ██████████"), "{text}");
    /// # Ok::<(), vembra::Error>(())
    /// ```
    pub fn text_with(&self, options: TextOptions) -> String {
        answer_text(&self.answer, &self.locale, options)
    }

    /// The answer as CSV: raw exact values, ISO dates, nulls empty.
    ///
    /// # Errors
    /// When a record cannot be written, which would be a fault of the program.
    #[cfg(feature = "csv")]
    pub fn csv(&self, layout: Layout) -> Result<String, OutputError> {
        vembra_sources::answer_csv(&self.answer, layout).map_err(|error| OutputError(error.to_string()))
    }

    /// The answer as JSON: numbers with all their digits.
    pub fn json(&self, layout: Layout) -> serde_json::Value {
        answer_json(&self.answer, layout)
    }

    /// The answer as one Arrow record batch: a column a key and a measure. Months, quarters and weeks are dates of their first day,
    /// with metadata that say so.
    ///
    /// # Errors
    /// When the columns do not make a batch, which would be a fault of the program.
    #[cfg(feature = "arrow")]
    pub fn record_batch(&self) -> Result<RecordBatch, OutputError> {
        self.record_batch_with(self.first_days())
    }

    /// How periods leave unless asked otherwise.
    #[cfg(feature = "arrow")]
    pub fn first_days(&self) -> Periods {
        Periods::FirstDays(self.fiscal_start)
    }

    /// The same with periods as asked.
    ///
    /// # Errors
    /// As [`Reply::record_batch`].
    #[cfg(feature = "arrow")]
    pub fn record_batch_with(&self, periods: Periods) -> Result<RecordBatch, OutputError> {
        arrow::record_batch(&self.answer, periods).map_err(|error| OutputError(error.to_string()))
    }

    /// The answer as a Markdown table.
    pub fn markdown(&self) -> String {
        answer_markdown(&self.answer, &self.locale)
    }

    /// The answer as a spreadsheet file (xlsx): real numbers and dates with formats, totals set off; with the columns in which a
    /// number has more digits than spreadsheets keep.
    ///
    /// # Errors
    /// When it does not fit into a sheet.
    #[cfg(feature = "xlsx")]
    pub fn spreadsheet(&self) -> Result<Spreadsheet, OutputError> {
        let words = SpreadsheetWords {
            member: &|member| self.locale.member(member),
            remarks: match &self.answer {
                Answer::Summary(_) => answer_remarks(&self.answer, &self.locale),
                Answer::List(_) => Vec::new(),
            },
        };
        let spreadsheet = answer_xlsx(&self.answer, self.locale.currency(), &words);
        spreadsheet.map_err(|error| OutputError(error.to_string()))
    }

    /// The answer as the bytes of a Parquet file.
    ///
    /// # Errors
    /// When the columns cannot be written, which would be a fault of the program.
    #[cfg(feature = "parquet")]
    pub fn parquet(&self, periods: Periods) -> Result<Vec<u8>, OutputError> {
        columnar::parquet(&self.record_batch_with(periods)?).map_err(|error| OutputError(error.to_string()))
    }

    /// The answer as the bytes of an Arrow IPC file.
    ///
    /// # Errors
    /// When the columns cannot be written, which would be a fault of the program.
    #[cfg(feature = "arrow")]
    pub fn arrow_file(&self, periods: Periods) -> Result<Vec<u8>, OutputError> {
        columnar::ipc(&self.record_batch_with(periods)?).map_err(|error| OutputError(error.to_string()))
    }

    /// The answer as the bytes of an Arrow IPC stream, for pipes.
    ///
    /// # Errors
    /// When the columns cannot be written, which would be a fault of the program.
    #[cfg(feature = "arrow")]
    pub fn arrow_stream(&self, periods: Periods) -> Result<Vec<u8>, OutputError> {
        columnar::ipc_stream(&self.record_batch_with(periods)?)
            .map_err(|error| OutputError(error.to_string()))
    }

    /// Notes and warnings as text, with colours if asked; empty if there are none.
    pub fn notes_text(&self, colours: bool) -> String {
        diagnostics_text(&self.sources, &self.notes, colours)
    }
}
