//! CSV as a form of text: RFC 4180 with the dialects that exports come in.
//!
//! One pass, a block of lines at a time in as many threads as there are; the first lines tell the
//! columns' kinds.

mod dialect;
mod split;

use std::io::Read;
use std::sync::Arc;

use pivvel_core::source::ReadProgress;
use pivvel_core::{Error, Result};

use crate::bytes::{Bytes, Head};
use crate::kinds::Evidence;
use crate::source::ReadOptions;
use crate::text::{Blocks, Chunk, Chunks, Form, Split, TextColumns, TextSource, gather};
use dialect::Dialect;
pub(crate) use dialect::headings;
use split::Splitter;

/// The first lines of a file that tell what its columns hold.
pub(crate) const HEAD_LINES: usize = 10_000;

/// A CSV text.
struct Csv {
    bytes: Bytes,
    dialect: Dialect,
    /// Bytes up to the end of the heading, and the line that comes after it.
    heading: (usize, u64),
    columns: usize,
    block_bytes: Option<usize>,
}

/// A CSV text as a source.
pub(crate) fn open(bytes: Bytes, head: &Head, options: &ReadOptions) -> Result<TextSource> {
    let name = bytes.name.clone();
    let dialect = Dialect::find(&name, &head.bytes, head.ended, options.delimiter)?;
    let (fields, heading) = dialect.heading(&head.bytes);
    let (names, notes) = headings(&name, &fields)?;
    let mut evidence = vec![Evidence::default(); names.len()];
    let rest = &head.bytes[heading.0..];
    let mut blocks = Blocks::new(rest, &name, Some(dialect.delimiter), None);
    let mut splitter = Splitter::new(dialect.delimiter, names.len());
    let (mut chunk, mut lines, mut taken) = (Chunk::default(), 0, 0);
    while lines < HEAD_LINES && blocks.next(&mut chunk)?.is_some() {
        taken += chunk.bytes.len();
        splitter.split(&mut chunk);
        // Of a head that was cut, the last line is left out.
        let cut = taken == rest.len() && !head.ended;
        let usable = chunk.len() - usize::from(cut && chunk.len() > 0);
        gather(&chunk, usable.min(HEAD_LINES - lines), &mut evidence);
        lines += chunk.len();
        chunk.clear();
    }
    let columns = TextColumns::find(names, evidence, &options.kinds, None)?;
    let (count, block_bytes) = (columns.all.len(), options.block_bytes);
    let csv = Csv { bytes, dialect, heading, columns: count, block_bytes };
    Ok(TextSource::new(name, columns, notes, options.bad_values, Box::new(csv)))
}

impl Form for Csv {
    fn chunks(&mut self, _: &[usize]) -> Result<Box<dyn Chunks>> {
        let mut reader = self.bytes.read()?;
        let mut heading = vec![0; self.heading.0];
        reader.read_exact(&mut heading).map_err(|e| Error::io(&self.bytes.name, e))?;
        let delimiter = Some(self.dialect.delimiter);
        Ok(Box::new(Blocks::new(reader, &self.bytes.name, delimiter, self.block_bytes)))
    }

    fn splitter(&self) -> Box<dyn Split> {
        Box::new(Splitter::new(self.dialect.delimiter, self.columns))
    }

    fn repeats(&self) -> bool {
        self.bytes.repeats()
    }

    fn first_line(&self) -> u64 {
        self.heading.1
    }

    fn delimiter(&self) -> Option<char> {
        Some(self.dialect.delimiter.into())
    }

    fn progress(&self) -> Option<Arc<ReadProgress>> {
        Some(self.bytes.progress.clone())
    }
}
