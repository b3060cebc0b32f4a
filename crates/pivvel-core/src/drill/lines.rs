//! The lines behind a cell, by a second pass over the source that keeps them alone. What they add up to
//! is computed anew from them, and shown beside what the cell has.

use std::collections::BTreeSet;

use arrow_array::RecordBatch;
use arrow_buffer::BooleanBuffer;
use arrow_schema::{Schema, SchemaRef};

use super::address::Address;
use super::shape::{Shown, schema, show};
use super::sorted::Sorted;
use super::trace::Trace;
use serde::Serialize;

use crate::brief::Brief;
use crate::error::{Argument, Error, Result};
use crate::eval::made_of;
use crate::grouping::NOWHERE;
use crate::grouping::{Grouping, Scan, WantedPaths, keep};
use crate::lines::{LineSource, settle};
use crate::model::{Grain, Value};
use crate::plan::Plan;
use crate::rollup::{Axis, ColumnEntry, Either, Entry, OfAxis, RowEntry};

/// Which lines are wanted, and how.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::{Address, LinesBehind};
/// use pivvel::Build;
///
/// let trace = Build::new().trace(&brief(), &mut lines())?;
/// let wanted = LinesBehind::of(Address::new().with("coast", "Fell")).columns(["harbour", "pieces"]).limit(1);
/// let mut shown = 0;
/// let tied = trace.lines(&wanted, &mut lines(), &mut |batch| {
///     shown += batch.num_rows();
///     Ok(())
/// })?;
///
/// assert_eq!((shown, tied.lines(), tied.holds()), (1, 2, true));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LinesBehind {
    pub(super) address: Address,
    pub(super) columns: Vec<String>,
    order: Vec<LineOrder>,
    limit: Option<usize>,
    measure: Option<String>,
}

crate::setters! { LinesBehind {
    /// The columns to show, also those that the brief derives and parts of dates; all columns of the
    /// lines where none is named.
    list columns: String,
    /// What the lines are sorted by (default: the order of the source).
    list order: LineOrder,
    /// How many are shown at most. They add up to the cell all the same, shown or not.
    value limit: Option<usize>,
    /// The measure whose aggregates are checked; every shown measure's where none is named.
    option measure: String,
} }

/// What lines are sorted by.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::drill::LineOrder;
///
/// assert_eq!("amount desc".parse::<LineOrder>()?, LineOrder::new("amount", true));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineOrder {
    by: String,
    descending: bool,
}

impl LineOrder {
    /// By a column of the lines, one that the brief derives, or a part of a date; the highest first, or the lowest.
    pub fn new(by: impl Into<String>, descending: bool) -> LineOrder {
        LineOrder { by: by.into(), descending }
    }
}

impl std::str::FromStr for LineOrder {
    type Err = Error;

    /// Reads `amount desc`, `sold_on` or `sold_on asc`.
    fn from_str(text: &str) -> Result<LineOrder> {
        let text = text.trim();
        let (by, descending) = match text.rsplit_once(char::is_whitespace) {
            Some((by, "desc")) => (by.trim(), true),
            Some((by, "asc")) => (by.trim(), false),
            _ => (text, false),
        };
        match by.is_empty() {
            true => Err(Error::request(Argument::Order, "it names no column, as 'amount desc' does")),
            false => Ok(LineOrder::new(by, descending)),
        }
    }
}

impl LinesBehind {
    /// All lines behind a cell with all their columns.
    pub fn of(address: Address) -> LinesBehind {
        LinesBehind { address, ..LinesBehind::default() }
    }

    /// The cell.
    pub fn address(&self) -> &Address {
        &self.address
    }

    /// With these columns, where none is named.
    pub fn or_columns(mut self, columns: impl FnOnce() -> Vec<String>) -> LinesBehind {
        if self.columns.is_empty() {
            self.columns = columns();
        }
        self
    }

    /// With so many shown at most, where no number is named.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::drill::LinesBehind;
    ///
    /// let asked = |limit| LinesBehind::default().limit(limit);
    /// // What was asked for counts more than what is usual, and less than what there is room for.
    /// assert_eq!(asked(None).or_limit(400), asked(Some(400)));
    /// assert_eq!(asked(Some(7)).or_limit(400), asked(Some(7)));
    /// assert_eq!(asked(Some(9_000)).at_most(2_000), asked(Some(2_000)));
    /// assert_eq!(asked(Some(7)).at_most(2_000), asked(Some(7)));
    /// ```
    pub fn or_limit(mut self, limit: usize) -> LinesBehind {
        self.limit.get_or_insert(limit);
        self
    }

