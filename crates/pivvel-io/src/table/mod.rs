//! Tables out: record batches in the form that a file's ending says, one file here for each form.
//!
//! Exact numbers stay exact in every form that can hold them. A text column whose field says
//! [`EXACT`] holds numbers: the text forms write its digits as they are.

mod arrow;
mod cells;
mod csv;
mod in_order;
mod json;
mod markdown;
mod parquet;
mod rows;
#[cfg(feature = "workbook")]
mod sheet;
mod workbook;

pub use cells::{is_number, rows_as_texts};
#[cfg(feature = "workbook")]
pub use sheet::{fill_sheet, new_workbook, number_of_day};

use std::io::Write;
use std::num::NonZero;
use std::thread::available_parallelism;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use in_order::in_order;
use pivvel_core::error::ErrorPlace;
use pivvel_core::table::{Table, TablePart};
use pivvel_core::{Error, Result};

/// The key of a field's metadata that says that its texts are numbers.
pub const EXACT: &str = "pivvel:exact";

/// The forms that tables are written in, in the order in which they are listed for people.
static FORMS: [TableForm; 7] = [
    TableForm::CSV,
    TableForm::JSON,
    TableForm::JSON_LINES,
    TableForm::PARQUET,
    TableForm::ARROW,
    TableForm::WORKBOOK,
    TableForm::MARKDOWN,
];

/// A form that a table is written in.
#[derive(Clone, Copy)]
pub struct TableForm(&'static Entry);

/// How a form is written.
enum Writing {
    /// As text, rows by themselves.
    Text(Text),
    /// By a sink of its own, which takes batch after batch, or the same with texts as dictionaries.
    Sink { make: MakeSink, dictionaries: bool },
}

/// How rows are written as text.
#[derive(Clone, Copy)]
struct Text {
    /// Writes what stands before all rows.
    head: fn(&SchemaRef, TableOptions, &mut Vec<u8>) -> std::io::Result<()>,
    /// Writes the rows of a batch.
    rows: WriteRows,
    /// What stands between batches that have rows.
    between: &'static str,
    /// What stands after all rows.
    tail: &'static str,
}

type WriteRows = fn(&RecordBatch, TableOptions, &mut Vec<u8>) -> std::io::Result<()>;

type MakeSink = for<'a> fn(
    &SchemaRef,
    &'a mut (dyn Write + Send),
    TableOptions,
) -> std::io::Result<Box<dyn TableSink + 'a>>;

/// What there is to know of a form.
struct Entry {
    /// What it writes, in words.
    what: &'static str,
    /// Endings of file names that stand for it, the usual one first.
    endings: &'static [&'static str],
    /// Whether exact numbers of any length can stand in it beside texts.
    is_text: bool,
    /// The cargo feature that it needs.
    feature: Option<&'static str>,
    /// How it is written, where this build does.
    writing: Option<Writing>,
}

impl TableForm {
    /// Comma-separated values, as RFC 4180 has them.
    pub const CSV: TableForm = TableForm(&csv::ENTRY);
    /// JSON: an array with an object a row.
    pub const JSON: TableForm = TableForm(&json::ARRAY);
    /// JSON lines: an object a row, each in a line of its own.
    pub const JSON_LINES: TableForm = TableForm(&json::LINES);
    /// Parquet.
    pub const PARQUET: TableForm = TableForm(&parquet::ENTRY);
    /// The Arrow IPC file form.
    pub const ARROW: TableForm = TableForm(&arrow::ENTRY);
    /// A spreadsheet workbook in the ISO form of Office Open XML.
    pub const WORKBOOK: TableForm = TableForm(&workbook::ENTRY);
    /// A Markdown table.
    pub const MARKDOWN: TableForm = TableForm(&markdown::ENTRY);

    /// The form that an ending of a file name stands for.
    ///
    /// ```
    /// use pivvel::table::TableForm;
    /// assert_eq!(TableForm::of_ending("jsonl"), Some(TableForm::JSON_LINES));
    /// ```
    pub fn of_ending(ending: &str) -> Option<TableForm> {
        FORMS.iter().find(|form| form.0.endings.contains(&ending)).copied()
    }

    /// The endings that stand for a form.
    pub fn endings() -> impl Iterator<Item = &'static str> {
        FORMS.iter().flat_map(|form| form.0.endings.iter().copied())
    }

    /// The usual ending of each form, as a list for people: `.csv, .json or .md`.
    pub fn usual_endings() -> String {
        let endings: Vec<String> = FORMS.iter().map(|form| format!(".{}", form.0.endings[0])).collect();
        let (last, others) = endings.split_last().expect("there are forms");
        format!("{} or {last}", others.join(", "))
    }

    /// Whether exact numbers of any length can stand in it beside texts: in the text forms.
    pub fn is_text(self) -> bool {
        self.0.is_text
    }

    /// Whether it keeps texts as dictionaries that all of a table shares: in Arrow files. See
    /// [`TableSpec::dictionaries`](pivvel_core::table::TableSpec::dictionaries).
    pub fn has_dictionaries(self) -> bool {
        self == TableForm::ARROW
    }

    /// Says so where this build does not write the form.
    ///
    /// # Errors
    /// The cargo feature that is off, with the command that turns it on.
    pub fn check(self, place: &ErrorPlace) -> Result<()> {
        let Entry { what, feature: Some(feature), writing: None, .. } = self.0 else {
            return Ok(());
        };
        let message = format!(
            "this build does not write {what}; install it with: cargo install --path crates/pivvel-cli --features {feature}"
        );
        Err(Error::request(place.clone(), message))
    }
}

impl PartialEq for TableForm {
    fn eq(&self, other: &TableForm) -> bool {
        self.0.what == other.0.what
    }
}

impl Eq for TableForm {}

