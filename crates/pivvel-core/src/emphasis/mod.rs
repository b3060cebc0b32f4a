//! What makes a cell stand out, decided here as positions; views turn them into colours.

use crate::brief::NumberFormat;
use crate::crosstab::{Cell, CrossTab};
use crate::peers::Yardstick;

/// A tint: a position on the yardstick of one grain.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tint {
    /// Which of the scales it belongs to: its place in [`scales`].
    pub scale: usize,
    /// From 0 for the lowest of its peers to 1 for the highest.
    pub position: f64,
}

/// The yardstick that a legend explains: one measure at one grain; of calculated items and the others
/// member, each has one of its own.
#[derive(Debug, Clone, PartialEq)]
pub struct Scale {
    /// The measure's place.
    pub measure: usize,
    /// The level of its rows.
    pub row_level: usize,
    /// The level of its columns.
    pub column_level: usize,
    /// The members that it is a scale of, where they are scaled apart: of the rows, of the columns.
    pub apart: [Option<String>; 2],
    /// Its reference numbers.
    pub yardstick: Yardstick,
    /// How its numbers are shown.
    pub format: NumberFormat,
    class: (u16, u16),
}

/// Every scale that tints of this cross-tab use and on which some cell has a place, the finest grain
/// of each measure first.
pub fn scales(crosstab: &CrossTab) -> Vec<Scale> {
    let mut scales = Vec::new();
    for tint in crosstab.tints() {
        for (row_level, column_level) in tint.grains.iter().rev().copied() {
            let peers = crosstab.peers(tint.measure, row_level, column_level);
            for (class, yardstick) in peers.by_class() {
                if yardstick.position(&yardstick.high).is_none() {
                    continue;
                }
                let apart = [(crosstab.rows(), class.0), (crosstab.columns(), class.1)]
                    .map(|(axis, class)| axis.class_name(class).map(str::to_string));
                let yardstick = *yardstick;
                let (measure, format) = (tint.measure, crosstab.format_of_class(class, tint.measure).clone());
                scales.push(Scale { measure, row_level, column_level, apart, yardstick, format, class });
            }
        }
    }
    scales
}

/// The tint of a cell's measure, if it has one: cells without peers, blanks and levels that were
/// not asked for have none. `scales` is what [`scales`] gives for this cross-tab.
pub fn tint(scales: &[Scale], cell: &Cell<'_>, measure: usize) -> Option<Tint> {
    let class = cell.class(measure)?;
    let grain = (cell.row().level(), cell.column().level());
    let own = |scale: &Scale| {
        scale.measure == measure && (scale.row_level, scale.column_level) == grain && scale.class == class
    };
    let scale = scales.iter().position(own)?;
    Some(Tint { scale, position: cell.position(measure)? })
}
