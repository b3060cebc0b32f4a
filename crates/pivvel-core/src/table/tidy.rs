//! The tidy result: one row a cell and measure, each with its level, its members and its place
//! among its peers. The columns are a contract; docs/tidy-result.md says what each one means.

use std::sync::Arc;

use arrow_array::builder::StringBuilder;
use arrow_array::{ArrayRef, Float64Array, RecordBatch, StringArray, UInt64Array};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::spec::{exact_field, metadata};
use crate::crosstab::{Cell, CrossTab};
use crate::model::Value;
use crate::peers::Yardstick;
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
    crosstab: &'a CrossTab,
    cell: Cell<'a>,
    measure: usize,
}

/// Every row of the tidy result: rows in display order, then columns, then measures.
pub fn tidy(crosstab: &CrossTab) -> impl Iterator<Item = TidyRow<'_>> {
    crosstab.cells().flat_map(move |cell| tidy_of(crosstab, cell))
}

/// The rows of one cell.
pub(super) fn tidy_of<'a>(crosstab: &'a CrossTab, cell: Cell<'a>) -> impl Iterator<Item = TidyRow<'a>> {
    let shown = (0..crosstab.measures().len()).filter(move |m| cell.shows(*m));
    shown.map(move |measure| TidyRow { crosstab, cell, measure })
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
    let mut labels = Vec::new();
    for (axis, entry) in [(crosstab.rows(), cell.row()), (crosstab.columns(), cell.column())] {
        labels.extend(axis.path(entry).iter().map(|member| Some(member.label())));
        labels.extend(std::iter::repeat_n(None, axis.depth() - entry.level()));
    }
    labels
}

impl<'a> TidyRow<'a> {
    /// The label of each dimension, rows first; `None` where it is rolled up, empty for a blank
    /// member.
    pub fn members(&self) -> Vec<Option<&'a str>> {
        members_of(self.crosstab, &self.cell)
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
        self.measure
    }

    /// The measure's name.
    pub fn measure(&self) -> &'a str {
        &self.crosstab.measures()[self.measure].name
    }

    /// The value; `None` where it is blank.
    pub fn value(&self) -> Option<Value> {
        self.cell.value(self.measure)
    }

    /// How many lines are behind it.
    pub fn lines(&self) -> u64 {
        self.cell.lines()
    }

    /// What its group of peers is called: the measure, the row level and the column level; where
    /// members are scaled apart, with the label of what they are or are under; where not all cells of
    /// a grain are peers, with the members that they are in.
    pub fn peers(&self) -> &'a str {
        self.cell.peers(self.measure).unwrap_or_default()
    }

    /// The yardstick of its peers; `None` where none of them has a value.
    pub fn yardstick(&self) -> Option<&Yardstick> {
        self.cell.yardstick(self.measure)
    }

    /// Its position among its peers; see [`Cell::position`].
    pub fn position(&self) -> Option<f64> {
        self.cell.position(self.measure)
    }

    /// Its rank among its peers; see [`Cell::rank`].
    pub fn rank(&self) -> Option<u32> {
        self.cell.rank(self.measure)
    }

    fn axes(&self) -> [(&'a Axis, Entry); 2] {
        [(self.crosstab.rows(), self.cell.row()), (self.crosstab.columns(), self.cell.column())]
    }
}

impl CrossTab {
    /// The tidy result as an Arrow record batch. `value`, `peer_low` and `peer_high` are binary
    /// floating point; the text column `exact` after `value` holds the value to the last digit.
    pub fn to_record_batch(&self) -> RecordBatch {
        let rows: Vec<TidyRow<'_>> = tidy(self).collect();
        TidyShape::new(self, false).batch(&rows)
    }
}

/// The columns of the tidy result, where exact numbers stand as text or beside binary ones.
pub(super) struct TidyShape {
    pub(super) schema: SchemaRef,
    dimensions: usize,
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
        TidyShape { schema: Arc::new(schema), dimensions: names.len(), exact }
    }

    pub(super) fn batch(&self, rows: &[TidyRow<'_>]) -> RecordBatch {
        let mut members: Vec<StringBuilder> = (0..self.dimensions).map(|_| StringBuilder::new()).collect();
        for row in rows {
            members.iter_mut().zip(row.members()).for_each(|(builder, label)| builder.append_option(label));
        }
        let members = members.into_iter().map(|mut builder| Arc::new(builder.finish()) as ArrayRef);
        let mut arrays: Vec<ArrayRef> = members.collect();
        let texts = |of: &dyn Fn(&TidyRow<'_>) -> Option<String>| {
            Arc::new(rows.iter().map(of).collect::<StringArray>()) as ArrayRef
        };
        let words = |of: &dyn Fn(&TidyRow<'_>) -> String| texts(&|row| Some(of(row)));
        let floats = |of: &dyn Fn(&TidyRow<'_>) -> Option<f64>| {
            Arc::new(rows.iter().map(of).collect::<Float64Array>()) as ArrayRef
        };
        let counts = |of: &dyn Fn(&TidyRow<'_>) -> Option<u64>| {
            Arc::new(rows.iter().map(of).collect::<UInt64Array>()) as ArrayRef
        };
        // A date has no number; it stands as text.
        let number = |value: Value| (!matches!(value, Value::Date(_))).then(|| value.as_f64());
        let numbers = |of: &dyn Fn(&TidyRow<'_>) -> Option<Value>| match self.exact {
            true => texts(&|row| of(row).map(|value| value.to_string())),
            false => floats(&|row| of(row).and_then(number)),
        };
        arrays.extend([
            words(&|row| row.levels()[0].to_string()),
            words(&|row| row.levels()[1].to_string()),
            words(&|row| row.kinds()[0].to_string()),
            words(&|row| row.kinds()[1].to_string()),
            words(&|row| row.measure().to_string()),
            numbers(&|row| row.value()),
        ]);
        if !self.exact {
            arrays.push(texts(&|row| row.value().map(|value| value.to_string())));
        }
        arrays.extend([
            counts(&|row| Some(row.lines())),
            words(&|row| row.peers().to_string()),
            counts(&|row| Some(row.yardstick().map_or(0, |y| y.count))),
            numbers(&|row| row.yardstick().map(|y| y.low)),
            numbers(&|row| row.yardstick().map(|y| y.high)),
            floats(&|row| row.yardstick().and_then(|y| y.mean)),
            floats(&|row| row.position()),
            counts(&|row| row.rank().map(u64::from)),
        ]);
        RecordBatch::try_new(self.schema.clone(), arrays)
            .unwrap_or_else(|e| unreachable!("every column is as the schema says: {e}"))
    }
}
