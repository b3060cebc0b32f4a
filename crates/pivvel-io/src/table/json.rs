//! A table as JSON lines. Numbers are written with all their digits: who reads them as binary floating
//! point rounds them, and who does not has them exactly.

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{Cell, columns};
use super::{Entry, TableSink};

pub(super) static ENTRY: Entry = Entry {
    what: "JSON lines",
    endings: &["json", "jsonl", "ndjson"],
    is_text: true,
    feature: None,
    sink: Some(|schema, out, _| Ok(Box::new(JsonSink::new(schema, out)))),
};

struct JsonSink<'a> {
    out: &'a mut (dyn Write + Send),
    /// Each column's name with what stands around it.
    keys: Vec<String>,
}

impl<'a> JsonSink<'a> {
    fn new(schema: &SchemaRef, out: &'a mut (dyn Write + Send)) -> JsonSink<'a> {
        let key = |(i, name): (usize, &String)| {
            let lead = if i == 0 { '{' } else { ',' };
            format!("{lead}{}:", serde_json::Value::from(name.as_str()))
        };
        let keys = schema.fields().iter().map(|field| field.name()).enumerate().map(key).collect();
        JsonSink { out, keys }
    }
}

impl TableSink for JsonSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        let columns = columns(batch)?;
        let mut line = Vec::new();
        for row in 0..batch.num_rows() {
            line.clear();
            for (key, column) in self.keys.iter().zip(&columns) {
                line.extend_from_slice(key.as_bytes());
                match column.cell(row) {
                    Cell::Blank => line.extend_from_slice(b"null"),
                    // A day among numbers is no number.
                    Cell::Number(text) if text.parse::<f64>().is_err() => {
                        serde_json::to_writer(&mut line, &text)?
                    }
                    Cell::Number(digits) => line.extend_from_slice(digits.as_bytes()),
                    Cell::YesNo(yes) => serde_json::to_writer(&mut line, &yes)?,
                    Cell::Text(text) => serde_json::to_writer(&mut line, text)?,
                    Cell::Day(day) => serde_json::to_writer(&mut line, &day)?,
                }
            }
            line.extend_from_slice(if self.keys.is_empty() { b"{}\n" } else { b"}\n" });
            self.out.write_all(&line)?;
        }
        Ok(())
    }

    fn finish(self: Box<Self>) -> std::io::Result<()> {
        self.out.flush()
    }
}
