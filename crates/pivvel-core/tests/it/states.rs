//! Aggregates of any number of columns against plain loops: by one thread or several, from kept parts, with
//! columns that are plain in one batch and have blanks or wide numbers in the next.

use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::{ArrayRef, Float64Array, RecordBatch};
use pivvel_core::result::Groups;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab, Value};
use proptest::prelude::*;

use crate::support::{batch, close, days, decimals, numbers, texts};

/// The columns of numbers: whole ones, decimals that may be wider than 64 bits, and floats.
const COLUMNS: [&str; 6] = ["a", "b", "c", "d", "wide", "float"];
const FUNCTIONS: [&str; 7] = ["sum", "count", "min", "max", "mean", "variance", "median"];

#[derive(Debug, Clone)]
struct Line {
    coast: usize,
    day: i32,
    numbers: [Option<i64>; 6],
}

/// Lines in batches; of each batch, which columns have no blank.
fn batches() -> impl Strategy<Value = Vec<Vec<Line>>> {
    let number = prop_oneof![
        8 => (-10_000..10_000i64).prop_map(Some),
        1 => prop_oneof![Just(Some(i64::MAX)), Just(Some(i64::MIN)), Just(Some(i64::MAX - 7))],
        1 => Just(None),
    ];
    let line = (0..4usize, 19_000..19_090i32, prop::array::uniform6(number))
        .prop_map(|(coast, day, numbers)| Line { coast, day, numbers });
    let batch = (prop::collection::vec(line, 1..40), any::<[bool; 6]>());
    let whole = |(mut lines, plain): (Vec<Line>, [bool; 6])| {
        for line in &mut lines {
            let both = line.numbers.iter_mut().zip(plain);
            both.for_each(|(number, plain)| *number = number.or(plain.then_some(1)));
        }
        lines
    };
    prop::collection::vec(batch.prop_map(whole), 1..8)
}

fn record_batch(lines: &[Line]) -> RecordBatch {
    let coast = lines.iter().map(|line| Some(["Fell", "Isle", "Marram", "Skerry"][line.coast]));
    let keys = [("coast", texts(coast)), ("sold_on", days(lines.iter().map(|line| Some(line.day))))];
    let of = |(i, name): (usize, &'static str)| {
        let all = lines.iter().map(|line| line.numbers[i]);
        let array: ArrayRef = match name {
            "wide" => decimals(2, all.map(|number| number.map(wide))),
            "float" => Arc::new(all.map(|number| number.map(float)).collect::<Float64Array>()),
            _ => numbers(all),
        };
        (name, array)
    };
    batch(keys.into_iter().chain(COLUMNS.into_iter().enumerate().map(of)))
}

/// Digits that 64 bits do not hold, where the number is an end of them.
fn wide(number: i64) -> i128 {
    i128::from(number) * if number.unsigned_abs() > 1 << 40 { 1 << 20 } else { 1 }
}

fn float(number: i64) -> f64 {
    if number.unsigned_abs() > 1 << 40 { (number >> 40) as f64 } else { number as f64 / 8.0 }
}

/// A measure: a function, a column and whether a condition is on it.
type Asked = (usize, usize);

fn brief(asked: &[Asked], by_month: bool) -> Brief {
    let brief = Brief::new().rows(["coast"]).columns(if by_month { vec!["sold_on.month"] } else { vec![] });
    asked.iter().enumerate().fold(brief, |brief, (i, (function, column))| {
        let formula = format!("{}({})", FUNCTIONS[*function], COLUMNS[*column]);
        brief.measure((format!("m{i}").as_str(), formula.as_str()))
    })
}

/// What a function gives over the numbers that are there.
fn expected(function: &str, column: &str, numbers: &[i64]) -> Option<f64> {
    let exact: Vec<i128> = match column {
        "wide" => numbers.iter().map(|n| wide(*n)).collect(),
        _ => numbers.iter().map(|n| i128::from(*n)).collect(),
    };
    let unit = if column == "wide" { 100.0 } else { 1.0 };
    let all: Vec<f64> = match column {
        "float" => numbers.iter().map(|n| float(*n)).collect(),
        _ => exact.iter().map(|n| *n as f64 / unit).collect(),
    };
    let count = all.len() as f64;
    if function == "count" {
        return Some(count);
    }
    if all.is_empty() {
        return None;
    }
    let sum = match column {
        "float" => all.iter().sum::<f64>(),
        _ => exact.iter().sum::<i128>() as f64 / unit,
    };
    match function {
        "sum" => Some(sum),
        "min" => all.iter().copied().reduce(f64::min),
        "max" => all.iter().copied().reduce(f64::max),
        "mean" => Some(sum / count),
        "median" => {
            let (mut exact, mut all) = (exact, all);
            exact.sort_unstable();
            all.sort_by(f64::total_cmp);
            let (low, high) = ((exact.len() - 1) / 2, exact.len() / 2);
            let middle = (exact[low] + exact[high]) as f64 / 2.0 / unit;
            Some(if column == "float" { (all[low] + all[high]) / 2.0 } else { middle })
        }
        _ => {
            let squares = all.iter().map(|n| (n - sum / count).powi(2)).sum::<f64>();
            (count > 1.0).then(|| squares / (count - 1.0))
        }
    }
}

