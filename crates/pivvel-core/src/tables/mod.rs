//! Cross-tabs as tables for computing on: tidy, a row a cell, or as shown.
//!
//! Tables are record batches. Exact numbers stay exact: as decimals where a column holds one measure, as
//! text beside binary floating point where a column holds several.

mod cells;
mod column;
mod tidy;
mod wide;

pub use tidy::{TIDY_COLUMNS, TidyRow, tidy, tidy_dimensions};

use std::collections::HashMap;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, Field, SchemaRef};

use crate::crosstab::{Cell, CrossTab};
use crate::error::{Error, Result};
use crate::plan::{Dimension, Plan};
use crate::rollup::Axis;
use cells::CellsShape;
use tidy::{TidyShape, tidy_of};

/// The version of what tables mean; it grows when a column's name or meaning changes.
pub const TABLE_VERSION: &str = "1";

/// Rows of a batch.
const ROWS: usize = 8_192;

/// The shape of a table.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Shape {
    /// One row a cell and measure, with its place among its peers.
    #[default]
    Tidy,
    /// One row a cell, with a typed column for each measure.
    Cells,
    /// As it is shown: one row for each row, one column for each column and measure.
    Wide,
}

/// Which table is wanted of a cross-tab.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TableSpec {
    /// Its shape.
    pub shape: Shape,
    /// Whether numbers that are not of one type in a column stand as text, to the last digit, rather
    /// than as binary floating point with the exact text beside it.
    pub exact: bool,
    /// The levels to keep, by the names of dimensions, `row total` (the total column) and `column total`
    /// (the total row); on an axis of which none is named all are kept.
    pub levels: Vec<String>,
    /// Whether it holds the figures that the brief hides, too.
    pub with_hidden: bool,
}

/// A table, batch by batch.
pub struct Table<'a> {
    /// The columns, with the version of their meaning among the metadata.
    pub schema: SchemaRef,
    /// The rows, some thousand at a time.
    pub batches: Box<dyn Iterator<Item = RecordBatch> + 'a>,
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

impl CrossTab {
    /// The cross-tab as a table.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
    /// use pivvel_core::{Batches, Brief, CrossTab, Shape, TableSpec};
    ///
    /// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
    /// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 4]));
    /// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
    /// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
    /// let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
    /// let spec = TableSpec { shape: Shape::Cells, levels: vec!["coast".into()], ..TableSpec::default() };
    /// let rows: usize = crosstab.table(&spec)?.batches.map(|batch| batch.num_rows()).sum();
    /// assert_eq!(rows, 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// A level that is not there.
    pub fn table(&self, spec: &TableSpec) -> Result<Table<'_>> {
        let axes = (self.rows().dimensions(), self.columns().dimensions());
        let kept = Levels::new(axes, &spec.levels)?;
        // What is hidden stands in no table that is not asked for it.
        let held = |measure: &usize| spec.with_hidden || !self.hides_figure(*measure);
        let measures: Vec<usize> = (0..self.measures().len()).filter(held).collect();
        Ok(match spec.shape {
            Shape::Wide => wide::table(self, &kept, &measures),
            Shape::Tidy => {
                let shape = TidyShape::new(self, spec.exact);
                let cells = self.cells().filter(move |cell| kept.has(cell));
                let rows = cells.flat_map(move |cell| tidy_of(self, cell));
                let mut rows = rows.filter(move |row| measures.contains(&row.measure_place()));
                Table {
                    schema: shape.schema.clone(),
                    batches: Box::new(std::iter::from_fn(move || {
                        let part: Vec<TidyRow<'_>> = rows.by_ref().take(ROWS).collect();
                        (!part.is_empty()).then(|| shape.batch(&part))
                    })),
                }
            }
            Shape::Cells => {
                let shape = CellsShape::new(self, &kept, measures);
                let mut cells = self.cells().filter(move |cell| kept.has(cell));
                Table {
                    schema: shape.schema.clone(),
                    batches: Box::new(std::iter::from_fn(move || {
                        let part: Vec<Cell<'_>> = cells.by_ref().take(ROWS).collect();
                        (!part.is_empty()).then(|| shape.batch(self, &part))
                    })),
                }
            }
        })
    }

    /// The levels of every pair of a row and a column level that has cells to show, each as a list for
    /// [`TableSpec::levels`] with a name for it.
    pub fn level_pairs(&self) -> Vec<(String, Vec<String>)> {
        let total =
            |level: usize, name: &str, total: &str| if level == 0 { total.into() } else { name.to_string() };
        let mut pairs = Vec::new();
        for row in 0..=self.rows().depth() {
            for column in 0..=self.columns().depth() {
                let has = |axis: &Axis, level| axis.entries().iter().any(|entry| entry.level() == level);
                if has(self.rows(), row) && has(self.columns(), column) {
                    let (r, c) = (self.rows().level_name(row), self.columns().level_name(column));
                    let levels = vec![total(row, r, "column total"), total(column, c, "row total")];
                    pairs.push((format!("{r} by {c}"), levels));
                }
            }
        }
        pairs
    }
}

/// The levels that are kept, by axis.
pub(super) struct Levels {
    rows: Vec<bool>,
    columns: Vec<bool>,
}

impl Levels {
    fn new(axes: (&[Dimension], &[Dimension]), names: &[String]) -> Result<Levels> {
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

    fn has(&self, cell: &Cell<'_>) -> bool {
        self.rows[cell.row().level()] && self.columns[cell.column().level()]
    }
}

/// A text column of numbers.
fn exact_field(name: &str) -> Field {
    let says = HashMap::from([("pivvel:exact".to_string(), "number".to_string())]);
    Field::new(name, DataType::Utf8, true).with_metadata(says)
}

/// What a table tells about itself in forms that can carry it.
fn metadata(crosstab: &CrossTab) -> HashMap<String, String> {
    let said = [
        ("pivvel:table", TABLE_VERSION),
        ("pivvel:fingerprint", crosstab.fingerprint()),
        ("pivvel:title", crosstab.title()),
        ("pivvel:source", crosstab.source()),
    ];
    said.into_iter().map(|(key, value)| (key.to_string(), value.to_string())).collect()
}
