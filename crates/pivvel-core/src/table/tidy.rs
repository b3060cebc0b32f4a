//! The tidy result: one row a cell and measure, each with its level, its members and its place
//! among its peers. The columns are a contract; docs/tidy-result.md says what each one means.

use std::fmt::Write;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use arrow_array::builder::StringBuilder;
use arrow_array::{ArrayRef, Float64Array, RecordBatch, UInt64Array};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::spec::{exact_field, metadata};
use crate::crosstab::{Cell, CrossTab};
use crate::model::{AxisSide, Value, threads_for};
use crate::peers::{Peers, Yardstick};
use crate::rollup::{Axis, Entry};

/// The columns after those of the dimensions.
pub const TIDY_COLUMNS: [&str; 14] = [
    "row_level",
    "column_level",
    "row_kind",
    "column_kind",
    "measure",
    "value",
    "lines",
    "peers",
    "peer_count",
    "peer_low",
    "peer_high",
    "peer_mean",
    "position",
    "rank",
];

/// One row of the tidy result.
#[derive(Debug, Clone, Copy)]
pub struct TidyRow<'a> {
    cell: Cell<'a>,
    measure: u32,
}

/// Every row of the tidy result: rows in display order, then columns, then measures.
pub fn tidy(crosstab: &CrossTab) -> impl Iterator<Item = TidyRow<'_>> {
    crosstab.cells().flat_map(move |cell| tidy_of(crosstab, cell))
}

/// The rows of one cell.
pub(super) fn tidy_of<'a>(crosstab: &'a CrossTab, cell: Cell<'a>) -> impl Iterator<Item = TidyRow<'a>> {
    let shown = (0..crosstab.measures().len()).filter(move |m| cell.shows(*m));
    shown.map(move |measure| TidyRow { cell, measure: measure as u32 })
}

/// The names of the dimensions' columns, rows first. A dimension that is called like another
/// column of the result gets `_member` after its name.
pub fn tidy_dimensions(crosstab: &CrossTab) -> Vec<String> {
    let dimensions = crosstab.rows().dimensions().iter().chain(crosstab.columns().dimensions());
    let name = |name: &String| match TIDY_COLUMNS.contains(&name.as_str()) || name == "exact" {
        true => format!("{name}_member"),
        false => name.clone(),
    };
    dimensions.map(|d| name(&d.name)).collect()
}

/// The label of each dimension, rows first; `None` where it is rolled up.
pub(super) fn members_of<'a>(crosstab: &'a CrossTab, cell: &Cell<'_>) -> Vec<Option<&'a str>> {
    let axes = [(crosstab.rows(), cell.row()), (crosstab.columns(), cell.column())];
    axes.into_iter()
        .flat_map(|(axis, entry)| (1..=axis.depth()).map(move |level| axis.label_at(entry, level)))
        .collect()
}

impl<'a> TidyRow<'a> {
    /// The label of each dimension, rows first; `None` where it is rolled up, empty for a blank
    /// member.
    pub fn members(&self) -> Vec<Option<&'a str>> {
        members_of(self.cell.crosstab(), &self.cell)
    }

    /// The label of a dimension of an axis, by its level; `None` where it is rolled up.
    fn label(&self, side: AxisSide, level: usize) -> Option<&'a str> {
        let [rows, columns] = self.axes();
        let (axis, entry) = side.pick(rows, columns);
        axis.label_at(entry, level)
    }

    /// The names of the row level and the column level.
    pub fn levels(&self) -> [&'a str; 2] {
        self.axes().map(|(axis, entry)| axis.level_name(entry.level()))
    }

    /// The kinds of the row and the column: `member`, `total`, `calculated` or `others`.
    pub fn kinds(&self) -> [&'static str; 2] {
        self.axes().map(|(axis, entry)| axis.kind(entry))
    }

    pub(super) fn measure_place(&self) -> usize {
        self.measure as usize
    }

    /// The measure's name.
    pub fn measure(&self) -> &'a str {
        &self.cell.crosstab().measures()[self.measure_place()].name
    }

    /// The value; `None` where it is blank.
    pub fn value(&self) -> Option<Value> {
        self.cell.value(self.measure_place())
    }

    /// How many lines are behind it.
    pub fn lines(&self) -> u64 {
        self.cell.lines()
    }

    /// What its group of peers is called: the measure, the row level and the column level; where
    /// members are scaled apart, with the label of what they are or are under; where not all cells of
    /// a grain are peers, with the members that they are in.
    pub fn peers(&self) -> &'a str {
        self.cell.peers(self.measure_place()).unwrap_or_default()
    }

    /// The yardstick of its peers; `None` where none of them has a value.
    pub fn yardstick(&self) -> Option<&'a Yardstick> {
        self.cell.yardstick(self.measure_place())
    }

    fn peers_at(&self) -> &'a Peers {
        self.cell.crosstab().peers(self.measure_place(), self.cell.grain())
    }

    /// Its position among its peers; see [`Cell::position`].
    pub fn position(&self) -> Option<f64> {
        self.cell.position(self.measure_place())
    }

    /// Its rank among its peers; see [`Cell::rank`].
    pub fn rank(&self) -> Option<u32> {
        self.cell.rank(self.measure_place())
    }

    fn axes(&self) -> [(&'a Axis, Entry); 2] {
        [(self.cell.crosstab().rows(), self.cell.row()), (self.cell.crosstab().columns(), self.cell.column())]
    }
}

