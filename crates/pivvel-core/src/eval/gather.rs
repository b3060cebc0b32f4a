//! Group functions: what is made of several cells of one grain. Cells that are not shown take no
//! part in groups, and stand in sequences all the same; cells of different classes never meet.

use std::collections::HashMap;
use std::sync::Arc;

use super::cells::Cells;
use super::frame::Frame;
use super::groups::GroupKey;
use super::relate::{Sequences, positions};
use crate::aggregates::{Function, Total};
use crate::formula::{Group, Ranking, Ties, Values, Way};
use crate::model::{Grain, Overflow, Period, Value};
use crate::rollup::{Axis, Class};

/// The cells of a grain and what decides which of them go together.
pub(super) struct Places<'a> {
    pub(super) frame: &'a Frame,
    pub(super) grain: Grain,
    pub(super) cells: &'a Cells,
    pub(super) shown: &'a [bool],
    pub(super) classes: &'a [(Class, Class)],
}

impl Places<'_> {
    /// The cells that are taken together, in display order within each group.
    fn groups(&self, group: Group) -> Vec<Vec<usize>> {
        let keys = self.frame.groups(self.grain, group);
        let mut groups: HashMap<GroupKey, usize> = HashMap::new();
        let mut lists: Vec<Vec<usize>> = Vec::new();
        for cell in self.in_order() {
            let place = *groups.entry(keys[cell]).or_insert_with(|| {
                lists.push(Vec::new());
                lists.len() - 1
            });
            lists[place].push(cell);
        }
        lists
    }

    /// The cells that are shown, row by row as they are shown.
    fn in_order(&self) -> Vec<usize> {
        let place = |axis: &Axis, level: usize| {
            let mut places = vec![u32::MAX; axis.len(level)];
            let order = axis.order(level).iter().enumerate();
            order.for_each(|(place, node)| places[*node as usize] = place as u32);
            places
        };
        let rows = place(&self.frame.rows, self.grain.row);
        let columns = place(&self.frame.columns, self.grain.column);
        let mut cells: Vec<usize> = (0..self.cells.len()).filter(|cell| self.shown[*cell]).collect();
        cells.sort_by_key(|cell| {
            let (row, column) = self.cells.pairs.pairs()[*cell];
            (rows[row as usize], columns[column as usize], row, column)
        });
        cells
    }
}

/// An aggregate of the values in each cell's group; blank where the cell itself is.
pub(super) fn among(
    places: &Places<'_>,
    function: Function,
    values: &Values,
    group: Group,
) -> Result<Values, Overflow> {
    let mut result = vec![None; values.len()];
    for cells in places.groups(group) {
        let some: Vec<Value> = cells.iter().filter_map(|cell| values[*cell]).collect();
        let summary = function.of_values(&some)?;
        cells.into_iter().filter(|cell| values[*cell].is_some()).for_each(|cell| result[cell] = summary);
    }
    Ok(Arc::new(result))
}

/// The rank of each cell in its group; blank cells have none.
pub(super) fn rank(places: &Places<'_>, values: &Values, ranking: Ranking) -> Values {
    let mut result = vec![None; values.len()];
    for cells in places.groups(ranking.group) {
        let mut some: Vec<(usize, Value)> =
            cells.into_iter().filter_map(|cell| Some((cell, values[cell]?))).collect();
        // A stable sort leaves equal values in display order.
        some.sort_by(|(_, a), (_, b)| if ranking.lowest_first { a.order(b) } else { b.order(a) });
        let (mut start, mut dense) = (0, 0);
        while start < some.len() {
            let tied = some[start..].iter().take_while(|(_, v)| v.order(&some[start].1).is_eq()).count();
            dense += 1;
            for (i, (cell, _)) in some[start..start + tied].iter().enumerate() {
                let whole = |rank: usize| Value::whole(rank as u64);
                result[*cell] = Some(match ranking.ties {
                    _ if ranking.percent && some.len() == 1 => Value::Float(0.0),
                    _ if ranking.percent => Value::Float(start as f64 / (some.len() - 1) as f64),
                    Ties::Low => whole(start + 1),
                    Ties::High => whole(start + tied),
                    Ties::Mean => Value::Float(start as f64 + (tied as f64 + 1.0) / 2.0),
                    Ties::Dense => whole(dense),
                    Ties::Order => whole(start + i + 1),
                });
            }
            start += tied;
        }
    }
    Arc::new(result)
}

/// A sequence of cells along a dimension, each with where it stands.
struct Sequence {
    /// Where the first place along the dimension is, whether there is a cell or not.
    first: i64,
    cells: Vec<(i64, usize)>,
}

