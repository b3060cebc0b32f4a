//! The whole numbers of every group, which lie side by side, so that a line or a merge finds all of them
//! at once: how many lines it has, and its exact sums.
//!
//! A sum is 64 bits wide; what it overflows by stands in 128 bits beside it, which few sums of money
//! ever need.

use std::borrow::Cow;

use arrow_buffer::NullBuffer;

use super::pairs::NOWHERE;
use crate::formula::{Data, Numbers};
use crate::model::Overflow;

/// Every sum is what stands for it in both lists together.
#[derive(Debug, Clone, Default)]
pub(super) struct Totals {
    /// Of each group the count of its lines, then its sums.
    slots: Vec<i64>,
    /// What the sums of each place overflowed by, by group; empty until one does.
    over: Vec<Vec<i128>>,
}

/// Room for one narrow sum is kept below the widest, so that both lists can be taken together.
const WIDEST: u128 = i128::MAX as u128 - u64::MAX as u128;

impl Totals {
    /// Of no groups yet, with so many sums for each.
    pub(super) fn new(sums: usize) -> Totals {
        Totals { slots: Vec::new(), over: vec![Vec::new(); sums] }
    }

    fn width(&self) -> usize {
        1 + self.over.len()
    }

    /// How many groups there are.
    pub(super) fn len(&self) -> usize {
        self.slots.len() / self.width()
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.slots.resize(groups * self.width(), 0);
        self.over.iter_mut().filter(|over| !over.is_empty()).for_each(|over| over.resize(groups, 0));
    }

    /// The same in another order: each group is the one that had the number that `old` names for it.
    pub(super) fn reordered(&self, old: &[u32]) -> Totals {
        let width = self.width();
        let slots = match width {
            2 => gathered::<2>(&self.slots, old),
            3 => gathered::<3>(&self.slots, old),
            _ => old
                .iter()
                .flat_map(|group| &self.slots[*group as usize * width..][..width])
                .copied()
                .collect(),
        };
        let over = |over: &Vec<i128>| match over.is_empty() {
            true => Vec::new(),
            false => old.iter().map(|group| over[*group as usize]).collect(),
        };
        Totals { slots, over: self.over.iter().map(over).collect() }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        let over: usize = self.over.iter().map(Vec::capacity).sum();
        self.slots.capacity() * size_of::<i64>() + over * size_of::<i128>()
    }

    /// Lines in a group.
    pub(super) fn lines(&self, group: usize) -> u64 {
        self.slots[group * self.width()] as u64
    }

    /// Lines in every group.
    pub(super) fn all_lines(&self) -> impl ExactSizeIterator<Item = u64> {
        self.slots.chunks_exact(self.width()).map(|cell| cell[0] as u64)
    }

    pub(super) fn set_lines(&mut self, lines: &[u64]) {
        self.resize(lines.len());
        let width = self.width();
        self.slots.chunks_exact_mut(width).zip(lines).for_each(|(cell, lines)| cell[0] = *lines as i64);
    }

    /// The sum of a group at one of the places.
    pub(super) fn sum(&self, place: usize, group: usize) -> i128 {
        let over = self.over[place].get(group).copied().unwrap_or(0);
        i128::from(self.slots[group * self.width() + 1 + place]) + over
    }

    /// The sums of every group that has lines at one of the places, where all have 64 bits.
    pub(super) fn narrow_sums(&self, place: usize) -> Option<impl ExactSizeIterator<Item = Option<i64>>> {
        let narrow = self.over[place].is_empty();
        narrow.then(|| {
            self.slots.chunks_exact(self.width()).map(move |cell| (cell[0] != 0).then(|| cell[1 + place]))
        })
    }

    pub(super) fn set_sums(&mut self, place: usize, sums: &[i128]) {
        let width = self.width();
        let narrow = sums.iter().all(|sum| i64::try_from(*sum).is_ok());
        self.over[place] = if narrow { Vec::new() } else { sums.to_vec() };
        for (cell, sum) in self.slots.chunks_exact_mut(width).zip(sums) {
            cell[1 + place] = if narrow { *sum as i64 } else { 0 };
        }
    }

