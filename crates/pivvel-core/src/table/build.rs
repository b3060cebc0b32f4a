//! A cross-tab as a table of any shape.

use std::sync::Arc;

use super::cells::CellsShape;
use super::spec::{Levels, ROWS, Shape, Table, TablePart, TableSpec};
use super::tidy::{TidyRows, TidyShape};
use super::wide;
use crate::crosstab::{Cell, CrossTab};
use crate::error::Result;
use crate::rollup::{Axis, OfAxis};

impl CrossTab {
    /// The cross-tab as a table.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
    /// # use pivvel_core as pivvel;
    /// use pivvel::source::Batches;
    /// use pivvel::table::{Shape, TableSpec};
    /// use pivvel::{Brief, CrossTab};
    ///
    /// let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
    /// let pieces: ArrayRef = Arc::new(Int64Array::from(vec![1, 2, 4]));
    /// let batch = RecordBatch::try_from_iter([("coast", coast), ("pieces", pieces)])?;
    /// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
    /// let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
    /// let spec = TableSpec::default().shape(Shape::Cells).levels(["coast"]);
    /// let rows: usize = crosstab.table(&spec)?.batches().map(|batch| batch.num_rows()).sum();
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
            Shape::Wide => wide::table(self, &kept, spec, &measures),
            Shape::Tidy => {
                let shape = TidyShape::new(self, spec.exact, spec.with_decisions);
                let shape = Arc::new(match spec.dictionaries {
                    true => shape.with_dictionaries(&kept, &measures),
                    false => shape,
                });
                let cells = self.cells().filter(move |cell| kept.has(cell));
                let mut rows = TidyRows::new(self, cells, &measures);
                Table {
                    schema: shape.schema.clone(),
                    parts: Box::new(std::iter::from_fn(move || {
                        let mut part = Vec::with_capacity(ROWS);
                        part.extend(rows.by_ref().take(ROWS));
                        let shape = Arc::clone(&shape);
                        (!part.is_empty()).then(|| TablePart::new(move |texts| shape.batch(&part, texts, 1)))
                    })),
                }
            }
            Shape::Cells => {
                let shape = CellsShape::new(self, &kept, spec.exact, measures);
                let shape = Arc::new(match spec.dictionaries {
                    true => shape.with_dictionaries(self, &kept),
                    false => shape,
                });
                let mut cells = self.cells().filter(move |cell| kept.has(cell));
                Table {
                    schema: shape.schema.clone(),
                    parts: Box::new(std::iter::from_fn(move || {
                        let part: Vec<Cell<'_>> = cells.by_ref().take(ROWS).collect();
                        let shape = Arc::clone(&shape);
                        (!part.is_empty())
                            .then(|| TablePart::new(move |texts| shape.batch(self, &part, texts)))
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
        fn has<S: OfAxis>(axis: &Axis<S>, level: usize) -> bool {
            axis.entries().iter().any(|entry| entry.level() == level)
        }
        let mut pairs = Vec::new();
        for row in 0..=self.rows().depth() {
            for column in 0..=self.columns().depth() {
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
