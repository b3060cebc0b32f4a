//! Cells that no line falls into, because a brief fills a dimension.

use std::collections::{BTreeMap, BTreeSet};

use pivvel_core::brief::{EmphasisBrief, FillBrief, Filled, FilledCells, Form, MeasureBrief};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab, Value};
use proptest::prelude::*;

use crate::support::{batch, days, numbers, source, texts};

const COASTS: [Option<&str>; 3] = [Some("Fell"), Some("Skerry"), None];
const HARBOURS: [&str; 4] = ["Quay", "Haven", "Holm", "Skarn"];

/// Coast, harbour, day from 2024-01-01, amount.
type Line = (usize, usize, Option<i32>, i64);

fn lines(lines: &[Line]) -> Batches<std::vec::IntoIter<arrow_array::RecordBatch>> {
    source(vec![batch([
        ("coast", texts(lines.iter().map(|line| COASTS[line.0]))),
        ("harbour", texts(lines.iter().map(|line| Some(HARBOURS[line.1])))),
        ("sold_on", days(lines.iter().map(|line| line.2.map(|day| 19_723 + day)))),
        ("amount", numbers(lines.iter().map(|line| Some(line.3)))),
    ])])
}

const FILLS: [&[&[&str]]; 6] = [
    &[&["sold_on.month"]],
    &[&["harbour"]],
    &[&["coast", "harbour"], &["sold_on.year"]],
    &[&["coast"], &["harbour"], &["sold_on.month"]],
    &[&["coast", "harbour"]],
    // The year goes with its month.
    &[&["harbour", "sold_on.month"]],
];

fn brief(fill: &[&[&str]]) -> Brief {
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["sold_on.year", "sold_on.month"])
        .measure(("sales", "sum(amount)"))
        .measure(("lines", "count()"))
        .measure(("mean", "mean(amount)"))
        .measure(("ratio", "sales / lines"));
    fill.iter().fold(brief, |brief, of| brief.fill(FillBrief::together(of.iter().copied())))
}

/// The members of every leaf cell, with its values.
fn leaves(crosstab: &CrossTab) -> BTreeMap<Vec<String>, Vec<Option<Value>>> {
    let deepest =
        |cell: &pivvel_core::result::Cell<'_>| cell.row().level() == 2 && cell.column().level() == 2;
    let labels = |cell: &pivvel_core::result::Cell<'_>| {
        let all = [crosstab.rows().labels(cell.row()), crosstab.columns().labels(cell.column())].concat();
        all.into_iter().map(str::to_string).collect()
    };
    let values = |cell: &pivvel_core::result::Cell<'_>| (0..4).map(|measure| cell.value(measure)).collect();
    crosstab.cells().filter(deepest).map(|cell| (labels(&cell), values(&cell))).collect()
}

/// The month of a day in the years of the test, which are counted from 2024-01.
fn month(day: i32) -> usize {
    let ends = [31, 60, 91, 121, 152, 182, 213, 244, 274, 305, 335, 366];
    let (year, of_year) = if day < 366 { (0, day) } else { (1, day - 366 + 1) };
    year * 12 + ends.iter().filter(|end| of_year >= **end).count()
}

