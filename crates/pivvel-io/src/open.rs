//! Opens lines wherever they are. The first bytes of a file decide what it holds, not its name.

use std::fs::File;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};

use pivvel_core::text::without_secrets;
use pivvel_core::{Error, Result};

use crate::bytes::Bytes;
use crate::features::feature_is_off;
use crate::location::{Location, Part};
use crate::several::Several;
use crate::source::{ReadOptions, Source};
use crate::steady::{Held, Steady};
use crate::text::TextSource;
use crate::{csv, json_lines};

/// Opens the lines at a location: a file, a pattern of files (`days/*.csv`), `-` for standard input, or
/// a PostgreSQL server (`postgresql://user@host/base#table=lines`). After `#` stands which part
/// is meant: `sheet` and `range` of a workbook, `table` of a database.
///
/// # Errors
/// A file that is not there, cannot be read, or is of a form that this build does not read; files that
/// do not have the same columns.
///
/// ```
/// use pivvel::source::{ReadOptions, open};
/// let folder = tempfile::tempdir()?;
/// std::fs::write(folder.path().join("may.csv"), "coast,amount\nFell,10.50\n")?;
/// std::fs::write(folder.path().join("june.csv"), "coast,amount\nFell,2.05\n")?;
/// let pattern = folder.path().join("*.csv");
/// let source = open(&pattern.to_string_lossy(), &ReadOptions::default())?;
/// assert_eq!(source.schema().fields().len(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn open(location: &str, options: &ReadOptions) -> Result<Box<dyn Source>> {
    if location == "-" {
        return open_reader("standard input", Box::new(std::io::stdin()), options);
    }
    let scheme = location.split_once("://").map(|(scheme, _)| scheme.to_lowercase());
    let known = |scheme: &str| SERVERS.iter().find(|server| server.schemes.contains(&scheme));
    if let Some(server) = scheme.as_deref().and_then(known) {
        return match server.open {
            Some(open) => open(location, options),
            None => Err(feature_is_off("the database", server.reads, server.feature)),
        };
    }
    if let Some(scheme) = scheme.filter(|_| !Path::new(location).exists()) {
        let addresses: Vec<String> =
            SERVERS.iter().map(|server| format!("{}://", server.schemes[0])).collect();
        let message =
            format!("lines are not read from {scheme}: addresses begin with {}", addresses.join(" or "));
        return Err(Error::request(without_secrets(location), message));
    }
    // A name may hold anything, a pattern's marks and a # too.
    if Path::new(location).exists() {
        return open_file(Path::new(location), &Part::default(), options);
    }
    let Location { base, part } = Location::parse(location)?;
    if base.contains(['*', '?', '[']) && !Path::new(base).exists() {
        return open_pattern(base, &part, options);
    }
    open_file(Path::new(base), &part, options)
}

fn open_pattern(pattern: &str, part: &Part, options: &ReadOptions) -> Result<Box<dyn Source>> {
    let paths =
        glob::glob(pattern).map_err(|e| Error::request(pattern, format!("the pattern is wrong: {e}")))?;
    let mut paths: Vec<PathBuf> = paths.filter_map(|path| path.ok()).filter(|path| path.is_file()).collect();
    paths.sort();
    if let Some(path) = without_utf8_name(pattern) {
        let message = "the name of this file is not UTF-8, so that no pattern can name it; rename it";
        return Err(Error::data(path.display().to_string(), message));
    }
    match &paths[..] {
        [] => Err(Error::data(pattern, "no file has a name of this pattern")),
        [only] => open_file(only, part, options),
        _ => {
            let parts: Result<Vec<_>> = paths.iter().map(|path| open_file(path, part, options)).collect();
            let name = format!("{pattern} ({} files)", paths.len());
            Ok(Box::new(Several::new(name, parts?)?))
        }
    }
}

