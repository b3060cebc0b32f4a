//! Members that are picked, gathered or left out: totals cover what they say they cover, and a scale is of what
//! is shown.

use std::collections::{BTreeMap, BTreeSet};

use arrow_array::{ArrayRef, RecordBatch};
use pivvel_core::brief::{DimensionBrief, TopBrief, TotalsOf};
use pivvel_core::result::NoticeCode;
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support;
use crate::support::{labels, numbers, texts};

/// A line: coast, harbour, channel and amount.
type Line = (usize, usize, usize, i64);

const COASTS: [&str; 3] = ["Fell", "Isle", "Marram"];
const CHANNELS: [&str; 2] = ["counter", "web"];

/// How harbours are picked.
#[derive(Debug, Clone)]
enum Pick {
    Top { count: usize, bottom: bool, overall: bool, others: bool },
    Having(i64),
    Only(Vec<usize>),
    Except(Vec<usize>),
}

fn pick() -> impl Strategy<Value = Pick> {
    let some = || prop::collection::vec(0..6usize, 1..4);
    prop_oneof![
        3 => (1..4usize, any::<bool>(), any::<bool>(), any::<bool>())
            .prop_map(|(count, bottom, overall, others)| Pick::Top { count, bottom, overall, others }),
        1 => (-200..400i64).prop_map(Pick::Having),
        1 => some().prop_map(Pick::Only),
        1 => some().prop_map(Pick::Except),
    ]
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    prop::collection::vec((0..COASTS.len(), 0..6usize, 0..CHANNELS.len(), -99..300i64), 1..50)
}

fn harbour(number: usize) -> String {
    format!("Harbour {number}")
}

fn batch(lines: &[Line]) -> RecordBatch {
    let columns: [(&str, ArrayRef); 4] = [
        ("coast", texts(lines.iter().map(|line| Some(COASTS[line.0])))),
        ("harbour", texts(lines.iter().map(|line| Some(harbour(line.1))))),
        ("channel", texts(lines.iter().map(|line| Some(CHANNELS[line.2])))),
        ("amount", numbers(lines.iter().map(|line| Some(line.3)))),
    ];
    support::batch(columns)
}

/// Harbours under their coast, by number, with the sum that they are picked by.
type Sums = BTreeMap<(usize, usize), i64>;

/// Which harbours are shown under which coast.
fn picked(pick: &Pick, sums: &Sums) -> BTreeSet<(usize, usize)> {
    let all = || sums.keys().copied();
    match pick {
        Pick::Having(least) => all().filter(|key| sums[key] > *least).collect(),
        Pick::Only(list) => all().filter(|(_, harbour)| list.contains(harbour)).collect(),
        Pick::Except(list) => all().filter(|(_, harbour)| !list.contains(harbour)).collect(),
        Pick::Top { count, bottom, overall: false, .. } => {
            let mut shown = BTreeSet::new();
            for coast in 0..COASTS.len() {
                let mut own: Vec<_> = all().filter(|key| key.0 == coast).collect();
                own.sort_by_key(|key| if *bottom { sums[key] } else { -sums[key] });
                shown.extend(own.into_iter().take(*count));
            }
            shown
        }
        // Over all parents, whatever they are.
        Pick::Top { count, bottom, overall: true, .. } => {
            let mut own: Vec<_> = all().collect();
            own.sort_by_key(|key| if *bottom { sums[key] } else { -sums[key] });
            own.into_iter().take(*count).collect()
        }
    }
}

/// Whether two are equal of those that a top compares, so that either may be picked.
fn has_ties(pick: &Pick, sums: &Sums) -> bool {
    let repeated = |all: Vec<i64>| all.iter().collect::<BTreeSet<_>>().len() < all.len();
    match pick {
        Pick::Top { overall: true, .. } => repeated(sums.values().copied().collect()),
        Pick::Top { .. } => (0..COASTS.len()).any(|coast| {
            repeated(sums.iter().filter(|(key, _)| key.0 == coast).map(|(_, sum)| *sum).collect())
        }),
        _ => false,
    }
}

