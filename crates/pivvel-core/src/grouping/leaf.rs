//! The scan: batches of lines in, leaf groups out.

use std::ops::Range;

use arrow_array::cast::AsArray;
use arrow_array::types::{Float32Type, Float64Type};
use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_schema::DataType;

use super::filter::keep;
use super::finer::{FinerScan, numbers};
use super::finer_table::GroupPaths;
use super::group_cache::GroupCache;
use super::keys::{AxisPaths, KeyScan};
use super::nest::NONE;
use super::pairs::NOWHERE;
use super::pairs::PairTable;
use super::spec::Grouping;
use super::states::States;
use super::watch::{UnknownText, Watch};
use crate::error::{Error, Result};
use crate::formula::{Entries, Evaluation};
use crate::lines::MemberId;
use crate::model::{AxisSide, Overflow};

/// Lines whose values are worked out together.
const PART: usize = 8_192;
/// Lines whose groups stay in a core's nearest cache from one pass over them to the next.
const CACHED: usize = 4_096;

/// A scan under way. Give it every batch of lines, in any order and of any size, then finish.
#[derive(Debug)]
pub(crate) struct Scan<'p> {
    pub(super) grouping: &'p Grouping,
    pub(super) rows: KeyScan,
    pub(super) columns: KeyScan,
    pub(super) groups: PairTable,
    pub(super) states: States,
    pub(super) finer: Vec<FinerScan>,
    pub(crate) report: ScanReport,
    pub(super) group_of_line: Vec<u32>,
    group_cache: GroupCache,
    entries: Entries,
    watch: Watch,
    /// Whether all lines were looked at.
    pub(crate) looked: bool,
}

/// What the scan met, for notices.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().filter("coast = 'Fell'"), &mut lines())?;
/// let report = crosstab.report();
/// assert_eq!((report.read(), report.excluded()), (3, 1));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct ScanReport {
    pub(crate) read: u64,
    pub(crate) excluded: u64,
    pub(crate) undecided: u64,
    pub(crate) zero_divisions: u64,
    pub(crate) zero_cells: u64,
    pub(crate) blank_members: Vec<(String, u64)>,
    pub(crate) not_finite: u64,
    pub(crate) unknown_texts: Vec<UnknownText>,
}

crate::getters! {
    ScanReport {
        /// Lines that the source delivered.
        read: u64,
        /// Lines that the brief's condition left out.
        excluded: u64,
        /// Those of them for which the condition was blank.
        undecided: u64,
        /// Divisions by zero, in lines; each gave a blank.
        zero_divisions: u64,
        /// Divisions by zero in formulas over cells, in cells that are shown.
        zero_cells: u64,
        /// Lines in which a dimension is blank, by dimension.
        blank_members: &[(String, u64)],
        /// Floating-point values that are no number or infinite; each was taken as blank.
        not_finite: u64,
        /// Texts that columns are compared with and that no line has.
        unknown_texts: &[UnknownText],
    }
}

/// How large a scan has become, and by what.
#[derive(Debug)]
pub(crate) struct Crowd {
    pub(crate) groups: usize,
    pub(crate) lines: usize,
    /// The key of most members.
    pub(crate) dimension: String,
    pub(crate) members: usize,
}

/// The lines that share one member of every key, as mergeable states.
#[derive(Debug, Clone)]
pub(crate) struct LeafGroups {
    pub(crate) rows: AxisPaths,
    pub(crate) columns: AxisPaths,
    /// Each group's path on the rows and on the columns.
    pub(crate) groups: PairTable,
    pub(crate) states: States,
    pub(crate) report: ScanReport,
    /// Where the paths of the scan went.
    pub(crate) moved: Moved,
}

/// For every path that a scan has met, the one that its lines are under now, or
/// [`NOWHERE`]; nothing where all are where they were.
#[derive(Debug, Clone, Default)]
pub(crate) struct Moved {
    pub(crate) rows: Option<Vec<u32>>,
    pub(crate) columns: Option<Vec<u32>>,
}

