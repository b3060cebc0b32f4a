//! Cells and their values by name, where a name that is not known is an error and not a blank.

use super::cell::Cell;
use super::table::CrossTab;
use crate::error::{Error, Result};
use crate::model::{Grain, Value};
use crate::plan::Dimension;
use crate::rollup::{Axis, ColumnEntry, Entry, MemberRef, OfAxis};

impl CrossTab {
    /// The cells of one pair of levels in display order; each level by its name: see
    /// [`Axis::level_name`].
    ///
    /// ```
    /// # use std::sync::Arc;
    /// # use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
    /// # use pivvel_core as pivvel;
    /// use pivvel::source::Batches;
    /// use pivvel::{Brief, CrossTab};
    ///
    /// # let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Fell", "Skerry"]));
    /// # let harbour: ArrayRef = Arc::new(StringArray::from(vec!["Ternhaven", "Pellam Quay", "Kittick"]));
    /// # let pieces: ArrayRef = Arc::new(Int64Array::from(vec![3, 4, 5]));
    /// # let batch = RecordBatch::try_from_iter([("coast", coast), ("harbour", harbour), ("pieces", pieces)])?;
    /// # let mut lines = Batches::new(batch.schema(), [batch]);
    /// let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)"));
    /// let crosstab = CrossTab::build(&brief, &mut lines)?;
    /// let mut found = Vec::new();
    /// for cell in crosstab.level("harbour", "total")? {
    ///     found.push(format!("{:?} {:?}", cell.label("harbour")?, cell.get("pieces")?.map(|v| v.as_f64())));
    /// }
    /// assert_eq!(found[0], "Some(\"Pellam Quay\") Some(4.0)");
    /// assert!(crosstab.level("harbor", "total").is_err());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// A level that is not in the layout.
    pub fn level(&self, row: &str, column: &str) -> Result<impl Iterator<Item = Cell<'_>>> {
        let grain =
            Grain::new(level_of(&self.rows, row, "rows")?, level_of(&self.columns, column, "columns")?);
        let columns: Vec<ColumnEntry> = self.columns.at_level(grain.column).collect();
        Ok(self.rows.at_level(grain.row).flat_map(move |row| {
            columns.clone().into_iter().filter_map(move |column| self.cell(row, column))
        }))
    }

    /// The cell where two paths of labels meet; empty paths are totals. `None` where no line falls into it.
    ///
    /// # Errors
    /// A label that no member has there, with the nearest one.
    pub fn find(&self, row: &[&str], column: &[&str]) -> Result<Option<Cell<'_>>> {
        Ok(self.cell(entry_of(&self.rows, row)?, entry_of(&self.columns, column)?))
    }

    /// The place of a measure among [`CrossTab::measures`].
    ///
    /// # Errors
    /// A measure that is not shown, with the nearest one.
    pub fn measure(&self, name: &str) -> Result<usize> {
        let known = || self.measures.iter().map(|measure| measure.name.as_str());
        known().position(|own| own == name).ok_or_else(|| Error::unknown("", "measure", name, known()))
    }
}

impl<'a> Cell<'a> {
    /// The value of a measure by its name; `None` where it is blank.
    ///
    /// # Errors
    /// A measure that is not shown, with the nearest one.
    pub fn get(&self, measure: &str) -> Result<Option<Value>> {
        Ok(self.value(self.crosstab.measure(measure)?))
    }

    /// The member of a dimension that the cell is of, or is under; `None` where the dimension is rolled up.
    ///
    /// # Errors
    /// A dimension that is not in the layout, with the nearest one.
    pub fn member(&self, dimension: &str) -> Result<Option<MemberRef<'a>>> {
        let CrossTab { rows, columns, .. } = self.crosstab;
        let level =
            |dimensions: &[Dimension]| Some(dimensions.iter().position(|own| own.name == dimension)? + 1);
        if let Some(level) = level(rows.dimensions()) {
            return Ok(rows.member_at(self.row, level));
        }
        if let Some(level) = level(columns.dimensions()) {
            return Ok(columns.member_at(self.column, level));
        }
        let known = rows.dimensions().iter().chain(columns.dimensions()).map(|own| own.name.as_str());
        Err(Error::unknown("", "dimension", dimension, known))
    }

    /// The label of that member.
    ///
    /// # Errors
    /// As for [`Cell::member`].
    pub fn label(&self, dimension: &str) -> Result<Option<&'a str>> {
        Ok(self.member(dimension)?.map(|member| member.label()))
    }
}

fn level_of<S: OfAxis>(axis: &Axis<S>, name: &str, side: &str) -> Result<usize> {
    let known = || (0..=axis.depth()).map(|level| axis.level_name(level));
    known().position(|own| own == name).ok_or_else(|| Error::unknown(side, "level", name, known()))
}

/// The entry of a path, or which of its labels is not known.
fn entry_of<S: OfAxis>(axis: &Axis<S>, path: &[&str]) -> Result<Entry<S>> {
    let mut entry = Entry::TOTAL;
    for (place, label) in path.iter().enumerate() {
        let Some(dimension) = axis.dimensions().get(place) else {
            let message =
                format!("a path of {} labels is too long: there are {} levels", path.len(), axis.depth());
            return Err(Error::request(format!("{path:?}"), message));
        };
        entry = axis.below(entry, label).ok_or_else(|| {
            let what = format!("member of {}", dimension.name);
            let members = axis.members(place);
            let siblings =
                axis.below_all(entry).map(|entry| members.label(axis.member_of(place + 1, entry.node)));
            Error::unknown("", &what, label, siblings)
        })?;
    }
    Ok(entry)
}
