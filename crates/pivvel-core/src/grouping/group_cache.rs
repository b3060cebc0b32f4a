//! The groups by one look: on each path of the columns, as a rule, the deepest member of the rows tells the
//! group, and of a line is only asked whether its other members agree.

use std::ops::Range;

use super::keys::KeyScan;
use super::nest::{KEYS, Latest};
use crate::model::DayTable;

/// A sheet stays below this many places (2 MiB); in much larger ones, going by paths is quicker.
const LIMIT: usize = 1 << 17;

/// The group that each deepest member of the rows was last seen in, on every path of the columns.
#[derive(Debug, Clone, Default)]
pub(super) struct GroupCache {
    /// The places of one path of the columns: at least one for each deepest member.
    tall: usize,
    latest: Latest,
    /// Where the places of some lines begin: of all alike, or of each.
    all: Option<u32>,
    from: Vec<u32>,
    /// Where they begin for each day, from the first one on, and for all others...
    starts: Vec<u32>,
    first: i32,
    /// ...as it was when so many days and paths were known.
    known: (usize, usize),
    lookups: usize,
    missed: usize,
    /// Days that all have one path, from the first to the last.
    period: (i32, i32),
}

impl GroupCache {
    /// Makes ready for these rows and columns; false where there is no room for them, or looking does not
    /// pay.
    pub(super) fn fits(&mut self, rows: &KeyScan, columns: &KeyScan) -> bool {
        if rows.deepest() > self.tall {
            self.tall = rows.deepest().next_power_of_two();
            self.latest.clear();
            self.known = (0, 0);
        }
        // On the last path nothing is ever seen.
        let places = self.tall.saturating_mul(columns.paths() + 1);
        let pays = self.missed <= self.tall + self.lookups / 8;
        if places > LIMIT || !pays {
            self.latest.clear();
            return false;
        }
        let fits = rows.coded() && (1..=KEYS).contains(&rows.len());
        if fits {
            self.latest.make_room(places);
        }
        fits
    }

    /// Finds where the places of some lines begin, by their days or paths on the columns.
    pub(super) fn place(&mut self, columns: &KeyScan, lines: Range<usize>) {
        self.lookups += lines.len();
        self.from.clear();
        match columns.days_of(lines) {
            Some((days, paths)) => {
                self.all = self.path_of_all(days, paths, columns).map(|path| path * self.tall as u32);
                if self.all.is_some() {
                    return;
                }
                self.start_from(paths, columns.paths());
                let (first, starts): (i32, &[u32]) = (self.first, &self.starts);
                let Some(others) = starts.len().checked_sub(1) else { return };
                let start = |day: &i32| starts[(day.wrapping_sub(first) as u32 as usize).min(others)];
                self.from.extend(days.iter().map(start));
            }
            None => {
                self.all = None;
                let tall = self.tall as u32;
                self.from.extend(columns.path().iter().map(|path| path * tall));
            }
        }
    }

    /// The path that all of some days lead to.
    fn path_of_all(&mut self, days: &[i32], paths: &DayTable, columns: &KeyScan) -> Option<u32> {
        let day = *days.first()?;
        let path = Some(paths.get(day)).filter(|path| *path != DayTable::NONE)?;
        if !(self.period.0..=self.period.1).contains(&day) {
            self.period = columns.days_beside(day)?;
        }
        let (first, last) = self.period;
        // The sign is set in what is before the first day or after the last.
        let beyond = days.iter().fold(0, |any, day| any | day.wrapping_sub(first) | last.wrapping_sub(*day));
        (beyond >= 0).then_some(path)
    }

    /// The groups of the lines that were placed, [`NONE`](super::nest::NONE) where that is not known. Gives
    /// whether all are.
    pub(super) fn look_up(&self, rows: &KeyScan, lines: Range<usize>, out: &mut [u32]) -> bool {
        let Some((deepest, above)) = rows.codes.split_last() else { return true };
        let own = deepest[lines.clone()].iter().copied();
        match self.all {
            Some(from) => self.latest.look_up(above, lines, own.map(move |own| from + own), out),
            None => {
                let places = own.zip(self.from.iter().copied()).map(|(own, from)| from + own);
                self.latest.look_up(above, lines, places, out)
            }
        }
    }

    /// Learns where the places begin for all days that are known by now.
    fn start_from(&mut self, days: &DayTable, paths: usize) {
        if self.known == (days.known(), paths) && !self.starts.is_empty() {
            return;
        }
        let (first, table) = days.table();
        let others = (paths * self.tall) as u32;
        let start = |path: &u32| match *path {
            DayTable::NONE => others,
            path => path * self.tall as u32,
        };
        self.starts.clear();
        self.starts.extend(table.iter().map(start).chain([others]));
        (self.first, self.known) = (first, (days.known(), paths));
    }

    /// Keeps in mind the group of a line on a path of the columns.
    pub(super) fn learn(&mut self, rows: &KeyScan, line: usize, column: u32, group: u32) {
        let from = (column as usize).saturating_mul(self.tall);
        if from < LIMIT {
            self.latest.make_room(from + self.tall);
            self.missed += usize::from(self.latest.learn(&rows.codes, line, from, group));
        }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.latest.bytes() + (self.starts.capacity() + self.from.capacity()) * size_of::<u32>()
    }
}
