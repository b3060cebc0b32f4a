//! Arithmetic on cells whose exact numbers lie side by side: what one by one gives, as long as the results
//! lie side by side, too.

use super::check::Blanks;
use super::expr::Operator;
use crate::model::{CellValues, power_of_ten};

/// What comes of two columns at once; nothing where it has to be found cell by cell.
pub(super) fn arithmetic(
    operator: Operator,
    blanks: Blanks,
    (left, right): (&CellValues, &CellValues),
) -> Option<CellValues> {
    let (left, right) = (left.digits()?, right.digits()?);
    let cells = 0..left.len();
    let both = |cell: usize| left.get(cell).zip(right.get(cell));
    match (operator, blanks) {
        (Operator::Divide, Blanks::Propagate) => {
            let units = (power_of_ten(left.scale), power_of_ten(right.scale));
            let ratio = |(a, b): (i64, i64)| (a as f64 / units.0) / (b as f64 / units.1);
            let finite = |cell| both(cell).map(ratio).filter(|value| value.is_finite());
            Some(CellValues::of_floats(cells.map(finite)))
        }
        (Operator::Multiply, Blanks::Propagate) => {
            let product = |cell| both(cell).map(|(a, b)| a.checked_mul(b).ok_or(()));
            CellValues::of_digits(left.scale.checked_add(right.scale)?, cells.map(product))
        }
        (Operator::Add | Operator::Subtract, _) if left.scale == right.scale => {
            let sum = |cell| {
                let (a, b) = (left.get(cell), right.get(cell));
                if blanks == Blanks::Propagate && (a.is_none() || b.is_none()) || a.or(b).is_none() {
                    return None;
                }
                let (a, b) = (a.unwrap_or(0), b.unwrap_or(0));
                let sum = if operator == Operator::Add { a.checked_add(b) } else { a.checked_sub(b) };
                Some(sum.ok_or(()))
            };
            CellValues::of_digits(left.scale, cells.map(sum))
        }
        _ => None,
    }
}
