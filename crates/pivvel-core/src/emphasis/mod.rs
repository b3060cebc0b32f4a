//! What makes a cell stand out, decided here as positions; views turn them into colours.

use crate::crosstab::{Cell, CrossTab};

/// A tint: a position on the yardstick of one grain.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tint {
    /// Which of the scales it belongs to: its place in [`scales`].
    pub scale: usize,
    /// From 0 for the lowest of its peers to 1 for the highest.
    pub position: f64,
}

/// The yardstick that a legend explains: one measure at one grain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Scale {
    /// The measure's place.
    pub measure: usize,
    /// The level of its rows.
    pub row_level: usize,
    /// The level of its columns.
    pub column_level: usize,
}

/// Every scale that tints of this cross-tab use, the finest grain of each measure first.
pub fn scales(crosstab: &CrossTab) -> Vec<Scale> {
    let scales = crosstab.tints().iter().flat_map(|tint| {
        let grain = |(row_level, column_level): &(usize, usize)| Scale {
            measure: tint.measure,
            row_level: *row_level,
            column_level: *column_level,
        };
        tint.grains.iter().rev().map(grain)
    });
    scales.collect()
}

/// The tint of a cell's measure, if it has one: cells without peers, blanks and levels that were
/// not asked for have none. `scales` is what [`scales`] gives for this cross-tab.
pub fn tint(scales: &[Scale], cell: &Cell<'_>, measure: usize) -> Option<Tint> {
    let own = Scale { measure, row_level: cell.row().level(), column_level: cell.column().level() };
    let scale = scales.iter().position(|scale| *scale == own)?;
    Some(Tint { scale, position: cell.position(measure)? })
}
