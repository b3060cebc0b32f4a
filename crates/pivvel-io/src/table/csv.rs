//! A table as CSV.

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::SchemaRef;

use super::cells::{Cell, columns, runs};
use super::{Entry, TableOptions, TableSink};

pub(super) static ENTRY: Entry = Entry {
    what: "CSV",
    endings: &["csv"],
    is_text: true,
    feature: None,
    sink: Some(|schema, out, options| Ok(Box::new(CsvSink::new(schema, out, options)?))),
};

struct CsvSink<'a> {
    csv: csv::Writer<&'a mut (dyn Write + Send)>,
    options: TableOptions,
}

impl<'a> CsvSink<'a> {
    fn new(
        schema: &SchemaRef,
        out: &'a mut (dyn Write + Send),
        options: TableOptions,
    ) -> std::io::Result<CsvSink<'a>> {
        let mut csv = csv::Writer::from_writer(out);
        let heading =
            |name: &String| if options.inert && runs(name) { format!("'{name}") } else { name.clone() };
        csv.write_record(schema.fields().iter().map(|field| heading(field.name()))).map_err(plain)?;
        Ok(CsvSink { csv, options })
    }
}

impl TableSink for CsvSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        let columns = columns(batch)?;
        for row in 0..batch.num_rows() {
            for column in &columns {
                let cell = column.cell(row);
                match cell {
                    Cell::Text(text) if self.options.inert && runs(text) => {
                        self.csv.write_field(format!("'{text}"))
                    }
                    cell => self.csv.write_field(cell.text()),
                }
                .map_err(plain)?;
            }
            self.csv.write_record(None::<&[u8]>).map_err(plain)?;
        }
        Ok(())
    }

    fn finish(mut self: Box<Self>) -> std::io::Result<()> {
        self.csv.flush()
    }
}

/// A closed pipe or a full disk must be known as one.
fn plain(error: csv::Error) -> std::io::Error {
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        other => std::io::Error::other(format!("{other:?}")),
    }
}
