//! Which bytes of a text are in quotes. 64 bytes at a time become bit masks: a byte is in quotes if an odd number of
//! quotes stands before it.
//!
//! That holds if every quote opens a field at its beginning or closes it at its end. 64 bytes with other quotes
//! (two that are one, or a quote within a text) are read quote by quote.

use std::ops::Range;

use wide::u8x16;

/// What stands where among 64 bytes, as bits, the first byte lowest.
#[derive(Clone, Copy)]
pub(crate) struct Marks {
    /// Delimiters and line feeds.
    pub(crate) separators: u64,
    pub(crate) feeds: u64,
    pub(crate) quotes: u64,
    pub(crate) returns: u64,
}

impl Marks {
    #[inline]
    pub(crate) fn of(bytes: &[u8; 64], delimiter: u8) -> Marks {
        let mut marks = Marks { separators: 0, feeds: 0, quotes: 0, returns: 0 };
        let [delimiter, feed, quote, back] = [delimiter, b'\n', b'"', b'\r'].map(u8x16::splat);
        let mut any_return = u8x16::splat(0);
        for (i, part) in bytes.as_chunks::<16>().0.iter().enumerate() {
            let part = u8x16::from(*part);
            let is_feed = part.simd_eq(feed);
            let bits = |found: u8x16| u64::from(found.to_bitmask()) << (16 * i);
            marks.feeds |= bits(is_feed);
            marks.separators |= bits(is_feed | part.simd_eq(delimiter));
            marks.quotes |= bits(part.simd_eq(quote));
            any_return |= part.simd_eq(back);
        }
        // Most texts have none.
        if any_return.to_bitmask() != 0 {
            marks.returns = bytes.iter().rev().fold(0, |bits, byte| bits << 1 | u64::from(*byte == b'\r'));
        }
        marks
    }

    /// Delimiters and line feeds of 64 bytes without quotes and returns, as most are; `None` where there are some.
    #[inline(always)]
    pub(crate) fn separators_alone(
        bytes: &[u8; 64],
        delimiter: u8,
        feeds_so_far: &mut FeedCount,
    ) -> Option<u64> {
        let [delimiter, feed, quote, back] = [delimiter, b'\n', b'"', b'\r'].map(u8x16::splat);
        let (mut separators, mut feeds, mut others) = (0, u8x16::splat(0), u8x16::splat(0));
        for (i, part) in bytes.as_chunks::<16>().0.iter().enumerate() {
            let part = u8x16::from(*part);
            let is_feed = part.simd_eq(feed);
            separators |= u64::from((is_feed | part.simd_eq(delimiter)).to_bitmask()) << (16 * i);
            feeds += is_feed;
            others |= part.simd_eq(quote) | part.simd_eq(back);
        }
        if others.to_bitmask() != 0 {
            return None;
        }
        feeds_so_far.add(feeds);
        Some(separators)
    }

    /// Which bytes are in quotes, the opening quote among them and the closing one not; `None` if a quote
    /// neither begins nor ends a field. `inside` is whether the first byte is in quotes, `begins` and `ends` whether
    /// the bytes before and behind are borders of fields.
    #[inline]
    fn quoted(&self, inside: bool, begins: bool, ends: bool) -> Option<u64> {
        let quoted = odd_so_far(self.quotes) ^ if inside { u64::MAX } else { 0 };
        let borders = self.separators | self.returns;
        let (opening, closing) = (self.quotes & quoted, self.quotes & !quoted);
        let astray =
            opening & !(borders << 1 | u64::from(begins)) | closing & !(borders >> 1 | u64::from(ends) << 63);
        (astray == 0).then_some(quoted)
    }
}

/// How many line feeds there are, counted in sixteen lanes.
#[derive(Default)]
pub(crate) struct FeedCount {
    lanes: u8x16,
    /// How many times 64 bytes the lanes have counted, each at most four in these.
    groups: u8,
    counted: u64,
}

impl FeedCount {
    /// So many times 64 bytes a lane has room for.
    const MOST: u8 = u8::MAX / 4;

    /// Adds those of 64 bytes; a byte that is one counts as -1.
    #[inline(always)]
    fn add(&mut self, feeds: u8x16) {
        self.lanes -= feeds;
        self.groups += 1;
        if self.groups == FeedCount::MOST {
            self.total();
        }
    }

