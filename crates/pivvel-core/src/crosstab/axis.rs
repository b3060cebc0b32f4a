//! An axis: its dimensions, the tree of members that occur, and the order in which it is shown.

use std::cmp::Ordering;

use crate::brief::{Dimension, Direction, OrderBy, Placement};
use crate::grouping::{AxisPaths, Value};
use crate::lines::{MemberId, Members};

/// The rows or the columns of a cross-tab.
#[derive(Debug, Clone)]
pub struct Axis {
    dimensions: Vec<Dimension>,
    members: Vec<Members>,
    /// For each level, the total first: parent and member of every node.
    nodes: Vec<Vec<(u32, u32)>>,
    totals: Vec<Placement>,
    entries: Vec<Entry>,
}

/// A row or a column as it is shown: the total, a subtotal or a member of the deepest level.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Entry {
    level: u16,
    pub(crate) node: u32,
}

impl Entry {
    /// Its level: 0 for the total of the axis, then one for each dimension.
    pub fn level(self) -> usize {
        self.level.into()
    }

    /// Whether this is the total of the axis.
    pub fn is_total(self) -> bool {
        self.level == 0
    }
}

/// A member at one level of a path.
#[derive(Debug, Clone, Copy)]
pub struct MemberRef<'a> {
    dimension: &'a Dimension,
    members: &'a Members,
    id: MemberId,
}

impl<'a> MemberRef<'a> {
    /// The dimension that it is a member of.
    pub fn dimension(&self) -> &'a Dimension {
        self.dimension
    }

    /// Its label in data; empty for the blank member.
    pub fn label(&self) -> &'a str {
        self.members.label(self.id)
    }

    /// Whether it stands for the lines that hold nothing in this dimension.
    pub fn is_blank(&self) -> bool {
        self.members.is_blank(self.id)
    }

    /// Its number within the dimension: the same member has the same one under every parent.
    pub fn id(&self) -> MemberId {
        self.id
    }
}

impl Axis {
    pub(super) fn new(dimensions: &[Dimension], totals: &[Placement], paths: AxisPaths) -> Axis {
        let root = vec![(0, 0)];
        let levels = paths.levels.iter().map(|level| level.pairs().to_vec());
        Axis {
            dimensions: dimensions.to_vec(),
            members: paths.members,
            nodes: std::iter::once(root).chain(levels).collect(),
            totals: totals.to_vec(),
            entries: Vec::new(),
        }
    }

    /// The dimensions, outermost first.
    pub fn dimensions(&self) -> &[Dimension] {
        &self.dimensions
    }

    /// The level of the members without members: the number of dimensions.
    pub fn depth(&self) -> usize {
        self.dimensions.len()
    }

    /// The name of a level: its dimension's, or `total`.
    pub fn level_name(&self, level: usize) -> &str {
        level.checked_sub(1).map_or("total", |i| &self.dimensions[i].name)
    }

    /// The members of a dimension.
    pub fn members(&self, dimension: usize) -> &Members {
        &self.members[dimension]
    }

    /// Where the total of a level stands.
    pub fn total_of(&self, level: usize) -> Placement {
        self.totals.get(level).copied().unwrap_or(Placement::After)
    }