impl CrossTab {
    /// The tidy result as an Arrow record batch. `value`, `peer_low` and `peer_high` are binary
    /// floating point; the text column `exact` after `value` holds the value to the last digit.
    pub fn to_record_batch(&self) -> RecordBatch {
        let rows: Vec<TidyRow<'_>> = tidy(self).collect();
        TidyShape::new(self, false).batch(&rows, threads_for(rows.len(), self.threads))
    }
}

/// The columns of the tidy result, where exact numbers stand as text or beside binary ones.
pub(super) struct TidyShape {
    pub(super) schema: SchemaRef,
    /// The dimensions of each axis.
    depths: [(AxisSide, usize); 2],
    exact: bool,
}

impl TidyShape {
    pub(super) fn new(crosstab: &CrossTab, exact: bool) -> TidyShape {
        let names = tidy_dimensions(crosstab);
        // Members may be null although the first rows hold none, so every column may.
        let text = |name: &str| Field::new(name, DataType::Utf8, true);
        let mut fields: Vec<Field> = names.iter().map(|name| text(name)).collect();
        for name in TIDY_COLUMNS {
            match name {
                "value" if exact => fields.push(exact_field(name)),
                "peer_low" | "peer_high" if exact => fields.push(exact_field(name)),
                "value" => {
                    fields.extend([Field::new(name, DataType::Float64, true), exact_field("exact")]);
                }
                "lines" | "peer_count" | "rank" => fields.push(Field::new(name, DataType::UInt64, true)),
                "peer_low" | "peer_high" | "peer_mean" | "position" => {
                    fields.push(Field::new(name, DataType::Float64, true));
                }
                _ => fields.push(text(name)),
            }
        }
        let schema = Schema::new(fields).with_metadata(metadata(crosstab));
        let depths =
            [(AxisSide::Rows, crosstab.rows().depth()), (AxisSide::Columns, crosstab.columns().depth())];
        TidyShape { schema: Arc::new(schema), depths, exact }
    }

