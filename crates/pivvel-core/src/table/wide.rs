//! As shown: one row for each row, one column for each column and measure.

use std::sync::Arc;

use arrow_array::{ArrayRef, RecordBatch, StringArray};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::column::{Holds, own_name};
use super::spec::{Levels, ROWS, Table, TablePart, metadata};
use crate::crosstab::CrossTab;
use crate::model::Value;
use crate::rollup::{Axis, Entry, MemberRef};

pub(super) fn table<'a>(crosstab: &'a CrossTab, kept: &Levels, measures: &[usize]) -> Table<'a> {
    let shown = |axis: &Axis, kept: &[bool]| -> Vec<Entry> {
        axis.entries().iter().copied().filter(|entry| kept[entry.level()]).collect()
    };
    let rows = shown(crosstab.rows(), &kept.rows);
    let mut names: Vec<String> = Vec::new();
    let mut fields: Vec<Field> = Vec::new();
    let dimensions = crosstab.rows().dimensions().iter().map(|d| d.name.clone());
    for name in dimensions.chain(["row_level".into(), "row_kind".into()]) {
        fields.push(Field::new(own_name(name, &mut names), DataType::Utf8, true));
    }
    let mut columns: Vec<(Entry, usize, Holds)> = Vec::new();
    for entry in shown(crosstab.columns(), &kept.columns) {
        for measure in measures.iter().copied() {
            let holds = Holds::of(rows.iter().filter_map(|row| value(crosstab, *row, entry, measure)));
            let name = own_name(heading(crosstab, entry, measure), &mut names);
            fields.push(Field::new(name, holds.data_type(), true));
            columns.push((entry, measure, holds));
        }
    }
    let schema = Arc::new(Schema::new(fields).with_metadata(metadata(crosstab)));
    let own = schema.clone();
    let parts: Vec<Vec<Entry>> = rows.chunks(ROWS).map(<[Entry]>::to_vec).collect();
    let columns = Arc::new(columns);
    let batch = move |rows: &[Entry], schema: SchemaRef, columns: &[(Entry, usize, Holds)]| {
        let axis = crosstab.rows();
        let paths: Vec<Vec<MemberRef<'_>>> = rows.iter().map(|row| axis.path(*row)).collect();
        let label = |i: usize| {
            let labels = paths.iter().map(|path| path.get(i).map(MemberRef::label));
            Arc::new(labels.collect::<StringArray>()) as ArrayRef
        };
        let mut arrays: Vec<ArrayRef> = (0..axis.depth()).map(label).collect();
        let words = |of: &dyn Fn(Entry) -> String| {
            Arc::new(rows.iter().map(|row| Some(of(*row))).collect::<StringArray>()) as ArrayRef
        };
        arrays.push(words(&|row| axis.level_name(row.level()).to_string()));
        arrays.push(words(&|row| axis.kind(row).to_string()));
        arrays.extend(columns.iter().map(|(column, measure, holds)| {
            holds.array(rows.iter().map(|row| value(crosstab, *row, *column, *measure)))
        }));
        RecordBatch::try_new(schema, arrays)
            .unwrap_or_else(|e| unreachable!("every column is as the schema says: {e}"))
    };
    let parts = parts.into_iter().map(move |rows| {
        let (schema, columns) = (own.clone(), Arc::clone(&columns));
        TablePart::new(move |_| batch(&rows, schema, &columns))
    });
    Table { schema, parts: Box::new(parts) }
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
