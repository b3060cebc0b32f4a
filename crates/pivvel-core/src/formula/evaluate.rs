//! Running a formula over the lines of one batch, a column at a time.
//!
//! Exact numbers stay exact: whole numbers and decimals are digits with a scale, and a result that
//! outgrows 38 digits is an error. In `+` and `-` a blank counts as nothing when the other side has
//! a value; in `*`, `/` and comparisons of numbers it gives a blank. A blank text is compared as an
//! empty one: it differs from every text that is not empty.

use std::borrow::Cow;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType, RecordBatch};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;

use super::Operator;
use super::line::{LineFormula, LineType, Step};
use crate::lines::{Kind, pow10};

/// Numbers of one batch, one a line.
#[derive(Debug)]
pub(crate) struct Numbers<'a> {
    pub(crate) data: Data<'a>,
    pub(crate) blanks: Option<NullBuffer>,
}

/// The numbers themselves. Exact ones are digits; their scale is in the formula's type.
#[derive(Debug)]
pub(crate) enum Data<'a> {
    Narrow(Cow<'a, [i64]>),
    Wide(Vec<i128>),
    Float(Cow<'a, [f64]>),
}

/// Yes, no or blank, one a line.
type Truths = Vec<Option<bool>>;

/// A run over one batch.
#[derive(Debug)]
pub(crate) struct Evaluation<'a> {
    batch: &'a RecordBatch,
    /// Divisions by zero met so far; each gave a blank.
    pub(crate) zero_divisions: u64,
}

/// A number outgrew 38 digits.
#[derive(Debug)]
pub(crate) struct Outgrown;

type Run<T> = std::result::Result<T, Outgrown>;

impl<'a> Evaluation<'a> {
    pub(crate) fn new(batch: &'a RecordBatch) -> Evaluation<'a> {
        Evaluation { batch, zero_divisions: 0 }
    }

    /// The numbers (or days, or periods) that a formula gives.
    pub(crate) fn numbers(&mut self, formula: &LineFormula) -> Run<Numbers<'a>> {
        let lines = self.batch.num_rows();
        Ok(match &formula.step {
            Step::Column(slot) => column(self.batch.column(*slot)),
            Step::Part(slot, part) => {
                let days = self.batch.column(*slot).as_primitive::<Date32Type>();
                let periods = days.values().iter().map(|day| part.period(*day).unwrap_or(0).into()).collect();
                Numbers { data: Data::Narrow(Cow::Owned(periods)), blanks: days.nulls().cloned() }
            }
            Step::Presence(slot) => {
                let blanks = blanks(self.batch.column(*slot));
                Numbers { data: Data::Narrow(Cow::Owned(vec![1; lines])), blanks }
            }
            Step::Digits(digits) => {
                let data = match i64::try_from(*digits) {
                    Ok(digits) => Data::Narrow(Cow::Owned(vec![digits; lines])),
                    Err(_) => Data::Wide(vec![*digits; lines]),
                };
                Numbers { data, blanks: None }
            }
            Step::Negate(inner) => negate(self.numbers(inner)?)?,
            Step::Arithmetic(operator, left, right) => {
                let (mut a, mut b) = (self.numbers(left)?, self.numbers(right)?);
                let adds = matches!(operator, Operator::Add | Operator::Subtract);
                let blanks = match (&a.blanks, &b.blanks) {
                    (Some(x), Some(y)) if adds => Some(NullBuffer::new(x.inner() | y.inner())),
                    _ if adds => None,
                    (x, y) => NullBuffer::union(x.as_ref(), y.as_ref()),
                };
                if adds {
                    a.blank_to_zero();
                    b.blank_to_zero();
                }
                match (formula.gives, operator) {
                    (LineType::Exact { scale }, _) => {
                        let data = exact(*operator, (&a, left.gives), (&b, right.gives), scale, &blanks)?;
                        Numbers { data, blanks }
                    }
                    (_, Operator::Divide) => {
                        self.divide(floats(&a, left.gives), floats(&b, right.gives), blanks)
                    }
                    _ => {
                        let pairs = floats(&a, left.gives).into_iter().zip(floats(&b, right.gives));
                        let data = match operator {
                            Operator::Add => pairs.map(|(a, b)| a + b).collect(),
                            Operator::Subtract => pairs.map(|(a, b)| a - b).collect(),
                            _ => pairs.map(|(a, b)| a * b).collect(),
                        };
                        finite(data, blanks)
                    }
                }
            }
            Step::Word(_) | Step::Not(_) | Step::Compare(..) | Step::Join(..) => {
                unreachable!("the check lets only numbers stand here")
            }
        })
    }

