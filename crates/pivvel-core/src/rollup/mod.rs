//! Leaf groups to cells: axes with the members that occur, tiers, picks, and roll-ups of every
//! grain by merging states.

mod axis;
mod class;
mod entry;
mod fill;
mod nodes;
mod regroup;
mod roll_up;

pub(crate) use axis::{Arranged, SortBy};
pub use axis::{Axis, MemberRef};
pub(crate) use class::{Apart, Class};
pub(crate) use entry::Either;
pub use entry::{ColumnEntry, Columns, Entry, EntryKind, OfAxis, RowEntry, Rows};
pub(crate) use fill::filled;
pub(crate) use nodes::Made;
pub(crate) use regroup::{Collapsed, Fate, collapse, combined, regroup, without_empty_paths};
pub(crate) use roll_up::{RolledGrain, roll_up};
