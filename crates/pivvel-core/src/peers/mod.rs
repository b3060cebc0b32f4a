//! Peers: the cells that are scaled together, and the yardstick that they are measured by.
//!
//! By default the peers of a cell are the cells of the same measure at the same grain. A total is
//! never among the peers of its parts, so it cannot make them look small.

mod kept;
mod yardstick;

pub use kept::{KeptCount, KeptScale, KeptTop, Yardsticks};
pub use yardstick::Yardstick;
pub(crate) use yardstick::{Measured, share};

use std::collections::HashMap;
use std::sync::OnceLock;

use crate::eval::{CellGroups, Frame, GroupKey, NO_GROUP, Sorted, SortedGroup};
use crate::model::{CellValues, Grain, Value, both, threads_for};
use crate::plan::YardstickSpec;
use crate::rollup::{Axis, Class, Entry, OfAxis};

/// The cells of one measure at one grain in their groups, each with its yardstick.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::result::Grain;
///
/// let crosstab = crosstab();
/// let coasts = crosstab.peers(0, Grain::new(1, 0)).unwrap();
/// assert_eq!(coasts.yardstick().map(|yardstick| (yardstick.count(), yardstick.mean())), Some((2, Some(6.0))));
/// ```
#[derive(Debug, Clone, Default)]
pub struct Peers {
    keys: Vec<GroupKey>,
    groups: Vec<Measured>,
    /// The group of each cell; [`NO_GROUP`] for cells that are not shown.
    group_of: Vec<u32>,
    /// Rank by cell; 0 for a cell without a value.
    ranks: Vec<u32>,
    /// What the groups are called, once that is asked for.
    names: OnceLock<Vec<String>>,
    /// Whether cells of other grains are among them.
    joined: bool,
}

impl Peers {
    /// The peers among the cells of a grain that are shown, in groups.
    pub(crate) fn new(
        values: &CellValues,
        CellGroups { keys, of }: CellGroups,
        wanted: &YardstickSpec,
        threads: usize,
    ) -> Peers {
        let sorted = Sorted::new(keys.len(), (0..).zip(of.iter().copied()), values, true, threads);
        let ranks = || {
            let mut ranks = vec![0; values.len()];
            for group in sorted.iter() {
                let mut rank = 1;
                for tied in group.ties() {
                    tied.iter().for_each(|cell| ranks[*cell as usize] = rank);
                    rank += tied.len() as u32;
                }
            }
            ranks
        };
        let measured = |group: SortedGroup<'_>| {
            let value = |place: usize| values.of_key(group.cells[place] as usize, group.keys[place]);
            Measured::new(group.cells.len(), value, wanted)
        };
        let groups = || sorted.iter().map(measured).collect();
        let (ranks, groups) = both(threads_for(values.len(), threads), ranks, groups);
        Peers { groups, ranks, keys, group_of: of, names: OnceLock::new(), joined: false }
    }

    /// The cells of each group that have a value, with it.
    pub(crate) fn members(&self, values: &CellValues) -> Vec<Vec<(usize, Value)>> {
        let mut members: Vec<Vec<(usize, Value)>> = vec![Vec::new(); self.keys.len()];
        for (cell, group) in self.group_of.iter().enumerate().filter(|(_, group)| **group != NO_GROUP) {
            members[*group as usize].extend(values.get(cell).map(|value| (cell, value)));
        }
        members
    }

    /// Measures the peers of several grains together, by class.
    pub(crate) fn join(grains: &mut [(&CellValues, &mut Peers)], wanted: &YardstickSpec) {
        type Order = Vec<((usize, usize), Value)>;
        let mut orders: HashMap<(Class, Class), Order> = HashMap::new();
        for (grain, (values, peers)) in grains.iter().enumerate() {
            for (cell, group) in peers.group_of.iter().enumerate().filter(|(_, group)| **group != NO_GROUP) {
                let order = orders.entry(peers.keys[*group as usize].classes).or_default();
                order.extend(values.get(cell).map(|value| ((grain, cell), value)));
            }
        }
        let mut joint = HashMap::new();
        for (classes, mut order) in orders {
            order.sort_unstable_by(|(_, a), (_, b)| b.order(a));
            let mut shared = 0;
            for (place, ((grain, cell), value)) in order.iter().enumerate() {
                if place == 0 || order[place - 1].1.order(value).is_ne() {
                    shared = place as u32 + 1;
                }
                grains[*grain].1.ranks[*cell] = shared;
            }
            joint.insert(classes, Measured::new(order.len(), |place| order[place].1, wanted));
        }
        for (_, peers) in grains {
            peers.joined = true;
            for (key, group) in peers.keys.iter().zip(&mut peers.groups) {
                *group = joint.get(&key.classes).cloned().unwrap_or_default();
            }
        }
    }

    /// Measures each group by reference numbers from elsewhere; groups that they do not know have
    /// none. Gives how many these are.
    pub(crate) fn measure_by(&mut self, mut known: impl FnMut(&Measured) -> Option<Measured>) -> usize {
        let mut missing = 0;
        for group in &mut self.groups {
            let used = group.yardstick.is_some();
            *group = known(group).unwrap_or_default();
            missing += usize::from(used && group.yardstick.is_none());
        }
        missing
    }

    /// Ranks the cells of those groups for which there are values from elsewhere, the highest first, among these.
    pub(crate) fn rank_among(&mut self, values: &CellValues, known: &[Option<&[Value]>]) {
        for (cell, group) in self.group_of.iter().enumerate().filter(|(_, group)| **group != NO_GROUP) {
            if let Some((value, known)) = values.get(cell).zip(known[*group as usize]) {
                self.ranks[cell] = known.partition_point(|other| other.order(&value).is_gt()) as u32 + 1;
            }
        }
    }

    /// Whether cells of other grains are among them.
    pub(crate) fn is_joined(&self) -> bool {
        self.joined
    }

    /// The yardstick of the members that lines have, where all of a grain are peers; `None` where no cell has a value.
    pub fn yardstick(&self) -> Option<&Yardstick> {
        let of_lines = self.keys.iter().position(|key| *key == GroupKey::MEMBERS)?;
        self.groups[of_lines].yardstick.as_ref()
    }

    /// Every group with what its cells share, that of the members that lines have first.
    pub(crate) fn groups(&self) -> impl Iterator<Item = (&GroupKey, &Measured)> {
        self.keys.iter().zip(&self.groups)
    }

    /// The place of a cell's group, if the cell is shown.
    pub(crate) fn group(&self, cell: usize) -> Option<usize> {
        Some(self.group_of[cell]).filter(|group| *group != NO_GROUP).map(|group| group as usize)
    }

    /// Whether some cells are in no group.
    pub(crate) fn leaves_out(&self) -> bool {
        self.group_of.contains(&NO_GROUP)
    }

    /// What the groups are called; `name` says it for what the cells of one share.
    pub(crate) fn names(&self, name: impl Fn(&GroupKey) -> String) -> &[String] {
        self.names.get_or_init(|| self.keys.iter().map(name).collect())
    }

    /// The yardstick of a cell's own peers.
    pub(crate) fn yardstick_of(&self, cell: usize) -> Option<&Yardstick> {
        self.groups[self.group(cell)?].yardstick.as_ref()
    }

    /// The rank of a cell, 1 for the highest value; equal values share the lowest rank number.
    pub(crate) fn rank(&self, cell: usize) -> Option<u32> {
        Some(self.ranks[cell]).filter(|rank| *rank > 0)
    }

    /// Where a cell's value stands among its peers.
    pub(crate) fn position(&self, cell: usize, value: &Value) -> Option<f64> {
        self.yardstick_of(cell)?.position(value)
    }
}

