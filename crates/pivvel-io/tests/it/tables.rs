//! Tables of any columns in every form: what independent readers find is what was written, to the last digit.

use std::collections::{BTreeMap, HashMap};
use std::io::Write;
use std::num::NonZero;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::Int32Type;
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, DictionaryArray, Float64Array, Int64Array,
    RecordBatch, StringArray, UInt64Array,
};
use arrow_schema::{DataType, Field, Schema};
use pivvel_core::source::Batches;
use pivvel_core::table::TableSpec;
use pivvel_core::{Brief, CrossTab};
use pivvel_io::{EXACT, TableForm, TableOptions, is_number, rows_as_texts, table_sink, write_table};
use proptest::prelude::*;
use serde_json::value::RawValue;

/// A column of every type that a table has, with blanks.
fn column(rows: usize) -> impl Strategy<Value = (Field, ArrayRef)> {
    use proptest::collection::vec;
    use proptest::option::of;
    // Few different ones, too: what comes again from row to row is copied.
    let again = || prop::sample::select(vec!["", "x", "a,b", "=1"]).prop_map(str::to_string);
    let text = prop_oneof![
        "[a-z]{0,6}",
        "\\PC{0,8}",
        prop::sample::select(vec![
            "=1+1",
            "-5",
            "+cmd",
            "@sum",
            "a,b",
            "\"quoted\"",
            "two\nlines",
            "a|b",
            "\r\n",
            "\\",
            "*b*",
            "<i>",
            " x ",
        ])
        .prop_map(str::to_string),
    ];
    let field = |name: &str, data_type: DataType| Field::new(name, data_type, true);
    prop_oneof![
        vec(of(text), rows).prop_map(move |all| {
            (field("text", DataType::Utf8), Arc::new(StringArray::from(all)) as ArrayRef)
        }),
        vec(of((any::<i64>(), any::<u32>())), rows).prop_map(move |all| {
            let digits = |(a, b): (i64, u32)| format!("{a}.{b:010}{b:010}");
            let says = HashMap::from([(EXACT.to_string(), "number".to_string())]);
            let array = StringArray::from(all.into_iter().map(|n| n.map(digits)).collect::<Vec<_>>());
            (field("exact", DataType::Utf8).with_metadata(says), Arc::new(array) as ArrayRef)
        }),
        vec(of(again()), rows).prop_map(move |all| {
            (field("again", DataType::Utf8), Arc::new(StringArray::from(all)) as ArrayRef)
        }),
        vec(of(prop_oneof![any::<i64>(), 0..2i64]), rows).prop_map(move |all| (
            field("whole", DataType::Int64),
            Arc::new(Int64Array::from(all)) as ArrayRef
        )),
        vec(of(any::<u64>()), rows).prop_map(move |all| (
            field("count", DataType::UInt64),
            Arc::new(UInt64Array::from(all)) as ArrayRef
        )),
        vec(of(-(10i128.pow(37))..10i128.pow(37)), rows).prop_map(move |all| {
            let array = Decimal128Array::from(all).with_precision_and_scale(38, 4).unwrap();
            (field("decimal", DataType::Decimal128(38, 4)), Arc::new(array) as ArrayRef)
        }),
        vec(of(prop_oneof![any::<f64>(), Just(0.0), Just(-0.0)]), rows).prop_map(move |all| (
            field("float", DataType::Float64),
            Arc::new(Float64Array::from(all)) as ArrayRef
        )),
        vec(of(-200_000..200_000i32), rows).prop_map(move |all| (
            field("day", DataType::Date32),
            Arc::new(Date32Array::from(all)) as ArrayRef
        )),
        vec(of(any::<bool>()), rows).prop_map(move |all| (
            field("yes", DataType::Boolean),
            Arc::new(BooleanArray::from(all)) as ArrayRef
        )),
    ]
}

