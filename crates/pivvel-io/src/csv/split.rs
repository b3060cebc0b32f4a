//! A block of whole lines to fields: 64 bytes at a time become bit masks of what separates them.
//!
//! The rules are those of the `csv-core` crate: a quote that begins a field opens it, two quotes in
//! it are one, and what follows the closing one is text; elsewhere quotes are text. Lines
//! end in a line feed, a return, or both. Fields in quotes are few, and `csv-core` itself reads those
//! that are more than a text between two quotes.

use csv_core::ReadFieldResult;
use wide::u8x16;

use crate::text::{Chunk, Ragged, Split};

/// Splits blocks of one dialect.
pub(crate) struct Splitter {
    delimiter: u8,
    columns: usize,
    /// For the few fields that are more than a text between two quotes.
    reader: csv_core::Reader,
}

impl Splitter {
    pub(crate) fn new(delimiter: u8, columns: usize) -> Splitter {
        let reader = csv_core::ReaderBuilder::new().delimiter(delimiter).build();
        Splitter { delimiter, columns, reader }
    }

    /// Reads a quoted field by `csv-core`, and keeps its text behind the block's own.
    fn rewrite(&mut self, chunk: &mut Chunk, start: u32, end: u32) {
        let field = &chunk.bytes[start as usize..end as usize];
        let mut text = vec![0; field.len()];
        self.reader.reset();
        let (mut read, mut wrote) = (0, 0);
        loop {
            let (result, more, written) = self.reader.read_field(&field[read..], &mut text[wrote..]);
            read += more;
            wrote += written;
            if !matches!(result, ReadFieldResult::OutputFull) && read >= field.len() {
                break;
            }
        }
        let from = chunk.bytes.len() as u32;
        chunk.bytes.extend_from_slice(&text[..wrote]);
        chunk.rewritten.insert(start, (from, from + wrote as u32));
    }
}

impl Split for Splitter {
    fn split(&mut self, chunk: &mut Chunk) {
        chunk.columns = self.columns;
        chunk.of_text = true;
        let mut index = Index::new(chunk, self.delimiter);
        index.run();
        let Index { mut ends, count, starts, lasts, stretch, odd, quotes, regular, .. } = index;
        ends.truncate(count);
        (chunk.ends, chunk.starts, chunk.stretch, chunk.quotes) = (ends, starts, stretch, quotes);
        for (start, end) in odd {
            self.rewrite(chunk, start, end);
        }
        if !regular {
            shape(chunk, &lasts);
        }
    }
}

/// What separates fields, while it is looked for.
struct Index<'a> {
    bytes: &'a [u8],
    delimiter: u8,
    /// As many as are expected in each line.
    columns: usize,
    /// Where fields end; beyond `count` there is no more than room.
    ends: Vec<u32>,
    count: usize,
    starts: Vec<u32>,
    /// For every line, how many fields end up to and with its last one.
    lasts: Vec<u32>,
    stretch: u64,
    /// Whether every line has as many fields as expected, and some text.
    regular: bool,
    quotes: bool,
    /// Inside a quoted field.
    inside: bool,
    /// The second of two quotes that are one.
    second: usize,
    /// Behind the last separator.
    field: usize,
    /// Whether the field that is read is more than a text between two quotes.
    is_odd: bool,
    /// Where such fields begin and end, without the return of a line break.
    odd: Vec<(u32, u32)>,
}