/// What a group of peers is called, run after run: the measure, the row level and the column level;
/// where members are scaled apart, with the label of what they are or are under; and where not all
/// of a grain are peers, with the members that they are in. No levels are those of all together.
pub(crate) fn peers_id<R: OfAxis, C: OfAxis>(
    measure: &str,
    (rows, columns): (&Axis<R>, &Axis<C>),
    grain: Option<Grain>,
    key: &GroupKey,
) -> String {
    let Some(grain) = grain else {
        let apart = [rows.class_name(key.classes.0), columns.class_name(key.classes.1)];
        let apart = apart.iter().flatten().map(|label| format!(":{label}")).collect::<String>();
        return format!("{measure}@all levels{apart}");
    };
    fn level<S: OfAxis>(axis: &Axis<S>, level: usize, class: Class) -> String {
        let name = axis.level_name(level);
        axis.class_name(class).map_or(name.to_string(), |label| format!("{name}:{label}"))
    }
    let row = level(rows, grain.row, key.classes.0);
    let column = level(columns, grain.column, key.classes.1);
    let within = within(rows, columns, key);
    let within: Vec<String> = within.iter().map(|(name, label)| format!("{name}={label}")).collect();
    let within = if within.is_empty() { String::new() } else { format!(" in {}", within.join(", ")) };
    format!("{measure}@{row}/{column}{within}")
}

/// The members that all cells of a group are in: dimension and label, outermost first.
pub(crate) fn within<R: OfAxis, C: OfAxis>(
    rows: &Axis<R>,
    columns: &Axis<C>,
    key: &GroupKey,
) -> Vec<(String, String)> {
    fn path<S: OfAxis>(axis: &Axis<S>, spot: Option<(u16, u32)>) -> Vec<(String, String)> {
        let Some((level, node)) = spot else { return Vec::new() };
        let path = axis.path(Entry::at(level.into(), node));
        path.iter().map(|m| (m.dimension().name.clone(), m.label().to_string())).collect()
    }
    [path(rows, key.row), path(columns, key.column)].concat()
}

impl Frame {
    /// What a group of a grain's cells is called.
    pub(crate) fn peers_id(&self, measure: &str, grain: Grain, peers: &Peers, key: &GroupKey) -> String {
        let grain = (!peers.joined).then_some(grain);
        peers_id(measure, (&self.rows, &self.columns), grain, key)
    }
}
