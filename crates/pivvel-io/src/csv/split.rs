//! A block of whole lines to fields: 64 bytes at a time become bit masks of what separates them.
//!
//! The rules are those of the `csv-core` crate: a quote that begins a field opens it, two quotes in
//! it are one, and what follows the closing one is text; elsewhere quotes are text. Lines
//! end in a line feed, a return, or both. `csv-core` itself reads the few fields in quotes that are
//! more than a text between two of them.

use csv_core::ReadFieldResult;

use crate::text::{Chunk, FeedCount, KnownMarks, Marks, Quote, Quotes, Ragged, Rewritten, Split, is_break};

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
        chunk.rewritten.push(Rewritten { field: start, text: (from, from + wrote as u32) });
    }
}

impl Split for Splitter {
    fn split(&mut self, chunk: &mut Chunk) {
        chunk.columns = self.columns;
        chunk.of_text = true;
        let mut index = Index::new(chunk, self.delimiter);
        index.run();
        let Index { mut ends, count, breaks, inner, returns, odd, any_quoted, .. } = index;
        ends.truncate(count);
        (chunk.ends, chunk.stretch, chunk.quotes) = (ends, breaks + inner, any_quoted);
        let lasts = if in_regular_lines(chunk, breaks, returns) { None } else { Some(in_any_lines(chunk)) };
        for (start, end) in odd {
            self.rewrite(chunk, start, end);
        }
        if let Some(lasts) = lasts {
            shape(chunk, &lasts);
        }
    }
}

/// What separates fields, while it is looked for.
struct Index<'a> {
    bytes: &'a [u8],
    /// What is known already of each 64 bytes.
    known: &'a [Option<KnownMarks>],
    delimiter: u8,
    /// Where fields end; beyond `count` there is no more than room.
    ends: Vec<u32>,
    count: usize,
    /// How many of these end a line, those apart that are line feeds of 64 bytes without quotes, and how many line feeds stand in
    /// quotes.
    breaks: u64,
    feeds: FeedCount,
    inner: u64,
    /// Whether there are returns somewhere.
    returns: bool,
    /// Whether some fields are in quotes.
    any_quoted: bool,
    quotes: Quotes,
    /// Whether the field that is read is more than a text between two quotes.
    is_odd: bool,
    /// Where such fields begin and end, without the return of a line break.
    odd: Vec<(u32, u32)>,
}

