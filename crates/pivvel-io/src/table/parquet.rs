//! A table as Parquet.

use super::{Entry, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "Parquet",
    endings: &["parquet"],
    is_text: false,
    feature: Some("parquet"),
    #[cfg(feature = "parquet")]
    writing: Some(Writing::Sink {
        make: |schema, out, options| Ok(Box::new(sink::ParquetSink::new(schema, out, options)?)),
        dictionaries: true,
    }),
    #[cfg(not(feature = "parquet"))]
    writing: None,
};

#[cfg(feature = "parquet")]
mod sink {
    use std::io::Write;
    use std::sync::{Mutex, PoisonError};

    use arrow_array::RecordBatch;
    use arrow_schema::SchemaRef;
    use parquet::arrow::ArrowWriter;
    use parquet::arrow::arrow_writer::{
        ArrowColumnChunk, ArrowColumnWriter, ArrowRowGroupWriterFactory, compute_leaves,
    };
    use parquet::basic::Compression;
    use parquet::errors::{ParquetError, Result};
    use parquet::file::properties::{DEFAULT_MAX_ROW_GROUP_ROW_COUNT, WriterProperties};
    use parquet::file::writer::SerializedFileWriter;

    use crate::table::{TableOptions, TableSink};

    /// So many rows are encoded at once, column by column.
    const ROWS: usize = 1 << 15;

    /// Encodes the columns side by side: the file is the same for any number of threads.
    pub(super) struct ParquetSink<'a> {
        file: SerializedFileWriter<&'a mut (dyn Write + Send)>,
        factory: ArrowRowGroupWriterFactory,
        threads: usize,
        /// What was taken and is not yet encoded.
        waiting: Vec<RecordBatch>,
        /// The columns of the row group that is being written, and how many rows it has.
        group: Option<(Vec<ArrowColumnWriter>, usize)>,
    }

    impl<'a> ParquetSink<'a> {
        pub(super) fn new(
            schema: &SchemaRef,
            out: &'a mut (dyn Write + Send),
            options: TableOptions,
        ) -> std::io::Result<ParquetSink<'a>> {
            let properties = WriterProperties::builder()
                .set_compression(Compression::SNAPPY)
                .set_created_by("pivvel".into())
                .build();
            let writer = ArrowWriter::try_new(out, schema.clone(), Some(properties));
            let (file, factory) =
                writer.and_then(ArrowWriter::into_serialized_writer).map_err(into_io_error)?;
            Ok(ParquetSink { file, factory, threads: options.threads(), waiting: Vec::new(), group: None })
        }

        /// Encodes all that waits.
        fn encode(&mut self) -> Result<()> {
            let mut waiting = std::mem::take(&mut self.waiting).into_iter().peekable();
            while waiting.peek().is_some() {
                let (columns, mut rows) = match self.group.take() {
                    Some(group) => group,
                    None => (self.factory.create_column_writers(self.file.flushed_row_groups().len())?, 0),
                };
                let mut fitting = Vec::new();
                while let Some(batch) = waiting.peek_mut().filter(|_| rows < DEFAULT_MAX_ROW_GROUP_ROW_COUNT)
                {
                    let take = batch.num_rows().min(DEFAULT_MAX_ROW_GROUP_ROW_COUNT - rows);
                    fitting.push(batch.slice(0, take));
                    *batch = batch.slice(take, batch.num_rows() - take);
                    rows += take;
                    if batch.num_rows() == 0 {
                        waiting.next();
                    }
                }
                let written = side_by_side(columns, self.threads, &|place, mut column: ArrowColumnWriter| {
                    for batch in &fitting {
                        for leaf in compute_leaves(batch.schema_ref().field(place), batch.column(place))? {
                            column.write(&leaf)?;
                        }
                    }
                    Ok(column)
                });
                self.group = Some((written?, rows));
                if rows == DEFAULT_MAX_ROW_GROUP_ROW_COUNT {
                    self.close_group()?;
                }
            }
            Ok(())
        }

        fn close_group(&mut self) -> Result<()> {
            let Some((columns, _)) = self.group.take() else { return Ok(()) };
            let close = |_, column: ArrowColumnWriter| column.close();
            let chunks: Vec<ArrowColumnChunk> = side_by_side(columns, self.threads, &close)?;
            let mut group = self.file.next_row_group()?;
            chunks.into_iter().try_for_each(|chunk| chunk.append_to_row_group(&mut group))?;
            group.close().map(drop)
        }
    }

    impl TableSink for ParquetSink<'_> {
        fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
            if batch.num_rows() > 0 {
                self.waiting.push(batch.clone());
            }
            match self.waiting.iter().map(RecordBatch::num_rows).sum::<usize>() >= ROWS {
                true => self.encode().map_err(into_io_error),
                false => Ok(()),
            }
        }

        fn finish(mut self: Box<Self>) -> std::io::Result<()> {
            self.encode().and_then(|()| self.close_group()).map_err(into_io_error)?;
            self.file.finish().map(drop).map_err(into_io_error)
        }
    }

    /// Makes something of every column, by so many threads.
    fn side_by_side<C: Send, T: Send>(
        columns: Vec<C>,
        threads: usize,
        make: &(dyn Fn(usize, C) -> Result<T> + Sync),
    ) -> Result<Vec<T>> {
        let threads = threads.min(columns.len()).max(1);
        let left = Mutex::new(columns.into_iter().enumerate());
        let work = || {
            let next = || left.lock().unwrap_or_else(PoisonError::into_inner).next();
            let own = std::iter::from_fn(next).map(|(place, column)| (place, make(place, column)));
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
            other => std::io::Error::other(other.to_string()),
        }
    }
}