impl std::fmt::Debug for TableForm {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.0.what)
    }
}

/// What takes a table batch by batch.
pub trait TableSink: Send {
    /// Takes a batch of the schema that the sink was made for.
    ///
    /// # Errors
    /// What the writer finds wrong.
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()>;

    /// Takes a batch as [`TableSink::write`] does, and may leave work on it to [`TableSink::helper`].
    ///
    /// # Errors
    /// What the writer finds wrong.
    fn take(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        self.write(batch)
    }

    /// A function that does some of the work that [`TableSink::take`] left. Any thread can call it while others bring
    /// batches. [`TableSink::finish`] does the rest.
    fn helper(&self) -> Box<dyn Fn() -> std::io::Result<()> + Send + Sync> {
        Box::new(|| Ok(()))
    }

    /// Writes what is still to be written.
    ///
    /// # Errors
    /// What the writer finds wrong.
    fn finish(self: Box<Self>) -> std::io::Result<()>;
}

/// How a table is written.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,pieces\nFell,3\n=Skerry,4\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use std::num::NonZero;
///
/// use pivvel::table::{TableForm, TableOptions, TableSpec, write_table};
///
/// let options = TableOptions::default().inert(true).threads(NonZero::new(2));
/// let mut text = Vec::new();
/// write_table(TableForm::CSV, crosstab.table(&TableSpec::default())?, &mut text, options)?;
/// assert!(String::from_utf8(text)?.contains("'=Skerry"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct TableOptions {
    pub(crate) threads: Option<NonZero<usize>>,
    pub(crate) inert: bool,
}

pivvel_core::setters! { TableOptions {
    /// How many threads make and write it at most (default: as many as there are processors).
    value threads: Option<NonZero<usize>>,
    /// Puts an apostrophe before texts in CSV that a spreadsheet would take for a formula.
    value inert: bool,
} }

impl TableOptions {
    /// How many threads make and write a table.
    fn thread_count(self) -> usize {
        self.threads.or(available_parallelism().ok()).map_or(1, NonZero::get)
    }
}

/// A sink for a table of a schema.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch};
/// use pivvel::table::{TableForm, TableOptions, table_sink};
///
/// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![3, 4]));
/// let batch = RecordBatch::try_from_iter([("pieces", pieces)])?;
/// let mut out = Vec::new();
/// let mut sink = table_sink(TableForm::JSON_LINES, &batch.schema(), &mut out, TableOptions::default())?;
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
    match form.0.writing {
        Some(Writing::Sink { make, .. }) => make(schema, out, options),
        Some(Writing::Text(form)) => {
            let mut text = Vec::new();
            (form.head)(schema, options, &mut text)?;
            out.write_all(&text)?;
            Ok(Box::new(TextSink { out, form, options, text, has_rows: false }))
        }
        None => Err(std::io::Error::other(format!("this build does not write {}", form.0.what))),
    }
}

/// A sink of a text form.
struct TextSink<'a> {
    out: &'a mut (dyn Write + Send),
    form: Text,
    options: TableOptions,
    text: Vec<u8>,
    has_rows: bool,
}

impl TextSink<'_> {
    /// Writes rows that are text.
    fn put(&mut self, rows: &[u8]) -> std::io::Result<()> {
        if rows.is_empty() {
            return Ok(());
        }
        if std::mem::replace(&mut self.has_rows, true) {
            self.out.write_all(self.form.between.as_bytes())?;
        }
        self.out.write_all(rows)
    }

    fn end(&mut self) -> std::io::Result<()> {
        self.out.write_all(self.form.tail.as_bytes())?;
        self.out.flush()
    }
}

impl TableSink for TextSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        let mut text = std::mem::take(&mut self.text);
        text.clear();
        (self.form.rows)(batch, self.options, &mut text)?;
        self.put(&text)?;
        self.text = text;
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> std::io::Result<()> {
        self.end()
    }
}

/// Writes a whole table. Its parts are made side by side, text forms write them so, too, and they leave in their order:
/// the bytes are the same for any number of threads.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::table::{TableForm, TableOptions, TableSpec, write_table};
///
/// let mut text = Vec::new();
/// let table = crosstab.table(&TableSpec::default().exact(true).levels(["coast"]))?;
/// write_table(TableForm::CSV, table, &mut text, TableOptions::default())?;
/// assert_eq!(String::from_utf8(text)?.lines().count(), 1 + 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// What the writer finds wrong; a form that this build does not write.
pub fn write_table(
    form: TableForm,
    table: Table<'_>,
    out: &mut (dyn Write + Send),
    options: TableOptions,
) -> std::io::Result<()> {
    let schema = table.schema().clone();
    let mut parts = table.into_parts();
    let threads = options.thread_count();
    if let Some(Writing::Text(form)) = form.0.writing {
        let mut text = Vec::new();
        (form.head)(&schema, options, &mut text)?;
        out.write_all(&text)?;
        let mut sink = TextSink { out, form, options, text, has_rows: false };
        let make = |part: TablePart<'_>| {
            let mut text = Vec::new();
            (form.rows)(&part.dictionary_batch(), options, &mut text)?;
            Ok(text)
        };
        in_order(&mut parts, threads, &make, &mut |text: Vec<u8>| sink.put(&text), &|| Ok(()))?;
        return sink.end();
    }
    let dictionaries = matches!(form.0.writing, Some(Writing::Sink { dictionaries: true, .. }));
    let make = |part: TablePart<'_>| Ok(if dictionaries { part.dictionary_batch() } else { part.batch() });
    let mut sink = table_sink(form, &schema, out, options)?;
    let helper = sink.helper();
    in_order(&mut parts, threads, &make, &mut |batch| sink.take(&batch), &*helper)?;
    sink.finish()
}
