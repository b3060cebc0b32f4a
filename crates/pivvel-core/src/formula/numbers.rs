//! Numbers of many lines side by side, and arithmetic over all of them.
//!
//! Exact numbers are digits of 64 bits as long as all of a column fit, and of 128 bits otherwise: what is narrow takes
//! half the memory, and is quicker to compute with and to add up.

use std::borrow::Cow;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;

use super::expr::Operator;
use crate::model::{Decimal, Digits, Overflow, Type, Value, float_to_ordered, pow10, pow10_f64};

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

impl<'a> Numbers<'a> {
    /// The digits of cells.
    pub(crate) fn of_digits(digits: Digits<'a>) -> Numbers<'a> {
        let there = || (0..digits.len()).map(|cell| digits.get(cell).is_some()).collect();
        let blanks = digits.has_blanks().then(there);
        Numbers { data: Data::Narrow(Cow::Borrowed(digits.all())), blanks }
    }
}

impl Numbers<'_> {
    /// The digits, where they are narrow and none is blank.
    pub(crate) fn dense_i64(&self) -> Option<&[i64]> {
        match &self.data {
            Data::Narrow(digits) if self.blanks.as_ref().is_none_or(|blanks| blanks.null_count() == 0) => {
                Some(digits)
            }
            _ => None,
        }
    }

    /// Puts a zero under every blank.
    pub(super) fn blank_to_zero(&mut self) {
        let Some(blanks) = &self.blanks else { return };
        let places = (0..blanks.len()).filter(|i| blanks.is_null(*i));
        match &mut self.data {
            Data::Narrow(digits) => places.for_each(|i| digits.to_mut()[i] = 0),
            Data::Wide(digits) => places.for_each(|i| digits[i] = 0),
            Data::Float(floats) => places.for_each(|i| floats.to_mut()[i] = 0.0),
        }
    }

    /// Gives the chosen lines their values.
    pub(super) fn give(&self, ty: Type, chosen: &[bool], into: &mut [Option<Value>]) {
        for i in (0..chosen.len()).filter(|i| chosen[*i]) {
            let blank = self.blanks.as_ref().is_some_and(|blanks| blanks.is_null(i));
            into[i] = (!blank).then(|| match ty {
                // Days and periods are digits here.
                Type::Day | Type::Period(_) => Value::Exact(self.data.digits(i).into()),
                ty => self.data.value(i, ty),
            });
        }
    }

