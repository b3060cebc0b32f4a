//! Which keys occur in each group, for counting them: a row of bits for each group where that takes
//! little memory, and a table of the pairs that occur where it does not.

use super::pairs::NOWHERE;
use super::pairs::PairTable;

/// Rows of bits may take so many bytes whatever they hold...
const FREE: usize = 8 << 20;
/// ...and beyond that so many for each key of each group, which is less than a table of pairs takes.
const EACH: usize = 12;

/// The keys of every group.
#[derive(Debug, Clone, Default)]
pub(super) struct KeySets {
    /// Bits by group, then by key, `words` words for each group.
    bits: Vec<u64>,
    words: usize,
    /// Pairs of group and key, where these are too thinly spread for bits.
    pairs: Option<PairTable>,
    numbers: Vec<u32>,
}

impl KeySets {
    /// Takes pairs of group and key, of which the groups are below `room.0` and the keys below `room.1`.
    pub(super) fn insert(&mut self, pairs: impl Iterator<Item = (u32, u32)>, room: (usize, usize)) {
        self.make_room(room, 0);
        match &mut self.pairs {
            Some(table) => table.intern_within(pairs, room, &mut self.numbers),
            None => {
                for (group, key) in pairs {
                    self.bits[group as usize * self.words + (key >> 6) as usize] |= 1 << (key & 63);
                }
            }
        }
    }

    /// Every pair of group and key, where these are too thinly spread for bits.
    pub(super) fn as_pairs(&self) -> Option<&[(u32, u32)]> {
        self.pairs.as_ref().map(PairTable::pairs)
    }

    /// How many keys all groups have together.
    pub(super) fn len(&self) -> usize {
        let set = || self.bits.iter().map(|word| word.count_ones() as usize).sum();
        self.pairs.as_ref().map_or_else(set, PairTable::len)
    }

    /// About how many bytes they take.
    pub(super) fn bytes(&self) -> usize {
        self.bits.capacity() * size_of::<u64>() + self.pairs.as_ref().map_or(0, PairTable::bytes)
    }

    /// Every pair of group and key.
    pub(super) fn each(&self) -> impl Iterator<Item = (u32, u32)> {
        let bits = self.bits.chunks(self.words.max(1)).enumerate().flat_map(|(group, row)| {
            let word = |(place, word): (usize, &u64)| Ones(*word).map(move |bit| (place << 6) as u32 | bit);
            row.iter().enumerate().flat_map(word).map(move |key| (group as u32, key))
        });
        bits.chain(self.pairs.iter().flat_map(|table| table.pairs()).copied())
    }

    /// The keys of fewer groups: those of each group here go into the one that `into` names for it, or are
    /// left out where that is [`NOWHERE`]; all are below `room`.
    pub(super) fn merged(&self, into: &[u32], room: (usize, usize)) -> KeySets {
        let mut merged = KeySets::default();
        merged.make_room(room, self.len());
        if merged.pairs.is_some() || self.pairs.is_some() {
            let moved = self.each().map(|(group, key)| (into[group as usize], key));
            merged.insert(moved.filter(|(group, _)| *group != NOWHERE), room);
            return merged;
        }
        let shared = self.words.min(merged.words);
        for (row, target) in self.bits.chunks(self.words.max(1)).zip(into) {
            if *target != NOWHERE {
                let first = *target as usize * merged.words;
                let mine = &mut merged.bits[first..first + shared];
                mine.iter_mut().zip(row).for_each(|(mine, theirs)| *mine |= theirs);
            }
        }
        merged
    }

    /// How many keys each of so many groups has, those left out that are blank.
    pub(super) fn counts(&self, groups: usize, blank: &[bool]) -> Vec<u64> {
        let mut counts = vec![0; groups];
        let mut seen = vec![u64::MAX; self.words];
        for key in (0..blank.len().min(self.words << 6)).filter(|key| blank[*key]) {
            seen[key >> 6] &= !(1 << (key & 63));
        }
        for (count, row) in counts.iter_mut().zip(self.bits.chunks(self.words.max(1))) {
            *count = row.iter().zip(&seen).map(|(word, seen)| u64::from((word & seen).count_ones())).sum();
        }
        for (group, key) in self.pairs.iter().flat_map(|table| table.pairs()) {
            counts[*group as usize] += u64::from(!blank[*key as usize]);
        }
        counts
    }

