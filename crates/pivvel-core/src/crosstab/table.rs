//! The cross-tab: every cell of every grain, with its axes, peers and what is to be said about it.

use super::cell::Cell;
use crate::brief::{Dimension, Measure, NumberFormat, Order, OrderBy, Plan, TintPlan};
use crate::derive::{Engine, Frame, Picks, pick, settle_tiers};
use crate::error::{Error, Result};
use crate::grouping::{LeafGroups, PairTable, Scan, ScanReport};
use crate::lines::{Tally, Value};
use crate::peers::Peers;
use crate::rollup::{Axis, Entry, SortBy, grain_index, regroup};

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
    picked: Vec<String>,
    /// How the numbers of each item are shown, where not as the measure's.
    item_formats: Vec<Option<NumberFormat>>,
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
            let mut scan = Scan::new(&plan.grouping);
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
    fn from_groups(plan: &Plan, leaves: LeafGroups, source: &str, tally: Tally) -> Result<CrossTab> {
        let mut report = leaves.report.clone();
        let mut warnings = plan.warnings.clone();
        let mut leaves = settle_tiers(plan, leaves)?;
        let picking = plan.rows.iter().chain(&plan.columns).any(|dimension| dimension.pick.is_any());
        let mut picks: Option<Picks> = None;
        if picking {
            let mut everything = Frame::new(plan, &leaves)?;
            let engine = Engine::run(plan, &mut everything)?;
            let frame = engine.frame();
            let decided = pick(plan, frame, &engine)?;
            if decided.regroups() {
                leaves = regroup(&leaves, &decided.rows, &decided.columns)
                    .map_err(|_| Error::overflow("the totals"))?;
            }
            picks = Some(decided);
        }
        let mut frame = Frame::new(plan, &leaves)?;
        if let Some(picks) = &picks {
            picks.hide(&mut frame);
            frame.arrange_naturally();
        }
        warnings.extend(unknown_members(plan, &frame));
        arrange(plan, &mut frame)?;
        let engine = Engine::run(plan, &mut frame)?;
        report.zero_divisions += engine.zero_divisions();
        let shown: Vec<usize> = (0..plan.measures.len()).filter(|i| !plan.measures[*i].hidden).collect();
        let finished = |grain: usize| {
            let values: Vec<Vec<Option<Value>>> =
                shown.iter().map(|measure| engine.measure(*measure, grain).to_vec()).collect();
            let (shown, classes) = (engine.frame().shown(grain), engine.frame().classes(grain));
            let peers = values.iter().map(|values| Peers::new(values, &classes, &shown)).collect();
            (values, peers)
        };
        let computed: Vec<_> = (0..engine.frame().grains.len()).map(finished).collect();
        drop(engine);
        let grains = frame.grains.into_iter().zip(computed);
        let grains = grains.map(|(cells, (values, peers))| Grain {
            cells: cells.pairs,
            lines: cells.lines,
            values,
            peers,
        });
        Ok(CrossTab {
            title: plan.title.clone(),
            measures: plan.measures.iter().filter(|m| !m.hidden).cloned().collect(),
            rows: frame.rows,
            columns: frame.columns,
            grains: grains.collect(),
            tints: plan.tints.clone(),
            condition: plan.condition.clone(),
            source: source.to_string(),
            report,
            tally,
            warnings,
            item_formats: plan.items.iter().map(|item| item.format.clone()).collect(),
            picked: picks.map(|picks| picks.notes).unwrap_or_default(),
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

    /// What is not shown of dimensions of which some members were picked.
    pub fn picked(&self) -> &[String] {
        &self.picked
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

    /// How the numbers of a measure are shown where a row and a column meet: as the later of their
    /// items says, or as the measure does.
    pub fn format(&self, row: Entry, column: Entry, measure: usize) -> &NumberFormat {
        let class = |axis: &Axis, entry: Entry| axis.class(entry.level(), entry.node);
        self.format_of_class((class(&self.rows, row), class(&self.columns, column)), measure)
    }

    /// How the numbers of a measure are shown in cells of one class.
    pub(crate) fn format_of_class(&self, (row, column): (u16, u16), measure: usize) -> &NumberFormat {
        let item = row.checked_sub(2).max(column.checked_sub(2));
        let own = item.and_then(|item| self.item_formats[usize::from(item)].as_ref());
        own.unwrap_or(&self.measures[measure].format)
    }

    pub(crate) fn grain(&self, index: usize) -> &Grain {
        &self.grains[index]
    }
}

/// Brings both axes into display order. Members that are sorted by a formula over cells are sorted
/// by its values in the total of the other axis.
fn arrange(plan: &Plan, frame: &mut Frame) -> Result<()> {
    let sorted = |dimension: &Dimension| dimension.order_by.is_some() || dimension.order.by == OrderBy::Label;
    let anything = |dimension: &Dimension| {
        sorted(dimension) || dimension.order != Order::default() || !dimension.listed.is_empty()
    };
    if !plan.rows.iter().chain(&plan.columns).any(anything) {
        return Ok(());
    }
    let engine = Engine::run(plan, frame)?;
    let by = |on_rows: bool| -> Result<Vec<SortBy>> {
        let frame = engine.frame();
        let one = |(i, dimension): (usize, &Dimension)| {
            let level = i + 1;
            let Some(formula) = &dimension.order_by else {
                return Ok(if dimension.order.by == OrderBy::Label {
                    SortBy::Label
                } else {
                    SortBy::Natural
                });
            };
            let grain = if on_rows { frame.grain(level, 0) } else { frame.grain(0, level) };
            let values = engine
                .values(formula, grain)
                .map_err(|_| Error::overflow(format!("order of {}", dimension.name)))?;
            let of_node = |node: u32| {
                let pair = if on_rows { (node, 0) } else { (0, node) };
                values[frame.grains[grain].pairs.find(pair.0, pair.1)? as usize]
            };
            Ok(SortBy::Values((0..frame.axis(on_rows).len(level) as u32).map(of_node).collect()))
        };
        plan.axis(on_rows).iter().enumerate().map(one).collect()
    };
    let (rows, columns) = (by(true)?, by(false)?);
    drop(engine);
    frame.rows.arrange(&rows);
    frame.columns.arrange(&columns);
    Ok(())
}

/// Members that the brief names and that no line has, with the nearest one that there is.
fn unknown_members(plan: &Plan, frame: &Frame) -> Vec<String> {
    let mut warnings: Vec<String> = Vec::new();
    for (place, spot, label) in plan.named_members() {
        let axis = frame.axis(spot.on_rows);
        let members = axis.members(spot.level - 1);
        if members.is_empty() || members.find(&label).is_some() {
            continue;
        }
        let dimension = &axis.dimensions()[spot.level - 1].name;
        let known: Vec<&str> = members.labels().collect();
        let near = crate::suggest::nearest(&label, &known);
        let near = near.map(|near| format!("; nearest: {near}")).unwrap_or_default();
        let warning = format!("{place} names {label}, which is no member of {dimension}{near}");
        if !warnings.contains(&warning) {
            warnings.push(warning);
        }
    }
    warnings
}
