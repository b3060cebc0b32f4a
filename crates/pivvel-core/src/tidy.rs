//! The tidy result: one row a cell and measure, each with its level, its members and its place
//! among its peers. The columns are a contract; docs/tidy-result.md says what each one means.

use std::sync::Arc;

use arrow_array::builder::{Float64Builder, StringBuilder, UInt64Builder};
use arrow_array::{ArrayRef, RecordBatch};

use crate::crosstab::{Cell, CrossTab};
use crate::lines::Value;
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
#[derive(Debug)]
pub struct TidyRow<'a> {
    crosstab: &'a CrossTab,
    cell: Cell<'a>,
    measure: usize,
}

/// Every row of the tidy result: rows in display order, then columns, then measures.
pub fn tidy(crosstab: &CrossTab) -> impl Iterator<Item = TidyRow<'_>> {
    crosstab.cells().flat_map(move |cell| {
        let shown = (0..crosstab.measures().len()).filter(move |m| cell.shows(*m));
        shown.map(move |measure| TidyRow { crosstab, cell, measure })
    })
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

impl<'a> TidyRow<'a> {
    /// The label of each dimension, rows first; `None` where it is rolled up, empty for a blank
    /// member.
    pub fn members(&self) -> Vec<Option<&'a str>> {
        let mut labels = Vec::new();
        for (axis, entry) in self.axes() {
            labels.extend(axis.path(entry).iter().map(|member| Some(member.label())));
            labels.extend(std::iter::repeat_n(None, axis.depth() - entry.level()));
        }
        labels
    }

    /// The names of the row level and the column level.
    pub fn levels(&self) -> [&'a str; 2] {
        self.axes().map(|(axis, entry)| axis.level_name(entry.level()))
    }

    /// The kinds of the row and the column: `member`, `total`, `calculated` or `others`.
    pub fn kinds(&self) -> [&'static str; 2] {
        self.axes().map(|(axis, entry)| axis.kind(entry))
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
        let names = tidy_dimensions(self);
        let mut members: Vec<StringBuilder> = names.iter().map(|_| StringBuilder::new()).collect();
        let mut texts: [StringBuilder; 7] = std::array::from_fn(|_| StringBuilder::new());
        let mut floats: [Float64Builder; 5] = std::array::from_fn(|_| Float64Builder::new());
        let mut counts: [UInt64Builder; 3] = std::array::from_fn(|_| UInt64Builder::new());
        // A date has no number; it stands in `exact`.
        let number = |value: Value| (!matches!(value, Value::Date(_))).then(|| value.as_f64());
        for row in tidy(self) {
            members.iter_mut().zip(row.members()).for_each(|(builder, label)| builder.append_option(label));
            let ([row_level, column_level], [row_kind, column_kind]) = (row.levels(), row.kinds());
            let (exact, peers) = (row.value().map(|value| value.to_string()), row.peers());
            let said = [row_level, column_level, row_kind, column_kind, row.measure(), peers].map(Some);
            texts
                .iter_mut()
                .zip(said.into_iter().chain([exact.as_deref()]))
                .for_each(|(b, text)| b.append_option(text));
            let yardstick = row.yardstick();
            let references = [
                row.value().and_then(number),
                yardstick.and_then(|y| number(y.low)),
                yardstick.and_then(|y| number(y.high)),
                yardstick.and_then(|y| y.mean),
                row.position(),
            ];
            floats.iter_mut().zip(references).for_each(|(builder, value)| builder.append_option(value));
            let peer_count = yardstick.map_or(0, |y| y.count);
            let tallies = [Some(row.lines()), Some(peer_count), row.rank().map(u64::from)];
            counts.iter_mut().zip(tallies).for_each(|(builder, value)| builder.append_option(value));
        }
        let [row_level, column_level, row_kind, column_kind, measure, peers, exact] =
            texts.map(|mut builder| Arc::new(builder.finish()) as ArrayRef);
        let [value, low, high, mean, position] =
            floats.map(|mut builder| Arc::new(builder.finish()) as ArrayRef);
        let [lines, count, rank] = counts.map(|mut builder| Arc::new(builder.finish()) as ArrayRef);
        let fixed = [
            row_level,
            column_level,
            row_kind,
            column_kind,
            measure,
            value,
            exact,
            lines,
            peers,
            count,
            low,
            high,
            mean,
            position,
            rank,
        ];
        let labels = TIDY_COLUMNS.iter().flat_map(|name| match *name {
            "value" => vec!["value", "exact"],
            name => vec![name],
        });
        let members = members.into_iter().map(|mut builder| Arc::new(builder.finish()) as ArrayRef);
        let columns = names.iter().map(String::as_str).zip(members).chain(labels.zip(fixed));
        // Members may be null although the first rows hold none, so every column may.
        let (fields, arrays): (Vec<_>, Vec<_>) = columns
            .map(|(name, array)| (arrow_schema::Field::new(name, array.data_type().clone(), true), array))
            .unzip();
        let schema = Arc::new(arrow_schema::Schema::new(fields));
        RecordBatch::try_new(schema, arrays)
            .unwrap_or_else(|e| unreachable!("all columns have one length: {e}"))
    }
}
