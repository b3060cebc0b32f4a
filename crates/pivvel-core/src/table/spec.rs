//! Which table is wanted, and what tables have in common.

use std::collections::HashMap;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, SchemaRef};

use crate::crosstab::{Cell, CrossTab};
use crate::error::{Error, Result};
use crate::model::Grain;
use crate::plan::{Dimension, Plan};
use crate::rollup::{Axis, ColumnEntry, Entry, OfAxis, RowEntry};

/// The version of what tables mean; it grows when a column's name or meaning changes.
pub const TABLE_VERSION: &str = "2";

/// Rows of a batch.
pub(super) const ROWS: usize = 8_192;

/// The shape of a table.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::table::{Shape, TableSpec};
///
/// let crosstab = crosstab();
/// let columns = |shape| crosstab.table(&TableSpec::default().shape(shape)).map(|table| table.schema().fields().len());
/// assert!(columns(Shape::Tidy)? > columns(Shape::Wide)?);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Shape {
    /// One row a cell and measure, with its place among its peers.
    #[default]
    Tidy,
    /// One row a cell, with a typed column for each measure.
    Cells,
    /// As it is shown: one row for each row, one column for each column and measure.
    Wide,
}

crate::named! { Shape is "shape of a table" { Tidy = "tidy", Cells = "cells", Wide = "wide", } }

/// Which table is wanted of a cross-tab.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::table::{Shape, TableSpec};
///
/// // A row a cell, of coasts by quarters alone.
/// let spec = TableSpec::default().shape(Shape::Cells).levels(["coast", "sold_on.quarter"]);
/// assert_eq!(spec.clone().exact(false).with_hidden(false), spec);
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TableSpec {
    pub(super) shape: Shape,
    pub(super) exact: bool,
    pub(super) levels: Vec<String>,
    pub(super) with_hidden: bool,
    pub(super) with_decisions: bool,
    pub(super) dictionaries: bool,
}

crate::setters! { TableSpec {
    /// With this shape (default: tidy).
    value shape: Shape,
    /// Whether numbers that are not of one type in a column stand as text, to the last digit, rather
    /// than as binary floating point with the exact text beside it, and dimensions of days, periods and numbers as their
    /// labels, rather than as what they are with their labels beside.
    value exact: bool,
    /// The levels to keep, by the names of dimensions, `row total` (the total column) and `column total`
    /// (the total row); on an axis of which none is named all are kept.
    list levels: String,
    /// Whether it holds the figures that the brief hides, too.
    value with_hidden: bool,
    /// Whether the tidy result says what makes each cell stand out: see [`decision_columns`](super::decision_columns).
    value with_decisions: bool,
    /// Whether texts are dictionaries of `Int32` and `Utf8`, which all batches share, rather than `Utf8`. Those of
    /// [`exact`](TableSpec::exact) numbers are not, nor is a column with more than 2 GB of different texts.
    value dictionaries: bool,
} }

/// A table, part by part.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::table::TableSpec;
///
/// let crosstab = crosstab();
/// let table = crosstab.table(&TableSpec::default())?;
/// let rows: usize = table.batches().map(|batch| batch.num_rows()).sum();
/// assert_eq!(rows, crosstab.cells().count());
/// # Ok::<(), pivvel::Error>(())
/// ```
#[non_exhaustive]
pub struct Table<'a> {
    pub(super) schema: SchemaRef,
    pub(super) parts: Box<dyn Iterator<Item = TablePart<'a>> + Send + 'a>,
}

/// Rows of a table, made when they are asked for, by whichever thread asks.
pub struct TablePart<'a>(Box<dyn FnOnce(Texts) -> RecordBatch + Send + 'a>);

/// How texts stand in a batch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Texts {
    /// As the schema of the table says.
    OfTable,
    /// As dictionaries of the batch, where they come again.
    Dictionary,
}

impl<'a> TablePart<'a> {
    pub(super) fn new(make: impl FnOnce(Texts) -> RecordBatch + Send + 'a) -> TablePart<'a> {
        TablePart(Box::new(make))
    }

    /// The rows, in columns of the table's schema.
    pub fn batch(self) -> RecordBatch {
        (self.0)(Texts::OfTable)
    }

    /// The same, with texts that come again as dictionaries of `Int32` and `Utf8`. Where a row has the text of the
    /// row before, it has its code, too.
    pub fn dictionary_batch(self) -> RecordBatch {
        (self.0)(Texts::Dictionary)
    }
}

impl std::fmt::Debug for TablePart<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("TablePart").finish_non_exhaustive()
    }
}

