//! A table as a Parquet file, its columns encoded side by side.

use std::collections::HashSet;
use std::io::Write;
use std::sync::{Arc, Mutex};

use arrow_array::cast::AsArray;
use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::SchemaRef;
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_writer::ArrowRowGroupWriterFactory;
use parquet::basic::Compression;
use parquet::errors::{ParquetError, Result};
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::ColumnPath;

use super::column::{Column, lock};
use super::constant::EncodedConstant;
use crate::table::{TableOptions, TableSink};

/// A row group has so many rows, the last one fewer.
const GROUP_ROWS: usize = 131_072;

/// If more batches than this wait for a column, a thread waits for its turn to encode them.
const WAITING: usize = 8;

/// So many values of a column show whether a dictionary of them is worth its time.
const FIRST: usize = 8_192;

/// Encodes the columns side by side: the file is the same for any number of threads.
pub(super) struct ParquetSink<'a> {
    /// What the file is opened with, once its first rows are known.
    closed: Option<(SchemaRef, &'a mut (dyn Write + Send))>,
    open: Option<Open<'a>>,
    threads: usize,
    /// The columns of the row group that is being written, which any thread may work on.
    columns: Arc<Mutex<Columns>>,
    /// How many rows the row group has.
    rows: usize,
    /// For each column, what it last held if that was one value.
    constants: Vec<Mutex<Option<EncodedConstant>>>,
}

/// A file under way, and what makes the columns of its row groups.
struct Open<'a> {
    file: SerializedFileWriter<&'a mut (dyn Write + Send)>,
    factory: ArrowRowGroupWriterFactory,
    properties: WriterProperties,
}

impl<'a> Open<'a> {
    fn new(schema: SchemaRef, out: &'a mut (dyn Write + Send), first: &[ArrayRef]) -> Result<Open<'a>> {
        let mut properties =
            WriterProperties::builder().set_compression(Compression::SNAPPY).set_created_by("pivvel".into());
        for (field, array) in schema.fields().iter().zip(first) {
            if mostly_differ(array) {
                let path = ColumnPath::new(vec![field.name().clone()]);
                properties = properties.set_column_dictionary_enabled(path, false);
            }
        }
        let properties = properties.build();
        let writer = ArrowWriter::try_new(out, schema, Some(properties.clone()))?;
        let (file, factory) = writer.into_serialized_writer()?;
        Ok(Open { file, factory, properties })
    }
}

/// Whether so few of the first values are alike that a dictionary of a row group would hardly be smaller.
fn mostly_differ(array: &ArrayRef) -> bool {
    let keys = array.as_any_dictionary_opt().map(|dictionary| dictionary.keys());
    let values = keys.unwrap_or(array.as_ref());
    if values.len() < FIRST {
        return false;
    }
    let different = match values.as_string_opt::<i32>() {
        Some(texts) => texts.iter().take(FIRST).collect::<HashSet<_>>().len(),
        None => {
            let data = values.to_data();
            let Some(width) = data.data_type().primitive_width() else { return false };
            let first = &data.buffers()[0][data.offset() * width..][..FIRST * width];
            first.chunks_exact(width).collect::<HashSet<_>>().len()
        }
    };
    different * 100 > FIRST * 94
}

/// The columns of a row group.
type Columns = Arc<Vec<Column>>;

impl<'a> ParquetSink<'a> {
    pub(super) fn new(
        schema: &SchemaRef,
        out: &'a mut (dyn Write + Send),
        options: TableOptions,
    ) -> std::io::Result<ParquetSink<'a>> {
        Ok(ParquetSink {
            closed: Some((schema.clone(), out)),
            open: None,
            threads: options.thread_count(),
            columns: Arc::default(),
            rows: 0,
            constants: schema.fields().iter().map(|_| Mutex::default()).collect(),
        })
    }

