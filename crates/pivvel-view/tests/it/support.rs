//! Lines as a source.

use std::sync::Arc;

use arrow_array::{ArrayRef, Date32Array, Decimal128Array, Int64Array, RecordBatch, StringArray};
use pivvel_core::source::Batches;

pub(crate) fn texts<T: AsRef<str>>(all: impl IntoIterator<Item = Option<T>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<StringArray>())
}

pub(crate) fn numbers(all: impl IntoIterator<Item = Option<i64>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<Int64Array>())
}

/// Amounts in hundredths.
pub(crate) fn money(all: impl IntoIterator<Item = Option<i128>>) -> ArrayRef {
    let digits = all.into_iter().collect::<Decimal128Array>();
    Arc::new(digits.with_precision_and_scale(38, 2).unwrap())
}

/// Days, counted from 1970-01-01.
pub(crate) fn days(all: impl IntoIterator<Item = Option<i32>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<Date32Array>())
}

/// Columns by name, in which anything may be blank.
pub(crate) fn source<'n>(
    columns: impl IntoIterator<Item = (&'n str, ArrayRef)>,
) -> Batches<std::vec::IntoIter<RecordBatch>> {
    let columns = columns.into_iter().map(|(name, array)| (name, array, true));
    let batch = RecordBatch::try_from_iter_with_nullable(columns).unwrap();
    Batches::new(batch.schema(), vec![batch])
}
