//! A column of texts to codes, where it has few different ones: that takes less than to hand on the texts.

use std::sync::Arc;

use arrow_array::builder::make_view;
use arrow_array::types::UInt32Type;
use arrow_array::{Array, ArrayRef, DictionaryArray, StringArray, UInt32Array};
use pivvel_core::Dictionary;

use super::chunk::Chunk;

/// The most different texts. More are handed on as they are: whoever knows these codes looks at all entries
/// again when there are new ones.
const MOST: usize = 4_096;

/// The texts that one thread has met in a column.
pub(super) struct CodedTexts {
    codes: Dictionary,
    texts: Vec<String>,
    /// The same as an array, which stays the same one as long as there are no new ones.
    entries: ArrayRef,
}

/// A text is no UTF-8.
pub(super) struct NotUtf8;

impl CodedTexts {
    pub(super) fn new() -> CodedTexts {
        let entries = Arc::new(StringArray::from(Vec::<String>::new()));
        CodedTexts { codes: Dictionary::default(), texts: Vec::new(), entries }
    }

    /// Whether there are more different texts than it pays to code.
    pub(super) fn is_full(&self) -> bool {
        self.texts.len() > MOST
    }

    /// The texts of a chunk in a column.
    pub(super) fn read(&mut self, chunk: &Chunk, place: usize) -> Result<ArrayRef, NotUtf8> {
        let CodedTexts { codes, texts, entries } = self;
        let (bytes, mut valid): (&[u8], bool) = (&chunk.bytes, true);
        let mut add = |text: &[u8]| {
            let text = std::str::from_utf8(text);
            valid &= text.is_ok();
            texts.push(text.unwrap_or_default().into());
            texts.len() as u32 - 1
        };
        let code = |field: super::chunk::Field<'_>| {
            let view = view(bytes, field.start, field.len());
            codes.code_of_view(view, || field.text(), &mut add)
        };
        let keys: Vec<u32> = chunk.fields(place).map(code).collect();
        if !valid {
            return Err(NotUtf8);
        }
        if entries.len() < texts.len() {
            *entries = Arc::new(StringArray::from_iter_values(texts));
        }
        Ok(Arc::new(DictionaryArray::<UInt32Type>::new(UInt32Array::from(keys), entries.clone())))
    }
}

/// The view of a text: as Arrow has it, its length and then the text itself where it has 12 bytes at
/// most.
#[inline(always)]
pub(super) fn view(bytes: &[u8], start: usize, length: usize) -> u128 {
    let word = |at: usize| bytes.get(at..)?.first_chunk().map(|word| u64::from_le_bytes(*word));
    match (length, word(start), word(start + 4)) {
        (0..=12, Some(first), Some(rest)) => {
            let (first_four, rest_kept) = KEPT[length];
            let low = (first & first_four) << 32 | length as u64;
            u128::from(low) | u128::from(rest & rest_kept) << 64
        }
        _ => make_view(&bytes[start..start + length], 0, start as u32),
    }
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