    /// All so far.
    pub(crate) fn total(&mut self) -> u64 {
        let lanes = std::mem::take(&mut self.lanes).to_array();
        self.counted += lanes.iter().map(|lane| u64::from(*lane)).sum::<u64>();
        self.groups = 0;
        self.counted
    }
}

/// For each bit, whether the number of bits up to and with it is odd.
#[inline]
fn odd_so_far(bits: u64) -> u64 {
    [1, 2, 4, 8, 16, 32].iter().fold(bits, |bits, by| bits ^ bits << by)
}

/// Whether a text is in quotes, while it is read from the beginning of a line.
#[derive(Clone, Copy)]
pub(crate) struct Quotes {
    delimiter: u8,
    /// Whether the byte that comes next is in quotes.
    pub(crate) inside: bool,
    /// Where the second of two quotes stands that are one.
    second: Option<usize>,
}

/// What a quote does.
pub(crate) enum Quote {
    /// It opens a field.
    Opens,
    /// It closes a field; whether that ends there.
    Closes { ends: bool },
    /// It is the first of two that are one.
    Doubled,
    /// It is text, or the second of two.
    Text,
}

impl Quotes {
    pub(crate) fn new(delimiter: u8) -> Quotes {
        Quotes { delimiter, inside: false, second: None }
    }

    /// Whether a byte stands between fields, without a jump: which bytes do cannot be foreseen.
    #[inline]
    fn is_border(&self, byte: &u8) -> bool {
        (*byte == self.delimiter) | (*byte == b'\n') | (*byte == b'\r')
    }

    fn begins_field(&self, bytes: &[u8], at: usize) -> bool {
        at == 0 || self.is_border(&bytes[at - 1])
    }

    fn ends_field(&self, bytes: &[u8], at: usize) -> bool {
        bytes.get(at).is_none_or(|byte| self.is_border(byte))
    }

    /// Which of 64 bytes are in quotes; `None`, and none of them is read, if their quotes have to be read one by
    /// one.
    #[inline]
    pub(crate) fn read_group(&mut self, bytes: &[u8], at: usize, marks: &Marks) -> Option<u64> {
        if self.second == Some(at) {
            return None;
        }
        let (begins, ends) = (self.begins_field(bytes, at), self.ends_field(bytes, at + 64));
        let quoted = marks.quoted(self.inside, begins, ends)?;
        self.inside = quoted >> 63 == 1;
        Some(quoted)
    }

    /// Reads one quote.
    pub(crate) fn read_one(&mut self, bytes: &[u8], at: usize) -> Quote {
        if self.second == Some(at) {
            Quote::Text
        } else if self.inside && bytes.get(at + 1) == Some(&b'"') {
            self.second = Some(at + 1);
            Quote::Doubled
        } else if self.inside {
            self.inside = false;
            Quote::Closes { ends: self.ends_field(bytes, at + 1) }
        } else if self.begins_field(bytes, at) {
            self.inside = true;
            Quote::Opens
        } else {
            Quote::Text
        }
    }
}

/// What stands where among 64 bytes that are read as bit masks, and which of them are in quotes.
#[derive(Debug, Clone, Copy)]
pub(crate) struct KnownMarks {
    /// Delimiters and line feeds.
    pub(crate) separators: u64,
    pub(crate) feeds: u64,
    pub(crate) quoted: u64,
    /// Whether there are returns, each of them before a line feed.
    pub(crate) returns: bool,
}

/// Behind so many times 64 bytes without quotes, the next quote is searched for.
const QUIET: usize = 4;

/// Where lines end, outside quotes, of a text that comes piece by piece from the beginning of a line.
pub(super) struct LineEnds<'g> {
    quotes: Quotes,
    /// What is read, each 64 bytes of the text by their place, so that it need not be read twice.
    known: &'g mut Vec<Option<KnownMarks>>,
    /// How much of it was read.
    read: usize,
    /// Behind the last line break so far.
    last: Option<usize>,
}

