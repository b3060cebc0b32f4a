//! Conditions on texts, however a column keeps them: each text by itself, as a view, or by a dictionary that is small or
//! larger than a batch, with blanks and empty texts among them.

use std::cmp::Ordering;
use std::sync::Arc;

use arrow_array::types::{Int32Type, UInt32Type};
use arrow_array::{
    ArrayRef, DictionaryArray, Int32Array, LargeStringArray, StringArray, StringViewArray, UInt32Array,
};
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support;
use crate::support::{numbers, texts};

const TEXTS: [Option<&str>; 6] = [None, Some(""), Some("fair"), Some("web"), Some("web shop"), Some("Äcker")];

/// The same texts in every form.
fn forms(lines: &[usize]) -> Vec<ArrayRef> {
    let plain = || lines.iter().map(|line| TEXTS[*line]);
    // Entries that no line has, and one that is blank, are in the dictionaries, too.
    let entries = |more: usize| {
        let more = (0..more).map(|i| Some(format!("entry {i}")));
        let all = TEXTS.into_iter().map(|text| text.map(str::to_string)).chain(more);
        Arc::new(all.collect::<StringArray>()) as ArrayRef
    };
    let keys = || lines.iter().map(|line| (*line > 0).then_some(*line as u32));
    let small = UInt32Array::from_iter(keys());
    let large = Int32Array::from_iter(keys().map(|key| Some(key.unwrap_or(0) as i32)));
    vec![
        texts(plain()),
        Arc::new(plain().collect::<LargeStringArray>()),
        Arc::new(plain().collect::<StringViewArray>()),
        Arc::new(DictionaryArray::<UInt32Type>::new(small, entries(0))),
        Arc::new(DictionaryArray::<Int32Type>::new(large, entries(100))),
    ]
}

/// How a condition is written about a text, and when it holds.
type Condition = (&'static str, fn(Ordering) -> bool);

const CONDITIONS: [Condition; 6] = [
    ("=", Ordering::is_eq),
    ("<>", Ordering::is_ne),
    ("<", Ordering::is_lt),
    ("<=", Ordering::is_le),
    (">", Ordering::is_gt),
    (">=", Ordering::is_ge),
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn texts_are_compared_in_every_form(
        lines in prop::collection::vec(0..TEXTS.len(), 1..40),
        word in prop::sample::select(vec!["web", "fair", "", "shop"]),
    ) {
        // A blank is an empty text.
        let text = |line: &usize| TEXTS[*line].unwrap_or_default();
        let count = |holds: &dyn Fn(&str) -> bool| lines.iter().filter(|line| holds(text(line))).count();
        let mut wanted: Vec<(String, usize)> = Vec::new();
        for (sign, holds) in CONDITIONS {
            wanted.push((format!("channel {sign} '{word}'"), count(&|text| holds(text.cmp(word)))));
            wanted.push((format!("'{word}' {sign} channel"), count(&|text| holds(word.cmp(text)))));
        }
        wanted.push((format!("channel in ('{word}', 'web shop')"), count(&|text| [word, "web shop"].contains(&text))));
        wanted.push(("channel is blank".into(), count(&str::is_empty)));
        wanted.push(("channel = same".into(), lines.len()));
        for channel in forms(&lines) {
            let same = texts(lines.iter().map(|line| TEXTS[*line]));
            let ids = numbers((0..lines.len() as i64).map(Some));
            let batch = support::batch([("channel", channel), ("same", same), ("id", ids)]);
            let form = batch.column(0).data_type().to_string();
            for (condition, wanted) in &wanted {
                let counted = Brief::new().measure(("n", format!("count(where {condition})").as_str()));
                let filtered = Brief::new().measure(("n", "count()")).filter(condition.as_str());
                for brief in [counted, filtered] {
                    let crosstab = CrossTab::build(&brief, &mut support::source(vec![batch.clone()])).unwrap();
                    let found = crosstab.value(&[], &[], "n").map_or(0.0, |value| value.as_f64());
                    prop_assert_eq!(found, *wanted as f64, "{} of {}", condition, form);
                }
            }
        }
    }
}
