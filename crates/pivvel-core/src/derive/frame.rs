//! The frame that values are computed in: axes, the cells of every grain, and their aggregates.

use std::sync::Arc;

use crate::brief::Plan;
use crate::error::{Error, Result};
use crate::formula::Values;
use crate::grouping::{LeafGroups, PairTable};
use crate::rollup::{Axis, SortBy, grain_index, roll_up};

use super::items::add_items;

/// Axes, and the cells of every grain with their aggregates.
#[derive(Debug, Clone)]
pub(crate) struct Frame {
    pub(crate) rows: Axis,
    pub(crate) columns: Axis,
    pub(crate) grains: Vec<Cells>,
}

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
    /// Aggregates by their place in the plan, then by cell.
    pub(crate) aggregates: Vec<Values>,
}

impl Frame {
    /// Rolls leaf groups up into every grain, finishes their aggregates and makes room for items.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn new(plan: &Plan, leaves: &LeafGroups) -> Result<Frame> {
        let outgrown = || Error::overflow("the totals");
        let mut rows = Axis::new(&plan.rows, &plan.row_totals, leaves.rows.clone());
        let mut columns = Axis::new(&plan.columns, &plan.column_totals, leaves.columns.clone());
        let rolled =
            roll_up(leaves.groups.clone(), &leaves.states, &rows, &columns).map_err(|_| outgrown())?;
        let across = columns.depth() + 1;
        let mut grains = Vec::with_capacity(rolled.len());
        for (i, grain) in rolled.into_iter().enumerate() {
            let finish = |aggregate| grain.states.finish(aggregate).map(Arc::new).map_err(|_| outgrown());
            grains.push(Cells {
                row_level: i / across,
                column_level: i % across,
                lines: (0..grain.cells.len()).map(|cell| grain.states.lines(cell)).collect(),
                makers: Vec::new(),
                aggregates: plan.aggregates.iter().map(finish).collect::<Result<_>>()?,
                pairs: grain.cells,
            });
        }
        add_items(plan, &mut rows, &mut columns, &mut grains);
        let mut frame = Frame { rows, columns, grains };
        frame.arrange_naturally();
        Ok(frame)
    }

    /// Brings both axes into natural order.
    pub(crate) fn arrange_naturally(&mut self) {
        for axis in [&mut self.rows, &mut self.columns] {
            let natural: Vec<SortBy> = (0..axis.depth()).map(|_| SortBy::Natural).collect();
            axis.arrange(&natural);
        }
    }

    pub(crate) fn axis(&self, on_rows: bool) -> &Axis {
        if on_rows { &self.rows } else { &self.columns }
    }

    /// The place of a grain.
    pub(crate) fn grain(&self, row_level: usize, column_level: usize) -> usize {
        grain_index(self.columns.depth(), row_level, column_level)
    }

    /// The class of every cell of a grain: cells of different classes are never scaled together.
    pub(crate) fn classes(&self, grain: usize) -> Vec<(u16, u16)> {
        let Cells { row_level, column_level, pairs, .. } = &self.grains[grain];
        let class = |(row, column): &(u32, u32)| {
            (self.rows.class(*row_level, *row), self.columns.class(*column_level, *column))
        };
        pairs.pairs().iter().map(class).collect()
    }
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
