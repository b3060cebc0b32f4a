//! Groups that are finer than the cells: by keys that stand in no layout, as clients do in
//! `mean(sum(amount) per client)` and `distinct(client)`.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch};

use super::filter::keep;
use super::key_sets::KeySets;
use super::keys::KeyScan;
use super::pairs::NOWHERE;
use super::pairs::PairTable;
use super::spec::{Aggregate, Finer, LineValue};
use super::states::FinerGroups;
use super::states::States;
use crate::error::{Error, Result};
use crate::formula::{Evaluate, Evaluation, LineFormula, Numbers, Texts, TypedExpr, Values, evaluate};
use crate::model::{Overflow, Value};

/// Finer groups of one set of keys while lines are read.
#[derive(Debug, Clone)]
pub(super) struct FinerScan {
    pub(super) filter: Option<LineFormula>,
    pub(super) values: Vec<LineValue>,
    pub(super) keys: KeyScan,
    pub(super) pairs: PairTable,
    pub(super) states: States,
    pub(super) finer: Vec<FinerScan>,
    pub(super) numbers: Vec<u32>,
    /// The keys of each group, where these are counted and nothing else: then there are no pairs.
    pub(super) sets: Option<KeySets>,
}

impl FinerScan {
    pub(super) fn new(finer: &Finer) -> FinerScan {
        FinerScan {
            filter: finer.filter.clone(),
            values: finer.values.clone(),
            keys: KeyScan::new(&finer.keys),
            pairs: PairTable::default(),
            states: States::new(&finer.values),
            finer: finer.finer.iter().map(FinerScan::new).collect(),
            numbers: Vec::new(),
            sets: finer.is_counted().then(KeySets::default),
        }
    }

    /// Takes the lines of a batch, whose groups are known; there are `count` of these.
    pub(super) fn take(&mut self, batch: &RecordBatch, groups: &[u32], count: usize) -> Result<u64> {
        let Some(filter) = &self.filter else { return self.take_all(batch, groups, count) };
        let mut evaluation = Evaluation::new(batch);
        let (holds, _) = evaluation.holds(filter).map_err(|_| Error::overflow("where"))?;
        let divisions = evaluation.zero_divisions;
        let kept: Vec<u32> =
            groups.iter().zip(&holds).filter(|(_, holds)| **holds).map(|(g, _)| *g).collect();
        match kept.is_empty() {
            true => Ok(divisions),
            false => Ok(divisions + self.take_all(&keep(batch, &holds)?, &kept, count)?),
        }
    }

    fn take_all(&mut self, batch: &RecordBatch, groups: &[u32], count: usize) -> Result<u64> {
        let mut evaluation = Evaluation::new(batch);
        self.keys.follow(&mut evaluation, batch.num_rows())?;
        let pairs = groups.iter().copied().zip(self.keys.path().iter().copied());
        if let Some(sets) = &mut self.sets {
            sets.insert(pairs, (count, self.keys.paths()));
            return Ok(evaluation.zero_divisions);
        }
        self.pairs.intern_within(pairs, (count, self.keys.paths()), &mut self.numbers);
        self.states.resize(self.pairs.len());
        update(&mut self.states, &self.values, &mut evaluation, &self.numbers)?;
        let mut divisions = evaluation.zero_divisions;
        for finer in &mut self.finer {
            divisions += finer.take(batch, &self.numbers, self.pairs.len())?;
        }
        Ok(divisions)
    }

    /// About how many bytes the finer groups take.
    pub(super) fn bytes(&self) -> usize {
        let own = self.keys.bytes() + self.pairs.bytes() + self.states.bytes();
        let own = own + self.sets.as_ref().map_or(0, KeySets::bytes);
        own + self.finer.iter().map(FinerScan::bytes).sum::<usize>()
    }

