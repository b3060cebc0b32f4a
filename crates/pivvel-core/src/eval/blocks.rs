//! A formula over the cells of a grain, block by block and by all threads. What needs all cells, as a rank does, is
//! computed before, so that a leaf of the formula is one look-up for each cell.

use std::ops::Range;
use std::sync::Arc;

use super::frame::Frame;
use super::relate::Targets;
use crate::formula::{Evaluate, Spot, Step, Texts, TypedExpr, Values, evaluate, holds};
use crate::model::{AxisSide, CellValues, Grain, Overflow, in_shares};
use crate::plan::Plan;

/// So many cells are computed at once: their values stay in the cache from step to step.
const BLOCK: usize = 1 << 12;

/// A formula whose leaves are ready, for some cells of a grain.
pub(super) struct ReadyFormula<'a> {
    /// Its leaves are places among `leaves`.
    pub(super) formula: TypedExpr<usize>,
    pub(super) leaves: Vec<ReadyLeaf<'a>>,
    pub(super) plan: &'a Plan,
    pub(super) frame: &'a Frame,
    pub(super) grain: Grain,
    /// The cells of the grain that it is for.
    pub(super) cells: Range<usize>,
}

/// A leaf that is one look-up for each cell.
pub(super) enum ReadyLeaf<'a> {
    /// The values of the grain's own cells.
    Values(Values),
    /// The values of a grain, and the cell there that each cell is related to.
    Related(Values, Targets<'a>),
    /// The label of each node of an axis.
    Labels(AxisSide, Vec<Option<Arc<str>>>),
}

impl ReadyLeaf<'_> {
    /// The labels of a dimension, for the cells of a grain.
    pub(super) fn labels(frame: &Frame, grain: Grain, spot: Spot) -> ReadyLeaf<'static> {
        let (axis, level) = (frame.axis(spot.side), grain.level(spot.side));
        let label = |node: u32| {
            let within = axis.ancestor(level, node, spot.level);
            Arc::from(axis.members(spot.level - 1).label(axis.member_of(spot.level, within)))
        };
        let of_node = |node: u32| (level >= spot.level).then(|| label(node));
        ReadyLeaf::Labels(spot.side, (0..axis.len(level) as u32).map(of_node).collect())
    }
}

impl ReadyFormula<'_> {
    /// The values of all cells, and how many divisions by zero count.
    pub(super) fn values(&self) -> Result<(Values, u64), Overflow> {
        if let (Step::Leaf(0), [ReadyLeaf::Values(values)]) = (&self.formula.step, &self.leaves[..]) {
            return Ok((values.clone(), 0));
        }
        let add = |block: &mut Block<'_>, all: &mut CellValues, room: usize| {
            all.append(Arc::unwrap_or_clone(evaluate(&self.formula, block)?), room);
            Ok(())
        };
        let (all, zero_divisions) = self.in_blocks(&add, &|all, more| {
            all.append(more, self.cells.len());
        })?;
        Ok((Arc::new(all), zero_divisions))
    }

    /// Values, and behind them those of all cells; `None` where these are of another kind.
    pub(super) fn behind(&self, values: &CellValues) -> Result<Option<CellValues>, Overflow> {
        values.extended(self.cells.len(), (self.frame.threads, BLOCK), |cells| {
            let cells = self.cells.start + cells.start..self.cells.start + cells.end;
            evaluate(&self.formula, &mut Block { of: self, cells, zero_divisions: 0 })
        })
    }

    /// The cells that a condition holds for, and how many divisions by zero count.
    pub(super) fn holds(&self) -> Result<(Vec<bool>, u64), Overflow> {
        let add = |block: &mut Block<'_>, all: &mut Vec<bool>, _: usize| {
            all.extend(holds(&self.formula, block)?);
            Ok(())
        };
        self.in_blocks(&add, &|all, more| all.extend(more))
    }

    /// Adds what each block comes to, in a share of the blocks for each thread, and joins the shares in their order.
    /// Says also how many divisions by zero count.
    fn in_blocks<T: Default + Send>(
        &self,
        add: &(dyn Fn(&mut Block<'_>, &mut T, usize) -> Result<(), Overflow> + Sync),
        join: &dyn Fn(&mut T, T),
    ) -> Result<(T, u64), Overflow> {
        let shares = in_shares(self.cells.len(), self.frame.threads, |share| {
            // The others come behind the first.
            let room = if share.start == 0 { self.cells.len() } else { share.len() };
            let (mut all, mut zero_divisions) = (T::default(), 0);
            for start in share.clone().step_by(BLOCK) {
                let cells = self.cells.start + start..self.cells.start + share.end.min(start + BLOCK);
                let mut block = Block { of: self, cells, zero_divisions: 0 };
                add(&mut block, &mut all, room)?;
                zero_divisions += block.zero_divisions;
            }
            Ok((all, zero_divisions))
        });
        let mut shares = shares.into_iter().collect::<Result<Vec<_>, _>>()?.into_iter();
        let (mut all, mut zero_divisions) = shares.next().unwrap_or_default();
        for (more, divisions) in shares {
            join(&mut all, more);
            zero_divisions += divisions;
        }
        Ok((all, zero_divisions))
    }
}

/// Some cells of the grain, one after the other.
struct Block<'b> {
    of: &'b ReadyFormula<'b>,
    cells: Range<usize>,
    zero_divisions: u64,
}

impl Evaluate for Block<'_> {
    type Leaf = usize;
    type Error = Overflow;

    fn cells(&self) -> usize {
        self.cells.len()
    }

    fn values(&mut self, leaf: &usize) -> Result<Values, Overflow> {
        Ok(Arc::new(match &self.of.leaves[*leaf] {
            ReadyLeaf::Values(values) => values.slice(self.cells.clone()),
            ReadyLeaf::Related(values, targets) => {
                values.gathered(self.cells.clone().map(|cell| targets.get(cell)))
            }
            ReadyLeaf::Labels(..) => CellValues::blank(self.cells.len()),
        }))
    }

    fn texts(&mut self, leaf: &usize) -> Result<Texts, Overflow> {
        let ReadyLeaf::Labels(side, labels) = &self.of.leaves[*leaf] else {
            return Ok(Arc::new(vec![None; self.cells.len()]));
        };
        let pairs = &self.of.frame.grains[self.of.grain].pairs.pairs()[self.cells.clone()];
        let label = |(row, column): &(u32, u32)| labels[side.pick(*row, *column) as usize].clone();
        Ok(Arc::new(pairs.iter().map(label).collect()))
    }

    /// In cells that are shown, unless an item gives them another value.
    fn divided_by_zero(&mut self, cell: usize) {
        let ReadyFormula { plan, frame, grain, .. } = self.of;
        let cell = self.cells.start + cell;
        let keeps_its_value =
            frame.grains[*grain].maker(cell).is_none_or(|item| plan.items[item].before_measures);
        // Where there are no lines there is nothing that it could have been.
        let has_lines = !frame.grains[*grain].lacks_lines(cell);
        self.zero_divisions += u64::from(keeps_its_value && has_lines && frame.shows(*grain, cell));
    }
}
