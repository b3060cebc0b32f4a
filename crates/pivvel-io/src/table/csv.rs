//! A table as CSV.

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{Content, columns, runs};
use super::rows::{Separators, write_rows};
use super::{Entry, TableOptions, Text, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "CSV",
    endings: &["csv"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text(Text { head, rows, between: "", tail: "" })),
};

fn head(schema: &SchemaRef, options: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let fields = Fields::new(options, schema.fields().len());
    for (place, field) in schema.fields().iter().enumerate() {
        text.extend_from_slice(before(place).as_bytes());
        fields.text(field.name(), text);
    }
    text.extend_from_slice(fields.after().as_bytes());
    Ok(())
}

fn rows(batch: &RecordBatch, options: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let fields = Fields::new(options, batch.num_columns());
    let before: Vec<String> = (0..batch.num_columns()).map(|place| before(place).to_string()).collect();
    let separators = Separators { before: &before, after: fields.after() };
    let write = |content: Content<'_, '_>, text: &mut Vec<u8>| {
        match content {
            Content::Blank => fields.field("", text),
            Content::Text(own) => fields.text(own, text),
            Content::Exact(own) => fields.field(own, text),
            Content::Value(column, row) => column.write(row, text),
        }
        Ok(())
    };
    write_rows(&columns(batch)?, batch.num_rows(), &separators, &write, text)
}

fn before(place: usize) -> &'static str {
    if place == 0 { "" } else { "," }
}

/// Writes fields, in quotes where RFC 4180 wants them.
struct Fields {
    writer: csv_core::Writer,
    /// How many stand in a line.
    columns: usize,
    inert: bool,
}

impl Fields {
    fn new(options: TableOptions, columns: usize) -> Fields {
        Fields { writer: csv_core::Writer::new(), columns, inert: options.inert }
    }

    /// A text, which no spreadsheet takes for a formula if that is wanted.
    fn text(&self, text: &str, out: &mut Vec<u8>) {
        match self.inert && runs(text) {
            true => self.field(&format!("'{text}"), out),
            false => self.field(text, out),
        }
    }

    fn field(&self, text: &str, out: &mut Vec<u8>) {
        // A line that holds nothing would be none.
        let is_line = self.columns == 1 && text.is_empty();
        if !is_line && !self.writer.should_quote(text.as_bytes()) {
            return out.extend_from_slice(text.as_bytes());
        }
        out.push(b'"');
        let start = out.len();
        out.resize(start + 2 * text.len(), 0);
        let (_, _, written) = csv_core::quote(text.as_bytes(), &mut out[start..], b'"', b'"', true);
        out.truncate(start + written);
        out.push(b'"');
    }

    /// What stands after the last field of a line.
    fn after(&self) -> &'static str {
        if self.columns == 0 { "\"\"\n" } else { "\n" }
    }
}
