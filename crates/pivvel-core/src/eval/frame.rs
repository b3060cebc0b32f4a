//! The frame that values are computed in: axes, the cells of every grain, and their aggregates.

use std::borrow::Cow;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, OnceLock};

use super::cells::Cells;
use super::items::{add_items, merge_groups};
use super::sorted::Grouped;
use crate::error::{Error, Result};
use crate::formula::Values;
use crate::grouping::{Aggregate, LeafGroups, PairTable, States};
use crate::model::{AxisSide, ByGrain, Grain, Overflow, threads_for};
use crate::plan::Plan;
use crate::rollup::{Arranged, Axis, Either, RolledGrain, roll_up};

/// Axes, and the cells of every grain with their aggregates.
#[derive(Debug, Clone)]
pub(crate) struct Frame {
    pub(crate) rows: Axis<Either>,
    pub(crate) columns: Axis<Either>,
    pub(crate) grains: ByGrain<Cells>,
    /// How many threads may be used to compute values.
    pub(crate) threads: usize,
}

impl Frame {
    /// Rolls leaf groups up into every grain, finishes their aggregates and makes room for items; with so
    /// many threads, where that pays.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn new(plan: &Plan, leaves: LeafGroups, threads: usize) -> Result<Frame> {
        let mut rows = Axis::new(&plan.rows, &plan.row_totals, leaves.rows);
        let mut columns = Axis::new(&plan.columns, &plan.column_totals, leaves.columns);
        let room = (rows.len(rows.depth()), columns.len(columns.depth()));
        let (groups, states) =
            by_row(leaves.groups, leaves.states, room).map_err(|_| Error::overflow("the totals"))?;
        let RolledUp { mut grains, states, arranged } =
            RolledUp::new(plan, groups, &states, (&rows, &columns), threads)
                .map_err(|_| Error::overflow("the totals"))?;
        add_items(plan, &mut rows, &mut columns, &mut grains);
        merge_groups(plan, (&rows, &columns), &mut grains, &states)
            .map_err(|_| Error::overflow("the totals"))?;
        for (axis, arranged) in [(&mut rows, arranged.0), (&mut columns, arranged.1)] {
            axis.set_arranged(arranged.unwrap_or_else(|| axis.arranged_naturally()));
        }
        Ok(Frame { rows, columns, grains, threads })
    }

    /// Brings both axes into natural order.
    pub(crate) fn arrange_naturally(&mut self) {
        for axis in [&mut self.rows, &mut self.columns] {
            axis.set_arranged(axis.arranged_naturally());
        }
    }

    pub(crate) fn axis(&self, side: AxisSide) -> &Axis<Either> {
        side.pick(&self.rows, &self.columns)
    }

    /// Whether a cell is shown at all.
    pub(super) fn shows(&self, grain: Grain, cell: usize) -> bool {
        let (row, column) = self.grains[grain].pairs.pairs()[cell];
        !self.rows.is_hidden(grain.row, row) && !self.columns.is_hidden(grain.column, column)
    }

    /// The cells of a grain in the order in which they are shown, row by row.
    pub(super) fn display_order(&self, grain: Grain) -> Vec<u32> {
        let pairs = self.grains[grain].pairs.pairs();
        let (rows, columns) = (self.rows.places_at(grain.row), self.columns.places_at(grain.column));
        let by_column = (0..).zip(pairs.iter().map(|(_, column)| columns[*column as usize]));
        let by_column = Grouped::new(columns.len(), by_column);
        let by_row = by_column.cells().map(|cell| (cell, rows[pairs[cell as usize].0 as usize]));
        Grouped::new(rows.len(), by_row).cells().collect()
    }
}

/// The leaf groups row by row, as nearly everybody looks at them later: then what stands in one row lies side by side.
/// Where there are finer groups, these would have to be numbered anew, too, which takes longer than it saves.
fn by_row(groups: PairTable, states: States, room: (usize, usize)) -> Result<(PairTable, States), Overflow> {
    if states.has_finer() {
        return Ok((groups.compacted(room), states));
    }
    let (groups, old) = groups.renumbered_by_row(room);
    let states = match old {
        Some(old) => states.reordered(&old)?,
        None => states,
    };
    Ok((groups, states))
}

