//! The one check of formulas: every name found, every type right, before anything runs.
//!
//! What a name and a call mean depends on where the formula stands (over lines, cells or members)
//! and is asked of a [`Scope`]; all else is the same everywhere.

use std::ops::Range;

use super::expr::{Checked, Clause, Expr, Name, Node, Operator, Place};
use super::scalar::{ScalarCall, ScalarFunction, Takes, scalar_function, scalar_functions};
use super::written::Formula;
use crate::error::{Remark, Result, shown};
use crate::model::{DatePart, Period};
use crate::model::{FINEST, Type};

/// A checked formula, whose leaves are what its scope made of names and calls.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct TypedExpr<L> {
    pub(crate) step: Step<L>,
    pub(crate) ty: Type,
}

/// What is done.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Step<L> {
    Leaf(L),
    /// Digits of a number, or the day or period of a date.
    Digits(i128),
    Word(String),
    Nothing,
    Negate(Box<TypedExpr<L>>),
    Not(Box<TypedExpr<L>>),
    Arithmetic(Operator, Blanks, Box<TypedExpr<L>>, Box<TypedExpr<L>>),
    Compare(Operator, Box<TypedExpr<L>>, Box<TypedExpr<L>>),
    Logical(Operator, Box<TypedExpr<L>>, Box<TypedExpr<L>>),
    IsBlank(Box<TypedExpr<L>>),
    /// Conditions with what they give, and what is given where none holds.
    Case(Vec<(TypedExpr<L>, TypedExpr<L>)>, Box<TypedExpr<L>>),
    Apply(ScalarCall, Vec<TypedExpr<L>>),
    /// The same number, finer or as a float.
    Convert(Box<TypedExpr<L>>),
}

/// What a blank beside a value makes of a sum or a difference.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Blanks {
    /// It counts as nothing: an actual without a plan is a variance.
    AsNothing,
    /// The whole is blank: what is unknown less one is unknown. So it is beside a constant, which
    /// has a value everywhere, and in products and quotients.
    Propagate,
}

/// The names of the functions of one line or cell.
pub(crate) fn function_names() -> impl Iterator<Item = &'static str> {
    scalar_functions().map(ScalarFunction::name)
}

/// What names and calls mean where a formula stands.
pub(crate) trait Scope {
    /// What a name or call becomes.
    type Leaf;

    /// What a name means.
    fn name(&mut self, name: &Name, span: &Range<usize>) -> Checked<TypedExpr<Self::Leaf>>;

    /// What a call means that is no function of one value.
    fn call(
        &mut self,
        function: &str,
        arguments: &[Expr],
        clauses: &[Clause],
        span: &Range<usize>,
    ) -> Checked<TypedExpr<Self::Leaf>>;

    /// What a value at a related cell means.
    fn at(&mut self, value: &Expr, place: &Place, span: &Range<usize>) -> Checked<TypedExpr<Self::Leaf>>;
}

/// Checks a formula. `place` says where it stands.
pub(crate) fn check_formula<S: Scope>(
    place: &str,
    formula: &Formula,
    scope: &mut S,
) -> Result<TypedExpr<S::Leaf>> {
    check(formula.tree(place)?, scope).map_err(|(span, message)| formula.error(place, span, message))
}

/// Checks a part of a formula of which only a condition will do.
pub(crate) fn check_condition<S: Scope>(
    place: &str,
    formula: &Formula,
    part: &Expr,
    scope: &mut S,
) -> Result<TypedExpr<S::Leaf>> {
    let checked = check(part, scope).map_err(|(span, message)| formula.error(place, span, message))?;
    if checked.ty == Type::Condition {
        return Ok(checked);
    }
    let message = format!("a condition is wanted, and this is {}", checked.ty.words());
    Err(formula.error(place, part.span.clone(), message))
}

/// What arithmetic on two numbers gives; `None` where it would be finer than can be kept.
fn arithmetic_type(operator: Operator, left: Type, right: Type) -> Option<Type> {
    let (Type::Exact { scale: a }, Type::Exact { scale: b }) = (left, right) else {
        return Some(Type::Float);
    };
    let scale = match operator {
        Operator::Divide => return Some(Type::Float),
        Operator::Multiply => a + b,
        _ => a.max(b),
    };
    (scale <= FINEST).then_some(Type::Exact { scale })
}

