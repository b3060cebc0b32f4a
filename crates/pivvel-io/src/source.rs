//! What every source of this crate has beside lines: how its columns are read, and its lines as text
//! for a first look.

use pivvel_core::brief::BadValues;
use pivvel_core::error::Misfit;
use pivvel_core::source::{LineSource, Tally};
use pivvel_core::{Error, Result};

use crate::text::{Chunk, Column, not_utf8};

/// Lines that can be looked at before they are used.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::source::Source;
///
/// let names: Vec<&str> = lines.columns().iter().map(|column| column.name()).collect();
/// assert_eq!((names, lines.delimiter()), (vec!["coast", "harbour", "pieces"], Some(',')));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Source: LineSource {
    /// The columns and how they are read.
    fn columns(&self) -> &[Column];

    /// What stands between fields, where something does.
    fn delimiter(&self) -> Option<char> {
        None
    }

    /// Reads every line as text. Each chunk comes with the line of the file that it begins at.
    #[doc(hidden)]
    fn read_texts(&mut self, take: &mut dyn FnMut(&Chunk, u64) -> Result<()>) -> Result<Tally>;
}

/// Gives every line as texts, one for each column, empty where it is blank.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// use pivvel::source::read_rows;
///
/// let mut coasts = Vec::new();
/// read_rows(&mut lines, &mut |row| {
///     coasts.push(row[0].to_string());
///     Ok(())
/// })?;
/// assert_eq!(coasts, ["Fell", "Skerry", "Fell"]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// A line of too many or too few fields, a text that is not encoded as UTF-8, and what reading the source
/// finds wrong.
pub fn read_rows(source: &mut dyn Source, take: &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> {
    let name = source.name().to_string();
    let names: Vec<String> = source.columns().iter().map(|column| column.name.clone()).collect();
    source.read_texts(&mut |chunk, first| {
        if let Some(wrong) = chunk.misshapen().into_iter().min_by_key(Misfit::line) {
            return Err(Error::data(format!("{name}, line {}", first + wrong.line()), wrong.wanted()));
        }
        for line in 0..chunk.len() {
            let mut row = Vec::with_capacity(names.len());
            for (place, column) in names.iter().enumerate() {
                let text = std::str::from_utf8(chunk.field(line, place));
                row.push(text.map_err(|_| not_utf8(&name, first + chunk.line_of(line), column))?);
            }
            take(&row)?;
        }
        Ok(())
    })?;
    Ok(())
}

/// How lines are to be read, where it is not to be found out.
///
/// ```
/// use pivvel::source::{ReadOptions, TextSource};
/// use pivvel::{Brief, CrossTab};
///
/// let options = ReadOptions::default().delimiter(b';').kinds([("code".to_string(), "text".to_string())]);
/// let mut lines = TextSource::from_reader("lines.csv", "code;pieces\n007;3\n".as_bytes(), &options)?;
/// let crosstab = CrossTab::build(&Brief::new().rows(["code"]).measure(("n", "sum(pieces)")), &mut lines)?;
/// assert_eq!(crosstab.value(&["007"], &[], "n"), Some(3.into()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct ReadOptions {
    pub(crate) delimiter: Option<u8>,
    pub(crate) kinds: Vec<(String, String)>,
    pub(crate) bad_values: BadValues,
    pub(crate) block_bytes: Option<usize>,
    pub(crate) sheet_bytes: Option<usize>,
}

pivvel_core::setters! { ReadOptions {
    /// What stands between the fields of CSV.
    value delimiter: Option<u8>,
    /// Kinds of columns, as [`ColumnKind`](crate::ColumnKind) names them: `date(dmy)`, `decimal(2)`,
    /// `text`.
    list kinds: (String, String),
    /// What to do about values that do not fit their column's kind.
    value bad_values: BadValues,
    /// How many bytes make a block of text (default: what suits the machine's caches).
    value block_bytes: Option<usize>,
    /// How many bytes the cells of a workbook's sheet may take (default: 2 GiB).
    value sheet_bytes: Option<usize>,
} }
