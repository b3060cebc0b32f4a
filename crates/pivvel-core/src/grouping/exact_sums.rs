//! Exact sums, one for each group: 64 bits wide for as long as no sum can outgrow these, whatever its
//! lines, and 128 bits wide from then on.

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
    /// All that was ever added to the narrow list is, without signs, no more than this together.
    reach: u64,
}

/// Room for one narrow sum is kept below the widest, so that both lists can be taken together.
const WIDEST: u128 = i128::MAX as u128 - u64::MAX as u128;

impl ExactSums {
    pub(super) fn of(sums: Vec<i128>) -> ExactSums {
        let reach = sums.iter().fold(0u128, |all, sum| all.saturating_add(sum.unsigned_abs()));
        match u64::try_from(reach).ok().filter(|reach| i64::try_from(*reach).is_ok()) {
            Some(reach) => {
                let low = sums.into_iter().map(|sum| sum as i64).collect();
                ExactSums { low, high: Vec::new(), reach }
            }
            None => ExactSums { low: vec![0; sums.len()], high: sums, reach: 0 },
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
    pub(super) fn add(
        &mut self,
        groups: &[u32],
        values: &[i64],
        blanks: Option<&NullBuffer>,
    ) -> Result<(), Outgrown> {
        // The highest bit in which a value differs from its neighbour bounds it, whatever its sign.
        let bits = values.iter().fold(0, |bits, value| bits | (value ^ (value << 1))) as u64;
        let bound = bits.checked_ilog2().map_or(0, |highest| 1u64 << highest);
        if !self.makes_room(bound.checked_mul(values.len() as u64))? {
            let pairs = groups.iter().zip(values).enumerate();
            let present = pairs.filter(|(line, _)| blanks.is_none_or(|blanks| blanks.is_valid(*line)));
            return self.add_wide(present.map(|(_, (group, value))| (*group, (*value).into())));
        }
        let low = &mut self.low[..];
        match blanks {
            None => groups.iter().zip(values).for_each(|(group, value)| low[*group as usize] += value),
            Some(blanks) => {
                blanks.valid_indices().for_each(|line| low[groups[line] as usize] += values[line]);
            }
        }
        Ok(())
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
        let kept = into.iter().enumerate().filter(|(_, target)| **target != nowhere);
        if theirs.high.is_empty() && self.makes_room(Some(theirs.reach))? {
            kept.for_each(|(group, target)| self.low[*target as usize] += theirs.low[group]);
            return Ok(());
        }
        self.add_wide(kept.map(|(group, target)| (*target, theirs.get(group))))
    }

    /// Whether so much more can go into the narrow list, which may be emptied for it.
    fn makes_room(&mut self, more: Option<u64>) -> Result<bool, Outgrown> {
        let fits = |reach: u64| i64::try_from(reach).is_ok();
        let Some(more) = more.filter(|more| fits(*more)) else { return Ok(false) };
        if !self.reach.checked_add(more).is_some_and(fits) {
            let low = std::mem::take(&mut self.low);
            self.low = vec![0; low.len()];
            self.reach = 0;
            self.add_wide((0..).zip(low.into_iter().map(i128::from)))?;
        }
        self.reach += more;
        Ok(true)
    }
}