impl Moved {
    /// Where paths are after a further move.
    fn then(&self, rows: &[u32], columns: &[u32]) -> Moved {
        let follow = |path: &u32, targets: &[u32]| match *path {
            NOWHERE => NOWHERE,
            path => targets[path as usize],
        };
        let after = |earlier: &Option<Vec<u32>>, targets: &[u32]| match earlier {
            Some(earlier) => earlier.iter().map(|path| follow(path, targets)).collect(),
            None => targets.to_vec(),
        };
        Moved { rows: Some(after(&self.rows, rows)), columns: Some(after(&self.columns, columns)) }
    }
}

impl<'p> Scan<'p> {
    pub(crate) fn new(grouping: &'p Grouping) -> Scan<'p> {
        Scan {
            grouping,
            rows: KeyScan::new(&grouping.rows),
            columns: KeyScan::new(&grouping.columns),
            groups: PairTable::default(),
            states: States::new(&grouping.values),
            finer: grouping.finer.iter().map(FinerScan::new).collect(),
            report: ScanReport::default(),
            group_of_line: Vec::new(),
            group_cache: GroupCache::default(),
            entries: Entries::default(),
            watch: Watch::new(grouping),
            looked: false,
        }
    }

    /// Takes a batch of the columns that the plan needs, in its order.
    ///
    /// # Errors
    /// A number that outgrows 38 digits.
    pub(crate) fn push(&mut self, batch: &RecordBatch) -> Result<()> {
        let lines = batch.num_rows();
        if lines <= 2 * PART {
            return self.push_part(batch);
        }
        let part = |first: usize| self.push_part(&batch.slice(first, PART.min(lines - first)));
        (0..lines).step_by(PART).try_for_each(part)
    }

    fn push_part(&mut self, batch: &RecordBatch) -> Result<()> {
        self.report.read += batch.num_rows() as u64;
        self.report.not_finite += not_finite(batch);
        self.watch.look(batch);
        self.looked |= batch.num_rows() > 0;
        match &self.grouping.filter {
            None => self.take(batch),
            Some(condition) => {
                let mut evaluation = Evaluation::after(std::mem::take(&mut self.entries), batch);
                let (holds, blank) = evaluation.holds(condition).map_err(|_| Error::overflow("where"))?;
                self.report.zero_divisions += evaluation.zero_divisions;
                self.entries = evaluation.entries;
                let kept = holds.count_set_bits();
                self.report.excluded += (holds.len() - kept) as u64;
                self.report.undecided += blank;
                match kept {
                    0 => Ok(()),
                    _ if kept == holds.len() => self.take(batch),
                    _ => self.take(&keep(batch, holds)?),
                }
            }
        }
    }

    fn take(&mut self, batch: &RecordBatch) -> Result<()> {
        let lines = batch.num_rows();
        let mut evaluation = Evaluation::after(std::mem::take(&mut self.entries), batch);
        self.rows.read(&mut evaluation)?;
        self.columns.read(&mut evaluation)?;
        let values = &self.grouping.values;
        let numbers = numbers(values, &mut evaluation)?;
        let dense = self.states.dense_sums(&numbers);
        self.group_of_line.resize(lines, NONE);
        for first in (0..lines).step_by(CACHED) {
            let block = first..lines.min(first + CACHED);
            self.find(block.clone());
            if let Some(columns) = &dense {
                self.states.totals.take(&self.group_of_line[block], columns, first);
            }
        }
        let overflow = |value: usize| Error::overflow(&values[value].name);
        if dense.is_none() {
            self.states.add(&self.group_of_line, &numbers).map_err(overflow)?;
        }
        self.states.update(&self.group_of_line, &numbers).map_err(overflow)?;
        self.report.zero_divisions += evaluation.zero_divisions;
        self.entries = evaluation.entries;
        for finer in &mut self.finer {
            let paths = GroupPaths::new(&self.groups, &self.rows, &self.columns);
            self.report.zero_divisions += finer.take(batch, paths, &self.group_of_line)?;
        }
        Ok(())
    }

    /// Takes rows of states by their members, as if their lines had been read.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn absorb_rows(
        &mut self,
        rows: &[ArrayRef],
        columns: &[ArrayRef],
        states: &States,
    ) -> Result<()> {
        self.find_groups(rows, columns, states.len())?;
        self.states.absorb(states, &self.group_of_line).map_err(|_| Error::overflow("a sum over the lines"))
    }

