//! Related cells: for each cell of a grain the one that a relation leads to, if there is one.

use std::collections::HashMap;

use super::frame::Frame;
use crate::formula::{Relation, Shift, Spot};
use crate::grouping::PairTable;
use crate::lines::{Member, MemberId};
use crate::model::{AxisSide, DatePart, Grain, Period};
use crate::rollup::{Axis, Class, Either, Entry, OfAxis};

/// The cells that those of a grain are related to, all of one grain.
pub(crate) struct Targets<'f> {
    pub(crate) grain: Grain,
    /// Row node and column node of the cells of both grains.
    from: &'f [(u32, u32)],
    to: &'f PairTable,
    /// By node of the axis on which the relation leads to another place: the node there, or [`NO_NODE`].
    leads: Vec<u32>,
    side: AxisSide,
    /// Whether all lead to the one cell of the grand total.
    to_grand_total: bool,
}

/// Leads nowhere.
const NO_NODE: u32 = u32::MAX;

impl Targets<'_> {
    /// The place of the cell that a cell is related to.
    #[inline]
    pub(crate) fn get(&self, cell: usize) -> Option<usize> {
        let (row, column) = self.from[cell];
        let lead = self.leads[self.side.pick(row, column) as usize];
        if lead == NO_NODE {
            return None;
        }
        let (row, column) = match (self.to_grand_total, self.side) {
            (true, _) => (0, 0),
            (_, AxisSide::Rows) => (lead, column),
            (_, AxisSide::Columns) => (row, lead),
        };
        self.to.find(row, column).map(|target| target as usize)
    }
}

/// The cell that each cell of an item reads as one of its operands.
pub(super) fn operands<'f>(
    frame: &'f Frame,
    grain: Grain,
    spot: Spot,
    item: usize,
    operand: usize,
) -> Targets<'f> {
    let (axis, level) = (frame.axis(spot.side), grain.level(spot.side));
    let lead = |node: u32| axis.made(level, node).filter(|made| made.item == item)?.operands[operand];
    let pairs = &frame.grains[grain].pairs;
    Targets {
        grain,
        from: pairs.pairs(),
        to: pairs,
        leads: (0..axis.len(level) as u32).map(|node| lead(node).unwrap_or(NO_NODE)).collect(),
        side: spot.side,
        to_grand_total: false,
    }
}

/// The cells that those of a grain are related to; nothing where none is.
pub(crate) fn targets<'f>(frame: &'f Frame, grain: Grain, relation: &Relation) -> Option<Targets<'f>> {
    let side = match relation {
        Relation::Parent { side } | Relation::Total { side } => *side,
        Relation::GrandTotal => AxisSide::Rows,
        Relation::Level(spot) | Relation::Member(spot, _) | Relation::End { spot, .. } => spot.side,
        Relation::Shift(shift) => shift.spot.side,
    };
    let axis = frame.axis(side);
    let level = grain.level(side);
    // Each node of the axis leads to one node, whatever the cell's place on the other axis, and all to one level.
    let way = Lead::new(axis, level, relation);
    let leads: Vec<Option<Entry<Either>>> =
        (0..axis.len(level) as u32).map(|node| way.follow(axis, Entry::at(level, node))).collect();
    let to_level = leads.iter().flatten().next()?.level();
    let to_grand_total = matches!(relation, Relation::GrandTotal);
    let to = if to_grand_total { Grain::TOTAL } else { grain.at(side, to_level) };
    let targets = Targets {
        grain: to,
        from: frame.grains[grain].pairs.pairs(),
        to: &frame.grains[to].pairs,
        leads: leads.iter().map(|lead| lead.map_or(NO_NODE, |lead| lead.node)).collect(),
        side,
        to_grand_total,
    };
    (0..targets.from.len()).any(|cell| targets.get(cell).is_some()).then_some(targets)
}

/// A relation made ready for an axis: what is looked up by name is found once.
enum Lead {
    Parent,
    Total,
    Level(usize),
    /// The level of the member, and the nodes there that are it, with the node at the starting level
    /// that each is under.
    Member(usize, MemberId, Vec<(u32, u32)>),
    Shifted(Shift),
    End(usize, bool, Sequences),
    Nowhere,
}

