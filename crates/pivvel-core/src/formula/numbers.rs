//! Numbers of many lines side by side, and arithmetic over all of them.
//!
//! Exact numbers are digits of 64 bits as long as all of a column fit, and of 128 bits otherwise: what is narrow takes
//! half the memory, and is quicker to compute with and to add up.

use std::borrow::Cow;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType};
use arrow_buffer::{BooleanBuffer, NullBuffer};
use arrow_schema::DataType;

use super::expr::Operator;
use crate::model::{CellValues, Decimal, Digits, Overflow, Type, Value, float_to_ordered, pow10, pow10_f64};

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
        let there = || bits(digits.len(), |cell| digits.get(cell).is_some());
        let blanks = digits.has_blanks().then(there);
        Numbers { data: Data::Narrow(Cow::Borrowed(digits.all())), blanks }
    }

    /// The numbers of cells, where all are kept as such a type is.
    pub(super) fn of_cells(cells: &'a CellValues, ty: Type) -> Option<Numbers<'a>> {
        match ty {
            Type::Exact { scale } => {
                let digits = cells.digits().filter(|digits| digits.scale == scale)?;
                Some(Numbers::of_digits(digits))
            }
            Type::Float => {
                let floats = cells.floats()?;
                let there = || bits(floats.len(), |cell| !floats[cell].is_nan());
                let blanks = floats.iter().any(|float| float.is_nan()).then(there);
                Some(Numbers { data: Data::Float(Cow::Borrowed(floats)), blanks })
            }
            _ => None,
        }
    }
}

impl Numbers<'_> {
    #[inline]
    pub(super) fn is_blank(&self, line: usize) -> bool {
        self.blanks.as_ref().is_some_and(|blanks| blanks.is_null(line))
    }

    /// The digits, where they are narrow, with a zero for a blank.
    pub(crate) fn narrow_or_zero(&self) -> Option<Cow<'_, [i64]>> {
        let digits = self.data.narrow()?;
        Some(match self.blanks.as_ref().filter(|blanks| blanks.null_count() > 0) {
            Some(blanks) => {
                let of_line = |(digits, there): (&i64, bool)| if there { *digits } else { 0 };
                Cow::Owned(digits.iter().zip(blanks.iter()).map(of_line).collect())
            }
            None => Cow::Borrowed(digits),
        })
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

    /// The numbers as cells keep them; `None` if one has too many digits.
    pub(super) fn into_cells(self, ty: Type) -> Option<CellValues> {
        let cells = 0..self.data.len();
        let there = |cell: usize| !self.is_blank(cell);
        match &self.data {
            Data::Narrow(digits) => {
                let digits = cells.map(|cell| Ok(there(cell).then_some(digits[cell])));
                CellValues::of_digits(ty.scale(), digits).ok()
            }
            Data::Wide(_) => None,
            Data::Float(floats) => {
                Some(CellValues::of_floats(cells.map(|cell| there(cell).then_some(floats[cell]))))
            }
        }
    }

    /// Of each line the number of the one of these that is named for it.
    pub(super) fn chosen(given: &[Numbers<'_>], of_line: &[u32], ty: Type) -> Numbers<'static> {
        let lines = || of_line.iter().enumerate().map(|(line, of)| (line, *of as usize));
        let all_there = given.iter().all(|numbers| numbers.blanks.is_none());
        let blanks = (!all_there).then(|| there_of_chosen(given, of_line));
        let narrow: Option<Vec<&[i64]>> = given.iter().map(|numbers| numbers.data.narrow()).collect();
        let data = match (ty, narrow) {
            (Type::Float, _) => {
                let float = |(line, of): (usize, usize)| given[of].data.value(line, ty).as_f64();
                Data::Float(lines().map(float).collect())
            }
            (_, Some(narrow)) => Data::Narrow(lines().map(|(line, of)| narrow[of][line]).collect()),
            _ => Data::of_wide(lines().map(|(line, of)| given[of].data.digits(line)).collect()),
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

    pub(super) fn narrow(&self) -> Option<&[i64]> {
        if let Data::Narrow(digits) = self { Some(digits) } else { None }
    }

    pub(super) fn len(&self) -> usize {
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

/// The lines that are there. All bits of a word are put together at once: to append them one by one, which collecting does,
/// costs a jump each.
pub(super) fn bits(lines: usize, there: impl FnMut(usize) -> bool) -> NullBuffer {
    NullBuffer::new(BooleanBuffer::collect_bool(lines, there))
}

/// The lines of which the chosen number is there: by words of bits, since to ask each line by itself costs a jump that cannot
/// be foreseen.
fn there_of_chosen(given: &[Numbers<'_>], of_line: &[u32]) -> NullBuffer {
    let there = (0..).zip(given).map(|(place, numbers)| {
        let own = BooleanBuffer::collect_bool(of_line.len(), |line| of_line[line] == place);
        numbers.blanks.as_ref().map_or_else(|| own.clone(), |blanks| &own & blanks.inner())
    });
    NullBuffer::new(there.reduce(|all, more| &all | &more).unwrap_or_else(|| BooleanBuffer::new_unset(0)))
}

/// Floats of which those that are no number are blank.
pub(super) fn finite(floats: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'static> {
    let blanks = match floats.iter().all(|v| v.is_finite()) {
        true => blanks,
        false => {
            let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
            Some(bits(floats.len(), |i| floats[i].is_finite() && valid(i)))
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
pub(super) fn wide_by_line(
    lines: usize,
    blanks: &Option<NullBuffer>,
    one: impl Fn(usize) -> Option<i128>,
) -> Result<Data<'static>, Overflow> {
    let blank = |i: usize| blanks.as_ref().is_some_and(|blanks| blanks.is_null(i));
    let digits = (0..lines).map(|i| if blank(i) { Some(0) } else { one(i) });
    digits.collect::<Option<_>>().map(Data::Wide).ok_or(Overflow)
}

/// The nearest floats of numbers of a type.
pub(crate) fn floats(data: &Data<'_>, ty: Type) -> Vec<f64> {
    let by = pow10_f64(ty.scale());
    match data {
        Data::Narrow(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Wide(digits) => digits.iter().map(|d| *d as f64 / by).collect(),
        Data::Float(floats) => floats.to_vec(),
    }
}