pub(crate) fn check<S: Scope>(expr: &Expr, scope: &mut S) -> Checked<TypedExpr<S::Leaf>> {
    let at = |message: &str| (expr.span.clone(), Remark::from(message));
    let (step, ty) = match &expr.node {
        Node::Number(number) => (Step::Digits(number.digits), Type::Exact { scale: number.scale }),
        Node::Text(text) => (Step::Word(text.clone()), Type::Text),
        Node::Blank => (Step::Nothing, Type::Nothing),
        Node::Name(name) => return scope.name(name, &expr.span),
        Node::Negate(inner) => {
            let inner = check_number(inner, scope)?;
            let ty = inner.ty;
            (Step::Negate(Box::new(inner)), ty)
        }
        Node::Not(inner) => (Step::Not(Box::new(check_truth(inner, scope)?)), Type::Condition),
        Node::Binary(operator, left, right) => match operator {
            Operator::And | Operator::Or => {
                let (left, right) = (check_truth(left, scope)?, check_truth(right, scope)?);
                (Step::Logical(*operator, Box::new(left), Box::new(right)), Type::Condition)
            }
            Operator::Add | Operator::Subtract | Operator::Multiply | Operator::Divide => {
                let (left, right) = (check_number(left, scope)?, check_number(right, scope)?);
                let ty = arithmetic_type(*operator, left.ty, right.ty)
                    .ok_or_else(|| at("the result would have more than 30 digits after the point"))?;
                let blanks = if left.is_constant() || right.is_constant() {
                    Blanks::Propagate
                } else {
                    Blanks::of(*operator)
                };
                (Step::Arithmetic(*operator, blanks, Box::new(left), Box::new(right)), ty)
            }
            _ => return compare(*operator, expr, left, right, scope),
        },
        Node::Between(value, low, high) => {
            let low = compare(Operator::GreaterOrEqual, expr, value, low, scope)?;
            let high = compare(Operator::LessOrEqual, expr, value, high, scope)?;
            (Step::Logical(Operator::And, Box::new(low), Box::new(high)), Type::Condition)
        }
        Node::In(value, list) => {
            let all: Vec<_> = list
                .iter()
                .map(|item| compare(Operator::Equal, item, value, item, scope))
                .collect::<Checked<_>>()?;
            return any_of(all).ok_or_else(|| at("the list is empty"));
        }
        Node::IsBlank(inner) => (Step::IsBlank(Box::new(check(inner, scope)?)), Type::Condition),
        Node::Case { branches, otherwise } => return check_case(branches, otherwise.as_deref(), scope),
        Node::Call { function, arguments, clauses } => {
            return match scalar_function(function).filter(|_| clauses.is_empty()) {
                Some(function) => apply(function, arguments, &expr.span, scope),
                None => scope.call(function, arguments, clauses, &expr.span),
            };
        }
        Node::At(value, place) => return scope.at(value, place, &expr.span),
    };
    Ok(TypedExpr { step, ty })
}

/// Whether one of several conditions holds. Halves of halves, so that a long list is no deep formula.
fn any_of<L>(mut all: Vec<TypedExpr<L>>) -> Option<TypedExpr<L>> {
    if all.len() < 2 {
        return all.pop();
    }
    let rest = all.split_off(all.len() / 2);
    let step = Step::Logical(Operator::Or, Box::new(any_of(all)?), Box::new(any_of(rest)?));
    Some(TypedExpr { step, ty: Type::Condition })
}

/// A formula that must give a number.
pub(crate) fn check_number<S: Scope>(expr: &Expr, scope: &mut S) -> Checked<TypedExpr<S::Leaf>> {
    let formula = check(expr, scope)?;
    if formula.ty.is_number() {
        return Ok(formula);
    }
    Err((expr.span.clone(), format!("a number is wanted here, and this is {}", formula.ty.words()).into()))
}

/// A formula that must be a condition.
pub(crate) fn check_truth<S: Scope>(expr: &Expr, scope: &mut S) -> Checked<TypedExpr<S::Leaf>> {
    let formula = check(expr, scope)?;
    if formula.ty == Type::Condition {
        return Ok(formula);
    }
    Err((expr.span.clone(), format!("a condition is wanted here, and this is {}", formula.ty.words()).into()))
}

/// A comparison. A text beside a date or a period is read as one.
fn compare<S: Scope>(
    operator: Operator,
    whole: &Expr,
    left: &Expr,
    right: &Expr,
    scope: &mut S,
) -> Checked<TypedExpr<S::Leaf>> {
    let (mut a, mut b) = (check(left, scope)?, check(right, scope)?);
    read_as(&mut b, a.ty, right)?;
    read_as(&mut a, b.ty, left)?;
    let fits = match (a.ty, b.ty) {
        (Type::Nothing, _) | (_, Type::Nothing) => {
            return Err((whole.span.clone(), "nothing compares with blank; write x is blank".into()));
        }
        (Type::Condition, Type::Condition) => false,
        (a, b) if a.is_number() && b.is_number() => true,
        (a, b) => a == b,
    };
    if !fits {
        let mut message = format!("{} cannot be compared with {}", a.ty.words(), b.ty.words());
        // Without quotes a date is read as a subtraction.
        let dated = [a.ty, b.ty].into_iter().find_map(|ty| Some((ty.words(), part_of(ty)?.example())));
        if let Some((words, example)) = dated.filter(|_| a.ty.is_number() || b.ty.is_number()) {
            message += &format!("; write {words} like '{example}'");
        }
        return Err((whole.span.clone(), message.into()));
    }
    Ok(TypedExpr { step: Step::Compare(operator, Box::new(a), Box::new(b)), ty: Type::Condition })
}

