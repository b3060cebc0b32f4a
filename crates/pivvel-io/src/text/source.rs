//! A source of lines that come as text, whatever the form of the text is.

use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use pivvel_core::brief::BadValues;
use pivvel_core::source::{
    Dialect, Kind, LineSource, Pushdown, ReadProgress, SqlColumn, SqlTable, Statement, Taker, Tally,
};
use pivvel_core::{Error, Result};

use super::{Chunk, Column, Decoded, Decoder, TextColumns, Troubles, total_line, with_texts};
use crate::kinds::Evidence;
use crate::source::Source;

/// A form of text: what is particular about CSV, JSON lines, a sheet, a table in a database.
pub(crate) trait Form: Send + Sync {
    /// Begins to read the lines. Of columns that are not asked for, by their places, chunks may hold
    /// blanks.
    fn chunks(&mut self, wanted: &[usize]) -> Result<Box<dyn Chunks>>;

    /// What makes lines of a chunk: one for each thread.
    fn splitter(&self) -> Box<dyn Split>;

    /// Whether the lines can be read a second time.
    fn repeats(&self) -> bool;

    /// The line of the file that the first line stands in.
    fn first_line(&self) -> u64 {
        2
    }

    /// What stands between fields, where something does.
    fn delimiter(&self) -> Option<char> {
        None
    }

    /// How far reading has come.
    fn progress(&self) -> Option<Arc<ReadProgress>> {
        None
    }

    /// The table in a database, where it is one.
    fn table(&self) -> Option<Table> {
        None
    }

    /// Runs a statement over that table.
    fn ask(&mut self, _: &Statement, _: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        Ok(())
    }

    /// Lets what is read be only what meets a condition.
    fn keep_only(&mut self, _: Option<Statement>) {}
}

/// A table in a database, as statements read it.
pub(crate) struct Table {
    pub(crate) dialect: &'static dyn Dialect,
    pub(crate) from: String,
    pub(crate) columns: Vec<TableColumn>,
}

/// A column of such a table.
pub(crate) struct TableColumn {
    pub(crate) sql: String,
    /// A condition that no line may meet if a statement is to use it.
    pub(crate) guard: Option<String>,
    /// What it holds, where its type says so.
    pub(crate) holds: Option<Kind>,
    pub(crate) scale_is_fixed: bool,
}

/// What only one thread can do: chunks, one after the other.
pub(crate) trait Chunks: Send {
    /// The next chunk, as bytes or as lines; its number, or none at the end.
    fn next(&mut self, chunk: &mut Chunk) -> Result<Option<u64>>;
}

/// What any thread can do with a chunk.
pub(crate) trait Split: Send {
    /// Makes lines of the chunk's bytes.
    fn split(&mut self, chunk: &mut Chunk);
}

/// For chunks that come as lines.
pub(crate) struct AsItIs;

impl Split for AsItIs {
    fn split(&mut self, _: &mut Chunk) {}
}

/// Lines that come as text: CSV or JSON lines, a sheet of a workbook, a table of a database.
///
/// ```
/// use pivvel::{Brief, CrossTab};
/// use pivvel::source::{ReadOptions, TextSource};
///
/// let lines = "{\"coast\":\"Fell\",\"amount\":10.50}\n{\"coast\":\"Skerry\",\"amount\":9.95}\n";
/// let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
/// let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
/// let crosstab = CrossTab::build(&brief, &mut source)?;
/// assert_eq!(crosstab.value(&[], &[], "sales").unwrap().to_string(), "20.45");
/// # Ok::<(), pivvel_core::Error>(())
/// ```
pub struct TextSource {
    name: String,
    columns: TextColumns,
    notes: Vec<String>,
    bad_values: BadValues,
    form: Box<dyn Form>,
}

impl TextSource {
    pub(crate) fn new(
        name: impl Into<String>,
        columns: TextColumns,
        notes: Vec<String>,
        bad_values: BadValues,
        form: Box<dyn Form>,
    ) -> TextSource {
        TextSource { name: name.into(), columns, notes, bad_values, form }
    }

