//! Running a formula over the lines of one batch, a column at a time.
//!
//! Exact numbers stay exact: whole numbers and decimals are digits with a scale, and a result that
//! outgrows 38 digits is an error. In `+` and `-` a blank counts as nothing when the other side has
//! a value of its own; beside a constant, in `*`, `/` and comparisons of numbers it gives a blank. A blank text is compared as an
//! empty one: it differs from every text that is not empty.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, RecordBatch, StringViewArray,
};
use arrow_buffer::NullBuffer;
use arrow_schema::DataType;

use super::check::{Blanks, Step};
use super::expr::Operator;
use super::line::{LineFormula, LineLeaf};
use super::numbers::{Data, Numbers, column, convert, exact, finite, floats, negate};
use super::scalar::ScalarCall;
use crate::lines::hash;
use crate::model::Type;
use crate::model::{DatePart, Kind, Overflow};

/// A run over one batch.
#[derive(Debug)]
pub(crate) struct Evaluation<'a> {
    batch: &'a RecordBatch,
    /// Lines on which values are used, where that is not all: only there divisions count.
    active: Option<Vec<bool>>,
    /// Divisions by zero met so far; each gave a blank.
    pub(crate) zero_divisions: u64,
}

pub(super) type Evaluated<T> = std::result::Result<T, Overflow>;

impl<'a> Evaluation<'a> {
    pub(crate) fn new(batch: &'a RecordBatch) -> Evaluation<'a> {
        Evaluation { batch, active: None, zero_divisions: 0 }
    }

    /// The numbers (or days, or periods) that a formula gives.
    pub(crate) fn numbers(&mut self, formula: &LineFormula) -> Evaluated<Numbers<'a>> {
        let lines = self.batch.num_rows();
        Ok(match &formula.step {
            Step::Leaf(leaf) => self.leaf(leaf)?,
            Step::Digits(digits) if formula.ty == Type::Float => {
                Numbers { data: Data::Float(Cow::Owned(vec![*digits as f64; lines])), blanks: None }
            }
            Step::Digits(digits) => {
                let data = match i64::try_from(*digits) {
                    Ok(digits) => Data::Narrow(Cow::Owned(vec![digits; lines])),
                    Err(_) => Data::Wide(vec![*digits; lines]),
                };
                Numbers { data, blanks: None }
            }
            Step::Nothing => {
                let data = if formula.ty == Type::Float {
                    Data::Float(Cow::Owned(vec![0.0; lines]))
                } else {
                    Data::Narrow(Cow::Owned(vec![0; lines]))
                };
                Numbers { data, blanks: Some(NullBuffer::new_null(lines)) }
            }
            Step::Negate(inner) => negate(self.numbers(inner)?)?,
            Step::Convert(inner) => convert(self.numbers(inner)?, inner.ty, formula.ty)?,
            Step::Arithmetic(operator, blanks, left, right) => {
                self.arithmetic((*operator, *blanks), formula.ty, left, right)?
            }
            Step::Case(branches, otherwise) => self.case(branches, otherwise, formula.ty)?,
            Step::Apply(call, arguments) => self.apply(*call, arguments, formula.ty)?,
            Step::Word(_) | Step::Not(_) | Step::Compare(..) | Step::Logical(..) | Step::IsBlank(_) => {
                unreachable!("the check lets only numbers stand here")
            }
        })
    }

    pub(super) fn lines(&self) -> usize {
        self.batch.num_rows()
    }

