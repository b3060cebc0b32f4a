//! The lines behind any cell against a plain choice of the same lines: which they are, in what order, how many of
//! them are shown, and what all of them add up to.

use std::cmp::Ordering;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Int64Type};
use arrow_array::{Array, ArrayRef, RecordBatch};
use pivvel_core::brief::TierBrief;
use pivvel_core::drill::{Address, LineOrder, LinesBehind};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, numbers, texts};

#[derive(Debug, Clone)]
struct Line {
    number: i64,
    coast: usize,
    harbour: Option<usize>,
    day: i32,
    amount: Option<i64>,
}

const COASTS: [&str; 3] = ["Fell", "Isle", "Marram"];

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let harbour = prop::option::weighted(0.85, 0..4usize);
    let amount = prop::option::weighted(0.85, -20..60i64);
    let line = (0..3usize, harbour, 18_990..19_400i32, amount);
    prop::collection::vec(line, 1..50).prop_map(|all| {
        let number = |(number, (coast, harbour, day, amount)): (usize, _)| Line {
            number: number as i64,
            coast,
            harbour,
            day,
            amount,
        };
        all.into_iter().enumerate().map(number).collect()
    })
}

fn batches(lines: &[Line], size: usize) -> Vec<RecordBatch> {
    let batch = |lines: &[Line]| {
        let harbour = |line: &Line| line.harbour.map(|harbour| format!("Harbour {harbour}"));
        let columns: [(&str, ArrayRef); 5] = [
            ("number", numbers(lines.iter().map(|line| Some(line.number)))),
            ("coast", texts(lines.iter().map(|line| Some(COASTS[line.coast])))),
            ("harbour", texts(lines.iter().map(harbour))),
            ("sold_on", days(lines.iter().map(|line| Some(line.day)))),
            ("amount", numbers(lines.iter().map(|line| line.amount))),
        ];
        support::batch(columns)
    };
    lines.chunks(size).map(batch).collect()
}

