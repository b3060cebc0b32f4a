//! The same lines in every form that lines can come in, written by the standard crates of each form.

use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Decimal64Type, Decimal128Type, Float64Type, Int64Type};
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_schema::{DataType, Schema};
use pivvel::Decimal;
use pivvel::brief::BadValues;
use pivvel::source::{LineSource, ReadOptions, TextSource};

use crate::server::Server;

/// Lines that were read once, to be written in other forms.
pub(crate) struct Lines {
    pub(crate) schema: Arc<Schema>,
    pub(crate) batch: RecordBatch,
    /// What the columns hold, as a brief says it.
    pub(crate) kinds: Vec<(String, String)>,
}

impl Lines {
    /// Lines as CSV; none where these do not read without trouble.
    pub(crate) fn read(csv: &str, kinds: &[(String, String)], bad_values: BadValues) -> Option<Lines> {
        // All lines in one block.
        let block_bytes = Some(8 << 20);
        let options =
            ReadOptions::default().kinds(kinds.to_vec()).bad_values(bad_values).block_bytes(block_bytes);
        let text = std::io::Cursor::new(csv.as_bytes().to_vec());
        let mut source = TextSource::from_reader("lines.csv", text, &options).ok()?;
        let schema = source.schema();
        let names = || schema.fields().iter().map(|field| field.name().as_str());
        if names().any(|name| source.trouble(name).is_some()) {
            return None;
        }
        let kinds = pivvel::source::Source::columns(&source).iter().map(|column| {
            let kind = column.kind().kind().to_string();
            // Dates are written in ISO form here.
            (column.name().to_string(), if kind == "date" { "date(ymd)".into() } else { kind })
        });
        let kinds = kinds.collect();
        let all: Vec<usize> = (0..schema.fields().len()).collect();
        let mut batches = Vec::new();
        source
            .scan(&all, &mut |batch| {
                batches.push(batch);
                Ok(())
            })
            .ok()?;
        let [batch] = &batches[..] else { return None };
        Some(Lines { schema, batch: batch.clone(), kinds })
    }

    fn names(&self) -> impl Iterator<Item = &str> {
        self.schema.fields().iter().map(|field| field.name().as_str())
    }

    /// Every value as text, in plain form; nothing for a blank.
    fn texts(&self) -> Vec<Vec<String>> {
        let row = |i: usize| self.batch.columns().iter().map(|array| text(array, i)).collect();
        (0..self.batch.num_rows()).map(row).collect()
    }

    fn csv(&self) -> Vec<u8> {
        let mut out = csv::Writer::from_writer(Vec::new());
        out.write_record(self.names()).unwrap();
        self.texts().iter().for_each(|row| out.write_record(row).unwrap());
        out.into_inner().unwrap()
    }

    fn json(&self) -> String {
        let quoted = |text: &str| serde_json::to_string(text).unwrap();
        let value = |array: &ArrayRef, text: &String| match (array.data_type(), text.is_empty()) {
            (_, true) => "null".to_string(),
            (DataType::Utf8View | DataType::Date32, _) => quoted(text),
            _ => text.clone(),
        };
        let line = |row: &Vec<String>| {
            let fields = self.names().zip(self.batch.columns()).zip(row);
            let fields: Vec<String> = fields
                .map(|((name, array), text)| format!("{}:{}", quoted(name), value(array, text)))
                .collect();
            format!("{{{}}}\n", fields.join(","))
        };
        self.texts().iter().map(line).collect()
    }

    fn sqlite(&self, path: &Path) {
        let connection = rusqlite::Connection::open(path).unwrap();
        let own = |(name, array): (&str, &ArrayRef)| {
            let kind = match array.data_type() {
                DataType::Int64 => "INTEGER",
                DataType::Decimal64(..) | DataType::Decimal128(..) => "NUMERIC",
                DataType::Float64 => "REAL",
                _ => "TEXT",
            };
            format!("\"{}\" {kind}", name.replace('"', "\"\""))
        };
        let columns: Vec<String> = self.names().zip(self.batch.columns()).map(own).collect();
        connection.execute_batch(&format!("CREATE TABLE lines ({}); BEGIN", columns.join(", "))).unwrap();
        let places = vec!["nullif(?, '')"; columns.len()].join(", ");
        let mut insert = connection.prepare(&format!("INSERT INTO lines VALUES ({places})")).unwrap();
        for row in self.texts() {
            insert.execute(rusqlite::params_from_iter(row)).unwrap();
        }
        connection.execute_batch("COMMIT").unwrap();
    }

