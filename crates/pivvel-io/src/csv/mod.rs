//! CSV as a source of lines: RFC 4180 with the dialects that exports come in.
//!
//! One pass, a block of lines at a time in as many threads as there are takers; within a block a
//! column at a time, and only the columns that are asked for. The first lines tell the columns' kinds.

mod blocks;
mod dialect;
mod split;

use std::fs::File;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;
use pivvel_core::{BadValues, Error, Kind, LineSource, Progress, Result, Taker, Tally};

use crate::kinds::Evidence;
use crate::text::{Chunk, Column, Decoded, Decoder, TextColumns, Troubles, gather, with_texts};
use blocks::Blocks;
use dialect::Dialect;
use split::Splitter;

/// The first bytes and lines of a file that tell what its columns hold.
const HEAD_BYTES: usize = 1 << 20;
const HEAD_LINES: usize = 10_000;

/// How a CSV file is to be read, where it is not to be found out.
#[derive(Debug, Clone, Default)]
pub struct CsvOptions {
    /// What stands between fields.
    pub delimiter: Option<u8>,
    /// Kinds of columns, as [`ColumnKind`] names them: `date(dmy)`, `decimal(2)`, `text`.
    pub kinds: Vec<(String, String)>,
    /// What to do about values that do not fit their column's kind.
    pub bad_values: BadValues,
    /// How many bytes make a block; a number that suits the machine's caches where not said.
    pub block_bytes: Option<usize>,
}

/// A CSV file, or any stream of CSV bytes.
#[derive(Debug)]
pub struct CsvSource {
    name: String,
    origin: Origin,
    dialect: Dialect,
    /// Bytes up to the end of the heading, and the line that comes after it.
    heading: (usize, u64),
    columns: TextColumns,
    notes: Vec<String>,
    options: CsvOptions,
    progress: Arc<Progress>,
}

enum Origin {
    File(PathBuf),
    /// What was read to find the kinds, then the rest.
    Stream(Option<Box<dyn Read + Send>>),
}

impl std::fmt::Debug for Origin {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Origin::File(path) => write!(f, "{}", path.display()),
            Origin::Stream(_) => f.write_str("stream"),
        }
    }
}

impl CsvSource {
    /// Opens a file and reads its first lines to find out what the columns hold.
    ///
    /// # Errors
    /// A file that cannot be read, is empty or is no text; a kind given to an unknown column.
    pub fn open(path: impl AsRef<Path>, options: CsvOptions) -> Result<CsvSource> {
        let path = path.as_ref();
        let name =
            path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into());
        let file = File::open(path).map_err(|e| Error::io(path.display().to_string(), e))?;
        let (head, _, ended) = read_head(file).map_err(|e| Error::io(path.display().to_string(), e))?;
        CsvSource::new(name, Origin::File(path.into()), head, ended, options)
    }

    /// The same for a stream that can be read once: standard input, as a rule.
    ///
    /// # Errors
    /// As for [`CsvSource::open`].
    pub fn from_reader(
        name: impl Into<String>,
        reader: impl Read + Send + 'static,
        options: CsvOptions,
    ) -> Result<CsvSource> {
        let name = name.into();
        let (head, rest, ended) = read_head(reader).map_err(|e| Error::io(&name, e))?;
        let stream = Cursor::new(head.clone()).chain(rest);
        CsvSource::new(name, Origin::Stream(Some(Box::new(stream))), head, ended, options)
    }

    fn new(
        name: String,
        origin: Origin,
        head: Vec<u8>,
        ended: bool,
        options: CsvOptions,
    ) -> Result<CsvSource> {
        let dialect = Dialect::find(&name, &head, ended, options.delimiter)?;
        let (fields, heading) = dialect.heading(&head);
        let (names, notes) = dialect::headings(&name, &fields)?;
        let mut evidence = vec![Evidence::default(); names.len()];
        let rest = &head[heading.0..];
        let mut blocks = Blocks::new(rest, &name, dialect.delimiter, None);
        let mut splitter = Splitter::new(dialect.delimiter, names.len());
        let (mut chunk, mut lines, mut taken) = (Chunk::default(), 0, 0);
        while lines < HEAD_LINES && blocks.next(&mut chunk.bytes)?.is_some() {
            taken += chunk.bytes.len();
            splitter.split(&mut chunk);
            // Of a head that was cut, the last line is left out.
            let cut = taken == rest.len() && !ended;
            let usable = chunk.len() - usize::from(cut && chunk.len() > 0);
            gather(&chunk, usable.min(HEAD_LINES - lines), &mut evidence);
            lines += chunk.len();
            chunk.clear();
        }
        let columns = TextColumns::find(names, evidence, &options.kinds)?;
        let total = match &origin {
            Origin::File(path) => path.metadata().map_or(0, |file| file.len()),
            Origin::Stream(_) => 0,
        };
        let progress = Arc::new(Progress::of(total));
        Ok(CsvSource { name, origin, dialect, heading, columns, notes, options, progress })
    }

    /// The columns and how they are read.
    pub fn columns(&self) -> &[Column] {
        &self.columns.0
    }

    /// What is odd about the headings.
    pub fn notes(&self) -> &[String] {
        &self.notes
    }

    /// What stands between fields.
    pub fn delimiter(&self) -> char {
        self.dialect.delimiter.into()
    }

    /// The blocks after the heading.
    fn blocks(&mut self) -> Result<Blocks<Box<dyn Read + Send>>> {
        let mut reader: Box<dyn Read + Send> = match &mut self.origin {
            Origin::File(path) => {
                Box::new(File::open(&*path).map_err(|e| Error::io(path.display().to_string(), e))?)
            }
            Origin::Stream(stream) => {
                stream.take().ok_or_else(|| Error::data(&self.name, "a stream can be read only once"))?
            }
        };
        let mut heading = vec![0; self.heading.0];
        reader.read_exact(&mut heading).map_err(|e| Error::io(&self.name, e))?;
        Ok(Blocks::new(reader, &self.name, self.dialect.delimiter, self.options.block_bytes))
    }

    /// Reads every line as text.
    pub(crate) fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        let mut blocks = self.blocks()?;
        let mut splitter = Splitter::new(self.dialect.delimiter, self.columns.0.len());
        let (mut chunk, mut line) = (Chunk::default(), self.heading.1);
        let mut tally = Tally::default();
        while blocks.next(&mut chunk.bytes)?.is_some() {
            splitter.split(&mut chunk);
            take(&chunk, line)?;
            line += chunk.stretch;
            tally.empty_lines += chunk.empty_lines;
            chunk.clear();
        }
        Ok(tally)
    }
}

