//! The values of many cells side by side, in as few bytes as they need.

use std::borrow::Cow;

use super::{Decimal, Value};

/// A blank among digits, which no number of 64 bits in a column of digits is.
const BLANK: i64 = i64::MIN;
/// A blank among days.
const NO_DAY: i32 = i32::MIN;

/// The values of many cells, by cell; some may be blank.
#[derive(Debug, Clone)]
pub(crate) enum CellValues {
    /// So many blanks.
    Blank(usize),
    /// Digits of exact numbers that all have one scale.
    Exact(u8, Vec<i64>),
    /// Floating-point numbers; what is no number is a blank.
    Float(Vec<f64>),
    Days(Vec<i32>),
    /// Values of several kinds, or of more digits.
    Any(Vec<Option<Value>>),
}

impl CellValues {
    /// So many blanks.
    pub(crate) fn blank(cells: usize) -> CellValues {
        CellValues::Blank(cells)
    }

    /// The same value in every cell.
    pub(crate) fn same(value: Value, cells: usize) -> CellValues {
        CellValues::of_so_many(cells, std::iter::repeat_n(Some(value), cells))
    }

    /// Values, of which it is known how many come.
    pub(crate) fn of_so_many(cells: usize, values: impl Iterator<Item = Option<Value>>) -> CellValues {
        let all = CellValues::try_of_so_many::<std::convert::Infallible>(cells, values.map(Ok));
        all.unwrap_or_else(|never| match never {})
    }

    /// The same of values that may fail.
    ///
    /// # Errors
    /// The first error among them.
    pub(crate) fn try_of_so_many<E>(
        cells: usize,
        values: impl Iterator<Item = Result<Option<Value>, E>>,
    ) -> Result<CellValues, E> {
        let mut all = CellValues::Blank(0);
        for value in values {
            let value = value?;
            if let (CellValues::Blank(blanks), Some(value)) = (&all, value) {
                all = CellValues::blanks_before(value, *blanks, cells);
            }
            all.push(value);
        }
        Ok(all)
    }

    /// Blanks that a value comes after, with room for so many values in all.
    fn blanks_before(value: Value, blanks: usize, cells: usize) -> CellValues {
        let room = cells.max(blanks);
        let mut all = match value {
            Value::Exact(number) => CellValues::Exact(number.scale, Vec::with_capacity(room)),
            Value::Float(_) => CellValues::Float(Vec::with_capacity(room)),
            Value::Date(_) => CellValues::Days(Vec::with_capacity(room)),
        };
        all.resize(blanks);
        all
    }

    pub(crate) fn len(&self) -> usize {
        match self {
            CellValues::Blank(cells) => *cells,
            CellValues::Exact(_, digits) => digits.len(),
            CellValues::Float(floats) => floats.len(),
            CellValues::Days(days) => days.len(),
            CellValues::Any(values) => values.len(),
        }
    }

    /// The value of a cell; `None` for a blank.
    #[inline]
    pub(crate) fn get(&self, cell: usize) -> Option<Value> {
        match self {
            CellValues::Blank(_) => None,
            CellValues::Exact(scale, digits) => {
                let digits = digits[cell];
                (digits != BLANK).then(|| Value::Exact(Decimal::new(digits.into(), *scale)))
            }
            CellValues::Float(floats) => Some(floats[cell]).filter(|float| !float.is_nan()).map(Value::Float),
            CellValues::Days(days) => Some(days[cell]).filter(|day| *day != NO_DAY).map(Value::Date),
            CellValues::Any(values) => values[cell],
        }
    }

