//! Cells of few and of many digits, and blank ones, side by side: every measure against plain whole numbers.

use pivvel_core::{Brief, Build, CrossTab, Decimal, Value};
use proptest::prelude::*;

use crate::support;
use crate::support::{close, decimals, numbers, texts};

const YARDS: [&str; 4] = ["Alder", "Birch", "Cedar", "Dogwood"];
const MONTHS: usize = 5;

/// The amount of each yard in each month, in cents.
type Cents = Vec<Option<i128>>;

/// Amounts of one kind, and in some cells others, most of all those where 64 bits end.
fn any_cents() -> impl Strategy<Value = Cents> {
    let narrow = || prop_oneof![5 => (-9i128..9).prop_map(Some), 1 => Just(None)];
    let limits = [i64::MIN, i64::MIN + 1, i64::MAX].map(|limit| Some(i128::from(limit)));
    let wide = prop_oneof![
        Just(Some(10i128.pow(30))),
        Just(Some(-10i128.pow(30))),
        Just(Some(i128::from(i64::MIN) - 1)),
        proptest::sample::select(limits.to_vec()),
    ];
    let cells = YARDS.len() * MONTHS;
    let mixed = prop_oneof![6 => narrow(), 1 => wide];
    prop_oneof![proptest::collection::vec(narrow(), cells), proptest::collection::vec(mixed, cells)]
}

fn built(cents: &Cents, threads: usize) -> CrossTab {
    let cells = || (0..cents.len()).map(|cell| (cell / MONTHS, cell % MONTHS));
    let batch = support::batch([
        ("yard", texts(cells().map(|(yard, _)| Some(YARDS[yard])))),
        ("month", numbers(cells().map(|(_, month)| Some(month as i64 + 1)))),
        ("amount", decimals(2, cents.iter().copied())),
    ]);
    let brief = Brief::new()
        .rows(["yard"])
        .columns(["month"])
        .measure(("sales", "sum(amount)"))
        .measure(("less", "sales - sales at month 1"))
        .measure(("twice", "sales * 2"))
        .measure(("share", "sales / sales at parent"))
        .measure(("so_far", "running(sales along month)"))
        .measure(("place", "rank(sales among column)"))
        .measure(("shown", "rank(sales among column lowest first ties order)"));
    Build::new().threads(threads).run(&brief, &mut support::source(vec![batch])).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn measures_are_those_of_whole_numbers(cents in any_cents()) {
        let crosstab = built(&cents, 2);
        let at = |yard: usize, month: usize| cents[yard * MONTHS + month];
        let exact = |digits: i128| Value::Exact(Decimal::new(digits, 2));
        let whole = |number: usize| Value::Exact((number as u64).into());
        for (yard, name) in YARDS.iter().enumerate() {
            for month in 0..MONTHS {
                let label = (month + 1).to_string();
                let value = |measure: &str| crosstab.value(&[name], &[&label], measure);
                let own = at(yard, month);
                prop_assert_eq!(value("sales"), own.map(exact));
                prop_assert_eq!(value("twice"), own.map(|own| exact(own * 2)));
                let first = at(yard, 0);
                let less = own.or(first).map(|_| exact(own.unwrap_or(0) - first.unwrap_or(0)));
                prop_assert_eq!(value("less"), less);
                let so_far: Vec<i128> = (0..=month).filter_map(|month| at(yard, month)).collect();
                prop_assert_eq!(value("so_far"), so_far.iter().copied().reduce(|a, b| a + b).map(exact));
                let column = || (0..YARDS.len()).filter_map(|yard| at(yard, month));
                let place = own.map(|own| whole(1 + column().filter(|other| *other > own).count()));
                prop_assert_eq!(value("place"), place);
                let before = |own: i128| {
                    let equal = (0..yard).filter(|yard| at(*yard, month) == Some(own)).count();
                    column().filter(|other| *other < own).count() + equal
                };
                prop_assert_eq!(value("shown"), own.map(|own| whole(1 + before(own))));
                let total: i128 = column().sum();
                let share = own.filter(|_| total != 0).map(|own| own as f64 / total as f64);
                prop_assert!(close(value("share").map(|share| share.as_f64()), share));
                let cell = crosstab.rows().find(&[name]).zip(crosstab.columns().find(&[&label]));
                let cell = cell.and_then(|(row, column)| crosstab.cell(row, column));
                let rank = own.map(|own| 1 + cents.iter().flatten().filter(|other| **other > own).count());
                prop_assert_eq!(cell.and_then(|cell| cell.rank(0)), rank.map(|rank| rank as u32));
            }
        }
    }
}