    /// Every row or column in the order in which it is shown.
    pub fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// The members that lead to an entry, outermost first; none for the total.
    pub fn path(&self, entry: Entry) -> Vec<MemberRef<'_>> {
        let mut path = Vec::with_capacity(entry.level());
        let mut node = entry.node;
        for level in (1..=entry.level()).rev() {
            let (parent, member) = self.nodes[level][node as usize];
            path.push(MemberRef {
                dimension: &self.dimensions[level - 1],
                members: &self.members[level - 1],
                id: MemberId(member),
            });
            node = parent;
        }
        path.reverse();
        path
    }

    /// The entry that an entry is part of; `None` for the total.
    pub fn parent(&self, entry: Entry) -> Option<Entry> {
        let level = entry.level.checked_sub(1)?;
        Some(Entry { level, node: self.nodes[entry.level()][entry.node as usize].0 })
    }

    /// The entry of a path of labels; the empty path is the total.
    pub fn find(&self, labels: &[&str]) -> Option<Entry> {
        if labels.len() > self.depth() {
            return None;
        }
        let mut node = 0;
        for (i, label) in labels.iter().enumerate() {
            let members = &self.members[i];
            let is =
                |(parent, member): &(u32, u32)| *parent == node && members.label(MemberId(*member)) == *label;
            node = self.nodes[i + 1].iter().position(is)? as u32;
        }
        Some(Entry { level: labels.len() as u16, node })
    }

    /// The parent of a node.
    pub(super) fn parent_node(&self, level: usize, node: u32) -> u32 {
        self.nodes[level][node as usize].0
    }

    /// Brings the axis into its display order. `value` gives a measure's value for a node of a
    /// level, in the total of the other axis.
    pub(super) fn arrange(&mut self, value: impl Fn(usize, u32, usize) -> Option<Value>) {
        let mut children: Vec<Vec<std::ops::Range<usize>>> = Vec::new();
        let mut ordered: Vec<Vec<u32>> = vec![vec![0]];
        for level in 1..=self.depth() {
            let mut place_of_parent = vec![0; self.nodes[level - 1].len()];
            for (place, node) in ordered[level - 1].iter().enumerate() {
                place_of_parent[*node as usize] = place;
            }
            let nodes = &self.nodes[level];
            let siblings = |a: &u32, b: &u32| self.sibling_order(level, *a, *b, &value);
            let mut order: Vec<u32> = (0..nodes.len() as u32).collect();
            order.sort_by(|a, b| {
                let parents = [a, b].map(|n| place_of_parent[nodes[*n as usize].0 as usize]);
                parents[0].cmp(&parents[1]).then_with(|| siblings(a, b))
            });
            let mut ranges = vec![0..0; ordered[level - 1].len()];
            for (at, node) in order.iter().enumerate() {
                let range = &mut ranges[place_of_parent[nodes[*node as usize].0 as usize]];
                *range = if range.start == range.end { at..at + 1 } else { range.start..at + 1 };
            }
            children.push(ranges);
            ordered.push(order);
        }
        let mut entries = Vec::new();
        // Without a line there is no member and no total.
        if self.depth() == 0 || !ordered[1].is_empty() {
            self.emit(0, 0, &ordered, &children, &mut entries);
        }
        self.entries = entries;
    }

    fn emit(
        &self,
        level: usize,
        place: usize,
        ordered: &[Vec<u32>],
        children: &[Vec<std::ops::Range<usize>>],
        entries: &mut Vec<Entry>,
    ) {
        let entry = Entry { level: level as u16, node: ordered[level][place] };
        if level == self.depth() {
            entries.push(entry);
            return;
        }
        let total = self.total_of(level);
        if total == Placement::Before {
            entries.push(entry);
        }
        for child in children[level][place].clone() {
            self.emit(level + 1, child, ordered, children, entries);
        }
        if total == Placement::After {
            entries.push(entry);
        }
    }

    fn sibling_order(
        &self,
        level: usize,
        a: u32,
        b: u32,
        value: &impl Fn(usize, u32, usize) -> Option<Value>,
    ) -> Ordering {
        let members = &self.members[level - 1];
        let order = &self.dimensions[level - 1].order;
        let [x, y] = [a, b].map(|node| MemberId(self.nodes[level][node as usize].1));
        let directed = |ordering: Ordering| match order.direction {
            Direction::Ascending => ordering,
            Direction::Descending => ordering.reverse(),
        };
        let natural = || members.place(x).cmp(&members.place(y));
        let blank_last = members.is_blank(x).cmp(&members.is_blank(y));
        match order.by {
            OrderBy::Natural => blank_last.then_with(|| directed(natural())),
            OrderBy::Label => {
                let by_label = || members.label(x).to_lowercase().cmp(&members.label(y).to_lowercase());
                blank_last.then_with(|| directed(by_label())).then_with(natural)
            }
            OrderBy::Measure(measure) => match (value(level, a, measure), value(level, b, measure)) {
                (Some(a), Some(b)) => directed(a.order(&b)).then_with(natural),
                (a, b) => a.is_none().cmp(&b.is_none()).then_with(natural),
            },
        }
    }
}
