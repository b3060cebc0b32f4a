//! Peers: the cells that are scaled together, and the yardstick that they are measured by.
//!
//! The peers of a cell are the cells of the same measure at the same grain. A total is never among
//! the peers of its parts, so it cannot make them look small.

use crate::grouping::Value;

/// The cells of one measure at one grain, measured by one yardstick.
#[derive(Debug, Clone)]
pub struct Peers {
    yardstick: Option<Yardstick>,
    /// Rank by cell; 0 for a cell without a value.
    ranks: Vec<u32>,
}

/// The reference numbers of one group of peers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Yardstick {
    /// Cells that have a value.
    pub count: u64,
    /// The lowest value.
    pub low: Value,
    /// The highest value.
    pub high: Value,
    /// The arithmetic mean; none for dates.
    pub mean: Option<f64>,
}

impl Peers {
    pub(crate) fn new(values: &[Option<Value>]) -> Peers {
        let mut order: Vec<(usize, Value)> =
            values.iter().enumerate().filter_map(|(cell, value)| Some((cell, (*value)?))).collect();
        order.sort_unstable_by(|(_, a), (_, b)| b.order(a));
        let mut ranks = vec![0; values.len()];
        let mut rank = 0;
        for (place, (cell, value)) in order.iter().enumerate() {
            if place == 0 || order[place - 1].1.order(value).is_ne() {
                rank = place as u32 + 1;
            }
            ranks[*cell] = rank;
        }
        let yardstick = order.first().zip(order.last()).map(|((_, high), (_, low))| Yardstick {
            count: order.len() as u64,
            low: *low,
            high: *high,
            mean: mean(&order),
        });
        Peers { yardstick, ranks }
    }

    /// The yardstick; `None` where no cell has a value.
    pub fn yardstick(&self) -> Option<&Yardstick> {
        self.yardstick.as_ref()
    }

    /// The rank of a cell, 1 for the highest value; equal values share the lowest rank number.
    pub(crate) fn rank(&self, cell: usize) -> Option<u32> {
        Some(self.ranks[cell]).filter(|rank| *rank > 0)
    }

    /// Where a value stands between the lowest and the highest, from 0 to 1; `None` for a lone
    /// cell and where low and high are the same.
    pub fn position(&self, value: &Value) -> Option<f64> {
        let Yardstick { low, high, .. } = self.yardstick?;
        match (low, high, *value) {
            (
                Value::Exact { digits: low, .. },
                Value::Exact { digits: high, .. },
                Value::Exact { digits, .. },
            ) => {
                // The measure has one scale, so digits are compared as they are; the difference of
                // two numbers of 38 digits may need one more.
                let span = high.checked_sub(low).map_or(high as f64 - low as f64, |d| d as f64);
                let above = digits.checked_sub(low).map_or(digits as f64 - low as f64, |d| d as f64);
                (span > 0.0).then(|| above / span)
            }
            _ => {
                let (low, high) = (low.as_f64(), high.as_f64());
                (high > low).then(|| (value.as_f64() - low) / (high - low))
            }
        }
    }
}

/// The mean of peers in the order of their values, which does not depend on how cells are numbered.
fn mean(order: &[(usize, Value)]) -> Option<f64> {
    let count = order.len() as f64;
    let mut digits = 0i128;
    for (_, value) in order {
        match value {
            Value::Date(_) => return None,
            Value::Exact { digits: more, .. } => match digits.checked_add(*more) {
                Some(sum) => digits = sum,
                None => return Some(order.iter().map(|(_, v)| v.as_f64() / count).sum()),
            },
            // Sorted by value, floats are summed in one order only.
            Value::Float(_) => return Some(order.iter().map(|(_, v)| v.as_f64()).sum::<f64>() / count),
        }
    }
    let Some((_, Value::Exact { scale, .. })) = order.first() else { return None };
    Some(digits as f64 / (count * 10f64.powi((*scale).into())))
}
