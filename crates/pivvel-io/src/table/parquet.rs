//! A table as Parquet.

use super::{Entry, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "Parquet",
    endings: &["parquet"],
    is_text: false,
    feature: Some("parquet"),
    #[cfg(feature = "parquet")]
    writing: Some(Writing::Sink(|schema, out, _| Ok(Box::new(sink::ParquetSink::new(schema, out)?)))),
    #[cfg(not(feature = "parquet"))]
    writing: None,
};

#[cfg(feature = "parquet")]
mod sink {
    use std::io::Write;

    use arrow_array::RecordBatch;
    use arrow_schema::SchemaRef;
    use parquet::arrow::ArrowWriter;
    use parquet::basic::Compression;
    use parquet::errors::ParquetError;
    use parquet::file::properties::WriterProperties;

    use crate::table::TableSink;

    pub(super) struct ParquetSink<'a> {
        file: ArrowWriter<&'a mut (dyn Write + Send)>,
    }

    impl<'a> ParquetSink<'a> {
        pub(super) fn new(
            schema: &SchemaRef,
            out: &'a mut (dyn Write + Send),
        ) -> std::io::Result<ParquetSink<'a>> {
            let properties = WriterProperties::builder()
                .set_compression(Compression::SNAPPY)
                .set_created_by("pivvel".into())
                .build();
            let file = ArrowWriter::try_new(out, schema.clone(), Some(properties)).map_err(into_io_error)?;
            Ok(ParquetSink { file })
        }
    }

    impl TableSink for ParquetSink<'_> {
        fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
            self.file.write(batch).map_err(into_io_error)
        }

        fn finish(mut self: Box<Self>) -> std::io::Result<()> {
            self.file.finish().map(drop).map_err(into_io_error)
        }
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