    /// Which lines a condition holds for; a blank condition does not hold, and is counted.
    pub(crate) fn holds(&mut self, condition: &LineFormula) -> Run<(Vec<bool>, u64)> {
        let truths = self.truths(condition)?;
        let blank = truths.iter().filter(|truth| truth.is_none()).count() as u64;
        Ok((truths.into_iter().map(|truth| truth == Some(true)).collect(), blank))
    }

    fn truths(&mut self, formula: &LineFormula) -> Run<Truths> {
        Ok(match &formula.step {
            Step::Column(slot) => self.batch.column(*slot).as_boolean().iter().collect(),
            Step::Not(inner) => self.truths(inner)?.into_iter().map(|truth| truth.map(|t| !t)).collect(),
            Step::Join(operator, left, right) => {
                let (left, right) = (self.truths(left)?, self.truths(right)?);
                // What decides, decides even beside a blank.
                let decisive = Some(*operator == Operator::Or);
                let join = |(a, b): (Option<bool>, Option<bool>)| match (a, b) {
                    (a, b) if a == decisive || b == decisive => decisive,
                    (Some(_), Some(_)) => decisive.map(|d| !d),
                    _ => None,
                };
                left.into_iter().zip(right).map(join).collect()
            }
            Step::Compare(operator, left, right) if left.gives == LineType::Text => {
                let (a, b) = (self.texts(left), self.texts(right));
                a.into_iter().zip(b).map(|(a, b)| Some(compares(*operator, a.cmp(b)))).collect()
            }
            Step::Compare(operator, left, right) => self.compare(*operator, left, right)?,
            _ => unreachable!("the check lets only conditions stand here"),
        })
    }

    fn compare(&mut self, operator: Operator, left: &LineFormula, right: &LineFormula) -> Run<Truths> {
        let (a, b) = (self.numbers(left)?, self.numbers(right)?);
        let blanks = NullBuffer::union(a.blanks.as_ref(), b.blanks.as_ref());
        let lines = self.batch.num_rows();
        let is_blank = |i: usize| blanks.as_ref().is_some_and(|blanks| blanks.is_null(i));
        if matches!(a.data, Data::Float(_)) || matches!(b.data, Data::Float(_)) {
            let (a, b) = (floats(&a, left.gives), floats(&b, right.gives));
            let truth = |i: usize| (!is_blank(i)).then(|| compares(operator, a[i].total_cmp(&b[i])));
            return Ok((0..lines).map(truth).collect());
        }
        let (a_scale, b_scale) = (scale(left.gives), scale(right.gives));
        let common = a_scale.max(b_scale);
        let (a_by, b_by) =
            (pow10(common - a_scale).ok_or(Outgrown)?, pow10(common - b_scale).ok_or(Outgrown)?);
        let mut truths = Vec::with_capacity(lines);
        for i in 0..lines {
            if is_blank(i) {
                truths.push(None);
                continue;
            }
            let a = a.data.digits(i).checked_mul(a_by).ok_or(Outgrown)?;
            let b = b.data.digits(i).checked_mul(b_by).ok_or(Outgrown)?;
            truths.push(Some(compares(operator, a.cmp(&b))));
        }
        Ok(truths)
    }

