//! One row a cell, with a typed column for each measure.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch, StringArray, UInt64Array};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::column::{Holds, own_name};
use super::spec::{Levels, metadata};
use super::tidy::{members_of, tidy_dimensions};
use crate::crosstab::{Cell, CrossTab};

pub(super) struct CellsShape {
    pub(super) schema: SchemaRef,
    /// The measures that it holds, by their places.
    measures: Vec<(usize, Holds)>,
}

/// The columns between those of the dimensions and those of the measures.
const COLUMNS: [&str; 5] = ["row_level", "column_level", "row_kind", "column_kind", "lines"];

impl CellsShape {
    pub(super) fn new(crosstab: &CrossTab, kept: &Levels, places: Vec<usize>) -> CellsShape {
        let mut names = tidy_dimensions(crosstab);
        names.extend(COLUMNS.map(str::to_string));
        let mut fields: Vec<Field> =
            names.iter().map(|name| Field::new(name, DataType::Utf8, true)).collect();
        if let Some(lines) = fields.last_mut() {
            lines.set_data_type(DataType::UInt64);
        }
        let cells = || crosstab.cells().filter(|cell| kept.has(cell));
        let holds = |measure: usize| Holds::of(cells().filter_map(|cell| cell.value(measure)));
        let measures: Vec<(usize, Holds)> = places.into_iter().map(|place| (place, holds(place))).collect();
        for (place, holds) in &measures {
            let name = own_name(crosstab.measures()[*place].name.clone(), &mut names);
            fields.push(Field::new(name, holds.data_type(), true));
        }
        let schema = Schema::new(fields).with_metadata(metadata(crosstab));
        CellsShape { schema: Arc::new(schema), measures }
    }

    pub(super) fn batch(&self, crosstab: &CrossTab, cells: &[Cell<'_>]) -> RecordBatch {
        let (rows, columns) = (crosstab.rows(), crosstab.columns());
        let members: Vec<Vec<Option<&str>>> = cells.iter().map(|cell| members_of(crosstab, cell)).collect();
        let dimensions = rows.depth() + columns.depth();
        let member = |i: usize| {
            Arc::new(members.iter().map(|members| members[i]).collect::<StringArray>()) as ArrayRef
        };
        let mut arrays: Vec<ArrayRef> = (0..dimensions).map(member).collect();
        let words = |of: &dyn Fn(&Cell<'_>) -> String| {
            Arc::new(cells.iter().map(|cell| Some(of(cell))).collect::<StringArray>()) as ArrayRef
        };
        arrays.extend([
            words(&|cell| rows.level_name(cell.row().level()).to_string()),
            words(&|cell| columns.level_name(cell.column().level()).to_string()),
            words(&|cell| rows.kind(cell.row()).to_string()),
            words(&|cell| columns.kind(cell.column()).to_string()),
            Arc::new(cells.iter().map(|cell| Some(cell.lines())).collect::<UInt64Array>()),
        ]);
        let array =
            |(place, holds): &(usize, Holds)| holds.array(cells.iter().map(|cell| cell.value(*place)));
        arrays.extend(self.measures.iter().map(array));
        RecordBatch::try_new(self.schema.clone(), arrays)
            .unwrap_or_else(|e| unreachable!("every column is as the schema says: {e}"))
    }
}