    /// A table of the server, replaced if it is there.
    pub(crate) fn postgres(&self, server: &Server, table: &str) {
        let own = |(name, array): (&str, &ArrayRef)| {
            let kind = match array.data_type() {
                DataType::Int64 => "bigint".to_string(),
                DataType::Decimal64(_, scale) => format!("numeric(18, {scale})"),
                DataType::Decimal128(_, scale) => format!("numeric(38, {scale})"),
                DataType::Float64 => "float8".into(),
                DataType::Boolean => "boolean".into(),
                DataType::Date32 => "date".into(),
                _ => "text".into(),
            };
            format!("\"{}\" {kind}", name.replace('"', "\"\""))
        };
        let columns: Vec<String> = self.names().zip(self.batch.columns()).map(own).collect();
        let csv = String::from_utf8(self.csv()).unwrap();
        server.answer(&format!(
            "set client_min_messages = warning; drop table if exists {table}; create table {table} ({});\n\
             copy {table} from stdin (format csv, header);\n{csv}\\.\n",
            columns.join(", ")
        ));
    }

    fn workbook(&self, path: &Path) {
        let mut book = rust_xlsxwriter::Workbook::new();
        let sheet = book.add_worksheet();
        let day = rust_xlsxwriter::Format::new().set_num_format("yyyy-mm-dd");
        for (i, (name, array)) in self.names().zip(self.batch.columns()).enumerate() {
            let column = i as u16;
            sheet.write_string(0, column, name).unwrap();
            for row in 0..array.len() {
                let (at, text) = (row as u32 + 1, text(array, row));
                let digits = text.bytes().filter(u8::is_ascii_digit).count();
                match array.data_type() {
                    _ if text.is_empty() => {}
                    DataType::Date32 => {
                        let date = rust_xlsxwriter::ExcelDateTime::parse_from_str(&text).unwrap();
                        sheet.write_datetime_with_format(at, column, &date, &day).unwrap();
                    }
                    DataType::Boolean => drop(sheet.write_boolean(at, column, text == "true").unwrap()),
                    // A workbook's numbers have 15 digits.
                    DataType::Utf8View => drop(sheet.write_string(at, column, &text).unwrap()),
                    _ if digits > 15 => drop(sheet.write_string(at, column, &text).unwrap()),
                    _ => drop(sheet.write_number(at, column, text.parse::<f64>().unwrap()).unwrap()),
                }
            }
        }
        book.save(path).unwrap();
    }

    /// An OpenDocument sheet with what such a file must have.
    fn open_document(&self, path: &Path) {
        let escaped = |text: &str| {
            let text = text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
            text.replace('\n', "&#10;").replace('\r', "&#13;")
        };
        let cell = |(array, text): (&ArrayRef, &String)| {
            let digits = text.bytes().filter(u8::is_ascii_digit).count();
            let (kind, shown) = match array.data_type() {
                _ if text.is_empty() => return "<table:table-cell/>".to_string(),
                DataType::Date32 => (format!("date\" office:date-value=\"{text}"), escaped(text)),
                DataType::Boolean => (format!("boolean\" office:boolean-value=\"{text}"), escaped(text)),
                DataType::Utf8View => {
                    (format!("string\" office:string-value=\"{}", escaped(text)), escaped(text))
                }
                _ if digits > 15 => (format!("string\" office:string-value=\"{text}"), text.clone()),
                _ => (format!("float\" office:value=\"{text}"), text.clone()),
            };
            format!(
                "<table:table-cell office:value-type=\"{kind}\"><text:p>{shown}</text:p></table:table-cell>"
            )
        };
        let heading: String = self
            .names()
            .map(|name| {
                let name = escaped(name);
                format!(
                    "<table:table-cell office:value-type=\"string\" office:string-value=\"{name}\"><text:p>{name}</text:p></table:table-cell>"
                )
            })
            .collect();
        let rows: String = self
            .texts()
            .iter()
            .map(|row| {
                let cells: String = self.batch.columns().iter().zip(row).map(cell).collect();
                format!("<table:table-row>{cells}</table:table-row>")
            })
            .collect();
        write_ods(path, &format!("<table:table-row>{heading}</table:table-row>{rows}"), 0);
    }

    fn parquet(&self, path: &Path, lines_a_group: usize) {
        let properties = parquet::file::properties::WriterProperties::builder()
            .set_max_row_group_row_count(Some(lines_a_group))
            .build();
        let file = File::create(path).unwrap();
        let mut writer =
            parquet::arrow::ArrowWriter::try_new(file, self.batch.schema(), Some(properties)).unwrap();
        writer.write(&self.batch).unwrap();
        writer.close().unwrap();
    }

