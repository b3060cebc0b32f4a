//! The groups of lines by one pass, where that can be done: as a rule a batch meets little that was not
//! met before, its deepest member tells the path on the rows, and its day the one on the columns.

use super::nest::Seen;
use crate::lines::Codes;

/// Stands for a group that is not known yet.
pub(super) const NONE: u32 = u32::MAX;

/// What leads from a line to its group by looks into tables alone.
pub(super) struct Quick<'a> {
    /// Codes of the lines by key, the deepest last, and where each deepest member was last seen.
    pub(super) codes: &'a [Codes],
    pub(super) seen: &'a [Seen],
    /// The day of every line, the first day that has a place, and the path of each day from it on.
    pub(super) days: &'a [i32],
    pub(super) first: i32,
    pub(super) paths: &'a [u32],
    /// The group of every pair of paths that was met, so many for each path of the columns.
    pub(super) groups: &'a [u32],
    pub(super) tall: usize,
}

impl Quick<'_> {
    /// Writes the group of every line into `out`, [`NONE`] where it has none yet.
    pub(super) fn follow(&self, out: &mut Vec<u32>) {
        let Quick { days, first, paths, groups, tall, .. } = *self;
        if let Some(column) = self.one_column() {
            let groups = &groups[(column as usize * tall).min(groups.len())..];
            let groups = &groups[..tall.min(groups.len())];
            // What is not there lies beyond its table.
            let group = move |path: u32, ()| groups.get(path as usize).copied().unwrap_or(NONE);
            return self.follow_by(days.iter().map(|_| ()), group, out);
        }
        let shift = tall.trailing_zeros();
        let group = move |path: u32, day: i32| {
            let column = paths.get(day.wrapping_sub(first) as u32 as usize).copied().unwrap_or(NONE);
            let place = ((column as usize) << shift) + path as usize;
            groups.get(place).copied().unwrap_or(NONE)
        };
        self.follow_by(days.iter().copied(), group, out)
    }

    /// The path on the columns where all lines have the same: as a rule lines come in the order of time.
    fn one_column(&self) -> Option<u32> {
        let (low, high) =
            self.days.iter().fold((i32::MAX, i32::MIN), |(low, high), day| (low.min(*day), high.max(*day)));
        let places =
            low.checked_sub(self.first)? as u32 as usize..=high.checked_sub(self.first)? as u32 as usize;
        let (column, others) = self.paths.get(places)?.split_first()?;
        (others.len() < self.days.len() && others.iter().all(|other| other == column)).then_some(*column)
    }

    /// Writes the group of every line, which `group` finds by its path on the rows and what is there for the
    /// columns.
    #[inline(always)]
    fn follow_by<C>(
        &self,
        columns: impl Iterator<Item = C>,
        group: impl Fn(u32, C) -> u32,
        out: &mut Vec<u32>,
    ) {
        let seen = self.seen;
        // All bits of what is none are set.
        let found = move |group: u32, other: u32| group | 0u32.wrapping_sub(u32::from(other != 0));
        out.clear();
        match self.codes {
            [a, own] => out.extend(own.iter().zip(&**a).zip(columns).map(move |((own, a), column)| {
                let Seen { above, path } = &seen[*own as usize];
                found(group(*path, column), above[0] ^ a)
            })),
            [a, b, own] => {
                let lines = own.iter().zip(&**a).zip(&**b).zip(columns);
                out.extend(lines.map(move |(((own, a), b), column)| {
                    let Seen { above, path } = &seen[*own as usize];
                    found(group(*path, column), (above[0] ^ a) | (above[1] ^ b))
                }))
            }
            [a, b, c, own] => {
                let lines = own.iter().zip(&**a).zip(&**b).zip(&**c).zip(columns);
                out.extend(lines.map(move |((((own, a), b), c), column)| {
                    let Seen { above, path } = &seen[*own as usize];
                    found(group(*path, column), (above[0] ^ a) | (above[1] ^ b) | (above[2] ^ c))
                }))
            }
            _ => out.resize(self.days.len(), NONE),
        }
    }
}
