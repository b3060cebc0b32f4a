//! Running a formula over cells: a value for each, or a blank.
//!
//! Exact numbers stay exact. In `+` and `-` a blank counts as nothing when the other side has a
//! value of its own; beside a constant, in `*`, `/` and comparisons it gives a blank. A division by zero gives a blank and is
//! counted, where what it gives is used.

use std::sync::Arc;

use super::check::{Blanks, Step, TypedExpr};
use super::elementwise;
use super::expr::Operator;
use crate::model::Type;
use crate::model::{CellValues, Decimal, Overflow, Value};

/// Values of many cells, which whoever needs them shares.
pub(crate) type Values = Arc<CellValues>;
pub(crate) type Texts = Arc<Vec<Option<Arc<str>>>>;
type Truths = Vec<Option<bool>>;

/// Where the values of leaves come from.
pub(crate) trait Evaluate {
    /// What a leaf is.
    type Leaf;
    /// What can go wrong.
    type Error: From<Overflow>;

    /// How many cells there are.
    fn cells(&self) -> usize;

    /// The values of a leaf, one a cell.
    fn values(&mut self, leaf: &Self::Leaf) -> Result<Values, Self::Error>;

    /// The texts of a leaf, one a cell.
    fn texts(&mut self, leaf: &Self::Leaf) -> Result<Texts, Self::Error>;

    /// Tells that a number was divided by zero, in a cell.
    fn divided_by_zero(&mut self, cell: usize);
}

/// The values that a formula gives, one a cell.
pub(crate) fn evaluate<E: Evaluate>(formula: &TypedExpr<E::Leaf>, of: &mut E) -> Result<Values, E::Error> {
    let all = vec![true; of.cells()];
    values(formula, of, &all)
}

/// Which cells a condition holds for; not where it is blank.
pub(crate) fn holds<E: Evaluate>(condition: &TypedExpr<E::Leaf>, of: &mut E) -> Result<Vec<bool>, E::Error> {
    let all = vec![true; of.cells()];
    Ok(truths(condition, of, &all)?.into_iter().map(|truth| truth == Some(true)).collect())
}

/// `active` says in which cells the value is used: only there a division by zero counts.
fn values<E: Evaluate>(
    formula: &TypedExpr<E::Leaf>,
    of: &mut E,
    active: &[bool],
) -> Result<Values, E::Error> {
    let exact = |digits: i128| match formula.ty {
        Type::Exact { scale } => Value::Exact(Decimal::new(digits, scale)),
        Type::Float => Value::Float(digits as f64),
        _ => Value::Date(digits as i32),
    };
    let each = |inner: Values, work: &dyn Fn(Value) -> Result<Option<Value>, Overflow>| {
        let all = inner.iter().map(|value| value.map_or(Ok(None), work));
        CellValues::try_collect(inner.len(), all).map(Arc::new)
    };
    Ok(match &formula.step {
        Step::Leaf(leaf) => of.values(leaf)?,
        Step::Digits(digits) => Arc::new(CellValues::repeat(exact(*digits), of.cells())),
        Step::Nothing => Arc::new(CellValues::blank(of.cells())),
        Step::Negate(inner) => each(values(inner, of, active)?, &|value| negated(value).map(Some))?,
        Step::Convert(inner) => {
            let ty = formula.ty;
            each(values(inner, of, active)?, &|value| converted(value, ty).map(Some))?
        }
        Step::Arithmetic(operator, blanks, left, right) => {
            let (a, b) = (values(left, of, active)?, values(right, of, active)?);
            if *operator == Operator::Divide && b.has_zero() {
                for cell in (0..a.len()).filter(|cell| active[*cell]) {
                    if b.get(cell).is_some_and(is_zero) && a.get(cell).is_some() {
                        of.divided_by_zero(cell);
                    }
                }
            }
            if let Some(values) = elementwise::arithmetic(*operator, *blanks, (&a, &b), formula.ty) {
                return Ok(Arc::new(values));
            }
            let each = a.iter().zip(b.iter()).map(|(a, b)| {
                let value = arithmetic(*operator, *blanks, a, b)?;
                // A value beside a blank stays as it was, and becomes of the same kind as all others here.
                let alone = a.is_some() != b.is_some();
                match value.filter(|_| alone) {
                    Some(value) => converted(value, formula.ty).map(Some),
                    None => Ok(value),
                }
            });
            Arc::new(CellValues::try_collect::<Overflow>(a.len(), each)?)
        }
        Step::Case(branches, otherwise) => case(branches, otherwise, of, active)?,
        Step::Apply(call, arguments) => {
            let all: Vec<Values> =
                arguments.iter().map(|argument| values(argument, of, active)).collect::<Result<_, _>>()?;
            if let Some(values) = elementwise::apply(*call, &all, arguments[0].ty) {
                return Ok(Arc::new(values));
            }
            let result = |cell: usize| call.of_values(&mut all.iter().map(|values| values.get(cell)));
            let cells = of.cells();
            Arc::new(CellValues::try_collect::<Overflow>(cells, (0..cells).map(result))?)
        }
        _ => unreachable!("the check lets only values stand here"),
    })
}

