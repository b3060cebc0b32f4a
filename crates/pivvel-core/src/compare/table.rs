//! A comparison as a table: one row a cell and measure.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::{Array, ArrayRef, Float64Array, RecordBatch, StringArray, UInt64Array};
use arrow_schema::{DataType, Field, Schema};

use super::change::{Change, Comparison};
use crate::model::Value;
use crate::table::exact_field;

impl Comparison {
    /// Every change as a row: the dimensions, `row_level`, `column_level`, `row_kind`, `column_kind`, `measure`,
    /// `state` (`both`, `new`, `gone`), `earlier`, `later`, `change`, `relative`, `earlier_lines`, `later_lines`,
    /// `earlier_rank`, `later_rank`, then the changes of the same level: `peer_count`, `peer_low`, `peer_high`,
    /// `position`, `rank`; and for ratios what their members make of the change, `own` and `mix`. Values are
    /// exact as text where `exact` is asked for, else binary floating point.
    pub fn to_record_batch(&self, exact: bool) -> RecordBatch {
        let mixed: HashMap<_, _> =
            self.mixed().iter().map(|m| ((&m.measure, &m.members, &m.levels), (m.own, m.mix))).collect();
        let of_mix =
            |change: &Change| mixed.get(&(&change.measure, &change.members, &change.levels)).copied();
        let mut table =
            ChangeTable { changes: self.changes(), exact, fields: Vec::new(), arrays: Vec::new() };
        for (i, dimension) in self.dimensions.iter().enumerate() {
            table.text(dimension, |change| change.members[i].clone());
        }
        for (i, name) in ["row_level", "column_level"].into_iter().enumerate() {
            table.text(name, |change| Some(change.levels[i].clone()));
        }
        for (i, name) in ["row_kind", "column_kind"].into_iter().enumerate() {
            table.text(name, |change| Some(change.kinds[i].to_string()));
        }
        table.text("measure", |change| Some(change.measure.clone()));
        table.text("state", |change| Some(change.state.name().to_string()));
        table.value("earlier", |change| change.earlier);
        table.value("later", |change| change.later);
        table.value("change", |change| change.change);
        table.float("relative", |change| change.relative);
        table.count("earlier_lines", |change| Some(change.lines[0]));
        table.count("later_lines", |change| Some(change.lines[1]));
        table.count("earlier_rank", |change| change.ranks[0].map(u64::from));
        table.count("later_rank", |change| change.ranks[1].map(u64::from));
        table.count("peer_count", |change| Some(change.peer_count));
        table.float("peer_low", |change| change.ends.map(|ends| ends.0));
        table.float("peer_high", |change| change.ends.map(|ends| ends.1));
        table.float("position", |change| change.position);
        table.count("rank", |change| change.rank.map(u64::from));
        table.float("own", |change| of_mix(change).map(|parts| parts.0));
        table.float("mix", |change| of_mix(change).map(|parts| parts.1));
        RecordBatch::try_new(Arc::new(Schema::new(table.fields)), table.arrays)
            .unwrap_or_else(|e| unreachable!("all columns have one length: {e}"))
    }
}

/// Columns of changes, one after the other.
struct ChangeTable<'a> {
    changes: &'a [Change],
    exact: bool,
    fields: Vec<Field>,
    arrays: Vec<ArrayRef>,
}

impl ChangeTable<'_> {
    fn add(&mut self, field: Field, array: impl Array + 'static) {
        self.fields.push(field);
        self.arrays.push(Arc::new(array));
    }

    fn text(&mut self, name: &str, of: impl Fn(&Change) -> Option<String>) {
        let texts: StringArray = self.changes.iter().map(of).collect();
        self.add(Field::new(name, DataType::Utf8, true), texts);
    }

    fn float(&mut self, name: &str, of: impl Fn(&Change) -> Option<f64>) {
        let floats: Float64Array = self.changes.iter().map(of).collect();
        self.add(Field::new(name, DataType::Float64, true), floats);
    }

    fn count(&mut self, name: &str, of: impl Fn(&Change) -> Option<u64>) {
        let counts: UInt64Array = self.changes.iter().map(of).collect();
        self.add(Field::new(name, DataType::UInt64, true), counts);
    }

    fn value(&mut self, name: &str, of: impl Fn(&Change) -> Option<Value>) {
        if self.exact {
            let texts: StringArray =
                self.changes.iter().map(|change| of(change).map(|value| value.to_string())).collect();
            return self.add(exact_field(name), texts);
        }
        let number = |value: Value| (!matches!(value, Value::Date(_))).then(|| value.as_f64());
        self.float(name, |change| of(change).and_then(number));
    }
}
