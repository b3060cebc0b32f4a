//! Tables written in every form and read back by readers that know nothing of this product: the same names,
//! the same values to the last digit, and each pair of levels once.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Cursor;
use std::path::Path;
use std::process::Command;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Decimal128Type, Float64Type, Int32Type, Int64Type, UInt64Type};
use arrow_array::{Array, RecordBatch};
use arrow_schema::DataType;
use pivvel::compare::{Change, Comparison, State, read_tidy};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::{
    LevelFiles, Shape, TABLE_VERSION, TIDY_COLUMNS, TableSpec, Target, TargetOptions, rows_as_texts, tidy,
    tidy_dimensions,
};
use pivvel::{Brief, CrossTab, Decimal};

use crate::cases::cases;

/// Members that need care in every form, digits beyond what binary floating point holds, blanks, and dates.
fn crosstab() -> CrossTab {
    let text = "coast,harbour,scenario,sold_on,amount,weight\n\
                =1+1,\"a,b\",actual,2025-01-31,1234567890123456.78,0.1\n\
                =1+1,\"a,b\",plan,2025-02-28,0.01,\n\
                total,\"say \"\"hi\"\"\",actual,2025-03-01,-5.50,2.25\n\
                @sum,|pipe|,actual,2025-12-31,99.00,1e-9\n\
                ,x,plan,2024-02-29,7.00,3\n";
    let mut source = TextSource::from_reader("lines", Cursor::new(text), &ReadOptions::default()).unwrap();
    let brief = Brief::new()
        .rows(["coast", "harbour"])
        .columns(["scenario"])
        .measure(("sales", "sum(amount)"))
        .measure(("share", "sales / sales at parent"))
        .measure(("latest", "max(sold_on)"))
        .measure(("mean weight", "mean(weight)"))
        .item("scenario", "variance", "actual - plan");
    CrossTab::build(&brief, &mut source).unwrap()
}

/// A table as its reader has it: for each row the value of each column as text, nothing for a blank.
type Rows = Vec<BTreeMap<String, String>>;

/// The tidy result as it is contracted, without any writer.
fn expected(crosstab: &CrossTab) -> Rows {
    let dimensions = tidy_dimensions(crosstab);
    let float = |value: Option<f64>| value.map(|v| v.to_string()).unwrap_or_default();
    let row = |row: pivvel::table::TidyRow<'_>| {
        let members = row.members().into_iter().map(|label| label.unwrap_or_default().to_string());
        let mut cells: BTreeMap<String, String> = dimensions.iter().cloned().zip(members).collect();
        let yardstick = row.yardstick();
        let said = [
            row.levels()[0].to_string(),
            row.levels()[1].to_string(),
            row.kinds()[0].to_string(),
            row.kinds()[1].to_string(),
            row.measure().to_string(),
            row.value().map(|v| v.to_string()).unwrap_or_default(),
            row.lines().to_string(),
            row.peers().to_string(),
            yardstick.map_or(0, |y| y.count()).to_string(),
            yardstick.map(|y| y.low().to_string()).unwrap_or_default(),
            yardstick.map(|y| y.high().to_string()).unwrap_or_default(),
            float(yardstick.and_then(|y| y.mean())),
            float(row.position()),
            row.rank().map(|rank| rank.to_string()).unwrap_or_default(),
        ];
        cells.extend(TIDY_COLUMNS.iter().map(|name| name.to_string()).zip(said));
        cells
    };
    tidy(crosstab).map(row).collect()
}

fn cell(array: &dyn Array, row: usize) -> String {
    if array.is_null(row) {
        return String::new();
    }
    match array.data_type() {
        DataType::Utf8 => array.as_string::<i32>().value(row).to_string(),
        DataType::Dictionary(..) => {
            let texts = array.as_dictionary::<Int32Type>();
            cell(texts.values(), texts.key(row).unwrap())
        }
        DataType::Int64 => array.as_primitive::<Int64Type>().value(row).to_string(),
        DataType::UInt64 => array.as_primitive::<UInt64Type>().value(row).to_string(),
        DataType::Float64 => array.as_primitive::<Float64Type>().value(row).to_string(),
        DataType::Date32 => array.as_primitive::<Date32Type>().value_as_date(row).unwrap().to_string(),
        DataType::Decimal128(_, scale) => {
            Decimal::new(array.as_primitive::<Decimal128Type>().value(row), *scale as u8).to_string()
        }
        other => panic!("{other} stands in no table"),
    }
}