fn table() -> impl Strategy<Value = RecordBatch> {
    (0..12usize).prop_flat_map(|rows| prop::collection::vec(column(rows), 1..6)).prop_map(|columns| {
        let (fields, arrays): (Vec<Field>, Vec<ArrayRef>) = columns.into_iter().unzip();
        let named = fields.into_iter().enumerate().map(|(i, field)| {
            let name = format!("{} {i}, \"or so\"", field.name());
            field.with_name(name)
        });
        RecordBatch::try_new(Arc::new(Schema::new(named.collect::<Vec<_>>())), arrays).unwrap()
    })
}

/// The table written in two batches.
fn written(batch: &RecordBatch, form: TableForm, options: TableOptions) -> Vec<u8> {
    let mut out = Vec::new();
    let mut sink = table_sink(form, &batch.schema(), &mut out, options).unwrap();
    let half = batch.num_rows() / 2;
    sink.write(&batch.slice(0, half)).unwrap();
    sink.write(&batch.slice(half, batch.num_rows() - half)).unwrap();
    sink.finish().unwrap();
    out
}

/// The same table with texts as dictionaries.
fn coded(batch: &RecordBatch) -> RecordBatch {
    let column = |(field, array): (&Arc<Field>, &ArrayRef)| match array.as_string_opt::<i32>() {
        Some(texts) => {
            let coded: DictionaryArray<Int32Type> = texts.iter().collect();
            let field = field.as_ref().clone().with_data_type(coded.data_type().clone());
            (field, Arc::new(coded) as ArrayRef)
        }
        None => (field.as_ref().clone(), array.clone()),
    };
    let columns = batch.schema_ref().fields().iter().zip(batch.columns()).map(column);
    let (fields, arrays): (Vec<Field>, Vec<ArrayRef>) = columns.unzip();
    RecordBatch::try_new(Arc::new(Schema::new(fields)), arrays).unwrap()
}

/// Whether a text stands for a cell's value.
fn stands_for(text: &str, array: &ArrayRef, row: usize, exact: bool) -> bool {
    let digits = |scale: usize, digits: i128| {
        let padded = format!("{:0>width$}", digits.unsigned_abs(), width = scale + 1);
        let (whole, fraction) = padded.split_at(padded.len() - scale);
        format!("{}{whole}.{fraction}", if digits < 0 { "-" } else { "" })
    };
    match array.data_type() {
        DataType::Utf8 if exact => text == array.as_string::<i32>().value(row),
        DataType::Utf8 => text == array.as_string::<i32>().value(row),
        DataType::Int64 => {
            text == array.as_primitive::<arrow_array::types::Int64Type>().value(row).to_string()
        }
        DataType::UInt64 => {
            text == array.as_primitive::<arrow_array::types::UInt64Type>().value(row).to_string()
        }
        DataType::Decimal128(..) => {
            text == digits(4, array.as_primitive::<arrow_array::types::Decimal128Type>().value(row))
        }
        DataType::Float64 => {
            let value = array.as_primitive::<arrow_array::types::Float64Type>().value(row);
            match value.is_finite() {
                // Minus zero is zero.
                true => text.parse::<f64>().unwrap() == value && !(value == 0.0 && text.starts_with('-')),
                false => text.is_empty(),
            }
        }
        DataType::Date32 => {
            let day = array.as_primitive::<arrow_array::types::Date32Type>().value(row);
            let days = |text: &str| {
                // Days from the civil calendar, by Howard Hinnant's algorithm.
                let (sign, rest) =
                    if let Some(rest) = text.strip_prefix('-') { (-1, rest) } else { (1, text) };
                let parts: Vec<i64> =
                    rest.trim_start_matches('+').split('-').map(|p| p.parse().unwrap()).collect();
                let (year, month, day) = (sign * parts[0] - i64::from(parts[1] <= 2), parts[1], parts[2]);
                let era = year.div_euclid(400);
                let of_year = (153 * (month + if month > 2 { -3 } else { 9 }) + 2) / 5 + day - 1;
                let of_era = year.rem_euclid(400) * 365 + year.rem_euclid(400) / 4
                    - year.rem_euclid(400) / 100
                    + of_year;
                era * 146_097 + of_era - 719_468
            };
            days(text) == i64::from(day)
        }
        DataType::Boolean => matches!((text, array.as_boolean().value(row)), ("yes", true) | ("no", false)),
        _ => false,
    }
}

