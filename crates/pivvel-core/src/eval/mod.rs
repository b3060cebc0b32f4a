//! Cells to values: aggregates are finished, calculated items get their cells, formula measures are
//! computed from the cells' own aggregates and from related cells.

mod blocks;
mod cells;
mod evaluate;
mod frame;
mod gather;
mod groups;
mod items;
mod pick;
mod relate;
mod sorted;
mod tier;

pub(crate) use evaluate::Engine;
pub(crate) use frame::Frame;
pub(crate) use gather::window;
pub(crate) use groups::{CellGroups, GroupKey};
pub(crate) use items::made_of;
pub(crate) use pick::{Picks, pick};
pub(crate) use relate::{period_places, targets};
pub(crate) use sorted::{NO_GROUP, Sorted, SortedGroup};
pub(crate) use tier::settle_tiers;
