//! Tables out: record batches in the form that a file's ending says, one file here for each form.
//!
//! Exact numbers stay exact in every form that can hold them. A text column whose field says
//! [`EXACT`] holds numbers: the text forms write its digits as they are.

#[cfg(feature = "arrow")]
mod arrow;
mod cells;
mod csv;
mod json;
mod markdown;
#[cfg(feature = "parquet")]
mod parquet;
#[cfg(feature = "workbook")]
mod sheet;

pub use cells::{is_number, rows_as_texts};
#[cfg(feature = "workbook")]
pub use sheet::fill_sheet;

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use pivvel_core::{Error, Result};

/// The key of a field's metadata that says that its texts are numbers.
pub const EXACT: &str = "pivvel:exact";

/// A form that a table is written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum TableForm {
    /// Comma-separated values, as RFC 4180 has them.
    Csv,
    /// JSON lines: an object a row.
    Json,
    /// Parquet.
    Parquet,
    /// The Arrow IPC file form.
    Arrow,
    /// A spreadsheet workbook in the ISO form of Office Open XML.
    Workbook,
    /// A Markdown table.
    Markdown,
}

/// Endings of file names with the forms that they stand for.
const ENDINGS: [(&str, TableForm); 9] = [
    ("csv", TableForm::Csv),
    ("json", TableForm::Json),
    ("jsonl", TableForm::Json),
    ("ndjson", TableForm::Json),
    ("parquet", TableForm::Parquet),
    ("arrow", TableForm::Arrow),
    ("xlsx", TableForm::Workbook),
    ("md", TableForm::Markdown),
    ("markdown", TableForm::Markdown),
];

impl TableForm {
    /// The form that an ending of a file name stands for.
    ///
    /// ```
    /// use pivvel_io::TableForm;
    /// assert_eq!(TableForm::of_ending("jsonl"), Some(TableForm::Json));
    /// ```
    pub fn of_ending(ending: &str) -> Option<TableForm> {
        ENDINGS.iter().find(|(known, _)| *known == ending).map(|(_, form)| *form)
    }

    /// The endings that stand for a form.
    pub fn endings() -> impl Iterator<Item = &'static str> {
        ENDINGS.iter().map(|(ending, _)| *ending)
    }

    /// Whether exact numbers of any length can stand in it beside texts: in the text forms.
    pub fn is_text(self) -> bool {
        matches!(self, TableForm::Csv | TableForm::Json | TableForm::Markdown)
    }

    /// Says so where this build does not write the form.
    ///
    /// # Errors
    /// The cargo feature that is off, with the command that turns it on.
    pub fn check(self, place: &str) -> Result<()> {
        let (there, what, feature) = match self {
            TableForm::Parquet => (cfg!(feature = "parquet"), "Parquet", "parquet"),
            TableForm::Arrow => (cfg!(feature = "arrow"), "Arrow record batches", "arrow"),
            TableForm::Workbook => (cfg!(feature = "workbook"), "workbooks", "workbook"),
            TableForm::Csv | TableForm::Json | TableForm::Markdown => return Ok(()),
        };
        let message = || {
            format!(
                "this build does not write {what}; install it with: cargo install --path crates/pivvel-cli --features {feature}"
            )
        };
        if there { Ok(()) } else { Err(Error::request(place, message())) }
    }
}

/// What takes a table batch by batch.
pub trait TableSink {
    /// Takes a batch of the schema that the sink was made for.
    ///
    /// # Errors
    /// What the writer finds wrong.
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()>;

    /// Writes what is still to be written.
    ///
    /// # Errors
    /// What the writer finds wrong.
    fn finish(self: Box<Self>) -> std::io::Result<()>;
}

/// How a table is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TableOptions {
    /// Puts an apostrophe before texts in CSV that a spreadsheet would take for a formula.
    pub inert: bool,
}

/// A sink for a table of a schema.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch};
/// use pivvel_io::{TableForm, TableOptions, table_sink};
///
/// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![3, 4]));
/// let batch = RecordBatch::try_from_iter([("pieces", pieces)])?;
/// let mut out = Vec::new();
/// let mut sink = table_sink(TableForm::Json, &batch.schema(), &mut out, TableOptions::default())?;
/// sink.write(&batch)?;
/// sink.finish()?;
/// assert_eq!(String::from_utf8(out)?, "{\"pieces\":3}\n{\"pieces\":4}\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// What the writer finds wrong; a form that this build does not write.
pub fn table_sink<'a>(
    form: TableForm,
    schema: &SchemaRef,
    out: &'a mut (dyn Write + Send),
    options: TableOptions,
) -> std::io::Result<Box<dyn TableSink + 'a>> {
    Ok(match form {
        TableForm::Csv => Box::new(csv::CsvSink::new(schema, out, options)?),
        TableForm::Json => Box::new(json::JsonSink::new(schema, out)),
        TableForm::Markdown => Box::new(markdown::MarkdownSink::new(schema, out)?),
        #[cfg(feature = "arrow")]
        TableForm::Arrow => Box::new(arrow::ArrowSink::new(schema, out)?),
        #[cfg(feature = "parquet")]
        TableForm::Parquet => Box::new(parquet::ParquetSink::new(schema, out)?),
        #[cfg(feature = "workbook")]
        TableForm::Workbook => Box::new(sheet::SheetSink::new(schema, out)?),
        #[allow(unreachable_patterns)]
        other => {
            return Err(std::io::Error::other(match other.check("--to") {
                Err(error) => error.to_string(),
                Ok(()) => unreachable!("this build writes it"),
            }));
        }
    })
}