    /// With no more than so many shown, whatever number is named.
    pub fn at_most(mut self, limit: usize) -> LinesBehind {
        self.limit = Some(self.limit.map_or(limit, |own| own.min(limit)));
        self
    }

    /// Checks columns, order and measure before any line is read.
    ///
    /// # Errors
    /// Any of them that is not there, and what [`Plan::new`] finds wrong.
    pub fn check(&self, brief: &Brief, source: &dyn LineSource) -> Result<()> {
        let brief = Brief { views: Vec::new(), ..brief.clone() };
        let plan = Plan::new(&brief, &source.schema())?;
        self.aggregates(&plan)?;
        self.shown(&brief, &plan, &source.schema()).map(drop)
    }

    /// The aggregates that are checked.
    fn aggregates(&self, plan: &Plan) -> Result<BTreeSet<usize>> {
        let mut aggregates = BTreeSet::new();
        let measures = &plan.measures;
        match &self.measure {
            Some(name) => {
                let place = measures.iter().position(|m| m.name == *name).ok_or_else(|| {
                    Error::unknown(
                        Argument::Measure,
                        "measure",
                        name,
                        measures.iter().map(|m| m.name.as_str()),
                    )
                })?;
                plan.aggregates_of(place, &mut aggregates);
            }
            None => (0..measures.len())
                .filter(|place| !measures[*place].hidden)
                .for_each(|place| plan.aggregates_of(place, &mut aggregates)),
        }
        Ok(aggregates)
    }

    /// The columns that are shown, those that lines are sorted by, and the places in the schema of all
    /// that the pass must be given.
    fn shown(
        &self,
        brief: &Brief,
        plan: &Plan,
        schema: &Schema,
    ) -> Result<(Vec<Shown>, Vec<Shown>, Vec<usize>)> {
        let mut columns = plan.columns_of(brief, schema)?;
        let mut one = |place: Argument, name: &str| Shown::new(place, name, &mut columns, schema);
        let shown: Vec<Shown> = match self.columns.is_empty() {
            // What no formula can use is not shown unless it is asked for.
            true => schema.fields().iter().filter_map(|f| one(Argument::Columns, f.name()).ok()).collect(),
            false => self.columns.iter().map(|name| one(Argument::Columns, name)).collect::<Result<_>>()?,
        };
        let order = self.order.iter().map(|order| one(Argument::Order, &order.by)).collect::<Result<_>>()?;
        Ok((shown, order, columns.needed().to_vec()))
    }
}

/// What lines add up to, shown beside what the cell has.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::{Address, LinesBehind};
/// use pivvel::Build;
///
/// let trace = Build::new().trace(&brief(), &mut lines())?;
/// let wanted = LinesBehind::of(Address::new().with("coast", "Fell")).columns(["harbour", "pieces"]).limit(1);
/// let mut shown = 0;
/// let tied = trace.lines(&wanted, &mut lines(), &mut |batch| {
///     shown += batch.num_rows();
///     Ok(())
/// })?;
///
/// assert_eq!((tied.lines(), tied.given()), (2, 1));
/// assert!(tied.holds());
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Tied {
    pub(crate) lines: u64,
    pub(crate) given: u64,
    pub(crate) parts: Vec<TiedPart>,
}

crate::getters! {
    Tied {
        /// How many lines were found.
        lines: u64,
        /// How many of them were given.
        given: u64,
        /// The cells that they are behind: one, or those that a calculated cell is computed from.
        parts: &[TiedPart],
    }
}

/// The lines behind a cell that is not calculated.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::{Address, LinesBehind};
/// use pivvel::Build;
///
/// let trace = Build::new().trace(&brief(), &mut lines())?;
/// let wanted = LinesBehind::of(Address::new().with("coast", "Fell")).columns(["harbour", "pieces"]).limit(1);
/// let mut shown = 0;
/// let tied = trace.lines(&wanted, &mut lines(), &mut |batch| {
///     shown += batch.num_rows();
///     Ok(())
/// })?;
///
/// let part = &tied.parts()[0];
/// assert_eq!((part.address().to_string().as_str(), part.lines(), part.lines_of_cell()), ("coast=Fell", 2, 2));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TiedPart {
    #[serde(rename = "cell")]
    pub(crate) address: Address,
    pub(crate) lines: u64,
    #[serde(skip)]
    pub(crate) lines_of_cell: u64,
    pub(crate) aggregates: Vec<TiedAggregate>,
}

crate::getters! {
    TiedPart {
        /// The cell.
        address: &Address,
        /// How many lines were found.
        lines: u64,
        /// How many lines the cell has.
        lines_of_cell: u64,
        /// Each aggregate that was checked.
        aggregates: &[TiedAggregate],
    }
}

