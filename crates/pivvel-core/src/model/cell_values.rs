//! The values of many cells side by side, in as few bytes as they need.

use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use super::threads::{in_each, split_at_ends, threads_for};
use super::{Decimal, Overflow, Value, float_to_ordered, ordered_to_float};

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
    /// Values of several kinds or scales, or of more digits, one by one.
    Mixed(Vec<Option<Value>>),
}

impl CellValues {
    /// So many blanks.
    pub(crate) fn blank(cells: usize) -> CellValues {
        CellValues::Blank(cells)
    }

    /// The same value in so many cells.
    pub(crate) fn repeat(value: Value, cells: usize) -> CellValues {
        CellValues::collect(cells, std::iter::repeat_n(Some(value), cells))
    }

    /// The values of so many cells.
    pub(crate) fn collect(cells: usize, values: impl Iterator<Item = Option<Value>>) -> CellValues {
        let all = CellValues::try_collect::<std::convert::Infallible>(cells, values.map(Ok));
        all.unwrap_or_else(|never| match never {})
    }

    /// The same of values that may fail.
    ///
    /// # Errors
    /// The first error among them.
    pub(crate) fn try_collect<E>(
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
            CellValues::Mixed(values) => values.len(),
        }
    }

    /// The value of a cell; `None` for a blank, and behind the last one.
    #[inline]
    pub(crate) fn get(&self, cell: usize) -> Option<Value> {
        match self {
            CellValues::Blank(_) => None,
            CellValues::Exact(scale, digits) => {
                let digits = *digits.get(cell)?;
                (digits != BLANK).then(|| Value::Exact(Decimal::new(digits.into(), *scale)))
            }
            CellValues::Float(floats) => {
                floats.get(cell).copied().filter(|float| !float.is_nan()).map(Value::Float)
            }
            CellValues::Days(days) => days.get(cell).copied().filter(|day| *day != NO_DAY).map(Value::Date),
            CellValues::Mixed(values) => *values.get(cell)?,
        }
    }

    /// The values, cell by cell.
    pub(crate) fn iter(&self) -> impl ExactSizeIterator<Item = Option<Value>> + Clone + '_ {
        (0..self.len()).map(|cell| self.get(cell))
    }

    /// Gives a cell a value, or makes it blank. Where it is behind the last one, so are those between them.
    pub(crate) fn set(&mut self, cell: usize, value: Option<Value>) {
        if cell >= self.len() {
            self.resize(cell + 1);
        }
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
            (CellValues::Mixed(values), value) => values[cell] = value,
            (narrow, value) => narrow.mixed()[cell] = value,
        }
    }

    /// The same values, to be changed, with room for so many if they have to be copied.
    pub(crate) fn with_room(values: Arc<CellValues>, cells: usize) -> CellValues {
        fn copied<T: Copy>(values: &[T], cells: usize) -> Vec<T> {
            let mut all = Vec::with_capacity(cells.max(values.len()));
            all.extend_from_slice(values);
            all
        }
        Arc::try_unwrap(values).unwrap_or_else(|shared| match &*shared {
            CellValues::Blank(blanks) => CellValues::Blank(*blanks),
            CellValues::Exact(scale, digits) => CellValues::Exact(*scale, copied(digits, cells)),
            CellValues::Float(floats) => CellValues::Float(copied(floats, cells)),
            CellValues::Days(days) => CellValues::Days(copied(days, cells)),
            CellValues::Mixed(values) => CellValues::Mixed(copied(values, cells)),
        })
    }

    /// Gives cells, from one on, the values of others; if these are behind the last one, with room for so many in all.
    pub(crate) fn put(&mut self, first: usize, others: CellValues, room: usize) {
        if first >= self.len() {
            self.resize(first);
            return self.append(others, room);
        }
        let own = first..first + others.len();
        self.resize(self.len().max(own.end));
        match (&mut *self, &others) {
            (CellValues::Exact(scale, digits), CellValues::Exact(of, others)) if scale == of => {
                digits[own].copy_from_slice(others);
            }
            (CellValues::Float(floats), CellValues::Float(others)) => floats[own].copy_from_slice(others),
            (CellValues::Days(days), CellValues::Days(others)) => days[own].copy_from_slice(others),
            _ => own.zip(others.iter()).for_each(|(cell, value)| self.set(cell, value)),
        }
    }

    /// The same values and so many more behind them, which are made block by block and by all threads, each where it belongs;
    /// `None` where some are of another kind.
    pub(crate) fn extended<E: Send>(
        &self,
        more: usize,
        (threads, block): (usize, usize),
        make: impl Fn(Range<usize>) -> Result<Arc<CellValues>, E> + Sync,
    ) -> Result<Option<CellValues>, E> {
        let make = |cells| make(cells).map(Arc::unwrap_or_clone);
        match self {
            CellValues::Exact(scale, digits) => {
                let all = extended(digits, more, (threads, block), |cells| match make(cells)? {
                    CellValues::Exact(of, digits) if of == *scale => Ok(Some(digits)),
                    CellValues::Blank(cells) => Ok(Some(vec![BLANK; cells])),
                    _ => Ok(None),
                })?;
                Ok(all.map(|digits| CellValues::Exact(*scale, digits)))
            }
            CellValues::Float(floats) => {
                let all = extended(floats, more, (threads, block), |cells| match make(cells)? {
                    CellValues::Float(floats) => Ok(Some(floats)),
                    CellValues::Blank(cells) => Ok(Some(vec![f64::NAN; cells])),
                    _ => Ok(None),
                })?;
                Ok(all.map(CellValues::Float))
            }
            CellValues::Blank(_) | CellValues::Days(_) | CellValues::Mixed(_) => Ok(None),
        }
    }

    /// Some of the cells; those behind the last one are blank.
    pub(crate) fn slice(&self, cells: Range<usize>) -> CellValues {
        let there = cells.start.min(self.len())..cells.end.min(self.len());
        let mut some = match self {
            CellValues::Blank(_) => CellValues::Blank(there.len()),
            CellValues::Exact(scale, digits) => CellValues::Exact(*scale, digits[there].to_vec()),
            CellValues::Float(floats) => CellValues::Float(floats[there].to_vec()),
            CellValues::Days(days) => CellValues::Days(days[there].to_vec()),
            CellValues::Mixed(values) => CellValues::Mixed(values[there].to_vec()),
        };
        some.resize(cells.len());
        some
    }

    /// The value of each of some cells; a blank where there is no cell.
    pub(crate) fn gathered(&self, cells: impl ExactSizeIterator<Item = Option<usize>>) -> CellValues {
        fn of<T: Copy>(cells: impl Iterator<Item = Option<usize>>, values: &[T], blank: T) -> Vec<T> {
            cells.map(|cell| cell.and_then(|cell| values.get(cell)).copied().unwrap_or(blank)).collect()
        }
        match self {
            CellValues::Blank(_) => CellValues::Blank(cells.len()),
            CellValues::Exact(scale, digits) => CellValues::Exact(*scale, of(cells, digits, BLANK)),
            CellValues::Float(floats) => CellValues::Float(of(cells, floats, f64::NAN)),
            CellValues::Days(days) => CellValues::Days(of(cells, days, NO_DAY)),
            CellValues::Mixed(values) => CellValues::Mixed(of(cells, values, None)),
        }
    }

    /// Adds the cells of others. With the first that have values, room is made for so many in all.
    pub(crate) fn append(&mut self, others: CellValues, room: usize) {
        if let CellValues::Blank(blanks) = self
            && let Some(value) = others.iter().flatten().next()
        {
            *self = CellValues::blanks_before(value, *blanks, room);
        }
        match (&mut *self, others) {
            (CellValues::Exact(scale, digits), CellValues::Exact(of, others)) if *scale == of => {
                digits.extend_from_slice(&others);
            }
            (CellValues::Float(floats), CellValues::Float(others)) => floats.extend_from_slice(&others),
            (CellValues::Days(days), CellValues::Days(others)) => days.extend_from_slice(&others),
            (own, CellValues::Blank(blanks)) => own.resize(own.len() + blanks),
            (own, others) => others.iter().for_each(|value| own.push(value)),
        }
    }

    /// Adds cells without a value, until there are so many.
    pub(crate) fn resize(&mut self, cells: usize) {
        match self {
            CellValues::Blank(blanks) => *blanks = cells,
            CellValues::Exact(_, digits) => digits.resize(cells, BLANK),
            CellValues::Float(floats) => floats.resize(cells, f64::NAN),
            CellValues::Days(days) => days.resize(cells, NO_DAY),
            CellValues::Mixed(values) => values.resize(cells, None),
        }
    }

    #[inline]
    fn push(&mut self, value: Option<Value>) {
        match (&mut *self, value) {
            (CellValues::Blank(cells), None) => *cells += 1,
            (CellValues::Exact(scale, digits), Some(Value::Exact(number))) if number.scale == *scale => {
                match narrow(number) {
                    Some(number) => digits.push(number),
                    None => self.mixed().push(value),
                }
            }
            (CellValues::Exact(_, digits), None) => digits.push(BLANK),
            (CellValues::Float(floats), Some(Value::Float(float))) if !float.is_nan() => floats.push(float),
            (CellValues::Float(floats), None) => floats.push(f64::NAN),
            (CellValues::Mixed(values), value) => values.push(value),
            (CellValues::Days(days), Some(Value::Date(day))) if day != NO_DAY => days.push(day),
            (CellValues::Days(days), None) => days.push(NO_DAY),
            (narrow, value) => narrow.mixed().push(value),
        }
    }

    /// Keeps the values one by one from now on.
    #[cold]
    fn mixed(&mut self) -> &mut Vec<Option<Value>> {
        if !matches!(self, CellValues::Mixed(_)) {
            *self = CellValues::Mixed(self.iter().collect());
        }
        match self {
            CellValues::Mixed(values) => values,
            _ => unreachable!("they are kept one by one now"),
        }
    }

    /// Floating-point numbers, none of which is `NaN`.
    pub(crate) fn of_floats(floats: impl Iterator<Item = Option<f64>>) -> CellValues {
        CellValues::Float(floats.map(|float| float.unwrap_or(f64::NAN)).collect())
    }

    /// Exact numbers of one scale.
    ///
    /// # Errors
    /// Digits that do not fit into a column of digits, or the first error among them.
    pub(crate) fn of_digits(
        scale: u8,
        digits: impl ExactSizeIterator<Item = Result<Option<i64>, Overflow>>,
    ) -> Result<CellValues, Overflow> {
        // Collecting results would make no room for them before.
        let mut slots = Vec::with_capacity(digits.len());
        for digits in digits {
            match digits? {
                Some(BLANK) => return Err(Overflow),
                digits => slots.push(digits.unwrap_or(BLANK)),
            }
        }
        Ok(CellValues::Exact(scale, slots))
    }

    /// The same in shares that end at some cells, each by a thread that begins at its first cell and makes one after the
    /// other; `None` as soon as one cannot be made.
    pub(crate) fn of_digits_in_shares<F: FnMut(usize) -> Option<Option<i64>>>(
        scale: u8,
        ends: &[usize],
        begin: impl Fn(usize) -> F + Sync,
    ) -> Option<CellValues> {
        let mut all = vec![0; ends.last().copied().unwrap_or(0)];
        let made = in_each(split_at_ends(&mut all, ends), |(first, slots)| {
            let mut digits_of = begin(first);
            let make = |(cell, slot): (usize, &mut i64)| {
                let digits = digits_of(cell)?;
                *slot = digits.unwrap_or(BLANK);
                (digits != Some(BLANK)).then_some(())
            };
            (first..).zip(slots).try_for_each(make)
        });
        made.into_iter().collect::<Option<()>>()?;
        Some(CellValues::Exact(scale, all))
    }

    /// The digits of exact numbers; `None` if the values are not kept as digits.
    pub(crate) fn digits(&self) -> Option<Digits<'_>> {
        match self {
            CellValues::Exact(scale, digits) => Some(Digits { scale: *scale, digits }),
            _ => None,
        }
    }

    /// Floating-point numbers, `NaN` for a blank; `None` if the values are not kept as such.
    pub(crate) fn floats(&self) -> Option<&[f64]> {
        if let CellValues::Float(floats) = self { Some(floats) } else { None }
    }

    /// Whether a number may be zero.
    pub(crate) fn has_zero(&self) -> bool {
        match self {
            CellValues::Blank(_) | CellValues::Days(_) => false,
            CellValues::Exact(_, digits) => digits.contains(&0),
            CellValues::Float(floats) => floats.contains(&0.0),
            CellValues::Mixed(_) => true,
        }
    }

    /// The value of a cell of which the key is known: where keys tell it, the cell is not looked up.
    pub(crate) fn of_key(&self, cell: usize, key: i64) -> Value {
        match self {
            CellValues::Exact(scale, _) => Value::Exact(Decimal::new(key.into(), *scale)),
            CellValues::Float(_) => Value::Float(ordered_to_float(key)),
            CellValues::Days(_) => Value::Date(key as i32),
            CellValues::Blank(_) | CellValues::Mixed(_) => match self.get(cell) {
                Some(value) => value,
                None => unreachable!("only a value has a key"),
            },
        }
    }

    /// What the values are compared and sorted by.
    pub(crate) fn sort_keys(&self) -> SortKeys<'_> {
        let keys = match self {
            CellValues::Blank(cells) => Cow::Owned(vec![BLANK; *cells]),
            CellValues::Exact(_, digits) => Cow::Borrowed(digits.as_slice()),
            CellValues::Float(floats) => {
                let key = |float: &f64| if float.is_nan() { BLANK } else { float_to_ordered(*float) };
                Cow::Owned(floats.iter().map(key).collect())
            }
            CellValues::Days(days) => {
                let key = |day: &i32| if *day == NO_DAY { BLANK } else { (*day).into() };
                Cow::Owned(days.iter().map(key).collect())
            }
            CellValues::Mixed(values) => Cow::Owned(ranks(values)),
        };
        SortKeys { keys }
    }
}

