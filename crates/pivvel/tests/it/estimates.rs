//! Estimates beside the exact figures of the same cells: within what the documents say, exact where they
//! say so, and the same for any number of threads and for kept parts.

use std::sync::Arc;

use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
use pivvel::source::Batches;
use pivvel::{Brief, Build, CrossTab};
use proptest::prelude::*;

fn brief() -> Brief {
    let pairs = [
        ("members", "distinct(yard)"),
        ("members_about", "distinct_estimate(yard)"),
        ("amounts", "distinct(amount)"),
        ("amounts_about", "distinct_estimate(amount)"),
        ("middle", "median(amount)"),
        ("middle_about", "median_estimate(amount)"),
        ("high", "quantile(amount, 90%)"),
        ("high_about", "quantile_estimate(amount, 90%)"),
        ("low", "quantile(amount, 5%)"),
        ("low_about", "quantile_estimate(amount, 5%)"),
    ];
    pairs.into_iter().fold(Brief::new().rows(["coast"]), Brief::measure)
}

fn batch(lines: &[(u8, u32, Option<i64>)]) -> RecordBatch {
    let coast: ArrayRef = Arc::new(lines.iter().map(|l| Some(format!("c{}", l.0))).collect::<StringArray>());
    let yard: ArrayRef =
        Arc::new(lines.iter().map(|l| Some(format!("yard {}", l.1))).collect::<StringArray>());
    let amount: ArrayRef = Arc::new(lines.iter().map(|l| l.2).collect::<Int64Array>());
    RecordBatch::try_from_iter([("coast", coast), ("yard", yard), ("amount", amount)]).unwrap()
}

fn source(lines: &[(u8, u32, Option<i64>)]) -> impl pivvel::source::LineSource {
    let batches: Vec<RecordBatch> = lines.chunks(97).map(batch).collect();
    Batches::new(batches[0].schema(), batches)
}

/// Every figure of every cell, to compare runs by.
fn figures(crosstab: &CrossTab) -> Vec<Option<f64>> {
    let measures = 0..crosstab.measures().len();
    crosstab
        .cells()
        .flat_map(|cell| measures.clone().map(move |m| cell.value(m).map(|v| v.as_f64())))
        .collect()
}

/// The coast that a cell is of; none for the total.
fn cell_label(crosstab: &CrossTab, cell: &pivvel::result::Cell<'_>) -> Option<String> {
    crosstab.rows().path(cell.row()).first().map(|member| member.label().to_string())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn estimates_are_as_near_as_the_documents_say(
        (yards, spread) in (1..6_000u32, prop_oneof![Just(1u32), Just(3), Just(9)]),
        lines in proptest::collection::vec((0..3u8, any::<u32>(), proptest::option::weighted(0.9, 0..2_000_000i64)), 1..5_000),
        threads in 1..4usize,
    ) {
        let shaped = lines.into_iter().map(|(coast, yard, amount)| {
            // Few large amounts and many small ones, some of them negative.
            (coast, yard % yards, amount.map(|a| if a % 7 == 0 { -a } else { a / i64::from(spread).pow((a % 5) as u32) }))
        });
        let lines: Vec<(u8, u32, Option<i64>)> = shaped.collect();
        let crosstab = Build::new().threads(threads).run(&brief(), &mut source(&lines)).unwrap();
        for cell in crosstab.cells() {
            let pair = |exact: usize| (cell.value(exact), cell.value(exact + 1));
            for counted in [0, 2] {
                let (Some(exact), Some(about)) = pair(counted) else { panic!("a count is never blank") };
                let (exact, about) = (exact.as_f64(), about.as_f64());
                let allowed = if exact <= 256.0 { 0.0 } else { 5.0 * 0.016 * exact };
                prop_assert!((exact - about).abs() <= allowed, "{about} for {exact} different ones");
            }
            let coast = cell_label(&crosstab, &cell);
            let own = lines.iter().filter(|l| coast.as_ref().is_none_or(|coast| format!("c{}", l.0) == *coast));
            let mut sorted: Vec<i64> = own.filter_map(|l| l.2).collect();
            sorted.sort_unstable();
            for (middle, share) in [(4, 0.5), (6, 0.9), (8, 0.05)] {
                let (Some(exact), Some(about)) = pair(middle) else {
                    prop_assert!(sorted.is_empty() && cell.value(middle + 1).is_none());
                    continue;
                };
                // Between two values the exact one is interpolated, and so is the estimate.
                let place = share * (sorted.len() - 1) as f64;
                let beside = [place.floor(), place.ceil()].map(|place| sorted[place as usize].unsigned_abs());
                let allowed = beside[0].max(beside[1]) as f64 / 256.0 + 1e-9;
                prop_assert!((exact.as_f64() - about.as_f64()).abs() <= allowed, "{about} for {exact}");
            }
        }
        let alone = Build::new().threads(1).run(&brief(), &mut source(&lines)).unwrap();
        prop_assert_eq!(figures(&alone), figures(&crosstab));
        let parts = lines.chunks(lines.len().div_ceil(3));
        let parts = parts.map(|part| Build::new().keep(&brief(), &mut source(part)).unwrap().1);
        let merged = Build::new().from_groups(&brief(), &parts.collect::<Vec<_>>()).unwrap();
        prop_assert_eq!(figures(&merged), figures(&crosstab));
    }
}