impl Lead {
    fn new(axis: &Axis<Either>, level: usize, relation: &Relation) -> Lead {
        match relation {
            Relation::Parent { .. } => Lead::Parent,
            Relation::Total { .. } | Relation::GrandTotal => Lead::Total,
            Relation::Level(spot) if level >= spot.level => Lead::Level(spot.level),
            Relation::Member(spot, label) => match axis.members(spot.level - 1).find(label) {
                Some(member) => {
                    Lead::Member(spot.level, member, nodes_under(axis, level, spot.level, member))
                }
                None => Lead::Nowhere,
            },
            Relation::Shift(shift) if level >= shift.spot.level => Lead::Shifted(*shift),
            Relation::End { spot, last, of_all } if level >= spot.level => {
                Lead::End(spot.level, *last, Sequences::new(axis, spot.level, *of_all))
            }
            // What is above its dimension has no such place.
            Relation::Level(_) | Relation::Shift(..) | Relation::End { .. } => Lead::Nowhere,
        }
    }

    /// The entry of the same axis that an entry leads to.
    fn follow(&self, axis: &Axis<Either>, from: Entry<Either>) -> Option<Entry<Either>> {
        match self {
            Lead::Parent => axis.parent(from),
            Lead::Total => Some(Entry::TOTAL),
            Lead::Level(level) => Some(Entry::at(*level, axis.ancestor(from.level(), from.node, *level))),
            Lead::Member(level, member, _) if from.level() >= *level => {
                let path = path_from(axis, from, *level);
                let parent = axis.ancestor(from.level(), from.node, level - 1);
                descend(axis, *level, axis.child(*level, parent, *member)?, &path)
            }
            Lead::Member(level, _, nodes) => {
                // From above it leads down to the member, where there is just one.
                let first = nodes.partition_point(|(above, _)| *above < from.node);
                let mut found = nodes[first..].iter().take_while(|(above, _)| *above == from.node);
                let (_, node) = found.next()?;
                found.next().is_none().then(|| Entry::at(*level, *node))
            }
            Lead::Shifted(shift) => shifted(axis, from, *shift),
            Lead::End(level, last, sequences) => {
                let path = path_from(axis, from, *level);
                let sequence = sequences.of(axis.ancestor(from.level(), from.node, *level))?;
                let node = if *last { sequence.last() } else { sequence.first() }?;
                descend(axis, *level, *node, &path)
            }
            Lead::Nowhere => None,
        }
    }
}

/// The nodes of a member, each after the node of a level above that it is under; none from below.
fn nodes_under(axis: &Axis<Either>, level: usize, of: usize, member: MemberId) -> Vec<(u32, u32)> {
    if level >= of {
        return Vec::new();
    }
    let nodes = (0..axis.len(of) as u32).filter(|node| axis.member_of(of, *node) == member);
    let mut nodes: Vec<(u32, u32)> = nodes.map(|node| (axis.ancestor(of, node, level), node)).collect();
    nodes.sort_unstable();
    nodes
}

/// The members of an entry below a level.
fn path_from(axis: &Axis<Either>, entry: Entry<Either>, below: usize) -> Vec<MemberId> {
    let mut members: Vec<MemberId> = (below + 1..=entry.level())
        .rev()
        .map(|level| axis.member_of(level, axis.ancestor(entry.level(), entry.node, level)))
        .collect();
    members.reverse();
    members
}

/// The entry that members lead to from a node.
fn descend(axis: &Axis<Either>, level: usize, node: u32, members: &[MemberId]) -> Option<Entry<Either>> {
    let step = |(level, node): (usize, u32), member: &MemberId| {
        Some((level + 1, axis.child(level + 1, node, *member)?))
    };
    let (level, node) = members.iter().try_fold((level, node), step)?;
    Some(Entry::at(level, node))
}

/// The column that a dimension is made of.
fn column_of(axis: &Axis<Either>, level: usize) -> &str {
    axis.dimensions()[level - 1].date_column()
}

/// The running part of a date that a dimension is made of.
fn running_part(axis: &Axis<Either>, level: usize) -> Option<DatePart> {
    axis.dimensions()[level - 1].period().filter(|part| !part.is_cyclic())
}

/// The entry so many periods away by the calendar. All dimensions of the same date move together.
fn shifted(axis: &Axis<Either>, from: Entry<Either>, shift: Shift) -> Option<Entry<Either>> {
    let column = column_of(axis, shift.spot.level);
    let moves = |level: &usize| column_of(axis, *level) == column && running_part(axis, *level).is_some();
    // The finest period says where the entry stands, and where it moves to.
    let finest = (1..=from.level())
        .filter(moves)
        .max_by_key(|level| running_part(axis, *level).map(DatePart::fineness))?;
    running_part(axis, finest).filter(|own| own.fineness() >= shift.named.fineness())?;
    let stands = period_at(axis, finest, axis.ancestor(from.level(), from.node, finest))?;
    let moved = stands.shifted(shift.by, shift.unit)?;
    let first_day = moved.first_day()?;
    let mut node = 0;
    for level in 1..=from.level() {
        let own_member = axis.member_of(level, axis.ancestor(from.level(), from.node, level));
        let member = match running_part(axis, level).filter(|_| moves(&level)) {
            Some(_) if level == finest => axis.members(level - 1).period(moved)?,
            Some(part) => axis.members(level - 1).period(Period::of(part, first_day)?)?,
            None => own_member,
        };
        node = axis.child(level, node, member)?;
    }
    Some(Entry::at(from.level(), node))
}

