//! Random lines: members of four dimensions, some blank, a day, an amount and a quantity.

use pivvel::source::{ReadOptions, TextSource};
use pivvel::{Brief, CrossTab};
use proptest::prelude::*;

#[derive(Debug, Clone)]
pub(crate) struct Line {
    pub(crate) coast: Option<u8>,
    pub(crate) harbour: u8,
    /// Days from 2024-12-28, over a turn of the year.
    pub(crate) day: u8,
    pub(crate) channel: Option<u8>,
    /// In hundredths.
    pub(crate) amount: Option<i64>,
    pub(crate) quantity: i32,
}

/// Labels that are hard to tell from what a cross-tab itself writes.
pub(crate) const COASTS: [&str; 4] = ["total", "Fell", "a \"quoted\", long one", "Ναυπηγείο"];
pub(crate) const HARBOURS: [&str; 3] = ["member", "x", "Fell"];
pub(crate) const CHANNELS: [&str; 3] = ["web", "0", " padded "];

pub(crate) fn any_line() -> impl Strategy<Value = Line> {
    let amount = prop_oneof![
        1 => Just(None),
        8 => (-5_000_000i64..5_000_000).prop_map(Some),
        1 => prop_oneof![Just(99_999_999_999_999_999), Just(-99_999_999_999_999_999), Just(0)].prop_map(Some),
    ];
    let member = |of: usize| proptest::option::weighted(0.9, 0..of as u8);
    (member(COASTS.len()), 0..HARBOURS.len() as u8, 0..9u8, member(CHANNELS.len()), amount, -9..99i32)
        .prop_map(|(coast, harbour, day, channel, amount, quantity)| Line {
            coast,
            harbour,
            day,
            channel,
            amount,
            quantity,
        })
}

pub(crate) fn any_lines() -> impl Strategy<Value = Vec<Line>> {
    proptest::collection::vec(any_line(), 1..60)
}

impl Line {
    pub(crate) fn date(&self) -> String {
        match self.day {
            day @ ..4 => format!("2024-12-{}", 28 + day),
            day => format!("2025-01-0{}", day - 3),
        }
    }

    fn csv(&self) -> [String; 6] {
        let pick = |names: &[&str], i: Option<u8>| i.map_or(String::new(), |i| names[usize::from(i)].into());
        let amount = self.amount.map_or(String::new(), |a| {
            let sign = if a < 0 { "-" } else { "" };
            format!("{sign}{}.{:02}", a.unsigned_abs() / 100, a.unsigned_abs() % 100)
        });
        [
            pick(&COASTS, self.coast),
            HARBOURS[usize::from(self.harbour)].into(),
            self.date(),
            pick(&CHANNELS, self.channel),
            amount,
            self.quantity.to_string(),
        ]
    }
}

pub(crate) fn to_csv(lines: &[Line]) -> Vec<u8> {
    let mut csv = csv::Writer::from_writer(Vec::new());
    csv.write_record(["coast", "harbour", "sold_on", "channel", "amount", "quantity"]).unwrap();
    lines.iter().for_each(|line| csv.write_record(line.csv()).unwrap());
    csv.into_inner().unwrap()
}

/// The kinds are said, so that lines which happen to be all blank are read alike.
pub(crate) fn build(brief: &Brief, lines: &[Line], block_bytes: Option<usize>) -> CrossTab {
    let kinds = [("amount", "decimal(2)"), ("quantity", "whole"), ("coast", "text"), ("channel", "text")];
    let kinds = kinds.map(|(column, kind)| (column.to_string(), kind.to_string())).to_vec();
    let options = ReadOptions::default().kinds(kinds).block_bytes(block_bytes);
    let mut source = TextSource::from_reader("lines", std::io::Cursor::new(to_csv(lines)), &options).unwrap();
    CrossTab::build(brief, &mut source).unwrap()
}

pub(crate) fn tidy_csv(crosstab: &CrossTab) -> String {
    let mut out = Vec::new();
    pivvel::table::write_tidy_csv(crosstab, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}
