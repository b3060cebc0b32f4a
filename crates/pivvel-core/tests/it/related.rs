//! Related cells, groups of cells and sequences against plain loops over the cells, at every level.

use std::collections::BTreeMap;

use arrow_array::{ArrayRef, RecordBatch};
use pivvel_core::brief::MeasureBrief;
use pivvel_core::result::MemberRef;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, numbers, texts};

type Path = Vec<String>;

/// Sums by the paths of row and column.
type Cells = BTreeMap<(Path, Path), i64>;

const COASTS: [&str; 3] = ["Fell", "Isle", "Marram"];
/// The days of a year on which the quarters begin, and how long these are.
const QUARTERS: [(i32, i32); 4] = [(0, 90), (90, 91), (181, 92), (273, 92)];
/// The first day of 2021, which is no leap year, nor are the two after it.
const FIRST: i32 = 18_628;

/// A line: coast, harbour, year, quarter, day in it and amount.
type Line = (usize, usize, usize, usize, i32, i64);

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let line = (0..COASTS.len(), 0..3usize, 0..3usize, 0..4usize, 0..90i32, -50..100i64);
    prop::collection::vec(line, 1..60)
}

fn harbour(coast: usize, harbour: usize) -> String {
    // One name stands under every coast.
    if harbour == 0 { "Quay".into() } else { format!("{}{harbour}", &COASTS[coast][..1]) }
}

fn batch(lines: &[Line]) -> RecordBatch {
    let day =
        |line: &Line| FIRST + 365 * line.2 as i32 + QUARTERS[line.3].0 + line.4.min(QUARTERS[line.3].1 - 1);
    let columns: [(&str, ArrayRef); 4] = [
        ("coast", texts(lines.iter().map(|line| Some(COASTS[line.0])))),
        ("harbour", texts(lines.iter().map(|line| Some(harbour(line.0, line.1))))),
        ("sold_on", days(lines.iter().map(|line| Some(day(line))))),
        ("amount", numbers(lines.iter().map(|line| Some(line.5)))),
    ];
    support::batch(columns)
}

/// The cells of every grain.
fn cells(lines: &[Line]) -> Cells {
    let mut cells = Cells::new();
    for line in lines {
        let row = [COASTS[line.0].to_string(), harbour(line.0, line.1)];
        let (year, quarter) = (2021 + line.2, line.3 + 1);
        let column = [year.to_string(), format!("{year}-Q{quarter}")];
        for r in 0..=2 {
            for c in 0..=2 {
                *cells.entry((row[..r].to_vec(), column[..c].to_vec())).or_default() += line.5;
            }
        }
    }
    cells
}

