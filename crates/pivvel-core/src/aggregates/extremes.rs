//! The lowest and the highest value.

use super::{AggregateFunction, DEFAULT, Needs, one_of_them};
use crate::model::Value;

pub(super) static MIN: AggregateFunction = AggregateFunction {
    name: "min",
    usage: "min(amount)",
    needs: Needs { low: true, ..Needs::NONE },
    result: one_of_them,
    of_states: |states, _| Ok(Some(states.low())),
    of_values: |values, _| Ok(lowest(values)),
    ..DEFAULT
};

pub(super) static MAX: AggregateFunction = AggregateFunction {
    name: "max",
    usage: "max(amount)",
    needs: Needs { high: true, ..Needs::NONE },
    result: one_of_them,
    of_states: |states, _| Ok(Some(states.high())),
    of_values: |values, _| Ok(highest(values)),
    ..DEFAULT
};

pub(super) fn lowest(values: &[Value]) -> Option<Value> {
    values.iter().copied().min_by(Value::order)
}

pub(super) fn highest(values: &[Value]) -> Option<Value> {
    values.iter().copied().max_by(Value::order)
}
