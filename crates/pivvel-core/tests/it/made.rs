//! Members that are made: items of their siblings, before and after measures, and tiers of members by what they
//! come to; against plain loops.

use std::collections::BTreeMap;

use arrow_array::{ArrayRef, RecordBatch};
use pivvel_core::brief::{Amount, Apply, ItemBrief, TierBrief};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support;
use crate::support::{close, decimals, labels, numbers, texts};

#[derive(Debug, Clone)]
struct Line {
    coast: usize,
    client: usize,
    scenario: usize,
    amount: i64,
    cost: i64,
}

const COASTS: [&str; 3] = ["Fell", "Isle", "Marram"];
const SCENARIOS: [&str; 3] = ["actual", "plan", "last year"];

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let line = (0..3usize, 0..9usize, 0..3usize, -50..200i64, 0..90i64)
        .prop_map(|(coast, client, scenario, amount, cost)| Line { coast, client, scenario, amount, cost });
    prop::collection::vec(line, 1..60)
}

fn source(lines: &[Line]) -> Batches<std::vec::IntoIter<RecordBatch>> {
    let columns: [(&str, ArrayRef); 5] = [
        ("coast", texts(lines.iter().map(|line| Some(COASTS[line.coast])))),
        ("client", texts(lines.iter().map(|line| Some(format!("client {}", line.client))))),
        ("scenario", texts(lines.iter().map(|line| Some(SCENARIOS[line.scenario])))),
        ("amount", numbers(lines.iter().map(|line| Some(line.amount)))),
        ("cost", numbers(lines.iter().map(|line| Some(line.cost)))),
    ];
    support::source(vec![support::batch(columns)])
}

fn item(name: &str, formula: &str, before_measures: bool) -> ItemBrief {
    let apply = if before_measures { Apply::BeforeMeasures } else { Apply::AfterMeasures };
    ItemBrief::new("scenario", name, formula).apply(apply)
}

/// The sums of amount and cost of some lines; nothing where there is no line.
fn sums<'l>(lines: impl Iterator<Item = &'l Line>) -> Option<(f64, f64)> {
    lines.map(|line| (line.amount as f64, line.cost as f64)).reduce(|a, b| (a.0 + b.0, a.1 + b.1))
}

/// One over another, blank where there is nothing to divide by.
fn over(a: f64, b: f64) -> Option<f64> {
    (b != 0.0).then(|| a / b)
}

/// A difference in which a blank counts as nothing beside a value.
fn apart(a: Option<f64>, b: Option<f64>) -> Option<f64> {
    (a.is_some() || b.is_some()).then(|| a.unwrap_or(0.0) - b.unwrap_or(0.0))
}

