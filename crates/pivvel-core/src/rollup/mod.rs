//! Leaf groups to cells: axes with the members that occur, tiers, picks, and roll-ups of every
//! grain by merging states.

mod axis;
mod class;
mod entry_kind;
mod regroup;
mod roll_up;

pub use axis::{Axis, Entry, MemberRef};
pub(crate) use axis::{Made, SortBy};
pub(crate) use class::{Apart, Class};
pub use entry_kind::EntryKind;
pub(crate) use regroup::{Collapsed, Fate, collapse, combined, regroup, without_empty_paths};
pub(crate) use roll_up::{RolledGrain, roll_up};