fn month_labels(month: usize) -> Vec<String> {
    let (year, of_year) = (2024 + month / 12, month % 12 + 1);
    vec![year.to_string(), format!("{year}-{of_year:02}")]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(30))]

    /// What is filled has a cell with whatever else occurs, found here by hand; cells of lines and all totals keep
    /// their values.
    #[test]
    fn every_combination_has_its_cell(
        all in proptest::collection::vec(
            (0..3_usize, 0..4_usize, proptest::option::weighted(0.9, 0..700_i32), 1..9_i64), 1..25),
        which in 0..6_usize,
    ) {
        let fill = FILLS[which];
        let without = CrossTab::build(&brief(&[]), &mut lines(&all)).unwrap();
        let with = CrossTab::build(&brief(fill), &mut lines(&all)).unwrap();
        let (own, filled) = (leaves(&without), leaves(&with));

        let months: Vec<usize> = all.iter().filter_map(|line| line.2).map(month).collect();
        let span = months.iter().min().zip(months.iter().max()).map(|(first, last)| *first..=*last);
        let mut calendar: BTreeSet<Vec<String>> = span.into_iter().flatten().map(month_labels).collect();
        let met: BTreeSet<Vec<String>> = own.keys().map(|cell| cell[2..].to_vec()).collect();
        calendar.extend(met.iter().filter(|date| date[0].is_empty()).cloned());
        let places: BTreeSet<Vec<String>> = own.keys().map(|cell| cell[..2].to_vec()).collect();
        let part = |place: usize| -> BTreeSet<String> { own.keys().map(|cell| cell[place].clone()).collect() };
        let mut wanted: BTreeSet<Vec<String>> = own.keys().cloned().collect();
        let mut add = |place: &[&String], date: &[String]| {
            wanted.insert(place.iter().map(|label| (*label).clone()).chain(date.iter().cloned()).collect())
        };
        match which {
            0 | 2 => places.iter().for_each(|place| calendar.iter().for_each(|date| {
                add(&[&place[0], &place[1]], date);
            })),
            1 => own.keys().for_each(|cell| part(1).iter().for_each(|harbour| {
                add(&[&cell[0], harbour], &cell[2..]);
            })),
            3 => part(0).iter().for_each(|coast| part(1).iter().for_each(|harbour| {
                calendar.iter().for_each(|date| { add(&[coast, harbour], date); });
            })),
            5 => part(0).iter().for_each(|coast| own.keys().for_each(|cell| {
                add(&[coast, &cell[1]], &cell[2..]);
            })),
            _ => places.iter().for_each(|place| met.iter().for_each(|date| {
                add(&[&place[0], &place[1]], date);
            })),
        }
        prop_assert_eq!(filled.keys().cloned().collect::<BTreeSet<_>>(), wanted);
        for (cell, values) in &filled {
            let zero = Some(Value::from(0));
            let wanted = own.get(cell).cloned().unwrap_or_else(|| vec![zero, zero, None, None]);
            prop_assert_eq!(values, &wanted, "{:?}", cell);
        }
        for total in without.cells().filter(|cell| cell.row().is_total() || cell.column().is_total()) {
            let rows = without.rows().labels(total.row());
            let columns = without.columns().labels(total.column());
            let same = with.find(&rows, &columns).unwrap().unwrap();
            for measure in 0..4 {
                prop_assert_eq!(same.value(measure), total.value(measure), "{:?} {:?}", rows, columns);
            }
        }
        // Division by zero is not reported where nothing was divided.
        prop_assert_eq!(with.report().zero_cells(), 0);
    }

    /// However the lines come, the bytes are the same.
    #[test]
    fn filling_does_not_depend_on_threads(
        all in proptest::collection::vec(
            (0..3_usize, 0..4_usize, proptest::option::weighted(0.9, 0..700_i32), 1..9_i64), 1..40),
    ) {
        let brief = brief(&[&["coast"], &["sold_on.month"]]);
        let one = Build::new().threads(1).run(&brief, &mut lines(&all)).unwrap();
        let mut parts = Build::new();
        parts = parts.threads(4);
        let halves = all.split_at(all.len() / 2);
        let kept: Vec<_> =
            [halves.0, halves.1].into_iter().filter(|half| !half.is_empty())
                .map(|half| parts.groups(&brief, &mut lines(half)).unwrap()).collect();
        let merged = parts.from_groups(&brief, &kept).unwrap();
        prop_assert_eq!(leaves(&one), leaves(&merged));
    }
}

#[test]
fn a_measure_says_zero_or_blank_and_a_scale_counts_the_cells_or_not() {
    let all = [(0, 0, Some(10), 4), (0, 1, Some(200), 6), (1, 2, Some(10), 2)];
    let measured = |fill: Option<Filled>| {
        let most = MeasureBrief::new("most", "max(amount)");
        let most = fill.into_iter().fold(most, MeasureBrief::fill);
        Brief::new().rows(["harbour"]).columns(["sold_on.quarter"]).measure(most).fill("sold_on.quarter")
    };
    for (fill, wanted) in [(None, None), (Some(Filled::Blank), None), (Some(Filled::Zero), Some(0))] {
        let crosstab = CrossTab::build(&measured(fill), &mut lines(&all)).unwrap();
        assert_eq!(crosstab.value(&["Quay"], &["2024-Q2"], "most"), wanted.map(Value::from), "{fill:?}");
        assert_eq!(crosstab.find(&["Quay"], &["2024-Q2"]).unwrap().unwrap().lines(), 0);
    }
    let blank = MeasureBrief::new("lines", "count()").fill(Filled::Blank);
    let brief =
        Brief::new().rows(["harbour"]).columns(["sold_on.quarter"]).measure(blank).fill("sold_on.quarter");
    let crosstab = CrossTab::build(&brief, &mut lines(&all)).unwrap();
    assert_eq!(crosstab.value(&["Quay"], &["2024-Q2"], "lines"), None);

    let tinted = |filled: FilledCells| {
        let brief =
            measured(Some(Filled::Zero)).emphasize(EmphasisBrief::new("most", Form::Tint).filled(filled));
        let crosstab = CrossTab::build(&brief, &mut lines(&all)).unwrap();
        let cell = crosstab.find(&["Quay"], &["2024-Q1"]).unwrap().unwrap();
        let (low, count) = cell.yardstick(0).map(|yardstick| (yardstick.low(), yardstick.count())).unwrap();
        let empty = crosstab.find(&["Quay"], &["2024-Q2"]).unwrap().unwrap();
        (low.to_string(), count, empty.position(0), empty.rank(0))
    };
    assert_eq!(tinted(FilledCells::Peers), ("0".into(), 9, Some(0.0), Some(4)));
    assert_eq!(tinted(FilledCells::Apart), ("2".into(), 3, None, None));
}