/// A condition and a value.
type Branch<L> = (TypedExpr<L>, TypedExpr<L>);

/// The value of the first branch whose condition holds, else the last one.
fn case<E: Evaluate>(
    branches: &[Branch<E::Leaf>],
    otherwise: &TypedExpr<E::Leaf>,
    of: &mut E,
    active: &[bool],
) -> Result<Values, E::Error> {
    let mut open = active.to_vec();
    let mut result = vec![None; of.cells()];
    for (condition, value) in branches {
        let chosen: Vec<bool> = truths(condition, of, &open)?
            .into_iter()
            .zip(&open)
            .map(|(truth, open)| *open && truth == Some(true))
            .collect();
        let given = values(value, of, &chosen)?;
        for (cell, chosen) in chosen.into_iter().enumerate().filter(|(_, chosen)| *chosen) {
            (open[cell], result[cell]) = (!chosen, given.get(cell));
        }
    }
    let given = values(otherwise, of, &open)?;
    open.iter().enumerate().filter(|(_, open)| **open).for_each(|(cell, _)| result[cell] = given.get(cell));
    Ok(Arc::new(result.into_iter().collect()))
}

fn truths<E: Evaluate>(
    formula: &TypedExpr<E::Leaf>,
    of: &mut E,
    active: &[bool],
) -> Result<Truths, E::Error> {
    Ok(match &formula.step {
        Step::Not(inner) => truths(inner, of, active)?.into_iter().map(|truth| truth.map(|t| !t)).collect(),
        Step::Logical(operator, left, right) => {
            let (left, right) = (truths(left, of, active)?, truths(right, of, active)?);
            left.into_iter().zip(right).map(|(a, b)| logical(*operator, a, b)).collect()
        }
        Step::IsBlank(inner) if inner.ty == Type::Text => {
            let blank = |text: &Option<Arc<str>>| Some(text.as_deref().is_none_or(str::is_empty));
            texts(inner, of)?.iter().map(blank).collect()
        }
        Step::IsBlank(inner) if inner.ty == Type::Condition => {
            truths(inner, of, active)?.iter().map(|truth| Some(truth.is_none())).collect()
        }
        Step::IsBlank(inner) => values(inner, of, active)?.iter().map(|v| Some(v.is_none())).collect(),
        Step::Compare(operator, left, right) if left.ty == Type::Text => {
            let (a, b) = (texts(left, of)?, texts(right, of)?);
            let pair = |(a, b): (&Option<Arc<str>>, &Option<Arc<str>>)| {
                Some(operator.holds(a.as_deref()?.cmp(b.as_deref()?)))
            };
            a.iter().zip(b.iter()).map(pair).collect()
        }
        Step::Compare(operator, left, right) => {
            let (a, b) = (values(left, of, active)?, values(right, of, active)?);
            let pair = |(a, b): (Option<Value>, Option<Value>)| Some(operator.holds(a?.order(&b?)));
            a.iter().zip(b.iter()).map(pair).collect()
        }
        _ => unreachable!("the check lets only conditions stand here"),
    })
}

