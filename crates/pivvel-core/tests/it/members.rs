//! Members of any number, length and width: their order, and their merging from several scans.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch, StringViewArray};
use pivvel_core::{Brief, Build, CrossTab, Decimal};
use proptest::prelude::*;

use crate::support::{batch, decimals, numbers, source, texts};

fn in_order(crosstab: &CrossTab) -> Vec<String> {
    let members = crosstab.rows().members(0);
    members.in_order().map(|id| members.label(id).to_string()).collect()
}

/// The members of two batches in order: by one thread, by several, and of groups that are merged. Counts must agree.
fn merged(first: &RecordBatch, second: &RecordBatch, dimension: &str) -> [Vec<String>; 3] {
    let brief = Brief::new().rows([dimension]).measure(("lines", "count()"));
    let both = || source(vec![first.clone(), second.clone()]);
    let groups = |part: &RecordBatch| Build::new().groups(&brief, &mut source(vec![part.clone()])).unwrap();
    let ways = [
        Build::new().threads(1).run(&brief, &mut both()),
        Build::new().threads(3).run(&brief, &mut both()),
        Build::new().from_groups(&brief, &[groups(first), groups(second)]),
    ];
    let ways = ways.map(|crosstab| crosstab.unwrap());
    for label in in_order(&ways[0]) {
        let [one, several, merged] =
            ways.each_ref().map(|crosstab| crosstab.value(&[label.as_str()], &[], "lines"));
        assert_eq!((&one, &one), (&several, &merged), "{label}");
    }
    ways.each_ref().map(in_order)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Texts stand in the order of their lower case, whatever they begin with.
    #[test]
    fn texts_are_in_order(
        prefix in prop::sample::select(vec!["", "B", "Boatyard ", "boatYARD ", "ÄRGER ", "İzmir ", "ﬁ"]),
        rest in prop::collection::vec("[a-cA-CäÄ0-9 ]{0,12}", 1..40),
    ) {
        let all: BTreeSet<String> = rest.iter().map(|rest| format!("{prefix}{rest}x")).collect();
        let mut wanted: Vec<String> = all.iter().cloned().collect();
        wanted.sort_by_key(|text| (text.to_lowercase(), text.clone()));
        let lines = batch([("yard", texts(all.iter().rev().map(Some)))]);
        let brief = Brief::new().rows(["yard"]).measure(("lines", "count()"));
        prop_assert_eq!(in_order(&CrossTab::build(&brief, &mut source(vec![lines])).unwrap()), wanted);
    }

    /// Whole numbers that rise, fall, lie close together or far apart, up to the ends of 64 bits, are told apart and counted.
    #[test]
    fn whole_numbers_wherever_they_lie(
        runs in prop::collection::vec(
            (
                prop_oneof![
                    4 => -9_000..9_000i64,
                    1 => any::<i64>(),
                    1 => prop::sample::select(vec![i64::MIN, i64::MIN + 3, i64::MAX - 3, i64::MAX]),
                ],
                prop::sample::select(vec![1, -1, 2, -3, 7, 1_000, -70_000, 1 << 40]),
                1..3_000i64,
            ),
            1..6,
        ),
        threads in 1..4usize,
    ) {
        let run = |(from, step, count): &(i64, i64, i64)| {
            (0..*count).map(|at| from.saturating_add(step * at)).collect::<Vec<i64>>()
        };
        let runs: Vec<Vec<i64>> = runs.iter().map(run).collect();
        let mut wanted: BTreeMap<i64, u64> = BTreeMap::new();
        runs.iter().flatten().for_each(|number| *wanted.entry(*number).or_default() += 1);
        let batches = runs.iter().flat_map(|run| run.chunks(1_000));
        let batches = batches.map(|run| batch([("order", numbers(run.iter().copied().map(Some)))]));
        let brief = Brief::new().rows(["order"]).measure(("lines", "count()"));
        let crosstab = Build::new().threads(threads).run(&brief, &mut source(batches.collect())).unwrap();
        let found: Vec<(String, u64)> = (crosstab.level("order", "total").unwrap())
            .map(|cell| (cell.label("order").unwrap().unwrap().to_string(), cell.lines()))
            .collect();
        let wanted: Vec<(String, u64)> = wanted.into_iter().map(|(number, lines)| (number.to_string(), lines)).collect();
        prop_assert_eq!(found, wanted);
    }

    /// Numbers within and beyond 64 bits, and blanks among them, are the same members whoever met them first.
    #[test]
    fn numbers_of_any_width_are_merged(
        all in prop::collection::vec(
            prop_oneof![
                4 => (-20..20i128).prop_map(Some),
                1 => prop::sample::select(vec![
                    Some(i128::from(i64::MAX)), Some(i128::from(i64::MAX) + 1), Some(i128::from(i64::MIN) - 1), Some(10i128.pow(30)), None
                ]),
            ],
            1..60,
        ),
        cut in 0..60usize,
    ) {
        let (first, second) = all.split_at(cut.min(all.len()));
        let lines = |part: &[Option<i128>]| batch([("size", decimals(2, part.iter().copied()))]);
        let mut wanted: Vec<i128> = all.iter().flatten().copied().collect();
        wanted.sort_unstable();
        wanted.dedup();
        let blank = all.contains(&None).then(String::new);
        let wanted: Vec<String> =
            wanted.into_iter().map(|digits| Decimal::new(digits, 2).to_string()).chain(blank).collect();
        let ways = merged(&lines(first), &lines(second), "size");
        prop_assert!(ways.iter().all(|way| *way == wanted), "{ways:?}");
    }

    /// So are texts of any length, as they are or as views, and each has its lines.
    #[test]
    fn texts_of_any_length_are_merged(
        all in prop::collection::vec((prop::sample::select(vec!['a', 'b', 'ä']), 0..40usize), 1..300),
        cut in 0..300usize,
        as_views: bool,
    ) {
        let all: Vec<String> = all.into_iter().map(|(letter, length)| letter.to_string().repeat(length)).collect();
        let (first, second) = all.split_at(cut.min(all.len()));
        let lines = |part: &[String]| {
            let views = || Arc::new(StringViewArray::from_iter_values(part)) as ArrayRef;
            batch([("yard", if as_views { views() } else { texts(part.iter().map(Some)) })])
        };
        let ways = merged(&lines(first), &lines(second), "yard");
        let mut wanted: BTreeMap<&str, u64> = BTreeMap::new();
        all.iter().for_each(|text| *wanted.entry(text).or_default() += 1);
        let found = |way: &Vec<String>| way.len() == wanted.len() && way.iter().all(|label| wanted.contains_key(label.as_str()));
        prop_assert!(ways.iter().all(found), "{ways:?}");
        prop_assert_eq!((&ways[0], &ways[0]), (&ways[1], &ways[2]));
        let brief = Brief::new().rows(["yard"]).measure(("lines", "count()"));
        let crosstab = CrossTab::build(&brief, &mut source(vec![lines(&all)])).unwrap();
        for (text, lines) in wanted {
            prop_assert_eq!(crosstab.value(&[text], &[], "lines").map(|count| count.to_string()), Some(lines.to_string()));
        }
    }
}