/// The part of a date that values of a type are.
fn part_of(ty: Type) -> Option<DatePart> {
    match ty {
        Type::Day => Some(DatePart::Day),
        Type::Period(part) => Some(part),
        _ => None,
    }
}

fn read_as<L>(formula: &mut TypedExpr<L>, other: Type, expr: &Expr) -> Checked<()> {
    let Some(part) = part_of(other) else { return Ok(()) };
    let (label, period) = match &formula.step {
        Step::Word(word) => (word.clone(), Period::named(part, word).map(Period::number)),
        // A year may be written as the number that it is.
        Step::Digits(year) if part == DatePart::Year => (year.to_string(), i32::try_from(*year).ok()),
        _ => return Ok(()),
    };
    let Some(period) = period else {
        let message =
            format!("{} is not {}; write it like '{}'", shown(&label), other.words(), part.example());
        return Err((expr.span.clone(), message.into()));
    };
    *formula = TypedExpr { step: Step::Digits(period.into()), ty: other };
    Ok(())
}

fn check_case<S: Scope>(
    branches: &[(Expr, Expr)],
    otherwise: Option<&Expr>,
    scope: &mut S,
) -> Checked<TypedExpr<S::Leaf>> {
    let mut conditions = Vec::with_capacity(branches.len());
    let mut values = Vec::with_capacity(branches.len() + 1);
    for (condition, value) in branches {
        conditions.push(check_truth(condition, scope)?);
        values.push((check(value, scope)?, value));
    }
    let nothing = Expr::from(Node::Blank);
    let last = otherwise.unwrap_or(&nothing);
    values.push((check(last, scope)?, last));
    let (mut values, ty) = unify(values)?;
    let Some(otherwise) = values.pop() else { unreachable!("there is a value for the case of none") };
    let branches = conditions.into_iter().zip(values).collect();
    Ok(TypedExpr { step: Step::Case(branches, Box::new(otherwise)), ty })
}

/// Values as one type, where there is one for all of them.
fn unify<L>(mut values: Vec<(TypedExpr<L>, &Expr)>) -> Checked<(Vec<TypedExpr<L>>, Type)> {
    // A text beside a date is one, as in a comparison.
    let date = values.iter().map(|(value, _)| value.ty).find(|t| matches!(t, Type::Day | Type::Period(_)));
    if let Some(date) = date {
        values.iter_mut().try_for_each(|(value, expr)| read_as(value, date, expr))?;
    }
    let mut ty = Type::Nothing;
    for (value, expr) in &values {
        ty = ty.common(value.ty).filter(|t| *t != Type::Condition).ok_or_else(|| {
            let message = match value.ty {
                Type::Condition => "this gives yes or no, where a value is wanted".to_string(),
                own => format!("this is {}, and what stands before it is {}", own.words(), ty.words()),
            };
            (expr.span.clone(), Remark::from(message))
        })?;
    }
    Ok((values.into_iter().map(|(value, _)| value.converted(ty)).collect(), ty))
}

