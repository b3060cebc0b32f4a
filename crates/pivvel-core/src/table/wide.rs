//! As shown: one row for each row, one column for each column and measure.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::coded::{AxisCodes, batch_of};
use super::column::{Holds, own_name};
use super::dimension::{self, LABEL, held, pools_of};
use super::pools::Pools;
use super::spec::{Levels, ROWS, Table, TablePart, TableSpec, Texts, metadata};
use crate::crosstab::CrossTab;
use crate::model::Value;
use crate::rollup::{ColumnEntry, MemberRef, RowEntry};

struct WideShape {
    schema: SchemaRef,
    /// What the dimensions of the rows hold.
    held: Vec<Option<Holds>>,
    /// The columns after them: of which one, which measure, and what it holds there.
    columns: Vec<(ColumnEntry, usize, Holds)>,
    pools: Pools,
}

pub(super) fn table<'a>(
    crosstab: &'a CrossTab,
    kept: &Levels,
    spec: &TableSpec,
    measures: &[usize],
) -> Table<'a> {
    let (rows, columns) = kept.shown(crosstab);
    let mut shape = WideShape::new(crosstab, &rows, &columns, spec.exact, measures);
    if spec.dictionaries {
        shape.pools = Pools::new(pools_of(crosstab.rows(), rows.clone(), &shape.held).in_order());
        shape.schema = shape.pools.typed(&shape.schema);
    }
    let shape = Arc::new(shape);
    let parts: Vec<Vec<RowEntry>> = rows.chunks(ROWS).map(<[RowEntry]>::to_vec).collect();
    let schema = shape.schema.clone();
    let parts = parts.into_iter().map(move |rows| {
        let shape = Arc::clone(&shape);
        TablePart::new(move |_| shape.batch(crosstab, &rows))
    });
    Table { schema, parts: Box::new(parts) }
}

impl WideShape {
    fn new(
        crosstab: &CrossTab,
        rows: &[RowEntry],
        across: &[ColumnEntry],
        exact: bool,
        measures: &[usize],
    ) -> WideShape {
        let (mut names, mut fields): (Vec<String>, Vec<Field>) = Default::default();
        let held = held(crosstab.rows(), exact);
        for (dimension, holds) in crosstab.rows().dimensions().iter().zip(&held) {
            let name = own_name(dimension.name.clone(), &mut names);
            let label = holds.map(|_| own_name(format!("{}{LABEL}", dimension.name), &mut names));
            fields.extend(dimension::fields(&name, &label.unwrap_or_default(), *holds));
        }
        for name in ["row_level", "row_kind"] {
            fields.push(Field::new(own_name(name.into(), &mut names), DataType::Utf8, true));
        }
        let mut columns = Vec::new();
        for entry in across {
            for measure in measures.iter().copied() {
                let holds = Holds::of(rows.iter().filter_map(|row| value(crosstab, *row, *entry, measure)));
                let name = own_name(heading(crosstab, *entry, measure), &mut names);
                fields.push(Field::new(name, holds.data_type(), true));
                columns.push((*entry, measure, holds));
            }
        }
        let schema = Arc::new(Schema::new(fields).with_metadata(metadata(crosstab)));
        WideShape { schema, held, columns, pools: Pools::default() }
    }

    fn batch(&self, crosstab: &CrossTab, rows: &[RowEntry]) -> RecordBatch {
        let codes = AxisCodes::of_runs(crosstab.rows(), rows.iter().copied());
        let located = codes.located(&self.held).in_order();
        let located = located.iter().enumerate();
        let mut arrays: Vec<ArrayRef> =
            located.map(|(place, column)| column.array(Texts::OfTable, self.pools.get(place))).collect();
        arrays.extend(self.columns.iter().map(|(column, measure, holds)| {
            holds.array(rows.iter().map(|row| value(crosstab, *row, *column, *measure)))
        }));
        batch_of(&self.schema, arrays)
    }
}

fn value(crosstab: &CrossTab, row: RowEntry, column: ColumnEntry, measure: usize) -> Option<Value> {
    crosstab.cell(row, column)?.value(measure)
}

/// The members that lead to a column, then the measure where there are several or no member.
fn heading(crosstab: &CrossTab, column: ColumnEntry, measure: usize) -> String {
    let named = |member: &MemberRef<'_>| match member.is_blank() && member.shown().is_empty() {
        true => format!("no {}", member.dimension().label),
        false => member.shown().to_string(),
    };
    let mut parts: Vec<String> = crosstab.columns().path(column).iter().map(named).collect();
    if parts.is_empty() && crosstab.columns().depth() > 0 {
        parts.push("total".into());
    }
    if crosstab.measures().len() > 1 || parts.is_empty() {
        parts.push(crosstab.measures()[measure].name.clone());
    }
    parts.join(" / ")
}
