//! Every kind of Arrow array, as a dimension, as a measure and in a condition.

use std::sync::Arc;

use arrow_array::builder::StringDictionaryBuilder;
use arrow_array::types::{Int8Type, Int32Type, UInt32Type};
use arrow_array::*;
use pivvel_core::result::MemberRef;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab, Result};

fn build(brief: &Brief, columns: Vec<(&str, ArrayRef)>) -> Result<CrossTab> {
    let batch = RecordBatch::try_from_iter(columns).unwrap();
    // Twice the same lines, so that members of a later batch meet those of an earlier one.
    CrossTab::build(brief, &mut Batches::new(batch.schema(), [batch.clone(), batch]))
}

/// Members, each with the sum of `v`, in display order.
fn members(array: ArrayRef) -> String {
    let values: ArrayRef =
        Arc::new(Int64Array::from((0..array.len() as i64).map(|i| 1 << (4 * i)).collect::<Vec<_>>()));
    let brief = Brief::new().rows(["k"]).measure(("v", "sum(v)"));
    let crosstab = build(&brief, vec![("k", array), ("v", values)]).unwrap();
    let rows = crosstab.rows();
    let one = |cell: pivvel_core::result::Cell<'_>| {
        let path = rows.path(cell.row());
        let label = match path.first() {
            Some(member) if MemberRef::is_blank(member) => "(blank)".to_string(),
            member => member.map_or("all".into(), |member| member.label().to_string()),
        };
        format!("{label}={}", cell.value(0).unwrap())
    };
    crosstab.cells().map(one).collect::<Vec<_>>().join(" ")
}

#[test]
fn every_array_can_be_a_dimension() {
    let texts = vec![Some("b"), None, Some("a"), Some("b"), Some("")];
    let expected = "a=512 b=8194 (blank)=131104 all=139810";
    let mut dictionary = StringDictionaryBuilder::<UInt32Type>::new();
    texts.iter().for_each(|text| dictionary.append_option(*text));
    let mut narrow = StringDictionaryBuilder::<Int8Type>::new();
    texts.iter().for_each(|text| narrow.append_option(*text));
    let of_text: [ArrayRef; 5] = [
        Arc::new(StringArray::from(texts.clone())),
        Arc::new(LargeStringArray::from(texts.clone())),
        Arc::new(StringViewArray::from(texts.clone())),
        Arc::new(dictionary.finish()),
        Arc::new(narrow.finish()),
    ];
    for array in of_text {
        assert_eq!(members(array.clone()), expected, "{}", array.data_type());
    }
    let of_number: [ArrayRef; 8] = [
        Arc::new(Int8Array::from(vec![Some(9), None, Some(-1), Some(9)])),
        Arc::new(Int16Array::from(vec![Some(9), None, Some(-1), Some(9)])),
        Arc::new(Int32Array::from(vec![Some(9), None, Some(-1), Some(9)])),
        Arc::new(Int64Array::from(vec![Some(9), None, Some(-1), Some(9)])),
        Arc::new(Float32Array::from(vec![Some(9.0), None, Some(-1.0), Some(9.0)])),
        Arc::new(Float64Array::from(vec![Some(9.0), Some(f64::NAN), Some(-1.0), Some(9.0)])),
        Arc::new(
            Decimal128Array::from(vec![Some(9), None, Some(-1), Some(9)])
                .with_precision_and_scale(9, 0)
                .unwrap(),
        ),
        Arc::new(
            Decimal64Array::from(vec![Some(9), None, Some(-1), Some(9)])
                .with_precision_and_scale(9, 0)
                .unwrap(),
        ),
    ];
    for array in of_number {
        assert_eq!(members(array.clone()), "-1=512 9=8194 (blank)=32 all=8738", "{}", array.data_type());
    }
    let unsigned: [ArrayRef; 4] = [
        Arc::new(UInt8Array::from(vec![2, 1])),
        Arc::new(UInt16Array::from(vec![2, 1])),
        Arc::new(UInt32Array::from(vec![2, 1])),
        Arc::new(UInt64Array::from(vec![2, 1])),
    ];
    for array in unsigned {
        assert_eq!(members(array), "1=32 2=2 all=34");
    }
    assert_eq!(
        members(Arc::new(BooleanArray::from(vec![Some(true), None, Some(false)]))),
        "yes=2 no=512 (blank)=32 all=546"
    );
    assert_eq!(
        members(Arc::new(Date32Array::from(vec![Some(0), Some(-1), None, Some(i32::MAX)]))),
        "1969-12-31=32 1970-01-01=2 (blank)=8704 all=8738"
    );
    assert_eq!(members(Arc::new(Float64Array::from(vec![0.0, -0.0, 0.1]))), "0=34 0.1=512 all=546");
    let key_without_values = DictionaryArray::<Int32Type>::new(
        Int32Array::from(vec![None, None]),
        Arc::new(StringArray::from(Vec::<&str>::new())),
    );
    assert_eq!(members(Arc::new(key_without_values)), "(blank)=34 all=34");
}

/// Sum, low, high and count of a column of numbers, whatever its type.
#[test]
fn every_number_can_be_a_measure() {
    let arrays: [ArrayRef; 9] = [
        Arc::new(Int8Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(Int16Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(Int32Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(UInt8Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(UInt16Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(UInt32Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(UInt64Array::from(vec![Some(3), None, Some(4)])),
        Arc::new(Float32Array::from(vec![Some(3.0), Some(f32::NAN), Some(4.0)])),
        Arc::new(Float64Array::from(vec![Some(3.0), Some(f64::INFINITY), Some(4.0)])),
    ];
    for array in arrays {
        let shown = array.data_type().clone();
        let brief = ["sum(v)", "min(v)", "max(v)", "count(v)", "mean(v)", "sum(-v * 2 + 1)", "sum(v / 4)"]
            .into_iter()
            .fold(Brief::new().filter("v > 0"), |brief, formula| brief.measure((formula, formula)));
        let crosstab = build(&brief, vec![("v", array)]).unwrap();
        let values: Vec<String> = crosstab
            .measures()
            .iter()
            .map(|m| crosstab.value(&[], &[], m.name()).unwrap().to_string())
            .collect();
        assert_eq!(values, ["14", "3", "4", "4", "3.5", "-24", "3.5"], "{shown}");
        assert_eq!(crosstab.report().undecided(), 2);
    }
}