#[test]
fn parts_that_come_round_again_are_filled_with_all_of_them() {
    let all = [(0, 0, Some(10), 4)];
    let count = |columns: &[&str], fill: &str| {
        let brief = Brief::new().columns(columns.iter().copied()).measure(("n", "count()")).fill(fill);
        let crosstab = CrossTab::build(&brief, &mut lines(&all)).unwrap();
        crosstab.columns().entries().iter().filter(|entry| entry.level() == columns.len()).count()
    };
    assert_eq!(count(&["sold_on.weekday"], "sold_on.weekday"), 7);
    assert_eq!(count(&["sold_on.month_of_year"], "sold_on.month_of_year"), 12);
    assert_eq!(count(&["sold_on.quarter_of_year", "sold_on.month_of_year"], "sold_on.quarter_of_year"), 12);
    assert_eq!(count(&["sold_on.month_of_year", "sold_on.weekday"], "sold_on.weekday"), 84);
    // Within a year they are those of its days.
    assert_eq!(count(&["sold_on.year", "sold_on.quarter_of_year"], "sold_on.year"), 4);
    assert_eq!(count(&["sold_on.quarter", "sold_on.month"], "sold_on.quarter"), 1);
}

#[test]
fn what_cannot_be_filled_is_an_error_or_a_notice() {
    let all = [(0, 0, Some(10), 4), (1, 1, Some(20), 4)];
    let base = || Brief::new().rows(["coast"]).columns(["sold_on.month"]).measure(("n", "count()"));
    let wrong = |brief: Brief, fill: FillBrief| {
        CrossTab::build(&brief.fill(fill), &mut lines(&all)).unwrap_err().to_string()
    };
    let month = || FillBrief::new("sold_on.month");
    let cases = [
        (FillBrief::new("coats"), r#"unknown dimension of the layout "coats"; did you mean "coast"?"#),
        (month().members(["2024-01"]), "a date has no list of members; say the first and the last"),
        (month().first("soon"), "soon: this is no year, quarter, month, week or day"),
        (month().first("Monday"), "Monday comes round again"),
        (month().first("2024-03").last("2024-01"), "the first comes after the last"),
        (FillBrief::new("coast").last("2024"), "only a date that is filled by itself has a first and a last"),
        (
            FillBrief::together(["coast", "sold_on.month"]).members(["Fell"]),
            "only one dimension has a list of members",
        ),
        (FillBrief::new("coast").related("areas"), r#"unknown related table "areas""#),
    ];
    for (fill, wanted) in cases {
        let found = wrong(base(), fill);
        assert!(found.contains(wanted), "{found}\nwanted {wanted}");
    }
    let days =
        wrong(base().columns(["sold_on.day"]), FillBrief::new("sold_on.day").first("0001").last("9999"));
    assert!(days.contains("sold_on.day has 3,652,059, and the other dimensions have 2"), "{days}");
    let twice = base().fill("coast").fill(FillBrief::together(["coast", "sold_on.month"]));
    assert!(
        CrossTab::build(&twice, &mut lines(&all)).unwrap_err().to_string().contains("coast is filled twice")
    );
    // Of several dimensions those that are here are filled.
    let part = base().fill(FillBrief::together(["harbour", "coast"]).related("no"));
    assert!(CrossTab::build(&part, &mut lines(&all)).is_err());
    let part =
        CrossTab::build(&base().fill(FillBrief::together(["harbour", "coast"])), &mut lines(&all)).unwrap();
    assert_eq!(part.value(&["Skerry"], &["2024-01"], "n"), Some(1.into()));
    assert!(part.notices().iter().any(|notice| notice.text().contains("fill of harbour")));
    let gone = CrossTab::build(&base().fill("harbour"), &mut lines(&all)).unwrap();
    let notices: Vec<String> = gone.notices().iter().map(|notice| notice.to_string()).collect();
    assert!(
        notices.iter().any(|notice| notice.contains("fill of harbour: it is not in the layout")),
        "{notices:?}"
    );
}