impl<'g> LineEnds<'g> {
    pub(super) fn new(delimiter: u8, known: &'g mut Vec<Option<KnownMarks>>) -> LineEnds<'g> {
        known.clear();
        LineEnds { quotes: Quotes::new(delimiter), known, read: 0, last: None }
    }

    /// Where the last line ends in all that has come. A quote that is the last byte waits for what comes after it.
    pub(super) fn last(&mut self, bytes: &[u8]) -> Option<usize> {
        let waits = bytes.last() == Some(&b'"');
        let limit = bytes.len() - usize::from(waits);
        while self.read < limit {
            let quote = memchr::memchr(b'"', &bytes[self.read..limit]).map_or(limit, |at| self.read + at);
            if !self.quotes.inside {
                self.last = last_break(bytes, self.read..quote).or(self.last);
            }
            // From where 64 bytes begin, but nothing twice.
            self.read = if quote == limit { limit } else { self.read.max(quote & !63) };
            // Where one quote is, there are more.
            while self.read < limit && !self.groups(bytes, limit) && self.one_by_one(bytes, limit) {}
        }
        self.last
    }

    /// Reads 64 bytes after 64 bytes, and returns whether it stopped behind several without quotes. Otherwise the next ones
    /// are fewer, or their quotes have to be read one by one.
    fn groups(&mut self, bytes: &[u8], limit: usize) -> bool {
        let (mut quotes, mut at) = (self.quotes, self.read);
        // The last 64 bytes with line breaks so far, and these.
        let (mut with_breaks, mut last_breaks) = (at, 0);
        let are_kept = at.is_multiple_of(64);
        if are_kept {
            self.known.resize(at / 64, None);
        }
        let mut quiet = 0;
        for group in bytes[at..limit].as_chunks::<64>().0 {
            let marks = Marks::of(group, quotes.delimiter);
            let Some(quoted) = quotes.read_group(bytes, at, &marks) else { break };
            let Marks { separators, feeds, returns, .. } = marks;
            let lone = returns & !(feeds >> 1);
            // A return that is the last byte may be half of a break.
            let breaks = (feeds | lone & (u64::MAX >> 1)) & !quoted;
            // Without a jump, as about every second has some.
            let any = breaks != 0;
            with_breaks = if any { at } else { with_breaks };
            last_breaks = if any { breaks } else { last_breaks };
            if are_kept {
                let known = KnownMarks { separators, feeds, quoted, returns: returns != 0 };
                self.known.push((lone == 0).then_some(known));
            }
            at += 64;
            quiet = if marks.quotes == 0 { quiet + 1 } else { 0 };
            if quiet == QUIET {
                break;
            }
        }
        if last_breaks != 0 {
            self.last = Some(with_breaks + 64 - last_breaks.leading_zeros() as usize);
        }
        (self.quotes, self.read) = (quotes, at);
        quiet == QUIET
    }

    /// Reads the next 64 bytes or what there is of them, quote by quote, and returns whether there are quotes among them.
    fn one_by_one(&mut self, bytes: &[u8], limit: usize) -> bool {
        let (base, rest) = (self.read, &bytes[self.read..limit]);
        let some = &rest[..rest.len().min(64)];
        let mut group = [0; 64];
        group[..some.len()].copy_from_slice(some);
        let marks = Marks::of(&group, self.quotes.delimiter);
        let mut marked = marks.quotes | marks.feeds | marks.returns;
        while marked != 0 {
            let at = base + marked.trailing_zeros() as usize;
            marked &= marked - 1;
            if bytes[at] == b'"' {
                self.quotes.read_one(bytes, at);
            } else if !self.quotes.inside {
                self.last = last_break(bytes, at..at + 1).or(self.last);
            }
        }
        self.read += some.len();
        marks.quotes != 0
    }
}

/// Behind the last line break in a part of a text. A return at the text's end may be half of a line break.
pub(super) fn last_break(bytes: &[u8], part: Range<usize>) -> Option<usize> {
    let from = part.start;
    let lone = |at: &usize| bytes.get(from + at + 1).is_some_and(|next| *next != b'\n');
    let part = &bytes[part];
    let found = memchr::memrchr(b'\n', part).or_else(|| memchr::memrchr_iter(b'\r', part).find(lone));
    found.map(|at| from + at + 1)
}

pub(crate) fn is_break(byte: &u8) -> bool {
    matches!(byte, b'\n' | b'\r')
}
