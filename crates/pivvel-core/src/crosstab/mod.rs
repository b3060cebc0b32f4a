//! Leaf groups to cells: roll-ups of every grain by merging states, axes in display order, and the
//! cross-tab that holds both.

mod axis;
mod cell;
mod rollup;
mod table;

pub use axis::{Axis, Entry, MemberRef};
pub use cell::Cell;
pub use table::CrossTab;