    fn arrow(&self, path: &Path) {
        let file = File::create(path).unwrap();
        let mut writer = arrow_ipc::writer::FileWriter::try_new(file, &self.batch.schema()).unwrap();
        // Two batches, so that there is more than one.
        let half = self.batch.num_rows() / 2;
        writer.write(&self.batch.slice(0, half)).unwrap();
        writer.write(&self.batch.slice(half, self.batch.num_rows() - half)).unwrap();
        writer.finish().unwrap();
    }
}

/// The forms of files by name, and how each is written.
pub(crate) const FORMS: [&str; 9] =
    ["csv.gz", "csv.zst", "jsonl", "jsonl.gz", "parquet", "arrow", "xlsx", "ods", "sqlite"];

/// Writes lines in a form into a folder: where they are then.
pub(crate) fn write(lines: &Lines, form: &str, folder: &Path) -> String {
    let path = folder.join(format!("lines.{form}"));
    let gzip = |bytes: &[u8]| {
        let mut out =
            flate2::write::GzEncoder::new(File::create(&path).unwrap(), flate2::Compression::fast());
        out.write_all(bytes).unwrap();
        out.finish().unwrap();
    };
    match form {
        "csv.gz" => gzip(&lines.csv()),
        "csv.zst" => std::fs::write(&path, zstd::encode_all(&lines.csv()[..], 1).unwrap()).unwrap(),
        "jsonl" => std::fs::write(&path, lines.json()).unwrap(),
        "jsonl.gz" => gzip(lines.json().as_bytes()),
        "parquet" => lines.parquet(&path, 3),
        "arrow" => lines.arrow(&path),
        "xlsx" => lines.workbook(&path),
        "ods" => lines.open_document(&path),
        _ => lines.sqlite(&path),
    }
    path.display().to_string()
}

/// A value in plain digits, dates in ISO form.
fn text(array: &ArrayRef, row: usize) -> String {
    if array.is_null(row) {
        return String::new();
    }
    match array.data_type() {
        DataType::Utf8View => array.as_string_view().value(row).to_string(),
        DataType::Int64 => array.as_primitive::<Int64Type>().value(row).to_string(),
        DataType::Float64 => array.as_primitive::<Float64Type>().value(row).to_string(),
        DataType::Boolean => array.as_boolean().value(row).to_string(),
        DataType::Decimal64(_, scale) => {
            Decimal::new(array.as_primitive::<Decimal64Type>().value(row).into(), *scale as u8).to_string()
        }
        DataType::Decimal128(_, scale) => {
            Decimal::new(array.as_primitive::<Decimal128Type>().value(row), *scale as u8).to_string()
        }
        _ => {
            let day = array.as_primitive::<Date32Type>().value(row);
            chrono::NaiveDate::from_num_days_from_ce_opt(day + 719_163).unwrap().to_string()
        }
    }
}

/// An OpenDocument workbook of one sheet with these rows, whose content lacks so many bytes at its end.
pub(crate) fn write_ods(path: &Path, rows: &str, lacks: usize) {
    let office = "urn:oasis:names:tc:opendocument:xmlns";
    let content = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><office:document-content xmlns:office=\"{office}:office:1.0\" \
         xmlns:table=\"{office}:table:1.0\" xmlns:text=\"{office}:text:1.0\" office:version=\"1.2\"><office:body>\
         <office:spreadsheet><table:table table:name=\"Lines\">{rows}</table:table></office:spreadsheet></office:body>\
         </office:document-content>"
    );
    let mime = "application/vnd.oasis.opendocument.spreadsheet";
    let manifest = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><manifest:manifest xmlns:manifest=\"{office}:manifest:1.0\">\
         <manifest:file-entry manifest:full-path=\"/\" manifest:media-type=\"{mime}\"/><manifest:file-entry \
         manifest:full-path=\"content.xml\" manifest:media-type=\"text/xml\"/></manifest:manifest>"
    );
    let content = &content[..content.len() - lacks];
    let mut book = zip::ZipWriter::new(File::create(path).unwrap());
    let stored =
        || zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, text) in [("mimetype", mime), ("content.xml", content), ("META-INF/manifest.xml", &manifest)] {
        book.start_file(name, stored()).unwrap();
        book.write_all(text.as_bytes()).unwrap();
    }
    book.finish().unwrap();
}