impl Default for CellValues {
    /// No cells.
    fn default() -> CellValues {
        CellValues::Blank(0)
    }
}

impl FromIterator<Option<Value>> for CellValues {
    fn from_iter<I: IntoIterator<Item = Option<Value>>>(values: I) -> CellValues {
        let values = values.into_iter();
        CellValues::collect(values.size_hint().0, values)
    }
}

/// The digits of exact numbers of one scale, by cell.
#[derive(Clone, Copy)]
pub(crate) struct Digits<'a> {
    pub(crate) scale: u8,
    digits: &'a [i64],
}

impl<'a> Digits<'a> {
    pub(crate) fn len(self) -> usize {
        self.digits.len()
    }

    /// Those of all cells; what stands for a blank is anything.
    pub(crate) fn all(self) -> &'a [i64] {
        self.digits
    }

    pub(crate) fn has_blanks(self) -> bool {
        self.digits.contains(&BLANK)
    }

    /// A cell's digits; `None` for a blank.
    #[inline]
    pub(crate) fn get(self, cell: usize) -> Option<i64> {
        Some(self.digits[cell]).filter(|digits| *digits != BLANK)
    }
}

/// A whole number for each value, in the order of the values: what they are compared and sorted by.
pub(crate) struct SortKeys<'a> {
    keys: Cow<'a, [i64]>,
}

