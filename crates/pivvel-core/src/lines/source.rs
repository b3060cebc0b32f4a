//! Where lines come from: anything that yields Arrow record batches.

use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::mpsc::{Receiver, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::table::{SqlTable, Statement};
use crate::error::{Error, Result};
use crate::model::Decimal;

/// What a source has to say about the lines that it read, beside the lines.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::Tally;
///
/// let mut tally = Tally::default();
/// tally.count_empty_lines(1);
/// assert_eq!((tally.empty_lines(), tally.blanked()), (1, 0));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Tally {
    pub(crate) empty_lines: u64,
    pub(crate) blanked: u64,
    pub(crate) not_finite: u64,
    pub(crate) left_out: u64,
    pub(crate) unmatched: Vec<Unmatched>,
    pub(crate) total_line: Option<String>,
}

crate::getters! {
    Tally {
        /// Lines in which every column was empty; they were left out.
        empty_lines: u64,
        /// Values that did not fit their column's kind and were taken as blank, as was asked.
        blanked: u64,
        /// Numbers that were no number or infinite, and were taken as blank.
        not_finite: u64,
        /// Lines that were not read, because no line like them is wanted.
        left_out: u64,
        /// Lines that found no partner in a related table, by table.
        unmatched: &[Unmatched],
        /// The last line, where it looks like a total of the lines before it.
        total_line: Option<&str>,
    }
}

impl Tally {
    /// Counts so many more lines in which every column was empty.
    pub fn count_empty_lines(&mut self, more: u64) {
        self.empty_lines += more;
    }

    /// Counts so many more values that did not fit and were taken as blank.
    pub fn count_blanked(&mut self, more: u64) {
        self.blanked += more;
    }

    /// Counts so many more numbers that were no number or infinite.
    pub fn count_not_finite(&mut self, more: u64) {
        self.not_finite += more;
    }

    /// Counts so many more lines that were not read.
    pub fn count_left_out(&mut self, more: u64) {
        self.left_out += more;
    }

    /// Keeps the last line, where it looks like a total of those before it.
    pub fn set_total_line(&mut self, line: Option<String>) {
        self.total_line = line;
    }

    /// Adds what was counted in another part of the same lines.
    pub fn add(&mut self, part: Tally) {
        self.empty_lines += part.empty_lines;
        self.blanked += part.blanked;
        self.not_finite += part.not_finite;
        self.left_out += part.left_out;
        self.unmatched.extend(part.unmatched);
        self.total_line = self.total_line.take().or(part.total_line);
    }
}

/// Lines that found no partner in a related table; what it brings is blank for them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Unmatched {
    pub(crate) table: String,
    pub(crate) lines: u64,
    pub(crate) keys: u64,
    pub(crate) examples: Vec<String>,
}

crate::getters! {
    Unmatched {
        /// The table.
        table: &str,
        /// How many lines.
        lines: u64,
        /// How many different keys they have.
        keys: u64,
        /// The most frequent of these keys.
        examples: &[String],
    }
}

/// A value that limits what is wanted of a column.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Decimal;
/// use pivvel::source::Limit;
///
/// assert!(Limit::Exact(Decimal::new(150, 1)).is_above(&Limit::Exact(Decimal::new(2, 0))));
/// assert!(!Limit::Text("Fell".into()).is_above(&Limit::Text("Skerry".into())));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Limit {
    /// An exact number, or a day counted from 1970-01-01.
    Exact(Decimal),
    /// A text, by its bytes.
    Text(String),
}

impl Limit {
    /// Whether this is above another limit; false where they cannot be compared.
    pub fn is_above(&self, other: &Limit) -> bool {
        match (self, other) {
            (Limit::Text(a), Limit::Text(b)) => a > b,
            (Limit::Exact(a), Limit::Exact(b)) => a > b,
            _ => false,
        }
    }
}

/// What is wanted of a column: the values from the lowest to the highest, both included.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::{Bound, Limit};
///
/// // Of the third column what is in this range.
/// let bound = Bound::all(2).from(Limit::Text("Fell".into())).up_to(Limit::Text("Skerry".into()));
/// assert_eq!((bound.column(), bound.clone().of(0).column()), (2, 0));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Bound {
    pub(crate) column: usize,
    pub(crate) low: Option<Limit>,
    pub(crate) high: Option<Limit>,
}

crate::getters! {
    Bound {
        /// The column, by its place in the schema.
        column: usize,
        /// The lowest value that is wanted.
        low: Option<&Limit>,
        /// The highest.
        high: Option<&Limit>,
    }
}

