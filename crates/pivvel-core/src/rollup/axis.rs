//! An axis: its dimensions, the tree of members that occur, and the order in which it is shown.

use std::borrow::Cow;
use std::cmp::Ordering;

use super::class::{Apart, Class, Classes};
use super::entry::{Entry, EntryKind, OfAxis};
use super::nodes::{Made, Nodes};
use crate::brief::Direction;
use crate::brief::Placement;
use crate::grouping::{AxisPaths, PairTable};
use crate::lines::{BLANK, Member, MemberId, Members};
use crate::model::Value;
use crate::plan::Dimension;

/// The rows or the columns of a cross-tab.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let rows = crosstab.rows();
/// assert_eq!((rows.depth(), rows.level_name(1)), (2, "coast"));
/// let shown: Vec<String> = rows
///     .entries()
///     .iter()
///     .map(|entry| rows.labels(*entry).join(" > "))
///     .collect();
/// assert_eq!(shown, ["Fell", "Fell > Haven", "Fell > Quay", "Skerry", "Skerry > Holm", ""]);
/// ```
#[derive(Debug, Clone)]
pub struct Axis<S> {
    dimensions: Vec<Dimension>,
    members: Vec<Members>,
    /// For each level, the total first: its nodes.
    nodes: Vec<Nodes>,
    totals: Vec<Placement>,
    classes: Classes,
    /// The nodes of each level that are shown, in the order of their members, whether the level's own
    /// totals stand anywhere or not.
    order: Vec<Vec<u32>>,
    entries: Vec<Entry<S>>,
}

/// An order to show an axis in.
pub(crate) struct Arranged<S> {
    order: Vec<Vec<u32>>,
    entries: Vec<Entry<S>>,
}

/// What the members of a level are sorted by: values in the order of its nodes, or nothing.
pub(crate) enum SortBy {
    Natural,
    Label,
    Values(Vec<Option<Value>>),
}

/// A member at one level of a path.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let rows = crosstab.rows();
/// let path = rows.path(rows.find(&["Fell", "Quay"]).unwrap());
/// assert_eq!((path[0].label(), path[1].label(), path[1].is_blank()), ("Fell", "Quay", false));
/// ```
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

    /// Its label as it is shown, where the brief gives it another one.
    pub fn shown(&self) -> &'a str {
        let own = self.label();
        let is_own = |label: &str| label == own || self.is_blank() && label == BLANK;
        self.dimension.labels.iter().find(|(label, _)| is_own(label)).map_or(own, |(_, shown)| shown)
    }

    /// What it is.
    pub fn member(&self) -> Cow<'a, Member> {
        self.members.member(self.id)
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

impl<S: OfAxis> Axis<S> {
    pub(crate) fn new(dimensions: &[Dimension], totals: &[Placement], paths: AxisPaths) -> Axis<S> {
        let mut axis = Axis {
            dimensions: dimensions.to_vec(),
            members: paths.members,
            nodes: vec![Nodes::of(PairTable::of_one())],
            totals: totals.to_vec(),
            classes: Classes::default(),
            order: Vec::new(),
            entries: Vec::new(),
        };
        for (i, pairs) in paths.levels.into_iter().enumerate() {
            axis.nodes.push(Nodes::of(pairs));
            axis.set_apart(i + 1);
        }
        axis
    }

    /// Gives the nodes of a level their classes, where one of them has one.
    fn set_apart(&mut self, level: usize) {
        let members = &self.members[level - 1];
        if self.nodes[level - 1].classes.is_empty() && !members.has_made() {
            return;
        }
        for node in 0..self.len(level) as u32 {
            let class = self.class_under(level, node);
            self.nodes[level].classes.set(node, class);
        }
    }

    /// A node more.
    pub(crate) fn add(&mut self, level: usize, parent: u32, member: u32, made: Option<Made>) -> u32 {
        let node = self.nodes[level].pairs.number_one(parent, member);
        let class = self.class_under(level, node);
        if class != Class::MEMBERS {
            self.nodes[level].classes.set(node, class);
        }
        if self.is_hidden(level - 1, parent) {
            self.hide(level, node);
        }
        if let Some(made) = made {
            self.nodes[level].made.set(node, Some(Box::new(made)));
        }
        node
    }

    /// The class of a node by that of its parent.
    fn class_under(&mut self, level: usize, node: u32) -> Class {
        let above = self.class(level - 1, self.parent_node(level, node));
        match *self.members[level - 1].member(self.member_of(level, node)) {
            Member::Others(_) => self.classes.under(above, Apart::Others(level as u16)),
            Member::Calculated(item, _) => self.classes.under(above, Apart::Item(item)),
            _ => above,
        }
    }

