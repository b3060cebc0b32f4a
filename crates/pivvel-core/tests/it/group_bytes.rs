//! Groups as bytes: sent, merged, damaged.

use std::panic::{AssertUnwindSafe, catch_unwind};

use arrow_array::RecordBatch;
use pivvel_core::result::Groups;
use pivvel_core::{Brief, Build, CrossTab};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, RngAlgorithm, TestRng, TestRunner};

use crate::support::{batch, days, decimals, numbers, source, texts};

const COASTS: [&str; 4] = ["Fell", "Skerry", "Long Sound", ""];

fn brief() -> Brief {
    Brief::new()
        .rows(["coast"])
        .columns(["sold_on.month"])
        .measure(("sales", "sum(amount)"))
        .measure(("clients", "distinct(client)"))
        .measure(("middle", "median(amount)"))
        .measure(("mean", "mean(sum(amount) per client)"))
        .filter("client <> 7")
}

fn lines(rows: &[(usize, i32, i64, i128)]) -> RecordBatch {
    batch([
        ("coast", texts(rows.iter().map(|row| Some(COASTS[row.0]).filter(|name| !name.is_empty())))),
        ("sold_on", days(rows.iter().map(|row| Some(row.1)))),
        ("client", numbers(rows.iter().map(|row| Some(row.2)))),
        ("amount", decimals(2, rows.iter().map(|row| Some(row.3)))),
    ])
}

fn tidy(crosstab: &CrossTab) -> String {
    format!("{:?}", crosstab.to_record_batch().columns())
}

fn groups_of(rows: &[(usize, i32, i64, i128)]) -> Groups {
    Build::new().groups(&brief(), &mut source(vec![lines(rows)])).unwrap()
}

proptest! {
    #![proptest_config(Config { cases: 60, rng_algorithm: RngAlgorithm::ChaCha, ..Config::default() })]

    /// Workers that scan a part each, and one that merges what they send, in one step or by twos, come to what one
    /// scan of all lines does.
    #[test]
    fn workers_come_to_what_one_does(
        parts in prop::collection::vec(
            prop::collection::vec((0..COASTS.len(), -40..400, 0..12_i64, -9_999..9_999_i128), 0..30),
            1..8,
        ),
    ) {
        let sent: Vec<Groups> = parts
            .iter()
            .map(|rows| Groups::from_bytes("a worker", &groups_of(rows).to_bytes().unwrap()).unwrap())
            .collect();
        let all = lines(&parts.concat());
        let wanted = Build::new().run(&brief(), &mut source(vec![all])).unwrap();
        let at_once = Build::new().from_groups(&brief(), &sent).unwrap();
        prop_assert_eq!(tidy(&at_once), tidy(&wanted));
        let mut merged = sent;
        while merged.len() > 1 {
            merged = merged.chunks(2).map(|two| Build::new().merge(&brief(), two).unwrap()).collect();
        }
        let by_twos = Build::new().from_groups(&brief(), &merged).unwrap();
        prop_assert_eq!(tidy(&by_twos), tidy(&wanted));
        let report = |crosstab: &CrossTab| (crosstab.report().read(), crosstab.report().excluded());
        prop_assert_eq!(report(&by_twos), report(&wanted));
    }
}

fn sample() -> Vec<u8> {
    let rows: Vec<_> =
        (0..40).map(|i| (i as usize % 4, i * 11, i64::from(i % 9), i128::from(i * 37))).collect();
    groups_of(&rows).to_bytes().unwrap()
}

/// Nothing that was changed on the way is taken for groups.
#[test]
fn damaged_bytes_are_refused() {
    let bytes = sample();
    let mut runner =
        TestRunner::new_with_rng(Config::default(), TestRng::deterministic_rng(RngAlgorithm::ChaCha));
    let change = (0..bytes.len(), 1..=255_u8, prop::option::weighted(0.2, 0..bytes.len()));
    for _ in 0..80_000 {
        let (at, by, end) = change.new_tree(&mut runner).unwrap().current();
        let mut damaged = bytes.clone();
        damaged[at] ^= by;
        damaged.truncate(end.unwrap_or(bytes.len()));
        assert!(Groups::from_bytes("a worker", &damaged).is_err());
    }
}

/// Bytes that somebody changed on purpose, with the right checksum, may be other groups, and are never a panic.
#[test]
fn forged_bytes_do_not_panic() {
    let bytes = sample();
    let mut runner =
        TestRunner::new_with_rng(Config::default(), TestRng::deterministic_rng(RngAlgorithm::ChaCha));
    let change = prop::collection::vec((0..bytes.len() - 12, 1..=255_u8), 1..3);
    let mut refused = 0;
    for _ in 0..20_000 {
        let changes = change.new_tree(&mut runner).unwrap().current();
        let mut forged = bytes[..bytes.len() - 4].to_vec();
        changes.iter().for_each(|(at, by)| forged[*at] ^= by);
        forged.extend(crc32fast::hash(&forged).to_le_bytes());
        let built = catch_unwind(AssertUnwindSafe(|| {
            Groups::from_bytes("a worker", &forged)
                .and_then(|groups| Build::new().from_groups(&brief(), &[groups]))
        }));
        refused += usize::from(built.unwrap_or_else(|_| panic!("{changes:?}")).is_err());
    }
    assert!(refused > 1_000, "{refused}");
}