    /// The rows as a batch, whose columns are built by so many threads.
    pub(super) fn batch<'a>(&self, rows: &[TidyRow<'a>], threads: usize) -> RecordBatch {
        // Several columns need these.
        let values: Vec<Option<Value>> = rows.iter().map(TidyRow::value).collect();
        let peers: Vec<&'a Peers> = rows.iter().map(TidyRow::peers_at).collect();
        let yardsticks: Vec<Option<&Yardstick>> =
            rows.iter().zip(&peers).map(|(row, peers)| peers.yardstick_of(row.cell.id as usize)).collect();
        let mut columns = self.location_columns(rows);
        if !self.exact {
            columns.push(Box::new(|| floats(values.iter().map(|value| value.and_then(number)))));
        }
        columns.push(Box::new(|| digits(values.iter().copied())));
        columns.push(Box::new(|| counts(rows.iter().map(|row| Some(row.lines())))));
        columns.push(Box::new(|| {
            texts(rows.iter().zip(&peers).map(|(row, peers)| {
                Some(row.cell.peers_name(row.measure_place(), peers).unwrap_or_default())
            }))
        }));
        let yardsticks = &yardsticks;
        let measured = move || yardsticks.iter().copied();
        columns.push(Box::new(move || counts(measured().map(|y| Some(y.map_or(0, |y| y.count))))));
        let ends: [fn(&Yardstick) -> Value; 2] = [|y| y.low, |y| y.high];
        for end in ends {
            columns.push(match self.exact {
                true => Box::new(move || digits(measured().map(|y| y.map(end)))),
                false => Box::new(move || floats(measured().map(|y| y.map(end).and_then(number)))),
            });
        }
        columns.push(Box::new(move || floats(measured().map(|y| y.and_then(|y| y.mean)))));
        let position = |(y, value): (Option<&Yardstick>, &Option<Value>)| y?.position(value.as_ref()?);
        columns.push(Box::new(|| floats(measured().zip(&values).map(position))));
        let rank = |(row, peers): (&TidyRow<'_>, &&Peers)| peers.rank(row.cell.id as usize).map(u64::from);
        columns.push(Box::new(|| counts(rows.iter().zip(&peers).map(rank))));
        RecordBatch::try_new(self.schema.clone(), build_all(columns, threads))
            .unwrap_or_else(|e| unreachable!("every column is as the schema says: {e}"))
    }

    /// The columns of where each row stands: members, levels, kinds and the measure.
    fn location_columns<'r>(&self, rows: &'r [TidyRow<'_>]) -> Vec<BuildColumn<'r>> {
        let mut columns: Vec<BuildColumn<'r>> = Vec::with_capacity(self.schema.fields().len());
        for (side, depth) in self.depths {
            for level in 1..=depth {
                columns.push(Box::new(move || texts(rows.iter().map(|row| row.label(side, level)))));
            }
        }
        let level = |(axis, entry): (&'r Axis, Entry)| axis.level_name(entry.level());
        let kind = |(axis, entry): (&'r Axis, Entry)| axis.kind(entry);
        for side in 0..2 {
            columns.push(Box::new(move || texts(rows.iter().map(|row| Some(level(row.axes()[side]))))));
        }
        for side in 0..2 {
            columns.push(Box::new(move || texts(rows.iter().map(|row| Some(kind(row.axes()[side]))))));
        }
        columns.push(Box::new(|| texts(rows.iter().map(|row| Some(row.measure())))));
        columns
    }
}

/// Builds a column.
type BuildColumn<'a> = Box<dyn FnOnce() -> ArrayRef + Send + 'a>;

/// Builds columns by so many threads.
fn build_all(columns: Vec<BuildColumn<'_>>, threads: usize) -> Vec<ArrayRef> {
    if threads < 2 {
        return columns.into_iter().map(|build| build()).collect();
    }
    let arrays: Vec<OnceLock<ArrayRef>> = columns.iter().map(|_| OnceLock::new()).collect();
    let left = Mutex::new(columns.into_iter().zip(&arrays));
    let work = || {
        let next = || left.lock().unwrap_or_else(PoisonError::into_inner).next();
        while let Some((build, array)) = next() {
            array.get_or_init(build);
        }
    };
    std::thread::scope(|scope| {
        (1..threads).for_each(|_| drop(scope.spawn(work)));
        work();
    });
    arrays.into_iter().filter_map(OnceLock::into_inner).collect()
}

/// A date has no number; it stands as text.
fn number(value: Value) -> Option<f64> {
    (!matches!(value, Value::Date(_))).then(|| value.as_f64())
}

fn texts<'a>(all: impl ExactSizeIterator<Item = Option<&'a str>>) -> ArrayRef {
    let mut builder = StringBuilder::with_capacity(all.len(), all.len() * 8);
    all.for_each(|text| builder.append_option(text));
    Arc::new(builder.finish())
}

/// Values with all their digits. Neighbours often have the same ones.
fn digits(values: impl ExactSizeIterator<Item = Option<Value>>) -> ArrayRef {
    let mut builder = StringBuilder::with_capacity(values.len(), values.len() * 12);
    // 1.5 and 1.50 are equal, and are not written alike.
    let alike = |a: Value, b: Value| match (a, b) {
        (Value::Exact(a), Value::Exact(b)) => (a.digits(), a.scale()) == (b.digits(), b.scale()),
        (a, b) => a == b,
    };
    let (mut last, mut text) = (None, String::new());
    for value in values {
        if let Some(value) = value.filter(|value| !last.is_some_and(|last| alike(*value, last))) {
            text.clear();
            // Writing into a string cannot fail.
            let _ = write!(text, "{value}");
            last = Some(value);
        }
        builder.append_option(value.map(|_| text.as_str()));
    }
    Arc::new(builder.finish())
}

fn floats(all: impl Iterator<Item = Option<f64>>) -> ArrayRef {
    Arc::new(all.collect::<Float64Array>())
}

fn counts(all: impl Iterator<Item = Option<u64>>) -> ArrayRef {
    Arc::new(all.collect::<UInt64Array>())
}