    /// Lets a dimension have a member more.
    pub(crate) fn add_member(&mut self, level: usize, member: Member) -> u32 {
        let (members, id) = self.members[level - 1].with(member);
        self.members[level - 1] = members;
        id.0
    }

    /// Keeps a node from being shown, and what is added under it from then on.
    pub(crate) fn hide(&mut self, level: usize, node: u32) {
        self.nodes[level].hidden.set(node, true);
    }

    /// Keeps all that is under hidden nodes from being shown, and what items have under them where all
    /// that it is computed from is hidden.
    pub(crate) fn hide_under_hidden(&mut self) {
        for level in 1..=self.depth() {
            for node in 0..self.len(level) as u32 {
                let above = self.is_hidden(level - 1, self.parent_node(level, node));
                if above || self.hidden_operands(level, node) {
                    self.hide(level, node);
                }
            }
        }
    }

    /// Whether a node stands under an item, and all nodes that it is computed from are hidden. An item's
    /// own member is shown whatever it is computed from.
    pub(crate) fn hidden_operands(&self, level: usize, node: u32) -> bool {
        let Some(made) = self.made(level, node) else { return false };
        let own =
            |member: &Member| matches!(member, Member::Calculated(item, _) if *item as usize == made.item);
        !own(&self.members[level - 1].member(self.member_of(level, node)))
            && made.operands.iter().flatten().all(|operand| self.is_hidden(level, *operand))
    }

