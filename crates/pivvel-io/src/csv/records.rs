//! Bytes to chunks of fields.

use std::io::Read;

use csv_core::ReadRecordResult;
use pivvel_core::{Error, Result};

use super::dialect::Dialect;

/// A chunk stays in a core's cache from splitting to aggregating.
const CHUNK_LINES: usize = 4_096;
const CHUNK_BYTES: usize = 256 << 10;
const INPUT_BYTES: usize = 128 << 10;

/// Lines split into fields.
#[derive(Debug, Default)]
pub(crate) struct Chunk {
    /// The text of all fields of all lines, one behind the other.
    pub(crate) bytes: Vec<u8>,
    /// For every line, the end of each of its fields, counted from the line's start.
    ends: Vec<usize>,
    starts: Vec<usize>,
    /// The line of the file that every line begins at, from 1.
    line_numbers: Vec<u64>,
    columns: usize,
    /// Lines that have more or fewer fields than the heading: place in the chunk, fields found,
    /// and lines of the file that they stretch over.
    pub(crate) ragged: Vec<(usize, usize, u64)>,
}

impl Chunk {
    /// How many lines it holds.
    pub(crate) fn len(&self) -> usize {
        self.starts.len()
    }

    /// The line of the file that a line begins at, from 1.
    pub(crate) fn line_number(&self, line: usize) -> u64 {
        self.line_numbers[line]
    }

    /// Where a field begins and ends in `bytes`.
    #[inline]
    pub(crate) fn span(&self, line: usize, column: usize) -> (usize, usize) {
        let ends = &self.ends[line * self.columns..];
        let start = if column == 0 { 0 } else { ends[column - 1] };
        (self.starts[line] + start, self.starts[line] + ends[column])
    }

    /// The text of a field.
    #[inline]
    pub(crate) fn field(&self, line: usize, column: usize) -> &[u8] {
        let (start, end) = self.span(line, column);
        &self.bytes[start..end]
    }
}

/// The records of a CSV stream, a chunk at a time.
pub(crate) struct Records<R> {
    reader: R,
    core: csv_core::Reader,
    name: String,
    input: Vec<u8>,
    at: usize,
    filled: usize,
    heading: Vec<Vec<u8>>,
    chunk_lines: usize,
    empty_lines: u64,
    done: bool,
}

impl<R: Read> Records<R> {
    /// Begins to read; the heading is read at once.
    pub(crate) fn new(mut reader: R, dialect: &Dialect, name: &str) -> Result<Records<R>> {
        let mut mark = vec![0; dialect.skip];
        reader.read_exact(&mut mark).map_err(|e| Error::io(name, e))?;
        let mut records = Records {
            reader,
            core: csv_core::ReaderBuilder::new().delimiter(dialect.delimiter).build(),
            name: name.to_string(),
            input: vec![0; INPUT_BYTES],
            at: 0,
            filled: 0,
            heading: Vec::new(),
            chunk_lines: 1,
            empty_lines: 0,
            done: false,
        };
        // The first record has as many columns as it has: read it as one of any number.
        records.read_heading()?;
        records.chunk_lines = CHUNK_LINES;
        Ok(records)
    }

    /// The fields of the heading.
    pub(crate) fn heading(&self) -> &[Vec<u8>] {
        &self.heading
    }

    /// Lines that held nothing and were dropped so far.
    pub(crate) fn empty_lines(&self) -> u64 {
        self.empty_lines
    }

    /// Whether the end was reached.
    pub(crate) fn is_done(&self) -> bool {
        self.done
    }

    /// Makes chunks of so many lines.
    pub(crate) fn limit_chunks(&mut self, lines: Option<usize>) {
        self.chunk_lines = lines.unwrap_or(CHUNK_LINES).max(1);
    }

    fn read_heading(&mut self) -> Result<()> {
        let (mut bytes, mut ends) = (vec![0; 4096], vec![0; 64]);
        let Some((length, fields)) = self.read_record(&mut bytes, &mut ends, 0, 0)? else { return Ok(()) };
        let mut start = 0;
        for end in &ends[..fields] {
            self.heading.push(bytes[start..*end].to_vec());
            start = *end;
        }
        debug_assert_eq!(start, length);
        Ok(())
    }

