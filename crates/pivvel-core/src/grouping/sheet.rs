//! The groups by one look: on each path of the columns, as a rule, the deepest member of the rows tells the
//! group, and of a line is only asked whether its other members agree.

use std::ops::Range;

use super::keys::KeyScan;
use super::nest::{KEYS, Latest, NONE};

/// A sheet stays below this many places (16 MiB).
const LIMIT: usize = 1 << 20;

/// The group that each deepest member of the rows was last seen in, on every path of the columns.
#[derive(Debug, Clone, Default)]
pub(super) struct Sheet {
    /// The places of one path of the columns: at least one for each deepest member.
    tall: usize,
    latest: Latest,
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
        }
        let places = self.tall.saturating_mul(columns.paths());
        let pays = self.missed <= self.tall + self.asked / 8;
        rows.coded() && (1..=KEYS).contains(&rows.len()) && places <= LIMIT && pays
    }

    /// The groups of some lines, [`NONE`] where that is not known.
    pub(super) fn look_up(
        &mut self,
        rows: &KeyScan,
        columns: &KeyScan,
        lines: Range<usize>,
        out: &mut [u32],
    ) {
        self.asked += lines.len();
        let tall = self.tall;
        // What is none leads beyond all places.
        let from = |path: u32| (path as usize).wrapping_mul(tall);
        match columns.days_of(lines.clone()) {
            Some((days, paths)) => {
                let (first, paths) = paths.table();
                let path = |day: &i32| paths.get(day.wrapping_sub(first) as u32 as usize).copied();
                let from = days.iter().map(|day| from(path(day).unwrap_or(NONE)));
                self.latest.look_up(&rows.codes, lines, from, out);
            }
            None => {
                let from = columns.path().iter().map(|path| from(*path));
                self.latest.look_up(&rows.codes, lines, from, out);
            }
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
        self.latest.bytes()
    }
}