/// A measure and what it is by plain means; nothing where it is blank.
type Measure = (&'static str, fn(&Cells, &Path, &Path) -> Option<f64>);

fn at(cells: &Cells, row: &[String], column: &[String]) -> Option<f64> {
    cells.get(&(row.to_vec(), column.to_vec())).map(|sum| *sum as f64)
}

/// A quarter's label so many quarters on, and its year's.
fn moved(quarter: &str, by: i32) -> Path {
    let (year, number) = quarter.split_once("-Q").unwrap();
    let months = year.parse::<i32>().unwrap() * 4 + number.parse::<i32>().unwrap() - 1 + by;
    let year = months.div_euclid(4);
    vec![year.to_string(), format!("{year}-Q{}", months.rem_euclid(4) + 1)]
}

/// The values of cells of the same grain for which something holds.
fn group(cells: &Cells, row: &Path, column: &Path, holds: impl Fn(&Path, &Path) -> bool) -> Vec<f64> {
    let same = |r: &Path, c: &Path| r.len() == row.len() && c.len() == column.len() && holds(r, c);
    cells.iter().filter(|((r, c), _)| same(r, c)).map(|(_, sum)| *sum as f64).collect()
}

fn siblings(cells: &Cells, row: &Path, column: &Path) -> Vec<f64> {
    let parent = |path: &Path| path.split_last().map(|(_, parent)| parent.to_vec());
    group(cells, row, column, |r, c| c == column && parent(r) == parent(row))
}

/// The rank of a value among others, highest first.
fn rank(value: f64, others: &[f64]) -> f64 {
    1.0 + others.iter().filter(|other| **other > value).count() as f64
}

const MEASURES: [Measure; 19] = [
    ("sales at parent", |cells, row, column| at(cells, row.split_last()?.1, column)),
    ("sales at column parent", |cells, row, column| at(cells, row, column.split_last()?.1)),
    ("sales at row total", |cells, row, _| at(cells, row, &[])),
    ("sales at column total", |cells, _, column| at(cells, &[], column)),
    ("sales at grand total", |cells, _, _| at(cells, &[], &[])),
    ("sales at level coast", |cells, row, column| at(cells, row.get(..1)?, column)),
    ("sales at parent at column parent", |cells, row, column| {
        at(cells, row.split_last()?.1, column.split_last()?.1)
    }),
    ("sales at previous quarter", |cells, row, column| at(cells, row, &moved(column.get(1)?, -1))),
    ("sales at next quarter", |cells, row, column| at(cells, row, &moved(column.get(1)?, 1))),
    ("sales at same quarter previous year", |cells, row, column| at(cells, row, &moved(column.get(1)?, -4))),
    ("sum(sales among siblings)", |cells, row, column| Some(siblings(cells, row, column).iter().sum())),
    ("max(sales among row)", |cells, row, column| {
        group(cells, row, column, |r, _| r == row).into_iter().reduce(f64::max)
    }),
    ("min(sales among column)", |cells, row, column| {
        group(cells, row, column, |_, c| c == column).into_iter().reduce(f64::min)
    }),
    ("count(sales among level)", |cells, row, column| {
        Some(group(cells, row, column, |_, _| true).len() as f64)
    }),
    ("rank(sales)", |cells, row, column| Some(rank(at(cells, row, column)?, &siblings(cells, row, column)))),
    ("rank(sales among level)", |cells, row, column| {
        Some(rank(at(cells, row, column)?, &group(cells, row, column, |_, _| true)))
    }),
    ("percent_rank(sales among column)", |cells, row, column| {
        let all = group(cells, row, column, |_, c| c == column);
        let place = rank(at(cells, row, column)?, &all) - 1.0;
        Some(if all.len() == 1 { 0.0 } else { place / (all.len() as f64 - 1.0) })
    }),
    ("running(sales along sold_on.quarter)", |cells, row, column| {
        let own = column.get(1)?;
        Some(group(cells, row, column, |r, c| r == row && c[0] == column[0] && c[1] <= *own).iter().sum())
    }),
    ("running(sales along sold_on.quarter throughout)", |cells, row, column| {
        let own = column.get(1)?;
        Some(group(cells, row, column, |r, c| r == row && c[1] <= *own).iter().sum())
    }),
];

/// A formula at related cells is not computed at a grain where no cell is related to another, and its divisions by
/// zero there do not count.
#[test]
fn what_no_cell_is_related_to_divides_nothing() {
    let columns: [(&str, ArrayRef); 3] = [
        ("coast", texts(["Fell", "Isle"].map(Some))),
        ("sold_on", days([FIRST, FIRST + 40].map(Some))),
        ("amount", numbers([5, 0].map(Some))),
    ];
    let brief = Brief::new()
        .rows(["coast"])
        .columns(["sold_on.month"])
        .measure(("before", "(10 / sum(amount)) at previous month"));
    let crosstab = CrossTab::build(&brief, &mut support::source(vec![support::batch(columns)])).unwrap();
    assert_eq!(crosstab.value(&[], &["2021-02"], "before").map(|value| value.as_f64()), Some(2.0));
    assert_eq!(crosstab.value(&["Isle"], &["2021-02"], "before"), None);
    // February's total, which is at the grain of the first of these cells.
    assert_eq!(crosstab.report().zero_cells(), 1);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn every_relation_at_every_level(lines in lines(), swapped: bool) {
        let batch = batch(&lines);
        let mut brief = Brief::new()
            .rows(["coast", "harbour"])
            .columns(["sold_on.year", "sold_on.quarter"])
            .measure(("sales", "sum(amount)"));
        for (i, (formula, _)) in MEASURES.iter().enumerate() {
            brief = brief.measure((format!("m{i}").as_str(), *formula));
        }
        // What is on the rows may be on the columns: then what is said of rows is said of columns.
        let turned = |formula: &str| {
            let words = [
                ("column parent", "#1"), ("parent", "column parent"), ("#1", "parent"),
                ("row total", "#2"), ("column total", "row total"), ("#2", "column total"),
                ("among column)", "#3"), ("among row)", "among column)"), ("#3", "among row)"),
                ("among siblings", "among column siblings"), ("rank(sales)", "rank(sales among column siblings)"),
            ];
            words.iter().fold(formula.to_string(), |formula, (from, to)| formula.replace(from, to))
        };
        if swapped {
            let (rows, columns) = (brief.get_rows().to_vec(), brief.get_columns().to_vec());
            let of = |own: &MeasureBrief| MeasureBrief::new(own.get_name(), turned(own.get_formula().as_str()));
            let measures: Vec<MeasureBrief> = brief.get_measures().iter().map(of).collect();
            brief = brief.rows(columns).columns(rows).measures(measures);
        }
        let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch])).unwrap();
        let cells = cells(&lines);
        let labels = |path: Vec<MemberRef<'_>>| -> Path { path.iter().map(|m| m.label().to_string()).collect() };
        let mut met = 0;
        for cell in crosstab.cells() {
            let mut row = labels(crosstab.rows().path(cell.row()));
            let mut column = labels(crosstab.columns().path(cell.column()));
            if swapped {
                std::mem::swap(&mut row, &mut column);
            }
            prop_assert_eq!(cell.value(0).map(|value| value.as_f64()), at(&cells, &row, &column));
            for (i, (formula, plain)) in MEASURES.iter().enumerate() {
                let (found, wanted) = (cell.value(i + 1).map(|value| value.as_f64()), plain(&cells, &row, &column));
                let equal = match (found, wanted) {
                    (Some(found), Some(wanted)) => (found - wanted).abs() < 1e-9,
                    (found, wanted) => found == wanted,
                };
                prop_assert!(equal, "{formula} at {row:?} by {column:?}: {found:?}, wanted {wanted:?}");
            }
            met += 1;
        }
        prop_assert_eq!(met, cells.len());
    }
}