fn of_batches(batches: &[RecordBatch]) -> Rows {
    let row = |batch: &RecordBatch, row: usize| {
        let names = batch.schema().fields().iter().map(|field| field.name().clone()).collect::<Vec<_>>();
        names.into_iter().zip(batch.columns().iter().map(|array| cell(array, row))).collect()
    };
    batches.iter().flat_map(|batch| (0..batch.num_rows()).map(move |i| row(batch, i))).collect()
}

fn parquet(path: &Path) -> Vec<RecordBatch> {
    let file = std::fs::File::open(path).unwrap();
    let reader = parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder::try_new(file).unwrap();
    reader.build().unwrap().map(Result::unwrap).collect()
}

fn arrow(path: &Path) -> Vec<RecordBatch> {
    let file = std::fs::File::open(path).unwrap();
    arrow_ipc::reader::FileReader::try_new(file, None).unwrap().map(Result::unwrap).collect()
}

/// What a file says of itself.
fn metadata(path: &Path) -> arrow_schema::Metadata {
    let file = std::fs::File::open(path).unwrap();
    let schema = match path.extension().unwrap().to_str() {
        Some("parquet") => {
            let reader = parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder::try_new(file);
            reader.unwrap().schema().clone()
        }
        _ => arrow_ipc::reader::FileReader::try_new(file, None).unwrap().schema(),
    };
    schema.metadata().clone()
}

fn csv_rows(path: &Path) -> Rows {
    let mut reader = csv::Reader::from_path(path).unwrap();
    reader.deserialize().map(Result::unwrap).collect()
}

/// Rows as Python's own library reads them, which keeps every digit of a number.
fn python(path: &Path) -> Option<Rows> {
    let program = "import csv, json, sys\n\
        path = sys.argv[1]\n\
        text = lambda v: '' if v is None else v if isinstance(v, str) else str(v)\n\
        lines = open(path, encoding='utf-8', newline='')\n\
        loads = lambda text: json.loads(text, parse_float=str, parse_int=str)\n\
        forms = {'csv': lambda: list(csv.DictReader(lines)), 'json': lambda: loads(lines.read()),\n\
            'jsonl': lambda: [loads(line) for line in lines]}\n\
        rows = forms[path.rsplit('.', 1)[1]]()\n\
        print(json.dumps([{k: text(v) for k, v in row.items()} for row in rows]))";
    let found = Command::new("python3").args(["-c", program]).arg(path).output();
    let output = match found {
        Ok(output) => output,
        Err(_) => {
            crate::missing::skipped("python3");
            return None;
        }
    };
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    Some(serde_json::from_slice(&output.stdout).unwrap())
}

/// Numbers that were read as binary floating point are told without the digits that it lacks.
fn as_float(rows: &mut Rows, columns: &[&str]) {
    for cell in rows.iter_mut().flat_map(|row| row.iter_mut()) {
        if columns.contains(&cell.0.as_str()) {
            *cell.1 = cell.1.parse::<f64>().map(|value| value.to_string()).unwrap_or_default();
        }
    }
}

fn write(crosstab: &CrossTab, path: &Path, shape: Option<Shape>) {
    let options = TargetOptions::default().shape(shape);
    Target::new(path).unwrap().with(options).write(crosstab).unwrap();
}

