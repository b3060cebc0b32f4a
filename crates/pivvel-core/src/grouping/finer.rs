//! Groups that are finer than the cells: by keys that stand in no layout, as clients do in
//! `mean(sum(amount) per client)` and `distinct(client)`.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch};

use super::filter::keep;
use super::finer_table::{FinerTable, GroupPaths};
use super::key_sets::KeySets;
use super::keys::KeyScan;
use super::spec::{Finer, LineValue};
use super::states::{FinerGroups, States};
use crate::error::{Error, Result};
use crate::formula::{Entries, Evaluation, LineFormula, Numbers};
use crate::model::Overflow;

/// Finer groups of one set of keys while lines are read.
#[derive(Debug, Clone)]
pub(super) struct FinerScan {
    pub(super) filter: Option<LineFormula>,
    pub(super) values: Vec<LineValue>,
    pub(super) keys: KeyScan,
    pub(super) table: FinerTable,
    pub(super) states: States,
    pub(super) finer: Vec<FinerScan>,
    pub(super) numbers: Vec<u32>,
    /// The keys of each group, where these are counted and nothing else: then there are no pairs.
    pub(super) sets: Option<KeySets>,
    entries: Entries,
}

impl FinerScan {
    pub(super) fn new(finer: &Finer) -> FinerScan {
        FinerScan {
            filter: finer.filter.clone(),
            values: finer.values.clone(),
            keys: KeyScan::new(&finer.keys),
            table: FinerTable::default(),
            states: States::new(&finer.values),
            finer: finer.finer.iter().map(FinerScan::new).collect(),
            numbers: Vec::new(),
            sets: finer.is_counted().then(KeySets::default),
            entries: Entries::default(),
        }
    }

    /// Takes the lines of a batch, whose groups are known, and where these stand.
    pub(super) fn take(&mut self, batch: &RecordBatch, paths: GroupPaths<'_>, groups: &[u32]) -> Result<u64> {
        let Some(filter) = &self.filter else { return self.take_all(batch, paths, groups) };
        let mut evaluation = Evaluation::after(std::mem::take(&mut self.entries), batch);
        let (holds, _) = evaluation.holds(filter).map_err(|_| Error::overflow("where"))?;
        let divisions = evaluation.zero_divisions;
        self.entries = evaluation.entries;
        let kept: Vec<u32> = holds.set_indices().map(|line| groups[line]).collect();
        match kept.is_empty() {
            true => Ok(divisions),
            false => Ok(divisions + self.take_all(&keep(batch, holds)?, paths, &kept)?),
        }
    }

    fn take_all(&mut self, batch: &RecordBatch, paths: GroupPaths<'_>, groups: &[u32]) -> Result<u64> {
        let mut evaluation = Evaluation::after(std::mem::take(&mut self.entries), batch);
        self.keys.follow(&mut evaluation, batch.num_rows())?;
        if self.number(paths, groups) {
            self.states.resize(self.table.len());
            let taken = self.states.take(&self.numbers, &numbers(&self.values, &mut evaluation)?);
            taken.map_err(|value| Error::overflow(&self.values[value].name))?;
        }
        let mut divisions = evaluation.zero_divisions;
        self.entries = evaluation.entries;
        for finer in &mut self.finer {
            divisions += finer.take(batch, self.table.paths(), &self.numbers)?;
        }
        Ok(divisions)
    }

    /// Numbers the finer groups of lines whose keys were followed last, unless keys are counted and nothing else: then they
    /// are put into their sets.
    fn number(&mut self, paths: GroupPaths<'_>, groups: &[u32]) -> bool {
        let (keys, count) = (self.keys.path(), self.keys.paths());
        match &mut self.sets {
            Some(sets) => {
                sets.insert(groups.iter().copied().zip(keys.iter().copied()), (paths.len(), count));
            }
            None => self.table.intern(paths, groups, (keys, count), &mut self.numbers),
        }
        self.sets.is_none()
    }

