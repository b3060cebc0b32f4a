//! Cells of every grain against plain loops over the same lines: nested members and others, sums that
//! outgrow 64 bits, and texts that come plain or by dictionaries of one batch or of all.

use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::types::{Int32Type, UInt32Type};
use arrow_array::*;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, numbers};

/// A line: four members, of which 0 is the blank one, a day, and two numbers.
#[derive(Debug, Clone, Copy)]
struct Line {
    members: [usize; 4],
    day: Option<i32>,
    numbers: [Option<i64>; 2],
}

const KEYS: [&str; 4] = ["coast", "harbour", "yard", "berth"];

fn label(key: usize, member: usize) -> String {
    match member {
        0 => String::new(),
        // Some are too long for a view to hold them, and some for a few words.
        member if member.is_multiple_of(8) => {
            format!("{} with a name that is longer still {member}", KEYS[key])
        }
        member if member.is_multiple_of(4) => format!("{} with a long name {member}", KEYS[key]),
        member if member.is_multiple_of(3) => format!("{} of name {member}", KEYS[key]),
        member => format!("{}{member}", &KEYS[key][..1]),
    }
}

fn any_line() -> impl Strategy<Value = Line> {
    let number = prop_oneof![
        6 => (-1_000_000..1_000_000i64).prop_map(Some),
        2 => prop_oneof![Just(i64::MAX), Just(i64::MIN), Just(-1), Just(i64::MAX / 2)].prop_map(Some),
        1 => Just(None),
    ];
    let day = prop_oneof![
        9 => (18_000..19_000i32).prop_map(Some),
        // Before and behind what has a place in the table of days.
        1 => prop_oneof![Just(Some(-60_000)), Just(Some(90_000)), Just(Some(-1)), Just(None)],
    ];
    let members = (0..5usize, 0..9usize, 0..30usize, 0..39usize).prop_map(|(a, b, c, d)| [a, b, c, d]);
    (members, day, [number.clone(), number]).prop_map(|(members, day, numbers)| Line {
        members,
        day,
        numbers,
    })
}

/// How the texts of a batch come.
#[derive(Debug, Clone, Copy)]
enum Form {
    Views,
    /// One dictionary for all batches, with entries that no line has.
    Shared,
    /// A dictionary of the batch's own, in an order of its own.
    Own,
}

fn texts(lines: &[Line], key: usize, form: Form, shared: &ArrayRef) -> ArrayRef {
    let labels = || lines.iter().map(|line| Some(label(key, line.members[key])).filter(|l| !l.is_empty()));
    match form {
        Form::Views => Arc::new(labels().collect::<StringViewArray>()),
        Form::Shared => {
            let keys: UInt32Array = lines.iter().map(|line| Some(line.members[key] as u32)).collect();
            Arc::new(DictionaryArray::<UInt32Type>::new(keys, shared.clone()))
        }
        Form::Own => {
            let labels: Vec<Option<String>> = labels().collect();
            Arc::new(labels.iter().map(Option::as_deref).collect::<DictionaryArray<Int32Type>>())
        }
    }
}

fn batches(lines: &[Line], form: Form, size: usize) -> Vec<RecordBatch> {
    let shared: Vec<ArrayRef> =
        (0..4).map(|key| support::texts((0..40).map(|m| Some(label(key, m))))).collect();
    let batch = |lines: &[Line]| {
        let texts = (0..4).map(|key| (KEYS[key], texts(lines, key, form, &shared[key])));
        let day = days(lines.iter().map(|line| line.day));
        let numbers = (0..2).map(|i| (["x", "y"][i], numbers(lines.iter().map(|line| line.numbers[i]))));
        support::batch(texts.chain([("day", day)]).chain(numbers))
    };
    lines.chunks(size).map(batch).collect()
}

/// Every figure of a cell: lines, sum of x, sum of y, count of x, highest y.
type Figures = (u64, i128, i128, u64, Option<i64>);
type Path = Vec<String>;

