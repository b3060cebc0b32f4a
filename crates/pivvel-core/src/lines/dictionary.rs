//! Texts to their codes: the largest single cost of reading lines, so the short texts that most
//! members are (12 bytes at most) are compared as two words inside the table's slot.

use arrow_array::builder::make_view;
use hashbrown::HashTable;

/// The longest text that an Arrow view holds whole.
const INLINE: usize = 12;

/// Knows the code of every text that was seen.
#[derive(Debug, Default, Clone)]
pub(crate) struct Dictionary {
    /// Both halves of a view, and the code: so it takes 24 bytes rather than the 32 of a wide integer.
    short: HashTable<(u64, u64, u32)>,
    long: HashTable<(Box<str>, u32)>,
}

impl Dictionary {
    /// The code of a text that comes as an Arrow view: the view itself, for texts that it does not
    /// hold whole a way to the text, and what makes the code of a text that is seen for the first time.
    #[inline]
    pub(crate) fn code_of_view<'a>(
        &mut self,
        view: u128,
        text: impl Fn() -> &'a str,
        new: impl FnOnce(&str) -> u32,
    ) -> u32 {
        if view as u32 as usize > INLINE {
            return self.code_of_long(text(), new);
        }
        let (low, high) = (view as u64, (view >> 64) as u64);
        let hash = mix(low, high);
        if let Some((.., code)) = self.short.find(hash, |known| known.0 == low && known.1 == high) {
            return *code;
        }
        let code = new(text());
        self.short.insert_unique(hash, (low, high, code), |(low, high, _)| mix(*low, *high));
        code
    }

    pub(crate) fn code_of(&mut self, text: &str, new: impl FnOnce(&str) -> u32) -> u32 {
        self.code_of_view(make_view(text.as_bytes(), 0, 0), || text, new)
    }

    fn code_of_long(&mut self, text: &str, new: impl FnOnce(&str) -> u32) -> u32 {
        let hash = hash_text(text);
        if let Some((_, code)) = self.long.find(hash, |(known, _)| **known == *text) {
            return *code;
        }
        let code = new(text);
        self.long.insert_unique(hash, (text.into(), code), |(known, _)| hash_text(known));
        code
    }
}

/// Two words to one, well spread in all bits (a folded 128-bit product).
#[inline]
pub(crate) fn mix(a: u64, b: u64) -> u64 {
    let product = u128::from(a ^ 0x2d35_8dcc_aa6c_78a5) * u128::from(b ^ 0x8bb8_4b93_962e_acc9);
    (product as u64) ^ ((product >> 64) as u64)
}

fn hash_text(text: &str) -> u64 {
    use std::hash::{BuildHasher, Hasher};
    let mut hasher = foldhash::fast::FixedState::with_seed(0x7e1).build_hasher();
    hasher.write(text.as_bytes());
    hasher.finish()
}

/// A hash of bytes that is the same in every run and version (FNV-1a, then spread over all bits).
pub(crate) fn hash(bytes: &[u8]) -> u64 {
    let fold = |hash: u64, byte: &u8| (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
    let mut hash = bytes.iter().fold(0xcbf2_9ce4_8422_2325, fold);
    // The finaliser of MurmurHash3 (A. Appleby).
    hash = (hash ^ (hash >> 33)).wrapping_mul(0xff51_afd7_ed55_8ccd);
    hash = (hash ^ (hash >> 33)).wrapping_mul(0xc4ce_b9fe_1a85_ec53);
    hash ^ (hash >> 33)
}