/// A file that matches a pattern but for its name, which is not UTF-8: patterns leave such files out.
fn without_utf8_name(pattern: &str) -> Option<PathBuf> {
    let path = Path::new(pattern);
    let own = glob::Pattern::new(path.file_name()?.to_str()?).ok()?;
    let folder = path.parent().and_then(Path::to_str).filter(|folder| !folder.is_empty()).unwrap_or(".");
    let files = glob::glob(folder).ok()?.flatten().filter_map(|folder| std::fs::read_dir(folder).ok());
    let mut odd = files.flatten().flatten().filter(|file| file.file_name().to_str().is_none());
    odd.find(|file| own.matches(&file.file_name().to_string_lossy())).map(|file| file.path())
}

fn open_file(path: &Path, part: &Part, options: &ReadOptions) -> Result<Box<dyn Source>> {
    let place = || path.display().to_string();
    if path.is_dir() {
        let message = "this is a folder; name its files by a pattern, as in folder/*.csv";
        return Err(Error::data(place(), message));
    }
    let mut first = Vec::new();
    let file = File::open(path).map_err(|e| Error::io(place(), e))?;
    // What is no file, as a pipe with a name, gives its bytes only once.
    if !file.metadata().map_err(|e| Error::io(place(), e))?.is_file() {
        part.only(&place(), "a stream", &[])?;
        return open_reader(&place(), Box::new(file), options);
    }
    file.take(16).read_to_end(&mut first).map_err(|e| Error::io(place(), e))?;
    let name = path.file_name().map_or_else(place, |name| name.to_string_lossy().into());
    let Some(form) = FORMS.iter().find(|form| first.starts_with(form.begins)) else {
        part.only(&name, "a text file", &[])?;
        return Steady::open(path, Held::Text, || Ok(Box::new(open_text(Bytes::open(path)?, options)?)));
    };
    part.only(&name, form.what, form.parts)?;
    Steady::open(path, Held::Binary, || match form.open {
        Some(open) => open(path, &name, part, options),
        None => Err(feature_is_off(&name, form.reads, form.feature)),
    })
}

/// Lines from a stream: text, packed or not, or Arrow record batches.
fn open_reader(
    name: &str,
    mut reader: Box<dyn Read + Send>,
    options: &ReadOptions,
) -> Result<Box<dyn Source>> {
    let mut first = Vec::new();
    reader.by_ref().take(16).read_to_end(&mut first).map_err(|e| Error::io(name, e))?;
    let whole: Box<dyn Read + Send> = Box::new(Cursor::new(first.clone()).chain(reader));
    match &first[..] {
        [0xff, 0xff, 0xff, 0xff, ..] => arrow_stream(whole, name, options),
        first if FORMS.iter().any(|form| first.starts_with(form.begins)) => {
            let message =
                "this form is read from a file, not from a stream: write it to a file and name that";
            Err(Error::request(name, message))
        }
        _ => Ok(Box::new(open_text(Bytes::stream(name.into(), whole)?, options)?)),
    }
}

fn open_text(mut bytes: Bytes, options: &ReadOptions) -> Result<TextSource> {
    let head = bytes.head()?;
    let mut marks = head.text().iter().filter(|byte| !byte.is_ascii_whitespace());
    match (marks.next(), marks.next()) {
        (Some(b'{'), _) => json_lines::open(bytes, &head, false, options),
        (Some(b'['), Some(b'{' | b']')) => json_lines::open(bytes, &head, true, options),
        _ => csv::open(bytes, &head, options),
    }
}

impl TextSource {
    /// CSV or JSON, packed or not, from a stream that can be read once.
    ///
    /// # Errors
    /// Text that cannot be read, is empty or is no text; a kind given to an unknown column.
    pub fn from_reader(
        name: impl Into<String>,
        reader: impl Read + Send + 'static,
        options: &ReadOptions,
    ) -> Result<TextSource> {
        open_text(Bytes::stream(name.into(), Box::new(reader))?, options)
    }

