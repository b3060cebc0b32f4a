//! Aggregates of groups that stand in no layout, distinct members, quantiles, and first and last, against plain
//! loops at every level; by one thread or several, and from kept parts.

use std::collections::{BTreeMap, BTreeSet};

use arrow_array::{ArrayRef, RecordBatch};
use pivvel_core::result::{Groups, MemberRef};
use pivvel_core::source::Batches;
use pivvel_core::{Brief, Build, CrossTab, Value};
use proptest::prelude::*;

use crate::support;
use crate::support::{days, numbers, texts};

#[derive(Debug, Clone)]
struct Line {
    coast: usize,
    channel: usize,
    client: Option<usize>,
    order: usize,
    day: i32,
    amount: Option<i64>,
}

const COASTS: [&str; 3] = ["Fell", "Isle", "Marram"];
const CHANNELS: [&str; 2] = ["counter", "web"];

fn batches() -> impl Strategy<Value = Vec<Vec<Line>>> {
    let amount = prop::option::weighted(0.9, -50..200i64);
    let client = prop::option::weighted(0.9, 0..40usize);
    let line = (0..3usize, 0..2usize, client, 0..8usize, 19_000..19_020i32, amount).prop_map(
        |(coast, channel, client, order, day, amount)| Line { coast, channel, client, order, day, amount },
    );
    prop::collection::vec(prop::collection::vec(line, 1..50), 1..5)
}

fn batch(lines: &[Line]) -> RecordBatch {
    let columns: [(&str, ArrayRef); 6] = [
        ("coast", texts(lines.iter().map(|line| Some(COASTS[line.coast])))),
        ("channel", texts(lines.iter().map(|line| Some(CHANNELS[line.channel])))),
        ("client", texts(lines.iter().map(|line| line.client.map(|client| format!("client {client}"))))),
        ("order", numbers(lines.iter().map(|line| Some(line.order as i64)))),
        ("sold_on", days(lines.iter().map(|line| Some(line.day)))),
        ("amount", numbers(lines.iter().map(|line| line.amount))),
    ];
    support::batch(columns)
}

/// The sum of the amounts that are there, if any is.
fn sum<'l>(lines: impl IntoIterator<Item = &'l Line>) -> Option<f64> {
    lines.into_iter().filter_map(|line| line.amount).map(|amount| amount as f64).reduce(|a, b| a + b)
}

fn mean(values: &[f64]) -> Option<f64> {
    (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
}

/// Between the two values that a share lies between.
fn quantile(mut values: Vec<f64>, share: f64) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    let place = share * (values.len().checked_sub(1)? as f64);
    let (below, part) = (place.floor() as usize, place.fract());
    let above = values[(below + 1).min(values.len() - 1)];
    Some(values[below] + part * (above - values[below]))
}

fn amounts(lines: &[&Line]) -> Vec<f64> {
    lines.iter().filter_map(|line| line.amount).map(|amount| amount as f64).collect()
}

/// Lines by client, those without one among them as one.
fn by_client<'l>(lines: &[&'l Line]) -> BTreeMap<Option<usize>, Vec<&'l Line>> {
    let mut groups: BTreeMap<_, Vec<_>> = BTreeMap::new();
    lines.iter().for_each(|line| groups.entry(line.client).or_default().push(*line));
    groups
}

/// The amount of the first or the last day; of one day the lowest or the highest.
fn edge(lines: &[&Line], last: bool) -> Option<f64> {
    let mut there: Vec<(i32, i64)> = lines.iter().filter_map(|line| Some((line.day, line.amount?))).collect();
    there.sort_unstable();
    let found = if last { there.last() } else { there.first() };
    found.map(|(_, amount)| *amount as f64)
}

