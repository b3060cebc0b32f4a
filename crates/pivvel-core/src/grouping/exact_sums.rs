//! Exact sums, one for each group: 64 bits wide, and what those overflow by in 128 bits beside them,
//! which few sums of money ever need.

use arrow_buffer::NullBuffer;

/// A sum or an extreme outgrew 38 digits.
#[derive(Debug)]
pub(crate) struct Outgrown;

/// Every sum is what stands for it in both lists together.
#[derive(Debug, Clone, Default)]
pub(super) struct ExactSums {
    low: Vec<i64>,
    /// Empty until something is too wide for the other list.
    high: Vec<i128>,
}

/// Room for one narrow sum is kept below the widest, so that both lists can be taken together.
const WIDEST: u128 = i128::MAX as u128 - u64::MAX as u128;

impl ExactSums {
    pub(super) fn of(sums: Vec<i128>) -> ExactSums {
        match sums.iter().map(|sum| i64::try_from(*sum)).collect() {
            Ok(low) => ExactSums { low, high: Vec::new() },
            Err(_) => ExactSums { low: vec![0; sums.len()], high: sums },
        }
    }

    pub(super) fn resize(&mut self, groups: usize) {
        self.low.resize(groups, 0);
        if !self.high.is_empty() {
            self.high.resize(groups, 0);
        }
    }

    pub(super) fn get(&self, group: usize) -> i128 {
        i128::from(self.low[group]) + self.high.get(group).copied().unwrap_or(0)
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = i128> {
        (0..self.low.len()).map(|group| self.get(group))
    }

    /// About how many bytes the sum of one group takes.
    pub(super) fn each(&self) -> usize {
        size_of::<i64>() + if self.high.is_empty() { 0 } else { size_of::<i128>() }
    }

    /// Adds a value to the group that is named beside it, where it is not blank.
    pub(super) fn add(&mut self, groups: &[u32], values: &[i64], blanks: Option<&NullBuffer>) {
        match blanks {
            None => self.add_narrow(groups.iter().copied().zip(values.iter().copied())),
            Some(blanks) => {
                self.add_narrow(blanks.valid_indices().map(|line| (groups[line], values[line])));
            }
        }
    }

    /// Counts lines into their groups, and adds two columns to the sums of each.
    pub(super) fn add_two(
        lines: &mut [u64],
        groups: &[u32],
        (a, x): (&mut ExactSums, &[i64]),
        (b, y): (&mut ExactSums, &[i64]),
    ) {
        let count = lines.len();
        // One length for all, so that one look tells that a group is within.
        let (first, second) = (&mut a.low[..count], &mut b.low[..count]);
        for ((group, x), y) in groups.iter().zip(x).zip(y) {
            let place = *group as usize;
            lines[place] += 1;
            let (sum, over) = first[place].overflowing_add(*x);
            first[place] = sum;
            let (other, beyond) = second[place].overflowing_add(*y);
            second[place] = other;
            if over | beyond {
                if over {
                    carry(&mut a.high, count, *group, *x > 0);
                }
                if beyond {
                    carry(&mut b.high, count, *group, *y > 0);
                }
            }
        }
    }

    #[inline]
    fn add_narrow(&mut self, values: impl Iterator<Item = (u32, i64)>) {
        let (low, high) = (&mut self.low[..], &mut self.high);
        for (group, value) in values {
            let slot = &mut low[group as usize];
            let (sum, over) = slot.overflowing_add(value);
            *slot = sum;
            if over {
                carry(high, low.len(), group, value > 0);
            }
        }
    }

    /// Adds values that may be wide, each to its group.
    pub(super) fn add_wide(&mut self, values: impl Iterator<Item = (u32, i128)>) -> Result<(), Outgrown> {
        self.high.resize(self.low.len(), 0);
        let mut outgrown = false;
        for (group, value) in values {
            let slot = &mut self.high[group as usize];
            let (sum, over) = slot.overflowing_add(value);
            *slot = sum;
            outgrown |= over || sum.unsigned_abs() > WIDEST;
        }
        if outgrown { Err(Outgrown) } else { Ok(()) }
    }

    /// Adds each sum of another list to the group that is named for it, and leaves out those for which
    /// that is `nowhere`.
    pub(super) fn merge(&mut self, theirs: &ExactSums, into: &[u32], nowhere: u32) -> Result<(), Outgrown> {
        let kept = into.iter().copied().enumerate().filter(|(_, target)| *target != nowhere);
        if !theirs.high.is_empty() {
            return self.add_wide(kept.map(|(group, target)| (target, theirs.get(group))));
        }
        self.add_narrow(kept.map(|(group, target)| (target, theirs.low[group])));
        Ok(())
    }
}

/// Keeps what a narrow sum of a group overflowed by.
#[cold]
fn carry(high: &mut Vec<i128>, groups: usize, group: u32, up: bool) {
    high.resize(groups, 0);
    high[group as usize] += if up { 1 << 64 } else { -(1 << 64) };
}