    /// About how many bytes the finer groups take.
    pub(super) fn bytes(&self) -> usize {
        let own = self.keys.bytes() + self.table.bytes() + self.states.bytes();
        let own = own + self.sets.as_ref().map_or(0, KeySets::bytes);
        own + self.finer.iter().map(FinerScan::bytes).sum::<usize>()
    }

    /// How many finer groups there are.
    pub(super) fn groups(&self) -> usize {
        let own = self.sets.as_ref().map_or(self.table.len(), KeySets::len);
        own + self.finer.iter().map(FinerScan::groups).sum::<usize>()
    }

    /// Every key with its number of members so far.
    pub(super) fn members(&self) -> Vec<(String, usize)> {
        self.keys.members().chain(self.finer.iter().flat_map(FinerScan::members)).collect()
    }

    /// Takes what another scan of the same keys has found, whose groups, and their rows and columns, are called here as is
    /// named for them; `last` is as for [`Coder::absorb`](crate::lines::Coder::absorb).
    pub(super) fn absorb(
        &mut self,
        other: FinerScan,
        groups: &[u32],
        (rows, columns): (&[u32], &[u32]),
        last: Option<usize>,
    ) -> Result<(), Overflow> {
        let keys = self.keys.absorb(other.keys, last);
        if let (Some(mine), Some(theirs)) = (&mut self.sets, &other.sets) {
            let room = (groups.iter().max().map_or(0, |high| *high as usize + 1), self.keys.paths());
            mine.insert(theirs.each().map(|(group, key)| (groups[group as usize], keys[key as usize])), room);
            return Ok(());
        }
        let (keyed, numbers) = self.table.absorb(&other.table, (rows, columns), &keys);
        self.states.resize(self.table.len());
        self.states.absorb(&other.states, &numbers)?;
        let mut finer = self.finer.iter_mut().zip(other.finer);
        finer.try_for_each(|(mine, theirs)| mine.absorb(theirs, &numbers, (&keyed, columns), last))
    }

    /// Takes rows of states whose groups and keys are known; `path` leads to finer groups of these.
    pub(super) fn absorb_rows(
        &mut self,
        paths: GroupPaths<'_>,
        groups: &[u32],
        path: &[usize],
        keys: &[ArrayRef],
        states: &States,
    ) -> Result<()> {
        let (own, deeper) = keys.split_at(self.keys.len());
        self.keys.follow_members(own, groups.len())?;
        if !self.number(paths, groups) {
            return Ok(());
        }
        self.states.resize(self.table.len());
        match path {
            [] => {
                self.states.absorb(states, &self.numbers).map_err(|_| Error::overflow("a sum over the lines"))
            }
            [place, path @ ..] => {
                let paths = self.table.paths();
                self.finer[*place].absorb_rows(paths, &self.numbers, path, deeper, states)
            }
        }
    }

    /// The group and the key of every finer group, with its states. Of keys that are counted each stands for a line.
    pub(super) fn each(&self, paths: GroupPaths<'_>) -> (Vec<(u32, u32)>, Cow<'_, States>) {
        let Some(sets) = &self.sets else { return (self.table.pairs(paths), Cow::Borrowed(&self.states)) };
        let pairs: Vec<(u32, u32)> = sets.each().collect();
        let mut states = self.states.clone();
        states.resize(pairs.len());
        states.totals.count(&(0..pairs.len() as u32).collect::<Vec<_>>());
        (pairs, Cow::Owned(states))
    }

    pub(super) fn finish(self, paths: GroupPaths<'_>) -> FinerGroups {
        let blank_keys = Arc::new(self.keys.blank_paths());
        let finer = self.finer.into_iter().map(|finer| finer.finish(self.table.paths())).collect();
        let states = self.states.with_finer(finer);
        match self.sets {
            Some(sets) => FinerGroups::of_sets(sets, states, blank_keys),
            None => FinerGroups::of_pairs(self.table.pairs(paths), states, blank_keys),
        }
    }
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
