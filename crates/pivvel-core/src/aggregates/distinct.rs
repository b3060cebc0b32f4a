//! How many different values there are: exactly, by groups of their own, and about.

use super::{AggregateFunction, Keeps, Needs, Share, whole};
use crate::model::{Overflow, Value};

pub(super) static DISTINCT: AggregateFunction = AggregateFunction {
    name: "distinct",
    usage: "distinct(yard)",
    clauses: &["where"],
    takes_share: false,
    keeps: Keeps::Keys,
    needs: Needs::NONE,
    adds_up: false,
    result: whole,
    of_nothing: Some(0),
    // It is the number of its groups.
    of_states: |_, _| Ok(None),
    of_values: different,
};

pub(super) static DISTINCT_ESTIMATE: AggregateFunction = AggregateFunction {
    name: "distinct_estimate",
    usage: "distinct_estimate(yard)",
    clauses: &["where"],
    takes_share: false,
    keeps: Keeps::Hashes,
    needs: Needs { distinct: true, ..Needs::NONE },
    adds_up: false,
    result: whole,
    of_nothing: Some(0),
    of_states: |states, _| Ok(Some(Value::whole(states.distinct()))),
    // Of values that are there already nothing needs to be estimated.
    of_values: different,
};

fn different(values: &[Value], _: Share) -> Result<Option<Value>, Overflow> {
    let mut sorted = values.to_vec();
    sorted.sort_unstable_by(Value::order);
    sorted.dedup_by(|a, b| a.order(b).is_eq());
    Ok(Some(Value::whole(sorted.len() as u64)))
}