impl<'a> Index<'a> {
    fn new(chunk: &'a mut Chunk, delimiter: u8) -> Index<'a> {
        let (mut ends, mut starts) = (std::mem::take(&mut chunk.ends), std::mem::take(&mut chunk.starts));
        starts.clear();
        ends.resize(ends.capacity().max(256), 0);
        starts.push(0);
        Index {
            bytes: &chunk.bytes,
            delimiter,
            columns: chunk.columns,
            ends,
            count: 0,
            starts,
            lasts: Vec::new(),
            stretch: 0,
            regular: true,
            quotes: false,
            inside: false,
            second: usize::MAX,
            field: 0,
            is_odd: false,
            odd: Vec::new(),
        }
    }

    fn run(&mut self) {
        let bytes = self.bytes;
        let mut groups = bytes.chunks_exact(64);
        let mut base = 0;
        for group in &mut groups {
            let mut all = [0; 64];
            all.copy_from_slice(group);
            self.group(base, &all);
            base += 64;
        }
        let rest = groups.remainder();
        if !rest.is_empty() {
            let mut all = [0; 64];
            all[..rest.len()].copy_from_slice(rest);
            self.group(base, &all);
        }
        // The last line may end with the text, and then so does an open quote.
        if self.inside || (self.starts.last().copied().unwrap_or(0) as usize) < bytes.len() {
            self.is_odd |= self.inside;
            self.stretch += 1;
            self.separate(bytes.len());
            self.end_line(bytes.len(), bytes.len());
        }
        self.starts.pop();
    }

    #[inline]
    fn group(&mut self, base: usize, bytes: &[u8; 64]) {
        let (separators, feeds, odd) = masks(bytes, self.delimiter);
        if odd == 0 && !self.inside && !self.is_odd {
            return self.quick(base, separators, feeds);
        }
        let returns = marks(bytes, b'\r');
        let quotes = odd & !returns;
        // A return before a line feed is a part of it.
        let mut lone = returns & !(feeds >> 1);
        if lone >> 63 == 1 && self.bytes.get(base + 64) == Some(&b'\n') {
            lone &= !(1 << 63);
        }
        if quotes == 0 && !self.inside && !self.is_odd && lone == 0 {
            self.quick(base, separators, feeds);
        } else {
            self.slow(base, separators | quotes | lone);
        }
    }

    /// Nothing but separators.
    #[inline]
    fn quick(&mut self, base: usize, separators: u64, feeds: u64) {
        let before = self.count;
        self.count += separators.count_ones() as usize;
        self.make_room();
        let mut rest = separators;
        // Eight at a time, of which some may be too many and are written over.
        for ends in self.ends[before..before + 64].as_chunks_mut::<8>().0 {
            for end in ends {
                *end = base as u32 + rest.trailing_zeros();
                rest &= rest.wrapping_sub(1);
            }
            if rest == 0 {
                break;
            }
        }
        let mut feeds = feeds;
        while feeds != 0 {
            let bit = feeds.trailing_zeros();
            let at = base + bit as usize;
            // A line has as many fields as the heading, as a rule, and then its last one is where it must be.
            let expected = self.lasts.last().copied().unwrap_or(0) as usize + self.columns - 1;
            let rank = match expected < self.count && self.ends[expected] as usize == at {
                true => expected,
                false => before + (separators & ((1 << bit) - 1)).count_ones() as usize,
            };
            self.stretch += 1;
            self.finish_line(rank, at, at + 1);
            feeds &= feeds - 1;
        }
        if separators != 0 {
            self.field = base + 64 - separators.leading_zeros() as usize;
        }
    }

    /// Byte for byte, where quotes or lone returns are.
    fn slow(&mut self, base: usize, mut marks: u64) {
        while marks != 0 {
            let at = base + marks.trailing_zeros() as usize;
            marks &= marks - 1;
            match self.bytes[at] {
                b'"' => self.quote(at),
                byte if self.inside => self.stretch += u64::from(byte == b'\n'),
                byte if byte == self.delimiter => self.separate(at),
                _ => {
                    self.stretch += 1;
                    self.separate(at);
                    self.end_line(at, at + 1);
                }
            }
        }
    }

    fn quote(&mut self, at: usize) {
        if at == self.second {
            return;
        }
        let next = self.bytes.get(at + 1);
        if self.inside && next == Some(&b'"') {
            (self.second, self.is_odd) = (at + 1, true);
        } else if self.inside {
            self.inside = false;
            let ends = next.is_none_or(|next| *next == self.delimiter || matches!(next, b'\n' | b'\r'));
            self.is_odd |= !ends;
        } else if at == self.field {
            (self.inside, self.quotes) = (true, true);
        }
    }

    fn separate(&mut self, at: usize) {
        if std::mem::take(&mut self.is_odd) {
            // A quote that is not closed holds all that comes.
            let half = !self.inside && self.bytes[at - 1] == b'\r';
            self.odd.push((self.field as u32, (at - usize::from(half)) as u32));
        }
        self.inside = false;
        self.make_room();
        self.ends[self.count] = at as u32;
        self.count += 1;
        self.field = at + 1;
    }

    /// Room for 64 more ends, and for those that are written beyond.
    #[inline]
    fn make_room(&mut self) {
        if self.ends.len() < self.count + 128 {
            self.ends.resize(2 * self.ends.len() + 256, 0);
        }
    }

    fn end_line(&mut self, at: usize, next: usize) {
        self.finish_line(self.count - 1, at, next);
    }

    /// The line whose last field is of this rank ends at `at`, and another begins at `next`.
    #[inline]
    fn finish_line(&mut self, rank: usize, at: usize, next: usize) {
        let start = self.starts.last().copied().unwrap_or(0) as usize;
        if at > start && self.bytes[at - 1] == b'\r' {
            self.ends[rank] -= 1;
        }
        let before = self.lasts.last().copied().unwrap_or(0) as usize;
        // A line of this length may hold nothing but separators and quotes.
        self.regular &= rank + 1 - before == self.columns && at - start > 3 * self.columns;
        self.lasts.push(rank as u32 + 1);
        self.starts.push(next as u32);
    }
}

/// Where separators, line feeds, and quotes or returns stand among 64 bytes, as bits.
#[inline]
fn masks(bytes: &[u8; 64], delimiter: u8) -> (u64, u64, u64) {
    let (mut separators, mut feeds, mut odd) = (0, 0, 0);
    let [delimiter, feed, quote, back] = [delimiter, b'\n', b'"', b'\r'].map(u8x16::splat);
    for (i, part) in bytes.as_chunks::<16>().0.iter().enumerate() {
        let part = u8x16::from(*part);
        let is_feed = part.simd_eq(feed);
        let bits = |found: u8x16| u64::from(found.to_bitmask()) << (16 * i);
        feeds |= bits(is_feed);
        separators |= bits(is_feed | part.simd_eq(delimiter));
        odd |= bits(part.simd_eq(quote) | part.simd_eq(back));
    }
    (separators, feeds, odd)
}

/// Where a byte stands among 64, as bits.
fn marks(bytes: &[u8; 64], byte: u8) -> u64 {
    let parts = bytes.as_chunks::<16>().0.iter().enumerate();
    parts.fold(0, |bits, (i, part)| {
        bits | u64::from(u8x16::from(*part).simd_eq(u8x16::splat(byte)).to_bitmask()) << (16 * i)
    })
}

/// Gives every line as many fields as there are columns, and drops those that hold nothing.
fn shape(chunk: &mut Chunk, lasts: &[u32]) {
    let (ends, starts) = (std::mem::take(&mut chunk.ends), std::mem::take(&mut chunk.starts));
    let columns = chunk.columns;
    let mut first = 0;
    for (line, last) in lasts.iter().enumerate() {
        let fields = &ends[first..*last as usize];
        first = *last as usize;
        let begins = chunk.ends.len();
        chunk.starts.push(starts[line]);
        chunk.ends.extend(fields.iter().take(columns));
        // What is missing is empty: it begins behind the line's end.
        let ends_at = fields[fields.len() - 1];
        chunk.ends.resize(begins + columns, ends_at);
        let place = chunk.len() - 1;
        let nothing = |(start, end): (usize, usize)| start == end;
        let beyond = fields.windows(2).skip(columns.saturating_sub(1));
        let blank = (0..columns).all(|column| chunk.field(place, column).is_empty())
            && beyond.map(|ends| chunk.inside(ends[0] + 1, ends[1])).all(nothing);
        if blank {
            chunk.starts.pop();
            chunk.ends.truncate(begins);
            chunk.empty_lines += 1;
        } else if fields.len() != columns {
            let text = &chunk.bytes[starts[line] as usize..ends_at as usize];
            let stretch = 1 + crate::text::breaks(text);
            chunk.ragged.push(Ragged { line: place, found: fields.len(), stretch });
        }
    }
}