crate::setters! { Bound {
    /// From this value on.
    option low as from: Limit,
    /// Up to this value, and with it.
    option high as up_to: Limit,
} }

impl Bound {
    /// All values of a column, by its place in the schema.
    pub fn all(column: usize) -> Bound {
        Bound { column, low: None, high: None }
    }

    /// The same values of another column.
    pub fn of(self, column: usize) -> Bound {
        Bound { column, ..self }
    }
}

/// What takes the batches of one of several threads.
pub type Taker<'a> = Box<dyn FnMut(RecordBatch) -> Result<()> + Send + 'a>;

/// How far a scan has come, for whoever watches it from another thread.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::source::ReadProgress;
///
/// let progress = ReadProgress::of(1_000);
/// progress.add(250);
/// assert_eq!((progress.done(), progress.total()), (250, Some(1_000)));
/// ```
#[derive(Debug, Default)]
pub struct ReadProgress {
    done: AtomicU64,
    total: AtomicU64,
}

impl ReadProgress {
    /// Of so many bytes or lines; 0 where that is not known.
    pub fn of(total: u64) -> ReadProgress {
        ReadProgress { done: AtomicU64::new(0), total: AtomicU64::new(total) }
    }

    /// Counts what was read.
    pub fn add(&self, more: u64) {
        self.done.fetch_add(more, Ordering::Relaxed);
    }

    /// What was read so far.
    pub fn done(&self) -> u64 {
        self.done.load(Ordering::Relaxed)
    }

    /// All that there is to read, where that is known.
    pub fn total(&self) -> Option<u64> {
        Some(self.total.load(Ordering::Relaxed)).filter(|total| *total > 0)
    }
}

/// A database that holds the lines of a source and can group them itself: see [`LineSource::pushdown`]. It is asked in the
/// SQL of its [`Dialect`](super::Dialect); where it cannot be, the lines are scanned.
pub trait Pushdown {
    /// The table of the lines; `None` where the database cannot be asked.
    fn sql_table(&mut self) -> Option<SqlTable>;

    /// Runs a statement over that table, and gives every row as texts, with nothing for NULL.
    ///
    /// # Errors
    /// What the database finds wrong; what `take` does.
    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()>;

    /// Lets scans leave out lines that do not meet a condition, which is the text of it in SQL with the
    /// values that it binds.
    fn keep_only(&mut self, condition: Option<Statement>);
}

/// Anything that sales lines can be read from, in batches, with a schema known beforehand. A source of one's own has a
/// name, a schema and [`LineSource::scan`]; all else has a default.
///
/// The core asks for the columns that its plan needs, by their place in the schema, and gets
/// batches of just these columns in that order. Where it asks for none, batches tell the number of lines alone. Other columns,
/// another order or other kinds than those of the schema are an error.
///
/// ```
/// # use pivvel_core as pivvel;
/// use std::sync::Arc;
///
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch};
/// use arrow_schema::{DataType, Field, Schema, SchemaRef};
/// use pivvel::source::{LineSource, Tally};
/// use pivvel::{Brief, CrossTab, Result};
///
/// /// The numbers from 1 to 100.
/// struct Hundred;
///
/// impl LineSource for Hundred {
///     fn name(&self) -> &str {
///         "a hundred"
///     }
///
///     fn schema(&self) -> SchemaRef {
///         Arc::new(Schema::new(vec![Field::new("pieces", DataType::Int64, false)]))
///     }
///
///     fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
///         let pieces: ArrayRef = Arc::new(Int64Array::from_iter_values(1..=100));
///         let batch = RecordBatch::try_new(self.schema(), vec![pieces])?;
///         take(batch.project(columns)?)?;
///         Ok(Tally::default())
///     }
/// }
///
/// let crosstab = CrossTab::build(&Brief::new().measure(("pieces", "sum(pieces)")), &mut Hundred)?;
/// assert_eq!(crosstab.value(&[], &[], "pieces"), Some(5_050.into()));
/// # Ok::<(), pivvel::Error>(())
/// ```
pub trait LineSource {
    /// What the source is called in messages: a file's name, as a rule.
    fn name(&self) -> &str;

    /// The columns and what they hold.
    fn schema(&self) -> SchemaRef;

    /// What is odd about the source itself, as headings that are blank or stand twice. Each becomes a
    /// notice of the code `source`.
    fn notes(&self) -> &[String] {
        &[]
    }

    /// Reads the lines once. `columns` are places in the schema; every batch goes to `take`.
    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally>;

