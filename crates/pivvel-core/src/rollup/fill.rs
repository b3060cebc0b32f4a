//! Groups without a line: for every combination of members that a brief wants a cell for.

use std::collections::{HashMap, HashSet};

use crate::error::{Error, Result};
use crate::formula::Spot;
use crate::grouping::{AxisPaths, LeafGroups, PairTable};
use crate::lines::{Member, MemberId, Members};
use crate::model::{AxisSide, DatePart, Period, with_thousands};
use crate::plan::{FillWith, Plan, PlannedFill};

/// So many cells are filled at most.
const MOST_CELLS: usize = 5_000_000;

/// A year in which every day of the week stands in every month and every quarter.
const ANY_YEAR: std::ops::RangeInclusive<i32> = 0..=364;

/// The same groups, and those of every combination of what is filled with what else occurs.
///
/// # Errors
/// More cells than can be meant.
pub(crate) fn filled(plan: &Plan, mut leaves: LeafGroups) -> Result<LeafGroups> {
    if plan.fills.is_empty() {
        return Ok(leaves);
    }
    let mut keys = Keys::new(plan, &leaves);
    let filled: Vec<Vec<usize>> =
        plan.fills.iter().map(|fill| fill.spots.iter().map(|spot| keys.place(*spot)).collect()).collect();
    let sets: Vec<Vec<Vec<u32>>> = plan
        .fills
        .iter()
        .zip(&filled)
        .map(|(fill, places)| match fill.with {
            FillWith::Calendar { first, last } => {
                keys.calendar(places, &plan.parts_at(&fill.spots), (first, last))
            }
            FillWith::Members(ref listed) => keys.combinations(places, listed),
        })
        .collect();
    let others: Vec<usize> =
        (0..keys.of_groups.len()).filter(|key| !filled.iter().flatten().any(|f| f == key)).collect();
    let met = if others.is_empty() { vec![0] } else { keys.distinct(&others) };
    let cells = sets.iter().map(Vec::len).fold(met.len(), usize::saturating_mul);
    if cells > MOST_CELLS {
        return Err(too_many(plan, &sets, met.len(), cells));
    }
    if cells == 0 {
        return Ok(leaves);
    }
    let product = keys.product(&others, &met, &filled, &sets);
    let (rows, columns) = product.split_at(plan.rows.len());
    let row = add_paths(&mut leaves.rows, rows, cells);
    let column = add_paths(&mut leaves.columns, columns, cells);
    leaves.groups.intern(&row, &column, &mut Vec::new());
    leaves.states.resize(leaves.groups.len());
    keys.name(&mut leaves);
    Ok(leaves)
}

/// The dimensions of both axes as keys, those of the rows first.
struct Keys {
    rows: usize,
    /// The member of each group, by key.
    of_groups: Vec<Vec<u32>>,
    members: Vec<KnownMembers>,
    groups: usize,
}

/// The members of a key, and those that are added.
struct KnownMembers {
    all: Vec<Member>,
    ids: HashMap<Member, u32>,
    of_lines: usize,
}

impl KnownMembers {
    fn new(members: &Members) -> KnownMembers {
        let all: Vec<Member> =
            (0..members.len() as u32).map(|id| members.member(MemberId(id)).into_owned()).collect();
        let ids = all.iter().cloned().zip(0..).collect();
        KnownMembers { of_lines: all.len(), all, ids }
    }

    fn id(&mut self, member: &Member) -> u32 {
        if let Some(id) = self.ids.get(member) {
            return *id;
        }
        let id = self.all.len() as u32;
        self.all.push(member.clone());
        self.ids.insert(member.clone(), id);
        id
    }

    fn period(&self, id: u32) -> Option<Period> {
        match self.all[id as usize] {
            Member::Period(period) => Some(period),
            _ => None,
        }
    }
}

impl Keys {
    fn new(plan: &Plan, leaves: &LeafGroups) -> Keys {
        let (mut of_groups, mut members) = (Vec::new(), Vec::new());
        for side in AxisSide::BOTH {
            let paths = side.pick(&leaves.rows, &leaves.columns);
            for level in 0..paths.levels.len() {
                let of_paths = paths.members_at(level);
                let member = |(row, column): &(u32, u32)| of_paths[side.pick(*row, *column) as usize];
                of_groups.push(leaves.groups.pairs().iter().map(member).collect());
                members.push(KnownMembers::new(&paths.members[level]));
            }
        }
        Keys { rows: plan.rows.len(), of_groups, members, groups: leaves.groups.len() }
    }

    fn place(&self, spot: Spot) -> usize {
        match spot.side {
            AxisSide::Rows => spot.level - 1,
            AxisSide::Columns => self.rows + spot.level - 1,
        }
    }

    /// A group for each combination of members that some keys have.
    fn distinct(&self, keys: &[usize]) -> Vec<usize> {
        let mut numbers = vec![0; self.groups];
        let mut next = Vec::new();
        for key in keys {
            PairTable::default().intern(&numbers, &self.of_groups[*key], &mut next);
            std::mem::swap(&mut numbers, &mut next);
        }
        let mut seen = HashSet::new();
        (0..self.groups).filter(|group| seen.insert(numbers[*group])).collect()
    }

