//! What a condition says of single columns, so that a source can leave out what cannot meet it.

use super::Operator;
use super::check::Step;
use super::line::{LineFormula, LineLeaf};
use crate::lines::Limit;
use crate::model::Type;
use crate::model::{Decimal, Period};

/// Values of one column that a condition may hold for: from the lowest to the highest, both
/// included.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Extent {
    pub(crate) slot: usize,
    pub(crate) low: Option<Limit>,
    pub(crate) high: Option<Limit>,
}

/// The ranges that all lines are in for which a condition holds.
pub(crate) fn extents(condition: &LineFormula) -> Vec<Extent> {
    match &condition.step {
        Step::Logical(Operator::And, left, right) => {
            let mut both = extents(left);
            both.extend(extents(right));
            both
        }
        // One of several values of a column lies between the lowest and the highest of them.
        Step::Logical(Operator::Or, left, right) => match (&extents(left)[..], &extents(right)[..]) {
            ([a], [b]) if a.slot == b.slot => {
                let widest = |a: &Option<Limit>, b: &Option<Limit>, low: bool| {
                    let (a, b) = (a.as_ref()?, b.as_ref()?);
                    Some(if b.is_above(a) == low { a.clone() } else { b.clone() })
                };
                let low = widest(&a.low, &b.low, true);
                let high = widest(&a.high, &b.high, false);
                if low.is_none() && high.is_none() {
                    Vec::new()
                } else {
                    vec![Extent { slot: a.slot, low, high }]
                }
            }
            _ => Vec::new(),
        },
        Step::Compare(operator, left, right) => compared(*operator, left, right)
            .or_else(|| compared(flipped(*operator), right, left))
            .into_iter()
            .collect(),
        _ => Vec::new(),
    }
}

fn compared(operator: Operator, column: &LineFormula, value: &LineFormula) -> Option<Extent> {
    let (slot, part) = match &strip_casts(column).step {
        Step::Leaf(LineLeaf::Column(slot)) => (*slot, None),
        Step::Leaf(LineLeaf::Part(slot, part)) => (*slot, Some(*part)),
        _ => return None,
    };
    let constant = strip_casts(value);
    let (low, high) = match (&constant.step, part) {
        (Step::Digits(period), Some(part)) => days(Period::new(part, i32::try_from(*period).ok()?))?,
        (Step::Digits(day), None) if constant.ty == Type::Day => {
            let day = Limit::Exact((*day).into());
            (day.clone(), day)
        }
        (Step::Digits(digits), None) => {
            let Type::Exact { scale } = constant.ty else { return None };
            let number = Limit::Exact(Decimal::new(*digits, scale));
            (number.clone(), number)
        }
        (Step::Word(word), None) => (Limit::Text(word.clone()), Limit::Text(word.clone())),
        _ => return None,
    };
    let (low, high) = match operator {
        Operator::Equal => (Some(low), Some(high)),
        Operator::Less | Operator::LessOrEqual => (None, Some(high)),
        Operator::Greater | Operator::GreaterOrEqual => (Some(low), None),
        _ => return None,
    };
    Some(Extent { slot, low, high })
}

/// The formula below what only makes it finer.
fn strip_casts(formula: &LineFormula) -> &LineFormula {
    match &formula.step {
        Step::Convert(inner) if formula.ty != Type::Float => strip_casts(inner),
        _ => formula,
    }
}

/// The first and the last day of a period.
fn days(period: Period) -> Option<(Limit, Limit)> {
    let (first, last) = period.ends()?;
    let limit = |day: i32| Limit::Exact(day.into());
    Some((limit(first), limit(last)))
}

fn flipped(operator: Operator) -> Operator {
    match operator {
        Operator::Less => Operator::Greater,
        Operator::LessOrEqual => Operator::GreaterOrEqual,
        Operator::Greater => Operator::Less,
        Operator::GreaterOrEqual => Operator::LessOrEqual,
        other => other,
    }
}