/// CSV and JSON hold every digit; Parquet and Arrow hold them beside the floating-point number.
#[test]
fn tidy_is_the_same_in_every_form() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let whole = expected(&crosstab);
    assert!(whole.iter().any(|row| row["value"] == "1234567890123456.78"));
    let path = |name: &str| folder.path().join(name);
    for name in ["tidy.csv", "tidy.json", "tidy.jsonl", "tidy.parquet", "tidy.arrow"] {
        write(&crosstab, &path(name), None);
    }
    assert_eq!(csv_rows(&path("tidy.csv")), whole);
    for name in ["tidy.csv", "tidy.json", "tidy.jsonl"] {
        if let Some(rows) = python(&path(name)) {
            let mut rows = rows;
            let mut expected = whole.clone();
            // The scale's own floats may be spelled otherwise.
            let floats = ["peer_mean", "position", "value", "peer_low", "peer_high"];
            let exact =
                |row: &BTreeMap<String, String>| row["measure"] == "sales" || row["measure"] == "latest";
            for (found, expected) in rows.iter().zip(&expected) {
                if exact(expected) {
                    assert_eq!(found["value"], expected["value"], "{name}");
                }
            }
            as_float(&mut rows, &floats);
            as_float(&mut expected, &floats);
            assert_eq!(rows, expected, "{name}");
        }
    }
    for (name, batches) in
        [("tidy.parquet", parquet(&path("tidy.parquet"))), ("tidy.arrow", arrow(&path("tidy.arrow")))]
    {
        let said = |key: &str| metadata(&path(name)).get(key).cloned().unwrap_or_default();
        assert_eq!(
            (said("pivvel:table"), said("pivvel:fingerprint")),
            (TABLE_VERSION.into(), crosstab.fingerprint().into())
        );
        let mut rows = of_batches(&batches);
        let mut expected = whole.clone();
        for (row, expected) in rows.iter_mut().zip(&mut expected) {
            assert_eq!(row.remove("exact").as_ref(), expected.get("value"), "{name}");
            if expected["measure"] == "latest" {
                // A date is no number.
                for column in ["value", "peer_low", "peer_high"] {
                    expected.insert(column.into(), String::new());
                }
            }
        }
        let floats = ["value", "peer_low", "peer_high", "peer_mean", "position"];
        as_float(&mut expected, &floats);
        as_float(&mut rows, &floats);
        assert_eq!(rows, expected, "{name}");
    }
}

/// One row a cell: measures are typed, and none is rounded.
#[test]
fn a_row_a_cell_with_typed_measures() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let path = |name: &str| folder.path().join(name);
    for name in ["cells.csv", "cells.json", "cells.parquet", "cells.arrow"] {
        write(&crosstab, &path(name), Some(Shape::Cells));
    }
    let batches = parquet(&path("cells.parquet"));
    let types: Vec<String> = batches[0].schema().fields().iter().map(|f| f.data_type().to_string()).collect();
    assert_eq!(types[types.len() - 4..], ["Decimal128(38, 2)", "Float64", "Date32", "Float64"]);
    let rows = of_batches(&batches);
    assert_eq!(rows, of_batches(&arrow(&path("cells.arrow"))));
    assert_eq!(rows, csv_rows(&path("cells.csv")));
    assert_eq!(rows.len(), crosstab.cells().count());
    for (row, cell) in rows.iter().zip(crosstab.cells()) {
        for (place, measure) in crosstab.measures().iter().enumerate() {
            let value = cell.value(place).map(|value| value.to_string()).unwrap_or_default();
            assert_eq!(row[measure.name()], value);
        }
        assert_eq!(row["lines"], cell.lines().to_string());
    }
    if let Some(mut read) = python(&path("cells.json")) {
        let mut rows = rows;
        as_float(&mut rows, &["share", "mean weight"]);
        as_float(&mut read, &["share", "mean weight"]);
        assert_eq!(read, rows);
    }
}

