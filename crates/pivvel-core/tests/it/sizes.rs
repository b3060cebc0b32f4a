//! Leaf groups of key spaces that are small, large, or grow from one to the other while lines are read,
//! against a plain map over the same lines.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::*;
use chrono::{Datelike, NaiveDate};
use pivvel_core::result::{DatePart, Period};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab};

use crate::support;
use crate::support::{days, numbers};

/// A stream of lines: how many members and days there are, and how they come.
#[derive(Debug, Clone, Copy)]
struct Stream {
    yards: u64,
    days: u64,
    /// In one of so many lines a yard lies on another coast.
    strays: u64,
    in_time: bool,
    /// New yards come all the time rather than at once.
    growing: bool,
    batch: usize,
}

const LINES: u64 = 30_000;
const KEYS: [&str; 2] = ["coast", "yard"];

const FEW: Stream =
    Stream { yards: 40, days: 30, strays: u64::MAX, in_time: true, growing: false, batch: 700 };

/// What comes one after the other; every one differs from the first in what it is named for.
fn streams() -> [(&'static str, Stream); 10] {
    [
        ("few of everything", FEW),
        ("lines in no order", Stream { in_time: false, ..FEW }),
        ("one batch", Stream { batch: LINES as usize, ..FEW }),
        ("many days", Stream { days: 9_000, ..FEW }),
        ("many yards", Stream { yards: 9_000, ..FEW }),
        ("many of both", Stream { yards: 3_000, days: 2_000, ..FEW }),
        ("many of both in no order", Stream { yards: 3_000, days: 2_000, in_time: false, ..FEW }),
        ("yards that lie on another coast at times", Stream { strays: 50, ..FEW }),
        ("yards that lie on two coasts", Stream { strays: 2, ..FEW }),
        ("yards that are ever more", Stream { yards: 5_000, days: 500, growing: true, ..FEW }),
    ]
}

/// Coast, yard and day of a line, and its number.
type Line = (u64, u64, i32, i64);

fn lines(stream: Stream) -> Vec<Line> {
    // The generator SplitMix64 (G. Steele, D. Lea, C. Flood).
    let mut state = 7u64;
    let mut random = |below: u64| {
        state = state.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (state ^ (state >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (mixed ^ (mixed >> 31)) % below
    };
    let line = |number: u64| {
        let known = if stream.growing { 1 + stream.yards * number / LINES } else { stream.yards };
        let yard = random(known);
        let coast = yard % 7 + if random(stream.strays) == 0 { 7 } else { 0 };
        let day = if stream.in_time { stream.days * number / LINES } else { random(stream.days) };
        (coast, yard, 18_000 + day as i32, random(2_000) as i64 - 1_000)
    };
    (0..LINES).map(line).collect()
}

fn batches(lines: &[Line], size: usize) -> Vec<RecordBatch> {
    let batch = |lines: &[Line]| {
        let names = |key: usize, member: fn(&Line) -> u64| -> (&str, ArrayRef) {
            let names = lines.iter().map(|line| Some(format!("{} {}", KEYS[key], member(line))));
            (KEYS[key], Arc::new(names.collect::<StringViewArray>()))
        };
        let days = days(lines.iter().map(|line| Some(line.2)));
        let numbers = numbers(lines.iter().map(|line| Some(line.3)));
        let keys = [names(0, |line| line.0), names(1, |line| line.1), ("day", days), ("number", numbers)];
        support::batch(keys)
    };
    lines.chunks(size).map(batch).collect()
}

/// A part of a day by its name, and the label of the period that a day is in.
type Part = (&'static str, fn(NaiveDate) -> String);

const DAY: Part = ("day", |day| day.to_string());
const YEAR: Part = ("day.year", |day| day.format("%Y").to_string());
const QUARTER: Part = ("day.quarter", |day| format!("{}-Q{}", day.year(), day.month0() / 3 + 1));
const MONTH: Part = ("day.month", |day| day.format("%Y-%m").to_string());
const WEEK: Part = ("day.week", |day| day.format("%G-W%V").to_string());
const QUARTER_OF_YEAR: Part = ("day.quarter_of_year", |day| format!("Q{}", day.month0() / 3 + 1));
const MONTH_OF_YEAR: Part = ("day.month_of_year", |day| day.format("%B").to_string());
const WEEKDAY: Part = ("day.weekday", |day| day.format("%A").to_string());

/// Builds the lines with parts of days as columns, and compares every leaf group.
fn check(name: &str, lines: &[Line], batch: usize, parts: &[Part]) {
    let mut expected: HashMap<Vec<String>, (u64, i64)> = HashMap::new();
    for (coast, yard, day, number) in lines {
        let day = NaiveDate::from_epoch_days(*day).unwrap();
        let mut group = vec![format!("coast {coast}"), format!("yard {yard}")];
        group.extend(parts.iter().map(|(_, label)| label(day)));
        let group = expected.entry(group).or_default();
        *group = (group.0 + 1, group.1 + number);
    }
    for threads in [1, 2] {
        let columns = parts.iter().map(|(part, _)| *part);
        let brief = Brief::new().rows(KEYS).columns(columns).measure(("total", "sum(number)"));
        let batches = batches(lines, batch);
        let mut source = Batches::new(batches[0].schema(), batches);
        let crosstab = Build::new().threads(threads).run(&brief, &mut source).unwrap();
        let mut met = 0;
        for cell in crosstab.cells() {
            let labels =
                [crosstab.rows().labels(cell.row()), crosstab.columns().labels(cell.column())].concat();
            let group: Vec<String> = labels.into_iter().map(str::to_string).collect();
            if group.len() == KEYS.len() + parts.len() {
                let total = cell.value(0).unwrap().to_string().parse().unwrap();
                assert_eq!(expected.get(&group), Some(&(cell.lines(), total)), "{name}: {group:?}");
                met += 1;
            }
        }
        assert_eq!(met, expected.len(), "{name}, {threads} threads");
    }
}

#[test]
fn leaf_groups_are_those_of_a_plain_map() {
    for (name, stream) in streams() {
        check(name, &lines(stream), stream.batch, &[DAY]);
    }
}

#[test]
fn lines_are_in_the_periods_of_the_calendar() {
    let layouts: [&[Part]; 8] = [
        &[YEAR, QUARTER],
        &[YEAR, WEEK],
        &[QUARTER, MONTH],
        &[QUARTER_OF_YEAR],
        &[MONTH_OF_YEAR, YEAR],
        &[WEEKDAY],
        &[WEEK, WEEKDAY],
        &[],
    ];
    // From so few days that most batches lie in one period to so many that none does, and with gaps.
    let streams = [
        ("two months", Stream { days: 60, ..FEW }),
        ("three years", Stream { days: 1_100, batch: 5_000, ..FEW }),
        ("three years in no order", Stream { days: 1_100, in_time: false, ..FEW }),
    ];
    for (name, stream) in streams {
        for gap in [1, 5] {
            let mut lines: Vec<Line> = lines(stream).into_iter().step_by(3).collect();
            lines.iter_mut().for_each(|line| line.2 -= line.2 % gap);
            for parts in layouts {
                check(&format!("{name}, one day in {gap}"), &lines, stream.batch, parts);
            }
        }
    }
}

/// What a period is written as is read back as the same period, and periods of a part stand as the calendar has them.
#[test]
fn periods_are_read_as_they_are_written() {
    for (part, name) in DatePart::ALL {
        let batch = support::batch([("day", days((-400..4_000).map(|day| Some(day * 8 + 3))))]);
        let brief = Brief::new().rows([format!("day.{name}").as_str()]).measure(("lines", "count()"));
        let crosstab = CrossTab::build(&brief, &mut support::source(vec![batch])).unwrap();
        let rows = crosstab.rows();
        let labels =
            rows.entries().iter().filter_map(|entry| Some(rows.path(*entry).first()?.label().to_string()));
        let periods: Vec<Period> = labels
            .map(|label| {
                let period: Period = label.parse().unwrap();
                assert_eq!((period.part(), period.to_string()), (part, label));
                period
            })
            .collect();
        assert!(periods.len() > 3 && periods.is_sorted(), "{name}: {periods:?}");
    }
    for wrong in ["", "2025-Q5", "2025-13", "2025-W54", "2025-02-30", "+2025", "Q0", "Ja"] {
        assert!(wrong.parse::<Period>().is_err(), "{wrong}");
    }
}
