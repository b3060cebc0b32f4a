//! Roll-ups: the cells of every grain, each from the cells of a finer grain, by merging states.

use std::borrow::Cow;

use super::axis::Axis;
use super::entry::OfAxis;
use crate::grouping::{PairTable, States};
use crate::model::{AxisSide, ByGrain, Grain, Overflow};

/// The cells of one grain as states.
pub(crate) struct RolledGrain<'a> {
    /// Row node and column node of every cell.
    pub(crate) cells: PairTable,
    pub(crate) states: Cow<'a, States>,
}

/// The cells of all grains.
pub(crate) fn roll_up<'a, S: OfAxis>(
    leaves: PairTable,
    states: &'a States,
    rows: &Axis<S>,
    columns: &Axis<S>,
) -> Result<ByGrain<RolledGrain<'a>>, Overflow> {
    let deepest = Grain::new(rows.depth(), columns.depth());
    let mut grains: ByGrain<Option<RolledGrain<'_>>> = ByGrain::new(deepest, |_| None);
    grains[deepest] = Some(RolledGrain { cells: leaves, states: Cow::Borrowed(states) });
    for grain in deepest.all().rev().skip(1) {
        // One level up on one axis: states merge the same in any order, so which one is free.
        let side = if grain.row < deepest.row { AxisSide::Rows } else { AxisSide::Columns };
        let finer = grain.level(side) + 1;
        let Some(source) = &grains[grain.at(side, finer)] else { continue };
        let pairs = source.cells.pairs();
        let room = (rows.len(grain.row), columns.len(grain.column));
        let mut cells = PairTable::with_room(room, pairs.len().min(room.0.saturating_mul(room.1)));
        let mut into = Vec::with_capacity(pairs.len());
        let up = side.pick(rows, columns).parents(finer);
        match side {
            AxisSide::Rows => {
                let pairs = pairs.iter().map(|(row, column)| (up[*row as usize], *column));
                cells.intern_within(pairs, room, &mut into);
            }
            AxisSide::Columns => {
                let pairs = pairs.iter().map(|(row, column)| (*row, up[*column as usize]));
                cells.intern_within(pairs, room, &mut into);
            }
        }
        let states = Cow::Owned(source.states.merged(&into, cells.len())?);
        grains[grain] = Some(RolledGrain { cells, states });
    }
    Ok(grains.map(|_, rolled| match rolled {
        Some(rolled) => rolled,
        None => unreachable!("every grain is rolled up from a finer one"),
    }))
}
