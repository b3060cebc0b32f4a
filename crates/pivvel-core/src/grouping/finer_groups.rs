//! Groups that are finer than the cells, once all lines are read: those of fewer cells, and what is made of them.

use std::sync::Arc;

use super::key_sets::KeySets;
use super::pairs::{NOWHERE, PairTable};
use super::spec::Aggregate;
use super::states::{FinerGroups, States};
use crate::aggregates::Function;
use crate::formula::{Evaluate, Numbers, Texts, TypedExpr, Values, evaluate};
use crate::model::{CellValues, Digits, Overflow, Type};

impl FinerGroups {
    /// Those of pairs of group and key.
    pub(super) fn of_pairs(
        pairs: Vec<(u32, u32)>,
        states: States,
        blank_keys: Arc<Vec<bool>>,
    ) -> FinerGroups {
        let unique = are_unique(&pairs, blank_keys.len());
        FinerGroups::new(pairs, unique, states, blank_keys)
    }

    /// Keys that are counted and nothing else. Where each is in one group, fewer groups do not need another set.
    pub(super) fn of_sets(sets: KeySets, states: States, blank_keys: Arc<Vec<bool>>) -> FinerGroups {
        match sets.as_pairs().filter(|pairs| are_unique(pairs, blank_keys.len())) {
            Some(pairs) => FinerGroups::new(pairs.to_vec(), true, states, blank_keys),
            None => {
                FinerGroups { sets: Some(sets), ..FinerGroups::new(Vec::new(), true, states, blank_keys) }
            }
        }
    }

    fn new(pairs: Vec<(u32, u32)>, unique: bool, states: States, blank_keys: Arc<Vec<bool>>) -> FinerGroups {
        let (groups, keys): (Vec<u32>, Vec<u32>) = pairs.into_iter().unzip();
        FinerGroups { groups, keys: Arc::new(keys), unique, states: Arc::new(states), blank_keys, sets: None }
    }

    /// The finer groups of fewer groups; see [`States::merged`].
    pub(super) fn merged(&self, into: &[u32], count: usize) -> Result<FinerGroups, Overflow> {
        let room = (count, self.blank_keys.len());
        if let Some(sets) = &self.sets {
            let states = States::of(std::iter::empty());
            return Ok(FinerGroups::of_sets(sets.merged(into, room), states, self.blank_keys.clone()));
        }
        if self.unique && !into.contains(&NOWHERE) {
            let groups = self.groups.iter().map(|group| into[*group as usize]).collect();
            let (keys, states) = (self.keys.clone(), self.states.clone());
            let blank_keys = self.blank_keys.clone();
            return Ok(FinerGroups { groups, keys, unique: true, states, blank_keys, sets: None });
        }
        let most = self.groups.len().min(room.0.saturating_mul(room.1));
        let mut merged = PairTable::with_room(room, most).by_row();
        let number = |(group, key): (&u32, &u32)| match into[*group as usize] {
            NOWHERE => NOWHERE,
            group => merged.number(group, *key),
        };
        let targets: Vec<u32> = self.groups.iter().zip(&*self.keys).map(number).collect();
        let states = self.states.merged(&targets, merged.len())?;
        Ok(FinerGroups::of_pairs(merged.into_pairs(), states, self.blank_keys.clone()))
    }

    /// How many keys each group has, blank ones left out.
    pub(super) fn keys(&self, groups: usize) -> Vec<u64> {
        if let Some(sets) = &self.sets {
            return sets.counts(groups, &self.blank_keys);
        }
        let mut counts = vec![0; groups];
        for (group, key) in self.groups.iter().zip(&*self.keys) {
            counts[*group as usize] += u64::from(!self.blank_keys[*key as usize]);
        }
        counts
    }

    /// What an aggregate gives of what a formula gives in the finer groups of each group; blanks are left out.
    pub(super) fn nested(
        &self,
        function: Function,
        formula: &TypedExpr<Aggregate>,
        groups: usize,
    ) -> Result<CellValues, Overflow> {
        let values = evaluate(formula, &mut Inner(&self.states))?;
        if let Some(digits) = values.digits().filter(|_| function.needs.values_are_enough()) {
            return self.of_digits(function, digits, groups);
        }
        let (order, ends) = self.by_group(groups);
        let (mut first, mut given) = (0, Vec::new());
        let each = ends.into_iter().map(|end| {
            given.clear();
            given.extend(order[first..end].iter().filter_map(|finer| values.get(*finer as usize)));
            first = end;
            function.of_values(&given)
        });
        CellValues::try_collect(groups, each)
    }

    /// The same of digits: every finer group is taken as if it were a line.
    fn of_digits(
        &self,
        function: Function,
        digits: Digits<'_>,
        groups: usize,
    ) -> Result<CellValues, Overflow> {
        let ty = Type::Exact { scale: digits.scale };
        let mut states = States::of([(ty, function.needs)].into_iter());
        states.resize(groups);
        states.take(&self.groups, &[(Numbers::of_digits(digits), None)]).map_err(|_| Overflow)?;
        states.finish(&Aggregate::Of { function, value: 0 })
    }

    /// The finer groups in the order of the groups that they are part of, and where those of each group end.
    fn by_group(&self, groups: usize) -> (Vec<u32>, Vec<usize>) {
        let mut ends = vec![0; groups];
        self.groups.iter().for_each(|group| ends[*group as usize] += 1);
        let mut before = 0;
        for end in &mut ends {
            (*end, before) = (before, before + *end);
        }
        let mut order = vec![0; self.groups.len()];
        for (group, finer) in self.groups.iter().zip(0..) {
            let next = &mut ends[*group as usize];
            order[*next] = finer;
            *next += 1;
        }
        (order, ends)
    }
}

/// Whether no key, of which there are so many, is in two of these pairs of group and key.
fn are_unique(pairs: &[(u32, u32)], keys: usize) -> bool {
    let mut seen = vec![false; keys];
    pairs.iter().all(|(_, key)| !std::mem::replace(&mut seen[*key as usize], true))
}

/// The finer groups as cells that a formula runs over.
struct Inner<'a>(&'a States);

impl Evaluate for Inner<'_> {
    type Leaf = Aggregate;
    type Error = Overflow;

    fn cells(&self) -> usize {
        self.0.len()
    }

    fn values(&mut self, leaf: &Aggregate) -> Result<Values, Overflow> {
        self.0.finish(leaf).map(Arc::new)
    }

    fn texts(&mut self, _: &Aggregate) -> Result<Texts, Overflow> {
        Ok(Arc::new(vec![None; self.0.len()]))
    }

    fn divided_by_zero(&mut self, _: usize) {}
}
