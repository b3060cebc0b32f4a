//! A table as JSON: an array of objects, or an object a line. Numbers are written with all their digits: who reads them as binary floating
//! point rounds them, and who does not has them exactly.

use arrow_array::RecordBatch;

use super::cells::{Column, Content, columns};
use super::rows::{Separators, write_rows};
use super::{Entry, Text, Writing};

pub(super) static ARRAY: Entry = Entry {
    what: "JSON",
    endings: &["json"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text(Text {
        head: |_, _, text| {
            text.extend_from_slice(b"[\n");
            Ok(())
        },
        rows: |batch, _, text| {
            rows(batch, ",\n", text)?;
            // No comma stands after the last object.
            text.truncate(text.len().saturating_sub(2));
            Ok(())
        },
        between: ",\n",
        tail: "\n]\n",
    })),
};

pub(super) static LINES: Entry = Entry {
    what: "JSON lines",
    endings: &["jsonl", "ndjson"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text(Text {
        head: |_, _, _| Ok(()),
        rows: |batch, _, text| rows(batch, "\n", text),
        between: "",
        tail: "",
    })),
};

/// Writes an object for each row, and after it `after`.
fn rows(batch: &RecordBatch, after: &str, text: &mut Vec<u8>) -> std::io::Result<()> {
    let key = |(i, name): (usize, &String)| {
        let lead = if i == 0 { '{' } else { ',' };
        format!("{lead}{}:", serde_json::Value::from(name.as_str()))
    };
    let schema = batch.schema_ref();
    let keys: Vec<String> = schema.fields().iter().map(|field| field.name()).enumerate().map(key).collect();
    let after = format!("{}{after}", if keys.is_empty() { "{}" } else { "}" });
    let separators = Separators { before: &keys, after: &after };
    write_rows(&columns(batch)?, batch.num_rows(), &separators, &value, text)
}

fn value(content: Content<'_, '_>, text: &mut Vec<u8>) -> std::io::Result<()> {
    match content {
        Content::Blank | Content::Exact("") => text.extend_from_slice(b"null"),
        Content::Text(own) => serde_json::to_writer(&mut *text, own)?,
        // A day among numbers is no number.
        Content::Exact(own) if is_number(own) => text.extend_from_slice(own.as_bytes()),
        Content::Exact(own) => serde_json::to_writer(&mut *text, own)?,
        Content::Value(Column::YesNo(array), row) => serde_json::to_writer(&mut *text, &array.value(row))?,
        Content::Value(column @ Column::Day(_), row) => {
            text.push(b'"');
            column.write(row, text);
            text.push(b'"');
        }
        Content::Value(column, row) => column.write(row, text),
    }
    Ok(())
}

/// Whether digits are a number as JSON has them.
fn is_number(text: &str) -> bool {
    let digits = text.strip_prefix('-').unwrap_or(text);
    digits.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.')
}
