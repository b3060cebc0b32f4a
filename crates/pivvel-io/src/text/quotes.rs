//! Where quoted fields lie: 64 bytes at a time become bit masks, and a quote changes the side of all
//! bits behind it.
//!
//! That holds where every quote opens a field at its beginning or closes it at its end. Quotes that do
//! not (two that are one, those within a text) are followed one by one.

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

    /// Which bytes are in quotes, the opening one among them and the closing one not; nothing where a quote
    /// neither begins nor ends a field. `inside` is whether the first byte is in quotes, `begins` and `ends` whether
    /// the bytes before and behind are borders of fields.
    #[inline]
    pub(crate) fn quoted(&self, inside: bool, begins: bool, ends: bool) -> Option<u64> {
        let quoted = odd_so_far(self.quotes) ^ if inside { u64::MAX } else { 0 };
        let borders = self.separators | self.returns;
        let (opening, closing) = (self.quotes & quoted, self.quotes & !quoted);
        let astray =
            opening & !(borders << 1 | u64::from(begins)) | closing & !(borders >> 1 | u64::from(ends) << 63);
        (astray == 0).then_some(quoted)
    }
}

/// For each bit, whether the number of bits up to and with it is odd.
#[inline]
fn odd_so_far(bits: u64) -> u64 {
    [1, 2, 4, 8, 16, 32].iter().fold(bits, |bits, by| bits ^ bits << by)
}

/// Where lines end, outside quotes, of a text that comes bit by bit from the beginning of a line.
#[derive(Default)]
pub(super) struct LineEnds {
    /// Up to where it was looked at.
    seen: usize,
    inside: bool,
    /// The second of two quotes that are one.
    second: Option<usize>,
    /// Behind the last break of those that were met.
    last: Option<usize>,
}

impl LineEnds {
    /// Looks at what was read since, and tells where the last line ends so far. A quote that is the last
    /// byte waits for what comes after it.
    pub(super) fn last(&mut self, bytes: &[u8], delimiter: u8) -> Option<usize> {
        let waits = bytes.last() == Some(&b'"');
        let limit = bytes.len() - usize::from(waits);
        while self.seen < limit {
            let quote = memchr::memchr(b'"', &bytes[self.seen..limit]);
            let quiet = self.seen..quote.map_or(limit, |at| self.seen + at);
            self.seen = quiet.end;
            if !self.inside {
                self.last = last_break(&bytes[..quiet.end], quiet.start, bytes).or(self.last);
            }
            // Where one quote is, there are more.
            while self.seen < limit && self.group(bytes, limit, delimiter) {}
        }
        self.last
    }

    /// Looks at the next 64 bytes, and tells whether there are quotes among them.
    fn group(&mut self, bytes: &[u8], limit: usize, delimiter: u8) -> bool {
        let (at, rest) = (self.seen, &bytes[self.seen..limit]);
        let whole = rest.first_chunk::<64>();
        let marks = match whole {
            Some(group) => Marks::of(group, delimiter),
            None => {
                let mut group = [0; 64];
                group[..rest.len()].copy_from_slice(rest);
                Marks::of(&group, delimiter)
            }
        };
        self.seen += rest.len().min(64);
        let is_border = |byte: &u8| *byte == delimiter || is_break(byte);
        let begins = at == 0 || is_border(&bytes[at - 1]);
        let quoted = match whole.is_some() && self.second != Some(at) {
            true => marks.quoted(self.inside, begins, bytes.get(at + 64).is_none_or(is_border)),
            false => None,
        };
        match quoted {
            Some(quoted) => {
                // A return that is the last byte may be half of a break.
                let lone = marks.returns & !(marks.feeds >> 1) & (u64::MAX >> 1);
                let breaks = (marks.feeds | lone) & !quoted;
                if breaks != 0 {
                    self.last = Some(at + 64 - breaks.leading_zeros() as usize);
                }
                self.inside = quoted >> 63 == 1;
            }
            None => self.one_by_one(bytes, at, &marks, delimiter),
        }
        marks.quotes != 0
    }

    fn one_by_one(&mut self, bytes: &[u8], base: usize, marks: &Marks, delimiter: u8) {
        let mut rest = marks.quotes | marks.feeds | marks.returns;
        while rest != 0 {
            let at = base + rest.trailing_zeros() as usize;
            rest &= rest - 1;
            match bytes[at] {
                b'"' if self.second == Some(at) => {}
                b'"' if self.inside => match bytes.get(at + 1) {
                    Some(b'"') => self.second = Some(at + 1),
                    _ => self.inside = false,
                },
                // A quote within a field that does not begin with one is text.
                b'"' => self.inside = at == 0 || bytes[at - 1] == delimiter || is_break(&bytes[at - 1]),
                _ if self.inside => {}
                _ => self.last = last_break(&bytes[..=at], at, bytes).or(self.last),
            }
        }
    }
}

/// Behind the last line break of a text from some place on; the text goes on in `whole`. A return at its end
/// may be half of a line break.
pub(super) fn last_break(text: &[u8], from: usize, whole: &[u8]) -> Option<usize> {
    let lone = |at: &usize| whole.get(from + at + 1).is_some_and(|next| *next != b'\n');
    let text = &text[from..];
    let found = memchr::memrchr(b'\n', text).or_else(|| memchr::memrchr_iter(b'\r', text).find(lone));
    found.map(|at| from + at + 1)
}

pub(crate) fn is_break(byte: &u8) -> bool {
    matches!(byte, b'\n' | b'\r')
}
