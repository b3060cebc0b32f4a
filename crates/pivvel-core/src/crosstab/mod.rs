//! The cross-tab: every cell of every grain, with its axes, values and peers.

mod cell;
mod table;

pub use cell::Cell;
pub use table::CrossTab;