fn is_exact(batch: &RecordBatch, column: usize) -> bool {
    batch.schema().field(column).metadata().contains_key(EXACT)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn texts_of_rows(batch in table()) {
        let rows = rows_as_texts(&batch).unwrap();
        prop_assert_eq!(rows.len(), batch.num_rows());
        for (row, texts) in rows.iter().enumerate() {
            for (column, text) in texts.iter().enumerate() {
                let array = batch.column(column);
                match array.is_null(row) {
                    true => prop_assert_eq!(text, ""),
                    false => prop_assert!(stands_for(text, array, row, is_exact(&batch, column)), "{text:?}: {array:?}"),
                }
            }
        }
        for (field, array) in batch.schema().fields().iter().zip(batch.columns()) {
            let numbers = matches!(
                array.data_type(),
                DataType::Int64 | DataType::UInt64 | DataType::Float64 | DataType::Decimal128(..)
            );
            prop_assert_eq!(is_number(field), numbers || field.metadata().contains_key(EXACT));
        }
    }

    #[test]
    fn csv_as_its_crate_reads_it(batch in table(), inert: bool) {
        let bytes = written(&batch, TableForm::CSV, TableOptions::default().inert(inert));
        let mut reader = csv::Reader::from_reader(&bytes[..]);
        let names: Vec<String> = reader.headers().unwrap().iter().map(str::to_string).collect();
        prop_assert_eq!(&names, &batch.schema().fields().iter().map(|f| f.name().clone()).collect::<Vec<_>>());
        let texts = rows_as_texts(&batch).unwrap();
        let mut read = 0;
        for (row, record) in reader.records().enumerate() {
            for (column, cell) in record.unwrap().iter().enumerate() {
                let plain = &texts[row][column];
                let is_text = batch.column(column).data_type() == &DataType::Utf8 && !is_exact(&batch, column);
                let runs = is_text && plain.starts_with(['=', '+', '-', '@', '\t', '\r']);
                prop_assert_eq!(cell, if inert && runs { format!("'{plain}") } else { plain.clone() });
            }
            read += 1;
        }
        prop_assert_eq!(read, batch.num_rows());
    }

    #[test]
    fn csv_as_its_crate_writes_it(batch in table()) {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let names = batch.schema();
        writer.write_record(names.fields().iter().map(|field| field.name())).unwrap();
        rows_as_texts(&batch).unwrap().iter().for_each(|row| writer.write_record(row).unwrap());
        let wanted = writer.into_inner().unwrap();
        let found = written(&batch, TableForm::CSV, TableOptions::default());
        prop_assert_eq!(String::from_utf8(found).unwrap(), String::from_utf8(wanted).unwrap());
    }

    #[test]
    fn dictionaries_are_written_as_their_texts(batch in table(), inert: bool) {
        let coded = coded(&batch);
        prop_assert_eq!(rows_as_texts(&coded).unwrap(), rows_as_texts(&batch).unwrap());
        let options = TableOptions::default().inert(inert);
        for form in [TableForm::CSV, TableForm::JSON, TableForm::JSON_LINES, TableForm::MARKDOWN] {
            prop_assert_eq!(written(&coded, form, options), written(&batch, form, options), "{:?}", form);
        }
    }

    /// An array holds the objects that lines are, in whatever parts they are written.
    #[test]
    fn a_json_array_holds_the_objects_of_lines(batch in table(), cut: prop::sample::Index) {
        let lines = String::from_utf8(written(&batch, TableForm::JSON_LINES, TableOptions::default())).unwrap();
        let at = cut.index(batch.num_rows() + 1);
        let mut array = Vec::new();
        let mut sink = table_sink(TableForm::JSON, &batch.schema(), &mut array, TableOptions::default()).unwrap();
        for part in [batch.slice(0, at), batch.slice(at, batch.num_rows() - at)] {
            sink.write(&part).unwrap();
        }
        sink.finish().unwrap();
        let found: Vec<Box<RawValue>> = serde_json::from_slice(&array).unwrap();
        prop_assert_eq!(found.iter().map(|o| o.get()).collect::<Vec<_>>(), lines.lines().collect::<Vec<_>>());
    }

    #[test]
    fn json_as_its_crate_reads_it(batch in table()) {
        let text = String::from_utf8(written(&batch, TableForm::JSON_LINES, TableOptions::default())).unwrap();
        // Texts may hold line ends, and in JSON these are written otherwise.
        let lines: Vec<&str> = text.lines().collect();
        prop_assert_eq!(lines.len(), batch.num_rows());
        for (row, line) in lines.iter().enumerate() {
            let found: BTreeMap<String, &RawValue> = serde_json::from_str(line).unwrap();
            prop_assert_eq!(found.len(), batch.num_columns());
            for (column, field) in batch.schema().fields().iter().enumerate() {
                let (raw, array) = (found[field.name()].get(), batch.column(column));
                let blank = array.is_null(row)
                    || array.as_primitive_opt::<arrow_array::types::Float64Type>().is_some_and(|a| !a.value(row).is_finite());
                if blank {
                    prop_assert_eq!(raw, "null");
                    continue;
                }
                let text = match raw {
                    "true" => "yes".to_string(),
                    "false" => "no".to_string(),
                    quoted if quoted.starts_with('"') => serde_json::from_str(quoted).unwrap(),
                    number => number.to_string(),
                };
                prop_assert!(stands_for(&text, array, row, is_exact(&batch, column)), "{raw}: {array:?}");
                let quoted = !is_number(field) && array.data_type() != &DataType::Boolean;
                prop_assert_eq!(raw.starts_with('"'), quoted, "{}", raw);
            }
        }
    }

    /// Every row of Markdown has as many cells as there are columns, and nothing in it is markup.
    #[test]
    fn markdown_keeps_its_columns(batch in table()) {
        let text = String::from_utf8(written(&batch, TableForm::MARKDOWN, TableOptions::default())).unwrap();
        let lines: Vec<&str> = text.split('\n').collect();
        prop_assert_eq!(lines.len(), batch.num_rows() + 3);
        for line in &lines[..lines.len() - 1] {
            let (mut bars, mut escaped) = (0, false);
            for c in line.chars() {
                bars += usize::from(c == '|' && !escaped);
                prop_assert!(escaped || !matches!(c, '*' | '_' | '<' | '>' | '[' | '`'), "{}", line);
                escaped = c == '\\' && !escaped;
            }
            prop_assert_eq!(bars, batch.num_columns() + 1, "{}", line);
        }
    }

    #[cfg(feature = "arrow")]
    #[test]
    fn arrow_as_its_crate_reads_it(batch in table()) {
        let bytes = written(&batch, TableForm::ARROW, TableOptions::default());
        let reader = arrow_ipc::reader::FileReader::try_new(std::io::Cursor::new(bytes), None).unwrap();
        prop_assert_eq!(reader.schema(), batch.schema());
        same_columns(&batch, reader.map(Result::unwrap).collect())?;
    }

    #[cfg(feature = "parquet")]
    #[test]
    fn parquet_as_its_crate_reads_it(batch in table()) {
        use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("table.parquet");
        std::fs::write(&path, written(&batch, TableForm::PARQUET, TableOptions::default())).unwrap();
        let reader = ParquetRecordBatchReaderBuilder::try_new(std::fs::File::open(path).unwrap()).unwrap();
        same_columns(&batch, reader.build().unwrap().map(Result::unwrap).collect())?;
    }
}