    /// The values, cell by cell.
    pub(crate) fn iter(&self) -> impl ExactSizeIterator<Item = Option<Value>> + Clone + '_ {
        (0..self.len()).map(|cell| self.get(cell))
    }

    /// Gives a cell a value, or makes it blank.
    pub(crate) fn set(&mut self, cell: usize, value: Option<Value>) {
        if let (CellValues::Blank(cells), Some(value)) = (&*self, value) {
            *self = CellValues::blanks_before(value, *cells, *cells);
        }
        match (&mut *self, value) {
            (CellValues::Blank(_), _) => {}
            (CellValues::Exact(scale, digits), Some(Value::Exact(number)))
                if number.scale == *scale && narrow(number).is_some() =>
            {
                digits[cell] = narrow(number).unwrap_or(BLANK);
            }
            (CellValues::Exact(_, digits), None) => digits[cell] = BLANK,
            (CellValues::Float(floats), Some(Value::Float(float))) if !float.is_nan() => floats[cell] = float,
            (CellValues::Float(floats), None) => floats[cell] = f64::NAN,
            (CellValues::Days(days), Some(Value::Date(day))) if day != NO_DAY => days[cell] = day,
            (CellValues::Days(days), None) => days[cell] = NO_DAY,
            (CellValues::Any(values), value) => values[cell] = value,
            (narrow, value) => narrow.widened()[cell] = value,
        }
    }

    /// Adds cells without a value, until there are so many.
    pub(crate) fn resize(&mut self, cells: usize) {
        match self {
            CellValues::Blank(blanks) => *blanks = cells,
            CellValues::Exact(_, digits) => digits.resize(cells, BLANK),
            CellValues::Float(floats) => floats.resize(cells, f64::NAN),
            CellValues::Days(days) => days.resize(cells, NO_DAY),
            CellValues::Any(values) => values.resize(cells, None),
        }
    }

    #[inline]
    fn push(&mut self, value: Option<Value>) {
        match (&mut *self, value) {
            (CellValues::Blank(cells), None) => *cells += 1,
            (CellValues::Exact(scale, digits), Some(Value::Exact(number))) if number.scale == *scale => {
                match narrow(number) {
                    Some(number) => digits.push(number),
                    None => self.widened().push(value),
                }
            }
            (CellValues::Exact(_, digits), None) => digits.push(BLANK),
            (CellValues::Float(floats), Some(Value::Float(float))) if !float.is_nan() => floats.push(float),
            (CellValues::Float(floats), None) => floats.push(f64::NAN),
            (CellValues::Any(values), value) => values.push(value),
            (CellValues::Days(days), Some(Value::Date(day))) if day != NO_DAY => days.push(day),
            (CellValues::Days(days), None) => days.push(NO_DAY),
            (narrow, value) => narrow.widened().push(value),
        }
    }

    /// The values one by one, as they are kept from now on.
    #[cold]
    fn widened(&mut self) -> &mut Vec<Option<Value>> {
        if !matches!(self, CellValues::Any(_)) {
            *self = CellValues::Any(self.iter().collect());
        }
        match self {
            CellValues::Any(values) => values,
            _ => unreachable!("they were just widened"),
        }
    }

    /// Floating-point numbers, none of which is `NaN`.
    pub(crate) fn of_floats(floats: impl Iterator<Item = Option<f64>>) -> CellValues {
        CellValues::Float(floats.map(|float| float.unwrap_or(f64::NAN)).collect())
    }

    /// Exact numbers of one scale; nothing where one of them does not fit.
    pub(crate) fn of_digits(
        scale: u8,
        digits: impl Iterator<Item = Option<Result<i64, ()>>>,
    ) -> Option<CellValues> {
        let fits = |digits: Option<Result<i64, ()>>| match digits {
            None => Some(BLANK),
            Some(digits) => digits.ok().filter(|digits| *digits != BLANK),
        };
        Some(CellValues::Exact(scale, digits.map(fits).collect::<Option<_>>()?))
    }

    /// The digits of exact numbers, where they lie side by side.
    pub(crate) fn digits(&self) -> Option<Digits<'_>> {
        match self {
            CellValues::Exact(scale, digits) => Some(Digits { scale: *scale, digits }),
            _ => None,
        }
    }

    /// Whether a number may be zero.
    pub(crate) fn has_zero(&self) -> bool {
        match self {
            CellValues::Blank(_) | CellValues::Days(_) => false,
            CellValues::Exact(_, digits) => digits.contains(&0),
            CellValues::Float(floats) => floats.contains(&0.0),
            CellValues::Any(_) => true,
        }
    }

    /// Numbers in the order of the values.
    pub(crate) fn ordered(&self) -> Ordered<'_> {
        let keys = match self {
            CellValues::Blank(cells) => Cow::Owned(vec![BLANK; *cells]),
            CellValues::Exact(_, digits) => Cow::Borrowed(digits.as_slice()),
            CellValues::Float(floats) => Cow::Owned(floats.iter().map(|float| float_key(*float)).collect()),
            CellValues::Days(days) => {
                let key = |day: &i32| if *day == NO_DAY { BLANK } else { (*day).into() };
                Cow::Owned(days.iter().map(key).collect())
            }
            CellValues::Any(values) => Cow::Owned(places(values)),
        };
        Ordered { keys }
    }
}

impl FromIterator<Option<Value>> for CellValues {
    fn from_iter<I: IntoIterator<Item = Option<Value>>>(values: I) -> CellValues {
        let values = values.into_iter();
        CellValues::of_so_many(values.size_hint().0, values)
    }
}

/// The digits of exact numbers of one scale, by cell.
#[derive(Clone, Copy)]
pub(crate) struct Digits<'a> {
    pub(crate) scale: u8,
    digits: &'a [i64],
}

impl Digits<'_> {
    pub(crate) fn len(self) -> usize {
        self.digits.len()
    }

    /// A cell's digits; `None` for a blank.
    #[inline]
    pub(crate) fn get(self, cell: usize) -> Option<i64> {
        Some(self.digits[cell]).filter(|digits| *digits != BLANK)
    }
}

/// Numbers in the order of values, so that these are compared and sorted as numbers.
pub(crate) struct Ordered<'a> {
    keys: Cow<'a, [i64]>,
}

impl Ordered<'_> {
    /// A cell's number; `None` for a blank.
    #[inline]
    pub(crate) fn key(&self, cell: usize) -> Option<i64> {
        Some(self.keys[cell]).filter(|key| *key != BLANK)
    }

    /// The lowest and the highest number.
    pub(crate) fn ends(&self) -> Option<(i64, i64)> {
        let mut keys = self.keys.iter().copied().filter(|key| *key != BLANK);
        let first = keys.next()?;
        Some(keys.fold((first, first), |(low, high), key| (low.min(key), high.max(key))))
    }
}

/// The digits, where they are few enough.
fn narrow(number: Decimal) -> Option<i64> {
    i64::try_from(number.digits).ok().filter(|digits| *digits != BLANK)
}

/// The bits of a float in the order of floats.
fn float_key(float: f64) -> i64 {
    if float.is_nan() {
        return BLANK;
    }
    let bits = float.to_bits() as i64;
    bits ^ (((bits >> 63) as u64) >> 1) as i64
}

/// The place of each value among all, the same for equal ones.
fn places(values: &[Option<Value>]) -> Vec<i64> {
    let mut sorted: Vec<(usize, Value)> =
        values.iter().enumerate().filter_map(|(cell, value)| Some((cell, (*value)?))).collect();
    sorted.sort_by(|(_, a), (_, b)| a.order(b));
    let mut places = vec![BLANK; values.len()];
    let mut place = 0;
    for (i, (cell, value)) in sorted.iter().enumerate() {
        if i > 0 && sorted[i - 1].1.order(value).is_ne() {
            place += 1;
        }
        places[*cell] = place;
    }
    places
}
