//! A table as JSON lines. Numbers are written with all their digits: who reads them as binary floating
//! point rounds them, and who does not has them exactly.

use arrow_array::RecordBatch;

use super::cells::{Column, columns};
use super::{Entry, TableOptions, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "JSON lines",
    endings: &["json", "jsonl", "ndjson"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text { head: |_, _, _| Ok(()), rows }),
};

fn rows(batch: &RecordBatch, _: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let columns = columns(batch)?;
    let key = |(i, name): (usize, &String)| {
        let lead = if i == 0 { '{' } else { ',' };
        format!("{lead}{}:", serde_json::Value::from(name.as_str()))
    };
    let schema = batch.schema_ref();
    let keys: Vec<String> = schema.fields().iter().map(|field| field.name()).enumerate().map(key).collect();
    for row in 0..batch.num_rows() {
        for (key, column) in keys.iter().zip(&columns) {
            text.extend_from_slice(key.as_bytes());
            let before = text.len();
            match column {
                Column::Text(array) if !column.is_blank(row) => {
                    serde_json::to_writer(&mut *text, array.value(row))?
                }
                Column::YesNo(array) if !column.is_blank(row) => {
                    serde_json::to_writer(&mut *text, &array.value(row))?
                }
                column => column.write(row, text),
            }
            if text.len() == before {
                text.extend_from_slice(b"null");
            } else if matches!(column, Column::Exact(_) | Column::Day(_)) && !is_number(&text[before..]) {
                // A day among numbers is no number.
                text.insert(before, b'"');
                text.push(b'"');
            }
        }
        text.extend_from_slice(if keys.is_empty() { b"{}\n" } else { b"}\n" });
    }
    Ok(())
}

/// Whether digits are a number as JSON has them.
fn is_number(text: &[u8]) -> bool {
    let digits = text.strip_prefix(b"-").unwrap_or(text);
    digits.iter().all(|byte| byte.is_ascii_digit() || *byte == b'.')
}
