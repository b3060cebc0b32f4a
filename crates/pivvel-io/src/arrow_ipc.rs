//! Arrow IPC files and streams as a source.

use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use arrow_array::RecordBatch;
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_schema::{ArrowError, SchemaRef};
use pivvel_core::source::{LineSource, ReadProgress, Tally};
use pivvel_core::{Error, Result};

use crate::source::{ReadOptions, Source};
use crate::text::{Chunk, Column, Troubles};
use crate::typed::{TypedColumns, TypedTrouble, read_texts};

/// Arrow record batches in a file or stream.
pub(crate) struct ArrowSource {
    name: String,
    origin: Origin,
    columns: TypedColumns,
    progress: Arc<ReadProgress>,
}

enum Origin {
    File(PathBuf),
    Stream(Option<StreamReader<Box<dyn Read + Send>>>, Arc<Mutex<[u8; 8]>>),
}

type Batches = Box<dyn Iterator<Item = Result<RecordBatch, ArrowError>>>;

/// The batches of a file.
pub(crate) fn open(path: PathBuf, name: String, options: &ReadOptions) -> Result<ArrowSource> {
    let file = File::open(&path).map_err(|e| Error::io(path.display().to_string(), e))?;
    let total = file.metadata().map_or(0, |file| file.len());
    check_blocks(&path, &name, total)?;
    let reader = FileReader::try_new(BufReader::new(file), None).map_err(|e| broken(&name, e))?;
    let columns = TypedColumns::new(&reader.schema(), &options.kinds, options.bad_values)?;
    Ok(ArrowSource { name, origin: Origin::File(path), columns, progress: Arc::new(ReadProgress::of(total)) })
}

/// The batches of a stream.
pub(crate) fn open_stream(
    reader: Box<dyn Read + Send>,
    name: String,
    options: &ReadOptions,
) -> Result<ArrowSource> {
    let last = Arc::new(Mutex::new([0; 8]));
    let reader: Box<dyn Read + Send> = Box::new(Tail { reader, last: last.clone() });
    let reader = StreamReader::try_new(reader, None).map_err(|e| broken(&name, e))?;
    let columns = TypedColumns::new(&reader.schema(), &options.kinds, options.bad_values)?;
    Ok(ArrowSource { name, origin: Origin::Stream(Some(reader), last), columns, progress: Arc::default() })
}

/// The mark that ends a stream.
const END: [u8; 8] = [0xff, 0xff, 0xff, 0xff, 0, 0, 0, 0];

/// A reader that knows the last bytes that it gave.
struct Tail {
    reader: Box<dyn Read + Send>,
    last: Arc<Mutex<[u8; 8]>>,
}

impl Read for Tail {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let read = self.reader.read(buffer)?;
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        for byte in &buffer[read.saturating_sub(8)..read] {
            last.rotate_left(1);
            last[7] = *byte;
        }
        Ok(read)
    }
}

/// That the blocks of a file lie within it, so that nothing is allocated because of what it merely claims.
fn check_blocks(path: &Path, name: &str, total: u64) -> Result<()> {
    let cut = || Error::data(name, "these Arrow record batches are damaged or were cut short");
    let bytes = |from: u64, count: usize| -> Result<Vec<u8>> {
        let mut file = File::open(path).map_err(|e| Error::io(name, e))?;
        let mut bytes = vec![0; count];
        file.seek(SeekFrom::Start(from)).and_then(|_| file.read_exact(&mut bytes)).map_err(|_| cut())?;
        Ok(bytes)
    };
    let end = bytes(total.checked_sub(10).ok_or_else(cut)?, 10)?;
    let (length, mark) = end.split_first_chunk::<4>().ok_or_else(cut)?;
    let length = u64::try_from(i32::from_le_bytes(*length)).map_err(|_| cut())?;
    let from = (total - 10).checked_sub(length).ok_or_else(cut)?;
    if mark != b"ARROW1" {
        return Err(cut());
    }
    let footer = bytes(from, length as usize)?;
    let footer = arrow_ipc::root_as_footer(&footer).map_err(|_| cut())?;
    let blocks = footer.recordBatches().into_iter().chain(footer.dictionaries());
    for block in blocks.flatten() {
        let parts = [block.offset(), i64::from(block.metaDataLength()), block.bodyLength()];
        let parts: Option<Vec<u64>> = parts.iter().map(|part| u64::try_from(*part).ok()).collect();
        let end = parts.and_then(|parts| parts.into_iter().try_fold(0u64, u64::checked_add));
        if end.is_none_or(|end| end > total) {
            return Err(cut());
        }
    }
    Ok(())
}

fn broken(name: &str, error: ArrowError) -> Error {
    Error::data(name, format!("these Arrow record batches cannot be read: {error}")).with_cause(error)
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
                Ok((Box::new(reader.map_err(|e| broken(&self.name, e))?), exact))
            }
            Origin::Stream(stream, _) => match stream.take() {
                Some(stream) => Ok((Box::new(stream), false)),
                None => Err(Error::data(&self.name, "a stream can be read only once")),
            },
        }
    }

    fn each(&mut self, columns: &[usize], take: &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally> {
        let (batches, projected) = self.batches(columns)?;
        let (troubles, mut tally) = (Troubles::default(), Tally::default());
        for (number, batch) in batches.enumerate() {
            let batch = batch.map_err(|e| broken(&self.name, e))?;
            let rows = batch.num_rows();
            self.progress.add(batch.get_array_memory_size() as u64);
            troubles.read(number as u64, rows as u64);
            let arrays: Vec<_> = match projected {
                true => batch.columns().to_vec(),
                false => columns.iter().map(|i| batch.column(*i).clone()).collect(),
            };
            match self.columns.batch(&self.name, &arrays, columns, rows) {
                Ok((batch, blanked)) => {
                    tally.count_blanked(blanked);
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
        // A stream ends with a mark, and without it may have been cut short.
        if let Origin::Stream(_, last) = &self.origin
            && *last.lock().unwrap_or_else(PoisonError::into_inner) != END
        {
            let message = "it ends without the mark that ends a stream of record batches: it was cut short";
            return Err(Error::data(&self.name, message));
        }
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

    fn progress(&self) -> Option<Arc<ReadProgress>> {
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
