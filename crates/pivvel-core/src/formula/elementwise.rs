//! Arithmetic on whole columns of digits, and functions of whole columns of numbers. The results are those of value by
//! value.

use std::sync::Arc;

use super::check::Blanks;
use super::expr::Operator;
use super::numbers::Numbers;
use super::scalar::ScalarCall;
use crate::model::{CellValues, Overflow, Type, pow10_f64};

/// The result for all cells at once; `None` if it has to be computed value by value: the values are not kept as
/// digits, or their results do not fit into digits.
pub(super) fn arithmetic(
    operator: Operator,
    blanks: Blanks,
    (left, right): (&CellValues, &CellValues),
    ty: Type,
) -> Option<CellValues> {
    let (left, right) = (left.digits()?, right.digits()?);
    let cells = 0..left.len();
    let both = |cell: usize| left.get(cell).zip(right.get(cell));
    match (operator, blanks) {
        (Operator::Divide, Blanks::Propagate) => {
            let units = (pow10_f64(left.scale), pow10_f64(right.scale));
            let ratio = |(a, b): (i64, i64)| (a as f64 / units.0) / (b as f64 / units.1);
            let finite = |cell| both(cell).map(ratio).filter(|value| value.is_finite());
            Some(CellValues::of_floats(cells.map(finite)))
        }
        (Operator::Multiply, Blanks::Propagate) => {
            let product = |cell| both(cell).map(|(a, b)| a.checked_mul(b).ok_or(Overflow)).transpose();
            CellValues::of_digits(left.scale.checked_add(right.scale)?, cells.map(product)).ok()
        }
        // A value beside a blank stays as it is, which is right only where all have the scale of the result.
        (Operator::Add | Operator::Subtract, _)
            if left.scale == right.scale && ty == (Type::Exact { scale: left.scale }) =>
        {
            let sum = |cell| {
                let (a, b) = (left.get(cell), right.get(cell));
                if blanks == Blanks::Propagate && (a.is_none() || b.is_none()) || a.or(b).is_none() {
                    return Ok(None);
                }
                let (a, b) = (a.unwrap_or(0), b.unwrap_or(0));
                let sum = if operator == Operator::Add { a.checked_add(b) } else { a.checked_sub(b) };
                sum.map(Some).ok_or(Overflow)
            };
            CellValues::of_digits(left.scale, cells.map(sum)).ok()
        }
        _ => None,
    }
}

/// What a function gives for all cells at once; `None` if it has to be asked cell by cell.
pub(super) fn apply(call: ScalarCall, arguments: &[Arc<CellValues>], of: Type) -> Option<CellValues> {
    let given = arguments.iter().map(|cells| Numbers::of_cells(cells, of));
    let result = call.of_columns(&given.collect::<Option<Vec<_>>>()?, of).ok()?;
    result.into_cells(call.function.result_type(of, call.places))
}
