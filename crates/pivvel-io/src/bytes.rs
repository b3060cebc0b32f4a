//! Where text comes from: a file or a stream, as it is or compressed.

use std::fs::File;
use std::io::{Chain, Cursor, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use pivvel_core::source::ReadProgress;
use pivvel_core::{Error, Result};

/// The first bytes of a text, which tell what it holds.
const HEAD: usize = 1 << 20;

/// A text that is read from its beginning, several times where it is a file.
pub(crate) struct Bytes {
    pub(crate) name: String,
    origin: Origin,
    compressed: Option<Compression>,
    pub(crate) progress: Arc<ReadProgress>,
}

type Stream = Chain<Cursor<Vec<u8>>, Box<dyn Read + Send>>;

enum Origin {
    File(PathBuf),
    Stream(Mutex<Option<Stream>>),
}

/// How a text is packed, which its first bytes tell.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Compression {
    Gzip,
    Zstd,
}

impl Compression {
    pub(crate) fn of(head: &[u8]) -> Option<Compression> {
        match head {
            [0x1f, 0x8b, ..] => Some(Compression::Gzip),
            [0x28, 0xb5, 0x2f, 0xfd, ..] => Some(Compression::Zstd),
            _ => None,
        }
    }
}

/// The first part of a text, and whether there is no more.
pub(crate) struct Head {
    pub(crate) bytes: Vec<u8>,
    pub(crate) ended: bool,
}

impl Head {
    /// The text without the mark that may stand before it.
    pub(crate) fn text(&self) -> &[u8] {
        self.bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&self.bytes)
    }
}

impl Bytes {
    /// The text of a file.
    pub(crate) fn open(path: &Path) -> Result<Bytes> {
        let fail = |e| Error::io(path.display().to_string(), e);
        let mut file = File::open(path).map_err(fail)?;
        let mut first = Vec::new();
        file.by_ref().take(4).read_to_end(&mut first).map_err(fail)?;
        let total = file.metadata().map_or(0, |file| if file.is_file() { file.len() } else { 0 });
        let name =
            path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into());
        let compressed = Compression::of(&first);
        Ok(Bytes {
            name,
            origin: Origin::File(path.into()),
            compressed,
            progress: Arc::new(ReadProgress::of(total)),
        })
    }

    /// The text of a stream.
    pub(crate) fn stream(name: String, mut reader: Box<dyn Read + Send>) -> Result<Bytes> {
        let mut first = Vec::new();
        reader.by_ref().take(4).read_to_end(&mut first).map_err(|e| Error::io(&name, e))?;
        let compressed = Compression::of(&first);
        let stream = Cursor::new(first).chain(reader);
        Ok(Bytes {
            name,
            origin: Origin::Stream(Mutex::new(Some(stream))),
            compressed,
            progress: Arc::default(),
        })
    }

    /// Whether it can be read several times.
    pub(crate) fn repeats(&self) -> bool {
        matches!(self.origin, Origin::File(_))
    }

    /// The first part. What a stream gave comes again when it is read.
    pub(crate) fn head(&mut self) -> Result<Head> {
        let progress = std::mem::take(&mut self.progress);
        let mut reader = self.read()?;
        self.progress = progress;
        // A file says how long it is, so that its head is read in one go.
        let length = self.progress.total().filter(|_| self.compressed.is_none()).unwrap_or(0);
        let mut bytes = Vec::with_capacity(length.min(HEAD as u64) as usize);
        reader.by_ref().take(HEAD as u64).read_to_end(&mut bytes).map_err(|e| self.failed(e))?;
        if let Origin::Stream(stream) = &mut self.origin {
            // What was unpacked stays unpacked.
            *stream = Mutex::new(Some(Cursor::new(bytes.clone()).chain(reader)));
            self.compressed = None;
        }
        let ended = bytes.len() < HEAD;
        Ok(Head { bytes, ended })
    }

    /// The text from its beginning, unpacked.
    pub(crate) fn read(&mut self) -> Result<Box<dyn Read + Send>> {
        let raw: Box<dyn Read + Send> = match &mut self.origin {
            Origin::File(path) => {
                Box::new(File::open(&*path).map_err(|e| Error::io(path.display().to_string(), e))?)
            }
            Origin::Stream(stream) => match stream.get_mut().unwrap_or_else(PoisonError::into_inner).take() {
                Some(stream) => Box::new(stream),
                None => return Err(Error::data(&self.name, "a stream can be read only once")),
            },
        };
        let raw = Counted { reader: raw, progress: self.progress.clone() };
        match self.compressed {
            None => Ok(Box::new(raw)),
            Some(Compression::Gzip) => Ok(Box::new(flate2::read::MultiGzDecoder::new(raw))),
            Some(Compression::Zstd) => unpack_zstd(&self.name, raw),
        }
    }

    /// What went wrong while reading.
    pub(crate) fn failed(&self, cause: std::io::Error) -> Error {
        failed(&self.name, cause)
    }
}

#[cfg(feature = "zstd")]
fn unpack_zstd(name: &str, raw: Counted) -> Result<Box<dyn Read + Send>> {
    Ok(Box::new(zstd::stream::read::Decoder::new(raw).map_err(|e| failed(name, e))?))
}

#[cfg(not(feature = "zstd"))]
fn unpack_zstd(name: &str, _: Counted) -> Result<Box<dyn Read + Send>> {
    Err(crate::features::feature_is_off(name, "text packed by zstd", "zstd"))
}

/// What went wrong while reading a text, in words.
pub(crate) fn failed(name: &str, cause: std::io::Error) -> Error {
    use std::io::ErrorKind as K;
    match cause.kind() {
        K::UnexpectedEof => {
            Error::data(name, "it ends in the middle of its compressed text: it was cut short")
        }
        K::InvalidData | K::InvalidInput => {
            Error::data(name, format!("its compressed text is damaged: {cause}"))
        }
        _ => Error::io(name, cause),
    }
}

/// A reader that tells how far it has come.
struct Counted {
    reader: Box<dyn Read + Send>,
    progress: Arc<ReadProgress>,
}

impl Read for Counted {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let read = self.reader.read(buffer)?;
        self.progress.add(read as u64);
        Ok(read)
    }
}
