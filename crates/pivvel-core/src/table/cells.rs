//! One row a cell, with a typed column for each measure.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch, UInt64Array};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::coded::{AxisCodes, batch_of};
use super::column::{Holds, own_name};
use super::dimension::{LABEL, fields, held, pools_of};
use super::pools::Pools;
use super::spec::{Levels, Texts, metadata};
use super::tidy::tidy_dimensions;
use crate::crosstab::{Cell, CrossTab};

pub(super) struct CellsShape {
    pub(super) schema: SchemaRef,
    /// What the dimensions of rows and columns hold.
    held: [Vec<Option<Holds>>; 2],
    /// The measures that it holds, by their places.
    measures: Vec<(usize, Holds)>,
    pools: Pools,
}

/// The columns between those of the dimensions and those of the measures.
const COLUMNS: [&str; 5] = ["row_level", "column_level", "row_kind", "column_kind", "lines"];

impl CellsShape {
    pub(super) fn new(crosstab: &CrossTab, kept: &Levels, exact: bool, places: Vec<usize>) -> CellsShape {
        let held = [held(crosstab.rows(), exact), held(crosstab.columns(), exact)];
        let of_dimension =
            |(name, holds): (String, &Option<Holds>)| fields(&name, &format!("{name}{LABEL}"), *holds);
        let dimensions = tidy_dimensions(crosstab).into_iter().zip(held.iter().flatten());
        let mut fields: Vec<Field> = dimensions.flat_map(of_dimension).collect();
        fields.extend(COLUMNS.map(|name| Field::new(name, DataType::Utf8, true)));
        let mut names: Vec<String> = fields.iter().map(|field| field.name().clone()).collect();
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
        CellsShape { schema: Arc::new(schema), held, measures, pools: Pools::default() }
    }

    /// The same with dictionaries of the texts that the rows of some levels have.
    pub(super) fn with_dictionaries(mut self, crosstab: &CrossTab, kept: &Levels) -> CellsShape {
        let (rows, columns) = kept.with_cells(crosstab);
        let of_columns = pools_of(crosstab.columns(), columns, &self.held[1]);
        self.pools = Pools::new(pools_of(crosstab.rows(), rows, &self.held[0]).with(of_columns));
        self.schema = self.pools.typed(&self.schema);
        self
    }

    pub(super) fn batch(&self, crosstab: &CrossTab, cells: &[Cell<'_>], form: Texts) -> RecordBatch {
        let rows = AxisCodes::of_runs(crosstab.rows(), cells.iter().map(Cell::row));
        let columns = AxisCodes::new(crosstab.columns(), cells.iter().map(Cell::column));
        let located = rows.located(&self.held[0]).with(columns.located(&self.held[1]));
        let located = located.iter().enumerate();
        let mut arrays: Vec<ArrayRef> =
            located.map(|(place, column)| column.array(form, self.pools.get(place))).collect();
        arrays.push(Arc::new(UInt64Array::from_iter_values(cells.iter().map(Cell::lines))));
        let array =
            |(place, holds): &(usize, Holds)| holds.array(cells.iter().map(|cell| cell.value(*place)));
        arrays.extend(self.measures.iter().map(array));
        batch_of(&self.schema, arrays)
    }
}