    pub(super) fn column(&self, slot: usize) -> &'a ArrayRef {
        self.batch.column(slot)
    }

    fn leaf(&mut self, leaf: &LineLeaf) -> Evaluated<Numbers<'a>> {
        let periods = |days: &[i32], part: DatePart| {
            Data::Narrow(Cow::Owned(days.iter().map(|day| part.number(*day).unwrap_or(0).into()).collect()))
        };
        Ok(match leaf {
            LineLeaf::Column(slot) => column(self.batch.column(*slot)),
            LineLeaf::Part(slot, part) => {
                let days = self.batch.column(*slot).as_primitive::<Date32Type>();
                Numbers { data: periods(days.values(), *part), blanks: days.nulls().cloned() }
            }
            LineLeaf::PartOf(date, part) => {
                let days = self.numbers(date)?;
                let whole: Vec<i32> =
                    (0..self.batch.num_rows()).map(|i| days.data.digits(i) as i32).collect();
                Numbers { data: periods(&whole, *part), blanks: days.blanks }
            }
            LineLeaf::Presence(inner) => {
                let blanks = self.blanks(inner)?;
                Numbers { data: Data::Narrow(Cow::Owned(vec![1; self.batch.num_rows()])), blanks }
            }
            LineLeaf::Hash(inner) => self.hashes(inner)?,
            LineLeaf::Where(inner, condition) => {
                let kept: NullBuffer =
                    self.truths(condition)?.iter().map(|truth| *truth == Some(true)).collect();
                let before = self.narrow(kept.iter());
                let numbers = self.numbers(inner);
                self.active = before;
                let Numbers { data, blanks } = numbers?;
                Numbers { data, blanks: NullBuffer::union(blanks.as_ref(), Some(&kept)) }
            }
        })
    }

    /// A hash of what a formula gives, blank where it gives nothing.
    fn hashes(&mut self, formula: &LineFormula) -> Evaluated<Numbers<'a>> {
        let digits: Vec<i64> = match formula.ty {
            Type::Text => self.texts(formula)?.iter().map(|text| hash(text.as_bytes()) as i64).collect(),
            Type::Condition => self
                .truths(formula)?
                .iter()
                .map(|truth| hash(&[u8::from(*truth == Some(true))]) as i64)
                .collect(),
            _ => {
                let numbers = self.numbers(formula)?;
                let lines = self.batch.num_rows();
                let ordered = (0..lines).map(|i| hash(&numbers.data.ordered(i).to_le_bytes()) as i64);
                ordered.collect()
            }
        };
        Ok(Numbers { data: Data::Narrow(Cow::Owned(digits)), blanks: self.blanks(formula)? })
    }

    /// Which lines a formula of any type gives nothing for.
    pub(super) fn blanks(&mut self, formula: &LineFormula) -> Evaluated<Option<NullBuffer>> {
        Ok(match (&formula.step, formula.ty) {
            (Step::Leaf(LineLeaf::Column(slot)), _) => blanks(self.batch.column(*slot)),
            (Step::Leaf(LineLeaf::Where(inner, condition)), Type::Text | Type::Condition) => {
                let kept: NullBuffer =
                    self.truths(condition)?.iter().map(|truth| *truth == Some(true)).collect();
                NullBuffer::union(self.blanks(inner)?.as_ref(), Some(&kept))
            }
            (_, Type::Text) => Some(self.texts(formula)?.iter().map(|text| !text.is_empty()).collect()),
            (_, Type::Condition) => Some(self.truths(formula)?.iter().map(Option::is_some).collect()),
            _ => self.numbers(formula)?.blanks,
        })
    }

    /// Keeps in mind that values are used on some lines only; gives what was so before.
    fn narrow(&mut self, lines: impl Iterator<Item = bool>) -> Option<Vec<bool>> {
        let narrowed = match &self.active {
            Some(active) => active.iter().zip(lines).map(|(a, b)| *a && b).collect(),
            None => lines.collect(),
        };
        self.active.replace(narrowed)
    }

    fn arithmetic(
        &mut self,
        (operator, rule): (Operator, Blanks),
        ty: Type,
        left: &LineFormula,
        right: &LineFormula,
    ) -> Evaluated<Numbers<'a>> {
        let (mut a, mut b) = (self.numbers(left)?, self.numbers(right)?);
        let adds = rule == Blanks::AsNothing;
        let blanks = match (&a.blanks, &b.blanks) {
            (Some(x), Some(y)) if adds => Some(NullBuffer::new(x.inner() | y.inner())),
            _ if adds => None,
            (x, y) => NullBuffer::union(x.as_ref(), y.as_ref()),
        };
        if adds {
            a.blank_to_zero();
            b.blank_to_zero();
        }
        Ok(match (ty, operator) {
            (Type::Exact { scale }, _) => {
                let data = exact(operator, (&a.data, left.ty), (&b.data, right.ty), scale, &blanks)?;
                Numbers { data, blanks }
            }
            (_, Operator::Divide) => self.divide(floats(&a.data, left.ty), floats(&b.data, right.ty), blanks),
            _ => {
                let pairs = floats(&a.data, left.ty).into_iter().zip(floats(&b.data, right.ty));
                let data = match operator {
                    Operator::Add => pairs.map(|(a, b)| a + b).collect(),
                    Operator::Subtract => pairs.map(|(a, b)| a - b).collect(),
                    _ => pairs.map(|(a, b)| a * b).collect(),
                };
                finite(data, blanks)
            }
        })
    }

    fn case(
        &mut self,
        branches: &[(LineFormula, LineFormula)],
        otherwise: &LineFormula,
        ty: Type,
    ) -> Evaluated<Numbers<'a>> {
        let lines = self.batch.num_rows();
        let before = self.active.clone();
        let mut open = vec![true; lines];
        // Which of the values that are given stands in each line.
        let mut of_line = vec![branches.len(); lines];
        let mut given = Vec::with_capacity(branches.len() + 1);
        for (place, (condition, value)) in branches.iter().enumerate() {
            let truths = self.truths(condition)?;
            let chosen: Vec<bool> =
                truths.iter().zip(&open).map(|(t, open)| *open && *t == Some(true)).collect();
            self.active = before.clone();
            self.narrow(chosen.iter().copied());
            given.push(self.numbers(value)?);
            for (i, _) in chosen.iter().enumerate().filter(|(_, chosen)| **chosen) {
                (open[i], of_line[i]) = (false, place);
            }
            self.active = before.clone();
            self.narrow(open.iter().copied());
        }
        given.push(self.numbers(otherwise)?);
        self.active = before;
        Ok(Numbers::chosen(&given, &of_line, ty))
    }

    fn apply(&mut self, call: ScalarCall, arguments: &[LineFormula], ty: Type) -> Evaluated<Numbers<'a>> {
        let lines = self.batch.num_rows();
        let all = vec![true; lines];
        let mut given = Vec::with_capacity(arguments.len());
        for argument in arguments {
            let mut values = vec![None; lines];
            self.numbers(argument)?.give(argument.ty, &all, &mut values);
            given.push(values);
        }
        let mut result = Vec::with_capacity(lines);
        for i in 0..lines {
            let mut values = given.iter().map(|values| values[i]);
            result.push(call.of_values(&mut values)?);
        }
        Ok(Numbers::of_values(&result, ty))
    }

    /// The texts that a formula gives; a blank is an empty text.
    pub(crate) fn texts<'b>(&mut self, formula: &'b LineFormula) -> Evaluated<Vec<Cow<'b, str>>>
    where
        'a: 'b,
    {
        let lines = self.batch.num_rows();
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => {
                column_texts(self.batch.column(*slot)).into_iter().map(Cow::Borrowed).collect()
            }
            Step::Leaf(LineLeaf::Where(inner, condition)) => {
                let truths = self.truths(condition)?;
                let kept = |(text, truth)| if truth == Some(true) { text } else { Cow::Borrowed("") };
                self.texts(inner)?.into_iter().zip(truths).map(kept).collect()
            }
            Step::Word(word) => vec![Cow::Borrowed(word.as_str()); lines],
            Step::Case(branches, otherwise) => {
                let mut result = self.texts(otherwise)?;
                // The first that holds decides, so the last is written first.
                for (condition, value) in branches.iter().rev() {
                    let (truths, given) = (self.truths(condition)?, self.texts(value)?);
                    for (i, text) in given.into_iter().enumerate().filter(|(i, _)| truths[*i] == Some(true)) {
                        result[i] = text;
                    }
                }
                result
            }
            Step::Apply(call, arguments) => {
                if let Some(change) = call.of_text() {
                    let texts = self.texts(&arguments[0])?.into_iter();
                    return Ok(texts.map(|text| Cow::Owned(change(&text))).collect());
                }
                let mut result = vec![Cow::Borrowed(""); lines];
                for argument in arguments {
                    for (known, text) in result.iter_mut().zip(self.texts(argument)?) {
                        if known.is_empty() {
                            *known = text;
                        }
                    }
                }
                result
            }
            _ => vec![Cow::Borrowed(""); lines],
        })
    }

    fn divide(&mut self, a: Vec<f64>, b: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'a> {
        let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
        let zero = |i: usize| b[i] == 0.0 && valid(i);
        let used = |i: usize| self.active.as_ref().is_none_or(|active| active[i]);
        let zeros: Vec<usize> = (0..b.len()).filter(|i| zero(*i)).collect();
        self.zero_divisions += zeros.iter().filter(|i| used(**i)).count() as u64;
        let blanks = match zeros.is_empty() {
            true => blanks,
            false => Some((0..b.len()).map(|i| valid(i) && !zero(i)).collect()),
        };
        finite(a.iter().zip(&b).map(|(a, b)| a / b).collect(), blanks)
    }

    /// What a dimension is made of: the column itself, or what a formula gives.
    pub(crate) fn array(&mut self, formula: &LineFormula) -> Evaluated<ArrayRef> {
        match &formula.step {
            Step::Leaf(LineLeaf::Column(slot) | LineLeaf::Part(slot, _)) => {
                return Ok(self.batch.column(*slot).clone());
            }
            Step::Leaf(LineLeaf::PartOf(date, _)) => return self.array(date),
            _ => {}
        }
        Ok(match formula.ty {
            Type::Text => Arc::new(StringViewArray::from_iter_values(self.texts(formula)?)),
            Type::Condition => Arc::new(BooleanArray::from(self.truths(formula)?)),
            Type::Float => {
                let numbers = self.numbers(formula)?;
                Arc::new(Float64Array::new(floats(&numbers.data, Type::Float).into(), numbers.blanks))
            }
            Type::Day => {
                let numbers = self.numbers(formula)?;
                let days = (0..self.batch.num_rows()).map(|i| numbers.data.digits(i) as i32);
                Arc::new(Date32Array::new(days.collect(), numbers.blanks))
            }
            _ => {
                let numbers = self.numbers(formula)?;
                let digits = (0..self.batch.num_rows()).map(|i| numbers.data.digits(i));
                Arc::new(Decimal128Array::new(digits.collect(), numbers.blanks))
            }
        })
    }
}

/// The blanks of any column; an empty text is one.
fn blanks(array: &ArrayRef) -> Option<NullBuffer> {
    match Kind::of(array.data_type()) {
        Some(Kind::Text) | None => {
            Some(column_texts(array).into_iter().map(|text| !text.is_empty()).collect::<Vec<bool>>().into())
        }
        Some(Kind::Float) => column(array).blanks,
        _ => array.nulls().cloned(),
    }
}

pub(crate) fn column_texts(array: &ArrayRef) -> Vec<&str> {
    match array.data_type() {
        DataType::Utf8View => array.as_string_view().iter().map(Option::unwrap_or_default).collect(),
        DataType::BinaryView => {
            let texts = array.as_binary_view().iter().flatten();
            texts.map(|bytes| std::str::from_utf8(bytes).unwrap_or_default()).collect()
        }
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
