//! The mean.

use super::numbers::{Total, finite};
use super::{AggregateFunction, DEFAULT, Needs};
use crate::model::Value;

pub(super) static MEAN: AggregateFunction = AggregateFunction {
    name: "mean",
    usage: "mean(amount) or mean(price weighted by quantity)",
    clauses: &["where", "weighted by"],
    needs: Needs { sum: true, ..Needs::NONE },
    of_states: |states, _| Ok(Some(Value::Float(states.mean()?))),
    of_values: |values, _| Total::of(values)?.mean(values.len()).map(Value::Float).map(finite).transpose(),
    ..DEFAULT
};
