//! Texts to their codes: the largest single cost of reading lines, so texts of up to 32 bytes, as nearly
//! all members have, are compared as a few words inside the table's slot.

use arrow_array::builder::make_view;
use hashbrown::HashTable;

/// The longest text that an Arrow view holds whole.
const INLINE: usize = 12;

/// The longest text that two words and its length tell.
const TWO_WORDS: usize = 16;

/// Two words of a text, and its code: so a slot takes 24 bytes, which it would not with a wide integer or a length.
type Slot = (u64, u64, u32);

/// Knows the code of every text that was seen.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::Dictionary;
///
/// let (mut dictionary, mut coasts) = (Dictionary::default(), Vec::new());
/// let mut code = |coast: &str| {
///     dictionary.code_of(coast, |text| {
///         coasts.push(text.to_vec());
///         coasts.len() as u32 - 1
///     })
/// };
/// assert_eq!([code("Fell"), code("Skerry"), code("Fell")], [0, 1, 0]);
/// ```
#[derive(Debug, Default, Clone)]
pub struct Dictionary {
    /// Texts that views hold whole, by both halves of the view; then those of each length up to
    /// [`TWO_WORDS`], by their first and last bytes.
    short: [HashTable<Slot>; 1 + TWO_WORDS - INLINE],
    /// The words of a longer text, its length and its code.
    middle: HashTable<([u64; 4], u32, u32)>,
    long: HashTable<(Box<[u8]>, u32)>,
}

impl Dictionary {
    /// The code of a text that comes as an Arrow view: the view itself, for texts that it does not
    /// hold whole a way to the text, and what makes the code of a text that is seen for the first time.
    #[inline]
    pub fn code_of_view<'a>(
        &mut self,
        view: u128,
        text: impl Fn() -> &'a [u8],
        new: impl FnOnce(&[u8]) -> u32,
    ) -> u32 {
        if view as u32 as usize > INLINE {
            return self.code_of_longer(text(), new);
        }
        code_of_short(&mut self.short[0], halves(view), text, new)
    }

    /// The code of a text, if it was seen.
    pub(crate) fn find(&self, text: &str) -> Option<u32> {
        let text = text.as_bytes();
        match text.len() {
            ..=INLINE => find_short(&self.short[0], halves(make_view(text, 0, 0))),
            length @ ..=TWO_WORDS => find_short(&self.short[length - INLINE], first_and_last(text)?),
            _ => match words(text) {
                Some(words) => {
                    let length = text.len() as u32;
                    self.find_middle(hash_words(&words, length), &words, length)
                }
                None => self.find_long(hash_text(text), text),
            },
        }
    }

    /// The code of a text, and what makes one where it is seen for the first time.
    pub fn code_of(&mut self, text: &str, new: impl FnOnce(&[u8]) -> u32) -> u32 {
        self.code_of_view(make_view(text.as_bytes(), 0, 0), || text.as_bytes(), new)
    }

    /// Makes room for so many more texts, which are about as long as those that are known.
    pub(crate) fn reserve(&mut self, more: usize) {
        let Some(short) = self.short.iter_mut().max_by_key(|table| table.len()) else { return };
        match self.middle.len() > short.len() {
            true => self.middle.reserve(more, |(words, length, _)| hash_words(words, *length)),
            false => short.reserve(more, |(low, high, _)| mix(*low, *high)),
        }
    }

    fn code_of_longer(&mut self, text: &[u8], new: impl FnOnce(&[u8]) -> u32) -> u32 {
        if let (length @ ..=TWO_WORDS, Some(words)) = (text.len(), first_and_last(text)) {
            return code_of_short(&mut self.short[length - INLINE], words, || text, new);
        }
        let Some(words) = words(text) else { return self.code_of_long(text, new) };
        let length = text.len() as u32;
        let own = hash_words(&words, length);
        if let Some(code) = self.find_middle(own, &words, length) {
            return code;
        }
        let code = new(text);
        self.middle
            .insert_unique(own, (words, length, code), |(words, length, _)| hash_words(words, *length));
        code
    }

    #[inline]
    fn find_middle(&self, hash: u64, words: &[u64; 4], length: u32) -> Option<u32> {
        let found = self.middle.find(hash, |known| known.0 == *words && known.1 == length);
        found.map(|(.., code)| *code)
    }

    fn code_of_long(&mut self, text: &[u8], new: impl FnOnce(&[u8]) -> u32) -> u32 {
        let hash = hash_text(text);
        if let Some(code) = self.find_long(hash, text) {
            return code;
        }
        let code = new(text);
        self.long.insert_unique(hash, (text.into(), code), |(known, _)| hash_text(known));
        code
    }

    fn find_long(&self, hash: u64, text: &[u8]) -> Option<u32> {
        self.long.find(hash, |(known, _)| **known == *text).map(|(_, code)| *code)
    }
}