    /// Counts lines into their groups, and adds to every sum the column at its place, from the first line on.
    pub(super) fn take(&mut self, groups: &[u32], columns: &[Cow<'_, [i64]>], first: usize) {
        let lines = groups.iter().copied();
        match columns {
            [a] => self.take_all::<2, 1>(lines.zip(&a[first..]).map(|(group, a)| (group, [*a]))),
            [a, b] => {
                let lines = lines.zip(&a[first..]).zip(&b[first..]);
                self.take_all::<3, 2>(lines.map(|((group, a), b)| (group, [*a, *b])));
            }
            [a, b, c] => {
                let lines = lines.zip(&a[first..]).zip(&b[first..]).zip(&c[first..]);
                self.take_all::<4, 3>(lines.map(|(((group, a), b), c)| (group, [*a, *b, *c])));
            }
            _ => {
                self.count(groups);
                let columns = columns.iter().enumerate();
                columns.for_each(|(place, values)| self.add(place, groups, &values[first..], None));
            }
        }
    }

    #[inline(always)]
    fn take_all<const W: usize, const N: usize>(
        &mut self,
        lines: impl Iterator<Item = (u32, [i64; N])> + Clone,
    ) {
        let (cells, _) = self.slots.as_chunks_mut::<W>();
        // Asked once for all lines: that costs less than a jump for each.
        let mut beyond = false;
        for (group, values) in lines.clone() {
            let cell = &mut cells[group as usize];
            cell[0] += 1;
            beyond |= add_all(&mut cell[1..], &values);
        }
        if beyond {
            self.take_again::<W, N>(lines);
        }
    }

    /// Takes lines back of which some made a sum overflow, and then takes them one by one.
    #[cold]
    #[inline(never)]
    fn take_again<const W: usize, const N: usize>(
        &mut self,
        lines: impl Iterator<Item = (u32, [i64; N])> + Clone,
    ) {
        let groups = self.len();
        let (cells, _) = self.slots.as_chunks_mut::<W>();
        for (group, values) in lines.clone() {
            let sums = &mut cells[group as usize][1..];
            sums.iter_mut().zip(values).for_each(|(sum, value)| *sum = sum.wrapping_sub(value));
        }
        for (group, values) in lines {
            let sums = &mut cells[group as usize][1..];
            if add_all(sums, &values) {
                carry(&mut self.over, groups, group, sums, &values);
            }
        }
    }

    /// Counts lines into their groups.
    pub(super) fn count(&mut self, groups: &[u32]) {
        let width = self.width();
        groups.iter().for_each(|group| self.slots[*group as usize * width] += 1);
    }

    /// Adds numbers to the sums at a place, each to the group that is named beside it, where it is not blank.
    pub(super) fn add_numbers(
        &mut self,
        place: usize,
        groups: &[u32],
        numbers: &Numbers<'_>,
    ) -> Result<(), Overflow> {
        let blanks = numbers.blanks.as_ref();
        match &numbers.data {
            Data::Narrow(digits) => self.add(place, groups, digits, blanks),
            Data::Wide(digits) => {
                let present = |line: &usize| blanks.is_none_or(|blanks| blanks.is_valid(*line));
                let lines = (0..groups.len()).filter(present);
                self.add_wide(place, lines.map(|line| (groups[line], digits[line])))?;
            }
            // What gives floats has no place here.
            Data::Float(_) => {}
        }
        Ok(())
    }

    fn add(&mut self, place: usize, groups: &[u32], values: &[i64], blanks: Option<&NullBuffer>) {
        match blanks {
            None => self.add_narrow(place, groups.iter().copied().zip(values.iter().copied())),
            Some(blanks) => {
                let some = blanks.valid_indices().map(|line| (groups[line], values[line]));
                self.add_narrow(place, some);
            }
        }
    }

    #[inline]
    fn add_narrow(&mut self, place: usize, values: impl Iterator<Item = (u32, i64)>) {
        let (width, groups) = (self.width(), self.len());
        for (group, value) in values {
            let slot = &mut self.slots[group as usize * width + 1 + place];
            let (sum, beyond) = slot.overflowing_add(value);
            *slot = sum;
            if beyond {
                carry(&mut self.over[place..], groups, group, &[sum], &[value]);
            }
        }
    }

    /// Adds values that may be wide, each to its group.
    pub(super) fn add_wide(
        &mut self,
        place: usize,
        values: impl Iterator<Item = (u32, i128)>,
    ) -> Result<(), Overflow> {
        let groups = self.len();
        let over = &mut self.over[place];
        over.resize(groups, 0);
        let mut overflow = false;
        for (group, value) in values {
            let slot = &mut over[group as usize];
            let (sum, beyond) = slot.overflowing_add(value);
            *slot = sum;
            overflow |= beyond || sum.unsigned_abs() > WIDEST;
        }
        if overflow { Err(Overflow) } else { Ok(()) }
    }

    /// Adds the lines and sums of each group of others to the group that is named for it, and leaves out
    /// those for which that is [`NOWHERE`].
    pub(super) fn merge(&mut self, theirs: &Totals, into: &[u32]) -> Result<(), Overflow> {
        match self.width() {
            1 => self.merge_all::<1>(theirs, into),
            2 => self.merge_all::<2>(theirs, into),
            3 => self.merge_all::<3>(theirs, into),
            4 => self.merge_all::<4>(theirs, into),
            width => {
                let kept = || into.iter().enumerate().filter(|(_, target)| **target != NOWHERE);
                for (group, target) in kept() {
                    self.slots[*target as usize * width] += theirs.slots[group * width];
                }
                for place in 0..width - 1 {
                    let narrow = |group: usize| theirs.slots[group * width + 1 + place];
                    self.add_narrow(place, kept().map(|(group, target)| (*target, narrow(group))));
                }
            }
        }
        for (place, over) in theirs.over.iter().enumerate().filter(|(_, over)| !over.is_empty()) {
            let kept = into.iter().zip(over).filter(|(target, _)| **target != NOWHERE);
            self.add_wide(place, kept.map(|(target, over)| (*target, *over)))?;
        }
        Ok(())
    }

    fn merge_all<const W: usize>(&mut self, theirs: &Totals, into: &[u32]) {
        let (cells, _) = self.slots.as_chunks_mut::<W>();
        let (theirs, _) = theirs.slots.as_chunks::<W>();
        for (target, from) in into.iter().zip(theirs) {
            if *target == NOWHERE {
                continue;
            }
            let cell = &mut cells[*target as usize];
            cell[0] += from[0];
            if add_all(&mut cell[1..], &from[1..]) {
                let after = *cell;
                carry(&mut self.over, cells.len(), *target, &after[1..], &from[1..]);
            }
        }
    }
}

/// Adds a value to each narrow sum of a group; whether one of them overflowed.
#[inline(always)]
fn add_all(sums: &mut [i64], values: &[i64]) -> bool {
    let mut any = false;
    for (slot, value) in sums.iter_mut().zip(values) {
        let (sum, beyond) = slot.overflowing_add(*value);
        *slot = sum;
        any |= beyond;
    }
    any
}

/// Keeps what those narrow sums of a group overflowed by that did, from what they were after a value was
/// added to each.
#[cold]
#[inline(never)]
fn carry(over: &mut [Vec<i128>], groups: usize, group: u32, after: &[i64], values: &[i64]) {
    for ((over, after), value) in over.iter_mut().zip(after).zip(values) {
        if after.wrapping_sub(*value).overflowing_add(*value).1 {
            over.resize(groups, 0);
            over[group as usize] += if *value > 0 { 1 << 64 } else { -(1 << 64) };
        }
    }
}

/// The cells of the numbers that are named, one after the other.
fn gathered<const W: usize>(slots: &[i64], numbers: &[u32]) -> Vec<i64> {
    let (cells, _) = slots.as_chunks::<W>();
    numbers.iter().map(|number| cells[*number as usize]).collect::<Vec<[i64; W]>>().into_flattened()
}