/// Every cell's values, by its labels.
fn cells(crosstab: &CrossTab, measures: usize) -> BTreeMap<(String, String), Vec<Option<Value>>> {
    let label = |path: Vec<pivvel_core::result::MemberRef<'_>>| {
        path.iter().map(|member| member.label().to_string()).collect::<String>()
    };
    let one = |cell: pivvel_core::result::Cell<'_>| {
        let labels = (label(crosstab.rows().path(cell.row())), label(crosstab.columns().path(cell.column())));
        (labels, (0..measures).map(|measure| cell.value(measure)).collect())
    };
    crosstab.cells().map(one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn every_aggregate_of_every_column(
        batches in batches(),
        asked in prop::collection::vec((0..FUNCTIONS.len(), 0..COLUMNS.len()), 0..7),
        by_month: bool,
        threads in 1..4usize,
    ) {
        let brief = brief(&asked, by_month);
        let records: Vec<RecordBatch> = batches.iter().map(|lines| record_batch(lines)).collect();
        let source = |records: &[RecordBatch]| Batches::new(records[0].schema(), records.to_vec());
        let crosstab = Build::new().threads(threads).run(&brief, &mut source(&records)).unwrap();
        // A brief without a measure has the lines.
        let measures = asked.len().max(1);
        let found = cells(&crosstab, measures);

        let mut wanted: BTreeMap<(String, String), Vec<&Line>> = BTreeMap::new();
        for line in batches.iter().flatten() {
            let coast = ["Fell", "Isle", "Marram", "Skerry"][line.coast];
            let month = ["2022-01", "2022-02", "2022-03", "2022-04"][match line.day - 18_993 {
                ..31 => 0,
                31..59 => 1,
                59..90 => 2,
                _ => 3,
            }];
            for row in [coast, ""] {
                for column in if by_month { vec![month, ""] } else { vec![""] } {
                    wanted.entry((row.into(), column.into())).or_default().push(line);
                }
            }
        }
        prop_assert_eq!(found.keys().collect::<Vec<_>>(), wanted.keys().collect::<Vec<_>>());
        for (labels, lines) in &wanted {
            for (place, (function, column)) in asked.iter().enumerate() {
                let numbers: Vec<i64> = lines.iter().filter_map(|line| line.numbers[*column]).collect();
                let (function, column) = (FUNCTIONS[*function], COLUMNS[*column]);
                // What variance loses to rounding here is this test's own.
                if function == "variance" && numbers.iter().any(|n| n.unsigned_abs() > 1 << 40) {
                    continue;
                }
                let (value, wanted) = (found[labels][place], expected(function, column, &numbers));
                prop_assert!(close(value.as_ref().map(Value::as_f64), wanted), "{function}({column}) at {labels:?}: {value:?}, {wanted:?}");
            }
            if asked.is_empty() {
                prop_assert!(close(found[labels][0].as_ref().map(Value::as_f64), Some(lines.len() as f64)));
            }
        }

        // Kept batch by batch and merged it comes to the same, to the last digit.
        let keep = |record: &RecordBatch| {
            let kept = Build::new().keep(&brief, &mut source(std::slice::from_ref(record))).unwrap().1;
            Groups::from_record_batch("kept", kept.to_record_batch().clone()).unwrap()
        };
        let parts: Vec<Groups> = records.iter().map(keep).collect();
        let merged = Build::new().from_groups(&brief, &parts).unwrap();
        prop_assert_eq!(cells(&merged, measures), found);
    }
}

/// Sums that outgrow 64 bits do so in any of several columns, up and down, and come back.
#[test]
fn sums_outgrow_and_come_back() {
    let of = |all: &[i64]| numbers(all.iter().copied().map(Some));
    let up = [i64::MAX, i64::MAX, 5, i64::MAX];
    let down = [i64::MIN, i64::MIN, -5, i64::MIN];
    let back = [i64::MAX, i64::MAX, i64::MIN, i64::MIN];
    let small = [1, 2, 3, 4];
    let columns =
        [("up", of(&up)), ("down", of(&down)), ("back", of(&back)), ("small", of(&small)), ("more", of(&up))];
    let batch = batch(columns);
    let sum = |all: &[i64], times: i128| all.iter().map(|n| i128::from(*n)).sum::<i128>() * times;
    for columns in
        [&["up"][..], &["up", "down"], &["back", "up", "small"], &["small", "up", "down", "back", "more"]]
    {
        for batches in [1, 2, 7] {
            let brief = columns.iter().fold(Brief::new(), |brief, column| {
                brief.measure((*column, format!("sum({column})").as_str()))
            });
            let mut source = Batches::new(batch.schema(), vec![batch.clone(); batches]);
            let crosstab = Build::new().threads(2).run(&brief, &mut source).unwrap();
            for column in columns {
                let all = match *column {
                    "up" | "more" => up,
                    "down" => down,
                    "back" => back,
                    _ => small,
                };
                let found = crosstab.value(&[], &[], column).unwrap().to_string();
                assert_eq!(found, sum(&all, batches as i128).to_string(), "{column} of {columns:?}");
            }
        }
    }
}