/// Dictionaries say the same as texts, in every shape of every case. All batches share them, and they hold no text twice
/// and no member that is not shown.
#[test]
fn texts_as_dictionaries_of_the_whole_table() {
    let mut columns = 0;
    for case in cases() {
        let Ok(crosstab) = case.stream(None) else { continue };
        let outermost = crosstab.rows().dimensions().first().map(|dimension| dimension.name().to_string());
        let every_shape =
            [Shape::Tidy, Shape::Cells, Shape::Wide].map(|shape| TableSpec::default().shape(shape));
        let specs = every_shape.into_iter().flat_map(|spec| {
            let decided = spec.clone().with_decisions(true).exact(true);
            [spec.clone().with_hidden(true), decided, spec.levels(outermost.clone())]
        });
        for spec in specs {
            let read = |table: pivvel::table::Table<'_>| {
                (table.schema().clone(), table.batches().collect::<Vec<_>>())
            };
            let (plain_schema, plain) = read(crosstab.table(&spec).unwrap());
            let (schema, batches) = read(crosstab.table(&spec.clone().dictionaries(true)).unwrap());
            let rows = of_batches(&plain);
            assert_eq!(of_batches(&batches), rows, "{}", case.path.display());
            let written = |batch: &RecordBatch| rows_as_texts(batch).unwrap();
            let texts = |batches: &[RecordBatch]| batches.iter().flat_map(written).collect::<Vec<_>>();
            assert_eq!(texts(&batches), texts(&plain), "{}", case.path.display());
            let located = schema.index_of("row_level").unwrap();
            for (place, (field, plain)) in schema.fields().iter().zip(plain_schema.fields()).enumerate() {
                let is_text =
                    plain.data_type() == &DataType::Utf8 && !plain.metadata().contains_key("pivvel:exact");
                assert_eq!(matches!(field.data_type(), DataType::Dictionary(..)), is_text, "{field}");
                assert_eq!(field.metadata(), plain.metadata());
                let mut dictionaries: Vec<_> = batches
                    .iter()
                    .filter_map(|batch| batch.column(place).as_dictionary_opt::<Int32Type>())
                    .map(|dictionary| {
                        dictionary.values().as_string::<i32>().iter().map(Option::unwrap).collect::<Vec<_>>()
                    })
                    .collect();
                dictionaries.dedup();
                let [texts] = &dictionaries[..] else { continue };
                let different: BTreeSet<&str> = texts.iter().copied().collect();
                assert_eq!(different.len(), texts.len(), "{texts:?}");
                columns += 1;
                if place < located {
                    let shown: BTreeSet<&str> = rows.iter().map(|row| row[field.name()].as_str()).collect();
                    assert!(different.is_subset(&shown), "{}: {field}: {different:?}", case.path.display());
                }
            }
        }
    }
    assert!(columns > 1_000, "{columns}");
}

/// As shown: rows in their order, a column for each column and measure.
#[test]
fn as_shown() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let path = folder.path().join("wide.md");
    write(&crosstab, &path, None);
    let options = TargetOptions::default().levels(["coast", "row total"]);
    let text = std::fs::read_to_string(&path).unwrap();
    assert_eq!(text.lines().count(), 2 + crosstab.rows().entries().len());
    Target::new(&path).unwrap().with(options).write(&crosstab).unwrap();
    insta::assert_snapshot!(std::fs::read_to_string(&path).unwrap(), @r"
    | coast | harbour | row\_level | row\_kind | total / sales | total / share | total / latest | total / mean weight |
    | --- | --- | --- | --- | ---: | ---: | --- | ---: |
    | =1+1 |  | coast | member | 1234567890123456.79 | 0.9999999999999186 | 2025-02-28 | 0.1 |
    | @sum |  | coast | member | 99.00 | 0.00000000000008019000072170348 | 2025-12-31 | 0.000000001 |
    | total |  | coast | member | -5.50 | -0.000000000000004455000040094638 | 2025-03-01 | 2.25 |
    |  |  | coast | member | 7.00 | 0.0000000000000056700000510295394 | 2024-02-29 | 3 |
    ");
}

/// What a spreadsheet would run is made inert where that is asked for, and left alone where it is not.
#[test]
fn texts_that_would_run() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let path = folder.path().join("tidy.csv");
    let texts = |inert: bool| {
        let target = Target::new(&path).unwrap().with(TargetOptions::default().inert(inert));
        target.write(&crosstab).unwrap();
        let mut coasts: Vec<String> = csv_rows(&path).into_iter().map(|row| row["coast"].clone()).collect();
        coasts.sort();
        coasts.dedup();
        coasts
    };
    assert_eq!(texts(false), ["", "=1+1", "@sum", "total"]);
    assert_eq!(texts(true), ["", "'=1+1", "'@sum", "total"]);
}

/// A file for each pair of levels, which together hold every row once.
#[test]
fn levels_apart() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let written = LevelFiles::new(folder.path().join("parts/*.csv"))
        .unwrap()
        .write(&crosstab, &TargetOptions::default())
        .unwrap();
    let mut rows: Vec<_> = written
        .iter()
        .flat_map(|path| {
            let rows = csv_rows(path);
            let levels = |row: &BTreeMap<String, String>| {
                format!("{} by {}.csv", row["row_level"], row["column_level"])
            };
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            assert!(!rows.is_empty() && rows.iter().all(|row| levels(row) == name), "{name}");
            rows
        })
        .collect();
    let mut all = expected(&crosstab);
    rows.sort();
    all.sort();
    assert_eq!(rows, all);
    assert_eq!(written.len(), 6);
}

