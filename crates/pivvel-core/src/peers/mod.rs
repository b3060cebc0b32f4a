//! Peers: the cells that are scaled together, and the yardstick that they are measured by.
//!
//! The peers of a cell are the cells of the same measure at the same grain. A total is never among
//! the peers of its parts, so it cannot make them look small.

use crate::lines::Value;

/// The cells of one measure at one grain, each measured by the yardstick of its class: plain
/// members, the others, and each calculated item by itself.
#[derive(Debug, Clone)]
pub struct Peers {
    yardsticks: Vec<Option<Yardstick>>,
    /// What each yardstick is for: classes of rows and columns.
    classes: Vec<(u16, u16)>,
    /// The yardstick of each cell; [`NONE`] for cells that are not shown.
    class_of: Vec<u16>,
    /// Rank by cell; 0 for a cell without a value.
    ranks: Vec<u32>,
}

const NONE: u16 = u16::MAX;

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
    pub(crate) fn new(values: &[Option<Value>], classes: &[(u16, u16)], shown: &[bool]) -> Peers {
        // Plain cells are the first class, whether there are any or not.
        let mut known = vec![(0, 0)];
        let mut orders: Vec<Vec<(usize, Value)>> = vec![Vec::new()];
        let mut class_of = vec![NONE; values.len()];
        for cell in (0..values.len()).filter(|cell| shown[*cell]) {
            let class = known.iter().position(|class| *class == classes[cell]).unwrap_or_else(|| {
                known.push(classes[cell]);
                orders.push(Vec::new());
                known.len() - 1
            });
            class_of[cell] = class as u16;
            orders[class].extend(values[cell].map(|value| (cell, value)));
        }
        let mut ranks = vec![0; values.len()];
        let yardsticks = orders.into_iter().map(|order| measure(order, &mut ranks)).collect();
        Peers { yardsticks, classes: known, class_of, ranks }
    }

    /// The yardstick of plain members; `None` where no cell has a value.
    pub fn yardstick(&self) -> Option<&Yardstick> {
        self.yardsticks[0].as_ref()
    }

    /// Every yardstick with the classes that it is for, that of plain members first.
    pub(crate) fn by_class(&self) -> impl Iterator<Item = ((u16, u16), &Yardstick)> {
        self.classes
            .iter()
            .zip(&self.yardsticks)
            .filter_map(|(class, yardstick)| Some((*class, yardstick.as_ref()?)))
    }

    /// The class of a cell, if it is shown.
    pub(crate) fn class(&self, cell: usize) -> Option<(u16, u16)> {
        self.classes.get(usize::from(self.class_of[cell])).copied()
    }

    /// The yardstick of a cell's own peers.
    pub(crate) fn yardstick_of(&self, cell: usize) -> Option<&Yardstick> {
        self.yardsticks.get(usize::from(self.class_of[cell]))?.as_ref()
    }

    /// The rank of a cell, 1 for the highest value; equal values share the lowest rank number.
    pub(crate) fn rank(&self, cell: usize) -> Option<u32> {
        Some(self.ranks[cell]).filter(|rank| *rank > 0)
    }

    /// Where a cell's value stands among its peers.
    pub(crate) fn position(&self, cell: usize, value: &Value) -> Option<f64> {
        self.yardstick_of(cell)?.position(value)
    }
}

/// The yardstick of values, and the rank of each.
fn measure(mut order: Vec<(usize, Value)>, ranks: &mut [u32]) -> Option<Yardstick> {
    order.sort_unstable_by(|(_, a), (_, b)| b.order(a));
    let mut rank = 0;
    for (place, (cell, value)) in order.iter().enumerate() {
        if place == 0 || order[place - 1].1.order(value).is_ne() {
            rank = place as u32 + 1;
        }
        ranks[*cell] = rank;
    }
    let ((_, high), (_, low)) = order.first().zip(order.last())?;
    Some(Yardstick { count: order.len() as u64, low: *low, high: *high, mean: mean(&order) })
}

impl Yardstick {
    /// Where a value stands between the lowest and the highest, from 0 to 1; `None` for a lone
    /// cell and where low and high are the same.
    pub fn position(&self, value: &Value) -> Option<f64> {
        let Yardstick { low, high, .. } = *self;
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
