//! Cells in groups, and in the order of their values within each.

use crate::model::{CellValues, filled, in_each, threads_for};

/// In no group.
pub(crate) const NO_GROUP: u32 = u32::MAX;

/// Cells by group.
pub(crate) struct Grouped {
    cells: Vec<u32>,
    /// Where the cells of each group end.
    ends: Vec<usize>,
}

impl Grouped {
    /// Cells in their order, by the group of each.
    pub(crate) fn new(groups: usize, group_of: impl Iterator<Item = (u32, u32)> + Clone) -> Grouped {
        let all = group_of.filter(|(_, group)| *group != NO_GROUP);
        if groups == 1 {
            let mut cells = Vec::with_capacity(all.size_hint().1.unwrap_or(0));
            cells.extend(all.map(|(cell, _)| cell));
            return Grouped { ends: vec![cells.len()], cells };
        }
        let mut ends = vec![0; groups];
        all.clone().for_each(|(_, group)| ends[group as usize] += 1);
        let mut before = 0;
        for end in &mut ends {
            (*end, before) = (before, before + *end);
        }
        let mut cells = vec![0; before];
        for (cell, group) in all {
            let place = &mut ends[group as usize];
            cells[*place] = cell;
            *place += 1;
        }
        Grouped { cells, ends }
    }

    /// Sorts the cells of each group by the numbers that they are packed into with their places, and gives their keys.
    fn sort_by<K: Ord + Copy + Default + Send + Sync>(
        &mut self,
        pack: impl Fn(usize, u32) -> K + Sync,
        place: impl Fn(K) -> usize + Sync,
        key: impl Fn(K) -> i64 + Sync,
        threads: usize,
    ) -> Vec<i64> {
        // Where the cells of each group ascend, their numbers say which of equal values comes first, and none is looked up.
        let is_own = self.iter().all(<[u32]>::is_sorted);
        let cells = &self.cells;
        let own_place = |at: usize, cell: u32| if is_own { cell as usize } else { at };
        let mut packed = filled(cells.len(), threads, |at| pack(own_place(at, cells[at]), cells[at]));
        sort_groups(&mut packed, &self.ends, threads_for(cells.len(), threads));
        let cell = |packed: K| if is_own { place(packed) as u32 } else { cells[place(packed)] };
        self.cells = filled(packed.len(), threads, |at| cell(packed[at]));
        filled(packed.len(), threads, |at| key(packed[at]))
    }

    /// Brings the cells of each group into the order of their keys; those of the same key stay as they are.
    pub(super) fn sort_each_by(&mut self, key: &dyn Fn(u32) -> u32) {
        let mut rest = &mut self.cells[..];
        let mut begin = 0;
        for end in &self.ends {
            let (cells, after) = rest.split_at_mut(end - begin);
            if !cells.is_sorted_by_key(|cell| key(*cell)) {
                cells.sort_by_key(|cell| key(*cell));
            }
            (rest, begin) = (after, *end);
        }
    }

    /// All cells, group after group.
    pub(crate) fn cells(&self) -> impl Iterator<Item = u32> + Clone + '_ {
        self.cells.iter().copied()
    }

    /// The cells of one group.
    pub(crate) fn group(&self, group: u32) -> &[u32] {
        let begin = if group == 0 { 0 } else { self.ends[group as usize - 1] };
        &self.cells[begin..self.ends[group as usize]]
    }

    /// The cells of each group.
    pub(crate) fn iter(&self) -> impl Iterator<Item = &[u32]> {
        let begins = std::iter::once(0).chain(self.ends.iter().copied());
        begins.zip(&self.ends).map(|(begin, end)| &self.cells[begin..*end])
    }
}

/// Cells in groups, each in the order of their values, with what they are sorted by.
pub(crate) struct Sorted {
    grouped: Grouped,
    /// The key of each cell, in the order of the cells.
    keys: Vec<i64>,
}

/// The cells of one group, in the order of their values, and the key of each.
#[derive(Clone, Copy)]
pub(crate) struct SortedGroup<'a> {
    pub(crate) cells: &'a [u32],
    pub(crate) keys: &'a [i64],
}

