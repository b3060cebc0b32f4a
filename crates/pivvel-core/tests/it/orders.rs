//! The natural order of members, against a plain sort of their labels or numbers.

use std::collections::BTreeSet;

use arrow_array::ArrayRef;
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support::{batch, decimals, labels, source, texts};

/// The labels of the members of a column in their order.
fn ordered(column: ArrayRef) -> Vec<String> {
    let brief = Brief::new().rows(["key"]).measure(("lines", "count()"));
    let crosstab = CrossTab::build(&brief, &mut source(vec![batch([("key", column)])])).unwrap();
    let rows = crosstab.rows();
    rows.entries().iter().flat_map(|entry| labels(rows.path(*entry))).collect()
}

/// Texts with the same beginnings, in any letter case and any letters.
fn text() -> impl Strategy<Value = String> {
    let letter = prop::sample::select(vec!['a', 'A', 'b', 'B', ' ', 'ß', 'É', 'é', 'Σ', 'ς', '~', '1']);
    let end = prop::collection::vec(letter, 0..5).prop_map(String::from_iter);
    let begin = prop::sample::select(vec!["", "Harbour", "harbour 0", "HARBOUR 01", "Hafen Ä"]);
    (begin, end).prop_map(|(begin, end)| format!("{begin}{end}"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn texts_stand_by_their_letters_whatever_their_case(all in prop::collection::vec(text(), 1..40)) {
        let mut wanted: Vec<String> = all.iter().filter(|text| !text.is_empty()).cloned().collect();
        wanted.sort_by_key(|text| (text.to_lowercase(), text.clone()));
        wanted.dedup();
        wanted.extend(all.contains(&String::new()).then(String::new));
        prop_assert_eq!(ordered(texts(all.into_iter().map(Some))), wanted);
    }

    #[test]
    fn numbers_stand_by_their_size(
        all in prop::collection::vec(prop_oneof![-500..500i128, -(1i128 << 90)..(1 << 90), Just(1 << 63)], 1..40),
    ) {
        let wanted = BTreeSet::from_iter(all.iter().copied());
        let found = ordered(decimals(0, all.into_iter().map(Some)));
        let found: Vec<i128> = found.iter().map(|label| label.parse().unwrap()).collect();
        prop_assert_eq!(found, Vec::from_iter(wanted));
    }
}