    /// Makes the rows of bits long and many enough, or turns to pairs where they would take too much, and
    /// back where they no longer would; so many keys are to come at least.
    fn make_room(&mut self, (groups, keys): (usize, usize), to_come: usize) {
        let words = self.words.max(keys.div_ceil(64).next_power_of_two());
        if self.pairs.is_none() && words == self.words && groups.saturating_mul(words) <= self.bits.len() {
            return;
        }
        let size = groups.saturating_mul(words).saturating_mul(size_of::<u64>());
        let fits = |free: usize, set: usize| size <= free.saturating_add(EACH.saturating_mul(set));
        if let Some(table) = &self.pairs {
            // Only where much is gained, so that it does not turn to and fro.
            if !fits(FREE / 2, table.len() / 2) {
                return;
            }
            let table = self.pairs.take().unwrap_or_default();
            self.make_room((groups, keys), table.len());
            self.insert(table.pairs().iter().copied(), (groups, keys));
            return;
        }
        // To count the bits takes no longer than to copy them into more room.
        if size > FREE && !fits(FREE, to_come.max(self.len())) {
            let mut table = PairTable::default();
            let all: Vec<(u32, u32)> = self.each().collect();
            table.intern_within(all.into_iter(), (groups, keys), &mut self.numbers);
            *self = KeySets { pairs: Some(table), ..KeySets::default() };
            return;
        }
        if words > self.words {
            let mut bits = vec![0; groups * words];
            let rows = self.bits.chunks(self.words.max(1)).zip(bits.chunks_mut(words));
            rows.for_each(|(old, new)| new[..old.len()].copy_from_slice(old));
            (self.bits, self.words) = (bits, words);
        } else if self.bits.len() < groups * words {
            self.bits.resize(groups * words, 0);
        }
    }
}

/// The places of the bits of a word that are set, the lowest first.
struct Ones(u64);

impl Iterator for Ones {
    type Item = u32;

    fn next(&mut self) -> Option<u32> {
        let place = (self.0 != 0).then(|| self.0.trailing_zeros())?;
        self.0 &= self.0 - 1;
        Some(place)
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::KeySets;
    use crate::grouping::NOWHERE;

    /// Rows of bits and pairs hold the same keys, whatever they turn into on the way.
    #[test]
    fn sets_hold_what_was_taken() {
        for (groups, keys) in [(3u32, 70u32), (40, 5_000), (9_000, 60_000), (70_000, 300_000)] {
            let mut sets = KeySets::default();
            let mut expected = BTreeSet::new();
            for round in 1..=8u64 {
                // Both grow as dictionaries do.
                let (g, k) = (u64::from(groups) * round / 8 + 1, u64::from(keys) * round / 8 + 1);
                let pair = |i: u64| ((i * 7_919 % g) as u32, (i * i * 31 % k) as u32);
                let pairs: Vec<(u32, u32)> = (0..4_000).map(|i| pair(i * round)).collect();
                sets.insert(pairs.iter().copied(), (g as usize, k as usize));
                expected.extend(pairs);
            }
            let room = (groups as usize + 1, keys as usize + 1);
            assert_eq!(sets.each().collect::<BTreeSet<_>>(), expected);
            assert_eq!(sets.len(), expected.len());
            let into: Vec<u32> =
                (0..=groups).map(|group| if group % 5 == 4 { NOWHERE } else { group % 5 }).collect();
            let moved: BTreeSet<(u32, u32)> =
                expected.iter().filter(|(g, _)| g % 5 != 4).map(|(g, k)| (g % 5, *k)).collect();
            let merged = sets.merged(&into, (4, room.1));
            assert_eq!(merged.each().collect::<BTreeSet<_>>(), moved);
            let blank: Vec<bool> = (0..room.1).map(|key| key % 3 == 0).collect();
            let count = |group| moved.iter().filter(|(g, k)| *g == group && k % 3 != 0).count() as u64;
            assert_eq!(merged.counts(4, &blank), (0..4).map(count).collect::<Vec<_>>());
        }
    }
}