impl Sorted {
    /// The cells that have a value, by the group of each; the highest value first, or the lowest, and equal ones
    /// as they come.
    pub(crate) fn new(
        groups: usize,
        group_of: impl Iterator<Item = (u32, u32)> + Clone,
        values: &CellValues,
        highest_first: bool,
        threads: usize,
    ) -> Sorted {
        let keys = values.sort_keys();
        let Some((low, high)) = keys.ends() else {
            return Sorted {
                grouped: Grouped { cells: Vec::new(), ends: vec![0; groups] },
                keys: Vec::new(),
            };
        };
        let valued = group_of.filter(|(cell, _)| keys.key(*cell as usize).is_some());
        let mut grouped = Grouped::new(groups, valued);
        let place = |cell: u32| {
            let key = keys.key(cell as usize).unwrap_or(low);
            (if highest_first { high.wrapping_sub(key) } else { key.wrapping_sub(low) }) as u64
        };
        let key = |place: u64| match highest_first {
            true => high.wrapping_sub(place as i64),
            false => low.wrapping_add(place as i64),
        };
        // A key and the cell's place are sorted as one number, of 64 bits if these are enough.
        let bits = usize::BITS - values.len().leading_zeros();
        let narrow = (high.wrapping_sub(low) as u64).leading_zeros() >= bits;
        let keys = match narrow {
            true => {
                let pack = |at, cell| place(cell) << bits | at as u64;
                let place_of = |packed| (packed & ((1 << bits) - 1)) as usize;
                grouped.sort_by(pack, place_of, |packed| key(packed >> bits), threads)
            }
            false => {
                let pack = |at, cell| u128::from(place(cell)) << 64 | at as u128;
                let place_of = |packed| packed as u64 as usize;
                grouped.sort_by(pack, place_of, |packed: u128| key((packed >> 64) as u64), threads)
            }
        };
        Sorted { grouped, keys }
    }

    /// The cells of each group.
    pub(crate) fn iter(&self) -> impl Iterator<Item = SortedGroup<'_>> {
        let mut keys = self.keys.as_slice();
        self.grouped.iter().map(move |cells| {
            let (own, after) = keys.split_at(cells.len());
            keys = after;
            SortedGroup { cells, keys: own }
        })
    }
}

impl<'a> SortedGroup<'a> {
    /// The cells in runs of equal values.
    pub(crate) fn ties(self) -> impl Iterator<Item = &'a [u32]> {
        let mut cells = self.cells;
        self.keys.chunk_by(|a, b| a == b).map(move |run| {
            let (tied, after) = cells.split_at(run.len());
            cells = after;
            tied
        })
    }
}

/// Sorts each group. Every thread sorts some groups, and all sort together what is larger than their share.
fn sort_groups<K: Ord + Copy + Send + Sync>(all: &mut [K], ends: &[usize], threads: usize) {
    let mut begin = 0;
    let share = all.len() / threads;
    let mut jobs: Vec<Vec<&mut [K]>> = (0..threads).map(|_| Vec::new()).collect();
    let (mut rest, mut taken, mut job) = (all, 0, 0);
    for end in ends {
        let (group, after) = std::mem::take(&mut rest).split_at_mut(end - begin);
        if threads > 1 && group.len() > share {
            sort_large(group, threads);
        } else if group.len() > 1 {
            if taken > share && job + 1 < jobs.len() {
                (taken, job) = (0, job + 1);
            }
            taken += group.len();
            jobs[job].push(group);
        }
        (rest, begin) = (after, *end);
    }
    let sort = |groups: Vec<&mut [K]>| groups.into_iter().for_each(|group| group.sort_unstable());
    std::thread::scope(|scope| {
        let own = jobs.pop();
        for job in jobs.into_iter().filter(|job| !job.is_empty()) {
            scope.spawn(move || sort(job));
        }
        own.into_iter().for_each(sort);
    });
}

/// So many numbers show where the shares of all end.
const SAMPLE: usize = 1_024;

/// Sorts many numbers, each thread those of a range of its own.
fn sort_large<K: Ord + Copy + Send + Sync>(all: &mut [K], threads: usize) {
    let mut sample: Vec<K> = all.iter().step_by(all.len().div_ceil(SAMPLE)).copied().collect();
    sample.sort_unstable();
    let bound = |place: usize| (0 < place && place < threads).then(|| sample[sample.len() * place / threads]);
    let sorted = in_each((0..threads).collect(), |place| {
        let (low, high) = (bound(place), bound(place + 1));
        let is_own =
            |number: &&K| low.is_none_or(|low| low <= **number) && high.is_none_or(|high| **number < high);
        let mut own: Vec<K> = all.iter().filter(is_own).copied().collect();
        own.sort_unstable();
        own
    });
    let mut rest = all;
    for own in sorted {
        let (place, after) = rest.split_at_mut(own.len());
        place.copy_from_slice(&own);
        rest = after;
    }
}
