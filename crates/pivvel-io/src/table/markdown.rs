//! A table as Markdown: pipes between cells, numbers to the right.

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{columns, is_number};
use super::{Entry, TableSink};

pub(super) static ENTRY: Entry = Entry {
    what: "Markdown",
    endings: &["md", "markdown"],
    is_text: true,
    feature: None,
    sink: Some(|schema, out, _| Ok(Box::new(MarkdownSink::new(schema, out)?))),
};

struct MarkdownSink<'a> {
    out: &'a mut (dyn Write + Send),
}

impl<'a> MarkdownSink<'a> {
    fn new(schema: &SchemaRef, out: &'a mut (dyn Write + Send)) -> std::io::Result<MarkdownSink<'a>> {
        let names: Vec<String> = schema.fields().iter().map(|field| escaped(field.name())).collect();
        let rule = |number: bool| if number { "---:" } else { "---" };
        let rules: Vec<&str> = schema.fields().iter().map(|field| rule(is_number(field))).collect();
        writeln!(out, "| {} |\n| {} |", names.join(" | "), rules.join(" | "))?;
        Ok(MarkdownSink { out })
    }
}

impl TableSink for MarkdownSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        let columns = columns(batch)?;
        for row in 0..batch.num_rows() {
            let cells: Vec<String> = columns.iter().map(|column| escaped(column.cell(row).text())).collect();
            writeln!(self.out, "| {} |", cells.join(" | "))?;
        }
        Ok(())
    }

    fn finish(self: Box<Self>) -> std::io::Result<()> {
        self.out.flush()
    }
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
