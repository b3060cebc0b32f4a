//! Pairs of numbers to one gap-free number. Paths along an axis, leaf groups and the cells of a
//! grain are all numbered by this one table.

use hashbrown::HashTable;

use crate::lines::mix;

const NONE: u32 = u32::MAX;
/// A flat table stays below this many slots (16 MiB)...
const FLAT_LIMIT: usize = 1 << 22;
/// ...and, beyond a size that fits in a core's cache, below this many slots a pair.
const SPARSE: usize = 64;
const SMALL: usize = 1 << 15;

/// Numbers pairs in the order in which they are first seen: by a flat table while the pairs that
/// can occur are few, by a hash table when they are many.
#[derive(Debug, Clone, Default)]
pub(crate) struct PairTable {
    /// Slots of the flat table, `1 << shift` for each first number.
    flat: Vec<u32>,
    shift: u32,
    hashed: Option<HashTable<(u64, u32)>>,
    pairs: Vec<(u32, u32)>,
}

impl PairTable {
    /// The pairs by their numbers.
    pub(crate) fn pairs(&self) -> &[(u32, u32)] {
        &self.pairs
    }

    pub(crate) fn len(&self) -> usize {
        self.pairs.len()
    }

    /// Numbers the pairs (`a[i]`, `b[i]`) into `out`.
    pub(crate) fn number(&mut self, a: &[u32], b: &[u32], out: &mut Vec<u32>) {
        out.clear();
        let (Some(high_a), Some(high_b)) = (a.iter().max(), b.iter().max()) else { return };
        self.make_room(*high_a as usize, *high_b as usize);
        match &mut self.hashed {
            None => {
                let (flat, shift, pairs) = (&mut self.flat, self.shift, &mut self.pairs);
                let slot = |a: u32, b: u32| ((a as usize) << shift) + b as usize;
                out.extend(a.iter().zip(b).map(|(a, b)| flat[slot(*a, *b)]));
                // Most pairs were met before; new ones are looked for only where there are some.
                if out.iter().copied().max() == Some(NONE) {
                    for ((number, a), b) in out.iter_mut().zip(a).zip(b).filter(|((n, _), _)| **n == NONE) {
                        let known = &mut flat[slot(*a, *b)];
                        if *known == NONE {
                            *known = pairs.len() as u32;
                            pairs.push((*a, *b));
                        }
                        *number = *known;
                    }
                }
            }
            Some(table) => {
                let pairs = &mut self.pairs;
                out.extend(a.iter().zip(b).map(|(a, b)| {
                    let key = key(*a, *b);
                    if let Some((_, number)) = table.find(hash(key), |(known, _)| *known == key) {
                        return *number;
                    }
                    let number = pairs.len() as u32;
                    pairs.push((*a, *b));
                    table.insert_unique(hash(key), (key, number), |(key, _)| hash(*key));
                    number
                }));
            }
        }
    }

    /// About how many bytes the table takes.
    pub(crate) fn bytes(&self) -> usize {
        let hashed = self.hashed.as_ref().map_or(0, |table| table.capacity() * (size_of::<(u64, u32)>() + 1));
        self.flat.len() * size_of::<u32>() + self.pairs.capacity() * size_of::<(u32, u32)>() + hashed
    }

    /// Numbers the pairs of another table, whose first and second numbers are called here as `a` and
    /// `b` say.
    pub(crate) fn absorb(&mut self, other: &PairTable, a: &[u32], b: &[u32]) -> Vec<u32> {
        let first: Vec<u32> = other.pairs.iter().map(|pair| a[pair.0 as usize]).collect();
        let second: Vec<u32> = other.pairs.iter().map(|pair| b[pair.1 as usize]).collect();
        let mut numbers = Vec::with_capacity(first.len());
        self.number(&first, &second, &mut numbers);
        numbers
    }

    /// The number of a pair, if it was ever seen.
    pub(crate) fn find(&self, a: u32, b: u32) -> Option<u32> {
        match &self.hashed {
            None if (b as usize) >> self.shift != 0 => None,
            None => self.flat.get(((a as usize) << self.shift) + b as usize).copied().filter(|n| *n != NONE),
            Some(table) => {
                let key = key(a, b);
                table.find(hash(key), |(known, _)| *known == key).map(|(_, number)| *number)
            }
        }
    }

    fn make_room(&mut self, high_a: usize, high_b: usize) {
        if self.hashed.is_some() {
            return;
        }
        let shift = self.shift.max(usize::BITS - high_b.leading_zeros());
        // Grow by doubling, so that a slowly growing dictionary does not copy the table each time.
        let rows = (high_a + 1).next_power_of_two().max(self.flat.len() >> self.shift);
        let slots = rows.saturating_mul(1 << shift.min(40));
        if slots == self.flat.len() && shift == self.shift {
            return;
        }
        if slots > FLAT_LIMIT || slots > SMALL.max(SPARSE * self.pairs.len().max(256)) {
            self.flat = Vec::new();
            let mut table = HashTable::with_capacity(self.pairs.len() * 2);
            for (number, (a, b)) in self.pairs.iter().enumerate() {
                let key = key(*a, *b);
                table.insert_unique(hash(key), (key, number as u32), |(key, _)| hash(*key));
            }
            self.hashed = Some(table);
            return;
        }
        self.shift = shift;
        self.flat = vec![NONE; slots];
        for (number, (a, b)) in self.pairs.iter().enumerate() {
            self.flat[((*a as usize) << shift) + *b as usize] = number as u32;
        }
    }
}

fn key(a: u32, b: u32) -> u64 {
    u64::from(a) << 32 | u64::from(b)
}

#[inline]
fn hash(key: u64) -> u64 {
    mix(key, key >> 32)
}

#[cfg(test)]
mod tests {
    use super::PairTable;

    /// Flat or hashed, a table numbers the same pairs alike and finds them again.
    #[test]
    fn numbers_do_not_depend_on_the_kind_of_table() {
        for spread in [1u32, 7, 1_000, 70_000_000] {
            let mut table = PairTable::default();
            let mut seen: Vec<(u32, u32)> = Vec::new();
            let mut out = Vec::new();
            for round in 0..40u32 {
                let a: Vec<u32> = (0..50).map(|i| (i * round) % 13 * spread % 60_000_000).collect();
                let b: Vec<u32> = (0..50).map(|i| (i + round * i) % 17 * spread % 50_000_000).collect();
                table.number(&a, &b, &mut out);
                for (i, pair) in a.iter().copied().zip(b).enumerate() {
                    let place = seen.iter().position(|p| *p == pair).unwrap_or_else(|| {
                        seen.push(pair);
                        seen.len() - 1
                    });
                    assert_eq!(out[i] as usize, place);
                }
            }
            assert_eq!(table.pairs(), seen);
            assert!(seen.iter().enumerate().all(|(n, (a, b))| table.find(*a, *b) == Some(n as u32)));
            assert_eq!(table.find(12_345, 54_321), None);
        }
    }
}