    /// The next lines; false at the end, when there are none.
    pub(crate) fn next_chunk(&mut self, chunk: &mut Chunk) -> Result<bool> {
        let columns = self.heading.len();
        chunk.columns = columns;
        chunk.starts.clear();
        chunk.line_numbers.clear();
        chunk.ragged.clear();
        // The bytes may have been given away.
        chunk.bytes.resize(CHUNK_BYTES, 0);
        let (mut length, mut fields) = (0, 0);
        while !self.done && chunk.len() < self.chunk_lines && length < CHUNK_BYTES - CHUNK_BYTES / 8 {
            let before = self.core.line();
            // A line that ends in two characters is done at the first of them.
            let halved = self.at > 0 && self.input[self.at - 1] == b'\r';
            let Some((bytes, count)) = self.read_record(&mut chunk.bytes, &mut chunk.ends, length, fields)?
            else {
                // Line breaks after the last line, less what ends that line itself.
                self.empty_lines += (self.core.line() - before).saturating_sub(u64::from(halved));
                break;
            };
            let after = self.core.line();
            let mut breaks = 0;
            if after - before > 1 {
                // Line breaks within fields; those beyond them are lines without anything.
                let text = &chunk.bytes[length..length + bytes];
                breaks = text.iter().filter(|b| **b == b'\n').count() as u64;
                self.empty_lines += (after - before).saturating_sub(1 + breaks);
            }
            if bytes == 0 {
                self.empty_lines += 1;
                continue;
            }
            if count != columns {
                chunk.ragged.push((chunk.len(), count, breaks + 1));
                fit(&mut chunk.ends, fields, count, columns);
            }
            chunk.starts.push(length);
            // The last line may end without a line break, and then was not counted.
            let ended = u64::from(self.at > 0 && self.input[self.at - 1] == b'\n');
            chunk.line_numbers.push((after - breaks).saturating_sub(ended).max(1));
            length += bytes;
            fields += columns;
        }
        chunk.bytes.truncate(length);
        Ok(chunk.len() > 0)
    }

    /// One record into `bytes` and `ends` from the given places on: its length and its number of
    /// fields. `None` at the end.
    fn read_record(
        &mut self,
        bytes: &mut Vec<u8>,
        ends: &mut Vec<usize>,
        from: usize,
        fields_from: usize,
    ) -> Result<Option<(usize, usize)>> {
        let (mut length, mut fields) = (0, 0);
        loop {
            if self.at == self.filled && !self.done {
                self.filled =
                    read_some(&mut self.reader, &mut self.input).map_err(|e| Error::io(&self.name, e))?;
                self.at = 0;
                self.done = self.filled == 0;
            }
            if bytes.len() <= from + length {
                bytes.resize((from + length) * 2 + 64, 0);
            }
            if ends.len() <= fields_from + fields {
                ends.resize((fields_from + fields) * 2 + 64, 0);
            }
            let (result, read, wrote, ended) = self.core.read_record(
                &self.input[self.at..self.filled],
                &mut bytes[from + length..],
                &mut ends[fields_from + fields..],
            );
            self.at += read;
            length += wrote;
            fields += ended;
            match result {
                ReadRecordResult::Record => return Ok(Some((length, fields))),
                ReadRecordResult::End => return Ok(None),
                ReadRecordResult::InputEmpty
                | ReadRecordResult::OutputFull
                | ReadRecordResult::OutputEndsFull => {}
            }
        }
    }
}

/// Gives a line of too many or too few fields as many as the heading has: what is missing is
/// blank, what is too much is left out.
fn fit(ends: &mut Vec<usize>, from: usize, found: usize, columns: usize) {
    let last = ends[from + found.min(columns) - 1];
    if ends.len() < from + columns {
        ends.resize(from + columns, 0);
    }
    if found < columns {
        ends[from + found..from + columns].fill(last);
    }
}

fn read_some(reader: &mut impl Read, input: &mut [u8]) -> std::io::Result<usize> {
    loop {
        match reader.read(input) {
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
            other => return other,
        }
    }
}
