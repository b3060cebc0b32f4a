//! The value of the first and of the last line, in an order that is named; of equal places the lower and the higher
//! value, so that the order of lines decides nothing.

use super::extremes::{highest, lowest};
use super::{AggregateFunction, DEFAULT, Needs, one_of_them};

pub(super) static FIRST: AggregateFunction = AggregateFunction {
    name: "first",
    usage: "first(price by sold_on)",
    clauses: &["where", "by"],
    needs: Needs { first: true, ..Needs::NONE },
    result: one_of_them,
    of_states: |states, _| Ok(states.first()),
    of_values: |values, _| Ok(lowest(values)),
    ..DEFAULT
};

pub(super) static LAST: AggregateFunction = AggregateFunction {
    name: "last",
    usage: "last(price by sold_on)",
    clauses: &["where", "by"],
    needs: Needs { last: true, ..Needs::NONE },
    result: one_of_them,
    of_states: |states, _| Ok(states.last()),
    of_values: |values, _| Ok(highest(values)),
    ..DEFAULT
};
