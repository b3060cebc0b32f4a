//! Every Arrow type that holds text, numbers, dates or moments gives what the plain one does.

use std::sync::Arc;

use arrow_array::builder::{PrimitiveRunBuilder, StringRunBuilder};
use arrow_array::types::*;
use arrow_array::*;
use arrow_buffer::i256;
use arrow_schema::{DataType, TimeUnit};
use pivvel_core::result::NoticeCode;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab, ErrorKind};
use proptest::prelude::*;

use crate::support::{batch, days, decimals, numbers, source, texts};

fn tidy(columns: &[(&str, ArrayRef)]) -> RecordBatch {
    let brief = Brief::new()
        .rows(["coast"])
        .columns(["sold_on.month"])
        .measure(("pieces", "sum(pieces)"))
        .measure(("sales", "sum(amount)"))
        .measure(("weights", "sum(weight)"));
    CrossTab::build(&brief, &mut source(vec![batch(columns.iter().cloned())])).unwrap().to_record_batch()
}

fn array(array: impl Array + 'static) -> ArrayRef {
    Arc::new(array)
}

/// The values of a dictionary, of which each line takes one; the last line is blank.
fn encoded(values: ArrayRef, keys: [i16; 3]) -> ArrayRef {
    let keys = Int16Array::from_iter(keys.into_iter().map(Some).chain([None]));
    array(DictionaryArray::new(keys, values))
}

#[test]
fn every_type_gives_what_the_plain_one_does() {
    const DAY: i64 = 86_400;
    let coast = || texts([Some("Fell"), Some("Skerry"), Some("Fell"), None]);
    let sold = [Some(0_i32), Some(31), Some(-1), None];
    let pieces = [Some(100_i64), Some(-300), Some(700), None];
    let plain = [
        ("coast", coast()),
        ("sold_on", days(sold)),
        ("pieces", numbers(pieces)),
        ("amount", decimals(2, [Some(1050), Some(-995), Some(0), None])),
        ("weight", array(Float64Array::from(vec![Some(0.5), Some(-1.25), Some(2.0), None]))),
    ];
    let wanted = tidy(&plain);
    let moments = |times: i64, late: i64| -> Vec<Option<i64>> {
        sold.iter().map(|day| day.map(|day| i64::from(day) * DAY * times + late)).collect()
    };
    let narrow = |scale: i8| -> Vec<Option<i32>> {
        let digits = [Some(1050), Some(-995), Some(0), None];
        digits.into_iter().map(|v| v.map(|v: i32| v * 10_i32.pow(scale as u32 - 2))).collect()
    };
    let mut runs = StringRunBuilder::<Int32Type>::new();
    runs.extend([Some("Fell"), Some("Skerry"), Some("Fell"), None]);
    let mut number_runs = PrimitiveRunBuilder::<Int16Type, Int64Type>::new();
    number_runs.extend(pieces);
    let wide = [1050, -995, 0].map(i256::from_i128);
    let wide = Decimal256Array::from_iter(wide.into_iter().map(Some).chain([None]));
    let half = Float16Array::from_iter(
        [0.5_f32, -1.25, 2.0]
            .map(|v| Some(<Float16Type as ArrowPrimitiveType>::Native::from_f32(v)))
            .into_iter()
            .chain([None]),
    );
    let hundreds = Decimal128Array::from(vec![Some(1), Some(-3), Some(7), None]);
    let small_hundreds = Decimal32Array::from(vec![Some(1), Some(-3), Some(7), None]);
    let names = || texts([Some("Skerry"), Some("Fell")]);
    let cases: Vec<(&str, ArrayRef)> = vec![
        ("coast", array(LargeStringArray::from(vec![Some("Fell"), Some("Skerry"), Some("Fell"), None]))),
        ("coast", array(StringViewArray::from(vec![Some("Fell"), Some("Skerry"), Some("Fell"), None]))),
        ("coast", encoded(names(), [1, 0, 1])),
        ("coast", array(runs.finish())),
        ("sold_on", array(Date64Array::from(moments(1_000, 86_399_999)))),
        ("sold_on", array(TimestampSecondArray::from(moments(1, 86_399)))),
        ("sold_on", array(TimestampMillisecondArray::from(moments(1_000, 1)))),
        ("sold_on", array(TimestampMicrosecondArray::from(moments(1_000_000, 1)))),
        ("sold_on", array(TimestampNanosecondArray::from(moments(1_000_000_000, 86_399_999_999_999)))),
        ("sold_on", array(TimestampSecondArray::from(moments(1, -7_200)).with_timezone("+02:00"))),
        // Winter: one hour before midnight there is midnight here.
        (
            "sold_on",
            array(TimestampMillisecondArray::from(moments(1_000, -3_600_000)).with_timezone("Europe/Rome")),
        ),
        ("sold_on", array(TimestampNanosecondArray::from(moments(1_000_000_000, 0)).with_timezone("UTC"))),
        ("sold_on", encoded(array(TimestampSecondArray::from(vec![31 * DAY, -1, 5])), [2, 0, 1])),
        ("pieces", array(Int16Array::from(vec![Some(100), Some(-300), Some(700), None]))),
        ("pieces", array(Int32Array::from(vec![Some(100), Some(-300), Some(700), None]))),
        ("pieces", encoded(numbers([Some(700), Some(100), Some(-300)]), [1, 2, 0])),
        ("pieces", array(number_runs.finish())),
        ("pieces", array(hundreds.with_precision_and_scale(9, -2).unwrap())),
        ("pieces", array(small_hundreds.with_precision_and_scale(5, -2).unwrap())),
        ("amount", array(Decimal32Array::from(narrow(2)).with_precision_and_scale(9, 2).unwrap())),
        ("amount", array(wide.with_precision_and_scale(60, 2).unwrap())),
        ("amount", encoded(decimals(2, [Some(0), Some(-995), Some(1050)]), [2, 1, 0])),
        ("weight", array(Float32Array::from(vec![Some(0.5), Some(-1.25), Some(2.0), None]))),
        ("weight", array(half)),
    ];
    for (name, other) in cases {
        let columns =
            plain.clone().map(|(own, array)| (own, if own == name { other.clone() } else { array }));
        // The totals of numbers may have another type; what stands there is the same.
        let found = tidy(&columns);
        assert_eq!(format!("{found:?}"), format!("{wanted:?}"), "{name} as {}", other.data_type());
    }
}

