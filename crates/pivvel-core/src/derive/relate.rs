//! Related cells: for each cell of a grain the one that a relation leads to, if there is one.

use super::frame::Frame;
use crate::formula::{Relation, Spot};
use crate::lines::{DatePart, Kind, Member, MemberId};
use crate::rollup::{Axis, Entry};

/// For each cell of a grain, the grain and the place of the related cell.
pub(super) fn targets(frame: &Frame, grain: usize, relation: &Relation) -> Vec<Option<(usize, usize)>> {
    let cells = &frame.grains[grain];
    let on_rows = match relation {
        Relation::Parent { on_rows } | Relation::Total { on_rows } => *on_rows,
        Relation::GrandTotal => true,
        Relation::Level(spot)
        | Relation::Member(spot, _)
        | Relation::Shift(spot, ..)
        | Relation::YearBefore(spot, _) => spot.on_rows,
        Relation::End { spot, .. } => spot.on_rows,
    };
    let axis = frame.axis(on_rows);
    let level = if on_rows { cells.row_level } else { cells.column_level };
    // Each node of the axis leads to one node, whatever the cell's place on the other axis.
    let leads: Vec<Option<Entry>> =
        (0..axis.len(level) as u32).map(|node| lead(axis, Entry::new(level, node), relation)).collect();
    let target = |(row, column): &(u32, u32)| {
        let own = if on_rows { *row } else { *column };
        let to = leads[own as usize]?;
        let (row, column) = match (relation, on_rows) {
            (Relation::GrandTotal, _) => (Entry::new(0, 0), Entry::new(0, 0)),
            (_, true) => (to, Entry::new(cells.column_level, *column)),
            (_, false) => (Entry::new(cells.row_level, *row), to),
        };
        let grain = frame.grain(row.level(), column.level());
        Some((grain, frame.grains[grain].pairs.find(row.node, column.node)? as usize))
    };
    cells.pairs.pairs().iter().map(target).collect()
}

/// The entry of the same axis that a relation leads to.
fn lead(axis: &Axis, from: Entry, relation: &Relation) -> Option<Entry> {
    match relation {
        Relation::Parent { .. } => axis.parent(from),
        Relation::Total { .. } | Relation::GrandTotal => Some(Entry::new(0, 0)),
        Relation::Level(spot) => {
            let at = (from.level() >= spot.level).then_some(spot.level)?;
            Some(Entry::new(at, axis.ancestor(from.level(), from.node, at)))
        }
        Relation::Member(spot, label) => member(axis, from, *spot, label),
        Relation::Shift(spot, part, by) => shifted(axis, from, *spot, *part, *by),
        Relation::YearBefore(spot, _) => shifted(axis, from, *spot, DatePart::Year, -1),
        Relation::End { spot, last, of_all } => end(axis, from, *spot, *last, *of_all),
    }
}

/// The same place with another member in one dimension. From above that dimension it leads down to
/// the member, where there is just one.
fn member(axis: &Axis, from: Entry, spot: Spot, label: &str) -> Option<Entry> {
    let member = axis.members(spot.level - 1).find(label)?;
    if from.level() >= spot.level {
        let path = path_from(axis, from, spot.level);
        let parent = axis.ancestor(from.level(), from.node, spot.level - 1);
        let node = axis.child(spot.level, parent, member)?;
        return descend(axis, spot.level, node, &path);
    }
    let under = |node: &u32| {
        axis.member_of(spot.level, *node) == member
            && axis.ancestor(spot.level, *node, from.level()) == from.node
    };
    let mut found = (0..axis.len(spot.level) as u32).filter(under);
    let node = found.next()?;
    found.next().is_none().then(|| Entry::new(spot.level, node))
}

/// The members of an entry below a level.
fn path_from(axis: &Axis, entry: Entry, below: usize) -> Vec<MemberId> {
    let mut members: Vec<MemberId> = (below + 1..=entry.level())
        .rev()
        .map(|level| axis.member_of(level, axis.ancestor(entry.level(), entry.node, level)))
        .collect();
    members.reverse();
    members
}

/// The entry that members lead to from a node.
fn descend(axis: &Axis, level: usize, node: u32, members: &[MemberId]) -> Option<Entry> {
    let step = |(level, node): (usize, u32), member: &MemberId| {
        Some((level + 1, axis.child(level + 1, node, *member)?))
    };
    let (level, node) = members.iter().try_fold((level, node), step)?;
    Some(Entry::new(level, node))
}