/// The cells of every grain.
struct RolledUp<'a> {
    grains: ByGrain<Cells>,
    /// What the cells were finished from, by grain.
    states: Vec<Cow<'a, States>>,
    /// The natural order of rows and of columns, where no item adds to them and there was a thread for it.
    arranged: (Option<Arranged<Either>>, Option<Arranged<Either>>),
}

impl<'a> RolledUp<'a> {
    /// Rolls the leaves up. The axes are arranged, and the leaves finished, aside.
    fn new(
        plan: &Plan,
        leaves: PairTable,
        states: &'a States,
        (rows, columns): (&Axis<Either>, &Axis<Either>),
        threads: usize,
    ) -> Result<RolledUp<'a>, Overflow> {
        let finishing = Finishing::new(states, &plan.aggregates);
        let helpers = (threads_for(states.len(), threads) - 1).min(plan.aggregates.len().max(1));
        let is_whole = |side: AxisSide| plan.items.iter().all(|item| item.spot.side != side);
        let arrange = || {
            let arranged = (
                is_whole(AxisSide::Rows).then(|| rows.arranged_naturally()),
                is_whole(AxisSide::Columns).then(|| columns.arranged_naturally()),
            );
            finishing.work();
            arranged
        };
        let (cells, arranged) = std::thread::scope(|scope| {
            let arranging = (helpers > 0).then(|| scope.spawn(arrange));
            (1..helpers).for_each(|_| drop(scope.spawn(|| finishing.work())));
            let rolled = roll_up(leaves, states, rows, columns)?;
            finishing.work();
            let cells = cells(rolled, &plan.aggregates, if plan.items.is_empty() { 1 } else { 2 })?;
            let arranged = arranging.map(|t| t.join().unwrap_or_else(|e| std::panic::resume_unwind(e)));
            let arranged = arranged.unwrap_or_default();
            Ok((cells, arranged))
        })?;
        let mut all = Vec::new();
        let mut grains = cells.map(|_, (cells, states)| {
            all.push(states);
            cells
        });
        let deepest = grains.deepest();
        grains[deepest].aggregates = finishing.done()?;
        Ok(RolledUp { grains, states: all, arranged })
    }
}

/// The cells of every grain, with room for so many times as many; those of the last one, the leaves, are without
/// aggregates.
fn cells<'a>(
    rolled: ByGrain<RolledGrain<'a>>,
    aggregates: &[Aggregate],
    room: usize,
) -> Result<ByGrain<(Cells, Cow<'a, States>)>, Overflow> {
    let deepest = rolled.deepest();
    let of_grain = |grain, RolledGrain { cells, states }: RolledGrain<'a>| {
        let aggregates = if grain == deepest { &[] } else { aggregates };
        let finished = aggregates.iter().map(|aggregate| states.finish(aggregate).map(Arc::new));
        // Room that is reserved and not written costs nothing.
        let mut lines = Vec::with_capacity(states.len() * room);
        lines.extend(states.all_lines());
        let cells = Cells {
            grain,
            lines,
            of_items: Vec::new(),
            merged: Vec::new(),
            aggregates: finished.collect::<Result<_, _>>()?,
            pairs: cells,
        };
        Ok((cells, states))
    };
    rolled.try_map(of_grain)
}

/// The aggregates of one grain, which several threads finish one after the other.
struct Finishing<'a> {
    states: &'a States,
    aggregates: &'a [Aggregate],
    next: AtomicUsize,
    finished: Vec<OnceLock<Result<Values, Overflow>>>,
}

impl<'a> Finishing<'a> {
    fn new(states: &'a States, aggregates: &'a [Aggregate]) -> Finishing<'a> {
        let finished = aggregates.iter().map(|_| OnceLock::new()).collect();
        Finishing { states, aggregates, next: AtomicUsize::new(0), finished }
    }

    /// Finishes those that no other thread has begun with.
    fn work(&self) {
        let next = || self.next.fetch_add(1, Ordering::Relaxed);
        for place in std::iter::repeat_with(next).take_while(|place| *place < self.aggregates.len()) {
            let values = self.states.finish(&self.aggregates[place]).map(Arc::new);
            self.finished[place].get_or_init(|| values);
        }
    }

    /// All of them, once every thread has ended.
    fn done(self) -> Result<Vec<Values>, Overflow> {
        self.finished.into_iter().filter_map(OnceLock::into_inner).collect()
    }
}
