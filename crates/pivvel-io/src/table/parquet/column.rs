//! A column of the row group that is being written.

use std::io::Write;
use std::sync::{Mutex, MutexGuard, PoisonError};

use arrow_array::ArrayRef;
use arrow_schema::FieldRef;
use parquet::arrow::arrow_writer::{ArrowColumnChunk, ArrowColumnWriter, compute_leaves};
use parquet::errors::Result;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedRowGroupWriter;

use super::constant::{Constant, EncodedConstant};

/// Any thread may give it arrays and encode them.
pub(super) struct Column {
    /// What was taken and is not yet encoded, in its order.
    waiting: Mutex<Vec<(FieldRef, ArrayRef)>>,
    /// Nothing once the row group is closed.
    encoder: Mutex<Option<Encoder>>,
}

/// What encodes a column.
struct Encoder {
    /// All rows so far, as long as they hold one value.
    constant: Option<Constant>,
    writer: ArrowColumnWriter,
}

/// A column of a row group that is closed.
pub(super) enum Chunk {
    Constant(EncodedConstant),
    Any(ArrowColumnChunk),
}

impl Column {
    pub(super) fn new(writer: ArrowColumnWriter) -> Column {
        let encoder = Encoder { constant: Some(Constant::default()), writer };
        Column { waiting: Mutex::default(), encoder: Mutex::new(Some(encoder)) }
    }

    pub(super) fn push(&self, field: FieldRef, array: ArrayRef) {
        lock(&self.waiting).push((field, array));
    }

    /// How many arrays wait.
    pub(super) fn waiting(&self) -> usize {
        lock(&self.waiting).len()
    }

    /// Encodes all that waits. If another thread does so, it waits for that one, or leaves the work to it.
    pub(super) fn encode(&self, waits: bool) -> Result<()> {
        let mut encoder = match (self.encoder.try_lock(), waits) {
            (Ok(encoder), _) => encoder,
            (Err(_), true) => lock(&self.encoder),
            (Err(_), false) => return Ok(()),
        };
        while let Some(encoder) = encoder.as_mut() {
            let waiting = std::mem::take(&mut *lock(&self.waiting));
            if waiting.is_empty() {
                break;
            }
            waiting.into_iter().try_for_each(|(field, array)| encoder.take(field, array))?;
        }
        Ok(())
    }

    /// Encodes all that waits, and closes the column. `last` is what a row group before held, which is used again where this one
    /// holds the same.
    pub(super) fn close(
        &self,
        last: &Mutex<Option<EncodedConstant>>,
        properties: &WriterProperties,
    ) -> Result<Option<Chunk>> {
        self.encode(true)?;
        let Some(Encoder { constant, writer }) = lock(&self.encoder).take() else { return Ok(None) };
        let Some(constant) = constant else { return writer.close().map(Chunk::Any).map(Some) };
        let mut last = lock(last);
        let encoded = match last.take().filter(|last| constant.is(last)) {
            Some(same) => same,
            None => constant.encode(properties.clone())?,
        };
        *last = Some(encoded.clone());
        Ok(Some(Chunk::Constant(encoded)))
    }
}

impl Encoder {
    fn take(&mut self, field: FieldRef, array: ArrayRef) -> Result<()> {
        if self.constant.as_mut().is_some_and(|constant| constant.takes(&field, &array)) {
            return Ok(());
        }
        let before = self.constant.take().map(Constant::into_arrays).unwrap_or_default();
        before.into_iter().chain([(field, array)]).try_for_each(|(field, array)| {
            let mut leaves = compute_leaves(&field, &array)?.into_iter();
            leaves.try_for_each(|leaf| self.writer.write(&leaf))
        })
    }
}

impl Chunk {
    pub(super) fn append_to<W: Write + Send>(
        self,
        group: &mut SerializedRowGroupWriter<'_, W>,
    ) -> Result<()> {
        match self {
            Chunk::Any(chunk) => chunk.append_to_row_group(group),
            Chunk::Constant(encoded) => group.append_column(&encoded.file, encoded.chunk),
        }
    }
}

pub(super) fn lock<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}
