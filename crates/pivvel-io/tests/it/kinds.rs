//! Numbers and dates as people write them, found out without being told: whatever the style, the sums are exact
//! and the days are right.

use std::collections::BTreeMap;
use std::io::Cursor;

use pivvel_core::source::LineSource;
use pivvel_core::{Brief, CrossTab, Decimal, Value};
use pivvel_io::{ReadOptions, Source, TextSource};
use proptest::prelude::*;

/// How numbers are written: the mark between thousands, the decimal mark, and what stands between fields, so
/// that it is none of these.
#[derive(Debug, Clone, Copy)]
struct Style {
    marks: &'static str,
    point: &'static str,
    delimiter: char,
    said: &'static str,
}

const STYLES: [Style; 7] = [
    Style { marks: "", point: ".", delimiter: ',', said: "" },
    Style { marks: ",", point: ".", delimiter: ';', said: "1,234.50" },
    Style { marks: " ", point: ".", delimiter: ',', said: "1 234.50" },
    Style { marks: "'", point: ".", delimiter: ',', said: "1'234.50" },
    Style { marks: "", point: ",", delimiter: ';', said: "1234,50" },
    Style { marks: ".", point: ",", delimiter: ';', said: "1.234,50" },
    Style { marks: " ", point: ",", delimiter: ';', said: "1 234,50" },
];

fn written(digits: i64, scale: usize, style: Style, unit: &str, brackets: bool) -> String {
    let plain = format!("{:0>width$}", digits.unsigned_abs(), width = scale + 1);
    let (whole, fraction) = plain.split_at(plain.len() - scale);
    let mut grouped = String::new();
    for (i, digit) in whole.chars().enumerate() {
        if i > 0 && (whole.len() - i) % 3 == 0 {
            grouped.push_str(style.marks);
        }
        grouped.push(digit);
    }
    let number = format!("{unit}{grouped}{}{fraction}", style.point);
    match (digits < 0, brackets) {
        (true, true) => format!("({number})"),
        (true, false) => format!("-{number}"),
        _ => number,
    }
}

fn open(text: &str) -> TextSource {
    TextSource::from_reader("lines.csv", Cursor::new(text.as_bytes().to_vec()), &ReadOptions::default())
        .unwrap()
}