/// A group of members is aggregated from its lines: that their highest values could not be added is no error.
#[test]
fn what_a_group_does_not_add_cannot_be_too_large() {
    let nines = 10i128.pow(38) - 1;
    let columns = [
        ("coast", texts(["Fell", "Isle", "Marram"].map(Some))),
        ("scenario", texts(["actual", "plan", "actual"].map(Some))),
        ("amount", decimals(0, [nines, nines - 1, 7].map(Some))),
    ];
    let mut brief = Brief::new().rows(["coast"]).columns(["scenario"]).measure(("highest", "max(amount)"));
    brief = brief.items([ItemBrief::new("coast", "both", "Fell + Isle").apply(Apply::BeforeMeasures)]);
    let crosstab = CrossTab::build(&brief, &mut support::source(vec![support::batch(columns)])).unwrap();
    let highest =
        |column: &[&str]| crosstab.value(&["both"], column, "highest").map(|value| value.to_string());
    assert_eq!(highest(&[]), Some(nines.to_string()));
    assert_eq!(highest(&["actual"]), Some(nines.to_string()));
    assert_eq!(highest(&["plan"]), Some((nines - 1).to_string()));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// An item is made of its siblings in every row, of amounts or of ratios as it is said, and no total has it.
    #[test]
    fn items_of_every_row(lines in lines(), on_rows: bool) {
        let mut brief = Brief::new()
            .rows(["coast", "client"])
            .columns(["scenario"])
            .measure(("sales", "sum(amount)"))
            .measure(("share", "sum(cost) / sales"));
        brief = brief.items([
            item("variance", "actual - plan", false),
            item("of plan", "actual / plan", false),
            item("early", "actual - plan", true),
        ]);
        if on_rows {
            brief = brief.rows(["scenario"]).columns(["coast", "client"]);
        }
        let crosstab = CrossTab::build(&brief, &mut source(&lines)).unwrap();
        let mut met = 0;
        for cell in crosstab.cells() {
            let mut row = labels(crosstab.rows().path(cell.row()));
            let mut column = labels(crosstab.columns().path(cell.column()));
            if on_rows {
                std::mem::swap(&mut row, &mut column);
            }
            let of = |scenario: Option<&str>| {
                sums(lines.iter().filter(|line| {
                    row.first().is_none_or(|coast| coast == COASTS[line.coast])
                        && row.get(1).is_none_or(|client| *client == format!("client {}", line.client))
                        && scenario.is_none_or(|scenario| scenario == SCENARIOS[line.scenario])
                }))
            };
            let sales = |of: Option<(f64, f64)>| of.map(|(amount, _)| amount);
            let share = |of: Option<(f64, f64)>| of.and_then(|(amount, cost)| over(cost, amount));
            let (actual, plan) = (of(Some("actual")), of(Some("plan")));
            let wanted = match column.first().map(String::as_str) {
                Some("variance") => [apart(sales(actual), sales(plan)), apart(share(actual), share(plan))],
                Some("of plan") => {
                    let ratio = |a: Option<f64>, b: Option<f64>| over(a?, b?);
                    [ratio(sales(actual), sales(plan)), ratio(share(actual), share(plan))]
                }
                Some("early") => {
                    let cost = |of: Option<(f64, f64)>| of.map(|(_, cost)| cost);
                    let (amount, cost) = (apart(sales(actual), sales(plan)), apart(cost(actual), cost(plan)));
                    [amount, cost.zip(amount).and_then(|(cost, amount)| over(cost, amount))]
                }
                other => [sales(of(other)), share(of(other))],
            };
            for (measure, wanted) in wanted.into_iter().enumerate() {
                let found = cell.value(measure).map(|value| value.as_f64());
                prop_assert!(close(found, wanted), "{row:?} by {column:?}, {measure}: {found:?}, wanted {wanted:?}");
            }
            met += 1;
        }
        prop_assert!(met > 0);
    }

    /// A member is in the tier that its sum says, in all lines or coast by coast; a sum on a cut is above it.
    #[test]
    fn tiers_by_what_members_come_to(
        lines in lines(),
        mut cuts in prop::collection::btree_set(-40..160i64, 1..4),
        within: bool,
        named: bool,
    ) {
        // A cut on which a member stands, as often as not.
        let first: i64 = lines.iter().filter(|line| line.client == lines[0].client).map(|line| line.amount).sum();
        cuts.insert(first);
        let cuts: Vec<i64> = cuts.into_iter().collect();
        let names: Vec<String> = (0..=cuts.len()).map(|tier| format!("tier {tier}")).collect();
        let brief = |rows: &[&str]| {
            let brief = Brief::new().rows(rows.iter().copied()).columns(["coast"]).tier(
                TierBrief::new("size", "client", "sum(amount)")
                    .cuts(cuts.iter().map(|cut| Amount::from(*cut)))
                    .labels(names.iter().map(String::as_str).filter(|_| named))
                    .within(within.then_some("coast")),
            );
            brief.measure(("sales", "sum(amount)")).measure(("clients", "distinct(client)"))
        };
        let mut sums: BTreeMap<(Option<usize>, usize), i64> = BTreeMap::new();
        for line in &lines {
            *sums.entry((within.then_some(line.coast), line.client)).or_default() += line.amount;
        }
        let tier = |line: &Line| {
            let sum = sums[&(within.then_some(line.coast), line.client)];
            cuts.iter().filter(|cut| **cut <= sum).count()
        };
        let crosstab = CrossTab::build(&brief(&["size"]), &mut source(&lines)).unwrap();
        // What tiers are called where nothing is said, in order.
        let shown: Vec<String> = crosstab
            .rows()
            .entries()
            .iter()
            .filter(|entry| !entry.is_total())
            .map(|entry| crosstab.rows().path(*entry)[0].label().to_string())
            .collect();
        let mut there: Vec<usize> = lines.iter().map(tier).collect();
        there.sort_unstable();
        there.dedup();
        prop_assert_eq!(shown.len(), there.len());
        if named {
            prop_assert_eq!(&shown, &there.iter().map(|tier| names[*tier].clone()).collect::<Vec<_>>());
        }
        for (label, own) in shown.iter().zip(&there) {
            for coast in [None, Some(0), Some(1), Some(2)] {
                let of: Vec<&Line> = lines
                    .iter()
                    .filter(|line| tier(line) == *own && coast.is_none_or(|coast| line.coast == coast))
                    .collect();
                let column: Vec<&str> = coast.map(|coast| COASTS[coast]).into_iter().collect();
                let value = |measure| crosstab.value(&[label], &column, measure).map(|value| value.as_f64() as i64);
                let mut clients: Vec<usize> = of.iter().map(|line| line.client).collect();
                clients.sort_unstable();
                clients.dedup();
                let wanted = (!of.is_empty()).then(|| of.iter().map(|line| line.amount).sum::<i64>());
                prop_assert_eq!(value("sales"), wanted, "{} by {:?}", label, column);
                prop_assert_eq!(value("clients"), wanted.map(|_| clients.len() as i64), "{} by {:?}", label, column);
            }
        }
        // Under its tier every member is once, and with its whole sum where tiers are of all lines.
        let deeper = CrossTab::build(&brief(&["size", "client"]), &mut source(&lines)).unwrap();
        let mut found: BTreeMap<String, i64> = BTreeMap::new();
        for cell in deeper.cells().filter(|cell| cell.row().level() == 2 && cell.column().is_total()) {
            let path = labels(deeper.rows().path(cell.row()));
            let sum = cell.value(0).unwrap().as_f64() as i64;
            prop_assert!(within || !found.contains_key(&path[1]), "{path:?}");
            *found.entry(path[1].clone()).or_default() += sum;
        }
        let mut whole: BTreeMap<String, i64> = BTreeMap::new();
        lines.iter().for_each(|line| *whole.entry(format!("client {}", line.client)).or_default() += line.amount);
        prop_assert_eq!(found, whole);
    }
}