/// The column that a dimension is made of.
fn column_of(axis: &Axis, level: usize) -> &str {
    axis.dimensions()[level - 1].date_column()
}

/// The running part of a date that a dimension is made of.
fn running_part(axis: &Axis, level: usize) -> Option<DatePart> {
    axis.dimensions()[level - 1].period().filter(|part| !part.is_cyclic())
}

/// The entry so many periods away by the calendar. All dimensions of the same date move together.
fn shifted(axis: &Axis, from: Entry, spot: Spot, part: DatePart, by: i32) -> Option<Entry> {
    if from.level() < spot.level {
        return None;
    }
    let column = column_of(axis, spot.level);
    let moves = |level: &usize| column_of(axis, *level) == column && running_part(axis, *level).is_some();
    let period = |level: usize| {
        let id = axis.member_of(level, axis.ancestor(from.level(), from.node, level));
        match axis.members(level - 1).member(id) {
            Member::Period(part, period) => Some((*part, *period)),
            _ => None,
        }
    };
    // The finest period says where the entry stands, and where it moves to.
    let finest = (1..=from.level())
        .filter(moves)
        .max_by_key(|level| running_part(axis, *level).map(DatePart::fineness))?;
    let (own, stands) = period(finest)?;
    let moved = own.shifted(stands, by, part)?;
    let first_day = own.first_day(moved)?;
    let mut node = 0;
    for level in 1..=from.level() {
        let own_member = axis.member_of(level, axis.ancestor(from.level(), from.node, level));
        let member = match running_part(axis, level).filter(|_| moves(&level)) {
            Some(part) if level == finest => axis.members(level - 1).period(part, moved)?,
            Some(part) => axis.members(level - 1).period(part, part.period(first_day)?)?,
            None => own_member,
        };
        node = axis.child(level, node, member)?;
    }
    Some(Entry::new(from.level(), node))
}

/// The first or last member along a dimension, under the same parent or of all.
fn end(axis: &Axis, from: Entry, spot: Spot, last: bool, of_all: bool) -> Option<Entry> {
    if from.level() < spot.level {
        return None;
    }
    let path = path_from(axis, from, spot.level);
    let own = axis.ancestor(from.level(), from.node, spot.level);
    let sequence = sequence_of(axis, spot.level, own, of_all);
    let node = if last { sequence.last() } else { sequence.first() }?;
    descend(axis, spot.level, *node, &path)
}

/// The nodes that stand in one row with a node along its dimension: those under the same parent
/// or, throughout, under all parents that are made of the same date; of a dimension that is no
/// date, under all. They are in the calendar's order, or in that in which they are shown.
pub(super) fn sequence_of(axis: &Axis, level: usize, node: u32, throughout: bool) -> Vec<u32> {
    let top = match throughout {
        false => level - 1,
        true if running_part(axis, level).is_none() && axis.dimensions()[level - 1].part.is_none() => 0,
        true => {
            let column = column_of(axis, level);
            (1..level).rev().find(|above| column_of(axis, *above) != column).unwrap_or(0)
        }
    };
    let root = axis.ancestor(level, node, top);
    let class = axis.class(level, node);
    let belongs = |n: &u32| {
        axis.ancestor(level, *n, top) == root && axis.class(level, *n) == class && !axis.is_hidden(level, *n)
    };
    let mut nodes: Vec<u32> = if axis.dimensions()[level - 1].kind == Kind::Date {
        let mut nodes: Vec<u32> = (0..axis.len(level) as u32).collect();
        // Years before their quarters' places: the order of periods under all parents.
        nodes.sort_by_key(|n| {
            let path: Vec<u32> = (1..=level)
                .map(|l| axis.members(l - 1).place(axis.member_of(l, axis.ancestor(level, *n, l))))
                .collect();
            path
        });
        nodes
    } else {
        axis.entries().iter().filter(|entry| entry.level() == level).map(|entry| entry.node).collect()
    };
    nodes.retain(belongs);
    nodes
}

/// Where nodes of a sequence stand along their dimension: by the calendar, so that gaps count, or
/// one after the other.
pub(super) fn positions(axis: &Axis, level: usize, sequence: &[u32]) -> Vec<i64> {
    let period = |node: &u32| match axis.members(level - 1).member(axis.member_of(level, *node)) {
        Member::Period(part, period) if !part.is_cyclic() => Some(i64::from(*period)),
        _ => None,
    };
    let by_calendar: Option<Vec<i64>> = sequence.iter().map(period).collect();
    by_calendar.unwrap_or_else(|| (0..sequence.len() as i64).collect())
}
