//! Which cells of a grain go together: for ranks and aggregates of cells, and for peers. Cells of
//! different classes (those of the lines, those of the same items and gathering members) never do.

use std::collections::HashMap;

use super::frame::Frame;
use super::sorted::NO_GROUP;
use crate::formula::Group;
use crate::grouping::PairTable;
use crate::model::Grain;
use crate::rollup::{Axis, Class, OfAxis};

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
    /// Cells of one grain whose rows and columns are members of the lines.
    pub(crate) const MEMBERS: GroupKey =
        GroupKey { classes: (Class::MEMBERS, Class::MEMBERS), row: None, column: None };
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
}

/// What the cells of a row, or of a column, share with others of their group: the class, and a node by its level.
type Part = (Class, Option<(u16, u32)>);

impl CellGroups {
    /// Takes cells out of their groups.
    pub(crate) fn leave_out(&mut self, is_out: impl Fn(usize) -> bool) {
        let out = self.of.iter_mut().enumerate().filter(|(cell, _)| is_out(*cell));
        out.for_each(|(_, group)| *group = NO_GROUP);
    }

    /// Groups cells, which are pairs of nodes of a row level and a column level, in the order in which they are met.
    pub(crate) fn new<R: OfAxis, C: OfAxis>(
        (rows, columns): (&Axis<R>, &Axis<C>),
        grain: Grain,
        pairs: &[(u32, u32)],
        group: Group,
    ) -> CellGroups {
        let (of_rows, of_columns) = common(group);
        let (row_parts, part_of_row) = parts(rows, grain.row, of_rows);
        let (column_parts, part_of_column) = parts(columns, grain.column, of_columns);
        let part = |(row, column): &(u32, u32)| {
            let (row, column) = (part_of_row[*row as usize], part_of_column[*column as usize]);
            (row != NO_GROUP && column != NO_GROUP).then_some((row, column))
        };
        let room = (row_parts.len(), column_parts.len());
        let (mut table, mut of) = (PairTable::with_room(room, pairs.len()), Vec::new());
        let all_shown = !part_of_row.contains(&NO_GROUP) && !part_of_column.contains(&NO_GROUP);
        if room == (1, 1) && all_shown && !pairs.is_empty() {
            of = vec![table.number_one(0, 0); pairs.len()];
        } else {
            table.intern_within(pairs.iter().filter_map(part), room, &mut of);
        }
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

    /// Some cells with their groups.
    pub(super) fn of_cells<'c>(&'c self, cells: &'c [u32]) -> impl Iterator<Item = (u32, u32)> + Clone + 'c {
        cells.iter().map(|cell| (*cell, self.of[*cell as usize]))
    }
}

/// What the cells of a group have in common on an axis.
#[derive(Clone, Copy)]
enum Common {
    Nothing,
    Member,
    Parent,
    /// The outermost member that they are in; the total is in none.
    Outermost,
}

/// What the cells of a group have in common on the rows, and on the columns.
fn common(group: Group) -> (Common, Common) {
    match group {
        Group::Level => (Common::Nothing, Common::Nothing),
        Group::Row => (Common::Member, Common::Nothing),
        Group::Column => (Common::Nothing, Common::Member),
        Group::Branch => (Common::Outermost, Common::Nothing),
        Group::Siblings => (Common::Parent, Common::Member),
        Group::ColumnSiblings => (Common::Member, Common::Parent),
    }
}

/// The different parts of a level's nodes, and which of them each node has: [`NO_GROUP`] for one that is not shown.
fn parts<S: OfAxis>(axis: &Axis<S>, level: usize, common: Common) -> (Vec<Part>, Vec<u32>) {
    let nodes = axis.len(level);
    // There may be millions of nodes.
    if matches!(common, Common::Nothing) && nodes > 0 && axis.has_only_members(level) {
        return (vec![(Class::MEMBERS, None)], vec![0; nodes]);
    }
    let part = |node: u32| {
        let node_in_common = match (common, level) {
            (Common::Nothing, _) => None,
            (Common::Member, _) => Some((level as u16, node)),
            (Common::Parent | Common::Outermost, 0) => Some((0, 0)),
            (Common::Parent, _) => Some((level as u16 - 1, axis.parent_node(level, node))),
            (Common::Outermost, _) => Some((1, axis.ancestor(level, node, 1))),
        };
        (axis.class(level, node), node_in_common)
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
    let of = (0..nodes as u32).map(number).collect();
    (parts, of)
}
