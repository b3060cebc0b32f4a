//! Which cells of a grain go together: for ranks and aggregates of cells, and for peers. Cells of
//! different classes (plain ones, those of the same items and gathering members) never do.

use std::collections::HashMap;

use super::frame::Frame;
use super::sorted::NO_GROUP;
use crate::formula::Group;
use crate::grouping::PairTable;
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

/// Cells in groups: what those of each group share, and the group of every cell.
pub(crate) struct CellGroups {
    pub(crate) keys: Vec<GroupKey>,
    /// By cell; [`NO_GROUP`] for those that are not shown.
    pub(crate) of: Vec<u32>,
}

impl Frame {
    /// The group of every cell of a grain.
    pub(crate) fn groups(&self, grain: Grain, group: Group) -> CellGroups {
        CellGroups::new((&self.rows, &self.columns), grain, self.grains[grain].pairs.pairs(), group)
    }

    /// Which cells of a grain are shown at all.
    pub(crate) fn shown(&self, grain: Grain) -> Vec<bool> {
        let shown = |(row, column): &(u32, u32)| {
            !self.rows.is_hidden(grain.row, *row) && !self.columns.is_hidden(grain.column, *column)
        };
        self.grains[grain].pairs.pairs().iter().map(shown).collect()
    }
}

/// What the cells of one row, or of one column, share as far as that decides.
type Part = (Class, Option<(u16, u32)>);

impl CellGroups {
    /// Groups cells, which are pairs of nodes of a row level and a column level, in the order in which they are met.
    pub(crate) fn new(
        (rows, columns): (&Axis, &Axis),
        grain: Grain,
        pairs: &[(u32, u32)],
        group: Group,
    ) -> CellGroups {
        let (of_rows, of_columns) = spots(group);
        let (row_parts, part_of_row) = parts(rows, grain.row, of_rows);
        let (column_parts, part_of_column) = parts(columns, grain.column, of_columns);
        let part = |(row, column): &(u32, u32)| {
            let (row, column) = (part_of_row[*row as usize], part_of_column[*column as usize]);
            (row != NO_GROUP && column != NO_GROUP).then_some((row, column))
        };
        let room = (row_parts.len(), column_parts.len());
        let (mut table, mut of) = (PairTable::with_room(room, pairs.len()), Vec::new());
        let all_shown = !part_of_row.contains(&NO_GROUP) && !part_of_column.contains(&NO_GROUP);
        table.intern_within(pairs.iter().filter_map(part), room, &mut of);
        if !all_shown {
            let mut groups = of.into_iter();
            let group = |pair| part(pair).and_then(|_| groups.next()).unwrap_or(NO_GROUP);
            of = pairs.iter().map(group).collect();
        }
        let key = |(row, column): &(u32, u32)| {
            let ((row_class, row), (column_class, column)) =
                (row_parts[*row as usize], column_parts[*column as usize]);
            GroupKey { classes: (row_class, column_class), row, column }
        };
        CellGroups { keys: table.pairs().iter().map(key).collect(), of }
    }

    /// Every cell with its group.
    pub(crate) fn cells(&self) -> impl Iterator<Item = (u32, u32)> + Clone + '_ {
        (0..).zip(self.of.iter().copied())
    }
}

/// Where on an axis the cells of a group are together.
#[derive(Clone, Copy)]
enum Spot {
    Anywhere,
    Own,
    Parent,
    /// The outermost member that they are in; the total is in none.
    Branch,
}

/// Where the rows and where the columns of a group are.
fn spots(group: Group) -> (Spot, Spot) {
    match group {
        Group::Level => (Spot::Anywhere, Spot::Anywhere),
        Group::Row => (Spot::Own, Spot::Anywhere),
        Group::Column => (Spot::Anywhere, Spot::Own),
        Group::Branch => (Spot::Branch, Spot::Anywhere),
        Group::Siblings => (Spot::Parent, Spot::Own),
        Group::ColumnSiblings => (Spot::Own, Spot::Parent),
    }
}

/// The parts of a level's nodes, and the one of each; none of a node that is not shown.
fn parts(axis: &Axis, level: usize, spot: Spot) -> (Vec<Part>, Vec<u32>) {
    let part = |node: u32| {
        let spot = match (spot, level) {
            (Spot::Anywhere, _) => None,
            (Spot::Own, _) => Some((level as u16, node)),
            (Spot::Parent | Spot::Branch, 0) => Some((0, 0)),
            (Spot::Parent, _) => Some((level as u16 - 1, axis.parent_node(level, node))),
            (Spot::Branch, _) => Some((1, axis.ancestor(level, node, 1))),
        };
        (axis.class(level, node), spot)
    };
    let mut known: HashMap<Part, u32> = HashMap::new();
    let mut parts: Vec<Part> = Vec::new();
    let number = |node: u32| {
        if axis.is_hidden(level, node) {
            return NO_GROUP;
        }
        let part = part(node);
        // Neighbours are most often together.
        if parts.last() == Some(&part) {
            return parts.len() as u32 - 1;
        }
        *known.entry(part).or_insert_with(|| {
            parts.push(part);
            parts.len() as u32 - 1
        })
    };
    let of = (0..axis.len(level) as u32).map(number).collect();
    (parts, of)
}
