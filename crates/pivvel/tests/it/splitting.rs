//! Fields as the `csv` crate reads them, whatever the text is and wherever its blocks end.

use arrow_array::Array;
use arrow_array::cast::AsArray;
use pivvel::brief::BadValues;
use pivvel::source::{LineSource, ReadOptions, TextSource};
use proptest::prelude::*;

/// What texts are made of: all that means something in CSV, and what does not.
fn any_text() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        4 => Just("x"), 4 => Just(","), 2 => Just("\""), 1 => Just("\"\""), 3 => Just("\n"), 1 => Just("\r\n"),
        1 => Just("\r"), 1 => Just(" "), 1 => Just("é"), 1 => Just("a text that is longer than twelve bytes"),
        2 => Just("\",\""), 1 => Just("\"\n"), 1 => Just("12.50"),
    ];
    proptest::collection::vec(piece, 0..90).prop_map(|pieces| pieces.concat())
}

/// Lines with every field, or most of them, in quotes; some have long texts without any, and some are cut, so that a quote
/// stays open.
fn quoted_text() -> impl Strategy<Value = String> {
    let field = prop_oneof![
        6 => "[a-z]{0,12}".prop_map(|text| format!("\"{text}\"")),
        1 => Just("\"one, and\nanother\"".to_string()), 1 => Just("\"so \"\"called\"\"\"".to_string()),
        1 => Just("\"\"\"\"".to_string()), 1 => Just("\"\r\n\"".to_string()), 1 => "[a-z\"]{0,3}",
        1 => Just("\"shut\" too early".to_string()), 1 => "[a-z]{60,400}",
    ];
    let ends = prop_oneof![4 => Just("\n"), 2 => Just("\r\n"), 1 => Just("\r")];
    let lines = proptest::collection::vec([field.clone(), field.clone(), field], 0..30);
    (lines, ends, 0..9usize).prop_map(|(lines, ends, cut)| {
        let mut text: String = lines.iter().map(|line| line.join(",") + ends).collect();
        text.truncate(text.len().saturating_sub(cut));
        text
    })
}

/// Every line as the `csv` crate has it, as wide as the heading; lines without anything are left out.
fn expected(text: &str) -> Vec<[String; 3]> {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(text.as_bytes());
    let records = reader.records().map(Result::unwrap);
    let filled = records.filter(|record| record.iter().any(|field| !field.is_empty()));
    filled.map(|record| [0, 1, 2].map(|i| record.get(i).unwrap_or("").to_string())).collect()
}

fn found(text: &str, block_bytes: Option<usize>) -> Vec<[String; 3]> {
    let kinds = ["a", "b", "c"].map(|column| (column.to_string(), "text".to_string())).to_vec();
    let (bad_values, delimiter) = (BadValues::Blank, Some(b','));
    let options = ReadOptions::default()
        .kinds(kinds)
        .bad_values(bad_values)
        .block_bytes(block_bytes)
        .delimiter(delimiter);
    let reader = std::io::Cursor::new(text.as_bytes().to_vec());
    let mut source = TextSource::from_reader("x", reader, &options).unwrap();
    let mut lines = Vec::new();
    source
        .scan(&[0, 1, 2], &mut |batch| {
            let texts = |row: usize| {
                [0, 1, 2].map(|i| {
                    let column = batch.column(i).as_string_view();
                    assert!(!column.is_null(row));
                    column.value(row).to_string()
                })
            };
            lines.extend((0..batch.num_rows()).map(texts));
            Ok(())
        })
        .unwrap();
    lines
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(3_000))]

    #[test]
    fn fields_are_those_of_the_csv_crate(body in prop_oneof![any_text(), quoted_text()]) {
        let text = format!("a,b,c\n{body}");
        let expected = expected(&text);
        for block_bytes in [None, Some(1), Some(9), Some(64), Some(65), Some(200)] {
            prop_assert_eq!(&found(&text, block_bytes), &expected, "{:?} in blocks of {:?}", text, block_bytes);
        }
    }
}
