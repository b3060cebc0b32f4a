//! Conditions over the lines of one batch: which lines they hold for, a column at a time.

use std::cmp::Ordering;

use arrow_array::cast::AsArray;
use arrow_buffer::{BooleanBuffer, NullBuffer};

use super::check::Step;
use super::evaluate::{Evaluated, Evaluation};
use super::expr::Operator;
use super::line::{LineFormula, LineLeaf};
use super::numbers::{Data, floats, scaled};
use super::texts::column_texts;
use super::values::logical;
use crate::model::{Overflow, Type, pow10};

/// Yes, no or blank, one a line.
pub(crate) type LineTruths = Vec<Option<bool>>;

impl<'a> Evaluation<'a> {
    /// Which lines a condition holds for; a blank condition does not hold, and is counted.
    pub(crate) fn holds(&mut self, condition: &LineFormula) -> Evaluated<(BooleanBuffer, u64)> {
        let truths = self.truths(condition)?;
        let blank = truths.iter().filter(|truth| truth.is_none()).count() as u64;
        Ok((BooleanBuffer::collect_bool(truths.len(), |line| truths[line] == Some(true)), blank))
    }

    /// Whether a condition holds, line by line.
    pub(crate) fn truths(&mut self, formula: &LineFormula) -> Evaluated<LineTruths> {
        self.looked_up(formula, |lines, formula| lines.truths_of_lines(formula))
    }

    fn truths_of_lines(&mut self, formula: &LineFormula) -> Evaluated<LineTruths> {
        Ok(match &formula.step {
            Step::Leaf(LineLeaf::Column(slot)) => self.column(*slot).as_boolean().iter().collect(),
            Step::Not(inner) => self.truths(inner)?.into_iter().map(|truth| truth.map(|t| !t)).collect(),
            Step::Logical(operator, left, right) => {
                let (left, right) = (self.truths(left)?, self.truths(right)?);
                left.into_iter().zip(right).map(|(a, b)| logical(*operator, a, b)).collect()
            }
            Step::IsBlank(inner) => match self.blanks(inner)? {
                Some(blanks) => blanks.iter().map(|valid| Some(!valid)).collect(),
                None => vec![Some(false); self.lines()],
            },
            Step::Compare(operator, left, right) if left.ty == Type::Text => {
                self.compare_texts(*operator, left, right)?
            }
            Step::Compare(operator, left, right) => self.compare(*operator, left, right)?,
            _ => unreachable!("the check lets only conditions stand here"),
        })
    }

    fn compare(
        &mut self,
        operator: Operator,
        left: &LineFormula,
        right: &LineFormula,
    ) -> Evaluated<LineTruths> {
        let (a, b) = (self.numbers(left)?, self.numbers(right)?);
        let blanks = NullBuffer::union(a.blanks.as_ref(), b.blanks.as_ref());
        let mut truths = if matches!(a.data, Data::Float(_)) || matches!(b.data, Data::Float(_)) {
            let (a, b) = (floats(&a.data, left.ty), floats(&b.data, right.ty));
            compared(operator, a.iter().zip(&b).map(|(a, b)| a.total_cmp(b)))
        } else {
            let (a_scale, b_scale) = (left.ty.scale(), right.ty.scale());
            let by = |scale: u8| pow10(a_scale.max(b_scale) - scale).ok_or(Overflow);
            let (a, b) = (scaled(a.data, by(a_scale)?, &blanks)?, scaled(b.data, by(b_scale)?, &blanks)?);
            match (&a, &b) {
                (Data::Narrow(a), Data::Narrow(b)) => {
                    compared(operator, a.iter().zip(b.iter()).map(|(a, b)| a.cmp(b)))
                }
                _ => compared(operator, (0..self.lines()).map(|i| a.digits(i).cmp(&b.digits(i)))),
            }
        };
        if let Some(blanks) = blanks {
            (0..blanks.len()).filter(|i| blanks.is_null(*i)).for_each(|i| truths[i] = None);
        }
        Ok(truths)
    }

    fn compare_texts(
        &mut self,
        operator: Operator,
        left: &LineFormula,
        right: &LineFormula,
    ) -> Evaluated<LineTruths> {
        match (&left.step, &right.step) {
            (Step::Leaf(LineLeaf::Column(slot)), Step::Word(word)) => {
                let texts = column_texts(self.column(*slot)).into_iter();
                Ok(compared(operator, texts.map(|text| text.cmp(word))))
            }
            (Step::Word(word), Step::Leaf(LineLeaf::Column(slot))) => {
                let texts = column_texts(self.column(*slot)).into_iter();
                Ok(compared(operator, texts.map(|text| word.as_str().cmp(text))))
            }
            _ => {
                let (a, b) = (self.texts(left)?, self.texts(right)?);
                Ok(compared(operator, a.iter().zip(&b).map(|(a, b)| a.cmp(b))))
            }
        }
    }
}

/// What an operator says of pairs in these orders.
#[inline]
fn compared(operator: Operator, orders: impl Iterator<Item = Ordering>) -> LineTruths {
    // Asked once for all lines.
    match operator {
        Operator::Equal => orders.map(|order| Some(order.is_eq())).collect(),
        Operator::NotEqual => orders.map(|order| Some(order.is_ne())).collect(),
        Operator::Less => orders.map(|order| Some(order.is_lt())).collect(),
        Operator::LessOrEqual => orders.map(|order| Some(order.is_le())).collect(),
        Operator::Greater => orders.map(|order| Some(order.is_gt())).collect(),
        _ => orders.map(|order| Some(order.is_ge())).collect(),
    }
}
