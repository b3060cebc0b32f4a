//! A column of texts to codes, where it has few different ones: that takes less than to hand on the texts.

use std::sync::Arc;

use arrow_array::builder::make_view;
use arrow_array::types::UInt32Type;
use arrow_array::{Array, ArrayRef, DictionaryArray, StringArray, UInt32Array};
use pivvel_core::result::Dictionary;

use super::chunk::{Chunk, Field};

/// The most different texts, and the most bytes that they have together. More are handed on as they are:
/// whoever knows these codes looks at all entries again when there are new ones.
const MOST: usize = 4_096;
const MOST_BYTES: usize = 1 << 20;

/// The texts that one thread has met in a column.
pub(super) struct CodedTexts {
    all: Texts,
    /// Short texts, each in the one place where it can be: nearly all are found here.
    recent: Box<[Recent; PLACES]>,
    /// The same as an array, which stays the same one as long as there are no new ones.
    entries: ArrayRef,
}

/// The view of a text, in halves, and its code.
#[derive(Clone, Copy)]
struct Recent {
    low: u64,
    high: u64,
    code: u32,
}

/// Twice as many as there are texts.
const PLACES_AS_BITS: u32 = 13;
const PLACES: usize = 1 << PLACES_AS_BITS;

struct Texts {
    codes: Dictionary,
    texts: Vec<String>,
    bytes: usize,
    /// Whether one of them was no UTF-8.
    invalid: bool,
}

/// A text is no UTF-8.
pub(super) struct NotUtf8;

impl CodedTexts {
    pub(super) fn new() -> CodedTexts {
        let entries = Arc::new(StringArray::from(Vec::<String>::new()));
        // No short text has this length.
        let recent = Box::new([Recent { low: u64::MAX, high: 0, code: 0 }; PLACES]);
        let all = Texts { codes: Dictionary::default(), texts: Vec::new(), bytes: 0, invalid: false };
        CodedTexts { all, recent, entries }
    }

    /// Whether there are more different texts than it pays to code.
    pub(super) fn is_full(&self) -> bool {
        self.all.texts.len() > MOST || self.all.bytes > MOST_BYTES
    }

    /// The texts of a chunk in a column.
    pub(super) fn read(&mut self, chunk: &Chunk, place: usize) -> Result<ArrayRef, NotUtf8> {
        let CodedTexts { all, recent, entries } = self;
        let bytes: &[u8] = &chunk.bytes;
        let code = |field: Field<'_>| {
            let (start, length) = (field.start, field.len());
            let Some((low, high)) = short(bytes, start, length) else { return all.code(field.text()) };
            let mixed = low ^ high.wrapping_mul(0x9e37_79b9_7f4a_7c15);
            let mixed = mixed.wrapping_mul(0xd6e8_feb8_6659_fd93);
            let known = &mut recent[(mixed >> (u64::BITS - PLACES_AS_BITS)) as usize];
            if known.low != low || known.high != high {
                *known = Recent { low, high, code: all.code(&bytes[start..start + length]) };
            }
            known.code
        };
        let keys: Vec<u32> = chunk.fields(place).map(code).collect();
        if all.invalid {
            return Err(NotUtf8);
        }
        if entries.len() < all.texts.len() {
            *entries = Arc::new(StringArray::from_iter_values(&all.texts));
        }
        Ok(Arc::new(DictionaryArray::<UInt32Type>::new(UInt32Array::from(keys), entries.clone())))
    }
}

impl Texts {
    #[cold]
    #[inline(never)]
    fn code(&mut self, text: &[u8]) -> u32 {
        let Texts { codes, texts, bytes, invalid } = self;
        let add = |text: &[u8]| {
            *bytes += text.len();
            let text = std::str::from_utf8(text);
            *invalid |= text.is_err();
            texts.push(text.unwrap_or_default().into());
            texts.len() as u32 - 1
        };
        codes.code_of_view(make_view(text, 0, 0), || text, add)
    }
}

/// The view of a text: as Arrow has it, its length and then the text itself where it has 12 bytes at
/// most.
#[inline]
pub(super) fn view(bytes: &[u8], start: usize, length: usize) -> u128 {
    match short(bytes, start, length) {
        Some((low, high)) => u128::from(low) | u128::from(high) << 64,
        None => make_view(&bytes[start..start + length], 0, start as u32),
    }
}

/// The same of a text of 12 bytes at most, in halves; none of one that is longer or ends with `bytes`.
#[inline(always)]
fn short(bytes: &[u8], start: usize, length: usize) -> Option<(u64, u64)> {
    let (first_kept, rest_kept) = KEPT.get(length)?;
    let near: &[u8; 12] = bytes.get(start..start + 12)?.try_into().ok()?;
    let [a, b, c, d, rest @ ..] = *near;
    let low = (u64::from(u32::from_le_bytes([a, b, c, d])) & first_kept) << 32 | length as u64;
    Some((low, u64::from_le_bytes(rest) & rest_kept))
}

/// For texts of each length, which bits belong to them of a word at their beginning, and of one four bytes
/// behind it.
const KEPT: [(u64, u64); 13] = {
    let mut kept = [(0, 0); 13];
    let mut length = 1;
    while length < 13 {
        let (first, rest) = if length < 4 { (length, 0) } else { (4, length - 4) };
        kept[length] = ((1 << (8 * first)) - 1, if rest == 8 { u64::MAX } else { (1 << (8 * rest)) - 1 });
        length += 1;
    }
    kept
};