/// What lines may be sorted by, and how two of them compare, blanks aside.
type Key = (&'static str, fn(&Line) -> Option<i64>);

const KEYS: [Key; 4] = [
    ("amount", |line| line.amount),
    ("sold_on", |line| Some(line.day.into())),
    ("coast", |line| Some(line.coast as i64)),
    ("harbour", |line| line.harbour.map(|harbour| harbour as i64)),
];

/// Blanks stand last, whichever way the others go.
fn compared(a: Option<i64>, b: Option<i64>, descending: bool) -> Ordering {
    match (a, b) {
        (Some(a), Some(b)) if descending => b.cmp(&a),
        (Some(a), Some(b)) => a.cmp(&b),
        (a, b) => a.is_none().cmp(&b.is_none()),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn the_lines_of_any_cell(
        lines in lines(),
        (which, rows, columns) in (any::<prop::sample::Index>(), 0..3usize, any::<bool>()),
        keys in prop::collection::vec((0..KEYS.len(), any::<bool>()), 0..3),
        limit in prop::option::of(0..20usize),
        size in 1..60usize,
        threads in 1..3usize,
        condition: bool,
    ) {
        let all = batches(&lines, size);
        let source = || Batches::new(all[0].schema(), all.clone());
        let rows = [&["coast", "harbour"][..], &["size", "coast"], &["harbour"]][rows];
        let mut brief = Brief::new().rows(rows.iter().copied()).measure(("sales", "sum(amount)")).measure(("n", "count(amount)"));
        if columns {
            brief = brief.columns(["sold_on.quarter"]);
        }
        if condition {
            brief = brief.filter("amount > 0");
        }
        // Harbours by what they come to.
        brief = brief.tier(TierBrief::new("size", "harbour", "sum(amount)").cuts(["40"]).labels(["small", "large"]));
        let trace = Build::new().threads(threads).trace(&brief, &mut source()).unwrap();
        let crosstab = trace.crosstab();
        let cells: Vec<_> = crosstab.cells().collect();
        if cells.is_empty() {
            return Ok(());
        }
        let cell = which.get(&cells);
        let address = Address::of(crosstab, cell.row(), cell.column());

        let kept = |line: &&Line| !condition || line.amount.is_some_and(|amount| amount > 0);
        let sum_of = |harbour: Option<usize>| {
            let own = lines.iter().filter(kept).filter(|line| line.harbour == harbour);
            own.filter_map(|line| line.amount).sum::<i64>()
        };
        // The quarters and the days on which the next ones begin.
        let quarters = [
            ("2021-Q4", 18_993),
            ("2022-Q1", 19_083),
            ("2022-Q2", 19_174),
            ("2022-Q3", 19_266),
            ("2022-Q4", 19_358),
            ("2023-Q1", 19_448),
        ];
        let quarter =
            |line: &Line| quarters.iter().find(|(_, next)| line.day < *next).map_or("", |(quarter, _)| *quarter);
        let is_in = |line: &Line| {
            address.members().iter().all(|(dimension, member)| match dimension.as_str() {
                "coast" => member == COASTS[line.coast],
                "harbour" => *member == line.harbour.map(|harbour| format!("Harbour {harbour}")).unwrap_or_default(),
                "size" => {
                    // A tier is of members that come to something, and who is none is in none.
                    let own = lines.iter().filter(kept).filter(|other| other.harbour == line.harbour);
                    match line.harbour.and(own.filter_map(|line| line.amount).next()) {
                        None => member.is_empty(),
                        Some(_) => member == if sum_of(line.harbour) >= 40 { "large" } else { "small" },
                    }
                }
                _ => member == quarter(line),
            })
        };
        let mut wanted: Vec<&Line> = lines.iter().filter(kept).filter(|line| is_in(line)).collect();
        // A sort that keeps the order of equals.
        wanted.sort_by(|a, b| {
            let by = |(key, descending): &(usize, bool)| compared(KEYS[*key].1(a), KEYS[*key].1(b), *descending);
            keys.iter().map(by).find(|ordering| ordering.is_ne()).unwrap_or(Ordering::Equal)
        });
        let order = |(key, descending): &(usize, bool)| LineOrder::new(KEYS[*key].0, *descending);
        let behind = LinesBehind::of(address.clone()).order(keys.iter().map(order)).limit(limit);
        let mut found: Vec<(i64, i32, Option<i64>)> = Vec::new();
        let tied = trace
            .lines(&behind, &mut source(), &mut |batch| {
                let whole = |name: &str| batch.column_by_name(name).unwrap().as_primitive::<Int64Type>().clone();
                let (numbers, amounts) = (whole("number"), whole("amount"));
                let days = batch.column_by_name("sold_on").unwrap().as_primitive::<Date32Type>();
                for i in 0..batch.num_rows() {
                    found.push((numbers.value(i), days.value(i), amounts.is_valid(i).then(|| amounts.value(i))));
                }
                Ok(())
            })
            .unwrap();
        let shown = limit.unwrap_or(wanted.len()).min(wanted.len());
        let wanted_rows: Vec<_> = wanted[..shown].iter().map(|line| (line.number, line.day, line.amount)).collect();
        prop_assert_eq!(found, wanted_rows, "{} by {:?}", address, keys);
        prop_assert_eq!((tied.lines(), tied.given()), (wanted.len() as u64, shown as u64));
        prop_assert!(tied.holds());
        prop_assert_eq!(cell.lines(), wanted.len() as u64);
        let amounts: Vec<i64> = wanted.iter().filter_map(|line| line.amount).collect();
        let told = |formula: &str| {
            let told = tied.parts()[0].aggregates().iter().find(|told| told.formula() == formula).unwrap();
            told.of_lines().map(|value| value.as_f64() as i64)
        };
        prop_assert_eq!(told("sum(amount)"), (!amounts.is_empty()).then(|| amounts.iter().sum()));
        prop_assert_eq!(told("count(amount)"), Some(amounts.len() as i64));
    }
}