/// An aggregate: of the lines, and as the cell has it.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::drill::{Address, LinesBehind};
/// use pivvel::Build;
///
/// let trace = Build::new().trace(&brief(), &mut lines())?;
/// let wanted = LinesBehind::of(Address::new().with("coast", "Fell")).columns(["harbour", "pieces"]).limit(1);
/// let mut shown = 0;
/// let tied = trace.lines(&wanted, &mut lines(), &mut |batch| {
///     shown += batch.num_rows();
///     Ok(())
/// })?;
///
/// let sum = &tied.parts()[0].aggregates()[0];
/// assert_eq!((sum.formula(), sum.of_lines(), sum.of_cell()), ("sum(pieces)", Some(8.into()), Some(8.into())));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[non_exhaustive]
pub struct TiedAggregate {
    pub(crate) formula: String,
    pub(crate) of_lines: Option<Value>,
    pub(crate) of_cell: Option<Value>,
}

crate::getters! {
    TiedAggregate {
        /// As it is written.
        formula: &str,
        /// Of the lines that were found; `None` where it is blank.
        of_lines: Option<Value>,
        /// Of the cell.
        of_cell: Option<Value>,
    }
}

impl Tied {
    /// Whether the lines add up to the cell. Where they do not, the lines changed from one pass to the
    /// other.
    pub fn holds(&self) -> bool {
        let same = |a: &TiedAggregate| a.of_lines == a.of_cell;
        self.parts.iter().all(|part| part.lines == part.lines_of_cell && part.aggregates.iter().all(same))
    }
}

/// A cell that is not calculated, while its lines are found.
struct Counted<'g> {
    row: Entry<Either>,
    column: Entry<Either>,
    scan: Scan<'g>,
}

