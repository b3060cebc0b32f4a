//! Functions of one's own: what they give is what the same formula, or a plain loop, gives. They are known to all of a
//! process, so these tests have one of their own.

#![allow(clippy::unwrap_used)]

#[allow(dead_code, unreachable_pub)]
#[path = "it/support.rs"]
mod support;

use std::sync::Once;

use arrow_array::RecordBatch;
use pivvel_core::formula::{OwnFunction, scalar_functions};
use pivvel_core::result::Groups;
use pivvel_core::{Brief, Build, CrossTab, ErrorKind};
use proptest::prelude::*;

use support::{batch, close, numbers, source, texts};

/// Registers what these tests use, once for all of them.
fn register() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let middle = |sorted: &[f64]| {
            let (low, high) = (sorted[(sorted.len() - 1) / 2], sorted[sorted.len() / 2]);
            Some((low + high) / 2.0)
        };
        let all = [
            OwnFunction::of_number("twice", |x| Some(2.0 * x)).about("two times x"),
            OwnFunction::of_two_numbers("remainder", |x, y| (y != 0.0).then(|| x.rem_euclid(y))),
            OwnFunction::of_text("initial", |text| text.chars().take(1).collect()),
            OwnFunction::of_aggregates("spanned", "max(x) - min(x)"),
            OwnFunction::of_aggregates("own_weighted", "sum(x * quantity) / sum(quantity)"),
            OwnFunction::of_aggregates("spanned_twice", "twice(spanned(x))"),
            OwnFunction::of_values("middle", middle),
        ];
        all.into_iter().for_each(|function| function.register().unwrap());
    });
}

fn lines(rows: &[(u8, Option<i64>, Option<i64>)]) -> RecordBatch {
    batch([
        ("coast", texts(rows.iter().map(|row| Some(["Fell", "Skerry", "Sound"][usize::from(row.0)])))),
        ("amount", numbers(rows.iter().map(|row| row.1))),
        ("quantity", numbers(rows.iter().map(|row| row.2))),
    ])
}

/// Formulas with functions of one's own, and without them.
const SAME: [(&str, &str); 8] = [
    ("spanned(amount)", "max(amount) - min(amount)"),
    ("spanned(amount where quantity > 3)", "max(amount where quantity > 3) - min(amount where quantity > 3)"),
    ("spanned_twice(amount) + 1", "2 * (max(amount) - min(amount)) + 1"),
    ("own_weighted(amount)", "sum(amount * quantity) / sum(quantity)"),
    ("middle(amount)", "median(amount)"),
    ("sum(twice(amount))", "sum(2 * amount)"),
    ("mean(middle(amount) per quantity)", "mean(median(amount) per quantity)"),
    ("count(where initial(coast) = 'S')", "count(where coast in ('Skerry', 'Sound'))"),
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn own_functions_give_what_the_others_do(
        rows in prop::collection::vec((0..3_u8, prop::option::of(-50..50_i64), prop::option::of(0..9_i64)), 0..40),
        parts in 1..4_usize,
    ) {
        register();
        let brief = SAME.iter().enumerate().fold(Brief::new().rows(["coast"]), |brief, (i, (own, plain))| {
            brief.measure((&*format!("own{i}"), *own)).measure((&*format!("plain{i}"), *plain))
        });
        let scanned = |rows: &[_]| Build::new().groups(&brief, &mut source(vec![lines(rows)])).unwrap();
        let kept: Vec<Groups> = match rows.len() {
            0 => vec![scanned(&[])],
            all => rows.chunks(all.div_ceil(parts)).map(scanned).collect(),
        };
        let whole = CrossTab::build(&brief, &mut source(vec![lines(&rows)])).unwrap();
        for crosstab in [whole, Build::new().from_groups(&brief, &kept).unwrap()] {
            for cell in crosstab.cells() {
                for (i, (own, _)) in SAME.iter().enumerate() {
                    let value = |name: &str| cell.get(&format!("{name}{i}")).unwrap().map(|value| value.as_f64());
                    let (found, wanted) = (value("own"), value("plain"));
                    prop_assert!(close(found, wanted), "{}: {:?}, not {:?}", own, found, wanted);
                }
            }
        }
    }
}

#[test]
fn what_cannot_be_registered_is_told() {
    register();
    let cases = [
        (OwnFunction::of_number("sum", Some), "another function has this name"),
        (OwnFunction::of_number("rank", Some), "another function has this name"),
        (OwnFunction::of_number("twice", Some), "another function has this name"),
        (OwnFunction::of_text("two words", str::to_string), "consists of letters"),
        (OwnFunction::of_text("case", str::to_string), "consists of letters"),
        (OwnFunction::of_values("", |_| None), "consists of letters"),
        (OwnFunction::of_aggregates("endless", "endless(x) + 1"), "unknown function endless"),
        (OwnFunction::of_aggregates("open", "sum(x"), "not closed"),
    ];
    for (function, wanted) in cases {
        let error = function.register().unwrap_err();
        assert!(error.is_request() && error.to_string().contains(wanted), "{error}");
    }
}

#[test]
fn own_functions_are_known_and_checked() {
    register();
    let twice = scalar_functions().find(|function| function.name() == "twice").unwrap();
    assert_eq!((twice.usage(), twice.about()), ("twice(x)", "two times x"));
    let cases = [
        ("sum(twice(coast))", "number"),
        ("sum(remainder(amount))", "remainder(x, y)"),
        ("spanned(amount, 2)", "spanned(x)"),
        ("sum(spanned(amount))", "spanned(…) takes many lines"),
        ("middel(amount)", "did you mean \"middle\"?"),
    ];
    for (formula, wanted) in cases {
        let brief = Brief::new().measure(("m", formula));
        let error = CrossTab::build(&brief, &mut source(vec![lines(&[(0, Some(1), Some(1))])])).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Formula { .. }), "{error}");
        assert!(error.to_string().contains(wanted), "{error}");
    }
    // What gives no number gives a blank.
    let brief = Brief::new().measure(("m", "remainder(sum(amount), 0)"));
    let crosstab = CrossTab::build(&brief, &mut source(vec![lines(&[(0, Some(1), Some(1))])])).unwrap();
    assert_eq!(crosstab.value(&[], &[], "m"), None);
}

/// All values of a large group are put in order once.
#[test]
fn own_functions_of_many_values() {
    register();
    let amounts = (0..200_000_i64).map(|line| Some(line * 7_919 % 200_000));
    let rows: Vec<(u8, Option<i64>, Option<i64>)> = amounts.map(|amount| (0, amount, None)).collect();
    let brief = Brief::new().measure(("own", "middle(amount)")).measure(("same", "median(amount)"));
    let crosstab = CrossTab::build(&brief, &mut source(vec![lines(&rows)])).unwrap();
    let value = |measure| crosstab.value(&[], &[], measure).map(|value| value.as_f64());
    assert_eq!((value("own"), value("same")), (Some(99_999.5), Some(99_999.5)));
}