    /// The same with several takers, each of which is called from one thread only. Which of them gets
    /// a batch is free, and no result may depend on it. Unless a source knows better, it reads
    /// with one thread and lets the takers work side by side.
    ///
    /// A column of text may come as binary views, of bytes that were found to be UTF-8.
    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        match takers {
            [only] => self.scan(columns, only),
            _ => share(takers, |give| self.scan(columns, give)),
        }
    }

    /// The database that has these lines, where it can group them itself.
    fn pushdown(&mut self) -> Option<&mut dyn Pushdown> {
        None
    }

    /// Lets scans leave out lines of which some column lies outside its bounds; the tally counts
    /// them. Blanks are never left out.
    fn narrow(&mut self, _bounds: &[Bound]) {}

    /// Where to see how far a scan has come, in bytes.
    fn progress(&self) -> Option<Arc<ReadProgress>> {
        None
    }

    /// Gives a column a wider kind after a scan asked for one; false where the lines cannot be
    /// read a second time. See [`Error::widen`].
    fn widen(&mut self, _column: &str, _kind: crate::model::Kind) -> bool {
        false
    }

    /// Looks at all values of a column after a scan met some that do not fit what its first lines led to
    /// believe; whether it is read otherwise from now on. See [`Error::reconsider`].
    ///
    /// # Errors
    /// What is wrong with reading it.
    fn reconsider(&mut self, _column: &str) -> Result<bool> {
        Ok(false)
    }

    /// Whether the kind of a column is final: no later scan asks to change it by [`Error::widen`] or
    /// [`Error::reconsider`]. Typed sources have final kinds from the beginning.
    fn is_settled(&self, _column: &str) -> bool {
        true
    }

    /// The rows of a related table that brings columns to these lines, in the columns of these names; `None` where there is
    /// no such table.
    ///
    /// # Errors
    /// A column that is not the table's; what is wrong with reading it.
    fn related_rows(&mut self, _table: &str, _columns: &[&str]) -> Result<Option<Vec<RecordBatch>>> {
        Ok(None)
    }

    /// Why a column cannot be used yet, where it cannot: a date of which day and month cannot be
    /// distinguished.
    fn trouble(&self, _column: &str) -> Option<String> {
        None
    }
}

/// Lines that a reader gives to another thread at once, at least: waking it takes as long as some thousands do.
const GIVEN: usize = 16_384;

/// What is given to several threads, until one of them fails.
type Given = Mutex<Option<Receiver<Vec<RecordBatch>>>>;

/// Lets the reader stop where the thread that holds this panics: it would wait for ever otherwise.
struct StopInPanic<'a>(&'a Given);

impl Drop for StopInPanic<'_> {
    fn drop(&mut self) {
        if std::thread::panicking() {
            self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
        }
    }
}

/// Gives what one thread reads to takers that work in threads of their own.
fn share(
    takers: &mut [Taker<'_>],
    read: impl FnOnce(&mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally>,
) -> Result<Tally> {
    // What waits is bounded, so that a fast reader does not fill the memory.
    let (send, receive) = sync_channel::<Vec<RecordBatch>>(2 * takers.len());
    let receive: Given = Mutex::new(Some(receive));
    let failed: Mutex<Option<Error>> = Mutex::new(None);
    let lock = |receive: &Given| {
        receive.lock().unwrap_or_else(PoisonError::into_inner).as_ref().and_then(|r| r.recv().ok())
    };
    let tally = std::thread::scope(|scope| {
        for taker in takers.iter_mut() {
            scope.spawn(|| {
                let _stop = StopInPanic(&receive);
                while let Some(batches) = lock(&receive) {
                    if let Err(error) = batches.into_iter().try_for_each(&mut *taker) {
                        failed.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(error);
                        // Without a receiver the reader stops too.
                        receive.lock().unwrap_or_else(PoisonError::into_inner).take();
                    }
                }
            });
        }
        let (mut waiting, mut lines) = (Vec::new(), 0);
        let give = |batches: Vec<RecordBatch>| send.send(batches).map_err(|_| Error::data("", "stopped"));
        let tally = read(&mut |batch| {
            lines += batch.num_rows();
            waiting.push(batch);
            match lines < GIVEN {
                true => Ok(()),
                false => {
                    lines = 0;
                    give(std::mem::take(&mut waiting))
                }
            }
        });
        let tally = tally.and_then(|tally| give(waiting).map(|()| tally));
        drop(send);
        tally
    });
    match failed.into_inner().unwrap_or_else(PoisonError::into_inner) {
        Some(error) => Err(error),
        None => tally,
    }
}