    fn shared<'a>(&'a self, chunks: Box<dyn Chunks>, wanted: &'a [usize], as_codes: bool) -> Shared<'a> {
        Shared {
            chunks: Mutex::new(chunks),
            form: self.form.as_ref(),
            troubles: Troubles::default(),
            last: Mutex::default(),
            columns: &self.columns,
            wanted,
            bad_values: self.bad_values,
            as_codes,
        }
    }
}

/// What the threads of a scan share.
struct Shared<'a> {
    chunks: Mutex<Box<dyn Chunks>>,
    form: &'a dyn Form,
    troubles: Troubles,
    /// The last chunk so far, and its last line where that looks like a total.
    last: Mutex<(u64, Option<String>)>,
    columns: &'a TextColumns,
    wanted: &'a [usize],
    bad_values: BadValues,
    as_codes: bool,
}

impl Shared<'_> {
    /// What one thread does: takes chunks as long as there are some.
    fn work(&self, take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let mut splitter = self.form.splitter();
        let mut decoder =
            Decoder::new(self.columns, self.wanted, (self.bad_values, self.form.repeats()), self.as_codes);
        let mut chunk = Chunk::of(self.columns.all.len());
        let mut tally = Tally::default();
        while !self.troubles.is_enough() {
            chunk.clear();
            let next = self.chunks.lock().unwrap_or_else(PoisonError::into_inner).next(&mut chunk)?;
            let Some(number) = next else { break };
            splitter.split(&mut chunk);
            self.troubles.read(number, chunk.stretch);
            tally.count_empty_lines(chunk.empty_lines);
            tally.count_not_finite(chunk.not_finite);
            self.note_last(number, &chunk);
            match decoder.decode(&mut chunk)? {
                Decoded::Batch(batch) => take(batch)?,
                Decoded::Trouble(trouble) => self.troubles.meet(number, trouble),
            }
        }
        tally.count_blanked(decoder.blanked);
        Ok(tally)
    }
}

impl Shared<'_> {
    fn note_last(&self, number: u64, chunk: &Chunk) {
        // A database has no totals among its lines.
        if chunk.len() == 0 || self.form.table().is_some() {
            return;
        }
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        if number >= last.0 {
            *last = (number, total_line(&self.columns.all, chunk));
        }
    }

    fn total_line(&self) -> Option<String> {
        self.last.lock().unwrap_or_else(PoisonError::into_inner).1.clone()
    }
}