    /// The same of finer groups, to which `path` leads, by the members of their own keys.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn absorb_finer(
        &mut self,
        rows: &[ArrayRef],
        columns: &[ArrayRef],
        path: &[usize],
        keys: &[ArrayRef],
        states: &States,
    ) -> Result<()> {
        self.find_groups(rows, columns, states.len())?;
        let paths = GroupPaths::new(&self.groups, &self.rows, &self.columns);
        self.finer[path[0]].absorb_rows(paths, &self.group_of_line, &path[1..], keys, states)
    }

    fn find_groups(&mut self, rows: &[ArrayRef], columns: &[ArrayRef], count: usize) -> Result<()> {
        self.rows.follow_members(rows, count)?;
        self.columns.follow_members(columns, count)?;
        self.group_of_line.resize(count, NONE);
        self.number_groups(0..count);
        Ok(())
    }

    /// Finds the groups of some of the lines that were read.
    fn find(&mut self, lines: Range<usize>) {
        if !self.columns.told_by_days() {
            self.columns.intern(lines.clone());
        }
        if self.group_cache.fits(&self.rows, &self.columns) {
            self.group_cache.place(&self.columns, lines.clone());
            let groups = &mut self.group_of_line[lines.clone()];
            if !self.group_cache.look_up(&self.rows, lines.clone(), groups) {
                self.find_new(lines);
            }
            return;
        }
        if self.columns.told_by_days() {
            self.columns.intern(lines.clone());
        }
        self.rows.intern(lines.clone());
        self.number_groups(lines);
    }

    /// The groups of those of the lines that have none yet.
    fn find_new(&mut self, lines: Range<usize>) {
        let new: Vec<usize> = lines.clone().filter(|line| self.group_of_line[*line] == NONE).collect();
        let columns: Vec<u32> = match self.columns.told_by_days() {
            true => self.columns.paths_by_days(&new),
            false => new.iter().map(|line| self.columns.path()[line - lines.start]).collect(),
        };
        self.rows.number_few(&new);
        let pairs = self.rows.path().iter().copied().zip(columns.iter().copied());
        let (room, mut groups) = ((self.rows.paths(), self.columns.paths()), Vec::new());
        self.groups.intern_within(pairs, room, &mut groups);
        for ((line, group), column) in new.into_iter().zip(groups).zip(columns) {
            self.group_of_line[line] = group;
            self.group_cache.learn(&self.rows, line, column, group);
        }
        self.states.resize(self.groups.len());
    }

    /// The groups of the lines whose paths were numbered last.
    fn number_groups(&mut self, lines: Range<usize>) {
        let room = (self.rows.paths(), self.columns.paths());
        let paths = self.rows.path_mut();
        self.groups.renumber(paths, self.columns.path(), room);
        self.group_of_line[lines].copy_from_slice(paths);
        self.states.resize(self.groups.len());
    }

    /// About how many bytes the groups take.
    pub(crate) fn bytes(&self) -> usize {
        let keys = self.rows.bytes() + self.columns.bytes() + self.groups.bytes() + self.group_cache.bytes();
        keys + self.states.bytes() + self.finer.iter().map(FinerScan::bytes).sum::<usize>()
    }

    /// How large the scan has become, and by what.
    pub(crate) fn crowd(&self) -> Crowd {
        let finer = self.finer.iter().flat_map(FinerScan::members);
        let keys = self.rows.members().chain(self.columns.members()).chain(finer);
        let (dimension, members) = keys.max_by_key(|(_, members)| *members).unwrap_or_default();
        let groups = self.groups.len() + self.finer.iter().map(FinerScan::groups).sum::<usize>();
        Crowd { groups, lines: self.report.read as usize, dimension, members }
    }

    /// Takes what a scan of other lines for the same grouping has found; with so many threads, where it is the last one, after
    /// which no line can be taken.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn absorb(&mut self, other: Scan<'_>, last: Option<usize>) -> Result<()> {
        let rows = self.rows.absorb(other.rows, last);
        let columns = self.columns.absorb(other.columns, last);
        let into = self.groups.absorb(&other.groups, &rows, &columns);
        self.states.resize(self.groups.len());
        let overflow = |_| Error::overflow("a sum over the lines");
        self.states.absorb(&other.states, &into).map_err(overflow)?;
        for (mine, theirs) in self.finer.iter_mut().zip(other.finer) {
            mine.absorb(theirs, &into, (&rows, &columns), last).map_err(overflow)?;
        }
        self.report.read += other.report.read;
        self.report.excluded += other.report.excluded;
        self.report.undecided += other.report.undecided;
        self.report.zero_divisions += other.report.zero_divisions;
        self.report.not_finite += other.report.not_finite;
        self.watch.absorb(&other.watch);
        self.looked |= other.looked;
        Ok(())
    }

    /// The leaf groups of all lines that were taken, put in order by at most so many threads.
    pub(crate) fn finish(mut self, threads: usize) -> LeafGroups {
        let paths = GroupPaths::new(&self.groups, &self.rows, &self.columns);
        let finer = self.finer.into_iter().map(|finer| finer.finish(paths)).collect();
        let (rows, columns) = (self.rows.finish(threads), self.columns.finish(threads));
        // Of lines that a database grouped nothing is known but their groups.
        if self.looked {
            self.report.unknown_texts = self.watch.unknown();
        }
        let mut groups = LeafGroups {
            rows,
            columns,
            groups: self.groups,
            states: self.states.with_finer(finer),
            report: self.report,
            moved: Moved::default(),
        };
        groups.count_blank_members(self.grouping);
        groups
    }
}