    /// The same from a file, which can be read several times.
    ///
    /// # Errors
    /// As for [`TextSource::from_reader`].
    pub fn open(path: impl AsRef<Path>, options: &ReadOptions) -> Result<TextSource> {
        open_text(Bytes::open(path.as_ref())?, options)
    }
}

/// What opens a database at an address.
type OpenAddress = fn(&str, &ReadOptions) -> Result<Box<dyn Source>>;

/// Databases that are found by an address.
struct Server {
    /// The schemes of its addresses.
    schemes: &'static [&'static str],
    reads: &'static str,
    feature: &'static str,
    open: Option<OpenAddress>,
}

static SERVERS: [Server; 1] = [Server {
    schemes: &["postgresql", "postgres"],
    reads: "PostgreSQL tables",
    feature: "postgres",
    #[cfg(feature = "postgres")]
    open: Some(|location, options| Ok(Box::new(crate::postgres::open(location, options)?))),
    #[cfg(not(feature = "postgres"))]
    open: None,
}];

/// What opens a file of a form: its path, its name, and which part of it is meant.
type OpenFile = fn(&Path, &str, &Part, &ReadOptions) -> Result<Box<dyn Source>>;

/// Files that are known by how they begin; all others are text.
struct FileForm {
    /// The first bytes.
    begins: &'static [u8],
    /// One of them, in words.
    what: &'static str,
    /// What a location may name after `#`.
    parts: &'static [&'static str],
    /// All of them, in words.
    reads: &'static str,
    feature: &'static str,
    /// What opens one, where this build does.
    open: Option<OpenFile>,
}

static FORMS: [FileForm; 4] = [
    FileForm {
        begins: b"PK\x03\x04",
        what: "a workbook",
        parts: &["sheet", "range"],
        reads: "workbooks",
        feature: "workbook",
        #[cfg(feature = "workbook")]
        open: Some(|path, name, part, options| {
            let bytes = std::fs::read(path).map_err(|e| Error::io(path.display().to_string(), e))?;
            Ok(Box::new(crate::workbook::open(name, Cursor::new(bytes), part, options)?))
        }),
        #[cfg(not(feature = "workbook"))]
        open: None,
    },
    FileForm {
        begins: b"PAR1",
        what: "a Parquet file",
        parts: &[],
        reads: "Parquet",
        feature: "parquet",
        #[cfg(feature = "parquet")]
        open: Some(|path, name, _, options| {
            Ok(Box::new(crate::parquet::open(path.into(), name.into(), options)?))
        }),
        #[cfg(not(feature = "parquet"))]
        open: None,
    },
    FileForm {
        begins: b"ARROW1",
        what: "an Arrow file",
        parts: &[],
        reads: ARROW,
        feature: "arrow",
        #[cfg(feature = "arrow")]
        open: Some(|path, name, _, options| {
            Ok(Box::new(crate::arrow_ipc::open(path.into(), name.into(), options)?))
        }),
        #[cfg(not(feature = "arrow"))]
        open: None,
    },
    FileForm {
        begins: b"SQLite format 3\0",
        what: "a database",
        parts: &["table"],
        reads: "SQLite databases",
        feature: "sqlite",
        #[cfg(feature = "sqlite")]
        open: Some(|path, name, part, options| {
            Ok(Box::new(crate::sqlite::open(path, name.into(), part, options)?))
        }),
        #[cfg(not(feature = "sqlite"))]
        open: None,
    },
];

const ARROW: &str = "Arrow record batches";

#[cfg(feature = "arrow")]
fn arrow_stream(reader: Box<dyn Read + Send>, name: &str, options: &ReadOptions) -> Result<Box<dyn Source>> {
    Ok(Box::new(crate::arrow_ipc::open_stream(reader, name.into(), options)?))
}

#[cfg(not(feature = "arrow"))]
fn arrow_stream(_: Box<dyn Read + Send>, name: &str, _: &ReadOptions) -> Result<Box<dyn Source>> {
    Err(feature_is_off(name, ARROW, "arrow"))
}