/// A formula and what it is by plain means.
type Measure = (&'static str, fn(&[&Line]) -> Option<f64>);

const MEASURES: [Measure; 16] = [
    ("distinct(client)", |lines| {
        Some(lines.iter().filter_map(|line| line.client).collect::<BTreeSet<_>>().len() as f64)
    }),
    ("distinct(client where amount > 50)", |lines| {
        let of = lines.iter().filter(|line| line.amount.is_some_and(|amount| amount > 50));
        Some(of.filter_map(|line| line.client).collect::<BTreeSet<_>>().len() as f64)
    }),
    ("distinct(order)", |lines| {
        Some(lines.iter().map(|line| line.order).collect::<BTreeSet<_>>().len() as f64)
    }),
    ("mean(sum(amount) per client)", |lines| {
        mean(&by_client(lines).into_values().filter_map(sum).collect::<Vec<_>>())
    }),
    ("max(sum(amount) per client)", |lines| by_client(lines).into_values().filter_map(sum).reduce(f64::max)),
    ("median(count() per client)", |lines| {
        quantile(by_client(lines).into_values().map(|lines| lines.len() as f64).collect(), 0.5)
    }),
    ("sum(max(amount) per client, order)", |lines| {
        let mut most: BTreeMap<(Option<usize>, usize), i64> = BTreeMap::new();
        for line in lines {
            if let Some(amount) = line.amount {
                let slot = most.entry((line.client, line.order)).or_insert(amount);
                *slot = amount.max(*slot);
            }
        }
        most.into_values().map(|amount| amount as f64).reduce(|a, b| a + b)
    }),
    ("variance(sum(amount) per client)", |lines| {
        let sums: Vec<f64> = by_client(lines).into_values().filter_map(sum).collect();
        let mean = mean(&sums)?;
        let squares: f64 = sums.iter().map(|sum| (sum - mean).powi(2)).sum();
        (sums.len() > 1).then(|| squares / (sums.len() - 1) as f64)
    }),
    ("mean(distinct(order) per client)", |lines| {
        let orders = |lines: Vec<&Line>| lines.iter().map(|line| line.order).collect::<BTreeSet<_>>().len();
        mean(&by_client(lines).into_values().map(|lines| orders(lines) as f64).collect::<Vec<_>>())
    }),
    ("max(mean(sum(amount) per order) per client)", |lines| {
        let by_order = |lines: Vec<&Line>| {
            let orders: BTreeSet<usize> = lines.iter().map(|line| line.order).collect();
            let of = |order| sum(lines.iter().copied().filter(move |line| line.order == order));
            mean(&orders.into_iter().filter_map(of).collect::<Vec<_>>())
        };
        by_client(lines).into_values().filter_map(by_order).reduce(f64::max)
    }),
    ("sum(median(amount) per client)", |lines| {
        let medians = by_client(lines).into_values().filter_map(|lines| quantile(amounts(&lines), 0.5));
        medians.reduce(|a, b| a + b)
    }),
    ("median(amount)", |lines| quantile(amounts(lines), 0.5)),
    ("quantile(amount, 0.9)", |lines| quantile(amounts(lines), 0.9)),
    ("first(amount by sold_on)", |lines| edge(lines, false)),
    ("last(amount by sold_on)", |lines| edge(lines, true)),
    ("sum(amount where channel = 'web')", |lines| {
        sum(lines.iter().copied().filter(|line| line.channel == 1))
    }),
];

fn brief() -> Brief {
    let brief = Brief::new().rows(["coast"]).columns(["channel"]);
    MEASURES
        .iter()
        .enumerate()
        .fold(brief, |brief, (i, (formula, _))| brief.measure((format!("m{i}").as_str(), *formula)))
}

type Values = BTreeMap<(String, String), Vec<Option<Value>>>;

fn values(crosstab: &CrossTab) -> Values {
    let label = |path: Vec<MemberRef<'_>>| path.iter().map(|member| member.label()).collect::<String>();
    let one = |cell: pivvel_core::result::Cell<'_>| {
        let place = (label(crosstab.rows().path(cell.row())), label(crosstab.columns().path(cell.column())));
        (place, (0..MEASURES.len()).map(|measure| cell.value(measure)).collect())
    };
    crosstab.cells().map(one).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn every_grain_by_itself(batches in batches(), threads in 1..4usize) {
        let records: Vec<RecordBatch> = batches.iter().map(|lines| batch(lines)).collect();
        let source = |records: &[RecordBatch]| Batches::new(records[0].schema(), records.to_vec());
        let crosstab = Build::new().threads(threads).run(&brief(), &mut source(&records)).unwrap();
        let found = values(&crosstab);
        let mut lines: BTreeMap<(String, String), Vec<&Line>> = BTreeMap::new();
        for line in batches.iter().flatten() {
            for row in ["", COASTS[line.coast]] {
                for column in ["", CHANNELS[line.channel]] {
                    lines.entry((row.into(), column.into())).or_default().push(line);
                }
            }
        }
        prop_assert_eq!(found.keys().collect::<Vec<_>>(), lines.keys().collect::<Vec<_>>());
        for (place, lines) in &lines {
            for (i, (formula, plain)) in MEASURES.iter().enumerate() {
                let (value, wanted) = (found[place][i].map(|value| value.as_f64()), plain(lines));
                let equal = match (value, wanted) {
                    (Some(value), Some(wanted)) => (value - wanted).abs() < 1e-9 * wanted.abs().max(1.0),
                    (value, wanted) => value == wanted,
                };
                prop_assert!(equal, "{formula} at {place:?}: {value:?}, wanted {wanted:?}");
            }
        }
        // Kept and merged, and with any number of threads, it is the same to the last bit.
        let keep = |record: &RecordBatch| {
            let kept = Build::new().keep(&brief(), &mut source(std::slice::from_ref(record))).unwrap().1;
            Groups::from_record_batch("kept", kept.to_record_batch().clone()).unwrap()
        };
        let parts: Vec<Groups> = records.iter().map(keep).collect();
        prop_assert_eq!(values(&Build::new().from_groups(&brief(), &parts).unwrap()), found.clone());
        let alone = Build::new().threads(1).run(&brief(), &mut source(&records)).unwrap();
        prop_assert_eq!(values(&alone), found);
    }
}