/// The sheets of a workbook as LibreOffice reads them.
#[test]
fn a_workbook_holds_numbers() {
    let (crosstab, folder) = (crosstab(), tempfile::tempdir().unwrap());
    let path = folder.path().join("book.xlsx");
    write(&crosstab, &path, None);
    let filter = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false,false,false,false,-1";
    let home = format!("-env:UserInstallation=file://{}/home", folder.path().display());
    let mut office = Command::new("soffice");
    office.args([&home, "--headless", "--convert-to", filter, "--outdir"]).arg(folder.path()).arg(&path);
    match office.output() {
        Ok(output) => assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr)),
        Err(_) => return crate::missing::skipped("LibreOffice"),
    }
    let mut found = csv_rows(&folder.path().join("book-Tidy.csv"));
    let mut rows = expected(&crosstab);
    for (found, row) in found.iter_mut().zip(&mut rows) {
        assert_eq!(found.remove("exact").as_ref(), row.get("value"), "the exact text stays one");
        if row["measure"] == "latest" {
            for column in ["value", "peer_low", "peer_high"] {
                row.insert(column.into(), String::new());
            }
        }
        // It writes 15 digits, and 18 after the point at most.
        for (name, cell) in found.iter().filter(|(_, cell)| !cell.is_empty()) {
            let number = |text: &str| text.parse::<f64>().ok();
            let close = |a: f64, b: f64| (a - b).abs() <= (a.abs() * 1e-14).max(1e-17);
            let same =
                *cell == row[name] || number(cell).zip(number(&row[name])).is_some_and(|(a, b)| close(a, b));
            assert!(same, "{name}: {cell} and {}", row[name]);
        }
        assert!(
            found.iter().all(|(name, cell)| cell.is_empty() == row[name].is_empty()),
            "{found:?}, {row:?}"
        );
    }
    assert_eq!(found.len(), rows.len());
    // As it is read: the title, the headings, and a number in every cell that has one.
    let shown = std::fs::read_to_string(folder.path().join("book-Cross-tab.csv")).unwrap();
    assert!(shown.contains("sales, share, latest, mean weight by coast, harbour and scenario"), "{shown}");
    assert!(shown.contains("1234567890123460") || shown.contains("1.23456789012346E+015"), "{shown}");
}

