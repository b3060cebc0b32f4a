//! Room for calculated items: a node for each under every parent, with all that its operands have
//! under them, and a cell wherever an operand has one.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::cells::Cells;
use super::sorted::Grouped;
use crate::grouping::{NOWHERE, PairTable, States};
use crate::lines::{Member, MemberId};
use crate::model::{AxisSide, ByGrain, Grain, Overflow};
use crate::plan::{Plan, PlannedItem};
use crate::rollup::{Apart, Axis, Either, Made};

pub(super) fn add_items(
    plan: &Plan,
    rows: &mut Axis<Either>,
    columns: &mut Axis<Either>,
    grains: &mut ByGrain<Cells>,
) {
    for (place, item) in plan.items.iter().enumerate() {
        let axis = item.spot.side.pick(&mut *rows, &mut *columns);
        add_nodes(place, item, axis);
        for (_, grain) in grains.iter_mut() {
            add_cells(place, item.spot.side, (rows, columns), grain);
        }
    }
    // Items that are applied to aggregates have values among these.
    if plan.items.iter().any(|item| item.before_measures || item.is_group) {
        for (_, grain) in grains.iter_mut() {
            let cells = grain.len();
            grain.aggregates.iter_mut().for_each(|values| Arc::make_mut(values).resize(cells));
        }
    }
}

/// A node for the item under every parent that has an operand, and under it what the operands have.
fn add_nodes(place: usize, item: &PlannedItem, axis: &mut Axis<Either>) {
    let level = item.spot.level;
    let operands: Vec<Option<MemberId>> =
        item.operands.iter().map(|label| axis.members(level - 1).find(label)).collect();
    let member = axis.add_member(level, Member::Calculated(place as u32, item.name.as_str().into()));
    // What stands under each node of a level and deeper, as it is before the item.
    let below: Vec<Vec<Vec<u32>>> = (level..axis.depth()).map(|level| under_each(axis, level)).collect();
    for parent in 0..axis.len(level - 1) as u32 {
        let found: Vec<Option<u32>> =
            operands.iter().map(|member| axis.child(level, parent, (*member)?)).collect();
        if found.iter().all(Option::is_none) {
            continue;
        }
        let node = axis.add(level, parent, member, Some(Made { item: place, operands: found }));
        if item.hidden {
            axis.hide(level, node);
        }
        add_under(place, axis, level, node, &below);
    }
}

/// The nodes that stand under each node of a level.
fn under_each(axis: &Axis<Either>, level: usize) -> Vec<Vec<u32>> {
    let mut under = vec![Vec::new(); axis.len(level)];
    for node in 0..axis.len(level + 1) as u32 {
        under[axis.parent_node(level + 1, node) as usize].push(node);
    }
    under
}

/// Gives a calculated node the members that its operands have under them, level by level. `below` is
/// what stands under each node of this level, then of deeper ones.
fn add_under(place: usize, axis: &mut Axis<Either>, level: usize, node: u32, below: &[Vec<Vec<u32>>]) {
    let Some((under, deeper)) = below.split_first() else { return };
    let operands = axis.made(level, node).map(|made| made.operands.clone()).unwrap_or_default();
    // Members in an order of their own, so that nothing depends on a hash.
    let mut found: BTreeMap<MemberId, Vec<Option<u32>>> = BTreeMap::new();
    for (i, operand) in operands.iter().enumerate() {
        for child in operand.iter().flat_map(|operand| &under[*operand as usize]) {
            let member = axis.member_of(level + 1, *child);
            found.entry(member).or_insert_with(|| vec![None; operands.len()])[i] = Some(*child);
        }
    }
    for (member, operands) in found {
        let child = axis.add(level + 1, node, member.index() as u32, Some(Made { item: place, operands }));
        // What is computed from hidden members alone is no more to be shown than they are.
        if axis.hidden_operands(level + 1, child) {
            axis.hide(level + 1, child);
        }
        add_under(place, axis, level + 1, child, deeper);
    }
}

/// The nodes of members that lines have, of which a node is made in the end.
pub(crate) fn made_of(axis: &Axis<Either>, level: usize, node: u32) -> BTreeSet<u32> {
    match axis.made(level, node) {
        None => BTreeSet::from([node]),
        Some(made) => {
            made.operands.iter().flatten().flat_map(|operand| made_of(axis, level, *operand)).collect()
        }
    }
}

