//! Conditions and formulas on texts, however a column keeps them: each text by itself, as a view, or by a dictionary that is small or
//! larger than a batch, with blanks and empty texts among them.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::types::{Int32Type, UInt32Type};
use arrow_array::{ArrayRef, DictionaryArray, LargeStringArray, RecordBatch, StringArray, StringViewArray};
use pivvel_core::{Brief, CrossTab};
use proptest::prelude::*;

use crate::support;
use crate::support::{numbers, texts};

const TEXTS: [Option<&str>; 6] = [None, Some(""), Some("fair"), Some("web"), Some("web shop"), Some("Äcker")];

/// The same texts in every form, each in batches: dictionaries are the same in three of them, then another one comes, and then
/// the first one again.
fn forms(lines: &[usize]) -> Vec<[ArrayRef; 5]> {
    let plain = || lines.iter().map(|line| TEXTS[*line]);
    // Entries that no line has, and one that is blank, are in the dictionaries, too.
    let entries = |more: usize, turned: bool| {
        let mut all: Vec<Option<&str>> = TEXTS.into_iter().chain((0..more).map(|_| Some("entry"))).collect();
        if turned {
            all.reverse();
        }
        let place = move |line: usize| if turned { TEXTS.len() + more - 1 - line } else { line };
        (Arc::new(all.into_iter().collect::<StringArray>()) as ArrayRef, place)
    };
    let [small, large] = [0, 100].map(|more| {
        [false, true].map(|turned| {
            let (entries, place) = entries(more, turned);
            let keys = lines.iter().map(|line| place(*line) as u32);
            match more {
                0 => {
                    let keys = keys.zip(lines).map(|(key, line)| (*line > 0).then_some(key));
                    Arc::new(DictionaryArray::<UInt32Type>::new(keys.collect(), entries)) as ArrayRef
                }
                _ => {
                    Arc::new(DictionaryArray::<Int32Type>::new(keys.map(|key| key as i32).collect(), entries))
                }
            }
        })
    });
    let five = |one: ArrayRef| std::array::from_fn(|_| one.clone());
    let first_again =
        |[first, other]: [ArrayRef; 2]| [first.clone(), first.clone(), first.clone(), other, first];
    vec![
        five(texts(plain())),
        five(Arc::new(plain().collect::<LargeStringArray>())),
        five(Arc::new(plain().collect::<StringViewArray>())),
        first_again(small),
        first_again(large),
    ]
}

/// Batches of these channels, with the number of the line in its batch and the same texts beside them.
fn batches(channels: [ArrayRef; 5], lines: &[usize]) -> Vec<RecordBatch> {
    let batch = |channel| {
        let same = texts(lines.iter().map(|line| TEXTS[*line]));
        let ids = numbers((0..lines.len() as i64).map(Some));
        support::batch([("channel", channel), ("same", same), ("id", ids)])
    };
    channels.into_iter().map(batch).collect()
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
        wanted.push((format!("upper(channel) = upper('{word}')"), count(&|text| text == word)));
        wanted.push((format!("not (channel = '{word}') or channel is blank"), count(&|text| text != word || text.is_empty())));
        wanted.push(("coalesce(channel, 'none') = 'none'".into(), count(&str::is_empty)));
        wanted.push((format!("case when channel = '{word}' then 1 else 2 end = 2"), count(&|text| text != word)));
        wanted.push((format!("case when channel = '{word}' then 'x' else channel end = 'x'"), count(&|text| text == word)));
        for channels in forms(&lines) {
            let form = channels[0].data_type().to_string();
            let batches = batches(channels, &lines);
            for (condition, wanted) in &wanted {
                let counted = Brief::new().measure(("n", format!("count(where {condition})").as_str()));
                let filtered = Brief::new().measure(("n", "count()")).filter(condition.as_str());
                for brief in [counted, filtered] {
                    let crosstab = CrossTab::build(&brief, &mut support::source(batches.clone())).unwrap();
                    let found = crosstab.value(&[], &[], "n").map_or(0.0, |value| value.as_f64());
                    prop_assert_eq!(found, 5.0 * *wanted as f64, "{} of {}", condition, form);
                }
            }
        }
    }
}

/// A formula that gives a text, and what it gives for a channel and the number of its line.
type OfText = (&'static str, fn(&str, usize) -> String);

const OF_TEXT: [OfText; 7] = [
    ("upper(channel)", |text, _| text.to_uppercase()),
    ("trim(lower(channel))", |text, _| text.to_lowercase()),
    ("coalesce(channel, 'none')", |text, _| if text.is_empty() { "none" } else { text }.into()),
    ("case when channel in ('web', 'fair') then 'both' else channel end", |text, _| {
        if ["web", "fair"].contains(&text) { "both" } else { text }.into()
    }),
    ("case when channel = 'web' then 'both' when channel > 'web' then 'both' end", |text, _| {
        if text >= "web" { "both" } else { "" }.into()
    }),
    ("case when id >= 20 then 'late' when channel = 'web' then 'web' else 'early' end", |text, id| {
        match (id, text) {
            (20.., _) => "late",
            (_, "web") => "web",
            _ => "early",
        }
        .into()
    }),
    ("case when id >= 10 then channel end", |text, id| if id >= 10 { text } else { "" }.into()),
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Lines stand under the texts that a formula gives, and so many different ones there are.
    #[test]
    fn texts_are_made_in_every_form(lines in prop::collection::vec(0..TEXTS.len(), 1..40)) {
        for channels in forms(&lines) {
            let form = channels[0].data_type().to_string();
            let batches = batches(channels, &lines);
            for (formula, of) in OF_TEXT {
                let brief = Brief::new()
                    .derive("made", formula)
                    .rows(["made"])
                    .measure(("n", "count()"))
                    .measure(("different", "distinct_estimate(made)"))
                    .measure(("there", "count(made)"));
                let crosstab = CrossTab::build(&brief, &mut support::source(batches.clone())).unwrap();
                let number = |path: &[&str], measure| crosstab.value(path, &[], measure).map_or(0.0, |n| n.as_f64());
                let mut wanted = BTreeMap::new();
                for (id, line) in lines.iter().enumerate() {
                    *wanted.entry(of(TEXTS[*line].unwrap_or_default(), id)).or_insert(0) += 5;
                }
                for (text, count) in &wanted {
                    prop_assert_eq!(number(&[text], "n"), f64::from(*count), "{:?} by {} of {}", text, formula, form);
                }
                let rows = crosstab.rows().entries().len();
                prop_assert_eq!(rows, wanted.len() + 1, "{} of {}", formula, form);
                let blank = wanted.remove("").unwrap_or(0);
                prop_assert_eq!(number(&[], "different"), wanted.len() as f64, "{} of {}", formula, form);
                prop_assert_eq!(number(&[], "there") + f64::from(blank), number(&[], "n"));
            }
        }
    }
}
