//! The value that so large a share of the values is not above: exactly, and within 0.4 % of it.

use super::numbers::quantile_between;
use super::{AggregateFunction, DEFAULT, Needs, Share, float};
use crate::model::{FINEST, Overflow, Type, Value};

const EXACT: AggregateFunction = AggregateFunction {
    needs: Needs { list: true, ..Needs::NONE },
    result: between,
    of_states: |states, share| {
        quantile_between(share, states.listed(), |place| states.two_at(place)).map(Some)
    },
    of_values: of_sorted,
    ..DEFAULT
};

const ESTIMATE: AggregateFunction = AggregateFunction {
    needs: Needs { spread: true, ..Needs::NONE },
    result: float,
    of_states: |states, share| Ok(Some(Value::Float(states.quantile(share)))),
    ..EXACT
};

pub(super) static MEDIAN: AggregateFunction =
    AggregateFunction { name: "median", usage: "median(amount)", ..EXACT };

pub(super) static QUANTILE: AggregateFunction =
    AggregateFunction { name: "quantile", usage: "quantile(amount, 90%)", takes_share: true, ..EXACT };

pub(super) static MEDIAN_ESTIMATE: AggregateFunction =
    AggregateFunction { name: "median_estimate", usage: "median_estimate(amount)", ..ESTIMATE };

pub(super) static QUANTILE_ESTIMATE: AggregateFunction = AggregateFunction {
    name: "quantile_estimate",
    usage: "quantile_estimate(amount, 90%)",
    takes_share: true,
    ..ESTIMATE
};

/// Part of the way between two decimals is a decimal again.
fn between(of: Type, share: Share) -> Result<Type, &'static str> {
    match of {
        Type::Exact { scale } if scale + share.scale() <= FINEST => {
            Ok(Type::Exact { scale: scale + share.scale() })
        }
        of => float(of, share),
    }
}

fn of_sorted(values: &[Value], share: Share) -> Result<Option<Value>, Overflow> {
    let mut sorted = values.to_vec();
    sorted.sort_unstable_by(Value::order);
    let last = sorted.len() - 1;
    quantile_between(share, sorted.len(), |place| [sorted[place], sorted[(place + 1).min(last)]]).map(Some)
}
