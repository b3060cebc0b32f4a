//! The lines of a batch that a condition holds for.

use arrow_array::{ArrayRef, RecordBatch, RecordBatchOptions, make_array};
use arrow_data::transform::MutableArrayData;
use arrow_schema::ArrowError;

use crate::error::{Error, Result};

/// The lines of a batch that a condition holds for, copied run by run.
pub(crate) fn keep(batch: &RecordBatch, holds: &[bool]) -> Result<RecordBatch> {
    let kept = holds.iter().filter(|holds| **holds).count();
    let copied = |column: &ArrayRef| {
        let data = column.to_data();
        let mut copy = MutableArrayData::new(vec![&data], false, kept);
        let mut at = 0;
        for run in holds.chunk_by(|a, b| a == b) {
            if run[0] {
                copy.try_extend(0, at, at + run.len())?;
            }
            at += run.len();
        }
        Ok(make_array(copy.freeze()))
    };
    let options = RecordBatchOptions::new().with_row_count(Some(kept));
    let columns: Result<Vec<ArrayRef>, ArrowError> = batch.columns().iter().map(copied).collect();
    columns
        .and_then(|columns| RecordBatch::try_new_with_options(batch.schema(), columns, &options))
        .map_err(|e| Error::caused("where", e))
}
