//! The cells of one grain.

use crate::formula::Values;
use crate::grouping::PairTable;
use crate::model::Grain;

/// The cells of one grain.
#[derive(Debug, Clone)]
pub(crate) struct Cells {
    pub(crate) grain: Grain,
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
    pub(crate) fn len(&self) -> usize {
        self.lines.len()
    }

    /// The item that computes a cell.
    pub(crate) fn maker(&self, cell: usize) -> Option<usize> {
        self.makers.get(cell).copied().flatten()
    }
}