/// A column of so many rows in runs of one value; some are as long as a row group of a Parquet file, or nearly.
#[cfg(feature = "parquet")]
fn column_of_runs(rows: usize) -> impl Strategy<Value = ArrayRef> {
    let near = prop_oneof![1..9usize, 8_190..8_195usize, 131_070..131_075usize];
    let length = prop_oneof![1 => near, 2 => Just(131_072), 1 => Just(262_144)];
    let run = (prop::option::of(0..3i64), length);
    (prop::collection::vec(run, 1..5), 0..3).prop_map(move |(runs, kind)| {
        let all = runs.iter().cycle().flat_map(|(value, length)| std::iter::repeat_n(*value, *length));
        let all = all.take(rows);
        match kind {
            0 => Arc::new(all.map(|n| n.map(|n| format!("run {n}"))).collect::<StringArray>()) as ArrayRef,
            1 => Arc::new(all.collect::<Int64Array>()),
            _ => {
                Arc::new(all.map(|n| n.map(|n| [-0.0, 0.0, f64::NAN][n as usize])).collect::<Float64Array>())
            }
        }
    })
}

#[cfg(feature = "parquet")]
proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// What is encoded once for several row groups is found in each, by its rows and by the index of its pages.
    #[test]
    fn parquet_holds_long_runs(
        arrays in prop_oneof![1..9_000usize, 131_072..400_000usize]
            .prop_flat_map(|rows| prop::collection::vec(column_of_runs(rows), 1..4)),
        threads in 1..4usize,
        first in any::<prop::sample::Index>(),
    ) {
        use parquet::arrow::arrow_reader::{ArrowReaderOptions, ParquetRecordBatchReaderBuilder};
        use parquet::arrow::arrow_reader::{RowSelection, RowSelector};
        use parquet::file::metadata::PageIndexPolicy;
        let named = arrays.into_iter().enumerate().map(|(i, array)| (format!("column {i}"), array, true));
        let batch = RecordBatch::try_from_iter_with_nullable(named).unwrap();
        let rows = batch.num_rows();
        let options = TableOptions::default().threads(NonZero::new(threads));
        for form in [batch.clone(), coded(&batch)] {
            let mut out = Vec::new();
            let mut sink = table_sink(TableForm::PARQUET, &batch.schema(), &mut out, options).unwrap();
            for begin in (0..rows).step_by(8_192) {
                sink.write(&form.slice(begin, (rows - begin).min(8_192))).unwrap();
            }
            sink.finish().unwrap();
            let mut file = tempfile::tempfile().unwrap();
            file.write_all(&out).unwrap();
            let reader = || {
                let options = ArrowReaderOptions::new().with_page_index_policy(PageIndexPolicy::Required);
                ParquetRecordBatchReaderBuilder::try_new_with_options(file.try_clone().unwrap(), options)
                    .unwrap()
            };
            let all = reader();
            for group in all.metadata().row_groups() {
                let full = group.columns().iter().all(|column| column.num_values() == group.num_rows());
                prop_assert!(full, "{:?}", group);
            }
            same_columns(&batch, all.build().unwrap().map(Result::unwrap).collect())?;
            let begin = first.index(rows);
            let some = batch.slice(begin, (rows - begin).min(5_000));
            let selection = vec![RowSelector::skip(begin), RowSelector::select(some.num_rows())];
            let found = reader().with_row_selection(RowSelection::from(selection)).build().unwrap();
            same_columns(&some, found.map(Result::unwrap).collect())?;
        }
    }
}