impl<'a> Table<'a> {
    /// The columns, with the version of their meaning among the metadata.
    pub fn schema(&self) -> &SchemaRef {
        &self.schema
    }

    /// The rows, some thousand at a time, to be made by whichever thread wants them.
    pub fn into_parts(self) -> Box<dyn Iterator<Item = TablePart<'a>> + Send + 'a> {
        self.parts
    }

    /// The rows, some thousand at a time, one part after the other.
    pub fn batches(self) -> impl Iterator<Item = RecordBatch> + 'a {
        self.parts.map(TablePart::batch)
    }
}

impl std::fmt::Debug for Table<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Table").field("schema", &self.schema).finish_non_exhaustive()
    }
}

impl TableSpec {
    /// Checks before a line is read that a plan has the levels that are to be kept.
    ///
    /// # Errors
    /// A level that is not there.
    pub fn check(&self, plan: &Plan) -> Result<()> {
        Levels::new((&plan.rows, &plan.columns), &self.levels).map(|_| ())
    }
}

/// The levels that are kept, by axis.
pub(super) struct Levels {
    pub(super) rows: Vec<bool>,
    pub(super) columns: Vec<bool>,
}

impl Levels {
    pub(super) fn new(axes: (&[Dimension], &[Dimension]), names: &[String]) -> Result<Levels> {
        let mut rows = vec![false; axes.0.len() + 1];
        let mut columns = vec![false; axes.1.len() + 1];
        for name in names {
            let level = |axis: &[Dimension]| {
                let is = |d: &Dimension| d.name == *name || d.label == *name;
                axis.iter().position(is).map(|place| place + 1)
            };
            match (name.as_str(), level(axes.0), level(axes.1)) {
                ("column total", ..) => rows[0] = true,
                ("row total", ..) => columns[0] = true,
                (_, Some(level), _) => rows[level] = true,
                (_, _, Some(level)) => columns[level] = true,
                _ => {
                    let known = axes
                        .0
                        .iter()
                        .chain(axes.1)
                        .map(|d| d.name.as_str())
                        .chain(["row total", "column total"]);
                    return Err(Error::unknown("levels", "level", name, known));
                }
            }
        }
        for axis in [&mut rows, &mut columns] {
            if !axis.contains(&true) {
                axis.fill(true);
            }
        }
        Ok(Levels { rows, columns })
    }

    /// The rows and the columns whose levels are kept.
    pub(super) fn shown(&self, crosstab: &CrossTab) -> (Vec<RowEntry>, Vec<ColumnEntry>) {
        fn kept<S: OfAxis>(axis: &Axis<S>, kept: &[bool]) -> Vec<Entry<S>> {
            axis.entries().iter().copied().filter(|entry| kept[entry.level()]).collect()
        }
        (kept(crosstab.rows(), &self.rows), kept(crosstab.columns(), &self.columns))
    }

    /// Those of them that have a cell.
    pub(super) fn with_cells(&self, crosstab: &CrossTab) -> (Vec<RowEntry>, Vec<ColumnEntry>) {
        let (mut rows, mut columns) = self.shown(crosstab);
        rows.retain(|row| crosstab.cell(*row, ColumnEntry::TOTAL).is_some());
        columns.retain(|column| crosstab.cell(RowEntry::TOTAL, *column).is_some());
        (rows, columns)
    }

    /// The pairs of levels that are kept.
    pub(super) fn grains(&self) -> impl Iterator<Item = Grain> {
        let kept = |levels: &[bool]| (0..levels.len()).filter(|level| levels[*level]).collect::<Vec<usize>>();
        let (rows, columns) = (kept(&self.rows), kept(&self.columns));
        rows.into_iter()
            .flat_map(move |row| columns.clone().into_iter().map(move |column| Grain::new(row, column)))
    }

    pub(super) fn has(&self, cell: &Cell<'_>) -> bool {
        self.rows[cell.row().level()] && self.columns[cell.column().level()]
    }
}

/// A text column of numbers.
pub(crate) fn exact_field(name: &str) -> Field {
    let says = HashMap::from([("pivvel:exact".to_string(), "number".to_string())]);
    Field::new(name, DataType::Utf8, true).with_metadata(says)
}

/// What a table tells about itself in forms that can carry it.
pub(super) fn metadata(crosstab: &CrossTab) -> HashMap<String, String> {
    let spec = [
        ("pivvel:table", TABLE_VERSION),
        ("pivvel:fingerprint", crosstab.fingerprint()),
        ("pivvel:title", crosstab.title()),
        ("pivvel:source", crosstab.source()),
    ];
    spec.into_iter().map(|(key, value)| (key.to_string(), value.to_string())).collect()
}