impl<'a> Index<'a> {
    fn new(chunk: &'a mut Chunk, delimiter: u8) -> Index<'a> {
        let ends = std::mem::take(&mut chunk.ends);
        Index {
            bytes: &chunk.bytes,
            known: &chunk.known,
            delimiter,
            ends,
            count: 0,
            breaks: 0,
            feeds: FeedCount::default(),
            inner: 0,
            returns: false,
            any_quoted: false,
            quotes: Quotes::new(delimiter),
            is_odd: false,
            odd: Vec::new(),
        }
    }

    fn run(&mut self) {
        let bytes = self.bytes;
        let (groups, rest) = bytes.as_chunks::<64>();
        let known = self.known.iter().copied().chain(std::iter::repeat(None));
        let mut base = 0;
        for (group, known) in groups.iter().zip(known) {
            match known.filter(|_| !self.is_odd) {
                Some(known) => self.known(base, &known),
                // Where there are returns, there are more.
                None if self.quotes.inside || self.is_odd || self.returns => self.group(base, group),
                None => match Marks::separators_alone(group, self.delimiter, &mut self.feeds) {
                    Some(separators) => self.quick(base, separators),
                    None => self.group(base, group),
                },
            }
            base += 64;
        }
        if !rest.is_empty() {
            let mut all = [0; 64];
            all[..rest.len()].copy_from_slice(rest);
            self.group(base, &all);
        }
        // The last line may end with the text, and then so does an open quote.
        let ended = self.field() == bytes.len() && bytes.last().is_none_or(is_break);
        if self.quotes.inside || !ended {
            self.is_odd |= self.quotes.inside;
            self.separate(bytes.len());
            self.breaks += 1;
        }
        self.breaks += self.feeds.total();
    }

    /// 64 bytes that were read when the end of the block was looked for.
    fn known(&mut self, base: usize, KnownMarks { separators, feeds, quoted, returns }: &KnownMarks) {
        self.returns |= returns;
        self.any_quoted |= *quoted != 0;
        self.quotes.inside = quoted >> 63 == 1;
        // So rare that it pays to ask.
        if feeds & quoted != 0 {
            self.inner += u64::from((feeds & quoted).count_ones());
        }
        self.quick_with_breaks(base, separators & !quoted, feeds & !quoted);
    }

    fn group(&mut self, base: usize, bytes: &[u8; 64]) {
        let marks = Marks::of(bytes, self.delimiter);
        let quiet = marks.quotes == 0 && !self.quotes.inside && !self.is_odd;
        self.returns |= marks.returns != 0;
        // A return before a line feed is a part of it.
        let mut lone = marks.returns & !(marks.feeds >> 1);
        if lone >> 63 == 1 && self.bytes.get(base + 64) == Some(&b'\n') {
            lone &= !(1 << 63);
        }
        if quiet && lone == 0 {
            return self.quick_with_breaks(base, marks.separators, marks.feeds);
        }
        // A field that is odd goes on.
        let quoted = if self.is_odd { None } else { self.quotes.read_group(self.bytes, base, &marks) };
        match quoted {
            Some(quoted) => {
                self.any_quoted |= marks.quotes != 0;
                self.inner += u64::from((marks.feeds & quoted).count_ones());
                let (separators, breaks) = (marks.separators | lone, marks.feeds | lone);
                self.quick_with_breaks(base, separators & !quoted, breaks & !quoted);
            }
            None => self.slow(base, marks.separators | marks.quotes | lone),
        }
    }

    /// Nothing but separators, some of which end lines.
    #[inline]
    fn quick_with_breaks(&mut self, base: usize, separators: u64, breaks: u64) {
        // More than one are so rare that it pays not to count.
        let several = breaks & breaks.wrapping_sub(1) != 0;
        self.breaks += if several { breaks.count_ones().into() } else { u64::from(breaks != 0) };
        self.quick(base, separators);
    }

    /// Nothing but separators.
    #[inline(always)]
    fn quick(&mut self, base: usize, separators: u64) {
        self.make_room();
        let mut rest = separators;
        // Eight at a time, of which some may be too many and are written over.
        for ends in self.ends[self.count..self.count + 64].as_chunks_mut::<8>().0 {
            for end in ends {
                *end = base as u32 + rest.trailing_zeros();
                rest &= rest.wrapping_sub(1);
            }
            if rest == 0 {
                break;
            }
        }
        self.count += separators.count_ones() as usize;
    }

    /// Byte for byte, where quotes or lone returns are.
    fn slow(&mut self, base: usize, mut marks: u64) {
        while marks != 0 {
            let at = base + marks.trailing_zeros() as usize;
            marks &= marks - 1;
            match self.bytes[at] {
                b'"' => self.quote(at),
                byte if self.quotes.inside => self.inner += u64::from(byte == b'\n'),
                byte => {
                    self.breaks += u64::from(byte != self.delimiter);
                    self.separate(at);
                }
            }
        }
    }

    fn quote(&mut self, at: usize) {
        match self.quotes.read_one(self.bytes, at) {
            Quote::Opens => self.any_quoted = true,
            Quote::Closes { ends } => self.is_odd |= !ends,
            Quote::Doubled => self.is_odd = true,
            Quote::Text => {}
        }
    }

    /// Where the field that is read begins.
    fn field(&self) -> usize {
        self.count.checked_sub(1).map_or(0, |last| self.ends[last] as usize + 1)
    }

    fn separate(&mut self, at: usize) {
        if std::mem::take(&mut self.is_odd) {
            // A quote that is not closed holds all that comes.
            let half = !self.quotes.inside && self.bytes[at - 1] == b'\r';
            self.odd.push((self.field() as u32, (at - usize::from(half)) as u32));
        }
        self.make_room();
        self.ends[self.count] = at as u32;
        self.count += 1;
    }

    /// Room for 64 more ends, and for those that are written beyond.
    #[inline]
    fn make_room(&mut self) {
        if self.ends.len() < self.count + 128 {
            self.make_more_room();
        }
    }

    #[cold]
    fn make_more_room(&mut self) {
        // By an eighth: what is beyond the last end is filled in vain.
        self.ends.resize(self.count + self.count / 8 + 256, 0);
    }
}

/// Where the last field of a line ends that begins at `start` and breaks at `at`: a return before a line feed
/// is a part of the break.
#[inline]
fn before_break(bytes: &[u8], start: u32, at: u32) -> u32 {
    at - u32::from(at > start && bytes[at as usize - 1] == b'\r')
}

/// Notes where lines begin, if each of them has as many fields as there are columns and some text; so
/// many of the fields end a line, some of them maybe by a return.
fn in_regular_lines(chunk: &mut Chunk, breaks: u64, returns: bool) -> bool {
    let Chunk { bytes, ends, starts, columns, .. } = chunk;
    starts.clear();
    if ends.len() as u64 != breaks * *columns as u64 {
        return false;
    }
    let (mut start, mut are_regular) = (0, true);
    starts.extend(ends.chunks_exact(*columns).map(|line| {
        let at = line[*columns - 1];
        // A line of this length may hold nothing but separators and quotes.
        let filled = (at - start) as usize > 3 * *columns;
        are_regular &= filled & bytes.get(at as usize).is_none_or(is_break);
        std::mem::replace(&mut start, at + 1)
    }));
    if !are_regular {
        return false;
    }
    if returns {
        let lasts = ends.chunks_exact_mut(*columns).filter_map(<[u32]>::last_mut);
        lasts.zip(starts).for_each(|(last, start)| *last = before_break(bytes, *start, *last));
    }
    true
}

/// Notes where lines begin, and says for each how many fields end up to and with its last one.
fn in_any_lines(chunk: &mut Chunk) -> Vec<u32> {
    let Chunk { bytes, ends, starts, .. } = chunk;
    starts.clear();
    let (mut start, mut lasts) = (0, Vec::new());
    for (end, rank) in ends.iter_mut().zip(1..) {
        let at = *end;
        if bytes.get(at as usize).is_none_or(is_break) {
            *end = before_break(bytes, start, at);
            lasts.push(rank);
            starts.push(start);
            start = at + 1;
        }
    }
    lasts
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