    /// How many finer groups there are.
    pub(super) fn groups(&self) -> usize {
        let own = self.sets.as_ref().map_or(self.pairs.len(), KeySets::len);
        own + self.finer.iter().map(FinerScan::groups).sum::<usize>()
    }

    /// Every key with its number of members so far.
    pub(super) fn members(&self) -> Vec<(String, usize)> {
        self.keys.members().chain(self.finer.iter().flat_map(FinerScan::members)).collect()
    }

    /// Takes what another scan of the same keys has found, whose groups are called here as `groups` says; `last` is as for
    /// [`Coder::absorb`](crate::lines::Coder::absorb).
    pub(super) fn absorb(
        &mut self,
        other: FinerScan,
        groups: &[u32],
        last: Option<usize>,
    ) -> Result<(), Overflow> {
        let keys = self.keys.absorb(other.keys, last);
        if let (Some(mine), Some(theirs)) = (&mut self.sets, &other.sets) {
            let room = (groups.iter().max().map_or(0, |high| *high as usize + 1), self.keys.paths());
            mine.insert(theirs.each().map(|(group, key)| (groups[group as usize], keys[key as usize])), room);
            return Ok(());
        }
        let numbers = self.pairs.absorb(&other.pairs, groups, &keys);
        self.states.resize(self.pairs.len());
        self.states.absorb(&other.states, &numbers)?;
        let mut finer = self.finer.iter_mut().zip(other.finer);
        finer.try_for_each(|(mine, theirs)| mine.absorb(theirs, &numbers, last))
    }

    /// The same as pairs, where there are sets; each pair stands for a line.
    pub(super) fn as_pairs(&self) -> Option<FinerScan> {
        let sets = self.sets.as_ref()?;
        let (groups, keys): (Vec<u32>, Vec<u32>) = sets.each().unzip();
        let mut spread = FinerScan { sets: None, ..self.clone() };
        spread.pairs.intern(&groups, &keys, &mut spread.numbers);
        spread.states.resize(spread.pairs.len());
        spread.states.totals.count(&spread.numbers);
        Some(spread)
    }

    /// The same with the groups called otherwise.
    pub(super) fn moved(&self, into: &[u32]) -> FinerScan {
        if let Some(sets) = &self.sets {
            let sets = sets.merged(into, (into.len(), self.keys.paths()));
            return FinerScan { sets: Some(sets), ..self.clone() };
        }
        let (groups, keys): (Vec<u32>, Vec<u32>) = self.pairs.pairs().iter().copied().unzip();
        let groups: Vec<u32> = groups.into_iter().map(|group| into[group as usize]).collect();
        let (mut pairs, mut numbers) = (PairTable::default(), Vec::new());
        pairs.intern(&groups, &keys, &mut numbers);
        FinerScan { pairs, ..self.clone() }
    }

    /// Takes rows of states whose groups and keys are known; `path` leads to finer groups of these.
    pub(super) fn absorb_rows(
        &mut self,
        groups: &[u32],
        path: &[usize],
        keys: &[ArrayRef],
        states: &States,
    ) -> Result<()> {
        let (own, deeper) = keys.split_at(self.keys.len());
        self.keys.follow_members(own, groups.len())?;
        if let Some(sets) = &mut self.sets {
            let room = (groups.iter().max().map_or(0, |high| *high as usize + 1), self.keys.paths());
            sets.insert(groups.iter().copied().zip(self.keys.path().iter().copied()), room);
            return Ok(());
        }
        self.pairs.intern(groups, self.keys.path(), &mut self.numbers);
        self.states.resize(self.pairs.len());
        match path {
            [] => {
                self.states.absorb(states, &self.numbers).map_err(|_| Error::overflow("a sum over the lines"))
            }
            [place, path @ ..] => self.finer[*place].absorb_rows(&self.numbers, path, deeper, states),
        }
    }