impl CsvSource {
    fn shared<'a>(&'a self, blocks: Blocks<Box<dyn Read + Send>>, wanted: &'a [usize]) -> Shared<'a> {
        Shared {
            blocks: Mutex::new(blocks),
            troubles: Troubles::default(),
            columns: &self.columns,
            wanted,
            delimiter: self.dialect.delimiter,
            bad_values: self.options.bad_values,
            progress: &self.progress,
        }
    }
}

/// What the threads of a scan share.
struct Shared<'a> {
    blocks: Mutex<Blocks<Box<dyn Read + Send>>>,
    troubles: Troubles,
    columns: &'a TextColumns,
    wanted: &'a [usize],
    delimiter: u8,
    bad_values: BadValues,
    progress: &'a Progress,
}

impl Shared<'_> {
    /// What one thread does: takes blocks as long as there are some.
    fn work(&self, take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let mut decoder = Decoder::new(self.columns, self.wanted, self.bad_values);
        let mut splitter = Splitter::new(self.delimiter, self.columns.0.len());
        let mut chunk = Chunk::default();
        let mut tally = Tally::default();
        while !self.troubles.is_enough() {
            chunk.clear();
            let next = self.blocks.lock().unwrap_or_else(PoisonError::into_inner).next(&mut chunk.bytes)?;
            let Some(number) = next else { break };
            self.progress.add(chunk.bytes.len() as u64);
            splitter.split(&mut chunk);
            self.troubles.read(number, chunk.stretch);
            tally.empty_lines += chunk.empty_lines;
            match decoder.decode(&mut chunk)? {
                Decoded::Batch(batch) => take(batch)?,
                Decoded::Trouble(trouble) => self.troubles.meet(number, trouble),
            }
        }
        tally.blanked = decoder.blanked;
        Ok(tally)
    }
}

/// The first part of a stream, the rest of it, and whether there is none.
fn read_head<R: Read>(mut reader: R) -> std::io::Result<(Vec<u8>, R, bool)> {
    let mut head = Vec::new();
    reader.by_ref().take(HEAD_BYTES as u64).read_to_end(&mut head)?;
    let ended = head.len() < HEAD_BYTES;
    Ok((head, reader, ended))
}

impl LineSource for CsvSource {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        self.columns.schema()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let blocks = self.blocks()?;
        let (shared, first) = (self.shared(blocks, columns), self.heading.1);
        let schema = self.schema().project(columns).map_err(|e| Error::data(&self.name, e.to_string()))?;
        let schema = Arc::new(schema);
        let tally = shared.work(&mut |batch| take(with_texts(&batch, &schema)?))?;
        shared.troubles.finish(&self.name, first)?;
        Ok(tally)
    }

    fn scan_shared(&mut self, columns: &[usize], takers: &mut [Taker<'_>]) -> Result<Tally> {
        let blocks = self.blocks()?;
        let (shared, first) = (self.shared(blocks, columns), self.heading.1);
        let work = |taker: &mut Taker<'_>| {
            let done = shared.work(taker);
            // What stops one thread stops all.
            if done.is_err() {
                shared.troubles.stop();
            }
            done
        };
        let done: Vec<Result<Tally>> = std::thread::scope(|scope| {
            let threads: Vec<_> = takers.iter_mut().map(|taker| scope.spawn(|| work(taker))).collect();
            let gone = || Err(Error::data("", "a thread ended early"));
            threads.into_iter().map(|thread| thread.join().unwrap_or_else(|_| gone())).collect()
        });
        let mut tally = Tally::default();
        for part in done {
            let part = part?;
            tally.empty_lines += part.empty_lines;
            tally.blanked += part.blanked;
        }
        shared.troubles.finish(&self.name, first)?;
        Ok(tally)
    }

    fn progress(&self) -> Option<Arc<Progress>> {
        Some(self.progress.clone())
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        matches!(self.origin, Origin::File(_)) && self.columns.widen(column, kind)
    }

    fn trouble(&self, column: &str) -> Option<String> {
        self.columns.trouble(column)
    }
}
