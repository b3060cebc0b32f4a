//! Running a function of one line or one cell: over columns of numbers, and value by value where a column has values
//! of several kinds.

use std::cmp::Ordering;

use arrow_buffer::NullBuffer;

use super::numbers::{Data, Numbers, finite, floats, wide_by_line};
use super::scalar::{Eval, OfDigits, OfNumbers, OfText, ScalarCall};
use crate::model::{Decimal, Overflow, Type, Value, pow10};

impl ScalarCall {
    /// The function with its options, as fingerprints have it.
    pub(super) fn canonical(self) -> String {
        format!("{} {}", self.function.name(), self.places)
    }

    /// How it changes one text; `None` where it is the first of several that is not blank.
    pub(super) fn of_text(self) -> Option<OfText> {
        if let Eval::Text(change) = self.function.eval { Some(change) } else { None }
    }

    /// What comes of columns of numbers (or days, or periods), all of one type.
    pub(super) fn of_columns(self, given: &[Numbers<'_>], of: Type) -> Result<Numbers<'static>, Overflow> {
        match (&self.function.eval, given) {
            (Eval::Pick(takes_place), _) => Ok(picked(*takes_place, given, of)),
            (Eval::Number { digits: Some(digits), .. }, [numbers]) if of != Type::Float => {
                let Numbers { data, blanks } = numbers;
                Ok(Numbers { data: digits.of_column(data, self.unit(of)?, blanks)?, blanks: blanks.clone() })
            }
            (Eval::Number { float, .. }, [numbers]) => {
                let results = floats(&numbers.data, of).into_iter().map(|x| float(x, self.places)).collect();
                Ok(finite(results, numbers.blanks.clone()))
            }
            (Eval::TwoNumbers(function), [x, y]) => {
                let pairs = floats(&x.data, of).into_iter().zip(floats(&y.data, of));
                let results = pairs.map(|(x, y)| function(x, y)).collect();
                Ok(finite(results, NullBuffer::union(x.blanks.as_ref(), y.blanks.as_ref())))
            }
            (Eval::Own(function), _) => Ok(of_numbers(function, given, of)),
            _ => unreachable!("the check lets stand here only what the function takes"),
        }
    }

    /// What comes of the values of one cell, which may be of several kinds; `None` stands for blank.
    pub(super) fn of_values(
        self,
        values: &mut dyn Iterator<Item = Option<Value>>,
    ) -> Result<Option<Value>, Overflow> {
        let result = match &self.function.eval {
            Eval::Pick(takes_place) => {
                let pick = |known: Value, value: Value| match takes_place(value.order(&known)) {
                    true => value,
                    false => known,
                };
                return Ok(values.flatten().reduce(pick));
            }
            Eval::Number { digits, float } => match (values.next().flatten(), digits) {
                (None, _) => return Ok(None),
                (Some(Value::Exact(number)), Some(digits)) => {
                    let of = Type::Exact { scale: number.scale };
                    let digits = (digits.wide)(number.digits, self.unit(of)?).ok_or(Overflow)?;
                    let scale = self.function.result_type(of, self.places).scale();
                    return Ok(Some(Value::Exact(Decimal::new(digits, scale))));
                }
                (Some(value), _) => float(value.as_f64(), self.places),
            },
            Eval::TwoNumbers(of) => match (values.next().flatten(), values.next().flatten()) {
                (Some(x), Some(y)) => of(x.as_f64(), y.as_f64()),
                _ => return Ok(None),
            },
            Eval::Own(of) => {
                let numbers: Option<Vec<f64>> =
                    values.map(|value| value.map(|value| value.as_f64())).collect();
                match numbers.and_then(|numbers| of(&numbers)) {
                    Some(result) => result,
                    None => return Ok(None),
                }
            }
            Eval::Text(_) => unreachable!("the check lets a text stand here only where one is wanted"),
        };
        Ok(result.is_finite().then_some(Value::Float(result)))
    }

    /// What a digit of the result is worth in digits of an exact type.
    fn unit(self, of: Type) -> Result<i128, Overflow> {
        pow10(of.scale() - self.function.result_type(of, self.places).scale()).ok_or(Overflow)
    }
}

impl OfDigits {
    /// What comes of a column of digits, in 64 bits where all fit.
    fn of_column(
        &self,
        data: &Data<'_>,
        unit: i128,
        blanks: &Option<NullBuffer>,
    ) -> Result<Data<'static>, Overflow> {
        if let (Data::Narrow(digits), Ok(unit)) = (data, i64::try_from(unit))
            && let Some(digits) = (self.narrow)(digits, unit)
        {
            return Ok(Data::Narrow(digits.into()));
        }
        wide_by_line(data.len(), blanks, |line| (self.wide)(data.digits(line), unit))
    }
}

/// Of each line the first value that is not blank, or a later one that takes its place.
fn picked(takes_place: fn(Ordering) -> bool, given: &[Numbers<'_>], ty: Type) -> Numbers<'static> {
    let Some((first, others)) = given.split_first() else { unreachable!("there are two values at least") };
    let narrow: Option<Vec<&[i64]>> = given.iter().map(|numbers| numbers.data.narrow()).collect();
    if let Some(columns) = narrow.filter(|_| given.iter().all(|numbers| numbers.blanks.is_none())) {
        return Numbers { data: Data::Narrow(picked_digits(takes_place, &columns).into()), blanks: None };
    }
    let mut of_line = vec![0; first.data.len()];
    for (place, numbers) in (1u32..).zip(others) {
        for (line, of) in of_line.iter_mut().enumerate().filter(|(line, _)| !numbers.is_blank(*line)) {
            let known: &Numbers<'_> = &given[*of as usize];
            let order = || numbers.data.ordered(line).cmp(&known.data.ordered(line));
            if known.is_blank(line) || takes_place(order()) {
                *of = place;
            }
        }
    }
    Numbers::chosen(given, &of_line, ty)
}

/// The same of digits, where none is blank.
fn picked_digits(takes_place: fn(Ordering) -> bool, columns: &[&[i64]]) -> Vec<i64> {
    // Asked beforehand, so that no line has a jump.
    let [less, equal, greater] = [Ordering::Less, Ordering::Equal, Ordering::Greater].map(takes_place);
    let mut all = columns[0].to_vec();
    for column in &columns[1..] {
        for (known, digits) in all.iter_mut().zip(*column) {
            let takes = less & (digits < known) | equal & (digits == known) | greater & (digits > known);
            *known = if takes { *digits } else { *known };
        }
    }
    all
}

/// What a function of one's own gives for each line; it is not asked where one of its arguments is blank.
fn of_numbers(function: &OfNumbers, given: &[Numbers<'_>], of: Type) -> Numbers<'static> {
    let columns: Vec<Vec<f64>> = given.iter().map(|numbers| floats(&numbers.data, of)).collect();
    let lines = columns.first().map_or(0, Vec::len);
    let mut arguments = vec![0.0; columns.len()];
    let mut result = |line: usize| {
        if given.iter().any(|numbers| numbers.is_blank(line)) {
            return None;
        }
        arguments.iter_mut().zip(&columns).for_each(|(argument, column)| *argument = column[line]);
        function(&arguments)
    };
    // What is no number becomes a blank.
    finite((0..lines).map(|line| result(line).unwrap_or(f64::NAN)).collect(), None)
}
