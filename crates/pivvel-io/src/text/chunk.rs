//! Lines split into fields.

use pivvel_core::error::Misfit;

use super::quotes::KnownMarks;

/// A chunk stays in a core's cache from splitting to aggregating.
///
/// Fields follow one another with one byte between them, so where they end says where they begin.
#[derive(Debug, Default)]
pub struct Chunk {
    /// The text of all fields of all lines.
    pub(crate) bytes: Vec<u8>,
    /// What is known of each 64 bytes of a text that was read for its quotes.
    pub(crate) known: Vec<Option<KnownMarks>>,
    /// Where each line begins.
    pub(crate) starts: Vec<u32>,
    /// Where each field ends, as many for each line as there are columns.
    pub(crate) ends: Vec<u32>,
    pub(crate) columns: usize,
    /// Whether fields may stand in quotes.
    pub(crate) quotes: bool,
    /// Quoted fields that do not read as they are written, first to last.
    pub(crate) rewritten: Vec<Rewritten>,
    /// Lines that have more or fewer fields than there are columns.
    pub(crate) ragged: Vec<Ragged>,
    /// Lines that could not be read at all, by their place in the chunk's text, and why.
    pub(crate) broken: Vec<(u64, String)>,
    /// Lines that held nothing and were dropped.
    pub(crate) empty_lines: u64,
    /// Values that were no number or infinite, and are blank.
    pub(crate) not_finite: u64,
    /// Lines of the file that the chunk stretches over.
    pub(crate) stretch: u64,
    /// Whether the bytes are those of the file, so that its lines can be counted in them...
    pub(crate) of_text: bool,
    /// ...and where not, which line of it each line stands in, from 0.
    numbers: Vec<u64>,
}

/// A quoted field whose text stands elsewhere.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Rewritten {
    /// Where the field begins.
    pub(crate) field: u32,
    /// Where its text stands.
    pub(crate) text: (u32, u32),
}

/// A field, in the text of its chunk.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Field<'a> {
    bytes: &'a [u8],
    pub(crate) start: usize,
    end: usize,
}

impl<'a> Field<'a> {
    /// Its text.
    #[inline]
    pub(crate) fn text(&self) -> &'a [u8] {
        &self.bytes[self.start..self.end]
    }

    #[inline]
    pub(crate) fn len(&self) -> usize {
        self.end - self.start
    }

    /// The 8 bytes that end so many before its own end, the last one highest; they may hold what stands before
    /// it.
    #[inline]
    pub(crate) fn tail(&self, before: usize) -> Option<u64> {
        let bytes = self.bytes.get(..self.end.checked_sub(before)?)?.last_chunk()?;
        Some(u64::from_le_bytes(*bytes))
    }
}

/// A line of too many or too few fields.
#[derive(Debug)]
pub(crate) struct Ragged {
    pub(crate) line: usize,
    pub(crate) found: usize,
    /// How many lines of the file it stretches over.
    pub(crate) stretch: u64,
}

impl Chunk {
    /// A chunk for rows of so many fields.
    pub(crate) fn of(columns: usize) -> Chunk {
        Chunk { columns, ..Chunk::default() }
    }

    /// Leaves nothing in it, but what can be used again.
    pub(crate) fn clear(&mut self) {
        self.starts.clear();
        // What a text left is written over when the next one is read and split.
        if !self.of_text {
            self.bytes.clear();
            self.ends.clear();
        }
        self.known.clear();
        self.rewritten.clear();
        self.ragged.clear();
        self.broken.clear();
        self.numbers.clear();
        (self.quotes, self.empty_lines, self.not_finite, self.stretch) = (false, 0, 0, 0);
    }

    /// How many lines it holds.
    pub(crate) fn len(&self) -> usize {
        self.starts.len()
    }

