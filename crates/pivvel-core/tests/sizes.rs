//! Leaf groups of key spaces that are small, large, or grow from one to the other while lines are read,
//! against a plain map over the same lines.

#![allow(clippy::unwrap_used)]

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::*;
use pivvel_core::{Axis, Batches, Brief, Run};

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
        let days: ArrayRef = Arc::new(lines.iter().map(|line| Some(line.2)).collect::<Date32Array>());
        let numbers: ArrayRef = Arc::new(lines.iter().map(|line| Some(line.3)).collect::<Int64Array>());
        let keys = [names(0, |line| line.0), names(1, |line| line.1), ("day", days), ("number", numbers)];
        RecordBatch::try_from_iter(keys).unwrap()
    };
    lines.chunks(size).map(batch).collect()
}

#[test]
fn leaf_groups_are_those_of_a_plain_map() {
    for (name, stream) in streams() {
        let lines = lines(stream);
        let mut expected: HashMap<[String; 3], (u64, i64)> = HashMap::new();
        for (coast, yard, day, number) in &lines {
            let day = pivvel_core::Value::Date(*day).to_string();
            let group = expected.entry([format!("coast {coast}"), format!("yard {yard}"), day]).or_default();
            *group = (group.0 + 1, group.1 + number);
        }
        for threads in [1, 2] {
            let brief = Brief::new().rows(KEYS).columns(["day"]).measure(("total", "sum(number)"));
            let batches = batches(&lines, stream.batch);
            let mut source = Batches::new(batches[0].schema(), batches);
            let crosstab = Run::new().threads(threads).build(&brief, &mut source).unwrap();
            let path = |axis: &Axis, entry| -> Vec<String> {
                axis.path(entry).iter().map(|member| member.label().to_string()).collect()
            };
            let mut met = 0;
            for cell in crosstab.cells() {
                let rows = path(crosstab.rows(), cell.row());
                let Ok(group) =
                    <[String; 3]>::try_from([rows, path(crosstab.columns(), cell.column())].concat())
                else {
                    continue;
                };
                let total = cell.value(0).unwrap().to_string().parse().unwrap();
                assert_eq!(expected.get(&group), Some(&(cell.lines(), total)), "{name}: {group:?}");
                met += 1;
            }
            assert_eq!(met, expected.len(), "{name}, {threads} threads");
        }
    }
}
