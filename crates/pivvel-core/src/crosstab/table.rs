//! The cross-tab: every cell of every grain, with its axes, peers and what is to be said about it.

use super::axis::{Axis, Entry};
use super::cell::Cell;
use super::rollup::{RolledGrain, grain_index, roll_up};
use crate::brief::{Measure, Plan, TintPlan};
use crate::error::{Error, Result};
use crate::grouping::{LeafGroups, PairTable, ScanReport, Value};
use crate::lines::Tally;
use crate::peers::Peers;

/// A multidimensional cross-tab: cells of every grain, each with its value, its lines and its
/// place among its peers.
///
/// ```
/// use std::sync::Arc;
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
/// use pivvel_core::{Batches, Brief, CrossTab};
///
/// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
/// let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 4, 5]));
/// let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
/// let mut source = Batches::new(batch.schema(), [batch]);
///
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(quantity)"));
/// let crosstab = CrossTab::build(&brief, &mut source)?;
/// assert_eq!(crosstab.value(&["Fell"], &[], "pieces").unwrap().to_string(), "8");
/// assert_eq!(crosstab.value(&[], &[], "pieces").unwrap().to_string(), "12");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct CrossTab {
    title: String,
    measures: Vec<Measure>,
    rows: Axis,
    columns: Axis,
    grains: Vec<Grain>,
    tints: Vec<TintPlan>,
    condition: Option<String>,
    source: String,
    report: ScanReport,
    tally: Tally,
    warnings: Vec<String>,
}

/// The cells of one grain.
#[derive(Debug, Clone)]
pub(crate) struct Grain {
    /// Row node and column node of every cell.
    pub(crate) cells: PairTable,
    pub(crate) lines: Vec<u64>,
    /// Values by measure, then by cell.
    pub(crate) values: Vec<Vec<Option<Value>>>,
    /// Peers by measure.
    pub(crate) peers: Vec<Peers>,
}

impl CrossTab {
    /// Checks a brief against a source, reads its lines once and builds the cross-tab.
    ///
    /// Where a later line needs a wider kind than the first ones led to believe, and the source
    /// can be read again, it is.
    ///
    /// # Errors
    /// What [`Plan::new`] and the source find wrong.
    pub fn build(brief: &crate::brief::Brief, source: &mut dyn crate::lines::LineSource) -> Result<CrossTab> {
        loop {
            let plan = Plan::new(brief, &source.schema())?;
            if let Some(trouble) = plan.needed_names().iter().find_map(|name| source.trouble(name)) {
                return Err(Error::request(source.name(), trouble));
            }
            let mut scan = crate::grouping::Scan::new(&plan);
            match source.scan(plan.needed(), &mut |batch| scan.push(&batch)) {
                Ok(tally) => return CrossTab::from_groups(&plan, scan.finish(), source.name(), tally),
                Err(error) => match error.wider() {
                    Some((column, kind)) if source.widen(column, *kind) => {}
                    _ => return Err(error),
                },
            }
        }
    }

    /// The cross-tab of leaf groups, wherever they came from.
    ///
    /// # Errors
    /// A sum that outgrows 38 digits.
    pub fn from_groups(plan: &Plan, leaves: LeafGroups, source: &str, tally: Tally) -> Result<CrossTab> {
        let mut rows = Axis::new(&plan.rows, &plan.row_totals, leaves.rows);
        let mut columns = Axis::new(&plan.columns, &plan.column_totals, leaves.columns);
        let rolled = roll_up(leaves.groups, leaves.states, &rows, &columns)
            .map_err(|_| Error::overflow("the totals"))?;
        let deepest = rolled.len() - 1;
        let grains: Vec<Grain> = rolled
            .into_iter()
            .enumerate()
            .map(|(i, grain)| finish(grain, &plan.measures, i == deepest))
            .collect();
        let (k, l) = (rows.depth(), columns.depth());
        let value = |r: usize, c: usize, row: u32, column: u32, measure: usize| {
            let grain = &grains[grain_index(l, r, c)];
            let cell = grain.cells.find(row, column)?;
            grain.values[measure][cell as usize]
        };
        rows.arrange(|level, node, measure| value(level, 0, node, 0, measure));
        columns.arrange(|level, node, measure| value(0, level, 0, node, measure));
        debug_assert_eq!(grains.len(), (k + 1) * (l + 1));
        Ok(CrossTab {
            title: plan.title.clone(),
            measures: plan.measures.clone(),
            rows,
            columns,
            grains,
            tints: plan.tints.clone(),
            condition: plan.condition.clone(),
            source: source.to_string(),
            report: leaves.report,
            tally,
            warnings: plan.warnings.clone(),
        })
    }