/// What cannot be computed with is an error that names the column, never another number.
#[test]
fn what_has_no_place_is_refused() {
    let one = |array: ArrayRef| vec![batch([("x", array)])];
    let long =
        Decimal256Array::from(vec![i256::from_i128(i128::MAX)]).with_precision_and_scale(76, 0).unwrap();
    let zone = TimestampSecondArray::from(vec![0]).with_timezone("Nowhere/Land");
    let cases: Vec<(ArrayRef, &str, &str)> = vec![
        (array(long), "sum(x)", "batches, column x: a number has more than 38 digits"),
        (array(zone), "count(x)", "Nowhere/Land"),
        (array(TimestampSecondArray::from(vec![i64::MAX])), "count(x)", "is outside the calendar"),
        (array(Date64Array::from(vec![i64::MIN])), "count(x)", "is outside the calendar"),
        (array(Time32SecondArray::from(vec![1])), "count(x)", "Time32"),
    ];
    for (array, formula, wanted) in cases {
        let built = CrossTab::build(&Brief::new().measure(("n", formula)), &mut source(one(array)));
        let error = built.unwrap_err().to_string();
        assert!(error.contains(wanted), "{error}");
    }
}

/// A batch that is not as it was announced is an error of the kind that says so.
#[test]
fn batches_that_lie_are_refused() {
    let announced = batch([("coast", texts([Some("Fell")])), ("amount", decimals(2, [Some(1050)]))]);
    let cases: Vec<(Vec<(&str, ArrayRef)>, &str)> = vec![
        (vec![("coast", texts([Some("Fell")])), ("amount", decimals(3, [Some(1050)]))], "amount"),
        (vec![("coast", texts([Some("Fell")])), ("amount", numbers([Some(1050)]))], "amount"),
        (vec![("amount", decimals(2, [Some(1050)])), ("coast", texts([Some("Fell")]))], "coast"),
        (vec![("coast", texts([Some("Fell")]))], "amount"),
        (vec![("coast", days([Some(1)])), ("amount", decimals(2, [Some(1050)]))], "coast"),
    ];
    let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
    for (columns, wrong) in cases {
        let mut lines = Batches::new(announced.schema(), [announced.clone(), batch(columns)]);
        let error = CrossTab::build(&brief, &mut lines).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Schema { column, .. } if column == wrong), "{error}");
    }
    // Text in another encoding is the same text.
    let view = array(StringViewArray::from(vec![Some("Fell")]));
    let again = batch([("coast", view), ("amount", decimals(2, [Some(5)]))]);
    let mut lines = Batches::new(announced.schema(), [announced.clone(), again]);
    let crosstab = CrossTab::build(&brief, &mut lines).unwrap();
    assert_eq!(crosstab.value(&["Fell"], &[], "sales").unwrap().to_string(), "10.55");
}