/// Dimensions of days, periods and numbers are what they are where the form has types, beside the labels that text
/// forms hold; and a tidy result is the same to compare with, whatever form it was written in.
#[test]
fn dimensions_are_typed_beside_their_labels() {
    let text = "sold_on,size,code,fee,web,amount\n2025-01-31,1.5,7,0.1,yes,2.00\n2025-05-02,2.25,8,1e300,no,3.00\n\
                ,,,,,4.00\n";
    let read = || TextSource::from_reader("lines", Cursor::new(text), &ReadOptions::default()).unwrap();
    let cases: [(&str, DataType, &[&str]); 9] = [
        ("sold_on.day", DataType::Date32, &["2025-01-31", "2025-05-02"]),
        ("sold_on.month", DataType::Date32, &["2025-01-01", "2025-05-01"]),
        ("sold_on.quarter", DataType::Date32, &["2025-01-01", "2025-04-01"]),
        ("sold_on.year", DataType::Date32, &["2025-01-01"]),
        ("size", DataType::Decimal128(38, 2), &["1.50", "2.25"]),
        ("code", DataType::Int64, &["7", "8"]),
        ("fee", DataType::Float64, &["0.1", &format!("{}", 1e300)]),
        // Weekdays come round again, and words are words.
        ("sold_on.weekday", DataType::Utf8, &["Friday", "Friday"]),
        ("web", DataType::Utf8, &["no", "yes"]),
    ];
    for (name, data_type, values) in cases {
        for brief in [Brief::new().rows([name]), Brief::new().columns([name])] {
            let brief = brief.measure(("sales", "sum(amount)"));
            let crosstab = CrossTab::build(&brief, &mut read()).unwrap();
            let folder = tempfile::tempdir().unwrap();
            let path = |file: &str| folder.path().join(file);
            for shape in [Shape::Tidy, Shape::Cells, Shape::Wide] {
                if shape == Shape::Wide && !brief.get_columns().is_empty() {
                    continue;
                }
                write(&crosstab, &path("t.csv"), Some(shape));
                write(&crosstab, &path("t.parquet"), Some(shape));
                let (labels, batches) = (csv_rows(&path("t.csv")), parquet(&path("t.parquet")));
                let rows = of_batches(&batches);
                assert_eq!(
                    batches[0].schema().field_with_name(name).unwrap().data_type(),
                    &data_type,
                    "{name}"
                );
                let label = if data_type == DataType::Utf8 { name.into() } else { format!("{name}_label") };
                let column =
                    |rows: &Rows, name: &str| rows.iter().map(|row| row[name].clone()).collect::<Vec<_>>();
                assert_eq!(column(&rows, &label), column(&labels, name), "{name} {shape:?}");
                let mut found: Vec<String> =
                    column(&rows, name).into_iter().filter(|v| !v.is_empty()).collect();
                found.dedup();
                let mut wanted: Vec<&str> = values.to_vec();
                wanted.dedup();
                assert_eq!(found, wanted, "{name} {shape:?}");
            }
            write(&crosstab, &path("tidy.csv"), None);
            write(&crosstab, &path("tidy.parquet"), None);
            let [csv, parquet] = ["tidy.csv", "tidy.parquet"].map(|file| read_tidy(&path(file)).unwrap());
            let comparison = Comparison::new(&csv, &parquet, &[]).unwrap();
            let zero = |change: &Change| change.change().is_none_or(|value| value.as_f64() == 0.0);
            assert!(comparison.changes().iter().all(|c| c.state() == State::Both && zero(c)), "{name}");
        }
    }
    // A dimension that is called like the labels of another one has a longer name.
    let brief = Brief::new()
        .rows(["code", "code_label"])
        .derive("code_label", "case when code > 7 then 'new' else 'old' end");
    let crosstab = CrossTab::build(&brief, &mut read()).unwrap();
    assert_eq!(tidy_dimensions(&crosstab), ["code", "code_label_member"]);
    let schema = crosstab.to_record_batch().schema();
    let names: Vec<&str> = schema.fields().iter().take(3).map(|field| field.name().as_str()).collect();
    assert_eq!(names, ["code", "code_label", "code_label_member"]);
}

/// Rows, values, periods and notices are written and read by serde; exact numbers are texts.
#[test]
fn results_by_serde() {
    let crosstab = crosstab();
    let rows: Vec<BTreeMap<String, serde_json::Value>> =
        serde_json::from_str(&serde_json::to_string(&tidy(&crosstab).collect::<Vec<_>>()).unwrap()).unwrap();
    let as_text = |value: &serde_json::Value| match value {
        serde_json::Value::Null => String::new(),
        serde_json::Value::String(text) => text.clone(),
        other => other.as_f64().map(|number| number.to_string()).unwrap(),
    };
    let rows: Rows = rows
        .iter()
        .map(|row| row.iter().map(|(name, value)| (name.clone(), as_text(value))).collect())
        .collect();
    assert_eq!(rows, expected(&crosstab));
    for text in ["-12.50", "0.001", "2025-01-31", "123456789012345678901234567890.12"] {
        let value: pivvel::Value = serde_json::from_value(text.into()).unwrap();
        assert_eq!(serde_json::to_value(value).unwrap(), text);
    }
    let decimal: Decimal = serde_json::from_str("\"1.50\"").unwrap();
    assert_eq!(decimal, Decimal::new(15, 1));
    let period: pivvel::result::Period = serde_json::from_str("\"2025-Q1\"").unwrap();
    assert_eq!(serde_json::to_string(&period).unwrap(), "\"2025-Q1\"");
    assert!(serde_json::from_str::<pivvel::Value>("\"Fell\"").is_err());
    for notice in crosstab.notices() {
        let written = serde_json::to_value(&notice).unwrap();
        assert_eq!(
            (&written["code"], &written["text"]),
            (&notice.code().name().into(), &notice.text().into())
        );
    }
}
