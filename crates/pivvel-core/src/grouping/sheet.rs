//! The groups by one look: on each path of the columns, as a rule, the deepest member of the rows tells the
//! group, and of a line is only asked whether its other members agree.

use std::ops::Range;

use super::keys::KeyScan;
use super::nest::{KEYS, Latest};
use crate::lines::DayTable;

/// A sheet stays below this many places (2 MiB); in much larger ones, going by paths is quicker.
const LIMIT: usize = 1 << 17;
/// Lies beyond them.
const BEYOND: u32 = 1 << 30;

/// The group that each deepest member of the rows was last seen in, on every path of the columns.
#[derive(Debug, Clone, Default)]
pub(super) struct Sheet {
    /// The places of one path of the columns: at least one for each deepest member.
    tall: usize,
    latest: Latest,
    /// Where the places for each day begin, from the first one on...
    starts: Vec<u32>,
    first: i32,
    /// ...as it was when so many days were known.
    known: usize,
    asked: usize,
    missed: usize,
}

impl Sheet {
    /// Makes ready for these rows and columns; false where there is no room for them, or looking does not
    /// pay.
    pub(super) fn fits(&mut self, rows: &KeyScan, columns: &KeyScan) -> bool {
        if rows.deepest() > self.tall {
            self.tall = rows.deepest().next_power_of_two();
            self.latest.clear();
            self.known = 0;
        }
        let places = self.tall.saturating_mul(columns.paths());
        let pays = self.missed <= self.tall + self.asked / 8;
        if places > LIMIT || !pays {
            self.latest.clear();
            return false;
        }
        rows.coded() && (1..=KEYS).contains(&rows.len())
    }

    /// The groups of some lines, [`NONE`](super::nest::NONE) where that is not known.
    pub(super) fn look_up(
        &mut self,
        rows: &KeyScan,
        columns: &KeyScan,
        lines: Range<usize>,
        out: &mut [u32],
    ) {
        self.asked += lines.len();
        match columns.days_of(lines.clone()) {
            Some((days, paths)) => {
                self.start_from(paths);
                let (first, starts): (i32, &[u32]) = (self.first, &self.starts);
                let start = move |day: &i32| starts.get(day.wrapping_sub(first) as u32 as usize).copied();
                let from = days.iter().map(move |day| start(day).unwrap_or(BEYOND) as usize);
                self.latest.look_up(&rows.codes, lines, from, out);
            }
            None => {
                let from = columns.path().iter().map(|path| *path as usize * self.tall);
                self.latest.look_up(&rows.codes, lines, from, out);
            }
        }
    }

    /// Learns where the places for all days begin that are known by now.
    fn start_from(&mut self, days: &DayTable) {
        if self.known != days.known() {
            let (first, paths) = days.table();
            let start = |path: &u32| (*path as usize).saturating_mul(self.tall).min(BEYOND as usize) as u32;
            self.starts.clear();
            self.starts.extend(paths.iter().map(start));
            (self.first, self.known) = (first, days.known());
        }
    }

    /// Keeps in mind the group of a line on a path of the columns.
    pub(super) fn learn(&mut self, rows: &KeyScan, line: usize, column: u32, group: u32) {
        let from = (column as usize).saturating_mul(self.tall);
        if from < LIMIT {
            self.missed += usize::from(self.latest.learn(&rows.codes, line, from, group));
        }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.latest.bytes() + self.starts.capacity() * size_of::<u32>()
    }
}
