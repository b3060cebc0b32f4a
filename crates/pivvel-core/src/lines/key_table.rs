//! Keys to codes: where keys lie close together, as numbers of orders do, an array has the code of each at its distance from
//! the first; where they do not, a hash table has it.

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;

use super::dictionary::mix;

/// Stands for a key that has no code.
const NONE: u32 = u32::MAX;
/// There are at most so many places for each key that is known...
const SPARSE: usize = 8;
/// ...or so many in all.
const FEW: usize = 1 << 12;

/// Knows the code of every key that was seen.
#[derive(Debug, Clone)]
pub(super) enum KeyTable {
    /// The codes of keys from a first one on, and how many have one.
    Close {
        first: i64,
        codes: Vec<u32>,
        known: usize,
    },
    Hashed(HashTable<(i64, u32)>),
}

impl Default for KeyTable {
    fn default() -> KeyTable {
        KeyTable::Close { first: 0, codes: Vec::new(), known: 0 }
    }
}

impl KeyTable {
    /// The code of a key, if it was seen.
    #[inline]
    pub(super) fn find(&self, key: i64) -> Option<u32> {
        match self {
            KeyTable::Close { first, codes, .. } => {
                codes.get(place(key, *first)?).copied().filter(|code| *code != NONE)
            }
            KeyTable::Hashed(table) => {
                table.find(hash(key), |(known, _)| *known == key).map(|(_, code)| *code)
            }
        }
    }

    /// The code of a key, which gets this one if it has none.
    #[inline]
    pub(super) fn code_of(&mut self, key: i64, new: u32) -> u32 {
        match self {
            KeyTable::Close { first, codes, known } => {
                match place(key, *first).and_then(|place| codes.get_mut(place)) {
                    Some(code) if *code != NONE => *code,
                    Some(code) => {
                        (*code, *known) = (new, *known + 1);
                        new
                    }
                    None => self.add_distant(key, new),
                }
            }
            KeyTable::Hashed(table) => code_of_hashed(table, key, new),
        }
    }

    /// The same of a key that has no place yet.
    #[cold]
    fn add_distant(&mut self, key: i64, new: u32) -> u32 {
        self.make_place(key);
        match self {
            KeyTable::Close { first, codes, known } => {
                let code = place(key, *first).and_then(|place| codes.get_mut(place));
                code.into_iter().for_each(|code| (*code, *known) = (new, *known + 1));
                new
            }
            KeyTable::Hashed(table) => code_of_hashed(table, key, new),
        }
    }

    /// Makes room for so many more keys.
    pub(super) fn reserve(&mut self, more: usize) {
        if let KeyTable::Hashed(table) = self {
            table.reserve(more, |(key, _)| hash(*key));
        }
    }

    /// Makes a place for a key that has none, or a hash table if there would be too many places then.
    fn make_place(&mut self, key: i64) {
        let KeyTable::Close { first, codes, known } = self else { return };
        if codes.is_empty() {
            *first = key;
        }
        // From the lowest key to the highest, and at least twice as many places as before: keys that rise or fall one by one
        // make the array grow only a few times.
        let most = FEW.max(SPARSE * (*known + 1));
        let before = if key < *first { first.abs_diff(key) } else { 0 };
        let span = key.abs_diff(*first).saturating_add(1).max(before.saturating_add(codes.len() as u64));
        let Some(span) = usize::try_from(span).ok().filter(|span| *span <= most) else {
            let mut table = HashTable::with_capacity(2 * *known + 1);
            let all = codes.iter().zip(0..).filter(|(code, _)| **code != NONE);
            all.for_each(|(code, place)| {
                let key = first.wrapping_add(place);
                table.insert_unique(hash(key), (key, *code), |(key, _)| hash(*key));
            });
            *self = KeyTable::Hashed(table);
            return;
        };
        let places = span.max(2 * codes.len());
        if before > 0 {
            let more = (places - codes.len()) as u64;
            // None is lower than the lowest number.
            let more = more.min(first.abs_diff(i64::MIN));
            codes.splice(0..0, std::iter::repeat_n(NONE, more as usize));
            *first = first.wrapping_sub_unsigned(more);
        } else {
            codes.resize(places, NONE);
        }
    }
}

#[inline]
fn code_of_hashed(table: &mut HashTable<(i64, u32)>, key: i64, new: u32) -> u32 {
    match table.entry(hash(key), |(known, _)| *known == key, |(known, _)| hash(*known)) {
        Entry::Occupied(known) => known.get().1,
        Entry::Vacant(room) => room.insert((key, new)).get().1,
    }
}

/// Where the code of a key stands.
#[inline]
fn place(key: i64, first: i64) -> Option<usize> {
    usize::try_from(key.wrapping_sub(first) as u64).ok()
}

#[inline]
fn hash(key: i64) -> u64 {
    mix(key as u64, (key >> 63) as u64)
}
