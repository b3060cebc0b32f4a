//! The sum.

use super::numbers::{Total, finite};
use super::{AggregateFunction, DEFAULT, Needs};

pub(super) static SUM: AggregateFunction = AggregateFunction {
    name: "sum",
    usage: "sum(amount)",
    needs: Needs { sum: true, ..Needs::NONE },
    adds_up: true,
    result: |of, _| if of.is_number() { Ok(of) } else { Err("numbers") },
    of_states: |states, _| states.sum().map(Some),
    of_values: |values, _| Total::of(values)?.value().map(finite).transpose(),
    ..DEFAULT
};
