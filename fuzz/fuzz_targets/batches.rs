//! Batches that are not what they were announced to be are refused, and others add up to what a plain loop does.
#![no_main]

use std::sync::Arc;

use libfuzzer_sys::fuzz_target;
use pivvel::arrow::RecordBatch;
use pivvel::arrow::array::*;
use pivvel::source::Batches;
use pivvel::{Brief, Build, Value};

/// A column of numbers in one of several types, by a byte.
fn column(of: u8, values: &[u8]) -> ArrayRef {
    let whole = || values.iter().map(|v| i64::from(*v));
    match of % 8 {
        0 => Arc::new(Int64Array::from_iter_values(whole())),
        1 => Arc::new(UInt8Array::from_iter_values(values.iter().copied())),
        2 => Arc::new(Int32Array::from_iter_values(whole().map(|v| v as i32))),
        3 => Arc::new(Decimal128Array::from_iter_values(whole().map(i128::from))),
        4 => Arc::new(Decimal32Array::from_iter_values(whole().map(|v| v as i32))),
        5 => Arc::new(StringArray::from_iter_values(whole().map(|v| v.to_string()))),
        6 => Arc::new(Date64Array::from_iter_values(whole())),
        _ => Arc::new(TimestampNanosecondArray::from_iter_values(whole())),
    }
}

fuzz_target!(|data: &[u8]| {
    let [announced, given, name, values @ ..] = data else { return };
    let batch = |of: u8, name: u8| {
        let name = if name % 4 == 0 { "y" } else { "x" };
        RecordBatch::try_from_iter([(name, column(of, values))]).expect("one column")
    };
    let (announced_batch, given_batch) = (batch(*announced, 1), batch(*given, *name));
    let brief = Brief::new().measure(("sum", "sum(x)"));
    let mut lines = Batches::new(announced_batch.schema(), [announced_batch.clone(), given_batch.clone()]);
    let built = Build::new().threads(1).run(&brief, &mut lines);
    let same = announced_batch.schema() == given_batch.schema();
    match built {
        Ok(crosstab) if !values.is_empty() => {
            assert!(same);
            let sum: i64 = 2 * values.iter().map(|v| i64::from(*v)).sum::<i64>();
            let found = crosstab.value(&[], &[], "sum").as_ref().map(Value::as_f64);
            let scale = if matches!(announced % 8, 3) { 1e10 } else if announced % 8 == 4 { 100.0 } else { 1.0 };
            assert!((found.expect("a sum") * scale - sum as f64).abs() < 1e-6);
        }
        _ => {}
    }
});
