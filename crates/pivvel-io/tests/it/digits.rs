//! Numbers and dates digit by digit: of every length, at every scale, wherever they stand among others; and
//! what is one character away from them is no number and no date.

use std::collections::BTreeMap;
use std::io::Cursor;

use chrono::NaiveDate;
use pivvel_core::{Brief, CrossTab, Decimal};
use pivvel_io::{ReadOptions, TextSource};
use proptest::prelude::*;

const DAY: &str = "%Y-%m-%d";

/// Opens lines of a first column `v` of a kind and a second one of anything.
fn open(values: &[String], kind: &str, others: &[&str], block_bytes: usize) -> TextSource {
    let lines = values.iter().zip(others.iter().cycle());
    let lines: String = lines.map(|(value, other)| format!("{other},{value}\n")).collect();
    let options = ReadOptions::default()
        .kinds([("v".into(), kind.into()), ("other".into(), "text".into())])
        .block_bytes(block_bytes);
    TextSource::from_reader("lines.csv", Cursor::new(format!("other,v\n{lines}").into_bytes()), &options)
        .unwrap()
}

/// What stands beside the numbers, digits among it.
const OTHERS: [&str; 5] = ["", "7", "-", "0.5", "a text that is longer than sixteen bytes 99"];

/// Digits of any count, often of few.
fn digits() -> impl Strategy<Value = i64> {
    (0..18u32, any::<i64>()).prop_map(|(count, number)| number % 10i64.pow(count))
}

/// Puts another character in the place of one.
fn spoilt(text: &str, place: prop::sample::Index, by: char) -> String {
    let place = place.index(text.len());
    text.char_indices().map(|(i, c)| if i == place { by } else { c }).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn numbers_of_every_length(
        numbers in prop::collection::vec((digits(), any::<bool>()), 1..60),
        scale in 0..10u8,
        block_bytes in prop_oneof![20..200usize, Just(100_000)],
    ) {
        // A number of few digits may have fewer of them after the point, or none.
        let write = |(digits, short): &(i64, bool)| {
            let text = Decimal::new((*digits).into(), scale).to_string();
            match *short && scale > 0 {
                true => text.trim_end_matches('0').trim_end_matches('.').to_string(),
                false => text,
            }
        };
        let texts: Vec<String> = numbers.iter().map(write).collect();
        let kind = if scale == 0 { "whole".into() } else { format!("decimal({scale})") };
        let mut source = open(&texts, &kind, &OTHERS, block_bytes);
        let measures = [("sum", "sum(v)"), ("low", "min(v)"), ("high", "max(v)"), ("n", "count(v)")];
        let brief = measures.into_iter().fold(Brief::new(), Brief::measure);
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let found = measures.map(|(name, _)| crosstab.value(&[], &[], name).unwrap().to_string());
        let all = || numbers.iter().map(|(digits, _)| i128::from(*digits));
        let wanted = [all().sum(), all().min().unwrap(), all().max().unwrap()];
        prop_assert_eq!(&found[..3], &wanted.map(|digits| Decimal::new(digits, scale).to_string()), "{:?}", texts);
        prop_assert_eq!(&found[3], &numbers.len().to_string());
    }

    #[test]
    fn one_character_makes_no_number(
        (digits, scale) in (digits(), 0..6u8),
        (place, by) in (any::<prop::sample::Index>(), prop::sample::select("/:;@xE_~\u{7f}\u{e9}".chars().collect::<Vec<_>>())),
        before in 0..20usize,
    ) {
        let number = Decimal::new(digits.into(), scale).to_string();
        let wrong = spoilt(&number, place, by);
        let mut texts = vec![number; before];
        texts.push(wrong.clone());
        let kind = if scale == 0 { "whole".into() } else { format!("decimal({scale})") };
        let told = CrossTab::build(&Brief::new().measure(("v", "sum(v)")), &mut open(&texts, &kind, &OTHERS, 100));
        let told = told.map(|crosstab| crosstab.value(&[], &[], "v"));
        let wanted = format!("line {}, column v", before + 2);
        prop_assert!(told.as_ref().is_err_and(|e| e.to_string().contains(&wanted)), "{wrong}: {told:?}");
    }

    #[test]
    fn dates_of_two_centuries(
        days in prop::collection::vec(-30_000..45_000i32, 1..80),
        (place, by) in (any::<prop::sample::Index>(), prop::sample::select("/:x\u{e9}".chars().collect::<Vec<_>>())),
        block_bytes in 20..400usize,
    ) {
        let epoch = NaiveDate::from_ymd_opt(1970, 1, 1).unwrap();
        let write = |day: &i32| epoch + chrono::TimeDelta::days((*day).into());
        let mut texts: Vec<String> = days.iter().map(|day| write(day).format(DAY).to_string()).collect();
        let brief = Brief::new().rows(["v"]).measure(("n", "count()"));
        let crosstab = CrossTab::build(&brief, &mut open(&texts, "date", &OTHERS, block_bytes)).unwrap();
        let mut wanted: BTreeMap<String, u64> = BTreeMap::new();
        texts.iter().for_each(|text| *wanted.entry(text.clone()).or_default() += 1);
        let rows = crosstab.rows();
        let cells = crosstab.cells().filter(|cell| !cell.row().is_total());
        let found: BTreeMap<String, u64> =
            cells.map(|cell| (rows.path(cell.row())[0].label().to_string(), cell.lines())).collect();
        prop_assert_eq!(found, wanted);
        let wrong = spoilt(&texts[0], place, by);
        texts.push(wrong.clone());
        let told = CrossTab::build(&brief, &mut open(&texts, "date", &OTHERS, block_bytes)).map(|_| ());
        let wanted = format!("line {}, column v", texts.len() + 1);
        prop_assert!(told.as_ref().is_err_and(|e| e.to_string().contains(&wanted)), "{wrong:?}: {told:?}");
    }
}

/// A text of nothing but zeros is no day, though it is what an empty table holds.
#[test]
fn zeros_are_no_day() {
    // Zeros among the first lines would be told as those of another kind of file.
    let mut texts = vec!["2025-01-31".to_string(); 200_000];
    texts.push("\0".repeat(10));
    let brief = Brief::new().rows(["v"]).measure(("n", "count()"));
    let told = CrossTab::build(&brief, &mut open(&texts, "date", &OTHERS, 100)).map(|_| ()).unwrap_err();
    assert!(told.to_string().contains("line 200002, column v"), "{told}");
}
