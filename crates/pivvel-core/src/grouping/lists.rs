//! All values of every group, for quantiles. They are kept as numbers of 64 bits where that is wide enough, and a group
//! that is made of other groups refers to their values: all grains share those of the leaves.

use std::sync::Arc;

use super::pairs::NOWHERE;
use crate::model::{Decimal, Type, Value};

#[derive(Debug, Clone, Default)]
pub(super) struct Lists {
    /// The values that lines brought, by group.
    own: Arc<Vec<List>>,
    /// Lists of other groups that are part of a group: which of the pools, and which list there.
    parts: Vec<Vec<(u32, u32)>>,
    pools: Vec<Arc<Vec<List>>>,
    /// Values in all of its own lists.
    values: usize,
    /// Lists of other groups that are part of its groups.
    shared: usize,
}

/// Values as numbers in the same order.
#[derive(Debug, Clone)]
enum List {
    Narrow(Vec<i64>),
    Wide(Vec<i128>),
}

impl Default for List {
    fn default() -> List {
        List::Narrow(Vec::new())
    }
}

impl List {
    fn len(&self) -> usize {
        match self {
            List::Narrow(keys) => keys.len(),
            List::Wide(keys) => keys.len(),
        }
    }

    fn push(&mut self, key: i128) {
        match (&mut *self, i64::try_from(key)) {
            (List::Narrow(keys), Ok(key)) => keys.push(key),
            (List::Wide(keys), _) => keys.push(key),
            (List::Narrow(keys), Err(_)) => {
                let wide = keys.iter().map(|key| i128::from(*key)).chain([key]);
                *self = List::Wide(wide.collect());
            }
        }
    }

    fn extend(&mut self, other: &List) {
        match (&mut *self, other) {
            (List::Narrow(keys), List::Narrow(more)) => keys.extend_from_slice(more),
            (_, List::Narrow(more)) => more.iter().for_each(|key| self.push((*key).into())),
            (_, List::Wide(more)) => more.iter().for_each(|key| self.push(*key)),
        }
    }
}

impl Lists {
    pub(super) fn resize(&mut self, groups: usize) {
        if self.own.len() != groups {
            Arc::make_mut(&mut self.own).resize_with(groups, List::default);
        }
        self.parts.resize(groups, Vec::new());
    }

    /// About how many bytes the values take. Lists double when they are full, so they have room for half as many more.
    pub(super) fn bytes(&self) -> usize {
        let group = size_of::<List>() + size_of::<Vec<(u32, u32)>>();
        self.own.len() * group + (self.values + self.shared) * size_of::<i64>() * 3 / 2
    }

    /// Takes what `each` gives: groups with a value.
    pub(super) fn take(&mut self, each: impl FnOnce(&mut dyn FnMut(usize, Value))) {
        let (own, taken) = (Arc::make_mut(&mut self.own), &mut self.values);
        each(&mut |group, value| {
            own[group].push(key(value));
            *taken += 1;
        });
    }

    /// Takes all lists of others into groups of its own, by reference.
    pub(super) fn merge(&mut self, theirs: &Lists, into: &[u32]) {
        let mut pool = |other: &Arc<Vec<List>>| {
            let known = self.pools.iter().position(|known| Arc::ptr_eq(known, other));
            known.unwrap_or_else(|| {
                self.pools.push(Arc::clone(other));
                self.pools.len() - 1
            }) as u32
        };
        let pools: Vec<u32> = theirs.pools.iter().map(&mut pool).collect();
        let own = pool(&theirs.own);
        for (group, target) in into.iter().enumerate().filter(|(_, target)| **target != NOWHERE) {
            let parts = &mut self.parts[*target as usize];
            let before = parts.len();
            if theirs.own[group].len() > 0 {
                parts.push((own, group as u32));
            }
            parts.extend(theirs.parts[group].iter().map(|(place, list)| (pools[*place as usize], *list)));
            self.shared += parts.len() - before;
        }
    }

    /// How many values a group has.
    pub(super) fn len(&self, group: usize) -> usize {
        self.lists_of(group).map(List::len).sum()
    }

    /// Of a group's values in order the one at a place and the next one; the last one twice.
    pub(super) fn two_at(&self, group: usize, place: usize, ty: Type) -> [Value; 2] {
        match self.gathered(group) {
            List::Narrow(mut keys) => two(&mut keys, place).map(|key| value(key.into(), ty)),
            List::Wide(mut keys) => two(&mut keys, place).map(|key| value(key, ty)),
        }
    }

    /// A group's values in order.
    pub(super) fn sorted(&self, group: usize, ty: Type) -> Vec<Value> {
        match self.gathered(group) {
            List::Narrow(mut keys) => {
                keys.sort_unstable();
                keys.into_iter().map(|key| value(key.into(), ty)).collect()
            }
            List::Wide(mut keys) => {
                keys.sort_unstable();
                keys.into_iter().map(|key| value(key, ty)).collect()
            }
        }
    }

    fn gathered(&self, group: usize) -> List {
        let mut all = List::Narrow(Vec::with_capacity(self.len(group)));
        self.lists_of(group).for_each(|list| all.extend(list));
        all
    }

    fn lists_of(&self, group: usize) -> impl Iterator<Item = &List> {
        let others = self.parts[group].iter().map(|(pool, list)| &self.pools[*pool as usize][*list as usize]);
        std::iter::once(&self.own[group]).chain(others)
    }
}

fn two<T: Ord + Copy>(keys: &mut [T], place: usize) -> [T; 2] {
    let (_, at, above) = keys.select_nth_unstable(place);
    [*at, above.iter().min().copied().unwrap_or(*at)]
}

/// A number that is in the same order as the values of one type.
fn key(value: Value) -> i128 {
    match value {
        Value::Exact(number) => number.digits,
        Value::Date(day) => day.into(),
        Value::Float(value) => ordered((value + 0.0).to_bits() as i64).into(),
    }
}

fn value(key: i128, ty: Type) -> Value {
    match ty {
        Type::Float => Value::Float(f64::from_bits(ordered(key as i64) as u64)),
        Type::Day => Value::Date(key as i32),
        ty => Value::Exact(Decimal::new(key, ty.scale())),
    }
}

/// The bits of a float as a number in the order of floats, and back.
fn ordered(bits: i64) -> i64 {
    bits ^ ((bits >> 63) & i64::MAX)
}