/// The same values in the same order, however they are divided into batches.
#[cfg(any(feature = "arrow", feature = "parquet"))]
fn same_columns(batch: &RecordBatch, found: Vec<RecordBatch>) -> Result<(), TestCaseError> {
    prop_assert_eq!(found.iter().map(RecordBatch::num_rows).sum::<usize>(), batch.num_rows());
    let mut at = 0;
    for part in found {
        for (wanted, column) in batch.columns().iter().zip(part.columns()) {
            let wanted = wanted.slice(at, part.num_rows());
            prop_assert_eq!(wanted.data_type(), column.data_type());
            match (wanted.as_primitive_opt::<arrow_array::types::Float64Type>(), column.as_primitive_opt()) {
                // What is no number is equal to nothing, and is the same bits all the same.
                (Some(wanted), Some(column)) => {
                    let column: &Float64Array = column;
                    let bits = |array: &Float64Array| -> Vec<Option<u64>> {
                        array.iter().map(|value| value.map(f64::to_bits)).collect()
                    };
                    prop_assert_eq!(bits(wanted), bits(column));
                }
                _ => prop_assert_eq!(&wanted, column),
            }
        }
        at += part.num_rows();
    }
    Ok(())
}

/// Harbours by order, enough of them for several parts of a table.
fn crosstab() -> CrossTab {
    let orders = 0..12_000usize;
    let harbours: StringArray = orders.clone().map(|i| Some(format!("Harbour {}", i % 60))).collect();
    let numbers: Int64Array = orders.clone().map(|i| Some((i / 30) as i64)).collect();
    let amounts: Float64Array = orders.map(|i| Some(i as f64 / 7.0 - 300.0)).collect();
    let columns: [(&str, ArrayRef); 3] =
        [("harbour", Arc::new(harbours)), ("order", Arc::new(numbers)), ("amount", Arc::new(amounts))];
    let batch = RecordBatch::try_from_iter(columns).unwrap();
    let brief =
        Brief::new().rows(["harbour", "order"]).measure(("sales", "sum(amount)")).measure(("n", "count()"));
    CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch])).unwrap()
}