    /// Of each line the number of the one of these that is named for it.
    pub(super) fn chosen(given: &[Numbers<'_>], of_line: &[usize], ty: Type) -> Numbers<'static> {
        let lines = || of_line.iter().enumerate().map(|(line, of)| (line, &given[*of]));
        let is_there = |(line, numbers): (usize, &Numbers<'_>)| {
            numbers.blanks.as_ref().is_none_or(|blanks| blanks.is_valid(line))
        };
        let all_there = given.iter().all(|numbers| numbers.blanks.is_none());
        let blanks = (!all_there).then(|| lines().map(is_there).collect());
        let narrow = |numbers: &Numbers<'_>| matches!(numbers.data, Data::Narrow(_));
        let data = match ty {
            Type::Float => {
                Data::Float(lines().map(|(line, numbers)| numbers.data.value(line, ty).as_f64()).collect())
            }
            _ if given.iter().all(narrow) => {
                Data::Narrow(lines().map(|(line, numbers)| numbers.data.digits(line) as i64).collect())
            }
            _ => Data::of_wide(lines().map(|(line, numbers)| numbers.data.digits(line)).collect()),
        };
        Numbers { data, blanks }
    }

    pub(super) fn of_values(values: &[Option<Value>], ty: Type) -> Numbers<'static> {
        let blanks = values.iter().any(Option::is_none).then(|| values.iter().map(Option::is_some).collect());
        let data = match ty {
            Type::Float => Data::Float(values.iter().map(|v| v.map_or(0.0, |v| v.as_f64())).collect()),
            _ => {
                let digits = |value: &Option<Value>| match value {
                    Some(Value::Exact(number)) => number.digits,
                    _ => 0,
                };
                Data::of_wide(values.iter().map(digits).collect())
            }
        };
        Numbers { data, blanks }
    }
}

impl Data<'_> {
    /// Digits that are narrow, where all of them are.
    fn of_wide(digits: Vec<i128>) -> Data<'static> {
        match narrow(&digits) {
            Some(digits) => Data::Narrow(Cow::Owned(digits)),
            None => Data::Wide(digits),
        }
    }

    /// The value of a line that is not blank.
    pub(crate) fn value(&self, i: usize, ty: Type) -> Value {
        match (self, ty) {
            (Data::Float(floats), _) => Value::Float(floats[i]),
            (data, Type::Day) => Value::Date(data.digits(i) as i32),
            (data, ty) => Value::Exact(Decimal::new(data.digits(i), ty.scale())),
        }
    }

    /// A number that orders lines as their values do.
    pub(crate) fn ordered(&self, i: usize) -> i128 {
        match self {
            Data::Float(floats) => float_to_ordered(floats[i]).into(),
            data => data.digits(i),
        }
    }

    fn len(&self) -> usize {
        match self {
            Data::Narrow(digits) => digits.len(),
            Data::Wide(digits) => digits.len(),
            Data::Float(floats) => floats.len(),
        }
    }

    pub(crate) fn digits(&self, i: usize) -> i128 {
        match self {
            Data::Narrow(digits) => digits[i].into(),
            Data::Wide(digits) => digits[i],
            Data::Float(_) => 0,
        }
    }
}

/// A column of numbers or days as it is, without a copy where the type allows.
pub(super) fn column(array: &ArrayRef) -> Numbers<'_> {
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
        DataType::Decimal128(..) => {
            let digits = array.as_primitive::<Decimal128Type>().values();
            narrow(digits)
                .map_or_else(|| Data::Wide(digits.to_vec()), |digits| Data::Narrow(Cow::Owned(digits)))
        }
        DataType::UInt64 => {
            let wide = array.as_primitive::<UInt64Type>().values().iter().map(|v| i128::from(*v));
            Data::of_wide(wide.collect())
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

/// Floats of which those that are no number are blank.
pub(super) fn finite(floats: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'static> {
    let blanks = match floats.iter().all(|v| v.is_finite()) {
        true => blanks,
        false => {
            let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
            Some(floats.iter().enumerate().map(|(i, v)| v.is_finite() && valid(i)).collect())
        }
    };
    Numbers { data: Data::Float(Cow::Owned(floats)), blanks }
}

/// The digits as narrow ones, if all of them fit.
fn narrow(digits: &[i128]) -> Option<Vec<i64>> {
    // Asked once for all: that is quicker than a jump for each.
    let beyond =
        digits.iter().fold(0, |beyond, digits| beyond | (digits >> 64) as i64 ^ *digits as i64 >> 63);
    (beyond == 0).then(|| digits.iter().map(|digits| *digits as i64).collect())
}

/// Narrow digits, each with whether it overflowed; `None` if one did.
#[inline]
fn unless_over(digits: impl Iterator<Item = (i64, bool)>) -> Option<Vec<i64>> {
    let mut beyond = false;
    let digits = digits.map(|(digits, over)| {
        beyond |= over;
        digits
    });
    let digits = digits.collect();
    (!beyond).then_some(digits)
}

/// The same numbers finer, or as floats.
pub(super) fn convert(numbers: Numbers<'_>, from: Type, to: Type) -> Result<Numbers<'_>, Overflow> {
    let Numbers { data, blanks } = numbers;
    let data = match to {
        Type::Exact { scale } => scaled(data, pow10(scale - from.scale()).ok_or(Overflow)?, &blanks)?,
        Type::Float => Data::Float(Cow::Owned(floats(&data, from))),
        _ => data,
    };
    Ok(Numbers { data, blanks })
}

/// All digits times the same.
pub(super) fn scaled<'a>(
    data: Data<'a>,
    by: i128,
    blanks: &Option<NullBuffer>,
) -> Result<Data<'a>, Overflow> {
    if by == 1 {
        return Ok(data);
    }
    if let (Data::Narrow(digits), Ok(by)) = (&data, i64::try_from(by))
        && let Some(digits) = unless_over(digits.iter().map(|digits| digits.overflowing_mul(by)))
    {
        return Ok(Data::Narrow(Cow::Owned(digits)));
    }
    let one = |i| data.digits(i).checked_mul(by);
    wide_by_line(data.len(), blanks, one)
}