/// Coast, month and client of a line, from its place and a number that is like drawn.
type Drawn = fn(u64, u64) -> (u64, u64, u64);

/// Many finer groups, which are numbered in other ways than few: clients of one coast each, month by month or in no order;
/// clients of every coast; orders of a line or two; and so many cells that most have one or two lines.
#[test]
fn many_finer_groups() {
    const LINES: u64 = 60_000;
    const DRAWN: [Drawn; 7] = [
        |line, some| (some % 9_000 % 12, line * 36 / LINES, some % 9_000),
        |_, some| (some % 9_000 % 12, (some >> 20) % 36, some % 9_000),
        |_, some| ((some >> 20) % 12, (some >> 30) % 3, some % 3_000),
        |line, some| (some % 12, line * 36 / LINES, line / 2),
        |line, some| (some % 12, (some >> 20) % 36, line),
        |line, some| (some % 900, (some >> 20) % 36, line),
        |_, some| (some % 900, (some >> 20) % 36, (some >> 30) % 20_000),
    ];
    for (case, drawn) in DRAWN.into_iter().enumerate() {
        let some = |line: u64| (line + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 16;
        let places: Vec<(u64, u64, u64)> = (0..LINES).map(|line| drawn(line, some(line))).collect();
        let amount = |line: usize| (some(line as u64) >> 8) as i64 % 1_000;
        let mut most: BTreeMap<(Option<u64>, Option<u64>, u64), i64> = BTreeMap::new();
        for (line, (coast, month, client)) in places.iter().enumerate() {
            for coast in [None, Some(*coast)] {
                for month in [None, Some(*month)] {
                    let slot = most.entry((coast, month, *client)).or_insert(i64::MIN);
                    *slot = amount(line).max(*slot);
                }
            }
        }
        let mut wanted: BTreeMap<(String, String), (i64, u64)> = BTreeMap::new();
        for ((coast, month, _), most) in most {
            let name = |key: Option<u64>| key.map_or(String::new(), |key| key.to_string());
            let (sum, count) = wanted.entry((name(coast), name(month))).or_default();
            (*sum, *count) = (*sum + most, *count + 1);
        }
        let column = |of: fn(&(u64, u64, u64)) -> u64| numbers(places.iter().map(|p| Some(of(p) as i64)));
        let all = support::batch([
            ("coast", column(|place| place.0)),
            ("month", column(|place| place.1)),
            ("client", column(|place| place.2)),
            ("amount", numbers((0..places.len()).map(|line| Some(amount(line))))),
        ]);
        let brief = Brief::new()
            .rows(["coast"])
            .columns(["month"])
            .measure(("most", "sum(max(amount) per client)"))
            .measure(("clients", "count(max(amount) per client)"))
            .measure(("distinct", "distinct(client)"));
        let parts: Vec<RecordBatch> = (0..12).map(|part| all.slice(part * 5_000, 5_000)).collect();
        let crosstab = Build::new().threads(2).run(&brief, &mut support::source(parts)).unwrap();
        let label = |path: Vec<MemberRef<'_>>| support::labels(path).concat();
        let found = crosstab.cells().map(|cell| {
            let place =
                (label(crosstab.rows().path(cell.row())), label(crosstab.columns().path(cell.column())));
            let value = |measure| cell.value(measure).map_or(f64::NAN, |value| value.as_f64());
            assert_eq!(value(1), value(2), "case {case} at {place:?}");
            (place, (value(0) as i64, value(1) as u64))
        });
        assert!(found.collect::<BTreeMap<_, _>>() == wanted, "case {case}");
    }
}