    /// The texts that a formula gives; a blank is an empty text.
    fn texts<'b>(&self, formula: &'b LineFormula) -> Vec<&'b str>
    where
        'a: 'b,
    {
        match &formula.step {
            Step::Column(slot) => column_texts(self.batch.column(*slot)),
            Step::Word(word) => vec![word.as_str(); self.batch.num_rows()],
            _ => unreachable!("the check lets only texts stand here"),
        }
    }

    fn divide(&mut self, a: Vec<f64>, b: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'a> {
        let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
        let zero = |i: usize| b[i] == 0.0 && valid(i);
        let zeros = (0..b.len()).filter(|i| zero(*i)).count() as u64;
        self.zero_divisions += zeros;
        let blanks = match zeros {
            0 => blanks,
            _ => Some((0..b.len()).map(|i| valid(i) && !zero(i)).collect()),
        };
        finite(a.iter().zip(&b).map(|(a, b)| a / b).collect(), blanks)
    }
}

impl Numbers<'_> {
    /// Puts a zero under every blank.
    fn blank_to_zero(&mut self) {
        let Some(blanks) = &self.blanks else { return };
        let places = (0..blanks.len()).filter(|i| blanks.is_null(*i));
        match &mut self.data {
            Data::Narrow(digits) => places.for_each(|i| digits.to_mut()[i] = 0),
            Data::Wide(digits) => places.for_each(|i| digits[i] = 0),
            Data::Float(floats) => places.for_each(|i| floats.to_mut()[i] = 0.0),
        }
    }
}

impl Data<'_> {
    fn digits(&self, i: usize) -> i128 {
        match self {
            Data::Narrow(digits) => digits[i].into(),
            Data::Wide(digits) => digits[i],
            Data::Float(_) => 0,
        }
    }
}

fn scale(gives: LineType) -> u8 {
    if let LineType::Exact { scale } = gives { scale } else { 0 }
}

fn compares(operator: Operator, order: std::cmp::Ordering) -> bool {
    match operator {
        Operator::Equal => order.is_eq(),
        Operator::NotEqual => order.is_ne(),
        Operator::Less => order.is_lt(),
        Operator::LessOrEqual => order.is_le(),
        Operator::Greater => order.is_gt(),
        _ => order.is_ge(),
    }
}

/// A column of numbers or days as it is, without a copy where the type allows.
fn column(array: &ArrayRef) -> Numbers<'_> {
    fn widen<T: ArrowPrimitiveType>(array: &ArrayRef) -> Data<'static>
    where
        T::Native: Into<i64>,
    {
        Data::Narrow(Cow::Owned(array.as_primitive::<T>().values().iter().map(|v| (*v).into()).collect()))
    }
    let data = match array.data_type() {
        DataType::Int8 => widen::<Int8Type>(array),
        DataType::Int16 => widen::<Int16Type>(array),
        DataType::Int32 => widen::<Int32Type>(array),
        DataType::UInt8 => widen::<UInt8Type>(array),
        DataType::UInt16 => widen::<UInt16Type>(array),
        DataType::UInt32 => widen::<UInt32Type>(array),
        DataType::Date32 => widen::<Date32Type>(array),
        DataType::Int64 => Data::Narrow(Cow::Borrowed(array.as_primitive::<Int64Type>().values())),
        DataType::Decimal64(..) => {
            Data::Narrow(Cow::Borrowed(array.as_primitive::<Decimal64Type>().values()))
        }
        DataType::Decimal128(..) => Data::Wide(array.as_primitive::<Decimal128Type>().values().to_vec()),
        DataType::UInt64 => {
            Data::Wide(array.as_primitive::<UInt64Type>().values().iter().map(|v| i128::from(*v)).collect())
        }
        DataType::Float32 => {
            let wide = array.as_primitive::<Float32Type>().values().iter().map(|v| f64::from(*v)).collect();
            return finite(wide, array.nulls().cloned());
        }
        DataType::Float64 => {
            let floats: &[f64] = array.as_primitive::<Float64Type>().values();
            if !floats.iter().all(|v| v.is_finite()) {
                return finite(floats.to_vec(), array.nulls().cloned());
            }
            Data::Float(Cow::Borrowed(floats))
        }
        _ => unreachable!("the check lets only numbers and dates stand here"),
    };
    Numbers { data, blanks: array.nulls().cloned() }
}

/// The blanks of any column; an empty text is one.
fn blanks(array: &ArrayRef) -> Option<NullBuffer> {
    match Kind::of(array.data_type()) {
        Some(Kind::Text) => {
            Some(column_texts(array).into_iter().map(|text| !text.is_empty()).collect::<Vec<bool>>().into())
        }
        Some(Kind::Float) => column(array).blanks,
        _ => array.nulls().cloned(),
    }
}