/// Lets every taker work in a thread of its own, and adds up what they met.
pub(crate) fn side_by_side(
    takers: &mut [Taker<'_>],
    work: impl Fn(&mut Taker<'_>) -> Result<Tally> + Sync,
) -> Result<Tally> {
    let work = &work;
    let done: Vec<Result<Tally>> = std::thread::scope(|scope| {
        let threads: Vec<_> = takers.iter_mut().map(|taker| scope.spawn(move || work(taker))).collect();
        let gone = || Err(Error::data("", "a thread ended early"));
        threads.into_iter().map(|thread| thread.join().unwrap_or_else(|_| gone())).collect()
    });
    let mut tally = Tally::default();
    for part in done {
        tally.add(part?);
    }
    Ok(tally)
}

impl LineSource for TextSource {
    fn name(&self) -> &str {
        &self.name
    }

    fn notes(&self) -> &[String] {
        &self.notes
    }

    fn schema(&self) -> SchemaRef {
        self.columns.schema()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let chunks = self.form.chunks(columns)?;
        let schema = self.schema().project(columns).map_err(|e| Error::caused(&self.name, e))?;
        let (schema, shared) = (Arc::new(schema), self.shared(chunks, columns, false));
        let mut tally = shared.work(&mut |batch| take(with_texts(&batch, &schema)?))?;
        tally.set_total_line(shared.total_line());
        shared.troubles.finish(&self.name, self.form.first_line())?;
        self.columns.were_read(columns);
        Ok(tally)
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        let chunks = self.form.chunks(columns)?;
        let shared = self.shared(chunks, columns, true);
        let work = |taker: &mut Taker<'_>| {
            let done = shared.work(taker);
            // What stops one thread stops all.
            if done.is_err() {
                shared.troubles.stop();
            }
            done
        };
        let mut tally = side_by_side(takers, work)?;
        tally.set_total_line(shared.total_line());
        shared.troubles.finish(&self.name, self.form.first_line())?;
        self.columns.were_read(columns);
        Ok(tally)
    }

    fn pushdown(&mut self) -> Option<&mut dyn Pushdown> {
        if self.form.table().is_some() { Some(self) } else { None }
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        self.form.progress()
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        self.form.repeats() && self.columns.widen(column, kind)
    }

    fn reconsider(&mut self, column: &str) -> Result<bool> {
        let place = self.columns.all.iter().position(|known| known.name == column);
        let Some(place) = place.filter(|place| self.form.repeats() && !self.columns.all[*place].kind.settled)
        else {
            return Ok(false);
        };
        let mut evidence = Evidence::default();
        self.read_texts(&mut |chunk, _| {
            let fields = (0..chunk.len()).map(|line| String::from_utf8_lossy(chunk.field(line, place)));
            fields.for_each(|field| evidence.take(&field, 1));
            Ok(())
        })?;
        self.columns.settle(place, &evidence)
    }

    fn is_settled(&self, column: &str) -> bool {
        let known = self.columns.all.iter().find(|known| known.name == column);
        // Text takes everything.
        !self.form.repeats() || known.is_none_or(|known| known.kind.settled || known.kind.kind == Kind::Text)
    }

    fn trouble(&self, column: &str) -> Option<String> {
        self.columns.trouble(column)
    }
}

impl Pushdown for TextSource {
    fn sql_table(&mut self) -> Option<SqlTable> {
        let table = self.form.table()?;
        let sql_column = |(own, column): (TableColumn, &Column)| {
            let exact = |kind: Kind| matches!(kind, Kind::Whole | Kind::Decimal { .. });
            let same = |held: Kind| held == column.kind.kind || exact(held) && exact(column.kind.kind);
            SqlColumn::new(&column.name, own.sql)
                .with_guard(own.guard)
                .with_kept_as_is(own.holds.is_none_or(same) && column.kind.trouble.is_none())
                .with_fixed_scale(own.scale_is_fixed && own.holds == Some(column.kind.kind))
        };
        let columns = table.columns.into_iter().zip(&self.columns.all).map(sql_column).collect();
        Some(SqlTable::new(table.dialect, table.from, columns))
    }

    fn ask(&mut self, statement: &Statement, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
        self.form.ask(statement, take)
    }

    fn keep_only(&mut self, condition: Option<Statement>) {
        self.form.keep_only(condition);
    }
}

impl Source for TextSource {
    fn columns(&self) -> &[Column] {
        &self.columns.all
    }

    fn delimiter(&self) -> Option<char> {
        self.form.delimiter()
    }

    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        let all: Vec<usize> = (0..self.columns.all.len()).collect();
        let (mut chunks, mut splitter) = (self.form.chunks(&all)?, self.form.splitter());
        let (mut chunk, mut line) = (Chunk::of(self.columns.all.len()), self.form.first_line());
        let mut tally = Tally::default();
        while chunks.next(&mut chunk)?.is_some() {
            splitter.split(&mut chunk);
            if chunk.len() > 0 && self.form.table().is_none() {
                tally.set_total_line(total_line(&self.columns.all, &chunk));
            }
            take(&chunk, line)?;
            line += chunk.stretch;
            tally.count_empty_lines(chunk.empty_lines);
            chunk.clear();
        }
        Ok(tally)
    }
}

impl std::fmt::Debug for TextSource {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("TextSource").field("name", &self.name).field("columns", &self.columns.all).finish()
    }
}