/// The sequences of a grain's cells along a dimension, and where each begins.
fn sequences(places: &Places<'_>, way: Way) -> Vec<Sequence> {
    let Places { frame, cells, classes, .. } = places;
    let axis = frame.axis(way.spot.side);
    let level = cells.grain.level(way.spot.side);
    if level < way.spot.level {
        return Vec::new();
    }
    // Where each node of the dimension stands, and in which sequence.
    let mut place_of: Vec<Option<(usize, i64)>> = vec![None; axis.len(way.spot.level)];
    let mut firsts: Vec<i64> = Vec::new();
    for sequence in Sequences::new(axis, way.spot.level, way.throughout).lists() {
        let positions = positions(axis, way.spot.level, sequence);
        for (node, position) in sequence.iter().zip(&positions) {
            place_of[*node as usize] = Some((firsts.len(), *position));
        }
        firsts.push(positions.iter().copied().min().unwrap_or(0));
    }
    // By sequence, class, the members below the dimension, and the node of the other axis.
    type Line = (usize, (Class, Class), Vec<u32>, u32);
    let mut found: HashMap<Line, Sequence> = HashMap::new();
    for cell in 0..cells.len() {
        let (row, column) = cells.pairs.pairs()[cell];
        let (own, other) = way.spot.side.pick((row, column), (column, row));
        let Some((sequence, position)) = place_of[axis.ancestor(level, own, way.spot.level) as usize] else {
            continue;
        };
        let under = (way.spot.level + 1..=level)
            .map(|at| axis.member_of(at, axis.ancestor(level, own, at)).index() as u32)
            .collect();
        let entry = found.entry((sequence, classes[cell], under, other));
        entry
            .or_insert_with(|| Sequence { first: firsts[sequence], cells: Vec::new() })
            .cells
            .push((position, cell));
    }
    found
        .into_values()
        .map(|mut sequence| {
            sequence.cells.sort_unstable();
            sequence
        })
        .collect()
}

/// The sum of values from the first cell of each sequence to each of its cells.
pub(super) fn running(places: &Places<'_>, values: &Values, way: Way) -> Result<Values, Overflow> {
    let mut result = vec![None; values.len()];
    for sequence in sequences(places, way) {
        let mut so_far = Total::default();
        for (_, cell) in sequence.cells {
            values[cell].iter().try_for_each(|value| so_far.add(value))?;
            result[cell] = so_far.value();
        }
    }
    Ok(Arc::new(result))
}

/// An aggregate of the values of so many periods up to each cell; blank until there are so many.
pub(super) fn moving(
    places: &Places<'_>,
    function: Function,
    values: &Values,
    way: Way,
    over: u32,
) -> Result<Values, Overflow> {
    let mut result = vec![None; values.len()];
    for sequence in sequences(places, way) {
        let Sequence { first, cells } = sequence;
        for (i, (position, cell)) in cells.iter().enumerate() {
            let from = position - i64::from(over) + 1;
            if from < first {
                continue;
            }
            let window = cells[..=i].iter().rev().take_while(|(at, _)| *at >= from);
            let some: Vec<Value> = window.filter_map(|(_, cell)| values[*cell]).collect();
            result[*cell] = function.of_values(&some)?;
        }
    }
    Ok(Arc::new(result))
}

/// One place of a moving window: what it is called, and its cell, where there is one.
type WindowPlace = (String, Option<usize>);

/// The places of the window that ends at a cell, the earliest first; nothing where the cell stands in no sequence.
pub(crate) fn window(frame: &Frame, grain: Grain, way: Way, over: u32, cell: usize) -> Vec<WindowPlace> {
    let cells = &frame.grains[grain];
    let (axis, own_level) = (frame.axis(way.spot.side), way.spot.level);
    let level = cells.grain.level(way.spot.side);
    if level < own_level {
        return Vec::new();
    }
    let (row, column) = cells.pairs.pairs()[cell];
    let (own, other) = way.spot.side.pick((row, column), (column, row));
    let node = axis.ancestor(level, own, own_level);
    let sequences = Sequences::new(axis, own_level, way.throughout);
    let sequence = sequences.lists().iter().find(|sequence| sequence.contains(&node));
    let places: Vec<(i64, u32)> = sequence
        .map(|sequence| {
            positions(axis, own_level, sequence).into_iter().zip(sequence.iter().copied()).collect()
        })
        .unwrap_or_default();
    let Some(last) = places.iter().find(|(_, known)| *known == node).map(|(at, _)| *at) else {
        return Vec::new();
    };
    // The cell at a member of the sequence, under the same members as this one.
    let cell_at = |start: u32| {
        let step =
            |node: u32, at: usize| axis.child(at, node, axis.member_of(at, axis.ancestor(level, own, at)));
        let node = (own_level + 1..=level).try_fold(start, step)?;
        let pair = way.spot.side.pick((node, other), (other, node));
        cells.pairs.find(pair.0, pair.1).map(|cell| cell as usize)
    };
    let part = axis.dimensions()[own_level - 1].period();
    let place = |at: i64| {
        let there = places.iter().find(|(known, _)| *known == at).map(|(_, node)| *node);
        let label = match there {
            Some(node) => axis.members(own_level - 1).label(axis.member_of(own_level, node)).to_string(),
            None => Period::new(part?, i32::try_from(at).ok()?).to_string(),
        };
        Some((label, there.and_then(cell_at)))
    };
    (last - i64::from(over) + 1..=last).filter_map(place).collect()
}