fn sum(source: &mut TextSource, formula: &str) -> Option<Value> {
    let brief = Brief::new().measure(("m", formula));
    CrossTab::build(&brief, source).unwrap().value(&[], &[], "m")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    #[test]
    fn numbers_in_every_style(
        numbers in prop::collection::vec(-9_999_999_999i64..9_999_999_999, 1..30),
        scale in 1..4usize,
        style in prop::sample::select(&STYLES[..]),
        unit in prop::sample::select(vec!["", "£", "$", "€"]),
        brackets: bool,
    ) {
        let mut text = format!("k{}v\n", style.delimiter);
        // One that tells the style beyond doubt, with marks and decimals of no group of three.
        let telling = 1_234_567 * 10i64.pow(scale as u32) + if scale == 3 { 500 } else { 5 };
        for (i, digits) in numbers.iter().copied().chain([telling, 7]).enumerate() {
            let number = written(digits, scale, style, unit, brackets);
            text += &format!("k{i}{}{number}\n", style.delimiter);
        }
        // Three decimals behind a mark that could stand between thousands say nothing by themselves.
        prop_assume!(scale != 3 || style.marks == "." || style.marks == "," || style.point == "." && style.delimiter == ',');
        let mut source = open(&text);
        let kind = source.columns()[1].kind().clone();
        let total: i128 = numbers.iter().map(|n| i128::from(*n)).sum::<i128>() + i128::from(telling) + 7;
        prop_assert!(kind.words().contains(&format!("{scale} decimals")), "{} of\n{text}", kind.words());
        prop_assert!(kind.words().contains(style.said), "{} of\n{text}", kind.words());
        prop_assert_eq!(kind.unit().map(String::from).unwrap_or_default(), unit);
        let found = sum(&mut source, "sum(v)").unwrap().to_string();
        prop_assert_eq!(found, Decimal::new(total, scale as u8).to_string(), "{}", text);
    }

    /// Dates in every order and form: a day beyond the twelfth tells which it is.
    #[test]
    fn dates_in_every_order(
        days in prop::collection::vec((2001..2031i32, 1..13u32, 1..29u32), 1..40),
        form in 0..9usize,
    ) {
        const MONTHS: [&str; 12] =
            ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
        let write = |(year, month, day): (i32, u32, u32)| {
            let name = MONTHS[month as usize - 1];
            match form {
                0 => format!("{year}-{month:02}-{day:02}"),
                1 => format!("{year}/{month:02}/{day:02}"),
                2 => format!("{day:02}/{month:02}/{year}"),
                3 => format!("{day}.{month}.{year}"),
                4 => format!("{month:02}/{day:02}/{year}"),
                5 => format!("{day:02} {name} {year}"),
                6 => format!("{day:02}-{name}-{year}"),
                7 => format!("{day:02}/{month:02}/{:02}", year % 100),
                _ => format!("{year}.{month:02}.{day:02}"),
            }
        };
        let all: Vec<(i32, u32, u32)> = days.into_iter().chain([(2024, 1, 28), (2024, 2, 13)]).collect();
        let mut text = "day,n\n".to_string();
        all.iter().for_each(|day| text += &format!("{},1\n", write(*day)));
        // A year of two digits may be a day, and is asked about.
        let kinds = if form == 7 { vec![("day".to_string(), "date(dmy)".to_string())] } else { Vec::new() };
        let options = ReadOptions::default().kinds(kinds);
        let mut source = TextSource::from_reader("f.csv", Cursor::new(text.clone().into_bytes()), &options).unwrap();
        let brief = Brief::new().rows(["day.year", "day.month", "day"]).measure(("n", "sum(n)"));
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let mut wanted: BTreeMap<String, i64> = BTreeMap::new();
        for (year, month, day) in &all {
            *wanted.entry(format!("{year}")).or_default() += 1;
            *wanted.entry(format!("{year}-{month:02}")).or_default() += 1;
            *wanted.entry(format!("{year}-{month:02}-{day:02}")).or_default() += 1;
        }
        let rows = crosstab.rows();
        let found: BTreeMap<String, i64> = crosstab
            .cells()
            .filter(|cell| !cell.row().is_total())
            .map(|cell| {
                let label = rows.path(cell.row()).last().unwrap().label().to_string();
                (label, cell.value(0).unwrap().as_f64() as i64)
            })
            .collect();
        prop_assert_eq!(found, wanted, "{}", text);
    }

    /// Whatever is in a column of texts, its members are these texts, blanks and all, and a kind that was given
    /// stands.
    #[test]
    fn texts_stay_what_they_are(texts in prop::collection::vec("[a-zA-Z0-9 .,/€'-]{0,9}", 1..20)) {
        let mut file = "t,n\n".to_string();
        texts.iter().for_each(|text| file += &format!("\"{text}\",1\n"));
        let options = ReadOptions::default().kinds([("t".into(), "text".into())]);
        let mut source = TextSource::from_reader("f.csv", Cursor::new(file.into_bytes()), &options).unwrap();
        prop_assert!(source.columns()[0].kind().given());
        let schema = source.schema();
        prop_assert_eq!(schema.field(0).name(), "t");
        let brief = Brief::new().rows(["t"]).measure(("n", "sum(n)"));
        let crosstab = CrossTab::build(&brief, &mut source).unwrap();
        let mut wanted: BTreeMap<String, usize> = BTreeMap::new();
        texts.iter().for_each(|text| *wanted.entry(text.clone()).or_default() += 1);
        let rows = crosstab.rows();
        let found: BTreeMap<String, usize> = crosstab
            .cells()
            .filter(|cell| !cell.row().is_total())
            .map(|cell| (rows.path(cell.row())[0].label().to_string(), cell.value(0).unwrap().as_f64() as usize))
            .collect();
        prop_assert_eq!(found, wanted);
    }
}
