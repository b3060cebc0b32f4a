//! As shown: one row for each row, one column for each column and measure.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::coded::{AxisCodes, batch_of};
use super::column::{Holds, own_name};
use super::dimension::{self, LABEL, held, location_columns};
use super::spec::{Levels, ROWS, Table, TablePart, Texts, metadata};
use crate::crosstab::CrossTab;
use crate::model::Value;
use crate::rollup::{Axis, Entry, MemberRef};

struct WideShape {
    schema: SchemaRef,
    /// What the dimensions of the rows hold.
    held: Vec<Option<Holds>>,
    /// The columns after them: of which entry, which measure, and what it holds there.
    columns: Vec<(Entry, usize, Holds)>,
}

pub(super) fn table<'a>(crosstab: &'a CrossTab, kept: &Levels, exact: bool, measures: &[usize]) -> Table<'a> {
    let rows = shown(crosstab.rows(), &kept.rows);
    let shape =
        Arc::new(WideShape::new(crosstab, &rows, &shown(crosstab.columns(), &kept.columns), exact, measures));
    let parts: Vec<Vec<Entry>> = rows.chunks(ROWS).map(<[Entry]>::to_vec).collect();
    let schema = shape.schema.clone();
    let parts = parts.into_iter().map(move |rows| {
        let shape = Arc::clone(&shape);
        TablePart::new(move |_| shape.batch(crosstab, &rows))
    });
    Table { schema, parts: Box::new(parts) }
}

/// The entries of an axis whose levels are kept.
fn shown(axis: &Axis, kept: &[bool]) -> Vec<Entry> {
    axis.entries().iter().copied().filter(|entry| kept[entry.level()]).collect()
}

impl WideShape {
    fn new(
        crosstab: &CrossTab,
        rows: &[Entry],
        across: &[Entry],
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
        WideShape { schema, held, columns }
    }

    fn batch(&self, crosstab: &CrossTab, rows: &[Entry]) -> RecordBatch {
        let axes = [AxisCodes::new(crosstab.rows(), rows.iter().copied())];
        let located = location_columns(&axes, [&self.held]);
        let mut arrays: Vec<ArrayRef> = located.iter().map(|column| column.array(Texts::Utf8)).collect();
        arrays.extend(self.columns.iter().map(|(column, measure, holds)| {
            holds.array(rows.iter().map(|row| value(crosstab, *row, *column, *measure)))
        }));
        batch_of(&self.schema, arrays)
    }
}

fn value(crosstab: &CrossTab, row: Entry, column: Entry, measure: usize) -> Option<Value> {
    crosstab.cell(row, column)?.value(measure)
}

/// The members that lead to a column, then the measure where there are several or no member.
fn heading(crosstab: &CrossTab, column: Entry, measure: usize) -> String {
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
