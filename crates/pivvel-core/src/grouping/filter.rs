//! The lines of a batch that a condition holds for.

use arrow_array::{BooleanArray, RecordBatch};
use arrow_buffer::BooleanBuffer;
use arrow_select::filter::filter_record_batch;

use crate::error::{Error, Result};

/// The lines of a batch that a condition holds for.
pub(crate) fn keep(batch: &RecordBatch, holds: BooleanBuffer) -> Result<RecordBatch> {
    filter_record_batch(batch, &BooleanArray::new(holds, None)).map_err(|e| Error::caused("where", e))
}