    pub(super) fn finish(self) -> FinerGroups {
        let blank_keys = Arc::new(self.keys.finish(1).blank_paths());
        let finer = self.finer.into_iter().map(FinerScan::finish).collect();
        let (pairs, states) = (self.pairs, self.states.with_finer(finer));
        FinerGroups { pairs, states, blank_keys, sets: self.sets }
    }
}

/// Gives the lines of a batch to the states of their groups.
fn update(
    states: &mut States,
    values: &[LineValue],
    evaluation: &mut Evaluation<'_>,
    groups: &[u32],
) -> Result<()> {
    let numbers = numbers(values, evaluation)?;
    let overflow = |value: usize| Error::overflow(&values[value].name);
    match states.dense_sums(&numbers) {
        Some(columns) => states.totals.take(groups, &columns, 0),
        None => states.add(groups, &numbers).map_err(overflow)?,
    }
    states.update(groups, &numbers).map_err(overflow)
}

/// The numbers of every formula in the lines of a batch, and what decides which of them is first.
pub(super) fn numbers<'a>(
    values: &[LineValue],
    evaluation: &mut Evaluation<'a>,
) -> Result<Vec<(Numbers<'a>, Option<Numbers<'a>>)>> {
    let each = |value: &LineValue| {
        let overflow = |_| Error::overflow(&value.name);
        let numbers = evaluation.numbers(&value.formula).map_err(overflow)?;
        let by = value.by.as_ref().map(|by| evaluation.numbers(by)).transpose().map_err(overflow)?;
        Ok((numbers, by))
    };
    values.iter().map(each).collect()
}

impl FinerGroups {
    /// The finer groups of fewer groups; see [`States::merged`].
    pub(super) fn merged(&self, into: &[u32], groups: usize) -> Result<FinerGroups, Overflow> {
        if let Some(sets) = &self.sets {
            let sets = sets.merged(into, (groups, self.blank_keys.len()));
            let (pairs, states) = (PairTable::default(), self.states.clone());
            return Ok(FinerGroups { pairs, states, blank_keys: self.blank_keys.clone(), sets: Some(sets) });
        }
        let pairs = self.pairs.pairs();
        let target = |(group, key): &(u32, u32)| (into[*group as usize], *key);
        let kept = || pairs.iter().map(target).filter(|(group, _)| *group != NOWHERE);
        let room = (groups, self.blank_keys.len());
        let mut merged = PairTable::with_room(room, pairs.len());
        let mut numbers = Vec::with_capacity(pairs.len());
        merged.intern_within(kept(), room, &mut numbers);
        let mut numbers = numbers.into_iter();
        let mut next = |pair: &(u32, u32)| match target(pair).0 {
            NOWHERE => NOWHERE,
            _ => numbers.next().unwrap_or(NOWHERE),
        };
        let targets: Vec<u32> = pairs.iter().map(&mut next).collect();
        let states = self.states.merged(&targets, merged.len())?;
        Ok(FinerGroups { pairs: merged, states, blank_keys: self.blank_keys.clone(), sets: None })
    }

    /// How many keys each group has, blank ones left out.
    pub(super) fn keys(&self, groups: usize) -> Vec<u64> {
        if let Some(sets) = &self.sets {
            return sets.counts(groups, &self.blank_keys);
        }
        let mut counts = vec![0; groups];
        for (group, key) in self.pairs.pairs() {
            counts[*group as usize] += u64::from(!self.blank_keys[*key as usize]);
        }
        counts
    }

    /// What a formula gives in the finer groups of each group; blanks are left out.
    pub(super) fn lists(
        &self,
        formula: &TypedExpr<Aggregate>,
        groups: usize,
    ) -> Result<Vec<Vec<Value>>, Overflow> {
        let values = evaluate(formula, &mut Inner(&self.states))?;
        let mut lists = vec![Vec::new(); groups];
        for ((group, _), value) in self.pairs.pairs().iter().zip(values.iter()) {
            lists[*group as usize].extend(value);
        }
        Ok(lists)
    }
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
