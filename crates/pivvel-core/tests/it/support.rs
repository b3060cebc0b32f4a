//! Lines as batches, and what several tests compare.

use std::sync::Arc;

use arrow_array::{ArrayRef, Date32Array, Decimal128Array, Int64Array, RecordBatch, StringArray};
use pivvel_core::result::MemberRef;
use pivvel_core::source::Batches;

pub(crate) fn texts<T: AsRef<str>>(all: impl IntoIterator<Item = Option<T>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<StringArray>())
}

pub(crate) fn numbers(all: impl IntoIterator<Item = Option<i64>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<Int64Array>())
}

/// Digits of which so many stand after the point.
pub(crate) fn decimals(scale: i8, all: impl IntoIterator<Item = Option<i128>>) -> ArrayRef {
    let digits = all.into_iter().collect::<Decimal128Array>();
    Arc::new(digits.with_precision_and_scale(38, scale).unwrap())
}

/// Days, counted from 1970-01-01.
pub(crate) fn days(all: impl IntoIterator<Item = Option<i32>>) -> ArrayRef {
    Arc::new(all.into_iter().collect::<Date32Array>())
}

/// Columns by name, in which anything may be blank.
pub(crate) fn batch<'n>(columns: impl IntoIterator<Item = (&'n str, ArrayRef)>) -> RecordBatch {
    let columns = columns.into_iter().map(|(name, array)| (name, array, true));
    RecordBatch::try_from_iter_with_nullable(columns).unwrap()
}

pub(crate) fn source(batches: Vec<RecordBatch>) -> Batches<std::vec::IntoIter<RecordBatch>> {
    Batches::new(batches[0].schema(), batches)
}

pub(crate) fn labels(path: Vec<MemberRef<'_>>) -> Vec<String> {
    path.iter().map(|member| member.label().to_string()).collect()
}

/// Whether a number is the wanted one but for rounding, or both are blank.
pub(crate) fn close(found: Option<f64>, wanted: Option<f64>) -> bool {
    match (found, wanted) {
        (Some(found), Some(wanted)) => (found - wanted).abs() <= 1e-9 * wanted.abs().max(1.0),
        (found, wanted) => found == wanted,
    }
}