/// Parts are made and written side by side, and the bytes are those of one part after the other.
#[test]
fn tables_are_the_same_by_any_number_of_threads() {
    let crosstab = crosstab();
    use TableForm as F;
    for form in [F::CSV, F::JSON, F::JSON_LINES, F::MARKDOWN, F::PARQUET, F::ARROW] {
        let spec = TableSpec::default().exact(form.is_text());
        let table = crosstab.table(&spec).unwrap();
        let (mut one_by_one, schema) = (Vec::new(), table.schema().clone());
        let mut sink = table_sink(form, &schema, &mut one_by_one, TableOptions::default()).unwrap();
        let parts = table.batches().map(|batch| sink.write(&batch).unwrap()).count();
        sink.finish().unwrap();
        assert!(parts > 2, "{parts} parts");
        for threads in 1..5 {
            let mut out = Vec::new();
            let options = TableOptions::default().threads(NonZero::new(threads));
            write_table(form, crosstab.table(&spec).unwrap(), &mut out, options).unwrap();
            assert!(out == one_by_one, "{form:?} by {threads} threads");
        }
    }
}

/// What takes so many bytes and no more.
struct Full(usize);

impl Write for Full {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0 = self.0.checked_sub(bytes.len()).ok_or(std::io::ErrorKind::StorageFull)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

#[test]
fn a_full_disk_ends_all_threads() {
    let crosstab = crosstab();
    for (threads, room) in (1..5).flat_map(|threads| [(threads, 0), (threads, 1_000_000)]) {
        let options = TableOptions::default().threads(NonZero::new(threads));
        let table = crosstab.table(&TableSpec::default()).unwrap();
        let error = write_table(TableForm::CSV, table, &mut Full(room), options).unwrap_err();
        assert_eq!(error.kind(), std::io::ErrorKind::StorageFull, "{threads} threads, {room} bytes");
    }
}

/// A line of one field that holds nothing is in quotes, whatever its column is: without them it would be none.
#[test]
fn a_line_of_one_blank_is_a_line() {
    let numbers = [Some(f64::NAN), Some(1.5), None, Some(f64::INFINITY), Some(f64::NEG_INFINITY), Some(-0.0)];
    let floats: ArrayRef = Arc::new(Float64Array::from(numbers.to_vec()));
    let texts: ArrayRef =
        Arc::new(StringArray::from(vec![Some(""), Some("a"), None, Some(""), None, Some("0")]));
    for (array, wanted) in
        [(floats, "n\n\"\"\n1.5\n\"\"\n\"\"\n\"\"\n0\n"), (texts, "n\n\"\"\na\n\"\"\n\"\"\n\"\"\n0\n")]
    {
        let batch = RecordBatch::try_from_iter_with_nullable([("n", array, true)]).unwrap();
        for batch in [coded(&batch), batch] {
            let written = written(&batch, TableForm::CSV, TableOptions::default());
            assert_eq!(String::from_utf8(written).unwrap(), wanted);
        }
    }
}
