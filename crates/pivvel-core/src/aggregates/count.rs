//! The count.

use super::{AggregateFunction, DEFAULT, Keeps, whole};
use crate::model::Value;

pub(super) static COUNT: AggregateFunction = AggregateFunction {
    name: "count",
    usage: "count() or count(amount)",
    keeps: Keeps::Presence,
    adds_up: true,
    result: whole,
    of_nothing: Some(0),
    of_states: |states, _| Ok(Some(Value::whole(states.present()))),
    of_values: |values, _| Ok(Some(Value::whole(values.len() as u64))),
    ..DEFAULT
};
