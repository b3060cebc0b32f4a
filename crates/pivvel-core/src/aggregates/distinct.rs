//! How many different values there are: exactly, by groups of their own, and about.

use super::{AggregateFunction, DEFAULT, Keeps, Needs, Share, whole};
use crate::model::{Overflow, Value};

pub(super) static DISTINCT: AggregateFunction = AggregateFunction {
    name: "distinct",
    usage: "distinct(yard)",
    keeps: Keeps::Keys,
    result: whole,
    of_nothing: Some(0),
    // It is the number of its groups.
    of_values: different,
    ..DEFAULT
};

pub(super) static DISTINCT_ESTIMATE: AggregateFunction = AggregateFunction {
    name: "distinct_estimate",
    usage: "distinct_estimate(yard)",
    keeps: Keeps::Hashes,
    needs: Needs { distinct: true, ..Needs::NONE },
    result: whole,
    of_nothing: Some(0),
    of_states: |states, _| Ok(Some(Value::whole(states.distinct()))),
    // Of values that are there already nothing needs to be estimated.
    of_values: different,
    ..DEFAULT
};

fn different(values: &[Value], _: Share) -> Result<Option<Value>, Overflow> {
    let mut sorted = values.to_vec();
    sorted.sort_unstable_by(Value::order);
    sorted.dedup_by(|a, b| a.order(b).is_eq());
    Ok(Some(Value::whole(sorted.len() as u64)))
}