/// What a reader finds wrong comes through with its cause.
#[test]
fn readers_may_fail() {
    let good = batch([("pieces", numbers([Some(1)]))]);
    let brief = Brief::new().measure(("pieces", "sum(pieces)"));
    let broken = || std::io::Error::new(std::io::ErrorKind::TimedOut, "the other end is silent");
    let results = [Ok(good.clone()), Err(broken())];
    let error =
        CrossTab::build(&brief, &mut Batches::new(good.schema(), results).named("stream")).unwrap_err();
    assert_eq!(error.kind(), &ErrorKind::Io(std::io::ErrorKind::TimedOut));
    assert_eq!(error.to_string(), "stream: the other end is silent");
    assert!(std::error::Error::source(&error).is_some_and(|cause| cause.is::<std::io::Error>()));

    let results = [Ok(good.clone()), Err(arrow_schema::ArrowError::ParseError("no batch".into()))];
    let reader = RecordBatchIterator::new(results, good.schema());
    let error = CrossTab::build(&brief, &mut Batches::from_reader(reader)).unwrap_err();
    assert_eq!(error.kind(), &ErrorKind::Data);
    assert!(std::error::Error::source(&error).is_some_and(|cause| cause.is::<arrow_schema::ArrowError>()));
}

/// The zone of moments is said where they are used, and only there.
#[test]
fn the_zone_of_moments_is_said() {
    let zone = TimestampSecondArray::from(vec![0]).with_timezone("Asia/Tokyo");
    let lines = || source(vec![batch([("sold_at", array(zone.clone())), ("n", numbers([Some(1)]))])]);
    for (rows, said) in [(vec!["sold_at.day"], 1), (vec!["n"], 0)] {
        let brief = Brief::new().rows(rows).measure(("n", "sum(n)"));
        let notices = CrossTab::build(&brief, &mut lines()).unwrap().notices();
        let zones: Vec<_> = notices.iter().filter(|notice| notice.code() == NoticeCode::TimeZone).collect();
        assert_eq!(zones.len(), said);
        assert!(zones.iter().all(|notice| notice.to_string().ends_with("the time zone Asia/Tokyo")));
    }
    assert_eq!(DataType::Timestamp(TimeUnit::Second, Some("Asia/Tokyo".into())), *zone.data_type());
}

/// A column of numbers in one of several types, each with its scale; none for what is no number.
fn column(of: usize, values: &[u8]) -> (ArrayRef, Option<i32>) {
    let whole = || values.iter().map(|value| i64::from(*value));
    let narrow = || whole().map(|value| value as i32);
    match of {
        0 => (array(Int64Array::from_iter_values(whole())), Some(0)),
        1 => (array(UInt8Array::from_iter_values(values.iter().copied())), Some(0)),
        2 => (array(Float64Array::from_iter_values(whole().map(|value| value as f64))), Some(0)),
        3 => (decimals(1, whole().map(|value| Some(value.into()))), Some(1)),
        4 => (decimals(2, whole().map(|value| Some(value.into()))), Some(2)),
        5 => (
            array(Decimal32Array::from_iter_values(narrow()).with_precision_and_scale(9, 2).unwrap()),
            Some(2),
        ),
        6 => (texts(whole().map(|value| Some(value.to_string()))), None),
        _ => (array(TimestampNanosecondArray::from_iter_values(whole())), None),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2_000, ..ProptestConfig::default() })]

    /// Whatever comes in the place of what was announced: the right number or an error, and no panic.
    #[test]
    fn no_lie_becomes_a_number(
        announced in 0..8_usize,
        given in 0..8_usize,
        names in prop::sample::subsequence(vec!["x", "y", "z"], 1..=3).prop_shuffle(),
        values in prop::collection::vec(any::<u8>(), 1..5),
    ) {
        let ((first, scale), (second, _)) = (column(announced, &values), column(given, &values));
        let right = RecordBatch::try_from_iter(["x", "y"].map(|name| (name, first.clone()))).unwrap();
        let lie = RecordBatch::try_from_iter(names.iter().map(|name| (*name, second.clone()))).unwrap();
        let same = lie.schema() == right.schema();
        let mut lines = Batches::new(right.schema(), [right, lie]);
        match (CrossTab::build(&Brief::new().measure(("sum", "sum(x)")), &mut lines), scale) {
            (Ok(crosstab), Some(scale)) => {
                let sum = 2.0 * values.iter().map(|value| f64::from(*value)).sum::<f64>();
                let found = crosstab.value(&[], &[], "sum").unwrap().as_f64();
                prop_assert!(same && (found * 10f64.powi(scale) - sum).abs() < 1e-9, "{} {}", found, sum);
            }
            (Ok(_), None) => prop_assert!(false, "a sum of what is no number"),
            (Err(error), scale) => prop_assert!(!same || scale.is_none(), "{}", error),
        }
    }
}
