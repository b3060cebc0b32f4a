//! Formulas over lines: checked against the columns once, then run a column at a time.

use std::ops::Range;

use super::columns::{Columns, Found};
use super::{Expr, Node, Operator};
use crate::error::{Error, Result, shown};
use crate::lines::{DatePart, Kind, date_from_text};

/// What a formula over lines gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum LineType {
    Exact { scale: u8 },
    Float,
    Day,
    Period(DatePart),
    Text,
    Condition,
}

impl LineType {
    pub(crate) fn words(self) -> String {
        match self {
            LineType::Exact { .. } | LineType::Float => "a number".into(),
            LineType::Day => "a date".into(),
            LineType::Period(part) => format!("a {}", part.name().replace('_', " ")),
            LineType::Text => "a text".into(),
            LineType::Condition => "yes or no".into(),
        }
    }

    pub(crate) fn is_number(self) -> bool {
        matches!(self, LineType::Exact { .. } | LineType::Float)
    }
}

/// A formula over lines, ready to run.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct LineFormula {
    pub(super) step: Step,
    pub(crate) gives: LineType,
}

/// What is done, with slots for columns.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Step {
    Column(usize),
    Part(usize, DatePart),
    Presence(usize),
    Digits(i128),
    Word(String),
    Negate(Box<LineFormula>),
    Not(Box<LineFormula>),
    Arithmetic(Operator, Box<LineFormula>, Box<LineFormula>),
    Compare(Operator, Box<LineFormula>, Box<LineFormula>),
    Join(Operator, Box<LineFormula>, Box<LineFormula>),
}

type Checked<T> = std::result::Result<T, (Range<usize>, String)>;

impl LineFormula {
    /// Checks a formula: every name a column, every type right. `text` is the whole text that the
    /// spans of `expr` point into.
    pub(crate) fn check(place: &str, text: &str, expr: &Expr, columns: &mut Columns) -> Result<LineFormula> {
        check(expr, columns).map_err(|(span, message)| Error::formula(place, text, span, message))
    }

    /// Whether a column holds something: for counting, which any column allows.
    pub(crate) fn presence(found: Found) -> LineFormula {
        LineFormula { step: Step::Presence(found.slot), gives: LineType::Exact { scale: 0 } }
    }

    /// The same as `check` where only a condition will do.
    pub(crate) fn check_condition(
        place: &str,
        text: &str,
        expr: &Expr,
        columns: &mut Columns,
    ) -> Result<LineFormula> {
        let formula = LineFormula::check(place, text, expr, columns)?;
        if formula.gives != LineType::Condition {
            let message = format!("a condition is wanted, and this is {}", formula.gives.words());
            return Err(Error::formula(place, text, expr.span.clone(), message));
        }
        Ok(formula)
    }
}

fn check(expr: &Expr, columns: &mut Columns) -> Checked<LineFormula> {
    let at = |message: String| (expr.span.clone(), message);
    let (step, gives) = match &expr.node {
        Node::Number { digits, scale } => (Step::Digits(*digits), LineType::Exact { scale: *scale }),
        Node::Text(text) => (Step::Word(text.clone()), LineType::Text),
        Node::Name { base, part: None } => {
            let found = columns.find(base).map_err(at)?;
            let gives = match found.kind {
                Kind::Text => LineType::Text,
                Kind::Date => LineType::Day,
                Kind::Whole => LineType::Exact { scale: 0 },
                Kind::Decimal { scale } => LineType::Exact { scale },
                Kind::Float => LineType::Float,
                Kind::YesNo => LineType::Condition,
            };
            (Step::Column(found.slot), gives)
        }
        Node::Name { base, part: Some(part) } => {
            let (found, part) = columns.find_part(base, part).map_err(at)?;
            (Step::Part(found.slot, part), LineType::Period(part))
        }
        Node::Negate(inner) => {
            let inner = check_number(inner, columns)?;
            let gives = inner.gives;
            (Step::Negate(Box::new(inner)), gives)
        }
        Node::Not(inner) => (Step::Not(Box::new(check_truth(inner, columns)?)), LineType::Condition),
        Node::Binary(operator, left, right) => match operator {
            Operator::And | Operator::Or => {
                let (left, right) = (check_truth(left, columns)?, check_truth(right, columns)?);
                (Step::Join(*operator, Box::new(left), Box::new(right)), LineType::Condition)
            }
            Operator::Add | Operator::Subtract | Operator::Multiply | Operator::Divide => {
                let (left, right) = (check_number(left, columns)?, check_number(right, columns)?);
                let gives = arithmetic_type(*operator, left.gives, right.gives)
                    .ok_or_else(|| at("the result would have more than 30 digits after the point".into()))?;
                (Step::Arithmetic(*operator, Box::new(left), Box::new(right)), gives)
            }
            _ => {
                let (left, right) = check_pair(expr, left, right, columns)?;
                (Step::Compare(*operator, Box::new(left), Box::new(right)), LineType::Condition)
            }
        },
        Node::Call { function, .. } => {
            return Err(at(format!(
                "{function}(…) cannot stand in a formula over lines; here are columns, numbers and + - * /"
            )));
        }
    };
    Ok(LineFormula { step, gives })
}