/// A cell for the item's nodes wherever an operand has one; its lines are theirs.
fn add_cells(
    place: usize,
    side: AxisSide,
    (rows, columns): (&Axis<Either>, &Axis<Either>),
    grain: &mut Cells,
) {
    let (axis, level) = (side.pick(rows, columns), grain.grain.level(side));
    let made = |node: u32| axis.made(level, node).filter(|made| made.item == place);
    let own: Vec<(u32, Vec<u32>)> = (0..axis.len(level) as u32)
        .filter_map(|node| Some((node, made(node)?.operands.iter().copied().flatten().collect())))
        .collect();
    // An operand may be an item of the same members again, whose lines count once.
    let are_parts = own.iter().flat_map(|(_, operands)| operands).all(|of| axis.made(level, *of).is_none());
    let room = (rows.len(grain.grain.row), columns.len(grain.grain.column));
    let (first, Cells { pairs, lines, .. }) = (grain.len(), &mut *grain);
    pairs.make_room(room.0, room.1);
    let others = side.other().pick(room.0, room.1);
    // In a flat table the cells of operands are looked up one by one, which skips all others.
    if !pairs.number_made(side, &own, others, lines) {
        let made_of = own.iter().flat_map(|(node, operands)| operands.iter().map(|of| (*node, *of)));
        of_cells(side, pairs, &Grouped::new(axis.len(level), made_of), |pairs, (row, column), cell| {
            let own = pairs.number(row, column) as usize;
            lines.resize(lines.len().max(own + 1), 0);
            lines[own] += lines[cell as usize];
        });
    }
    if !are_parts {
        lines[first..].fill(0);
        let of_parts = own
            .iter()
            .flat_map(|(node, _)| made_of(axis, level, *node).into_iter().map(|part| (*node, part)));
        let by_part = Grouped::new(axis.len(level), of_parts.collect::<Vec<_>>().into_iter());
        of_cells(side, pairs, &by_part, |pairs, (row, column), cell| {
            if let Some(own) = pairs.find(row, column) {
                lines[own as usize] += lines[cell as usize];
            }
        });
    }
    grain.of_items.push(first..grain.len());
}

/// Goes through all cells and calls `met` for each one of an operand, with the row and the column of the item's cell beside
/// it; `made_of` has the nodes that are made of each node.
fn of_cells(
    side: AxisSide,
    pairs: &mut PairTable,
    made_of: &Grouped,
    mut met: impl FnMut(&mut PairTable, (u32, u32), u32),
) {
    for cell in 0..pairs.len() {
        let (row, column) = pairs.pairs()[cell];
        for node in made_of.group(side.pick(row, column)) {
            met(pairs, side.pick((*node, column), (row, *node)), cell as u32);
        }
    }
}

/// Aggregates the cells of groups anew, from the lines of all their members. Cells where another item plays a
/// part are left to the item's formula.
pub(super) fn merge_groups(
    plan: &Plan,
    (rows, columns): (&Axis<Either>, &Axis<Either>),
    grains: &mut ByGrain<Cells>,
    states: &[Cow<'_, States>],
) -> Result<(), Overflow> {
    if !plan.items.iter().any(|item| item.is_group) {
        return Ok(());
    }
    let is_group = |apart: &Apart| matches!(apart, Apart::Item(item) if plan.items[*item as usize].is_group);
    let of_groups = |axis: &Axis<Either>, level: usize, node: u32| {
        axis.apart(axis.class(level, node))
            .iter()
            .all(|apart| is_group(apart) || matches!(apart, Apart::Others(_)))
    };
    for ((Grain { row: row_level, column: column_level }, cells), states) in grains.iter_mut().zip(states) {
        let is_open = |cell: &usize| {
            let (row, column) = cells.pairs.pairs()[*cell];
            let made = cells.maker(*cell).is_some_and(|item| plan.items[item].is_group);
            made && of_groups(rows, row_level, row) && of_groups(columns, column_level, column)
        };
        let mut open: Vec<usize> = (0..cells.len()).filter(is_open).collect();
        cells.merged.resize(if open.is_empty() { 0 } else { cells.len() }, false);
        // A member may be of several groups, whose cells are made one after the other then.
        while !open.is_empty() {
            let mut into = vec![NOWHERE; states.len()];
            let (mut made, mut rest) = (Vec::new(), Vec::new());
            for cell in open {
                let (row, column) = cells.pairs.pairs()[cell];
                let of_rows = made_of(rows, row_level, row);
                let of_columns = made_of(columns, column_level, column);
                let pairs =
                    of_rows.iter().flat_map(|row| of_columns.iter().map(move |column| (*row, *column)));
                let made_from: Vec<usize> = pairs
                    .filter_map(|(row, column)| cells.pairs.find(row, column))
                    .map(|c| c as usize)
                    .collect();
                if made_from.iter().any(|cell| into[*cell] != NOWHERE) {
                    rest.push(cell);
                    continue;
                }
                made_from.iter().for_each(|cell| into[*cell] = made.len() as u32);
                made.push(cell);
            }
            let merged = states.merged(&into, made.len())?;
            for (aggregate, values) in plan.aggregates.iter().zip(&mut cells.aggregates) {
                let (finished, values) = (merged.finish(aggregate)?, Arc::make_mut(values));
                made.iter().zip(finished.iter()).for_each(|(cell, value)| values.set(*cell, value));
            }
            made.iter().for_each(|cell| cells.merged[*cell] = true);
            open = rest;
        }
    }
    Ok(())
}
