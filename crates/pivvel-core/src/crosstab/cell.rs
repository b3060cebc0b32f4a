//! One cell, read from the cross-tab that it is part of.

use super::table::{CrossTab, GrainCells};
use crate::model::{Grain, Value};
use crate::peers::{Peers, Yardstick};
use crate::rollup::{ColumnEntry, RowEntry};

/// A cell into which at least one line falls.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let fell = crosstab.find(&["Fell"], &[])?.unwrap();
/// assert_eq!((fell.get("pieces")?, fell.lines()), (Some(8.into()), 2));
/// assert_eq!((fell.rank(0), fell.position(0)), (Some(1), Some(1.0)));
/// assert_eq!(fell.label("coast")?, Some("Fell"));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy)]
pub struct Cell<'a> {
    pub(super) crosstab: &'a CrossTab,
    pub(super) row: RowEntry,
    pub(super) column: ColumnEntry,
    pub(crate) id: u32,
}

impl<'a> Cell<'a> {
    pub(crate) fn crosstab(&self) -> &'a CrossTab {
        self.crosstab
    }

    /// The row that it stands in.
    pub fn row(&self) -> RowEntry {
        self.row
    }

    /// The column that it stands in.
    pub fn column(&self) -> ColumnEntry {
        self.column
    }

    /// How many lines are behind it.
    pub fn lines(&self) -> u64 {
        self.cells().lines[self.id as usize]
    }

    /// The value of a measure, by its place among [`CrossTab::measures`]; `None` where it is blank.
    pub fn value(&self, measure: usize) -> Option<Value> {
        self.cells().values.get(measure)?.get(self.id as usize)
    }

    /// Whether a measure has a value at this cell's grain at all.
    pub fn shows(&self, measure: usize) -> bool {
        self.crosstab.measures().get(measure).is_some_and(|measure| measure.shows_at(self.grain()))
    }

    /// The yardstick of the cell's peers; `None` where none of them has a value.
    pub fn yardstick(&self, measure: usize) -> Option<&'a Yardstick> {
        self.crosstab.peers(measure, self.grain())?.yardstick_of(self.id as usize)
    }

    /// What the cell's peers are called; see the tidy result.
    pub(crate) fn peers(&self, measure: usize) -> Option<&'a str> {
        self.peers_name(measure, self.crosstab.peers(measure, self.grain())?)
    }

    /// The same, where the peers of its measure and grain are at hand.
    pub(crate) fn peers_name(&self, measure: usize, peers: &'a Peers) -> Option<&'a str> {
        let names = self.crosstab.names_of_peers(measure, self.grain(), peers);
        Some(&names[peers.group(self.id as usize)?])
    }

    /// Where the value stands on the yardstick of its peers, from 0 for the lowest to 1 for the
    /// highest; `None` for a blank, for a cell without peers and where all peers are equal.
    pub fn position(&self, measure: usize) -> Option<f64> {
        self.crosstab.peers(measure, self.grain())?.position(self.id as usize, &self.value(measure)?)
    }

    /// The rank among the peers, 1 for the highest; equal values share the lowest rank number.
    pub fn rank(&self, measure: usize) -> Option<u32> {
        self.crosstab.peers(measure, self.grain())?.rank(self.id as usize)
    }

    /// The grain that it is of.
    pub(crate) fn grain(&self) -> Grain {
        Grain::new(self.row.level(), self.column.level())
    }

    fn cells(&self) -> &'a GrainCells {
        &self.crosstab.grains[self.grain()]
    }
}

impl CrossTab {
    /// The cell where a row and a column meet; `None` where no line falls into it, and where they are no row and no
    /// column.
    pub fn cell(&self, row: RowEntry, column: ColumnEntry) -> Option<Cell<'_>> {
        let (_, id) = self.spot(row, column)?;
        Some(Cell { crosstab: self, row, column, id: id as u32 })
    }

    /// Every cell in display order, row by row.
    pub fn cells(&self) -> impl Iterator<Item = Cell<'_>> {
        let columns = self.columns.entries();
        self.rows.entries().iter().flat_map(move |row| columns.iter().filter_map(|c| self.cell(*row, *c)))
    }
}