fn texts<E: Evaluate>(formula: &TypedExpr<E::Leaf>, of: &mut E) -> Result<Texts, E::Error> {
    Ok(match &formula.step {
        Step::Leaf(leaf) => of.texts(leaf)?,
        Step::Word(word) => Arc::new(vec![Some(Arc::from(word.as_str())); of.cells()]),
        Step::Apply(call, arguments) => {
            let all: Vec<Texts> =
                arguments.iter().map(|argument| texts(argument, of)).collect::<Result<_, _>>()?;
            let result = |cell: usize| match call.of_text() {
                Some(change) => all[0][cell].as_ref().map(|text| Arc::from(change(text))),
                None => all.iter().find_map(|texts| texts[cell].clone()),
            };
            Arc::new((0..of.cells()).map(result).collect())
        }
        Step::Case(branches, otherwise) => {
            let mut open = vec![true; of.cells()];
            let mut result = (*texts(otherwise, of)?).clone();
            for (condition, value) in branches {
                let (truths, given) = (truths(condition, of, &open)?, texts(value, of)?);
                for cell in (0..open.len()).filter(|cell| truths[*cell] == Some(true)) {
                    if std::mem::take(&mut open[cell]) {
                        result[cell] = given[cell].clone();
                    }
                }
            }
            Arc::new(result)
        }
        _ => Arc::new(vec![None; of.cells()]),
    })
}

/// `and` and `or`: what decides, decides even beside a blank.
pub(super) fn logical(operator: Operator, a: Option<bool>, b: Option<bool>) -> Option<bool> {
    let decisive = Some(operator == Operator::Or);
    match (a, b) {
        (a, b) if a == decisive || b == decisive => decisive,
        (Some(_), Some(_)) => decisive.map(|d| !d),
        _ => None,
    }
}

fn is_zero(value: Value) -> bool {
    match value {
        Value::Exact(number) => number.digits == 0,
        Value::Float(value) => value == 0.0,
        Value::Date(_) => false,
    }
}

/// Arithmetic on two values, either of which may be blank.
pub(crate) fn arithmetic(
    operator: Operator,
    blanks: Blanks,
    a: Option<Value>,
    b: Option<Value>,
) -> Result<Option<Value>, Overflow> {
    let (a, b) = match (a, b) {
        (Some(a), Some(b)) => (a, b),
        _ if blanks == Blanks::Propagate => return Ok(None),
        (None, Some(b)) if operator == Operator::Subtract => return negated(b).map(Some),
        (some, None) | (None, some) => return Ok(some),
    };
    if let (Value::Exact(x), Value::Exact(y)) = (a, b)
        && operator != Operator::Divide
    {
        let exact = match operator {
            Operator::Multiply => x.checked_mul(y),
            Operator::Add => x.checked_add(y),
            _ => x.checked_sub(y),
        };
        return exact.map(|number| Some(Value::Exact(number))).ok_or(Overflow);
    }
    let (x, y) = (a.as_f64(), b.as_f64());
    let value = match operator {
        Operator::Add => x + y,
        Operator::Subtract => x - y,
        Operator::Multiply => x * y,
        _ => x / y,
    };
    Ok(value.is_finite().then_some(Value::Float(value)))
}

fn negated(value: Value) -> Result<Value, Overflow> {
    Ok(match value {
        Value::Exact(number) => Value::Exact(number.checked_neg().ok_or(Overflow)?),
        Value::Float(value) => Value::Float(-value),
        date => date,
    })
}

fn converted(value: Value, to: Type) -> Result<Value, Overflow> {
    Ok(match (value, to) {
        (Value::Exact(number), Type::Exact { scale }) if number.scale < scale => {
            Value::Exact(number.rescale(scale).ok_or(Overflow)?)
        }
        (value, Type::Float) => Value::Float(value.as_f64()),
        (value, _) => value,
    })
}
