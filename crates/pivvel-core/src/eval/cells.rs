//! The cells of one grain.

use std::ops::Range;
use std::sync::Arc;

use crate::brief::Filled;
use crate::formula::Values;
use crate::grouping::PairTable;
use crate::model::{Grain, Value};

/// The cells of one grain.
#[derive(Debug, Clone)]
pub(crate) struct Cells {
    pub(crate) grain: Grain,
    /// Row node and column node of every cell.
    pub(crate) pairs: PairTable,
    pub(crate) lines: Vec<u64>,
    /// The cells that each item computes, by its place in the order of application.
    pub(crate) of_items: Vec<Range<usize>>,
    /// Which cells of items are aggregated from the lines of all members of a group; those behind the last one
    /// are not.
    pub(crate) merged: Vec<bool>,
    /// Aggregates by their place in the plan, then by cell. Where no item is applied to aggregates, the cells of items
    /// have none.
    pub(crate) aggregates: Vec<Values>,
}

impl Cells {
    pub(crate) fn len(&self) -> usize {
        self.lines.len()
    }

    /// Whether an item computes any.
    pub(crate) fn has_cells_of(&self, item: usize) -> bool {
        self.of_items.get(item).is_some_and(|cells| !cells.is_empty())
    }

    /// The cells of an item that its formula gives the values of, in runs.
    pub(crate) fn computed(&self, item: usize) -> Vec<Range<usize>> {
        let own = self.of_items[item].clone();
        let merged = self.merged.get(own.clone()).unwrap_or_default();
        if merged.is_empty() {
            return vec![own];
        }
        let mut begin = own.start;
        let runs = merged.chunk_by(|a, b| a == b).map(|run| {
            begin += run.len();
            (run[0], begin - run.len()..begin)
        });
        runs.filter(|(is_merged, _)| !is_merged).map(|(_, cells)| cells).collect()
    }

    /// Values with what a measure has in cells without lines.
    pub(crate) fn filled(&self, mut values: Values, with: Option<Filled>) -> Values {
        let Some(with) = with else { return values };
        let zero = match with {
            Filled::Zero => Some(Value::whole(0)),
            Filled::Blank => None,
        };
        let wrong = |cell: &usize| values.get(*cell).is_some() != zero.is_some();
        let cells: Vec<usize> =
            (0..self.len()).filter(|cell| self.lacks_lines(*cell)).filter(wrong).collect();
        if !cells.is_empty() {
            let all = Arc::make_mut(&mut values);
            cells.into_iter().for_each(|cell| all.set(cell, zero));
        }
        values
    }

    /// Whether no line falls into a cell, nor into those that it is computed from.
    pub(crate) fn lacks_lines(&self, cell: usize) -> bool {
        self.lines[cell] == 0
    }

    /// The item that computes a cell.
    pub(crate) fn maker(&self, cell: usize) -> Option<usize> {
        self.of_items.iter().position(|cells| cells.contains(&cell))
    }
}