impl SortKeys<'_> {
    /// A cell's key; `None` for a blank.
    #[inline]
    pub(crate) fn key(&self, cell: usize) -> Option<i64> {
        Some(self.keys[cell]).filter(|key| *key != BLANK)
    }

    /// The lowest and the highest key.
    pub(crate) fn ends(&self) -> Option<(i64, i64)> {
        let mut keys = self.keys.iter().copied().filter(|key| *key != BLANK);
        let first = keys.next()?;
        Some(keys.fold((first, first), |(low, high), key| (low.min(key), high.max(key))))
    }
}

/// What there is, and so many more behind it; `None` where some of that cannot be made.
fn extended<T: Copy + Default + Send + Sync, E: Send>(
    own: &[T],
    more: usize,
    (threads, block): (usize, usize),
    make: impl Fn(Range<usize>) -> Result<Option<Vec<T>>, E> + Sync,
) -> Result<Option<Vec<T>>, E> {
    // Each thread touches a part of the memory first.
    let mut all = vec![T::default(); own.len() + more];
    let (before, behind) = all.split_at_mut(own.len());
    let threads = threads_for(own.len() + more, threads);
    let ends = |items: usize| (1..=threads).map(|place| items * place / threads).collect::<Vec<usize>>();
    let jobs = split_at_ends(before, &ends(own.len())).into_iter().zip(split_at_ends(behind, &ends(more)));
    let made = in_each(jobs.collect(), |((from, before), (first, behind))| {
        before.copy_from_slice(&own[from..from + before.len()]);
        for (slots, first) in behind.chunks_mut(block).zip((first..).step_by(block)) {
            let Some(values) = make(first..first + slots.len())? else { return Ok(false) };
            slots.copy_from_slice(&values);
        }
        Ok(true)
    });
    let all_made = made.into_iter().collect::<Result<Vec<bool>, E>>()?.into_iter().all(|made| made);
    Ok(all_made.then_some(all))
}

/// The digits, where they are few enough.
fn narrow(number: Decimal) -> Option<i64> {
    i64::try_from(number.digits).ok().filter(|digits| *digits != BLANK)
}

/// The rank of each value among all, the lowest first and the same for equal ones.
fn ranks(values: &[Option<Value>]) -> Vec<i64> {
    let mut sorted: Vec<(usize, Value)> =
        values.iter().enumerate().filter_map(|(cell, value)| Some((cell, (*value)?))).collect();
    sorted.sort_by(|(_, a), (_, b)| a.order(b));
    let mut ranks = vec![BLANK; values.len()];
    let mut rank = 0;
    for (i, (cell, value)) in sorted.iter().enumerate() {
        if i > 0 && sorted[i - 1].1.order(value).is_ne() {
            rank += 1;
        }
        ranks[*cell] = rank;
    }
    ranks
}