fn apply<S: Scope>(
    function: &'static ScalarFunction,
    arguments: &[Expr],
    span: &Range<usize>,
    scope: &mut S,
) -> Checked<TypedExpr<S::Leaf>> {
    let wrong =
        |span: &Range<usize>| (span.clone(), Remark::from(format!("write it like {}", function.usage())));
    let mut places = 0;
    let takes = match (function.takes(), arguments) {
        (Takes::Any | Takes::Comparable, [_, _, ..])
        | (Takes::TwoNumbers, [_, _])
        | (Takes::Number | Takes::NumberAndPlaces | Takes::Text, [_]) => arguments,
        (Takes::NumberAndPlaces, [value, Expr { node: Node::Number(wanted), .. }]) if wanted.scale == 0 => {
            let few = u8::try_from(wanted.digits).ok().filter(|places| *places <= 18);
            places = few.ok_or_else(|| wrong(&arguments[1].span))?;
            std::slice::from_ref(value)
        }
        _ => return Err(wrong(span)),
    };
    let mut values = Vec::with_capacity(takes.len());
    for argument in takes {
        let value = check(argument, scope)?;
        let fits = match function.takes() {
            Takes::Any => true,
            Takes::Comparable => value.ty.is_number() || value.ty == Type::Day,
            Takes::Text => value.ty == Type::Text,
            Takes::Number | Takes::NumberAndPlaces | Takes::TwoNumbers => value.ty.is_number(),
        };
        if !fits {
            let wanted = if function.takes() == Takes::Text { "a text" } else { "a number" };
            let message = format!("{} wants {wanted}, and this is {}", function.name(), value.ty.words());
            return Err((argument.span.clone(), message.into()));
        }
        values.push((value, argument));
    }
    let (values, common) = unify(values)?;
    let ty = function.result_type(common, places);
    Ok(TypedExpr { step: Step::Apply(ScalarCall { function, places }, values), ty })
}

impl Blanks {
    /// The rule between two values that may both be blank.
    pub(crate) fn of(operator: Operator) -> Blanks {
        match operator {
            Operator::Add | Operator::Subtract => Blanks::AsNothing,
            _ => Blanks::Propagate,
        }
    }
}

impl<L> TypedExpr<L> {
    pub(crate) fn leaf(leaf: L, ty: Type) -> TypedExpr<L> {
        TypedExpr { step: Step::Leaf(leaf), ty }
    }

    /// The same value as another type that it can be given as.
    pub(crate) fn converted(self, ty: Type) -> TypedExpr<L> {
        match self.ty == ty {
            true => self,
            false if self.ty == Type::Nothing => TypedExpr { step: Step::Nothing, ty },
            false => TypedExpr { step: Step::Convert(Box::new(self)), ty },
        }
    }

    /// The same formula with other leaves.
    pub(crate) fn map<M>(self, leaf: &mut dyn FnMut(L) -> M) -> TypedExpr<M> {
        let mut of = |inner: Box<TypedExpr<L>>| Box::new(inner.map(leaf));
        let step = match self.step {
            Step::Leaf(own) => Step::Leaf(leaf(own)),
            Step::Digits(digits) => Step::Digits(digits),
            Step::Word(word) => Step::Word(word),
            Step::Nothing => Step::Nothing,
            Step::Negate(a) => Step::Negate(of(a)),
            Step::Not(a) => Step::Not(of(a)),
            Step::IsBlank(a) => Step::IsBlank(of(a)),
            Step::Convert(a) => Step::Convert(of(a)),
            Step::Arithmetic(operator, blanks, a, b) => Step::Arithmetic(operator, blanks, of(a), of(b)),
            Step::Compare(operator, a, b) => Step::Compare(operator, of(a), of(b)),
            Step::Logical(operator, a, b) => Step::Logical(operator, of(a), of(b)),
            Step::Case(branches, otherwise) => {
                let branches = branches.into_iter().map(|(c, v)| (c.map(leaf), v.map(leaf))).collect();
                Step::Case(branches, Box::new(otherwise.map(leaf)))
            }
            Step::Apply(apply, values) => {
                Step::Apply(apply, values.into_iter().map(|v| v.map(leaf)).collect())
            }
        };
        TypedExpr { step, ty: self.ty }
    }

    /// Whether it reads nothing.
    fn is_constant(&self) -> bool {
        let mut constant = true;
        self.leaves(&mut |_| constant = false);
        constant
    }

    /// Gives every leaf to `visit`.
    pub(crate) fn leaves<'t>(&'t self, visit: &mut dyn FnMut(&'t L)) {
        self.each(&mut |part| {
            if let Step::Leaf(leaf) = &part.step {
                visit(leaf);
            }
        });
    }

    /// Gives every part to `visit`, the whole first.
    pub(crate) fn each<'t>(&'t self, visit: &mut dyn FnMut(&'t TypedExpr<L>)) {
        visit(self);
        match &self.step {
            Step::Leaf(_) | Step::Digits(_) | Step::Word(_) | Step::Nothing => {}
            Step::Negate(a) | Step::Not(a) | Step::IsBlank(a) | Step::Convert(a) => a.each(visit),
            Step::Arithmetic(_, _, a, b) | Step::Compare(_, a, b) | Step::Logical(_, a, b) => {
                a.each(visit);
                b.each(visit);
            }
            Step::Case(branches, otherwise) => {
                for (condition, value) in branches {
                    condition.each(visit);
                    value.each(visit);
                }
                otherwise.each(visit);
            }
            Step::Apply(_, values) => values.iter().for_each(|value| value.each(visit)),
        }
    }
}