    /// The file, which is opened for the first rows.
    fn file(&mut self, first: &[ArrayRef]) -> Result<&mut Open<'a>> {
        if let Some((schema, out)) = self.closed.take() {
            self.open = Some(Open::new(schema, out, first)?);
        }
        self.open.as_mut().ok_or_else(|| ParquetError::General("the file could not be begun".into()))
    }

    /// Gives rows to the columns, and closes a row group that is full.
    fn queue(&mut self, mut batch: RecordBatch) -> Result<()> {
        while batch.num_rows() > 0 {
            if self.rows == 0 {
                let Open { file, factory, .. } = self.file(batch.columns())?;
                let writers = factory.create_column_writers(file.flushed_row_groups().len())?;
                *lock(&self.columns) = Arc::new(writers.into_iter().map(Column::new).collect());
            }
            let fitting = batch.num_rows().min(GROUP_ROWS - self.rows);
            let part = batch.slice(0, fitting);
            let arrays = part.schema_ref().fields().iter().cloned().zip(part.columns().iter().cloned());
            let columns = lock(&self.columns).clone();
            columns.iter().zip(arrays).for_each(|(column, array)| column.push(array.0, array.1));
            self.rows += fitting;
            batch = batch.slice(fitting, batch.num_rows() - fitting);
            if self.rows == GROUP_ROWS {
                self.close_group()?;
            }
        }
        Ok(())
    }

    fn close_group(&mut self) -> Result<()> {
        let columns = std::mem::take(&mut *lock(&self.columns));
        self.rows = 0;
        let properties = self.file(&[])?.properties.clone();
        let close = |place: usize| columns[place].close(&self.constants[place], &properties);
        let chunks = side_by_side(columns.len(), self.threads, &close)?;
        let mut group = self.file(&[])?.file.next_row_group()?;
        chunks.into_iter().flatten().try_for_each(|chunk| chunk.append_to(&mut group))?;
        group.close().map(drop)
    }
}

impl TableSink for ParquetSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        self.take(batch)?;
        let columns = lock(&self.columns).clone();
        let is_full = columns.iter().any(|column| column.waiting() > WAITING);
        if is_full {
            side_by_side(columns.len(), self.threads, &|place| columns[place].encode(true))
                .map_err(into_io_error)?;
        }
        Ok(())
    }

    fn take(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        self.queue(batch.clone()).map_err(into_io_error)
    }

    fn helper(&self) -> Box<dyn Fn() -> std::io::Result<()> + Send + Sync> {
        let columns = Arc::clone(&self.columns);
        Box::new(move || {
            let columns = lock(&columns).clone();
            let encode = |column: &Column| {
                let waiting = column.waiting();
                column.encode(waiting > WAITING)
            };
            columns.iter().try_for_each(encode).map_err(into_io_error)
        })
    }

    fn finish(mut self: Box<Self>) -> std::io::Result<()> {
        if self.rows > 0 {
            self.close_group().map_err(into_io_error)?;
        }
        let finish = |open: &mut Open<'_>| open.file.finish().map(drop);
        self.file(&[]).and_then(finish).map_err(into_io_error)
    }
}

/// Makes something of every column by its place, by so many threads.
fn side_by_side<T: Send>(
    columns: usize,
    threads: usize,
    make: &(dyn Fn(usize) -> Result<T> + Sync),
) -> Result<Vec<T>> {
    let threads = threads.min(columns).max(1);
    let left = Mutex::new(0..columns);
    let work = || {
        let next = || lock(&left).next();
        let own = std::iter::from_fn(next).map(|place| (place, make(place)));
        own.collect::<Vec<_>>()
    };
    let mut made = std::thread::scope(|scope| {
        let others: Vec<_> = (1..threads).map(|_| scope.spawn(work)).collect();
        let mut made = work();
        for other in others {
            made.extend(other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)));
        }
        made
    });
    made.sort_unstable_by_key(|(place, _)| *place);
    made.into_iter().map(|(_, made)| made).collect()
}

/// A closed pipe or a full disk must be known as one.
fn into_io_error(error: ParquetError) -> std::io::Error {
    match error {
        ParquetError::External(error) => match error.downcast::<std::io::Error>() {
            Ok(error) => *error,
            Err(error) => std::io::Error::other(error),
        },
        other => std::io::Error::other(other),
    }
}