/// The cells of all grains by plain loops. A sum of nothing counts as zero here.
fn expected(lines: &[Line], rows: &[&str], columns: &[&str]) -> BTreeMap<(Path, Path), Figures> {
    let member = |line: &Line, key: &str| match (key, line.day) {
        ("day" | "day.year", None) => String::new(),
        ("day", Some(day)) => pivvel_core::Value::Date(day).to_string(),
        ("day.year", Some(day)) => {
            let date = pivvel_core::Value::Date(day).to_string();
            date[..date.len() - 6].to_string()
        }
        _ => {
            let key = KEYS.iter().position(|known| *known == key).unwrap();
            label(key, line.members[key])
        }
    };
    let mut cells: BTreeMap<(Path, Path), Figures> = BTreeMap::new();
    for line in lines {
        let path = |keys: &[&str]| keys.iter().map(|key| member(line, key)).collect::<Path>();
        let (row, column) = (path(rows), path(columns));
        for r in 0..=row.len() {
            for c in 0..=column.len() {
                let cell = cells.entry((row[..r].to_vec(), column[..c].to_vec())).or_default();
                cell.0 += 1;
                cell.1 += i128::from(line.numbers[0].unwrap_or(0));
                cell.2 += i128::from(line.numbers[1].unwrap_or(0));
                cell.3 += u64::from(line.numbers[0].is_some());
                cell.4 = cell.4.max(line.numbers[1]);
            }
        }
    }
    cells
}

fn found(
    batches: Vec<RecordBatch>,
    (rows, columns): (&[&str], &[&str]),
    threads: usize,
) -> BTreeMap<(Path, Path), Figures> {
    let brief = Brief::new()
        .rows(rows.iter().copied())
        .columns(columns.iter().copied())
        .measure(("x", "sum(x)"))
        .measure(("y", "sum(y)"))
        .measure(("xs", "count(x)"))
        .measure(("highest", "max(y)"));
    let mut source = Batches::new(batches[0].schema(), batches);
    let crosstab = Build::new().threads(threads).run(&brief, &mut source).unwrap();
    let cell = |cell: pivvel_core::result::Cell<'_>| {
        let path = |labels: Vec<&str>| -> Path { labels.into_iter().map(str::to_string).collect() };
        let number = |i| cell.value(i).map(|value| value.to_string().parse::<i128>().unwrap());
        let figures = (
            cell.lines(),
            number(0).unwrap_or(0),
            number(1).unwrap_or(0),
            number(2).unwrap_or(0) as u64,
            number(3).map(|highest| highest as i64),
        );
        ((path(crosstab.rows().labels(cell.row())), path(crosstab.columns().labels(cell.column()))), figures)
    };
    crosstab.cells().map(cell).collect()
}

const LAYOUTS: [(&[&str], &[&str]); 14] = [
    (&["coast", "harbour", "yard"], &["day.year"]),
    (&["yard", "coast"], &["day.year", "day"]),
    (&["day.year", "day"], &["harbour"]),
    (&["day.year", "day", "coast"], &[]),
    (&["coast", "day.year", "yard", "harbour"], &[]),
    (&["coast", "harbour"], &["yard"]),
    (&[], &["day", "yard"]),
    (&["yard"], &["coast", "harbour"]),
    (&["coast", "harbour", "yard"], &[]),
    (&["coast", "harbour", "yard"], &["day"]),
    (&["coast", "harbour", "yard", "berth"], &["day.year"]),
    (&["coast", "harbour", "yard", "berth"], &["day.year", "day"]),
    (&["yard", "coast", "berth", "harbour", "day.year"], &[]),
    (&["berth"], &["day.year"]),
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]

    #[test]
    fn cells_are_those_of_plain_loops(
        lines in proptest::collection::vec(any_line(), 1..400),
        (nested, in_time, full) in any::<(bool, bool, bool)>(),
        form in prop_oneof![Just(Form::Views), Just(Form::Shared), Just(Form::Own)],
        (size, times, threads) in (1..90usize, prop_oneof![6 => Just(1usize), 1 => Just(50usize)], 1..4usize),
        layout in 0..LAYOUTS.len(),
    ) {
        let mut lines = lines;
        if nested {
            lines.iter_mut().for_each(|Line { members: [coast, harbour, yard, berth], .. }| {
                (*coast, *harbour, *yard) = (*berth % 3, *berth % 9, *berth % 27);
            });
        }
        if full {
            lines.iter_mut().flat_map(|line| &mut line.numbers).for_each(|number| *number = number.or(Some(0)));
            lines.iter_mut().for_each(|line| line.day = line.day.or(Some(18_500)));
        }
        // Many times the same, in batches that are larger than what is taken at once.
        let (mut many, size) = (lines.repeat(times), size * times * times);
        if in_time {
            many.sort_by_key(|line| line.day);
        }
        let (rows, columns) = LAYOUTS[layout];
        let found = found(batches(&many, form, size), (rows, columns), threads);
        prop_assert_eq!(found, expected(&many, rows, columns));
    }
}
