//! Keys of lines to paths: the members of each key, and which combinations of them occur.

use std::ops::Range;

use arrow_array::cast::AsArray;
use arrow_array::types::Date32Type;
use arrow_array::{Array, ArrayRef};

use super::nest::Nest;
use super::pairs::PairTable;
use super::spec::Key;
use crate::error::{Error, Result};
use crate::formula::{Evaluation, LineFormula, LineLeaf, Step};
use crate::lines::{Coder, Codes, Members};
use crate::model::{DayTable, Kind};

/// Keys while lines are read.
#[derive(Debug, Clone)]
pub(super) struct KeyScan {
    names: Vec<String>,
    formulas: Vec<LineFormula>,
    pub(super) coders: Vec<Coder>,
    pub(super) levels: Vec<PairTable>,
    /// How many of the first keys are one date column or parts of it...
    dated: usize,
    /// ...and the path of each day along these, which is found by one look.
    days: DayTable,
    nest: Nest,
    /// Codes of the lines of a batch, by key.
    pub(super) codes: Vec<Codes>,
    /// The days of these lines, where they tell the first keys and none is blank.
    dates: Option<ArrayRef>,
    path: Vec<u32>,
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
            dated: parts_of_one_date(keys),
            days: DayTable::default(),
            nest: Nest::default(),
            codes: vec![Codes::default(); keys.len()],
            dates: None,
            path: Vec::new(),
        }
    }

    /// Reads the keys of the lines of a batch; their paths are found after that.
    pub(super) fn read(&mut self, evaluation: &mut Evaluation<'_>) -> Result<()> {
        let mut array = |key: usize, scan: &KeyScan| {
            evaluation.array(&scan.formulas[key]).map_err(|_| Error::overflow(&scan.names[key]))
        };
        self.dates = None;
        if self.dated > 0 {
            self.dates = Some(array(0, self)?).filter(|days| days.null_count() == 0);
            self.learn_days();
        }
        for key in self.known()..self.levels.len() {
            let array = array(key, self)?;
            self.coders[key].codes(array, &mut self.codes[key])?;
        }
        Ok(())
    }

    /// Where lines come in the order of time, a batch's last day is often new: then its days get their paths
    /// beforehand.
    fn learn_days(&mut self) {
        let Some(dates) = self.dates.clone() else { return };
        let days = dates.as_primitive::<Date32Type>().values();
        let new = |day: &&i32| self.days.get(**day) == DayTable::NONE;
        if days.first().as_ref().is_some_and(new) || days.last().as_ref().is_some_and(new) {
            for day in days {
                if self.days.get(*day) == DayTable::NONE {
                    self.path_of_day(*day);
                }
            }
        }
    }

    /// How many of the first keys come from days.
    fn known(&self) -> usize {
        if self.dates.is_some() { self.dated } else { 0 }
    }

    /// Numbers the paths of some of the lines that were read.
    pub(super) fn intern(&mut self, lines: Range<usize>) {
        self.at_root(lines.len());
        let known = self.known();
        if let Some(days) = self.dates.clone() {
            self.follow_days(&days.as_primitive::<Date32Type>().values()[lines.clone()]);
        }
        self.deeper(known, lines);
    }

    /// Reads the keys of the lines of a batch and numbers their paths.
    pub(super) fn follow(&mut self, evaluation: &mut Evaluation<'_>, lines: usize) -> Result<()> {
        self.read(evaluation)?;
        self.intern(0..lines);
        Ok(())
    }

    /// Whether the members of all keys of the lines that were read have their codes.
    pub(super) fn coded(&self) -> bool {
        self.known() == 0
    }

    /// Numbers the paths of a few of the lines that were read.
    pub(super) fn number_few(&mut self, lines: &[usize]) {
        let members: Vec<usize> = self.coders.iter().map(Coder::len).collect();
        self.nest.find(&mut self.levels, &self.codes, &members, lines, &mut self.path);
    }

    /// Whether the days of the lines that were read tell their paths.
    pub(super) fn told_by_days(&self) -> bool {
        self.dates.is_some() && self.dated == self.levels.len()
    }

    /// The paths of a few of the lines that were read, whose days tell them.
    pub(super) fn paths_by_days(&mut self, lines: &[usize]) -> Vec<u32> {
        let Some(days) = self.dates.clone() else { return Vec::new() };
        let days = days.as_primitive::<Date32Type>().values();
        lines.iter().map(|line| self.path_of_day(days[*line])).collect()
    }

    /// The days of some of the lines that were read and the paths of days, where these tell them.
    pub(super) fn days_of(&self, lines: Range<usize>) -> Option<(&[i32], &DayTable)> {
        let days = self.dates.as_ref().filter(|_| self.told_by_days())?.as_primitive::<Date32Type>().values();
        Some((&days[lines], &self.days))
    }

    /// The first and the last of the days around one that have its path, where days tell paths.
    pub(super) fn days_beside(&self, day: i32) -> Option<(i32, i32)> {
        self.coders.iter().try_fold((i32::MIN, i32::MAX), |(first, last), coder| {
            let own = coder.days_beside(day)?;
            Some((own.0.max(first), own.1.min(last)))
        })
    }

    /// How many members the deepest key has.
    pub(super) fn deepest(&self) -> usize {
        self.coders.last().map_or(0, Coder::len)
    }

    /// The path before the first key.
    fn at_root(&mut self, lines: usize) {
        if self.levels.is_empty() {
            self.path.clear();
            self.path.resize(lines, 0);
        }
    }

    /// Goes deeper with some lines, from the key named on, whose codes are known.
    fn deeper(&mut self, known: usize, lines: Range<usize>) {
        if known == 0 && self.nest.pays(self.levels.len()) {
            let members: Vec<usize> = self.coders.iter().map(Coder::len).collect();
            return self.nest.follow(&mut self.levels, &self.codes, &members, lines, &mut self.path);
        }
        for key in known..self.levels.len() {
            let parents = key.checked_sub(1).map_or(1, |above| self.levels[above].len());
            let (codes, room) = (&self.codes[key][lines.clone()], (parents, self.coders[key].len()));
            match key {
                0 => self.levels[key].intern_seconds(codes, room.1, &mut self.path),
                _ => self.levels[key].renumber(&mut self.path, codes, room),
            }
        }
    }

    /// Goes all keys deeper that are parts of one date.
    fn follow_days(&mut self, days: &[i32]) {
        self.path.clear();
        self.days.look_up(days, &mut self.path);
        if self.path.iter().copied().max() != Some(DayTable::NONE) {
            return;
        }
        for (line, day) in days.iter().enumerate() {
            if self.path[line] == DayTable::NONE {
                self.path[line] = self.path_of_day(*day);
            }
        }
    }

    /// The path of a day along the keys that are parts of it.
    fn path_of_day(&mut self, day: i32) -> u32 {
        let known = self.days.get(day);
        if known != DayTable::NONE {
            return known;
        }
        let mut path = 0;
        for (coder, level) in self.coders.iter_mut().zip(&mut self.levels).take(self.dated) {
            path = level.number_one(path, coder.code_of_day(day));
        }
        self.days.set(day, path);
        path
    }

    /// The deepest paths here of those that another scan of the same keys has met, by its paths; `last` is as for
    /// [`Coder::absorb`].
    pub(super) fn absorb(&mut self, other: KeyScan, last: Option<usize>) -> Vec<u32> {
        let mut paths = vec![0];
        let own = self.coders.iter_mut().zip(&mut self.levels);
        for ((coder, level), (theirs, pairs)) in own.zip(other.coders.into_iter().zip(other.levels)) {
            let codes = coder.absorb(theirs, last);
            paths = level.absorb(&pairs, &paths, &codes);
        }
        paths
    }

    /// Numbers the path of every row of members that are known.
    pub(super) fn follow_members(&mut self, members: &[ArrayRef], rows: usize) -> Result<()> {
        self.at_root(rows);
        for (key, array) in members.iter().enumerate() {
            self.coders[key].codes(array.clone(), &mut self.codes[key])?;
        }
        self.deeper(0, 0..rows);
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

    /// The same, to be taken for something else until the next lines are followed.
    pub(super) fn path_mut(&mut self) -> &mut Vec<u32> {
        &mut self.path
    }

    /// How many paths there are.
    pub(super) fn paths(&self) -> usize {
        self.levels.last().map_or(1, PairTable::len)
    }

    /// About how many bytes the keys take.
    pub(super) fn bytes(&self) -> usize {
        let coders = self.coders.iter().map(Coder::bytes).sum::<usize>();
        coders
            + self.days.bytes()
            + self.nest.bytes()
            + self.levels.iter().map(PairTable::bytes).sum::<usize>()
    }

    /// Every key with its number of members so far.
    pub(super) fn members(&self) -> impl Iterator<Item = (String, usize)> {
        self.names.iter().cloned().zip(self.coders.iter().map(Coder::len))
    }

    /// Which deepest paths have a blank member somewhere.
    pub(super) fn blank_paths(&self) -> Vec<bool> {
        let mut blank = vec![false];
        for (level, coder) in self.levels.iter().zip(&self.coders) {
            let is_blank = |(parent, member): &(u32, u32)| blank[*parent as usize] || coder.is_blank(*member);
            blank = level.pairs().iter().map(is_blank).collect();
        }
        blank
    }

    /// The members and paths, put in order by at most so many threads.
    pub(super) fn finish(self, threads: usize) -> AxisPaths {
        let members = |coder: Coder| Members::by_threads(coder.into_members(), threads);
        AxisPaths { members: self.coders.into_iter().map(members).collect(), levels: self.levels }
    }
}

impl AxisPaths {
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

/// How many of the first keys are one date column or parts of it.
fn parts_of_one_date(keys: &[Key]) -> usize {
    let date = |key: &Key| match key.formula.step {
        Step::Leaf(LineLeaf::Column(slot) | LineLeaf::Part(slot, _)) if key.kind().0 == Kind::Date => {
            Some(slot)
        }
        _ => None,
    };
    let first = keys.first().and_then(date);
    keys.iter().take_while(|key| first.is_some() && date(key) == first).count()
}