    /// The combinations of members that the lines have, and those that are listed.
    fn combinations(&mut self, keys: &[usize], listed: &[Vec<Member>]) -> Vec<Vec<u32>> {
        let own = |group: usize| keys.iter().map(|key| self.of_groups[*key][group]).collect::<Vec<u32>>();
        let mut all: Vec<Vec<u32>> = self.distinct(keys).into_iter().map(own).collect();
        if let [key] = keys {
            // A tier that no member is in is a tier.
            let tiers = self.members[*key].all.iter().zip(0..);
            all.extend(tiers.filter(|(m, _)| matches!(m, Member::Tier(..))).map(|(_, id)| vec![id]));
        }
        for members in listed {
            all.push(keys.iter().zip(members).map(|(key, member)| self.members[*key].id(member)).collect());
        }
        let mut seen = HashSet::new();
        all.retain(|own| seen.insert(own.clone()));
        all
    }

    /// The periods of every day from the first to the last, and the blank of lines without a day.
    fn calendar(
        &mut self,
        keys: &[usize],
        parts: &[DatePart],
        (first, last): (Option<i32>, Option<i32>),
    ) -> Vec<Vec<u32>> {
        let of_lines = self.days_of_lines(keys);
        let days = match (first.or(of_lines.map(|days| days.0)), last.or(of_lines.map(|days| days.1))) {
            (Some(first), Some(last)) => first..=last,
            _ if parts.iter().all(|part| part.is_cyclic()) => ANY_YEAR,
            _ => return Vec::new(),
        };
        let blank = |group: &usize| {
            keys.iter().all(|key| self.members[*key].period(self.of_groups[*key][*group]).is_none())
        };
        let undated = self.distinct(keys).into_iter().find(blank);
        let mut all: Vec<Vec<u32>> = undated
            .into_iter()
            .map(|group| keys.iter().map(|key| self.of_groups[*key][group]).collect())
            .collect();
        let (mut seen, mut latest) = (HashSet::new(), Vec::new());
        for day in days {
            let periods: Vec<Period> = parts.iter().filter_map(|part| Period::of(*part, day)).collect();
            if periods.len() == parts.len() && periods != latest && seen.insert(periods.clone()) {
                let id = |(key, period): (&usize, &Period)| self.members[*key].id(&Member::Period(*period));
                all.push(keys.iter().zip(&periods).map(id).collect());
            }
            latest = periods;
        }
        all
    }

    /// The first and the last day that the running periods of the lines allow.
    fn days_of_lines(&self, keys: &[usize]) -> Option<(i32, i32)> {
        let days = |group: usize| {
            let period = |key: &usize| self.members[*key].period(self.of_groups[*key][group]);
            let running = keys.iter().filter_map(period).filter_map(Period::ends);
            running.reduce(|a, b| (a.0.max(b.0), a.1.min(b.1)))
        };
        let met = self.distinct(keys).into_iter().filter_map(days);
        met.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    }

    /// Every combination that gets a cell, key by key: of what occurs in the keys that are not filled, and of the sets
    /// of those that are.
    fn product(
        &self,
        others: &[usize],
        met: &[usize],
        filled: &[Vec<usize>],
        sets: &[Vec<Vec<u32>>],
    ) -> Vec<Vec<u32>> {
        let mut product = vec![Vec::new(); self.of_groups.len()];
        let sizes: Vec<usize> = sets.iter().map(Vec::len).collect();
        let each: usize = sizes.iter().product();
        for key in others {
            let member = |group: &usize| std::iter::repeat_n(self.of_groups[*key][*group], each);
            product[*key] = met.iter().flat_map(member).collect();
        }
        for (place, (keys, set)) in filled.iter().zip(sets).enumerate() {
            let inner: usize = sizes[place + 1..].iter().product();
            for (part, key) in keys.iter().enumerate() {
                let one = || set.iter().flat_map(|members| std::iter::repeat_n(members[part], inner));
                product[*key] =
                    (0..met.len() * each / (set.len() * inner).max(1)).flat_map(|_| one()).collect();
            }
        }
        product
    }

    /// Lets the axes know the members that were added.
    fn name(self, leaves: &mut LeafGroups) {
        for (key, members) in self.members.into_iter().enumerate() {
            if members.all.len() > members.of_lines {
                let (axis, level) = if key < self.rows {
                    (&mut leaves.rows, key)
                } else {
                    (&mut leaves.columns, key - self.rows)
                };
                axis.members[level] = Members::new(members.all);
            }
        }
    }
}

/// The path of each combination along an axis, new ones among them.
fn add_paths(paths: &mut AxisPaths, members: &[Vec<u32>], count: usize) -> Vec<u32> {
    let (mut path, mut next) = (vec![0; count], Vec::new());
    for (level, members) in paths.levels.iter_mut().zip(members) {
        level.intern(&path, members, &mut next);
        std::mem::swap(&mut path, &mut next);
    }
    path
}

fn too_many(plan: &Plan, sets: &[Vec<Vec<u32>>], met: usize, cells: usize) -> Error {
    let name = |fill: &PlannedFill| {
        fill.spots.iter().map(|spot| plan.dimension_at(*spot).name.as_str()).collect::<Vec<_>>().join(", ")
    };
    let each = plan.fills.iter().zip(sets);
    let each: Vec<String> =
        each.map(|(fill, set)| format!("{} has {}", name(fill), with_thousands(set.len() as u64))).collect();
    let message = format!(
        "{} cells would be filled, and {} are the most: {}, and the other dimensions have {}; fill fewer of them",
        with_thousands(cells as u64),
        with_thousands(MOST_CELLS as u64),
        each.join(", "),
        with_thousands(met as u64)
    );
    Error::request("fill", message)
}
