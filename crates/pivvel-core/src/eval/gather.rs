//! Group functions: what is made of several cells of one grain. Cells that are not shown take no
//! part in groups, and stand in sequences all the same; cells of different classes never meet.

use std::collections::HashMap;
use std::sync::Arc;

use super::cells::Cells;
use super::frame::Frame;
use super::relate::{Sequences, positions};
use super::sorted::{Grouped, NO_GROUP};
use crate::aggregates::{Function, Total};
use crate::formula::{Group, Ranking, Ties, Values, Way};
use crate::grouping::PairTable;
use crate::model::{CellValues, Decimal, Grain, Overflow, Period, Value};
use crate::rollup::{Axis, Class};

/// The cells of a grain and what decides which of them go together.
pub(super) struct Places<'a> {
    pub(super) frame: &'a Frame,
    pub(super) grain: Grain,
    pub(super) cells: &'a Cells,
    pub(super) shown: &'a [bool],
}

impl Places<'_> {
    /// The cells that are shown, row by row as they are shown.
    fn in_order(&self) -> Vec<u32> {
        let Places { frame, grain, .. } = self;
        let pairs = self.cells.pairs.pairs();
        let (rows, columns) = (frame.rows.places_at(grain.row), frame.columns.places_at(grain.column));
        let cells = (0..pairs.len() as u32).filter(|cell| self.shown[*cell as usize]);
        let by_column =
            Grouped::new(columns.len(), cells.map(|cell| (cell, columns[pairs[cell as usize].1 as usize])));
        let by_row = by_column.cells().map(|cell| (cell, rows[pairs[cell as usize].0 as usize]));
        Grouped::new(rows.len(), by_row).cells().collect()
    }
}

/// An aggregate of the values in each cell's group; blank where the cell itself is.
pub(super) fn among(
    places: &Places<'_>,
    function: Function,
    values: &Values,
    group: Group,
) -> Result<Values, Overflow> {
    let groups = places.frame.groups(places.grain, group);
    let cells = places.in_order();
    let grouped =
        Grouped::new(groups.keys.len(), cells.iter().map(|cell| (*cell, groups.of[*cell as usize])));
    let mut result = CellValues::blank(values.len());
    let value = |cell: &u32| values.get(*cell as usize);
    for cells in grouped.iter() {
        let some: Vec<Value> = cells.iter().filter_map(value).collect();
        let summary = function.of_values(&some)?;
        let with_value = cells.iter().filter(|cell| value(cell).is_some());
        with_value.for_each(|cell| result.set(*cell as usize, summary));
    }
    Ok(Arc::new(result))
}

/// The rank of each cell in its group; blank cells have none.
pub(super) fn rank(places: &Places<'_>, values: &Values, ranking: Ranking) -> Values {
    let groups = places.frame.groups(places.grain, ranking.group);
    let (count, threads, highest_first) = (groups.keys.len(), places.frame.threads, !ranking.lowest_first);
    let sorted = match ranking.ties {
        // Of equal values the one that is shown first comes first.
        Ties::Order => {
            let cells = places.in_order();
            let in_order = cells.iter().map(|cell| (*cell, groups.of[*cell as usize]));
            Grouped::sorted(count, in_order, values, highest_first, threads)
        }
        _ => Grouped::sorted(count, groups.cells(), values, highest_first, threads),
    };
    let ordered = values.ordered();
    let mut result = CellValues::blank(values.len());
    for cells in sorted.iter() {
        let same = |a: &u32, b: &u32| ordered.key(*a as usize) == ordered.key(*b as usize);
        let (mut start, mut dense) = (0, 0);
        for tied in cells.chunk_by(same) {
            dense += 1;
            for (i, cell) in tied.iter().enumerate() {
                let whole = |rank: usize| Value::whole(rank as u64);
                let rank = match ranking.ties {
                    _ if ranking.percent && cells.len() == 1 => Value::Float(0.0),
                    _ if ranking.percent => Value::Float(start as f64 / (cells.len() - 1) as f64),
                    Ties::Low => whole(start + 1),
                    Ties::High => whole(start + tied.len()),
                    Ties::Mean => Value::Float(start as f64 + (tied.len() as f64 + 1.0) / 2.0),
                    Ties::Dense => whole(dense),
                    Ties::Order => whole(start + i + 1),
                };
                result.set(*cell as usize, Some(rank));
            }
            start += tied.len();
        }
    }
    Arc::new(result)
}

/// The sequences of a grain's cells along a dimension.
struct CellSequences {
    /// The cells of each, in their order.
    cells: Grouped,
    /// Where each node of the axis stands.
    stands: Vec<Option<Stand>>,
}

/// Where a node stands along a dimension.
#[derive(Clone, Copy)]
struct Stand {
    /// Its line: those of one sequence that are under the same members.
    line: u32,
    /// Where the first place of its sequence is, whether there is a cell or not.
    first: i64,
    position: i64,
}