/// Counts the lines of a batch in the cells that they are spotted in, of which so many stand in a row.
fn count_each(
    cells: &mut [Counted<'_>],
    across: usize,
    batch: &RecordBatch,
    spots: &[Option<(u32, u32)>],
) -> Result<()> {
    for (place, counted) in cells.iter_mut().enumerate() {
        let (row, column) = ((place / across) as u32, (place % across) as u32);
        let own = BooleanBuffer::collect_bool(spots.len(), |line| spots[line] == Some((row, column)));
        if own.count_set_bits() > 0 {
            counted.scan.push(&keep(batch, own)?)?;
        }
    }
    Ok(())
}

impl Trace {
    /// What the batches of [`Trace::lines`] hold. Columns of text sources whose kinds are not final are read once before.
    ///
    /// # Errors
    /// A member or a column that is not there; what the source finds wrong.
    pub fn lines_schema(&self, wanted: &LinesBehind, source: &mut dyn LineSource) -> Result<SchemaRef> {
        self.cell_of(wanted)?;
        Ok(schema(&self.shown(wanted, source)?.0))
    }

    /// The row and the column of the cell that is asked about.
    fn cell_of(&self, wanted: &LinesBehind) -> Result<(RowEntry, ColumnEntry)> {
        let (row, column) = self.crosstab.locate(&wanted.address)?;
        if self.crosstab.cell(row, column).is_none() {
            let message = format!("no line is behind {}: its row and its column do not meet", wanted.address);
            return Err(Error::request(Argument::Address, message));
        }
        Ok((row, column))
    }

    /// What is shown, what it is sorted by, and the columns that both need, with final kinds.
    fn shown(
        &self,
        wanted: &LinesBehind,
        source: &mut dyn LineSource,
    ) -> Result<(Vec<Shown>, Vec<Shown>, Vec<usize>)> {
        let (.., needed) = wanted.shown(&self.brief, &self.plan, &self.schema)?;
        settle(source, &needed)?;
        wanted.shown(&self.brief, &self.plan, &source.schema())
    }

    /// Gives every line behind a cell, by a pass over the source, which must be the one that the
    /// cross-tab was built from.
    ///
    /// # Errors
    /// An address, a column or a measure that is not there; what the source and `take` find wrong.
    pub fn lines(
        &self,
        wanted: &LinesBehind,
        source: &mut dyn LineSource,
        take: &mut dyn FnMut(RecordBatch) -> Result<()>,
    ) -> Result<Tied> {
        let (row, column) = self.cell_of(wanted)?;
        let aggregates = wanted.aggregates(&self.plan)?;
        let (shown, order, needed) = self.shown(wanted, source)?;
        let shape = schema(&shown);
        let (rows, columns) =
            (uncalculated(&self.inside.frame.rows, row), uncalculated(&self.inside.frame.columns, column));
        let bare = Grouping {
            values: self.plan.grouping.values.clone(),
            finer: self.plan.grouping.finer.clone(),
            ..Grouping::default()
        };
        let cell = |row: &Entry<Either>, column: &Entry<Either>| Counted {
            row: *row,
            column: *column,
            scan: Scan::new(&bare),
        };
        let mut cells: Vec<Counted<'_>> =
            rows.iter().flat_map(|row| columns.iter().map(move |column| cell(row, column))).collect();
        self.narrow(&rows, &columns, source)?;
        let mut sieve = self.sieve.clone();
        let paths = self.wanted(&rows, &columns);
        let mut sorted = Sorted::new(wanted.order.iter().map(|o| o.descending).collect(), wanted.limit);
        let mut given = 0;
        let mut give = |batch: RecordBatch| {
            let room = wanted.limit.map_or(usize::MAX, |limit| limit - given);
            let batch = batch.slice(0, batch.num_rows().min(room));
            given += batch.num_rows();
            if batch.num_rows() > 0 { take(batch) } else { Ok(()) }
        };
        source.scan(&needed, &mut |batch| {
            let spots = sieve.sift(&batch, &paths)?;
            if spots.iter().all(Option::is_none) {
                return Ok(());
            }
            count_each(&mut cells, columns.len(), &batch, &spots)?;
            let kept = keep(&batch, BooleanBuffer::collect_bool(spots.len(), |line| spots[line].is_some()))?;
            let batch = show(&shown, &shape, &kept)?;
            if order.is_empty() {
                return give(batch);
            }
            let by: Vec<_> = order.iter().map(|shown| shown.keys(&kept)).collect::<Result<_>>()?;
            let line = |i: usize| by.iter().map(|keys| keys[i].clone()).collect();
            sorted.push(batch, (0..kept.num_rows()).map(line).collect())
        })?;
        if let Some(batch) = sorted.finish()? {
            give(batch)?;
        }
        let parts: Vec<TiedPart> = cells
            .into_iter()
            .filter_map(|counted| self.tied(counted, &aggregates).transpose())
            .collect::<Result<_>>()?;
        Ok(Tied { lines: parts.iter().map(|part| part.lines).sum(), given: given as u64, parts })
    }

    /// For every path of the scan, which of some rows and columns it is under.
    fn wanted(&self, rows: &[Entry<Either>], columns: &[Entry<Either>]) -> WantedPaths {
        let under = |axis: &Axis<Either>, entries: &[Entry<Either>]| -> Vec<u32> {
            let depth = axis.depth();
            let spot = |node: u32| {
                let is = |entry: &Entry<Either>| axis.ancestor(depth, node, entry.level()) == entry.node;
                entries.iter().position(is).map_or(NOWHERE, |place| place as u32)
            };
            (0..axis.len(depth) as u32).map(spot).collect()
        };
        let frame = &self.inside.frame;
        self.sieve.wanted(&self.inside.moved, &under(&frame.rows, rows), &under(&frame.columns, columns))
    }

    /// What the lines of a cell add up to beside what it has; nothing where there is no such cell.
    fn tied(&self, counted: Counted<'_>, aggregates: &BTreeSet<usize>) -> Result<Option<TiedPart>> {
        let Counted { row, column, scan } = counted;
        let frame = &self.inside.frame;
        let cells = &frame.grains[Grain::new(row.level(), column.level())];
        let Some(cell) = cells.pairs.find(row.node, column.node) else { return Ok(None) };
        let mut groups = scan.finish(1);
        // A cell without lines has the aggregates of none.
        groups.states.resize(1);
        let mut compared = Vec::new();
        for place in aggregates {
            let finished = groups.states.finish(&self.plan.aggregates[*place]);
            let finished = finished.map_err(|_| Error::overflow("a sum over the lines"))?;
            compared.push(TiedAggregate {
                formula: self.plan.aggregate_texts[*place].clone(),
                of_lines: finished.iter().next().flatten(),
                of_cell: cells.aggregates[*place].get(cell as usize),
            });
        }
        Ok(Some(TiedPart {
            address: Address::of(&self.crosstab, row.on(), column.on()),
            lines: groups.report.read,
            lines_of_cell: cells.lines[cell as usize],
            aggregates: compared,
        }))
    }
}

/// The entries that are not calculated which an entry is made of.
fn uncalculated<S: OfAxis>(axis: &Axis<Either>, entry: Entry<S>) -> Vec<Entry<Either>> {
    let made_of = made_of(axis, entry.level(), entry.node);
    made_of.into_iter().map(|node| Entry::at(entry.level(), node)).collect()
}
