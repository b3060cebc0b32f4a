//! The scan: batches of lines in, leaf groups out.

use arrow_array::{Array, ArrayRef, RecordBatch, RecordBatchOptions, make_array};
use arrow_data::transform::MutableArrayData;
use arrow_schema::ArrowError;

use super::pairs::PairTable;
use super::states::States;
use crate::brief::Plan;
use crate::error::{Error, Result};
use crate::formula::Evaluation;
use crate::lines::{Coder, Members};

/// A scan under way. Give it every batch of lines, in any order and of any size, then finish.
#[derive(Debug)]
pub struct Scan<'p> {
    plan: &'p Plan,
    rows: AxisScan,
    columns: AxisScan,
    groups: PairTable,
    states: States,
    report: ScanReport,
    group_of_line: Vec<u32>,
}

/// What the scan met, to be told to the reader.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ScanReport {
    /// Lines that the source delivered.
    pub read: u64,
    /// Lines that the brief's condition left out.
    pub excluded: u64,
    /// Those of them for which the condition was blank.
    pub undecided: u64,
    /// Divisions by zero; each gave a blank.
    pub zero_divisions: u64,
    /// Lines in which a dimension is blank, by dimension.
    pub blank_members: Vec<(String, u64)>,
}

/// The lines that share one member of every dimension, as mergeable states.
#[derive(Debug)]
pub struct LeafGroups {
    pub(crate) rows: AxisPaths,
    pub(crate) columns: AxisPaths,
    /// Each group's path on the rows and on the columns.
    pub(crate) groups: PairTable,
    pub(crate) states: States,
    pub(crate) report: ScanReport,
}

/// The paths that occur along one axis, level by level.
#[derive(Debug)]
pub(crate) struct AxisPaths {
    /// Members of each dimension.
    pub(crate) members: Vec<Members>,
    /// For each level below the total: parent path and member code of every path.
    pub(crate) levels: Vec<PairTable>,
}

#[derive(Debug)]
struct AxisScan {
    slots: Vec<usize>,
    coders: Vec<Coder>,
    levels: Vec<PairTable>,
    codes: Vec<u32>,
    path: Vec<u32>,
    next: Vec<u32>,
}