impl LeafGroups {
    /// Counts the lines without a member of each key.
    pub(crate) fn count_blank_members(&mut self, grouping: &Grouping) {
        self.report.blank_members.clear();
        let axes = [
            (&self.rows, &grouping.rows, AxisSide::Rows),
            (&self.columns, &grouping.columns, AxisSide::Columns),
        ];
        for (paths, keys, side) in axes {
            // Most often there are none, and there may be millions of groups.
            if paths.members.iter().all(|members| members.blank().is_none()) {
                continue;
            }
            let mut lines = vec![0; paths.len()];
            for ((row, column), own) in self.groups.pairs().iter().zip(self.states.all_lines()) {
                lines[side.pick(*row, *column) as usize] += own;
            }
            for (level, key) in keys.iter().enumerate() {
                let members = paths.members_at(level).into_iter().zip(&lines);
                let is_blank = |(member, _): &(u32, &u64)| paths.members[level].is_blank(MemberId(*member));
                let blank: u64 = members.filter(is_blank).map(|(_, lines)| lines).sum();
                if blank > 0 {
                    self.report.blank_members.push((key.name.clone(), blank));
                }
            }
        }
    }

    /// The same lines in other groups: every row path and column path here goes into the one that
    /// is named for it, or is left out where that is [`NOWHERE`].
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub(crate) fn regrouped(
        &self,
        rows: (AxisPaths, &[u32]),
        columns: (AxisPaths, &[u32]),
    ) -> Result<LeafGroups, Overflow> {
        let pairs = self.groups.pairs();
        let target = |(row, column): &(u32, u32)| {
            let (row, column) = (rows.1[*row as usize], columns.1[*column as usize]);
            (row != NOWHERE && column != NOWHERE).then_some((row, column))
        };
        let targets: Vec<Option<(u32, u32)>> = pairs.iter().map(target).collect();
        let (kept_rows, kept_columns): (Vec<u32>, Vec<u32>) = targets.iter().flatten().copied().unzip();
        let (mut groups, mut numbers) = (PairTable::default(), Vec::new());
        groups.intern(&kept_rows, &kept_columns, &mut numbers);
        let mut numbers = numbers.into_iter();
        let into: Vec<u32> =
            targets.iter().map(|target| target.and_then(|_| numbers.next()).unwrap_or(NOWHERE)).collect();
        let states = self.states.merged(&into, groups.len())?;
        let moved = self.moved.then(rows.1, columns.1);
        let report = self.report.clone();
        Ok(LeafGroups { rows: rows.0, columns: columns.0, groups, states, report, moved })
    }
}

/// How many floating-point values of a batch are no number or infinite.
fn not_finite(batch: &RecordBatch) -> u64 {
    let of = |array: &ArrayRef| match array.data_type() {
        DataType::Float64 => {
            array.as_primitive::<Float64Type>().iter().flatten().filter(|v| !v.is_finite()).count()
        }
        DataType::Float32 => {
            array.as_primitive::<Float32Type>().iter().flatten().filter(|v| !v.is_finite()).count()
        }
        _ => 0,
    };
    batch.columns().iter().map(of).sum::<usize>() as u64
}
