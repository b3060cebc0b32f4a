//! Results that are compared: tidy tables read from files.

use std::path::Path;
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, Schema};
use pivvel_core::{Address, Brief, CrossTab, Error, LinesBehind, Result, Run, Snapshot};
use pivvel_io::{ReadOptions, Source, open};

use crate::files::location_of;

/// Reads a tidy result from a file of any form that lines are read from.
///
/// # Errors
/// A file that cannot be read, or that holds no tidy result.
pub fn read_tidy(path: &Path) -> Result<Snapshot> {
    let name = location_of(path)?;
    let source = open(name, &ReadOptions::default())?;
    let columns: Vec<String> = source.columns().iter().map(|column| column.name.clone()).collect();
    let reopened = || -> Result<Box<dyn Source>> {
        // Read as text no member and no digit is taken for anything else.
        let kinds = columns.iter().map(|column| (column.clone(), "text".to_string())).collect();
        let texts = open(name, &ReadOptions { kinds, ..ReadOptions::default() });
        texts.or_else(|_| open(name, &ReadOptions::default()))
    };
    // As lines that are behind everything, since these have one type for each column.
    let brief = Brief::new().measure(("lines", "count()"));
    if CrossTab::build(&brief, reopened()?.as_mut())?.is_empty() {
        // A result of no line has no rows, and everything has changed since.
        let fields: Vec<Field> = columns.iter().map(|name| Field::new(name, DataType::Utf8, true)).collect();
        return Snapshot::from_texts(name, &[RecordBatch::new_empty(Arc::new(Schema::new(fields)))]);
    }
    let trace = Run::new().trace(&brief, reopened()?.as_mut())?;
    let mut batches: Vec<RecordBatch> = Vec::new();
    trace.lines(&LinesBehind::of(Address::new()), reopened()?.as_mut(), &mut |batch| {
        batches.push(as_texts(&batch).map_err(|e| Error::io(name, e))?);
        Ok(())
    })?;
    Snapshot::from_texts(name, &batches)
}

/// The same rows with every column as text.
fn as_texts(batch: &RecordBatch) -> std::io::Result<RecordBatch> {
    use arrow_array::{ArrayRef, StringArray};
    let rows = pivvel_io::rows_as_texts(batch)?;
    let column = |i: usize| {
        let cells = rows.iter().map(|row| Some(row[i].as_str()).filter(|text| !text.is_empty()));
        Arc::new(cells.collect::<StringArray>()) as ArrayRef
    };
    let schema = batch.schema();
    let columns =
        schema.fields().iter().enumerate().map(|(i, field)| (field.name().clone(), column(i), true));
    RecordBatch::try_from_iter_with_nullable(columns).map_err(std::io::Error::other)
}
