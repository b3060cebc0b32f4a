//! Arrow IPC files and streams as a source.

use std::fs::File;
use std::io::{BufReader, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_ipc::writer::FileWriter;
use arrow_schema::{ArrowError, SchemaRef};
use pivvel_core::{Error, LineSource, Progress, Result, Tally};

use crate::source::{ReadOptions, Source};
use crate::text::{Chunk, Column, Troubles};
use crate::typed::{TypedColumns, TypedTrouble, read_texts};

/// Arrow record batches in a file or stream.
pub(crate) struct ArrowSource {
    name: String,
    origin: Origin,
    columns: TypedColumns,
    progress: Arc<Progress>,
}

enum Origin {
    File(PathBuf),
    Stream(Option<StreamReader<Box<dyn Read + Send>>>),
}

type Batches = Box<dyn Iterator<Item = Result<RecordBatch, ArrowError>>>;

/// The batches of a file.
pub(crate) fn open(path: PathBuf, name: String, options: &ReadOptions) -> Result<ArrowSource> {
    let file = File::open(&path).map_err(|e| Error::io(path.display().to_string(), e))?;
    let total = file.metadata().map_or(0, |file| file.len());
    let reader = FileReader::try_new(BufReader::new(file), None).map_err(|e| broken(&name, &e))?;
    let columns = TypedColumns::new(&reader.schema(), &options.kinds, options.bad_values)?;
    Ok(ArrowSource { name, origin: Origin::File(path), columns, progress: Arc::new(Progress::of(total)) })
}

/// The batches of a stream.
pub(crate) fn open_stream(
    reader: Box<dyn Read + Send>,
    name: String,
    options: &ReadOptions,
) -> Result<ArrowSource> {
    let reader = StreamReader::try_new(reader, None).map_err(|e| broken(&name, &e))?;
    let columns = TypedColumns::new(&reader.schema(), &options.kinds, options.bad_values)?;
    Ok(ArrowSource { name, origin: Origin::Stream(Some(reader)), columns, progress: Arc::default() })
}

fn broken(name: &str, error: &ArrowError) -> Error {
    Error::data(name, format!("these Arrow record batches cannot be read: {error}"))
}

/// Writes one record batch as an Arrow IPC file, with what its schema tells.
pub(crate) fn write_batch(batch: &RecordBatch, out: &mut dyn Write) -> std::io::Result<()> {
    let failed = |e: ArrowError| match e {
        ArrowError::IoError(_, cause) => cause,
        other => std::io::Error::other(other.to_string()),
    };
    let mut writer = FileWriter::try_new(out, &batch.schema()).map_err(failed)?;
    writer.write(batch).map_err(failed)?;
    writer.finish().map_err(failed)
}

/// The one record batch of an Arrow IPC file.
pub(crate) fn read_batch(path: &Path) -> Result<RecordBatch> {
    let name = path.display().to_string();
    let file = File::open(path).map_err(|e| Error::io(&name, e))?;
    let mut reader = FileReader::try_new(BufReader::new(file), None).map_err(|e| broken(&name, &e))?;
    match reader.next() {
        Some(batch) => batch.map_err(|e| broken(&name, &e)),
        None => Err(Error::data(name, "this file holds nothing")),
    }
}

impl ArrowSource {
    /// The batches, with the columns that are asked for where the form allows.
    fn batches(&mut self, columns: &[usize]) -> Result<(Batches, bool)> {
        match &mut self.origin {
            Origin::File(path) => {
                let file = File::open(&*path).map_err(|e| Error::io(path.display().to_string(), e))?;
                let mut sorted = columns.to_vec();
                sorted.sort_unstable();
                sorted.dedup();
                let exact = sorted == columns;
                let wanted = if exact { Some(sorted) } else { None };
                let reader = FileReader::try_new(BufReader::new(file), wanted);
                Ok((Box::new(reader.map_err(|e| broken(&self.name, &e))?), exact))
            }
            Origin::Stream(stream) => match stream.take() {
                Some(stream) => Ok((Box::new(stream), false)),
                None => Err(Error::data(&self.name, "a stream can be read only once")),
            },
        }
    }

    fn each(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let (batches, projected) = self.batches(columns)?;
        let (troubles, mut tally) = (Troubles::default(), Tally::default());
        for (number, batch) in batches.enumerate() {
            let batch = batch.map_err(|e| broken(&self.name, &e))?;
            let rows = batch.num_rows();
            self.progress.add(batch.get_array_memory_size() as u64);
            troubles.read(number as u64, rows as u64);
            let arrays: Vec<_> = match projected {
                true => batch.columns().to_vec(),
                false => columns.iter().map(|i| batch.column(*i).clone()).collect(),
            };
            match self.columns.batch(&self.name, &arrays, columns, rows) {
                Ok((batch, blanked)) => {
                    tally.blanked += blanked;
                    take(batch)?;
                }
                Err(TypedTrouble::Values(trouble)) => troubles.meet(number as u64, trouble),
                Err(TypedTrouble::Other(error)) => return Err(error),
            }
            if troubles.is_enough() {
                break;
            }
        }
        troubles.finish(&self.name, 1)?;
        Ok(tally)
    }
}

impl LineSource for ArrowSource {
    fn name(&self) -> &str {
        &self.name
    }

    fn schema(&self) -> SchemaRef {
        self.columns.schema.clone()
    }

    fn scan(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        self.each(columns, take)
    }

    fn progress(&self) -> Option<Arc<Progress>> {
        Some(self.progress.clone())
    }
}

impl Source for ArrowSource {
    fn columns(&self) -> &[Column] {
        &self.columns.columns
    }

    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally> {
        read_texts(self.columns.columns.len(), take, |all, each| self.scan(all, each))
    }
}
