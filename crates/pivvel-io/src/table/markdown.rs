//! A table as Markdown: pipes between cells, numbers to the right.

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{columns, is_number};
use super::{Entry, TableOptions, Text, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "Markdown",
    endings: &["md", "markdown"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text(Text { head, rows, between: "", tail: "" })),
};

fn head(schema: &SchemaRef, _: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let names: Vec<String> = schema.fields().iter().map(|field| escaped(field.name())).collect();
    let rule = |number: bool| if number { "---:" } else { "---" };
    let rules: Vec<&str> = schema.fields().iter().map(|field| rule(is_number(field))).collect();
    writeln!(text, "| {} |\n| {} |", names.join(" | "), rules.join(" | "))
}

fn rows(batch: &RecordBatch, _: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let columns = columns(batch)?;
    for row in 0..batch.num_rows() {
        let cells: Vec<String> = columns.iter().map(|column| escaped(column.cell(row).text())).collect();
        writeln!(text, "| {} |", cells.join(" | "))?;
    }
    Ok(())
}

/// Text that means nothing but itself.
fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\n' | '\r' | '\t' => escaped.push(' '),
            '|' | '\\' | '`' | '*' | '_' | '<' | '>' | '[' | ']' | '#' | '~' | '&' => {
                escaped.push('\\');
                escaped.push(c);
            }
            c => escaped.push(c),
        }
    }
    escaped
}
