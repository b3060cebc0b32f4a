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

    /// The row path of each of these groups.
    fn rows_of(self, groups: &[u32], out: &mut Vec<u32>) {
        self.side_of(groups, !self.columns_first, out);
    }

    /// The column path of each of these groups.
    fn columns_of(self, groups: &[u32], out: &mut Vec<u32>) {
        self.side_of(groups, self.columns_first, out);
    }

    fn side_of(self, groups: &[u32], first: bool, out: &mut Vec<u32>) {
        let pairs = self.groups.pairs();
        out.clear();
        match first {
            true => out.extend(groups.iter().map(|group| pairs[*group as usize].0)),
            false => out.extend(groups.iter().map(|group| pairs[*group as usize].1)),
        }
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
    /// Of each line that was met last the row path, the column path, and the number of row path and key.
    rows_of_line: Vec<u32>,
    columns_of_line: Vec<u32>,
    keyed_of_line: Vec<u32>,
}

impl Default for FinerTable {
    fn default() -> FinerTable {
        FinerTable {
            keyed: PairTable::with_latest(),
            all: PairTable::default().by_row(),
            columns: 0,
            rows_of_line: Vec::new(),
            columns_of_line: Vec::new(),
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
            paths.rows_of(groups, &mut self.rows_of_line);
            let under_rows = self.rows_of_line.iter().copied().zip(keys.iter().copied());
            self.keyed.intern_within(under_rows, (rows, count), &mut self.keyed_of_line);
        }
        if columns == 1 {
            return self.all.intern_seconds(&self.keyed_of_line, self.keyed.len(), out);
        }
        paths.columns_of(groups, &mut self.columns_of_line);
        let under_both = self.columns_of_line.iter().copied().zip(self.keyed_of_line.iter().copied());
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
