//! Decimals of Parquet files, in each of the ways in which the format may keep them.

use std::path::Path;
use std::sync::Arc;

use parquet::column::writer::ColumnWriter;
use parquet::data_type::{ByteArray, FixedLenByteArray};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::parser::parse_message_type;
use pivvel_core::{Brief, CrossTab};
use pivvel_io::{ReadOptions, open};

/// How a decimal is kept, and of how many digits it may be.
const KEPT: [(&str, u32); 8] = [
    ("INT32", 9),
    ("INT64", 18),
    ("FIXED_LEN_BYTE_ARRAY(4)", 9),
    ("FIXED_LEN_BYTE_ARRAY(8)", 18),
    ("FIXED_LEN_BYTE_ARRAY(9)", 18),
    ("FIXED_LEN_BYTE_ARRAY(16)", 38),
    ("BINARY", 18),
    ("BINARY", 30),
];

fn write(path: &Path, kept: &str, precision: u32, digits: &[Option<i64>]) {
    let message = format!("message lines {{ optional {kept} amount (DECIMAL({precision}, 2)); }}");
    let schema = Arc::new(parse_message_type(&message).unwrap());
    let file = std::fs::File::create(path).unwrap();
    let mut writer = SerializedFileWriter::new(file, schema, Default::default()).unwrap();
    for digits in digits.chunks(3) {
        let mut group = writer.next_row_group().unwrap();
        let mut column = group.next_column().unwrap().unwrap();
        let there: Vec<i16> = digits.iter().map(|digits| i16::from(digits.is_some())).collect();
        let some: Vec<i64> = digits.iter().flatten().copied().collect();
        let bytes =
            |length: usize| some.iter().map(move |n| i128::from(*n).to_be_bytes()[16 - length..].to_vec());
        let length = kept.trim_end_matches(')').rsplit('(').next().and_then(|length| length.parse().ok());
        let there = Some(&there[..]);
        match column.untyped() {
            ColumnWriter::Int32ColumnWriter(column) => {
                let all: Vec<i32> = some.iter().map(|digits| *digits as i32).collect();
                column.write_batch(&all, there, None).unwrap();
            }
            ColumnWriter::Int64ColumnWriter(column) => {
                column.write_batch(&some, there, None).unwrap();
            }
            ColumnWriter::FixedLenByteArrayColumnWriter(column) => {
                let all = bytes(length.unwrap()).map(|bytes| FixedLenByteArray::from(ByteArray::from(bytes)));
                column.write_batch(&all.collect::<Vec<_>>(), there, None).unwrap();
            }
            ColumnWriter::ByteArrayColumnWriter(column) => {
                let all: Vec<ByteArray> = bytes(7).map(ByteArray::from).collect();
                column.write_batch(&all, there, None).unwrap();
            }
            _ => unreachable!("decimals are kept in no other way"),
        }
        column.close().unwrap();
        group.close().unwrap();
    }
    writer.close().unwrap();
}

#[test]
fn decimals_however_they_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let digits =
        [Some(1_050), Some(-995), None, Some(7), Some(-999_999_999), Some(999_999_998), None, Some(3)];
    for (place, (kept, precision)) in KEPT.into_iter().enumerate() {
        let path = folder.path().join(format!("lines{place}.parquet"));
        write(&path, kept, precision, &digits);
        let brief = Brief::new()
            .measure(("sum", "sum(amount)"))
            .measure(("product", "sum(amount * amount)"))
            .measure(("least", "min(amount)"))
            .measure(("there", "count(amount)"));
        let value = |brief: &Brief, measure: &str| {
            let mut source = open(&path.display().to_string(), &ReadOptions::default()).unwrap();
            let crosstab = CrossTab::build(brief, source.as_mut()).unwrap();
            crosstab.value(&[], &[], measure).map(|value| value.to_string())
        };
        let said = |measure| value(&brief, measure).unwrap();
        let sum: i64 = digits.iter().flatten().sum();
        assert_eq!(said("sum"), format!("0.{sum:02}"), "{kept}");
        let squares: i128 = digits.iter().flatten().map(|n| i128::from(*n).pow(2)).sum();
        assert_eq!(said("product").replace('.', ""), squares.to_string(), "{kept}");
        assert_eq!((said("least").as_str(), said("there").as_str()), ("-9999999.99", "6"), "{kept}");
        // Row groups without such lines are left out.
        let high = brief.clone().filter("amount > 5000");
        assert_eq!(value(&high, "sum").as_deref(), Some("9999999.98"), "{kept}");
    }
}