/// Both halves of a view.
#[inline]
fn halves(view: u128) -> (u64, u64) {
    (view as u64, (view >> 64) as u64)
}

#[inline]
fn find_short(table: &HashTable<Slot>, (low, high): (u64, u64)) -> Option<u32> {
    let found = table.find(mix(low, high), |known| known.0 == low && known.1 == high);
    found.map(|(.., code)| *code)
}

#[inline]
fn code_of_short<'a>(
    table: &mut HashTable<Slot>,
    (low, high): (u64, u64),
    text: impl Fn() -> &'a [u8],
    new: impl FnOnce(&[u8]) -> u32,
) -> u32 {
    if let Some(code) = find_short(table, (low, high)) {
        return code;
    }
    let code = new(text());
    table.insert_unique(mix(low, high), (low, high, code), |(low, high, _)| mix(*low, *high));
    code
}

/// The eight bytes of a text from a place on, as a word.
#[inline]
fn word(text: &[u8], at: usize) -> Option<u64> {
    text.get(at..at + 8)?.try_into().map(u64::from_le_bytes).ok()
}

/// The first and the last bytes of a text of 8 to 16 as words: with its length they tell all of it.
#[inline]
fn first_and_last(text: &[u8]) -> Option<(u64, u64)> {
    Some((word(text, 0)?, word(text, text.len().checked_sub(8)?)?))
}

/// The same of a text of 17 to 32 bytes.
#[inline]
fn words(text: &[u8]) -> Option<[u64; 4]> {
    let end = text.len();
    if !(TWO_WORDS + 1..=2 * TWO_WORDS).contains(&end) {
        return None;
    }
    Some([word(text, 0)?, word(text, 8)?, word(text, end - 16)?, word(text, end - 8)?])
}

#[inline]
fn hash_words(words: &[u64; 4], length: u32) -> u64 {
    mix(mix(words[0] ^ u64::from(length), words[1]), mix(words[2], words[3]))
}

/// Two words to one, well spread in all bits (a folded 128-bit product).
#[inline]
pub(crate) fn mix(a: u64, b: u64) -> u64 {
    let product = u128::from(a ^ 0x2d35_8dcc_aa6c_78a5) * u128::from(b ^ 0x8bb8_4b93_962e_acc9);
    (product as u64) ^ ((product >> 64) as u64)
}

pub(super) fn hash_text(text: &[u8]) -> u64 {
    use std::hash::{BuildHasher, Hasher};
    let mut hasher = foldhash::fast::FixedState::with_seed(0x7e1).build_hasher();
    hasher.write(text);
    hasher.finish()
}

/// What FNV-1a multiplies by.
const FACTOR: u64 = 0x0100_0000_01b3;
const START: u64 = 0xcbf2_9ce4_8422_2325;

/// A hash of bytes that is the same in every run and version (FNV-1a, then spread over all bits).
pub(crate) fn hash(bytes: &[u8]) -> u64 {
    spread(fold(bytes))
}

/// The hash of the 16 bytes of a number, the lowest first.
#[inline]
pub(crate) fn hash_digits(digits: i128) -> u64 {
    /// The factor to the power of its place.
    const POWERS: [u64; 17] = {
        let mut powers = [1u64; 17];
        let mut place = 1;
        while place < powers.len() {
            powers[place] = powers[place - 1].wrapping_mul(FACTOR);
            place += 1;
        }
        powers
    };
    // Of a byte without a bit nothing is left but the factor.
    let zeros = digits.leading_zeros() as usize / 8;
    spread(fold(&digits.to_le_bytes()[..16 - zeros]).wrapping_mul(POWERS[zeros]))
}

fn fold(bytes: &[u8]) -> u64 {
    bytes.iter().fold(START, |hash, byte| (hash ^ u64::from(*byte)).wrapping_mul(FACTOR))
}

/// The finaliser of MurmurHash3 (A. Appleby).
fn spread(mut hash: u64) -> u64 {
    hash = (hash ^ (hash >> 33)).wrapping_mul(0xff51_afd7_ed55_8ccd);
    hash = (hash ^ (hash >> 33)).wrapping_mul(0xc4ce_b9fe_1a85_ec53);
    hash ^ (hash >> 33)
}

#[cfg(test)]
mod tests {
    use super::{hash, hash_digits};

    /// Hashes are kept in files: a number has that of its bytes, however it is computed.
    #[test]
    fn a_number_has_the_hash_of_its_bytes() {
        for place in 0..127 {
            let power = 1i128 << place;
            for digits in [0, power, -power, power - 1, -power - 1, power | 1, i128::MIN, i128::MAX] {
                assert_eq!(hash_digits(digits), hash(&digits.to_le_bytes()), "{digits}");
            }
        }
    }
}