impl<'p> Scan<'p> {
    /// A scan for a plan, with no lines yet.
    pub fn new(plan: &'p Plan) -> Scan<'p> {
        Scan {
            plan,
            rows: AxisScan::new(&plan.rows),
            columns: AxisScan::new(&plan.columns),
            groups: PairTable::default(),
            states: States::new(&plan.needs()),
            report: ScanReport::default(),
            group_of_line: Vec::new(),
        }
    }

    /// Takes a batch of the plan's columns, in the order of [`Plan::needed`].
    ///
    /// # Errors
    /// A number that outgrows 38 digits.
    pub fn push(&mut self, batch: &RecordBatch) -> Result<()> {
        self.report.read += batch.num_rows() as u64;
        match &self.plan.filter {
            None => self.take(batch),
            Some(condition) => {
                let mut evaluation = Evaluation::new(batch);
                let (holds, blank) = evaluation.holds(condition).map_err(|_| Error::overflow("where"))?;
                self.report.zero_divisions += evaluation.zero_divisions;
                let kept = holds.iter().filter(|holds| **holds).count();
                self.report.excluded += (holds.len() - kept) as u64;
                self.report.undecided += blank;
                match kept {
                    0 => Ok(()),
                    _ if kept == holds.len() => self.take(batch),
                    _ => self.take(&keep(batch, &holds)?),
                }
            }
        }
    }

    fn take(&mut self, batch: &RecordBatch) -> Result<()> {
        if batch.num_rows() == 0 {
            return Ok(());
        }
        self.rows.follow(batch)?;
        self.columns.follow(batch)?;
        self.groups.number(&self.rows.path, &self.columns.path, &mut self.group_of_line);
        self.states.resize(self.groups.len());
        self.states.count(&self.group_of_line);
        let mut evaluation = Evaluation::new(batch);
        for (i, value) in self.plan.values.iter().enumerate() {
            let outgrown = || Error::overflow(&value.name);
            let numbers = evaluation.numbers(&value.formula).map_err(|_| outgrown())?;
            self.states.update(i, &self.group_of_line, &numbers).map_err(|_| outgrown())?;
        }
        self.report.zero_divisions += evaluation.zero_divisions;
        Ok(())
    }

    /// The leaf groups of all lines that were taken.
    pub fn finish(mut self) -> LeafGroups {
        let rows = self.rows.finish();
        let columns = self.columns.finish();
        let axes = [(&rows, &self.plan.rows, true), (&columns, &self.plan.columns, false)];
        for (paths, dimensions, on_rows) in axes {
            for (level, dimension) in dimensions.iter().enumerate() {
                let blank = blank_lines(paths, level, &self.groups, &self.states, on_rows);
                if blank > 0 {
                    self.report.blank_members.push((dimension.name.clone(), blank));
                }
            }
        }
        LeafGroups { rows, columns, groups: self.groups, states: self.states, report: self.report }
    }
}

/// Lines whose member at a level is blank.
fn blank_lines(paths: &AxisPaths, level: usize, groups: &PairTable, states: &States, on_rows: bool) -> u64 {
    let members = &paths.members[level];
    let mut blank = 0;
    for (group, (row, column)) in groups.pairs().iter().enumerate() {
        let mut path = if on_rows { *row } else { *column };
        for deeper in (level + 1..paths.levels.len()).rev() {
            path = paths.levels[deeper].pairs()[path as usize].0;
        }
        let member = paths.levels[level].pairs()[path as usize].1;
        if members.is_blank(crate::lines::MemberId(member)) {
            blank += states.lines(group);
        }
    }
    blank
}

impl AxisScan {
    fn new(dimensions: &[crate::brief::Dimension]) -> AxisScan {
        AxisScan {
            slots: dimensions.iter().map(|d| d.slot).collect(),
            coders: dimensions.iter().map(|d| Coder::new(d.kind, d.part)).collect(),
            levels: vec![PairTable::default(); dimensions.len()],
            codes: Vec::new(),
            path: Vec::new(),
            next: Vec::new(),
        }
    }

    /// Numbers the path of every line of the batch into `self.path`.
    fn follow(&mut self, batch: &RecordBatch) -> Result<()> {
        self.path.clear();
        self.path.resize(batch.num_rows(), 0);
        for ((slot, coder), level) in self.slots.iter().zip(&mut self.coders).zip(&mut self.levels) {
            coder.code(batch.column(*slot), &mut self.codes)?;
            level.number(&self.path, &self.codes, &mut self.next);
            std::mem::swap(&mut self.path, &mut self.next);
        }
        Ok(())
    }

    fn finish(&mut self) -> AxisPaths {
        let coders = std::mem::take(&mut self.coders);
        AxisPaths {
            members: coders.into_iter().map(|coder| Members::new(coder.into_members())).collect(),
            levels: std::mem::take(&mut self.levels),
        }
    }
}

/// The lines of a batch that a condition holds for, copied run by run.
fn keep(batch: &RecordBatch, holds: &[bool]) -> Result<RecordBatch> {
    let kept = holds.iter().filter(|holds| **holds).count();
    let copied = |column: &ArrayRef| {
        let data = column.to_data();
        let mut copy = MutableArrayData::new(vec![&data], false, kept);
        let mut at = 0;
        for run in holds.chunk_by(|a, b| a == b) {
            if run[0] {
                copy.try_extend(0, at, at + run.len())?;
            }
            at += run.len();
        }
        Ok(make_array(copy.freeze()))
    };
    let options = RecordBatchOptions::new().with_row_count(Some(kept));
    let columns: Result<Vec<ArrayRef>, ArrowError> = batch.columns().iter().map(copied).collect();
    columns
        .and_then(|columns| RecordBatch::try_new_with_options(batch.schema(), columns, &options))
        .map_err(|e| Error::data("where", e.to_string()))
}
