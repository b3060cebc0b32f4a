//! Columns that hold one value in all rows of a row group. Many of a tidy result do (a measure's name, a level), so each
//! is encoded once, and used again for the next row group of as many rows.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_schema::{FieldRef, Schema};
use bytes::Bytes;
use parquet::arrow::ArrowWriter;
use parquet::column::writer::ColumnCloseResult;
use parquet::errors::{ParquetError, Result};
use parquet::file::properties::WriterProperties;

/// Arrays of one value.
#[derive(Default)]
pub(super) struct Constant {
    arrays: Vec<(FieldRef, ArrayRef)>,
    rows: usize,
}

/// A column of one value as it stands in a file.
#[derive(Clone)]
pub(super) struct EncodedConstant {
    value: ArrayRef,
    rows: usize,
    /// A file of its own that holds it.
    pub(super) file: Bytes,
    /// Its place in that file, its statistics and its pages.
    pub(super) chunk: ColumnCloseResult,
}

impl Constant {
    /// Takes an array, if all its rows hold this value, too.
    pub(super) fn takes(&mut self, field: &FieldRef, array: &ArrayRef) -> bool {
        let goes_on = self.value().is_none_or(|value| *value == *array.slice(0, 1));
        let is_taken = goes_on && is_constant(array);
        if is_taken {
            self.rows += array.len();
            self.arrays.push((Arc::clone(field), Arc::clone(array)));
        }
        is_taken
    }

    /// What was taken.
    pub(super) fn into_arrays(self) -> Vec<(FieldRef, ArrayRef)> {
        self.arrays
    }

    fn value(&self) -> Option<ArrayRef> {
        self.arrays.first().map(|(_, array)| array.slice(0, 1))
    }

    /// Whether it is the same value in as many rows.
    pub(super) fn is(&self, encoded: &EncodedConstant) -> bool {
        self.rows == encoded.rows && self.value().is_some_and(|value| *value == *encoded.value)
    }

    /// Encodes it as a file of these properties would.
    pub(super) fn encode(self, properties: WriterProperties) -> Result<EncodedConstant> {
        let none = || ParquetError::General("a column without rows".into());
        let (value, (field, _)) = (self.value().ok_or_else(none)?, self.arrays.first().ok_or_else(none)?);
        let schema = Arc::new(Schema::new(vec![Arc::clone(field)]));
        let mut writer = ArrowWriter::try_new(Vec::new(), schema.clone(), Some(properties))?;
        for (_, array) in self.arrays {
            writer.write(&RecordBatch::try_new(schema.clone(), vec![array])?)?;
        }
        let metadata = writer.finish()?;
        let pages = metadata.page_index();
        let group = metadata.row_groups().first().ok_or_else(none)?;
        let chunk = ColumnCloseResult {
            bytes_written: group.column(0).compressed_size() as u64,
            rows_written: self.rows as u64,
            metadata: group.column(0).clone(),
            bloom_filter: None,
            column_index: pages.and_then(|pages| pages.column_index(0, 0)).cloned(),
            offset_index: pages.and_then(|pages| pages.offset_index(0, 0)).cloned(),
        };
        Ok(EncodedConstant { value, rows: self.rows, file: std::mem::take(writer.inner_mut()).into(), chunk })
    }
}

/// Whether all rows hold the same. Texts that are the same one after the other have the same key in their dictionary.
fn is_constant(array: &ArrayRef) -> bool {
    let keys = array.as_any_dictionary_opt().map(|dictionary| dictionary.keys());
    let codes = keys.unwrap_or(array.as_ref());
    let others = codes.len().saturating_sub(1);
    *codes.slice(0, others) == *codes.slice(1.min(codes.len()), others)
}
