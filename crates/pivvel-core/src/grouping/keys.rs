//! Keys of lines to paths: the members of each key, and which combinations of them occur.

use arrow_array::ArrayRef;

use super::pairs::PairTable;
use super::spec::Key;
use crate::error::{Error, Result};
use crate::formula::{Evaluation, LineFormula};
use crate::lines::{Coder, MemberId, Members};

/// Keys while lines are read.
#[derive(Debug, Clone)]
pub(super) struct KeyScan {
    names: Vec<String>,
    formulas: Vec<LineFormula>,
    pub(super) coders: Vec<Coder>,
    pub(super) levels: Vec<PairTable>,
    codes: Vec<u32>,
    path: Vec<u32>,
    next: Vec<u32>,
}

/// The paths that occur along a list of keys, level by level.
#[derive(Debug, Clone)]
pub(crate) struct AxisPaths {
    /// Members of each key.
    pub(crate) members: Vec<Members>,
    /// For each level below the total: parent path and member code of every path.
    pub(crate) levels: Vec<PairTable>,
}

impl KeyScan {
    pub(super) fn new(keys: &[Key]) -> KeyScan {
        let coder = |key: &Key| {
            let (kind, part) = key.kind();
            Coder::new(kind, part)
        };
        KeyScan {
            names: keys.iter().map(|key| key.name.clone()).collect(),
            formulas: keys.iter().map(|key| key.formula.clone()).collect(),
            coders: keys.iter().map(coder).collect(),
            levels: vec![PairTable::default(); keys.len()],
            codes: Vec::new(),
            path: Vec::new(),
            next: Vec::new(),
        }
    }

    /// Numbers the path of every line of the batch.
    pub(super) fn follow(&mut self, evaluation: &mut Evaluation<'_>, lines: usize) -> Result<()> {
        self.path.clear();
        self.path.resize(lines, 0);
        for (i, level) in self.levels.iter_mut().enumerate() {
            let array = evaluation.array(&self.formulas[i]).map_err(|_| Error::overflow(&self.names[i]))?;
            self.coders[i].code(&array, &mut self.codes)?;
            level.number(&self.path, &self.codes, &mut self.next);
            std::mem::swap(&mut self.path, &mut self.next);
        }
        Ok(())
    }

    /// The deepest paths here of those that another scan of the same keys has met, by its paths.
    pub(super) fn absorb(&mut self, other: &KeyScan) -> Vec<u32> {
        let mut paths = vec![0];
        for (i, level) in self.levels.iter_mut().enumerate() {
            let codes = self.coders[i].absorb(&other.coders[i]);
            paths = level.absorb(&other.levels[i], &paths, &codes);
        }
        paths
    }

    /// Numbers the path of every row of members that are known.
    pub(super) fn follow_members(&mut self, members: &[ArrayRef], rows: usize) -> Result<()> {
        self.path.clear();
        self.path.resize(rows, 0);
        for (i, level) in self.levels.iter_mut().enumerate() {
            self.coders[i].code(&members[i], &mut self.codes)?;
            level.number(&self.path, &self.codes, &mut self.next);
            std::mem::swap(&mut self.path, &mut self.next);
        }
        Ok(())
    }

    /// How many keys there are.
    pub(super) fn len(&self) -> usize {
        self.levels.len()
    }

    /// The path of each line that was followed last.
    pub(super) fn path(&self) -> &[u32] {
        &self.path
    }

    /// About how many bytes the keys take.
    pub(super) fn bytes(&self) -> usize {
        let coders = self.coders.iter().map(Coder::bytes).sum::<usize>();
        coders + self.levels.iter().map(PairTable::bytes).sum::<usize>()
    }

    /// Every key with its number of members so far.
    pub(super) fn members(&self) -> impl Iterator<Item = (String, usize)> {
        self.names.iter().cloned().zip(self.coders.iter().map(Coder::len))
    }

    pub(super) fn finish(self) -> AxisPaths {
        AxisPaths {
            members: self.coders.into_iter().map(|coder| Members::new(coder.into_members())).collect(),
            levels: self.levels,
        }
    }
}

impl AxisPaths {
    /// Which deepest paths have a blank member somewhere.
    pub(super) fn blank_paths(&self) -> Vec<bool> {
        let mut blank = vec![false];
        for (level, members) in self.levels.iter().zip(&self.members) {
            let is_blank = |(parent, member): &(u32, u32)| {
                blank[*parent as usize] || members.is_blank(MemberId(*member))
            };
            blank = level.pairs().iter().map(is_blank).collect();
        }
        blank
    }

    /// The member of every deepest path at one level, from 0.
    pub(crate) fn members_at(&self, level: usize) -> Vec<u32> {
        let mut members: Vec<u32> = self.levels[level].pairs().iter().map(|(_, member)| *member).collect();
        for deeper in &self.levels[level + 1..] {
            members = deeper.pairs().iter().map(|(parent, _)| members[*parent as usize]).collect();
        }
        members
    }

    /// How many deepest paths there are.
    pub(crate) fn len(&self) -> usize {
        self.levels.last().map_or(1, PairTable::len)
    }
}
