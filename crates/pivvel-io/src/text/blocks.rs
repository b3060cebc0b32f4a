//! Bytes to blocks of whole lines, which any thread can split on its own.
//!
//! A block ends where a line does. Whether a line break stands in quotes is decided here, block after
//! block, by one thread for all others, which reads quotes and what stands beside them.

use std::io::Read;

use pivvel_core::{Error, Result};

use super::quotes::{LineEnds, last_break};
use super::{Chunk, Chunks};
use crate::bytes::failed;

/// A block stays in a core's cache from splitting to aggregating.
const BLOCK_BYTES: usize = 256 << 10;
/// A line that is longer than this is taken for a quote that was not closed.
const LONGEST: usize = 64 << 20;

/// The blocks of a stream.
pub(crate) struct Blocks<R> {
    reader: R,
    name: String,
    /// What stands between fields, where these may stand in quotes.
    delimiter: Option<u8>,
    size: usize,
    /// The beginning of the next block: what was read beyond the last whole line.
    carry: Vec<u8>,
    next: u64,
    done: bool,
}

impl<R: Read + Send> Blocks<R> {
    /// Blocks of about so many bytes, from where the reader stands: the beginning of a line.
    pub(crate) fn new(reader: R, name: &str, delimiter: Option<u8>, size: Option<usize>) -> Blocks<R> {
        let size = size.unwrap_or(BLOCK_BYTES).max(1);
        Blocks { reader, name: name.into(), delimiter, size, carry: Vec::new(), next: 0, done: false }
    }
}

impl<R: Read + Send> Chunks for Blocks<R> {
    fn next(&mut self, chunk: &mut Chunk) -> Result<Option<u64>> {
        // What the chunk held is written over.
        let Chunk { bytes, known, .. } = chunk;
        let mut filled = self.carry.len();
        bytes.resize(bytes.len().max(filled), 0);
        bytes[..filled].copy_from_slice(&self.carry);
        self.carry.clear();
        let mut wanted = self.size;
        let mut ends = self.delimiter.map(|delimiter| LineEnds::new(delimiter, known));
        loop {
            if !self.done && filled < wanted {
                bytes.resize(bytes.len().max(wanted), 0);
                let read = fill(&mut self.reader, &mut bytes[filled..wanted]);
                filled += read.map_err(|e| failed(&self.name, e))?;
                self.done = filled < wanted;
            }
            let text = &bytes[..filled];
            let end = match &mut ends {
                _ if self.done => Some(filled),
                Some(ends) => ends.last(text),
                None => last_break(text, 0..filled),
            };
            match end {
                Some(0) => return Ok(None),
                Some(end) => {
                    self.carry.extend_from_slice(&text[end..]);
                    bytes.truncate(end);
                    self.next += 1;
                    return Ok(Some(self.next - 1));
                }
                None if filled > LONGEST => {
                    let message = "a line is longer than 64 MiB: is a quote not closed?";
                    return Err(Error::data(&self.name, message));
                }
                None => wanted = (filled * 2).max(wanted),
            }
        }
    }
}

/// Reads as much as there is room for, or all that is left.
fn fill(reader: &mut impl Read, room: &mut [u8]) -> std::io::Result<usize> {
    let mut filled = 0;
    while filled < room.len() {
        match reader.read(&mut room[filled..]) {
            Ok(0) => break,
            Ok(read) => filled += read,
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
            Err(e) => return Err(e),
        }
    }
    Ok(filled)
}
