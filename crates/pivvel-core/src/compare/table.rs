//! A comparison as a table: one row a cell and measure.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::{ArrayRef, Float64Array, RecordBatch, StringArray, UInt64Array};
use arrow_schema::{DataType, Field, Schema};

use super::change::{Change, Comparison};
use crate::model::Value;

impl Comparison {
    /// Every change as a row: the dimensions, `row_level`, `column_level`, `row_kind`, `column_kind`, `measure`,
    /// `state` (`both`, `new`, `gone`), `earlier`, `later`, `change`, `relative`, `earlier_lines`, `later_lines`,
    /// `earlier_rank`, `later_rank`, then the changes of the same level: `peer_count`, `peer_low`, `peer_high`,
    /// `position`, `rank`; and for ratios what their members make of the change, `own` and `mix`. Values are
    /// exact as text where `exact` is asked for, else binary floating point.
    pub fn to_record_batch(&self, exact: bool) -> RecordBatch {
        let mut fields: Vec<Field> = Vec::new();
        let mut arrays: Vec<ArrayRef> = Vec::new();
        let mut add = |field: Field, array: ArrayRef| {
            fields.push(field);
            arrays.push(array);
        };
        let changes = self.changes();
        let mixed: HashMap<_, _> =
            self.mixed().iter().map(|m| ((&m.measure, &m.members, &m.levels), (m.own, m.mix))).collect();
        let of_mix =
            |change: &Change| mixed.get(&(&change.measure, &change.members, &change.levels)).copied();
        let texts = |of: &dyn Fn(&Change) -> Option<String>| {
            Arc::new(changes.iter().map(of).collect::<StringArray>()) as ArrayRef
        };
        let floats = |of: &dyn Fn(&Change) -> Option<f64>| {
            Arc::new(changes.iter().map(of).collect::<Float64Array>()) as ArrayRef
        };
        let counts = |of: &dyn Fn(&Change) -> Option<u64>| {
            Arc::new(changes.iter().map(of).collect::<UInt64Array>()) as ArrayRef
        };
        let text = |name: &str| Field::new(name, DataType::Utf8, true);
        for (i, dimension) in self.dimensions.iter().enumerate() {
            add(text(dimension), texts(&|change| change.members[i].clone()));
        }
        for (i, name) in ["row_level", "column_level"].into_iter().enumerate() {
            add(text(name), texts(&|change| Some(change.levels[i].clone())));
        }
        for (i, name) in ["row_kind", "column_kind"].into_iter().enumerate() {
            add(text(name), texts(&|change| Some(change.kinds[i].clone())));
        }
        add(text("measure"), texts(&|change| Some(change.measure.clone())));
        add(text("state"), texts(&|change| Some(change.state.name().to_string())));
        let mut value = |name: &str, of: &dyn Fn(&Change) -> Option<Value>| match exact {
            true => {
                let says = HashMap::from([("pivvel:exact".to_string(), "number".to_string())]);
                add(
                    text(name).with_metadata(says),
                    texts(&|change| of(change).map(|value| value.to_string())),
                );
            }
            false => {
                let number = |value: Value| (!matches!(value, Value::Date(_))).then(|| value.as_f64());
                add(Field::new(name, DataType::Float64, true), floats(&|change| of(change).and_then(number)));
            }
        };
        value("earlier", &|change| change.earlier);
        value("later", &|change| change.later);
        value("change", &|change| change.change);
        let mut float = |name: &str, of: &dyn Fn(&Change) -> Option<f64>| {
            add(Field::new(name, DataType::Float64, true), floats(of));
        };
        float("relative", &|change| change.relative);
        let mut count = |name: &str, of: &dyn Fn(&Change) -> Option<u64>| {
            add(Field::new(name, DataType::UInt64, true), counts(of));
        };
        count("earlier_lines", &|change| Some(change.lines[0]));
        count("later_lines", &|change| Some(change.lines[1]));
        count("earlier_rank", &|change| change.ranks[0].map(u64::from));
        count("later_rank", &|change| change.ranks[1].map(u64::from));
        count("peer_count", &|change| Some(change.peer_count));
        let mut float = |name: &str, of: &dyn Fn(&Change) -> Option<f64>| {
            add(Field::new(name, DataType::Float64, true), floats(of));
        };
        float("peer_low", &|change| change.ends.map(|ends| ends.0));
        float("peer_high", &|change| change.ends.map(|ends| ends.1));
        float("position", &|change| change.position);
        add(Field::new("rank", DataType::UInt64, true), counts(&|change| change.rank.map(u64::from)));
        let mut float = |name: &str, of: &dyn Fn(&Change) -> Option<f64>| {
            add(Field::new(name, DataType::Float64, true), floats(of));
        };
        float("own", &|change| of_mix(change).map(|parts| parts.0));
        float("mix", &|change| of_mix(change).map(|parts| parts.1));
        RecordBatch::try_new(Arc::new(Schema::new(fields)), arrays)
            .unwrap_or_else(|e| unreachable!("all columns have one length: {e}"))
    }
}