/// The sequences of a grain's cells along a dimension; nothing above the dimension.
fn sequences(places: &Places<'_>, way: Way) -> Option<CellSequences> {
    let Places { frame, cells, grain, .. } = places;
    let axis = frame.axis(way.spot.side);
    let level = grain.level(way.spot.side);
    if level < way.spot.level {
        return None;
    }
    let stands = stands(axis, level, way);
    let own = |pair: (u32, u32)| way.spot.side.pick(pair, (pair.1, pair.0));
    // Cells in the order of their positions, then by line and the node of the other axis.
    let pairs = cells.pairs.pairs();
    let stand = |cell: u32| stands[own(pairs[cell as usize]).0 as usize];
    let mut positions: Vec<i64> = stands.iter().flatten().map(|stand| stand.position).collect();
    positions.sort_unstable();
    positions.dedup();
    let place = |cell: u32| {
        let found = stand(cell).and_then(|stand| positions.binary_search(&stand.position).ok());
        (cell, found.map_or(NO_GROUP, |place| place as u32))
    };
    let in_order = Grouped::new(positions.len(), (0..pairs.len() as u32).map(place));
    let lines = 1 + stands.iter().flatten().map(|stand| stand.line).max().unwrap_or(0) as usize;
    let line = |cell: u32| (stand(cell).map_or(0, |stand| stand.line), own(pairs[cell as usize]).1);
    let others = frame.axis(way.spot.side.other()).len(grain.level(way.spot.side.other()));
    let (mut table, mut sequence_of) = (PairTable::with_room((lines, others), pairs.len()), Vec::new());
    table.intern_within(in_order.cells().map(line), (lines, others), &mut sequence_of);
    let cells = Grouped::new(table.len(), in_order.cells().zip(sequence_of.iter().copied()));
    Some(CellSequences { cells, stands })
}

/// Where the nodes of a level stand along a dimension of theirs.
fn stands(axis: &Axis, level: usize, way: Way) -> Vec<Option<Stand>> {
    // Where each member of the dimension stands, and in which sequence.
    let mut place_of: Vec<Option<(usize, i64)>> = vec![None; axis.len(way.spot.level)];
    let mut firsts: Vec<i64> = Vec::new();
    for sequence in Sequences::new(axis, way.spot.level, way.throughout).lists() {
        let positions = positions(axis, way.spot.level, sequence);
        for (node, position) in sequence.iter().zip(&positions) {
            place_of[*node as usize] = Some((firsts.len(), *position));
        }
        firsts.push(positions.iter().copied().min().unwrap_or(0));
    }
    // By sequence, class, and the members below the dimension.
    let mut lines: HashMap<(usize, Class, Vec<u32>), u32> = HashMap::new();
    let stand = |node: u32| {
        let (sequence, position) = place_of[axis.ancestor(level, node, way.spot.level) as usize]?;
        let under = (way.spot.level + 1..=level)
            .map(|at| axis.member_of(at, axis.ancestor(level, node, at)).index() as u32)
            .collect();
        let next = lines.len() as u32;
        let line = *lines.entry((sequence, axis.class(level, node), under)).or_insert(next);
        Some(Stand { line, first: firsts[sequence], position })
    };
    (0..axis.len(level) as u32).map(stand).collect()
}

/// The sum of values from the first cell of each sequence to each of its cells.
pub(super) fn running(places: &Places<'_>, values: &Values, way: Way) -> Result<Values, Overflow> {
    let mut result = CellValues::blank(values.len());
    let digits = values.digits();
    let sequences = sequences(places, way);
    for cells in sequences.iter().flat_map(|sequences| sequences.cells.iter()) {
        if let Some(digits) = digits {
            // Sums of 64 bits never outgrow 128.
            let mut so_far: Option<i128> = None;
            for cell in cells.iter().map(|cell| *cell as usize) {
                let own = digits.get(cell).map(i128::from);
                so_far = own.map_or(so_far, |own| Some(so_far.unwrap_or(0) + own));
                result.set(cell, so_far.map(|sum| Value::Exact(Decimal::new(sum, digits.scale))));
            }
            continue;
        }
        let mut so_far = Total::default();
        for cell in cells.iter().map(|cell| *cell as usize) {
            values.get(cell).iter().try_for_each(|value| so_far.add(value))?;
            result.set(cell, so_far.value());
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
    let mut result = CellValues::blank(values.len());
    let Some(CellSequences { cells, stands }) = sequences(places, way) else { return Ok(Arc::new(result)) };
    let pairs = places.cells.pairs.pairs();
    let stand = |cell: u32| {
        let (row, column) = pairs[cell as usize];
        stands[way.spot.side.pick(row, column) as usize]
    };
    for cells in cells.iter() {
        for (i, cell) in cells.iter().enumerate() {
            let Some(Stand { first, position, .. }) = stand(*cell) else { continue };
            let from = position - i64::from(over) + 1;
            if from < first {
                continue;
            }
            let within = |cell: &&u32| stand(**cell).is_some_and(|stand| stand.position >= from);
            let window = cells[..=i].iter().rev().take_while(within);
            let some: Vec<Value> = window.filter_map(|cell| values.get(*cell as usize)).collect();
            result.set(*cell as usize, function.of_values(&some)?);
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
