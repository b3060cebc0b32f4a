//! Which cells of a grain go together: for ranks and aggregates of cells, and for peers. Cells of
//! different classes (plain ones, those of the same items and gathering members) never do.

use super::frame::Frame;
use crate::formula::Group;
use crate::model::Grain;
use crate::rollup::{Axis, Class};

/// What the cells of one group share.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct GroupKey {
    /// The classes of their rows and their columns.
    pub(crate) classes: (Class, Class),
    /// The row that they are in or under, by its level and node, if it is one.
    pub(crate) row: Option<(u16, u32)>,
    /// The column that they are in or under.
    pub(crate) column: Option<(u16, u32)>,
}

impl GroupKey {
    /// Plain cells of one grain.
    pub(crate) const PLAIN: GroupKey =
        GroupKey { classes: (Class::PLAIN, Class::PLAIN), row: None, column: None };
}

impl Frame {
    /// The group of every cell of a grain.
    pub(crate) fn groups(&self, grain: Grain, group: Group) -> Vec<GroupKey> {
        groups((&self.rows, &self.columns), grain, self.grains[grain].pairs.pairs(), group)
    }

    /// Which cells of a grain are shown at all.
    pub(crate) fn shown(&self, grain: Grain) -> Vec<bool> {
        shown((&self.rows, &self.columns), grain, self.grains[grain].pairs.pairs())
    }
}

/// The group of every cell, which are pairs of nodes of a row level and a column level.
pub(crate) fn groups(
    (rows, columns): (&Axis, &Axis),
    Grain { row: row_level, column: column_level }: Grain,
    pairs: &[(u32, u32)],
    group: Group,
) -> Vec<GroupKey> {
    let own = |level: usize, node: u32| Some((level as u16, node));
    let parent = |axis: &Axis, level: usize, node: u32| match level {
        0 => Some((0, 0)),
        level => Some((level as u16 - 1, axis.parent_node(level, node))),
    };
    // The outermost member that a row is in; the total is in none.
    let branch = |axis: &Axis, level: usize, node: u32| match level {
        0 => (0, 0),
        level => (1, axis.ancestor(level, node, 1)),
    };
    let key = |(row, column): &(u32, u32)| {
        let (row, column) = (*row, *column);
        let classes = (rows.class(row_level, row), columns.class(column_level, column));
        let (row, column) = match group {
            Group::Level => (None, None),
            Group::Row => (own(row_level, row), None),
            Group::Column => (None, own(column_level, column)),
            Group::Branch => (Some(branch(rows, row_level, row)), None),
            Group::Siblings => (parent(rows, row_level, row), own(column_level, column)),
            Group::ColumnSiblings => (own(row_level, row), parent(columns, column_level, column)),
        };
        GroupKey { classes, row, column }
    };
    pairs.iter().map(key).collect()
}

/// Which of these cells are shown at all.
pub(crate) fn shown(
    (rows, columns): (&Axis, &Axis),
    Grain { row: row_level, column: column_level }: Grain,
    pairs: &[(u32, u32)],
) -> Vec<bool> {
    let shown = |(row, column): &(u32, u32)| {
        !rows.is_hidden(row_level, *row) && !columns.is_hidden(column_level, *column)
    };
    pairs.iter().map(shown).collect()
}
