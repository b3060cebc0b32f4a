//! Running a formula over the lines of one batch, a column at a time.
//!
//! Exact numbers stay exact: whole numbers and decimals are digits with a scale, and a result that
//! outgrows 38 digits is an error. In `+` and `-` a blank counts as nothing when the other side has
//! a value of its own; beside a constant, in `*`, `/` and comparisons of numbers it gives a blank. A blank text is compared as an
//! empty one: it differs from every text that is not empty.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::Date32Type;
use arrow_array::{
    Array, ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int64Array, RecordBatch,
};
use arrow_buffer::NullBuffer;

use super::check::{Blanks, Step};
use super::entries::Entries;
use super::expr::Operator;
use super::line::{LineFormula, LineLeaf};
use super::numbers::{Data, Numbers, bits, column, convert, exact, finite, floats, negate};
use crate::lines::{hash, hash_digits};
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
    /// What is known from batches before, and is of use in later ones.
    pub(crate) entries: Entries,
}

pub(super) type Evaluated<T> = std::result::Result<T, Overflow>;

impl<'a> Evaluation<'a> {
    pub(crate) fn new(batch: &'a RecordBatch) -> Evaluation<'a> {
        Evaluation::after(Entries::default(), batch)
    }

    /// A run over a batch that comes after others.
    pub(crate) fn after(entries: Entries, batch: &'a RecordBatch) -> Evaluation<'a> {
        Evaluation { batch, active: None, zero_divisions: 0, entries: entries.again() }
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
            Step::Apply(call, arguments) => {
                let given: Evaluated<Vec<Numbers<'_>>> = arguments.iter().map(|a| self.numbers(a)).collect();
                call.of_columns(&given?, arguments[0].ty)?
            }
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
                let kept = yes(&self.truths(condition)?);
                let Numbers { data, blanks } = self.numbers_on(inner, |line| kept.is_valid(line))?;
                Numbers { data, blanks: NullBuffer::union(blanks.as_ref(), Some(&kept)) }
            }
        })
    }

    /// A hash of what a formula gives, blank where it gives nothing.
    fn hashes(&mut self, formula: &LineFormula) -> Evaluated<Numbers<'a>> {
        let hashes = self.looked_up(formula, |lines, formula| lines.hashes_of_lines(formula))?;
        Ok(Numbers { data: Data::Narrow(Cow::Owned(hashes)), blanks: self.blanks(formula)? })
    }

    fn hashes_of_lines(&mut self, formula: &LineFormula) -> Evaluated<Vec<i64>> {
        Ok(match formula.ty {
            Type::Text => self.texts(formula)?.iter().map(|text| hash(text.as_bytes()) as i64).collect(),
            Type::Condition => self
                .truths(formula)?
                .iter()
                .map(|truth| hash(&[u8::from(*truth == Some(true))]) as i64)
                .collect(),
            _ => {
                let data = self.numbers(formula)?.data;
                (0..data.len()).map(|line| hash_digits(data.ordered(line)) as i64).collect()
            }
        })
    }

    /// Which lines a formula of any type gives nothing for.
    pub(super) fn blanks(&mut self, formula: &LineFormula) -> Evaluated<Option<NullBuffer>> {
        Ok(match (&formula.step, formula.ty) {
            (Step::Leaf(LineLeaf::Column(slot)), ty) if ty != Type::Text => blanks(self.column(*slot)),
            (Step::Leaf(LineLeaf::Where(inner, condition)), Type::Text | Type::Condition) => {
                let kept = yes(&self.truths(condition)?);
                NullBuffer::union(self.blanks(inner)?.as_ref(), Some(&kept))
            }
            (_, Type::Text) => {
                let there = self.looked_up(formula, |lines, formula| {
                    Ok(lines.texts(formula)?.iter().map(|text| !text.is_empty()).collect())
                })?;
                Some(bits(there.len(), |line| there[line]))
            }
            (_, Type::Condition) => {
                let truths = self.truths(formula)?;
                Some(bits(truths.len(), |line| truths[line].is_some()))
            }
            _ => self.numbers(formula)?.blanks,
        })
    }

    /// What a formula gives, of which the values are used on some lines only: only there divisions by zero count.
    fn numbers_on(&mut self, formula: &LineFormula, used: impl Fn(usize) -> bool) -> Evaluated<Numbers<'a>> {
        if !formula.divides() {
            return self.numbers(formula);
        }
        self.on(used, |lines| lines.numbers(formula))
    }

    /// Does something with values that are used on some lines only.
    fn on<T>(&mut self, used: impl Fn(usize) -> bool, work: impl FnOnce(&mut Self) -> T) -> T {
        let before = self.active.take();
        let is_active = |line: usize| before.as_ref().is_none_or(|before| before[line]) && used(line);
        self.active = Some((0..self.lines()).map(is_active).collect());
        let result = work(self);
        self.active = before;
        result
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
        let of_line = self.branch_of_line(branches)?;
        let mut given = Vec::with_capacity(branches.len() + 1);
        for (place, value) in (0..).zip(branches.iter().map(|(_, value)| value).chain([otherwise])) {
            given.push(self.numbers_on(value, |line| of_line[line] == place)?);
        }
        Ok(Numbers::chosen(&given, &of_line, ty))
    }

    /// Of each line the first branch whose condition holds; their number where none does.
    pub(super) fn branch_of_line(&mut self, branches: &[(LineFormula, LineFormula)]) -> Evaluated<Vec<u32>> {
        let none = branches.len() as u32;
        let mut of_line = vec![none; self.lines()];
        for (place, (condition, _)) in (0..).zip(branches) {
            let truths = match condition.divides() {
                true => self.on(|line| of_line[line] == none, |lines| lines.truths(condition))?,
                false => self.truths(condition)?,
            };
            for (of, truth) in of_line.iter_mut().zip(truths) {
                *of = if *of == none && truth == Some(true) { place } else { *of };
            }
        }
        Ok(of_line)
    }

    fn divide(&mut self, a: Vec<f64>, b: Vec<f64>, blanks: Option<NullBuffer>) -> Numbers<'a> {
        let valid = |i: usize| blanks.as_ref().is_none_or(|blanks| blanks.is_valid(i));
        let zero = |i: usize| b[i] == 0.0 && valid(i);
        let used = |i: usize| self.active.as_ref().is_none_or(|active| active[i]);
        let zeros: Vec<usize> = (0..b.len()).filter(|i| zero(*i)).collect();
        self.zero_divisions += zeros.iter().filter(|i| used(**i)).count() as u64;
        let blanks = match zeros.is_empty() {
            true => blanks,
            false => Some(bits(b.len(), |line| valid(line) && !zero(line))),
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
            Type::Text => self.text_column(formula)?,
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
                let Numbers { data, blanks } = self.numbers(formula)?;
                match data {
                    Data::Narrow(digits) => Arc::new(Int64Array::new(digits.into_owned().into(), blanks)),
                    Data::Wide(digits) => Arc::new(Decimal128Array::new(digits.into(), blanks)),
                    Data::Float(_) => unreachable!("floats have a type of their own"),
                }
            }
        })
    }
}

/// The lines for which a condition holds.
fn yes(truths: &[Option<bool>]) -> NullBuffer {
    bits(truths.len(), |line| truths[line] == Some(true))
}

/// The blanks of a column that has no texts.
fn blanks(array: &ArrayRef) -> Option<NullBuffer> {
    match Kind::of(array.data_type()) {
        Some(Kind::Float) => column(array).blanks,
        _ => array.nulls().cloned(),
    }
}