    /// Gives the members of a dimension their colours.
    pub(crate) fn set_colours(&mut self, dimension: usize, colours: Vec<(String, String)>) {
        if let Some(dimension) = self.dimensions.get_mut(dimension) {
            dimension.colours = colours;
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

    /// The name of a level: its dimension's, or `total`. A dimension of that name is `total_member`, so that it differs from the
    /// total.
    pub fn level_name(&self, level: usize) -> &str {
        let Some(place) = level.checked_sub(1) else { return "total" };
        match self.dimensions.get(place).map(|dimension| dimension.name.as_str()) {
            Some("total") => "total_member",
            name => name.unwrap_or_default(),
        }
    }

    /// The members of a dimension; none of one that is not there.
    pub fn members(&self, dimension: usize) -> &Members {
        static NONE: Members = Members::none();
        self.members.get(dimension).unwrap_or(&NONE)
    }

    /// Where the total of a level stands.
    pub fn total_of(&self, level: usize) -> Placement {
        self.totals.get(level).copied().unwrap_or(Placement::After)
    }

    /// The axis as the rows or the columns that it is.
    pub(crate) fn settled<T: OfAxis>(self) -> Axis<T> {
        let Axis { dimensions, members, nodes, totals, classes, order, entries } = self;
        let entries = entries.into_iter().map(Entry::on).collect();
        Axis { dimensions, members, nodes, totals, classes, order, entries }
    }

    /// Every row or column in the order in which it is shown.
    pub fn entries(&self) -> &[Entry<S>] {
        &self.entries
    }

    /// The label of the member of a level that an entry is, or is under; none of a level below it.
    pub(crate) fn label_at(&self, entry: Entry<S>, level: usize) -> Option<&str> {
        self.member_at(entry, level).map(|member| member.label())
    }

    /// The members that lead to an entry, outermost first; none for the total.
    pub fn path(&self, entry: Entry<S>) -> Vec<MemberRef<'_>> {
        let mut path = Vec::with_capacity(entry.level());
        if self.pair_of(entry).is_none() {
            return path;
        }
        let mut node = entry.node;
        for level in (1..=entry.level()).rev() {
            let Some((parent, member)) = self.nodes[level].pair(node) else { break };
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

    /// The labels that lead to an entry, outermost first: what [`find`](Axis::find) takes.
    pub fn labels(&self, entry: Entry<S>) -> Vec<&str> {
        self.path(entry).iter().map(MemberRef::label).collect()
    }

    /// The member of a level that an entry is, or is under; none of a level below it.
    pub(crate) fn member_at(&self, entry: Entry<S>, level: usize) -> Option<MemberRef<'_>> {
        let id = self.member_id_at(entry, level)?;
        let (dimension, members) = (&self.dimensions[level - 1], &self.members[level - 1]);
        Some(MemberRef { dimension, members, id })
    }

    /// The same by its number within its dimension.
    pub(crate) fn member_id_at(&self, entry: Entry<S>, level: usize) -> Option<MemberId> {
        let (parent, member) = self.pair_of(entry)?;
        Some(match entry.level().checked_sub(level)? {
            0 => MemberId(member),
            _ => self.member_of(level, self.ancestor(entry.level() - 1, parent, level)),
        })
    }

    /// The entry that an entry is part of; `None` for the total.
    pub fn parent(&self, entry: Entry<S>) -> Option<Entry<S>> {
        let level = entry.level().checked_sub(1)?;
        Some(Entry::at(level, self.pair_of(entry)?.0))
    }

    /// The parent and the member of an entry; `None` where it is of another cross-tab that has more.
    fn pair_of(&self, entry: Entry<S>) -> Option<(u32, u32)> {
        self.nodes.get(entry.level())?.pair(entry.node)
    }

    /// The entry of a path of labels; the empty path is the total.
    pub fn find(&self, labels: &[&str]) -> Option<Entry<S>> {
        if labels.len() > self.depth() {
            return None;
        }
        labels.iter().try_fold(Entry::TOTAL, |entry, label| self.below(entry, label))
    }

    /// The entry of a label under an entry; of what is made of members only where no other has the label.
    pub(crate) fn below(&self, entry: Entry<S>, label: &str) -> Option<Entry<S>> {
        let level = entry.level() + 1;
        let of_label = self.members.get(entry.level())?.labelled(label);
        let child = |id: MemberId| Some(Entry::at(level, self.child(level, entry.node, id)?));
        of_label.into_iter().find_map(child)
    }

    /// Every entry under an entry.
    pub(crate) fn below_all(&self, entry: Entry<S>) -> impl Iterator<Item = Entry<S>> {
        let level = entry.level() + 1;
        let pairs = self.nodes.get(level).map_or(&[][..], |nodes| nodes.pairs.pairs());
        let under = move |(_, (parent, _)): &(u32, &(u32, u32))| *parent == entry.node;
        (0..).zip(pairs).filter(under).map(move |(node, _)| Entry::at(level, node))
    }

    /// What an entry stands for. What is under a calculated member is calculated, too.
    pub fn kind(&self, entry: Entry<S>) -> EntryKind {
        let class = self.class_of(entry);
        let is_item = |apart: &Apart| matches!(apart, Apart::Item(_));
        match entry.level() {
            0 => EntryKind::Total,
            _ if class == Class::MEMBERS => EntryKind::Member,
            _ if self.classes.of(class).iter().any(is_item) => EntryKind::Calculated,
            _ => EntryKind::Others,
        }
    }

    /// What the members of a class are called: the labels of the members that they are, or are under,
    /// outermost first; none of members that lines have.
    pub(crate) fn class_name(&self, class: Class) -> Option<String> {
        let is = |apart: Apart| {
            move |member: &Member| match (apart, member) {
                (Apart::Item(own), Member::Calculated(item, _)) => own == *item,
                (Apart::Others(_), Member::Others(_)) => true,
                _ => false,
            }
        };
        let named = |apart: Apart| {
            let within = match apart {
                Apart::Others(level) => level as usize - 1..level as usize,
                Apart::Item(_) => 0..self.members.len(),
            };
            self.members[within].iter().find_map(|members| {
                let mut all = (0..members.len()).map(|i| MemberId(i as u32));
                all.find(|id| is(apart)(&members.member(*id))).map(|id| members.label(id))
            })
        };
        let names: Vec<&str> = self.apart(class).iter().filter_map(|apart| named(*apart)).collect();
        (!names.is_empty()).then(|| names.join(", "))
    }

    /// What sets the members of a class apart, outermost first.
    pub(crate) fn apart(&self, class: Class) -> &[Apart] {
        self.classes.of(class)
    }

    pub(crate) fn class_of(&self, entry: Entry<S>) -> Class {
        self.nodes.get(entry.level()).map_or_else(Class::default, |nodes| nodes.classes.of(entry.node))
    }

    pub(crate) fn class(&self, level: usize, node: u32) -> Class {
        self.nodes[level].classes.of(node)
    }

    pub(crate) fn is_hidden(&self, level: usize, node: u32) -> bool {
        self.nodes[level].hidden.of(node)
    }

    /// Whether all nodes of a level are members of the lines that are shown.
    pub(crate) fn has_only_members(&self, level: usize) -> bool {
        self.nodes[level].hidden.is_empty() && self.nodes[level].classes.is_empty()
    }

    pub(crate) fn made(&self, level: usize, node: u32) -> Option<&Made> {
        self.nodes[level].made.get(node)?.as_deref()
    }

    /// How many nodes a level has.
    pub(crate) fn len(&self, level: usize) -> usize {
        self.nodes[level].len()
    }

    pub(crate) fn member_of(&self, level: usize, node: u32) -> MemberId {
        MemberId(self.nodes[level].pairs.pairs()[node as usize].1)
    }

    pub(crate) fn child(&self, level: usize, parent: u32, member: MemberId) -> Option<u32> {
        let nodes = self.nodes.get(level).filter(|_| level > 0);
        nodes?.pairs.find(parent, member.0)
    }

    /// The parents of all nodes of a level.
    pub(crate) fn parents(&self, level: usize) -> Vec<u32> {
        self.nodes[level].pairs.pairs().iter().map(|(parent, _)| *parent).collect()
    }

    /// The parent of a node.
    pub(crate) fn parent_node(&self, level: usize, node: u32) -> u32 {
        self.nodes[level].pairs.pairs()[node as usize].0
    }

    /// The node at a level that a deeper node is part of.
    pub(crate) fn ancestor(&self, level: usize, node: u32, at: usize) -> u32 {
        (at + 1..=level).rev().fold(node, |node, level| self.parent_node(level, node))
    }

    /// Brings the axis into its display order; `by` says what the members of each level from 1 on
    /// are sorted by.
    pub(crate) fn arrange(&mut self, by: &[SortBy]) {
        self.set_arranged(self.arranged(by));
    }

    /// Brings the axis into an order that it was asked for.
    pub(crate) fn set_arranged(&mut self, Arranged { order, entries }: Arranged<S>) {
        (self.order, self.entries) = (order, entries);
    }

    /// The display order of the axis, by what the members of each level are sorted by.
    pub(crate) fn arranged(&self, by: &[SortBy]) -> Arranged<S> {
        let mut children: Vec<Vec<std::ops::Range<usize>>> = Vec::new();
        let mut ordered: Vec<Vec<u32>> = vec![vec![0]];
        for level in 1..=self.depth() {
            let mut place_of_parent = vec![usize::MAX; self.nodes[level - 1].len()];
            for (place, node) in ordered[level - 1].iter().enumerate() {
                place_of_parent[*node as usize] = place;
            }
            let parent = |node: u32| place_of_parent[self.parent_node(level, node) as usize];
            let nodes = 0..self.len(level) as u32;
            let own = &self.dimensions[level - 1].order;
            let is_natural = matches!(by[level - 1], SortBy::Natural)
                && own.direction == Direction::Ascending
                && own.members().is_empty();
            let order = if is_natural {
                // There may be millions of nodes, and their members have places in this order.
                let members = &self.members[level - 1];
                let by_member = |node: &u32| members.place(self.member_of(level, *node)) as usize;
                match place_of_parent.len() {
                    // Every member has one node at most.
                    1 if nodes.len() == members.len() => {
                        let mut order = vec![0; nodes.len()];
                        nodes.for_each(|node| order[by_member(&node)] = node);
                        order
                    }
                    1 => in_order_of(nodes, members.len(), by_member),
                    parents => {
                        let by_member = in_order_of(nodes, members.len(), by_member);
                        in_order_of(by_member.into_iter(), parents, |node| parent(*node))
                    }
                }
            } else {
                let mut order: Vec<u32> = nodes.collect();
                order.sort_by(|a, b| {
                    let siblings = || self.sibling_order(level, *a, *b, &by[level - 1]);
                    parent(*a).cmp(&parent(*b)).then_with(siblings)
                });
                order
            };
            let mut ranges = vec![0..0; ordered[level - 1].len()];
            if let [only] = &mut ranges[..] {
                *only = 0..order.len();
            } else {
                for (at, node) in order.iter().enumerate() {
                    let range = &mut ranges[parent(*node)];
                    *range = if range.start == range.end { at..at + 1 } else { range.start..at + 1 };
                }
            }
            children.push(ranges);
            ordered.push(order);
        }
        let mut entries = Vec::with_capacity(ordered.iter().map(Vec::len).sum());
        // Without a line there is no member and no total; where members are only not shown there is.
        if self.depth() == 0 || self.len(1) > 0 {
            self.emit(0, 0, &ordered, &children, &mut entries);
        }
        Arranged { order: ordered, entries }
    }

    /// The same by the natural order of all members.
    pub(crate) fn arranged_naturally(&self) -> Arranged<S> {
        let natural: Vec<SortBy> = (0..self.depth()).map(|_| SortBy::Natural).collect();
        self.arranged(&natural)
    }

    /// The nodes of a level in the order of their members, those that are not shown in their places.
    pub(crate) fn order(&self, level: usize) -> &[u32] {
        self.order.get(level).map_or(&[], Vec::as_slice)
    }

    /// The entries of a level that are shown, in the order of their members.
    pub(crate) fn at_level(&self, level: usize) -> impl Iterator<Item = Entry<S>> {
        let shown = self.order(level).iter().filter(move |node| !self.is_hidden(level, **node));
        shown.map(move |node| Entry::at(level, *node))
    }

    /// The place of every node in the order of its level, by level.
    pub(crate) fn places(&self) -> Vec<Vec<u32>> {
        (0..self.order.len()).map(|level| self.places_at(level)).collect()
    }

    /// The place of every node in the order of a level.
    pub(crate) fn places_at(&self, level: usize) -> Vec<u32> {
        let order = self.order(level);
        let mut places = vec![0; order.len()];
        order.iter().zip(0..).for_each(|(node, place)| places[*node as usize] = place);
        places
    }

    fn emit(
        &self,
        level: usize,
        place: usize,
        ordered: &[Vec<u32>],
        children: &[Vec<std::ops::Range<usize>>],
        entries: &mut Vec<Entry<S>>,
    ) {
        let entry = Entry::at(level, ordered[level][place]);
        if level == self.depth() {
            return entries.push(entry);
        }
        let total = self.total_of(level);
        if total == Placement::Before {
            entries.push(entry);
        }
        let (below, nodes) = (children[level][place].clone(), &ordered[level + 1]);
        let shown = |child: &usize| !self.is_hidden(level + 1, nodes[*child]);
        let child = |node: &u32| Entry::at(level + 1, *node);
        if level + 1 < self.depth() {
            below.filter(shown).for_each(|child| self.emit(level + 1, child, ordered, children, entries));
        } else if self.nodes[level + 1].hidden.is_empty() {
            entries.extend(nodes[below].iter().map(child));
        } else {
            entries.extend(below.filter(shown).map(|place| child(&nodes[place])));
        }
        if total == Placement::After {
            entries.push(entry);
        }
    }

    /// The order of two members under one parent: those that are listed first, then the others;
    /// after all of them what is made of members.
    fn sibling_order(&self, level: usize, a: u32, b: u32, by: &SortBy) -> Ordering {
        let members = &self.members[level - 1];
        let dimension = &self.dimensions[level - 1];
        let [x, y] = [a, b].map(|node| self.member_of(level, node));
        let made = |id: MemberId| match *members.member(id) {
            Member::Others(_) => 1,
            Member::Calculated(item, _) => 2 + item,
            _ => 0,
        };
        let listed = |id: MemberId| {
            let is_own =
                |label: &String| label == members.label(id) || members.is_blank(id) && label == BLANK;
            let place = dimension.order.members().iter().position(is_own);
            place.unwrap_or(usize::MAX)
        };
        let directed = |ordering: Ordering| match dimension.order.direction {
            Direction::Ascending => ordering,
            Direction::Descending => ordering.reverse(),
        };
        let natural = || members.place(x).cmp(&members.place(y));
        let blank_last = || members.is_blank(x).cmp(&members.is_blank(y));
        let own = || match by {
            SortBy::Natural => blank_last().then_with(|| directed(natural())),
            SortBy::Label => {
                let by_label = || members.label(x).to_lowercase().cmp(&members.label(y).to_lowercase());
                blank_last().then_with(|| directed(by_label())).then_with(natural)
            }
            SortBy::Values(values) => {
                blank_last().then_with(|| match (values[a as usize], values[b as usize]) {
                    (Some(a), Some(b)) => directed(a.order(&b)).then_with(natural),
                    (a, b) => a.is_none().cmp(&b.is_none()).then_with(natural),
                })
            }
        };
        made(x).cmp(&made(y)).then_with(|| listed(x).cmp(&listed(y))).then_with(own)
    }
}

/// Nodes in the order of their keys, which are below `keys`; those of one key as they come. Linear in both.
fn in_order_of(
    nodes: impl Iterator<Item = u32> + Clone,
    keys: usize,
    key: impl Fn(&u32) -> usize,
) -> Vec<u32> {
    let mut begins = vec![0u32; keys + 1];
    nodes.clone().for_each(|node| begins[key(&node) + 1] += 1);
    let mut before = 0;
    for begin in &mut begins {
        before += *begin;
        *begin = before;
    }
    let mut order = vec![0; before as usize];
    for node in nodes {
        let begin = &mut begins[key(&node)];
        order[*begin as usize] = node;
        *begin += 1;
    }
    order
}
