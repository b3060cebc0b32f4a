//! Group functions: what is made of several cells of one grain. Cells that are not shown take no
//! part in groups, and stand in sequences all the same; cells of different classes never meet.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use super::frame::Frame;
use super::relate::{Sequences, positions};
use super::sorted::{Grouped, NO_GROUP, Sorted};
use crate::aggregates::{Function, Total};
use crate::formula::{Group, Ranking, Ties, Values, Way};
use crate::model::{AxisSide, CellValues, Decimal, Digits, Grain, Overflow, Period, Value, share_ends};
use crate::rollup::{Axis, Class, Either};

/// An aggregate of the values in each cell's group; blank where the cell itself is.
pub(super) fn among(
    (frame, grain): (&Frame, Grain),
    function: Function,
    values: &Values,
    group: Group,
) -> Result<Values, Overflow> {
    let groups = frame.groups(grain, group);
    let cells = frame.display_order(grain);
    let grouped = Grouped::new(groups.keys.len(), groups.of_cells(&cells));
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
pub(super) fn rank((frame, grain): (&Frame, Grain), values: &Values, ranking: Ranking) -> Values {
    let groups = frame.groups(grain, ranking.group);
    let (count, threads, highest_first) = (groups.keys.len(), frame.threads, !ranking.lowest_first);
    let sorted = match ranking.ties {
        // Of equal values the one that is shown first comes first.
        Ties::Order => {
            let cells = frame.display_order(grain);
            Sorted::new(count, groups.of_cells(&cells), values, highest_first, threads)
        }
        _ => Sorted::new(count, groups.cells(), values, highest_first, threads),
    };
    let mut result = CellValues::blank(values.len());
    for group in sorted.iter() {
        let (mut start, mut dense) = (0, 0);
        for tied in group.ties() {
            dense += 1;
            for (i, cell) in tied.iter().enumerate() {
                let whole = |rank: usize| Value::whole(rank as u64);
                let rank = match ranking.ties {
                    _ if ranking.percent && group.cells.len() == 1 => Value::Float(0.0),
                    _ if ranking.percent => Value::Float(start as f64 / (group.cells.len() - 1) as f64),
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

/// The cells of a grain in their sequences along a dimension.
struct CellSequences<'f> {
    /// The cells with each node of the other axis, sequence after sequence and each in its order.
    cells: Grouped,
    along: Along<'f>,
}

impl CellSequences<'_> {
    /// The cells of each sequence, in its order.
    fn iter(&self) -> impl Iterator<Item = &[u32]> {
        let sequence = |cell: u32| self.along.place(cell).map(|place| place.sequence);
        self.cells.iter().flat_map(move |cells| cells.chunk_by(move |a, b| sequence(*a) == sequence(*b)))
    }
}

/// Where the cells of a grain stand along a dimension.
struct Along<'f> {
    /// The place of each node of the axis.
    places: Vec<Option<SequencePlace>>,
    /// The rank of each node, sequence after sequence; [`NO_GROUP`] for those in none.
    ranks: Vec<u32>,
    pairs: &'f [(u32, u32)],
    /// The first cell of each item.
    first_of_items: Vec<usize>,
    side: AxisSide,
    /// How many nodes the other axis has.
    others: usize,
}

/// The place of a node along a dimension.
#[derive(Clone, Copy)]
struct SequencePlace {
    /// Its sequence: nodes under the same members.
    sequence: u32,
    /// The first position of the sequence, whether there is a cell or not.
    first: i64,
    position: i64,
}

impl<'f> Along<'f> {
    /// The cells of a grain along a dimension; `None` for a grain above it.
    fn new(frame: &'f Frame, grain: Grain, way: Way) -> Option<Along<'f>> {
        let side = way.spot.side;
        let level = grain.level(side);
        if level < way.spot.level {
            return None;
        }
        let places = sequence_places(frame.axis(side), level, way);
        let of_node = |place: &SequencePlace| (place.sequence, place.position);
        let mut ordered: Vec<(u32, i64)> = places.iter().flatten().map(of_node).collect();
        ordered.sort_unstable();
        ordered.dedup();
        let rank = |place: &Option<SequencePlace>| {
            place.as_ref().and_then(|place| ordered.binary_search(&of_node(place)).ok())
        };
        let ranks = places.iter().map(|place| rank(place).map_or(NO_GROUP, |rank| rank as u32)).collect();
        let others = frame.axis(side.other()).len(grain.level(side.other()));
        let cells = &frame.grains[grain];
        let first_of_items = cells.of_items.iter().map(|cells| cells.start).collect();
        Some(Along { places, ranks, pairs: cells.pairs.pairs(), first_of_items, side, others })
    }

    /// The nodes of a cell: on the axis of the dimension, and on the other one.
    fn nodes(&self, cell: usize) -> (usize, u32) {
        let (row, column) = self.pairs[cell];
        let (own, other) = self.side.pick((row, column), (column, row));
        (own as usize, other)
    }

    fn place(&self, cell: u32) -> Option<SequencePlace> {
        self.places[self.nodes(cell as usize).0]
    }

    /// The cells sequence after sequence. Those of the same rank keep their order.
    fn sequences(self) -> CellSequences<'f> {
        let rank = |cell: u32| self.ranks[self.nodes(cell as usize).0];
        let group =
            |cell: u32| (cell, if rank(cell) == NO_GROUP { NO_GROUP } else { self.nodes(cell as usize).1 });
        let mut cells = Grouped::new(self.others, (0..self.pairs.len() as u32).map(group));
        cells.sort_each_by(&rank);
        CellSequences { cells, along: self }
    }

    /// Whether a cell is the first of its row: of the cells with one node of the other axis, those of each item apart.
    fn starts_row(&self, cell: usize) -> bool {
        cell == 0 || self.nodes(cell).1 != self.nodes(cell - 1).1 || self.first_of_items.contains(&cell)
    }

    /// The sums of digits from the first cell of each sequence on, row by row and by all threads; `None` where the cells
    /// do not stand so that a sequence lies within a row, as it does along the columns, or for a sum of more than 64 bits.
    fn sums(&self, digits: Digits<'_>, threads: usize) -> Option<CellValues> {
        let ends = share_ends(self.pairs.len(), threads, |cell| self.starts_row(cell));
        CellValues::of_digits_in_shares(digits.scale, &ends, |first| {
            let mut row = RowSums { cells: first..first, ordered: Vec::new(), sums: Vec::new() };
            move |cell| {
                if cell == row.cells.end {
                    row.read(cell, self, digits)?;
                }
                Some(row.sums[cell - row.cells.start])
            }
        })
    }
}

/// The sums of the cells that stand in one row.
struct RowSums {
    cells: Range<usize>,
    /// The cells that are in sequences, each after its rank.
    ordered: Vec<(u32, usize)>,
    /// By cell of the row.
    sums: Vec<Option<i64>>,
}

impl RowSums {
    /// Sums the row that begins with a cell; `None` where the row may have other cells before, or for a sum of more than
    /// 64 bits.
    fn read(&mut self, first: usize, along: &Along<'_>, digits: Digits<'_>) -> Option<()> {
        // The cells of an item are in no sequence with others.
        let begins_anew = first == 0 || along.first_of_items.contains(&first);
        if !begins_anew && along.nodes(first - 1).1 > along.nodes(first).1 {
            return None;
        }
        let end = (first + 1..along.pairs.len()).find(|cell| along.starts_row(*cell));
        self.cells = first..end.unwrap_or(along.pairs.len());
        self.ordered.clear();
        let ranked = self.cells.clone().map(|cell| (along.ranks[along.nodes(cell).0], cell));
        self.ordered.extend(ranked.filter(|(rank, _)| *rank != NO_GROUP));
        if !self.ordered.is_sorted() {
            self.ordered.sort_unstable();
        }
        self.sums.clear();
        self.sums.resize(self.cells.len(), None);
        let (mut so_far, mut sequence) = (None, None);
        for (_, cell) in &self.ordered {
            let own = along.place(*cell as u32).map(|place| place.sequence);
            so_far = so_far.filter(|_| own == sequence);
            sequence = own;
            so_far = match (so_far, digits.get(*cell)) {
                (Some(sum), Some(own)) => Some(i64::checked_add(sum, own)?),
                (sum, own) => sum.or(own),
            };
            self.sums[cell - first] = so_far;
        }
        Some(())
    }
}

/// The places of the nodes of a level along a dimension; `None` for nodes in no sequence.
fn sequence_places(axis: &Axis<Either>, level: usize, way: Way) -> Vec<Option<SequencePlace>> {
    // The list and the position of each member of the dimension.
    let mut place_of: Vec<Option<(usize, i64)>> = vec![None; axis.len(way.spot.level)];
    let mut firsts: Vec<i64> = Vec::new();
    for list in Sequences::new(axis, way.spot.level, way.throughout).lists() {
        let positions = positions(axis, way.spot.level, list);
        for (node, position) in list.iter().zip(&positions) {
            place_of[*node as usize] = Some((firsts.len(), *position));
        }
        firsts.push(positions.iter().copied().min().unwrap_or(0));
    }
    // By list, class, and the members below the dimension.
    let mut sequences: HashMap<(usize, Class, Vec<u32>), u32> = HashMap::new();
    let place = |node: u32| {
        let (list, position) = place_of[axis.ancestor(level, node, way.spot.level) as usize]?;
        let under = (way.spot.level + 1..=level)
            .map(|at| axis.member_of(at, axis.ancestor(level, node, at)).index() as u32)
            .collect();
        let next = sequences.len() as u32;
        let sequence = *sequences.entry((list, axis.class(level, node), under)).or_insert(next);
        Some(SequencePlace { sequence, first: firsts[list], position })
    };
    (0..axis.len(level) as u32).map(place).collect()
}

/// The sum of values from the first cell of each sequence to each of its cells.
pub(super) fn running(
    (frame, grain): (&Frame, Grain),
    values: &Values,
    way: Way,
) -> Result<Values, Overflow> {
    let mut result = CellValues::blank(values.len());
    let Some(along) = Along::new(frame, grain, way) else { return Ok(Arc::new(result)) };
    let digits = values.digits();
    if let Some(sums) = digits.and_then(|digits| along.sums(digits, frame.threads)) {
        return Ok(Arc::new(sums));
    }
    for cells in along.sequences().iter() {
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
    (frame, grain): (&Frame, Grain),
    function: Function,
    values: &Values,
    way: Way,
    over: u32,
) -> Result<Values, Overflow> {
    let mut result = CellValues::blank(values.len());
    let Some(along) = Along::new(frame, grain, way) else { return Ok(Arc::new(result)) };
    let sequences = along.sequences();
    let place = |cell: u32| sequences.along.place(cell);
    for cells in sequences.iter() {
        for (i, cell) in cells.iter().enumerate() {
            let Some(SequencePlace { first, position, .. }) = place(*cell) else { continue };
            let from = position - i64::from(over) + 1;
            if from < first {
                continue;
            }
            let within = |cell: &&u32| place(**cell).is_some_and(|place| place.position >= from);
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