fn brief(pick: &Pick, shown_only: bool) -> Brief {
    let mut dimension = DimensionBrief::new("harbour");
    let list = |numbers: &[usize]| numbers.iter().map(|number| harbour(*number)).collect::<Vec<_>>();
    match pick {
        Pick::Top { count, bottom, overall, others } => {
            let mut top = TopBrief::new(count.to_string(), "sales").overall(*overall);
            if *others {
                top = top.others("all others");
            }
            dimension = if *bottom { dimension.bottom(top) } else { dimension.top(top) };
        }
        Pick::Having(least) => dimension = dimension.having(format!("sales > {least}")),
        Pick::Only(numbers) => dimension = dimension.only(list(numbers)),
        Pick::Except(numbers) => dimension = dimension.except(list(numbers)),
    }
    dimension = dimension.totals_of(if shown_only { TotalsOf::Shown } else { TotalsOf::All });
    Brief::new()
        .rows(["coast", "harbour"])
        .columns(["channel"])
        .measure(("sales", "sum(amount)"))
        .add_dimension(dimension)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(250))]

    #[test]
    fn picks_and_what_totals_cover(lines in lines(), pick in pick(), shown_only: bool) {
        let mut sums = Sums::new();
        lines.iter().for_each(|line| *sums.entry((line.0, line.1)).or_default() += line.3);
        prop_assume!(!has_ties(&pick, &sums));
        let gathers = matches!(pick, Pick::Top { others: true, .. });
        // What is gathered is shown, so that totals of what is shown would cover everything.
        let shown_only = shown_only && !gathers;
        let batch = batch(&lines);
        let mut source = Batches::new(batch.schema(), [batch]);
        let crosstab = CrossTab::build(&brief(&pick, shown_only), &mut source).unwrap();
        let shown = picked(&pick, &sums);

        let mut wanted: BTreeMap<(Vec<String>, Vec<String>), i64> = BTreeMap::new();
        for (coast, number, channel, amount) in &lines {
            let is_shown = shown.contains(&(*coast, *number));
            let harbour = match (is_shown, gathers) {
                (true, _) => Some(harbour(*number)),
                (false, true) => Some("all others".to_string()),
                (false, false) => None,
            };
            if harbour.is_none() && shown_only {
                continue;
            }
            let coast = COASTS[*coast].to_string();
            for column in [vec![], vec![CHANNELS[*channel].to_string()]] {
                for row in [vec![], vec![coast.clone()]] {
                    *wanted.entry((row, column.clone())).or_default() += amount;
                }
                if let Some(harbour) = &harbour {
                    *wanted.entry((vec![coast.clone(), harbour.clone()], column)).or_default() += amount;
                }
            }
        }
        let mut found = BTreeMap::new();
        for cell in crosstab.cells() {
            let place = (labels(crosstab.rows().path(cell.row())), labels(crosstab.columns().path(cell.column())));
            let value = cell.value(0).map(|value| value.as_f64() as i64);
            if let Some(label) = place.0.get(1) {
                let kind = crosstab.rows().kind(cell.row());
                prop_assert_eq!(kind.name(), if label == "all others" { "others" } else { "member" });
                // Peers are those of the level where nothing else is said, and what is gathered is none of them.
                let places = cell.yardstick(0).map(|yardstick| yardstick.count());
                let peers = wanted.keys().filter(|(row, column)| {
                    let same = |label: &str| label == "all others";
                    row.len() == 2 && column.len() == place.1.len() && same(&row[1]) == same(label)
                });
                let peers = peers.count();
                prop_assert_eq!(places, Some(peers as u64), "{:?}", place);
            }
            found.insert(place, value.unwrap());
        }
        prop_assert_eq!(found, wanted, "{:?}", pick);
        if !shown.is_empty() || gathers {
            let all = sums.len() == shown.len();
            let reported = crosstab.notices().iter().any(|n| n.code() == NoticeCode::MembersNotShown);
            prop_assert_eq!(!reported, all, "{:?}", crosstab.notices());
        }
    }
}