/// Floats of which those that are no number are blank.
fn finite(floats: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'static> {
    let blanks = match floats.iter().all(|v| v.is_finite()) {
        true => blanks,
        false => {
            let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
            Some(floats.iter().enumerate().map(|(i, v)| v.is_finite() && valid(i)).collect())
        }
    };
    Numbers { data: Data::Float(Cow::Owned(floats)), blanks }
}

fn column_texts(array: &ArrayRef) -> Vec<&str> {
    match array.data_type() {
        DataType::Utf8View => array.as_string_view().iter().map(Option::unwrap_or_default).collect(),
        DataType::Utf8 => array.as_string::<i32>().iter().map(Option::unwrap_or_default).collect(),
        DataType::LargeUtf8 => array.as_string::<i64>().iter().map(Option::unwrap_or_default).collect(),
        _ => {
            let dictionary = array.as_any_dictionary();
            let values = column_texts(dictionary.values());
            if values.is_empty() {
                return vec![""; array.len()];
            }
            let keys = dictionary.normalized_keys().into_iter().enumerate();
            keys.map(|(i, key)| if array.is_null(i) { "" } else { values[key] }).collect()
        }
    }
}

fn negate(numbers: Numbers<'_>) -> Run<Numbers<'_>> {
    let data = match numbers.data {
        Data::Narrow(digits) => match digits.iter().map(|d| d.checked_neg()).collect() {
            Some(negated) => Data::Narrow(Cow::Owned(negated)),
            None => Data::Wide(digits.iter().map(|d| -i128::from(*d)).collect()),
        },
        Data::Wide(digits) => {
            Data::Wide(digits.iter().map(|d| d.checked_neg()).collect::<Option<_>>().ok_or(Outgrown)?)
        }
        Data::Float(floats) => Data::Float(Cow::Owned(floats.iter().map(|v| -v).collect())),
    };
    Ok(Numbers { data, blanks: numbers.blanks })
}

/// Exact addition, subtraction and multiplication at the scale of the result.
fn exact(
    operator: Operator,
    (a, a_type): (&Numbers<'_>, LineType),
    (b, b_type): (&Numbers<'_>, LineType),
    to: u8,
    blanks: &Option<NullBuffer>,
) -> Run<Data<'static>> {
    let lift = |gives| if operator == Operator::Multiply { Some(1) } else { pow10(to - scale(gives)) };
    let (a_by, b_by) = (lift(a_type).ok_or(Outgrown)?, lift(b_type).ok_or(Outgrown)?);
    let one = |a: i128, b: i128| {
        let (a, b) = (a.checked_mul(a_by)?, b.checked_mul(b_by)?);
        match operator {
            Operator::Add => a.checked_add(b),
            Operator::Subtract => a.checked_sub(b),
            _ => a.checked_mul(b),
        }
    };
    let result: Option<Vec<i128>> = match (&a.data, &b.data) {
        // The digits of two narrow numbers never outgrow a wide one when multiplied.
        (Data::Narrow(a), Data::Narrow(b)) if operator == Operator::Multiply => {
            Some(a.iter().zip(b.iter()).map(|(a, b)| i128::from(*a) * i128::from(*b)).collect())
        }
        (a, b) => {
            let lines = match a {
                Data::Narrow(digits) => digits.len(),
                Data::Wide(digits) => digits.len(),
                Data::Float(_) => 0,
            };
            // What stands under a blank is anything, so it must not count as too large.
            let blank = |i: usize| blanks.as_ref().is_some_and(|blanks| blanks.is_null(i));
            (0..lines).map(|i| if blank(i) { Some(0) } else { one(a.digits(i), b.digits(i)) }).collect()
        }
    };
    result.map(Data::Wide).ok_or(Outgrown)
}

fn floats(numbers: &Numbers<'_>, gives: LineType) -> Vec<f64> {
    let by = 10f64.powi(scale(gives).into());
    match &numbers.data {
        Data::Narrow(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Wide(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Float(floats) => floats.to_vec(),
    }
}