pub(super) fn negate(numbers: Numbers<'_>) -> Result<Numbers<'_>, Overflow> {
    let Numbers { data, blanks } = numbers;
    let data = match data {
        Data::Float(floats) => Data::Float(floats.iter().map(|float| -float).collect()),
        digits => scaled(digits, -1, &blanks)?,
    };
    Ok(Numbers { data, blanks })
}

/// Exact addition, subtraction and multiplication at the scale of the result.
pub(super) fn exact(
    operator: Operator,
    (a, a_type): (&Data<'_>, Type),
    (b, b_type): (&Data<'_>, Type),
    to: u8,
    blanks: &Option<NullBuffer>,
) -> Result<Data<'static>, Overflow> {
    let lift = |ty: Type| if operator == Operator::Multiply { Some(1) } else { pow10(to - ty.scale()) };
    let (a_by, b_by) = (lift(a_type).ok_or(Overflow)?, lift(b_type).ok_or(Overflow)?);
    if let Some(digits) = narrow_exact(operator, (a, a_by), (b, b_by)) {
        return Ok(Data::Narrow(Cow::Owned(digits)));
    }
    wide_by_line(a.len(), blanks, |i| {
        let (a, b) = (a.digits(i).checked_mul(a_by)?, b.digits(i).checked_mul(b_by)?);
        match operator {
            Operator::Add => a.checked_add(b),
            Operator::Subtract => a.checked_sub(b),
            _ => a.checked_mul(b),
        }
    })
}

/// The same of narrow digits, each with what it is lifted by, if nothing overflows.
fn narrow_exact(operator: Operator, a: (&Data<'_>, i128), b: (&Data<'_>, i128)) -> Option<Vec<i64>> {
    let ((Data::Narrow(a), a_by), (Data::Narrow(b), b_by)) = (a, b) else { return None };
    let (a_by, b_by) = (i64::try_from(a_by).ok()?, i64::try_from(b_by).ok()?);
    let lines = a.iter().zip(b.iter());
    if operator == Operator::Multiply {
        return unless_over(lines.map(|(a, b)| a.overflowing_mul(*b)));
    }
    let lifted = lines.map(|(a, b)| (a.overflowing_mul(a_by), b.overflowing_mul(b_by)));
    let or = |(digits, over): (i64, bool), before: bool| (digits, over | before);
    match operator {
        Operator::Add => unless_over(lifted.map(|((a, x), (b, y))| or(a.overflowing_add(b), x | y))),
        _ => unless_over(lifted.map(|((a, x), (b, y))| or(a.overflowing_sub(b), x | y))),
    }
}

/// Wide digits line by line. What stands under a blank is anything, so it must not count as too large.
fn wide_by_line(
    lines: usize,
    blanks: &Option<NullBuffer>,
    one: impl Fn(usize) -> Option<i128>,
) -> Result<Data<'static>, Overflow> {
    let blank = |i: usize| blanks.as_ref().is_some_and(|blanks| blanks.is_null(i));
    let digits = (0..lines).map(|i| if blank(i) { Some(0) } else { one(i) });
    digits.collect::<Option<_>>().map(Data::Wide).ok_or(Overflow)
}

pub(super) fn floats(data: &Data<'_>, ty: Type) -> Vec<f64> {
    let by = pow10_f64(ty.scale());
    match data {
        Data::Narrow(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Wide(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Float(floats) => floats.to_vec(),
    }
}
