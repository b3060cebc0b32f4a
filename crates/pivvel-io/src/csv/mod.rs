//! CSV as a source of lines: RFC 4180 with the dialects that exports come in.
//!
//! One pass, a chunk of lines at a time; within a chunk a column at a time, and only the columns
//! that are asked for. The first lines tell the columns' kinds. Splitting lines into fields is
//! the `csv-core` crate's work.

mod decode;
mod dialect;
mod records;

use std::fs::File;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_schema::{DataType, Field, Schema, SchemaRef};
use pivvel_core::{BadValues, Error, Kind, LineSource, Result, Tally};

use crate::kinds::{ColumnKind, Evidence, GivenKind};
use decode::Decoder;
use dialect::Dialect;
pub(crate) use records::{Chunk, Records};

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
    /// How many lines make a chunk; a number that suits the machine's caches where not said.
    pub chunk_lines: Option<usize>,
}

/// A CSV file, or any stream of CSV bytes.
#[derive(Debug)]
pub struct CsvSource {
    name: String,
    origin: Origin,
    dialect: Dialect,
    columns: Vec<Column>,
    notes: Vec<String>,
    options: CsvOptions,
}

/// A column of the file: its name and how it is read.
#[derive(Debug, Clone)]
pub struct Column {
    /// The name that formulas use.
    pub name: String,
    /// How its values are read.
    pub kind: ColumnKind,
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
        let mut records = Records::new(Cursor::new(&head), &dialect, &name)?;
        let (names, notes) = dialect::headings(&name, records.heading())?;
        for (column, _) in &options.kinds {
            if !names.contains(column) {
                return Err(Error::unknown("kinds", "column", column, names.iter().map(String::as_str)));
            }
        }
        let evidence = gather(&mut records, names.len(), ended)?;
        let mut columns = Vec::with_capacity(names.len());
        for (name, evidence) in names.into_iter().zip(evidence) {
            let kind = match options.kinds.iter().rev().find(|(column, _)| *column == name) {
                Some((_, given)) => evidence.given(&name, GivenKind::parse(&name, given)?)?,
                None => evidence.kind(&name),
            };
            columns.push(Column { name, kind });
        }
        Ok(CsvSource { name, origin, dialect, columns, notes, options })
    }

    /// The columns and how they are read.
    pub fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// What is odd about the headings.
    pub fn notes(&self) -> &[String] {
        &self.notes
    }

    /// What stands between fields.
    pub fn delimiter(&self) -> char {
        self.dialect.delimiter.into()
    }

    /// The lines from the start, to be split into fields.
    pub(crate) fn records(&mut self) -> Result<Records<Box<dyn Read + Send>>> {
        let reader: Box<dyn Read + Send> = match &mut self.origin {
            Origin::File(path) => {
                Box::new(File::open(&*path).map_err(|e| Error::io(path.display().to_string(), e))?)
            }
            Origin::Stream(stream) => {
                stream.take().ok_or_else(|| Error::data(&self.name, "a stream can be read only once"))?
            }
        };
        let mut records = Records::new(reader, &self.dialect, &self.name)?;
        records.limit_chunks(self.options.chunk_lines);
        Ok(records)
    }
}

/// The first part of a stream, the rest of it, and whether there is none.
fn read_head<R: Read>(mut reader: R) -> std::io::Result<(Vec<u8>, R, bool)> {
    let mut head = Vec::new();
    reader.by_ref().take(HEAD_BYTES as u64).read_to_end(&mut head)?;
    let ended = head.len() < HEAD_BYTES;
    Ok((head, reader, ended))
}

/// What the first lines say about each column. Of a head that was cut, the last line is left out.
fn gather(records: &mut Records<Cursor<&Vec<u8>>>, columns: usize, ended: bool) -> Result<Vec<Evidence>> {
    let mut evidence = vec![Evidence::default(); columns];
    let mut lines = 0;
    let mut chunk = Chunk::default();
    while lines < HEAD_LINES && records.next_chunk(&mut chunk)? {
        let usable = if records.is_done() && !ended { chunk.len() - 1 } else { chunk.len() };
        for (i, evidence) in evidence.iter_mut().enumerate() {
            (0..usable).for_each(|line| evidence.take(&String::from_utf8_lossy(chunk.field(line, i)), 1));
        }
        lines += chunk.len();
    }
    Ok(evidence)
}

impl LineSource for CsvSource {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        let field = |column: &Column| {
            let data_type = match column.kind.kind {
                Kind::Text => DataType::Utf8View,
                Kind::Date => DataType::Date32,
                Kind::Whole if column.kind.wide => DataType::Decimal128(38, 0),
                Kind::Whole => DataType::Int64,
                Kind::Decimal { scale } if column.kind.wide => DataType::Decimal128(38, scale as i8),
                Kind::Decimal { scale } => DataType::Decimal64(18, scale as i8),
                Kind::Float => DataType::Float64,
                Kind::YesNo => DataType::Boolean,
            };
            Field::new(&column.name, data_type, true)
        };
        Arc::new(Schema::new(self.columns.iter().map(field).collect::<Vec<_>>()))
    }

    fn scan(
        &mut self,
        columns: &[usize],
        take: &mut dyn FnMut(arrow_array::RecordBatch) -> Result<()>,
    ) -> Result<Tally> {
        let mut records = self.records()?;
        let mut decoder = Decoder::new(self, columns);
        let mut chunk = Chunk::default();
        while !decoder.has_enough() && records.next_chunk(&mut chunk)? {
            if let Some(batch) = decoder.decode(&mut chunk)? {
                take(batch)?;
            }
        }
        decoder.finish(records.empty_lines())
    }

    fn widen(&mut self, column: &str, kind: Kind) -> bool {
        if matches!(self.origin, Origin::Stream(_)) {
            return false;
        }
        let Some(column) = self.columns.iter_mut().find(|known| known.name == column) else { return false };
        // The same kind again means that its digits are too many for the narrow form.
        column.kind.wide |= column.kind.kind == kind;
        column.kind.kind = kind;
        true
    }

    fn trouble(&self, column: &str) -> Option<String> {
        self.columns.iter().find(|known| known.name == column)?.kind.trouble.clone()
    }
}
