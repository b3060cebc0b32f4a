//! A table as CSV.

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{Column, columns, runs};
use super::{Entry, TableOptions, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "CSV",
    endings: &["csv"],
    is_text: true,
    feature: None,
    writing: Some(Writing::Text { head, rows }),
};

fn head(schema: &SchemaRef, options: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let mut csv = csv::Writer::from_writer(text);
    let heading = |name: &String| if options.inert && runs(name) { format!("'{name}") } else { name.clone() };
    csv.write_record(schema.fields().iter().map(|field| heading(field.name()))).map_err(into_io_error)
}

fn rows(batch: &RecordBatch, options: TableOptions, text: &mut Vec<u8>) -> std::io::Result<()> {
    let columns = columns(batch)?;
    let mut csv = csv::Writer::from_writer(text);
    let mut field = Vec::new();
    for row in 0..batch.num_rows() {
        for column in &columns {
            let own = match column {
                Column::Text(array) if options.inert && runs(array.value(row)) => None,
                Column::Text(array) | Column::Exact(array) => Some(array.value(row).as_bytes()),
                _ => None,
            };
            if let Some(own) = own {
                csv.write_field(own).map_err(into_io_error)?;
                continue;
            }
            field.clear();
            if matches!(column, Column::Text(_)) {
                field.push(b'\'');
            }
            column.write(row, &mut field);
            csv.write_field(&field).map_err(into_io_error)?;
        }
        csv.write_record(None::<&[u8]>).map_err(into_io_error)?;
    }
    csv.flush()
}

/// A closed pipe or a full disk must be known as one.
fn into_io_error(error: csv::Error) -> std::io::Error {
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        other => std::io::Error::other(format!("{other:?}")),
    }
}
