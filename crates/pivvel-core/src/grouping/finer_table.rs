//! Numbers of finer groups, by where the groups stand that they are part of, and by their keys.
//!
//! A key is mostly met under one row: a client lies on one coast, an order has one client. So keys under rows are numbered
//! first, and these under columns then: the first table mostly finds what it found last for a key, and the second is dense.
//! One table of groups and keys would be neither, since a client is met in any quarter where lines are in no order.

use super::keys::KeyScan;
use super::pairs::{NOWHERE, PairTable};

/// Where groups stand: their paths on the rows and on the columns.
#[derive(Debug, Clone, Copy)]
pub(super) struct GroupPaths<'a> {
    groups: &'a PairTable,
    /// Whether columns come first in the pairs.
    columns_first: bool,
    /// How many paths there are on the rows, and on the columns.
    room: (usize, usize),
}

impl<'a> GroupPaths<'a> {
    /// Those of pairs of row and column.
    pub(super) fn new(groups: &'a PairTable, rows: &KeyScan, columns: &KeyScan) -> GroupPaths<'a> {
        GroupPaths { groups, columns_first: false, room: (rows.paths(), columns.paths()) }
    }

    /// How many groups there are.
    pub(super) fn len(self) -> usize {
        self.groups.len()
    }

    #[inline]
    fn of(self, group: u32) -> (u32, u32) {
        let (first, second) = self.groups.pairs()[group as usize];
        if self.columns_first { (second, first) } else { (first, second) }
    }

    fn group(self, row: u32, column: u32) -> u32 {
        let (first, second) = if self.columns_first { (column, row) } else { (row, column) };
        self.groups.find(first, second).unwrap_or(NOWHERE)
    }
}

/// The finer groups by their numbers.
#[derive(Debug, Clone)]
pub(super) struct FinerTable {
    /// Row path and key.
    keyed: PairTable,
    /// Column path, and the number of row path and key.
    all: PairTable,
    /// How many column paths there are.
    columns: usize,
    /// The number of row path and key of each line that was met last.
    keyed_of_line: Vec<u32>,
}

impl Default for FinerTable {
    fn default() -> FinerTable {
        FinerTable {
            keyed: PairTable::with_latest(),
            all: PairTable::default().by_row(),
            columns: 0,
            keyed_of_line: Vec::new(),
        }
    }
}

impl FinerTable {
    /// Numbers the finer groups of lines, of which the groups and the keys are known, into `out`; there are `count` keys.
    pub(super) fn intern(
        &mut self,
        paths: GroupPaths<'_>,
        groups: &[u32],
        (keys, count): (&[u32], usize),
        out: &mut Vec<u32>,
    ) {
        let (rows, columns) = paths.room;
        self.columns = columns;
        if rows == 1 {
            self.keyed.intern_seconds(keys, count, &mut self.keyed_of_line);
        } else {
            let under_rows = groups.iter().zip(keys).map(|(group, key)| (paths.of(*group).0, *key));
            self.keyed.intern_within(under_rows, (rows, count), &mut self.keyed_of_line);
        }
        if columns == 1 {
            return self.all.intern_seconds(&self.keyed_of_line, self.keyed.len(), out);
        }
        let lines = groups.iter().zip(&self.keyed_of_line);
        let under_both = lines.map(|(group, keyed)| (paths.of(*group).1, *keyed));
        self.all.intern_within(under_both, (columns, self.keyed.len()), out);
    }

    /// Takes those of another table, whose rows, columns and keys are called here as is named for them; gives what its rows
    /// with keys, and its finer groups, are here.
    pub(super) fn absorb(
        &mut self,
        other: &FinerTable,
        (rows, columns): (&[u32], &[u32]),
        keys: &[u32],
    ) -> (Vec<u32>, Vec<u32>) {
        let keyed = self.keyed.absorb(&other.keyed, rows, keys);
        let numbers = self.all.absorb(&other.all, columns, &keyed);
        self.columns = self.columns.max(other.columns);
        (keyed, numbers)
    }

    /// Where the finer groups stand, as groups of still finer ones.
    pub(super) fn paths(&self) -> GroupPaths<'_> {
        GroupPaths { groups: &self.all, columns_first: true, room: (self.keyed.len(), self.columns) }
    }

    /// The group and the key of every finer group.
    pub(super) fn pairs(&self, paths: GroupPaths<'_>) -> Vec<(u32, u32)> {
        let pair = |(column, keyed): &(u32, u32)| {
            let (row, key) = self.keyed.pairs()[*keyed as usize];
            (paths.group(row, *column), key)
        };
        self.all.pairs().iter().map(pair).collect()
    }

    pub(super) fn len(&self) -> usize {
        self.all.len()
    }

    /// About how many bytes they take.
    pub(super) fn bytes(&self) -> usize {
        self.keyed.bytes() + self.all.bytes()
    }
}
