//! A table as an Arrow IPC file.

use super::{Entry, Writing};

pub(super) static ENTRY: Entry = Entry {
    what: "Arrow record batches",
    endings: &["arrow"],
    is_text: false,
    feature: Some("arrow"),
    #[cfg(feature = "arrow")]
    writing: Some(Writing::Sink {
        make: |schema, out, _| Ok(Box::new(sink::ArrowSink::new(schema, out)?)),
        dictionaries: false,
    }),
    #[cfg(not(feature = "arrow"))]
    writing: None,
};

#[cfg(feature = "arrow")]
mod sink {
    use std::io::Write;

    use arrow_array::RecordBatch;
    use arrow_ipc::writer::FileWriter;
    use arrow_schema::{ArrowError, SchemaRef};

    use crate::table::TableSink;

    pub(super) struct ArrowSink<'a> {
        file: FileWriter<&'a mut (dyn Write + Send)>,
    }

    impl<'a> ArrowSink<'a> {
        pub(super) fn new(
            schema: &SchemaRef,
            out: &'a mut (dyn Write + Send),
        ) -> std::io::Result<ArrowSink<'a>> {
            Ok(ArrowSink { file: FileWriter::try_new(out, schema).map_err(into_io_error)? })
        }
    }

    impl TableSink for ArrowSink<'_> {
        fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
            self.file.write(batch).map_err(into_io_error)
        }

        fn finish(mut self: Box<Self>) -> std::io::Result<()> {
            self.file.finish().map_err(into_io_error)
        }
    }

    /// A closed pipe or a full disk must be known as one.
    fn into_io_error(error: ArrowError) -> std::io::Error {
        match error {
            ArrowError::IoError(_, error) => error,
            other => std::io::Error::other(other),
        }
    }
}
