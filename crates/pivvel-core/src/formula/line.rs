//! Formulas over lines, and what they read.

use super::check::{Step, TypedExpr};
use super::expr::Operator;
use crate::model::DatePart;
use crate::model::Type;

/// A formula over lines, ready to run.
pub(crate) type LineFormula = TypedExpr<LineLeaf>;

/// What a formula over lines reads, with slots for columns.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum LineLeaf {
    Column(usize),
    Part(usize, DatePart),
    /// A part of a date that is computed.
    PartOf(Box<LineFormula>, DatePart),
    /// 1 where the formula is not blank.
    Presence(Box<LineFormula>),
    /// A number of 64 bits that is the same for equal values, and hardly for others.
    Hash(Box<LineFormula>),
    /// The value where the condition holds, a blank elsewhere.
    Where(Box<LineFormula>, Box<LineFormula>),
}

impl LineFormula {
    /// Whether a formula gives something: for counting, which anything allows.
    pub(crate) fn presence(self) -> LineFormula {
        TypedExpr::leaf(LineLeaf::Presence(Box::new(self)), Type::Exact { scale: 0 })
    }

    /// A hash of what a formula of any type gives.
    pub(crate) fn hashed(self) -> LineFormula {
        TypedExpr::leaf(LineLeaf::Hash(Box::new(self)), Type::Exact { scale: 0 })
    }

    /// The value on those lines only for which a condition holds.
    pub(crate) fn only_where(self, condition: Option<LineFormula>) -> LineFormula {
        let ty = self.ty;
        match condition {
            Some(condition) => TypedExpr::leaf(LineLeaf::Where(Box::new(self), Box::new(condition)), ty),
            None => self,
        }
    }

    /// Whether a number is divided by another anywhere in it.
    pub(crate) fn divides(&self) -> bool {
        let mut divides = false;
        self.each(&mut |part| match &part.step {
            Step::Arithmetic(Operator::Divide, ..) => divides = true,
            Step::Leaf(LineLeaf::Where(inner, condition)) => {
                divides |= inner.divides() || condition.divides();
            }
            Step::Leaf(LineLeaf::PartOf(inner, _) | LineLeaf::Presence(inner) | LineLeaf::Hash(inner)) => {
                divides |= inner.divides();
            }
            _ => {}
        });
        divides
    }

    /// One on every line.
    pub(crate) fn one() -> LineFormula {
        TypedExpr { step: Step::Digits(1), ty: Type::Exact { scale: 0 } }
    }
}