    /// Adds a line of as many fields as there are columns; a blank is an empty field, and a line of
    /// blanks is dropped.
    pub(crate) fn push<'a>(&mut self, fields: impl Iterator<Item = &'a str>) {
        if !self.push_row(fields) {
            self.starts.pop();
            self.numbers.pop();
            self.ends.truncate(self.starts.len() * self.columns);
            self.empty_lines += 1;
        }
    }

    /// Adds a line, and says whether it holds something.
    pub(crate) fn push_row<'a>(&mut self, fields: impl Iterator<Item = &'a str>) -> bool {
        self.starts.push(self.bytes.len() as u32);
        let mut filled = false;
        for field in fields {
            filled |= !field.is_empty();
            self.bytes.extend_from_slice(field.as_bytes());
            self.ends.push(self.bytes.len() as u32);
            self.bytes.push(b'\n');
        }
        self.numbers.push(self.stretch);
        self.stretch += 1;
        filled
    }

    /// The line of the file that a line begins at, counted from 0 at the chunk's beginning.
    pub(crate) fn line_of(&self, line: usize) -> u64 {
        match self.of_text {
            true => breaks(&self.bytes[..self.starts[line] as usize]),
            false => self.numbers[line],
        }
    }

    /// The same of every line.
    pub(crate) fn lines_of(&self) -> Vec<u64> {
        if !self.of_text {
            return self.numbers.clone();
        }
        let (mut at, mut line) = (0, 0);
        let mut number = |start: &u32| {
            line += breaks(&self.bytes[at..*start as usize]);
            at = *start as usize;
            line
        };
        self.starts.iter().map(&mut number).collect()
    }

    /// Where a field begins and ends in `bytes`.
    #[inline]
    pub(crate) fn span(&self, line: usize, column: usize) -> (usize, usize) {
        let at = line * self.columns + column;
        let end = self.ends[at];
        let start = if column == 0 { self.starts[line] } else { self.ends[at - 1] + 1 };
        self.inside(start, end)
    }

    /// The field of every line in a column.
    #[inline(always)]
    pub(crate) fn fields(&self, column: usize) -> impl Iterator<Item = Field<'_>> {
        let (bytes, ends, columns): (&[u8], &[u32], usize) = (&self.bytes, &self.ends, self.columns);
        let (quotes, mut rewritten) = (self.quotes, self.rewritten.as_slice());
        // By adding: to multiply for each line takes time that shows.
        let mut at = column;
        self.starts.iter().map(move |line| {
            let (start, end) = (if column > 0 { ends[at - 1] + 1 } else { *line }, ends[at]);
            at += columns;
            let (start, end) = (start.min(end) as usize, end as usize);
            if !quotes || start == end || bytes[start] != b'"' {
                return Field { bytes, start, end };
            }
            if !rewritten.is_empty()
                && let Some((start, end)) = text_of(&mut rewritten, start)
            {
                return Field { bytes, start, end };
            }
            Field { bytes, start: start + 1, end: end - 1 }
        })
    }

    /// What a field holds, of what stands between two separators.
    #[inline]
    pub(crate) fn inside(&self, start: u32, end: u32) -> (usize, usize) {
        if start >= end {
            return (0, 0);
        }
        if self.quotes && self.bytes[start as usize] == b'"' {
            let found = self.rewritten.binary_search_by_key(&start, |one| one.field);
            let (start, end) = found.map_or((start + 1, end - 1), |place| self.rewritten[place].text);
            return (start as usize, end as usize);
        }
        (start as usize, end as usize)
    }

    /// Lines that could not be read, and those of too many or too few fields.
    pub(crate) fn misshapen(&self) -> Vec<Misfit> {
        let broken = self.broken.iter().map(|(line, wrong)| Misfit::whole_line(*line, wrong.clone()));
        let ragged = self.ragged.iter().map(|Ragged { line, found, stretch }| {
            let hint = match stretch {
                0 | 1 => String::new(),
                _ => format!(", over {stretch} lines of text: is a quote not closed?"),
            };
            let wanted = format!("it has {found} fields where the heading has {}{hint}", self.columns);
            Misfit::whole_line(self.line_of(*line), wanted)
        });
        broken.chain(ragged).collect()
    }

    /// The text of a field.
    #[inline]
    pub(crate) fn field(&self, line: usize, column: usize) -> &[u8] {
        let (start, end) = self.span(line, column);
        &self.bytes[start..end]
    }
}

/// Where the text of the field stands that begins at a place, if that was rewritten; `rewritten` is left with those behind it.
#[cold]
fn text_of(rewritten: &mut &[Rewritten], field: usize) -> Option<(usize, usize)> {
    while let [next, rest @ ..] = *rewritten
        && next.field as usize <= field
    {
        *rewritten = rest;
        if next.field as usize == field {
            return Some((next.text.0 as usize, next.text.1 as usize));
        }
    }
    None
}

/// Line breaks in a text: one character, or two that belong together.
pub(crate) fn breaks(text: &[u8]) -> u64 {
    let lone = |at: &usize| text.get(at + 1) != Some(&b'\n');
    let returns = memchr::memchr_iter(b'\r', text).filter(lone).count();
    (memchr::memchr_iter(b'\n', text).count() + returns) as u64
}
