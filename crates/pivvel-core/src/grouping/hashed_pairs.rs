//! Pairs of numbers to one gap-free number, by a table of hashes.

use hashbrown::HashTable;

use crate::lines::mix;

const NONE: u32 = u32::MAX;

/// Pairs that are too many or too thinly spread for a flat table.
#[derive(Debug, Clone, Default)]
pub(super) struct HashedPairs {
    /// The pairs of second numbers that are in several.
    table: HashTable<(u64, u32)>,
    /// For each second number the pair that it was last seen in: a member of a nested dimension has one parent as a rule,
    /// and an order belongs to one client and one day.
    latest: Vec<Latest>,
    /// Which second numbers are in several pairs.
    several: Vec<bool>,
}

/// The pair that a second number was last seen in.
#[derive(Debug, Clone, Copy)]
pub(super) struct Latest {
    pub(super) first: u32,
    pub(super) number: u32,
}

impl Latest {
    pub(super) const NONE: Latest = Latest { first: NONE, number: NONE };
}

impl HashedPairs {
    /// For second numbers below one, and about so many pairs.
    pub(super) fn with_room(below: usize, pairs: usize) -> HashedPairs {
        let table = HashTable::with_capacity(pairs);
        HashedPairs { table, latest: vec![Latest::NONE; below], several: vec![false; below] }
    }

    pub(super) fn make_room(&mut self, below: usize) {
        if self.latest.len() < below {
            self.latest.resize(below.next_power_of_two(), Latest::NONE);
            self.several.resize(self.latest.len(), false);
        }
    }

    #[inline]
    pub(super) fn intern(&mut self, (a, b): (u32, u32), pairs: &mut Vec<(u32, u32)>) -> u32 {
        let latest = &mut self.latest[b as usize];
        if latest.first == a {
            return latest.number;
        }
        if self.several[b as usize]
            && let Some(number) = in_table(&self.table, key(a, b))
        {
            *latest = Latest { first: a, number };
            return number;
        }
        let number = pairs.len() as u32;
        pairs.push((a, b));
        self.add((a, b), number);
        number
    }

    /// Takes a pair that is not there yet.
    pub(super) fn add(&mut self, (a, b): (u32, u32), number: u32) {
        let latest = std::mem::replace(&mut self.latest[b as usize], Latest { first: a, number });
        if latest.first == NONE {
            return;
        }
        if !std::mem::replace(&mut self.several[b as usize], true) {
            self.insert(key(latest.first, b), latest.number);
        }
        self.insert(key(a, b), number);
    }

    pub(super) fn find(&self, (a, b): (u32, u32)) -> Option<u32> {
        let latest = self.latest.get(b as usize)?;
        if latest.first == a {
            return Some(latest.number);
        }
        if self.several[b as usize] { in_table(&self.table, key(a, b)) } else { None }
    }

    /// About how many bytes they take.
    pub(super) fn bytes(&self) -> usize {
        self.table.capacity() * (size_of::<(u64, u32)>() + 1)
            + self.latest.capacity() * (size_of::<Latest>() + size_of::<bool>())
    }

    fn insert(&mut self, key: u64, number: u32) {
        self.table.insert_unique(hash(key), (key, number), |(key, _)| hash(*key));
    }
}

fn in_table(table: &HashTable<(u64, u32)>, key: u64) -> Option<u32> {
    table.find(hash(key), |(known, _)| *known == key).map(|(_, number)| *number)
}

fn key(a: u32, b: u32) -> u64 {
    u64::from(a) << 32 | u64::from(b)
}

#[inline]
fn hash(key: u64) -> u64 {
    mix(key, key >> 32)
}
