//! The value of the first and of the last line, in an order that is named; of equal places the lower and the higher
//! value, so that the order of lines decides nothing.

use super::extremes::{highest, lowest};
use super::{AggregateFunction, Keeps, Needs, one_of_them};

pub(super) static FIRST: AggregateFunction = AggregateFunction {
    name: "first",
    usage: "first(price by sold_on)",
    clauses: &["where", "by"],
    takes_share: false,
    keeps: Keeps::Values,
    needs: Needs { first: true, ..Needs::NONE },
    adds_up: false,
    result: one_of_them,
    of_nothing: None,
    of_states: |states, _| Ok(states.first()),
    of_values: |values, _| Ok(lowest(values)),
};

pub(super) static LAST: AggregateFunction = AggregateFunction {
    name: "last",
    usage: "last(price by sold_on)",
    clauses: &["where", "by"],
    takes_share: false,
    keeps: Keeps::Values,
    needs: Needs { last: true, ..Needs::NONE },
    adds_up: false,
    result: one_of_them,
    of_nothing: None,
    of_states: |states, _| Ok(states.last()),
    of_values: |values, _| Ok(highest(values)),
};
