//! Surveys of made-up files: every column is of the kind that it was written in, and lines, blanks,
//! distinct values, range and examples are those of plain loops.

use std::collections::BTreeMap;

use pivvel::source::{ReadOptions, Survey, TextSource};
use proptest::prelude::*;

/// A kind of column: what a survey calls it, and how a number becomes its text.
type Written = (&'static str, fn(u32) -> String);

const KINDS: [Written; 7] = [
    ("text", |n| format!("Yard {}", n % 40)),
    ("whole number", |n| (i64::from(n) - 500).to_string()),
    ("decimal (2 decimals)", |n| format!("{}.{:02}", n / 7, n % 100)),
    ("date (year first)", |n| format!("2024-{:02}-{:02}", 1 + n % 12, 1 + n % 28)),
    ("date (day first)", |n| format!("{:02}/{:02}/2025", 1 + n % 31 % 28, 1 + n % 12)),
    ("yes or no", |n| if n.is_multiple_of(2) { "yes" } else { "no" }.to_string()),
    ("decimal (€, 2 decimals, 1,234.50)", |n| format!("€{},{:03}.50", 1 + n % 90, n % 1000)),
];

/// What loops over a column's texts find: filled ones, and every text with its count.
fn counted(texts: &[String]) -> (u64, BTreeMap<&str, u64>) {
    let mut counts = BTreeMap::new();
    let filled = texts.iter().filter(|text| !text.is_empty());
    filled.for_each(|text| *counts.entry(text.as_str()).or_default() += 1);
    (counts.values().sum(), counts)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn surveys_tell_what_is_in_a_file(
        columns in proptest::collection::vec((0..KINDS.len(), 0..4u32), 1..6),
        numbers in proptest::collection::vec(0..1_000u32, 40..300),
        delimiter in prop_oneof![Just(','), Just(';'), Just('\t'), Just('|')],
        empty in 0..4usize,
    ) {
        let text = |(kind, gaps): &(usize, u32), line: usize| {
            let number = numbers[line].wrapping_add((line * line) as u32) % 1_000;
            // Every so many lines hold nothing there, but not all columns at once.
            match gaps {
                gaps if *gaps > 0 && (number + 3).is_multiple_of(*gaps + 4) => String::new(),
                _ => KINDS[*kind].1(number),
            }
        };
        let quoted = |text: String| if text.contains(delimiter) { format!("\"{text}\"") } else { text };
        let mut file: Vec<String> = vec!["id".to_string()];
        (0..columns.len()).for_each(|i| file[0].push_str(&format!("{delimiter}c{i}")));
        for line in 0..numbers.len() {
            let fields = columns.iter().map(|column| quoted(text(column, line)));
            file.push([vec![format!("n{line}")], fields.collect()].concat().join(&delimiter.to_string()));
        }
        // Lines without anything, at the end.
        file.extend((0..empty).map(|_| delimiter.to_string().repeat(columns.len())));
        let file = file.join("\n") + "\n";
        let mut source = TextSource::from_reader("x", std::io::Cursor::new(file.clone().into_bytes()), &ReadOptions::default()).unwrap();
        let survey = Survey::read(&mut source).unwrap();
        prop_assert_eq!((survey.lines(), survey.empty_lines()), (numbers.len() as u64, empty as u64), "{}", file);
        prop_assert_eq!(survey.delimiter(), Some(delimiter));
        for (i, column) in columns.iter().enumerate() {
            let told = &survey.columns()[i + 1];
            let texts: Vec<String> = (0..numbers.len()).map(|line| text(column, line)).collect();
            let (filled, counts) = counted(&texts);
            prop_assert_eq!((told.filled(), told.blanks()), (filled, numbers.len() as u64 - filled));
            prop_assert_eq!((told.distinct(), told.distinct_is_least()), (counts.len() as u64, false));
            prop_assert_eq!(told.kind().words(), KINDS[column.0].0, "{:?}", &texts[..8]);
            let most = counts.values().max().copied();
            prop_assert_eq!(told.examples().first().map(|(_, count)| *count), most);
            for (example, count) in told.examples() {
                prop_assert_eq!(counts.get(example.as_str()), Some(count));
            }
            prop_assert_eq!(told.range().is_some(), column.0 != 0, "{}", KINDS[column.0].0);
        }
    }
}
