//! The cells of one grain.

use crate::formula::Values;
use crate::grouping::PairTable;

/// The cells of one grain.
#[derive(Debug, Clone)]
pub(crate) struct Cells {
    pub(crate) row_level: usize,
    pub(crate) column_level: usize,
    /// Row node and column node of every cell.
    pub(crate) pairs: PairTable,
    pub(crate) lines: Vec<u64>,
    /// The item that computes each cell, by its place in the order of application; those behind the
    /// last one have none.
    pub(crate) makers: Vec<Option<usize>>,
    /// Which cells of items are aggregated from the lines of all members of a group; those behind the last one
    /// are not.
    pub(crate) merged: Vec<bool>,
    /// Aggregates by their place in the plan, then by cell.
    pub(crate) aggregates: Vec<Values>,
}

impl Cells {
    /// The row level and the column level.
    pub(crate) fn levels(&self) -> (usize, usize) {
        (self.row_level, self.column_level)
    }

    pub(crate) fn len(&self) -> usize {
        self.lines.len()
    }

    /// The item that computes a cell.
    pub(crate) fn maker(&self, cell: usize) -> Option<usize> {
        self.makers.get(cell).copied().flatten()
    }
}