    /// The heading.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// What is computed, in the order of the brief.
    pub fn measures(&self) -> &[Measure] {
        &self.measures
    }

    /// The rows.
    pub fn rows(&self) -> &Axis {
        &self.rows
    }

    /// The columns.
    pub fn columns(&self) -> &Axis {
        &self.columns
    }

    /// Which measures are tinted at which grains.
    pub fn tints(&self) -> &[TintPlan] {
        &self.tints
    }

    /// The condition that lines had to meet.
    pub fn condition(&self) -> Option<&str> {
        self.condition.as_deref()
    }

    /// What the source is called.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// What the scan met.
    pub fn report(&self) -> &ScanReport {
        &self.report
    }

    /// What the source left out or took as blank.
    pub fn tally(&self) -> &Tally {
        &self.tally
    }

    /// What the reader should know about the brief.
    pub fn warnings(&self) -> &[String] {
        &self.warnings
    }

    /// Whether there is no cell at all, because there was no line.
    pub fn is_empty(&self) -> bool {
        self.grains[0].lines.is_empty()
    }

    /// The cell where a row and a column meet; `None` where no line falls into it.
    pub fn cell(&self, row: Entry, column: Entry) -> Option<Cell<'_>> {
        let grain = grain_index(self.columns.depth(), row.level(), column.level());
        let id = self.grains[grain].cells.find(row.node, column.node)?;
        Some(Cell { crosstab: self, row, column, grain, id })
    }

    /// Every cell in display order, row by row.
    pub fn cells(&self) -> impl Iterator<Item = Cell<'_>> {
        let columns = self.columns.entries();
        self.rows.entries().iter().flat_map(move |row| columns.iter().filter_map(|c| self.cell(*row, *c)))
    }

    /// The value of a measure where two paths of labels meet; empty paths are totals.
    pub fn value(&self, row: &[&str], column: &[&str], measure: &str) -> Option<Value> {
        let cell = self.cell(self.rows.find(row)?, self.columns.find(column)?)?;
        cell.value(self.measures.iter().position(|m| m.name == measure)?)
    }

    /// The peers of a measure at a grain (row level, column level).
    ///
    /// # Panics
    /// For a level or a measure that this cross-tab does not have.
    pub fn peers(&self, measure: usize, row_level: usize, column_level: usize) -> &Peers {
        &self.grain(grain_index(self.columns.depth(), row_level, column_level)).peers[measure]
    }

    pub(crate) fn grain(&self, index: usize) -> &Grain {
        &self.grains[index]
    }
}

/// Last of all, states become values, and values get their peers.
fn finish(grain: RolledGrain, measures: &[Measure], deepest: bool) -> Grain {
    let cells = grain.cells.len();
    let values: Vec<Vec<Option<Value>>> = measures
        .iter()
        .map(|m| if m.totals || deepest { grain.states.finish(&m.aggregate) } else { vec![None; cells] })
        .collect();
    Grain {
        lines: (0..cells).map(|cell| grain.states.lines(cell)).collect(),
        peers: values.iter().map(|values| Peers::new(values)).collect(),
        values,
        cells: grain.cells,
    }
}
