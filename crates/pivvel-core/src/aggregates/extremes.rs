//! The lowest and the highest value.

use super::{AggregateFunction, Keeps, Needs, one_of_them};
use crate::model::Value;

pub(super) static MIN: AggregateFunction = AggregateFunction {
    name: "min",
    usage: "min(amount)",
    clauses: &["where"],
    takes_share: false,
    keeps: Keeps::Values,
    needs: Needs { low: true, ..Needs::NONE },
    adds_up: false,
    result: one_of_them,
    of_nothing: None,
    of_states: |states, _| Ok(Some(states.low())),
    of_values: |values, _| Ok(lowest(values)),
};

pub(super) static MAX: AggregateFunction = AggregateFunction {
    name: "max",
    usage: "max(amount)",
    clauses: &["where"],
    takes_share: false,
    keeps: Keeps::Values,
    needs: Needs { high: true, ..Needs::NONE },
    adds_up: false,
    result: one_of_them,
    of_nothing: None,
    of_states: |states, _| Ok(Some(states.high())),
    of_values: |values, _| Ok(highest(values)),
};

pub(super) fn lowest(values: &[Value]) -> Option<Value> {
    values.iter().copied().min_by(Value::order)
}

pub(super) fn highest(values: &[Value]) -> Option<Value> {
    values.iter().copied().max_by(Value::order)
}