/// The nodes that stand in one row with each other along a dimension: those under the same parent or,
/// throughout, under all parents that are made of the same date; of a dimension that is no date, under
/// all. They are in the calendar's order, or in that in which they are shown. Members of different
/// classes never stand in one row, and what is not shown stands in none.
pub(super) struct Sequences {
    lists: Vec<Vec<u32>>,
    /// The list of each node.
    of: Vec<Option<u32>>,
}

impl Sequences {
    pub(super) fn new(axis: &Axis<Either>, level: usize, throughout: bool) -> Sequences {
        let dimension = &axis.dimensions()[level - 1];
        let top = match throughout {
            false => level - 1,
            true if dimension.period().is_none() => 0,
            true => {
                let column = column_of(axis, level);
                (1..level).rev().find(|above| column_of(axis, *above) != column).unwrap_or(0)
            }
        };
        let nodes: Vec<u32> = if dimension.period().is_some() {
            // Years before their quarters' places: the order of periods under all parents. Lines without
            // a date are in no period, nor is what is made of several periods.
            let is_period = |node: &u32| period_at(axis, level, *node).is_some();
            let place = |node: u32, at: usize| {
                axis.members(at - 1).place(axis.member_of(at, axis.ancestor(level, node, at)))
            };
            let mut nodes: Vec<u32> = (0..axis.len(level) as u32).filter(is_period).collect();
            nodes.sort_by_cached_key(|node| (1..=level).map(|at| place(*node, at)).collect::<Vec<u32>>());
            nodes
        } else {
            axis.order(level).to_vec()
        };
        let mut found: HashMap<(u32, Class), u32> = HashMap::new();
        let mut sequences = Sequences { lists: Vec::new(), of: vec![None; axis.len(level)] };
        // Members that are not shown are in the sequence all the same: what is picked changes no value.
        for node in nodes {
            let key = (axis.ancestor(level, node, top), axis.class(level, node));
            let list = *found.entry(key).or_insert_with(|| {
                sequences.lists.push(Vec::new());
                sequences.lists.len() as u32 - 1
            });
            sequences.lists[list as usize].push(node);
            sequences.of[node as usize] = Some(list);
        }
        sequences
    }

    /// The sequence that a node stands in.
    fn of(&self, node: u32) -> Option<&[u32]> {
        Some(&self.lists[self.of[node as usize]? as usize])
    }

    /// Every sequence.
    pub(super) fn lists(&self) -> &[Vec<u32>] {
        &self.lists
    }
}

/// The period of a node; none where its member is no period.
fn period_at<S: OfAxis>(axis: &Axis<S>, level: usize, node: u32) -> Option<Period> {
    match *axis.members(level - 1).member(axis.member_of(level, node)) {
        Member::Period(period) => Some(period),
        _ => None,
    }
}

/// Where nodes of a sequence stand along their dimension: by the calendar, so that gaps count, or
/// one after the other.
pub(super) fn positions<S: OfAxis>(axis: &Axis<S>, level: usize, sequence: &[u32]) -> Vec<i64> {
    let by_calendar =
        sequence.iter().map(|node| period_at(axis, level, *node).map(|period| i64::from(period.number())));
    let by_calendar: Option<Vec<i64>> = by_calendar.collect();
    by_calendar.unwrap_or_else(|| (0..sequence.len() as i64).collect())
}

/// Where the columns of one level stand from the first to the last, from 0 to 1.
pub(crate) fn period_places<S: OfAxis>(axis: &Axis<S>, entries: &[Entry<S>]) -> Vec<f64> {
    let Some(level) = entries.first().map(|entry| entry.level()) else { return Vec::new() };
    let nodes: Vec<u32> = entries.iter().map(|entry| entry.node).collect();
    let positions = positions(axis, level, &nodes);
    let (first, last) = (positions.iter().min().copied(), positions.iter().max().copied());
    let span = last.zip(first).map_or(0, |(last, first)| last - first).max(1) as f64;
    positions.iter().map(|position| (position - first.unwrap_or(0)) as f64 / span).collect()
}