fn check_number(expr: &Expr, columns: &mut Columns) -> Checked<LineFormula> {
    let formula = check(expr, columns)?;
    if formula.gives.is_number() {
        return Ok(formula);
    }
    Err((expr.span.clone(), format!("a number is wanted here, and this is {}", formula.gives.words())))
}

fn check_truth(expr: &Expr, columns: &mut Columns) -> Checked<LineFormula> {
    let formula = check(expr, columns)?;
    if formula.gives == LineType::Condition {
        return Ok(formula);
    }
    Err((expr.span.clone(), format!("a condition is wanted here, and this is {}", formula.gives.words())))
}

fn arithmetic_type(operator: Operator, left: LineType, right: LineType) -> Option<LineType> {
    let (LineType::Exact { scale: a }, LineType::Exact { scale: b }) = (left, right) else {
        return Some(LineType::Float);
    };
    let scale = match operator {
        Operator::Divide => return Some(LineType::Float),
        Operator::Multiply => a + b,
        _ => a.max(b),
    };
    (scale <= 30).then_some(LineType::Exact { scale })
}

/// The two sides of a comparison. A text beside a date or a period is read as one.
fn check_pair(
    whole: &Expr,
    left: &Expr,
    right: &Expr,
    columns: &mut Columns,
) -> Checked<(LineFormula, LineFormula)> {
    let (mut a, mut b) = (check(left, columns)?, check(right, columns)?);
    read_as(&mut b, a.gives, right)?;
    read_as(&mut a, b.gives, left)?;
    let fits = match (a.gives, b.gives) {
        (LineType::Condition, LineType::Condition) => false,
        (a, b) if a.is_number() && b.is_number() => true,
        (a, b) => a == b,
    };
    match fits {
        true => Ok((a, b)),
        false => {
            let message = format!("{} cannot be compared with {}", a.gives.words(), b.gives.words());
            Err((whole.span.clone(), message))
        }
    }
}

fn read_as(formula: &mut LineFormula, other: LineType, expr: &Expr) -> Checked<()> {
    let part = match other {
        LineType::Day => DatePart::Day,
        LineType::Period(part) => part,
        _ => return Ok(()),
    };
    let (label, period) = match &formula.step {
        Step::Word(word) if other == LineType::Day => (word.clone(), date_from_text(word)),
        Step::Word(word) => (word.clone(), part.period_of(word)),
        // A year may be written as the number that it is.
        Step::Digits(year) if part == DatePart::Year => (year.to_string(), i32::try_from(*year).ok()),
        _ => return Ok(()),
    };
    let Some(period) = period else {
        let message =
            format!("{} is not {}; write it like '{}'", shown(&label), other.words(), part.example());
        return Err((expr.span.clone(), message));
    };
    *formula = LineFormula { step: Step::Digits(period.into()), gives: other };
    Ok(())
}
