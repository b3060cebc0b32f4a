// What examples in the documentation stand on: three lines of sales, and a cross-tab of them.
use std::sync::Arc;

use arrow_array::{ArrayRef, Date32Array, Int64Array, RecordBatch, StringArray};
use pivvel_core::source::{Batches, LineSource};
use pivvel_core::{Brief, CrossTab};

#[allow(dead_code)]
pub fn lines() -> impl LineSource {
    let coasts: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
    let harbours: ArrayRef = Arc::new(StringArray::from(vec!["Quay", "Holm", "Haven"]));
    // The 1st of May 2024, the same day of June, and of May 2025.
    let days: ArrayRef = Arc::new(Date32Array::from(vec![19_844, 19_875, 20_209]));
    let pieces: ArrayRef = Arc::new(Int64Array::from(vec![3, 4, 5]));
    let columns = [("coast", coasts), ("harbour", harbours), ("sold_on", days), ("pieces", pieces)];
    let batch = RecordBatch::try_from_iter(columns).unwrap();
    Batches::new(batch.schema(), [batch])
}

#[allow(dead_code)]
pub fn brief() -> Brief {
    Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)"))
}

#[allow(dead_code)]
pub fn crosstab() -> CrossTab {
    CrossTab::build(&brief(), &mut lines()).unwrap()
}
