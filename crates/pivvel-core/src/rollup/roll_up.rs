//! Roll-ups: the cells of every grain, each from the cells of a finer grain, by merging states.

use std::borrow::Cow;

use super::axis::Axis;
use crate::grouping::{PairTable, States};
use crate::model::Overflow;

/// The cells of one grain as states.
pub(crate) struct RolledGrain<'a> {
    /// Row node and column node of every cell.
    pub(crate) cells: PairTable,
    pub(crate) states: Cow<'a, States>,
}

/// The cells of all grains, in the order of [`grain_index`].
pub(crate) fn roll_up<'a>(
    leaves: PairTable,
    states: &'a States,
    rows: &Axis,
    columns: &Axis,
) -> Result<Vec<RolledGrain<'a>>, Overflow> {
    let (k, l) = (rows.depth(), columns.depth());
    let mut grains: Vec<Option<RolledGrain<'_>>> = (0..(k + 1) * (l + 1)).map(|_| None).collect();
    grains[grain_index(l, k, l)] = Some(RolledGrain { cells: leaves, states: Cow::Borrowed(states) });
    for r in (0..=k).rev() {
        for c in (0..=l).rev() {
            if (r, c) == (k, l) {
                continue;
            }
            // One level up on one axis: states merge the same in any order, so which one is free.
            let (finer, side) = if r < k { ((r + 1, c), true) } else { ((r, c + 1), false) };
            let Some(source) = &grains[grain_index(l, finer.0, finer.1)] else { continue };
            let pairs = source.cells.pairs();
            let room = (rows.len(r), columns.len(c));
            let mut cells = PairTable::with_room(room, pairs.len().min(room.0.saturating_mul(room.1)));
            let mut into = Vec::with_capacity(pairs.len());
            if side {
                let up = rows.parents(finer.0);
                let pairs = pairs.iter().map(|(row, column)| (up[*row as usize], *column));
                cells.intern_within(pairs, room, &mut into);
            } else {
                let up = columns.parents(finer.1);
                let pairs = pairs.iter().map(|(row, column)| (*row, up[*column as usize]));
                cells.intern_within(pairs, room, &mut into);
            }
            let states = Cow::Owned(source.states.merged(&into, cells.len())?);
            grains[grain_index(l, r, c)] = Some(RolledGrain { cells, states });
        }
    }
    Ok(grains.into_iter().flatten().collect())
}

/// The place of a grain among all of them, where columns have `l` dimensions.
pub(crate) fn grain_index(l: usize, row_level: usize, column_level: usize) -> usize {
    row_level * (l + 1) + column_level
}
