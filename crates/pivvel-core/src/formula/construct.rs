//! Formulas that are built in Rust rather than read from text: the same trees.

use std::ops::{Add, Div, Mul, Neg, Not, Sub};

use super::expr::{Clause, Expr, Name, Node, Operator, Place};
use crate::model::{DatePart, Decimal};

/// The column, measure, member or assumption of a name. A part of a date goes behind a dot: `sold_on.quarter`.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::formula::{Formula, col, sum};
///
/// let margin = (sum(col("amount")) - sum(col("cost"))) / sum(col("amount"));
/// assert_eq!(margin.to_string(), "(sum(amount) - sum(cost)) / sum(amount)");
/// assert_eq!(Formula::from(margin), Formula::from("(sum(amount) - sum(cost)) / sum(amount)"));
/// ```
pub fn col(name: &str) -> Expr {
    let part = name.rsplit_once('.').filter(|(_, part)| part.parse::<DatePart>().is_ok());
    let name = match part {
        Some((base, part)) => Name { base: base.into(), part: Some(part.into()) },
        None => Name { base: name.into(), part: None },
    };
    Node::Name(name).into()
}

/// A function of any name: an aggregate, or one of the values of a line or a cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::formula::{Clause, Expr, call, col};
///
/// let middle = call("quantile", [col("amount"), Expr::from(25)]);
/// assert_eq!(Expr::from(middle).to_string(), "quantile(amount, 25)");
/// let web = call("count", []).with(Clause::Where(Box::new(col("channel").is("web"))));
/// assert_eq!(Expr::from(web).to_string(), "count(where channel = 'web')");
/// ```
pub fn call(function: &str, arguments: impl IntoIterator<Item = Expr>) -> Call {
    Call { function: function.into(), arguments: arguments.into_iter().collect(), clauses: Vec::new() }
}

/// A function with its arguments; clauses can be added to it.
#[derive(Debug, Clone, PartialEq)]
pub struct Call {
    function: String,
    arguments: Vec<Expr>,
    clauses: Vec<Clause>,
}

impl Call {
    /// The same with one more clause.
    pub fn with(mut self, clause: Clause) -> Call {
        let behind = |own: &Clause| own.place() <= clause.place();
        let place = self.clauses.iter().take_while(|own| behind(own)).count();
        self.clauses.insert(place, clause);
        self
    }

    /// Of those lines only that meet a condition.
    pub fn of_lines(self, condition: impl Into<Expr>) -> Call {
        self.with(Clause::Where(Box::new(condition.into())))
    }
}

impl From<Call> for Expr {
    fn from(Call { function, arguments, clauses }: Call) -> Expr {
        Node::Call { function, arguments, clauses }.into()
    }
}

macro_rules! aggregates {
    ($($(#[doc = $doc:literal])* $name:ident,)*) => {
        $($(#[doc = $doc])*
        pub fn $name(of: impl Into<Expr>) -> Call {
            call(stringify!($name), [of.into()])
        })*
    };
}

aggregates! {
    /// The sum of the lines of a cell.
    sum,
    /// Their mean.
    mean,
    /// The lowest of them.
    min,
    /// The highest of them.
    max,
    /// The one in their middle.
    median,
    /// How many different ones there are.
    distinct,
}

/// How many lines a cell has.
pub fn count() -> Call {
    call("count", [])
}

fn binary(operator: Operator, left: Expr, right: Expr) -> Expr {
    Node::Binary(operator, Box::new(left), Box::new(right)).into()
}

macro_rules! comparisons {
    ($($(#[doc = $doc:literal])* $name:ident = $operator:ident,)*) => {
        $($(#[doc = $doc])*
        pub fn $name(self, other: impl Into<Expr>) -> Expr {
            binary(Operator::$operator, self, other.into())
        })*
    };
}

/// Conditions and places; arithmetic is written with `+`, `-`, `*`, `/`, and `!` is `not`.
impl Expr {
    comparisons! {
        /// `self = other`.
        is = Equal,
        /// `self <> other`.
        is_not = NotEqual,
        /// `self < other`.
        is_below = Less,
        /// `self <= other`.
        is_at_most = LessOrEqual,
        /// `self > other`.
        is_above = Greater,
        /// `self >= other`.
        is_at_least = GreaterOrEqual,
        /// `self and other`.
        and = And,
        /// `self or other`.
        or = Or,
    }

    /// `self is blank`.
    pub fn is_blank(self) -> Expr {
        Node::IsBlank(Box::new(self)).into()
    }

    /// `self in (a, b)`.
    pub fn is_in<T: Into<Expr>>(self, values: impl IntoIterator<Item = T>) -> Expr {
        Node::In(Box::new(self), values.into_iter().map(Into::into).collect()).into()
    }

    /// `self between low and high`, both included.
    pub fn is_between(self, low: impl Into<Expr>, high: impl Into<Expr>) -> Expr {
        Node::Between(Box::new(self), Box::new(low.into()), Box::new(high.into())).into()
    }

    /// `self at place`: the same at a related cell.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::formula::{Place, col};
    ///
    /// let share = col("sales") / col("sales").at(Place::Parent);
    /// assert_eq!(share.to_string(), "sales / sales at parent");
    /// ```
    pub fn at(self, place: Place) -> Expr {
        Node::At(Box::new(self), place).into()
    }
}

macro_rules! operators {
    ($($of:ty),*) => {
        $(
            operators! { @ $of, Add, add, Operator::Add }
            operators! { @ $of, Sub, sub, Operator::Subtract }
            operators! { @ $of, Mul, mul, Operator::Multiply }
            operators! { @ $of, Div, div, Operator::Divide }

            impl Neg for $of {
                type Output = Expr;

                fn neg(self) -> Expr {
                    Node::Negate(Box::new(self.into())).into()
                }
            }

            impl Not for $of {
                type Output = Expr;

                fn not(self) -> Expr {
                    Node::Not(Box::new(self.into())).into()
                }
            }
        )*
    };
    (@ $of:ty, $trait:ident, $method:ident, $operator:expr) => {
        impl<T: Into<Expr>> $trait<T> for $of {
            type Output = Expr;

            fn $method(self, other: T) -> Expr {
                binary($operator, self.into(), other.into())
            }
        }
    };
}

operators! { Expr, Call }

macro_rules! whole_numbers {
    ($($whole:ty),*) => {
        $(/// A number.
        impl From<$whole> for Expr {
            fn from(number: $whole) -> Expr {
                Expr::from(Decimal::from(number))
            }
        })*
    };
}

whole_numbers! { i32, i64 }

/// A number, exactly.
impl From<Decimal> for Expr {
    fn from(number: Decimal) -> Expr {
        match number.checked_neg().filter(|_| number.digits < 0) {
            // Texts have no negative numbers, but the negation of one.
            Some(positive) => -Expr::from(Node::Number(positive)),
            None => Node::Number(number).into(),
        }
    }
}

/// A text, as `'web'`; the name of a column is [`col`].
impl From<&str> for Expr {
    fn from(text: &str) -> Expr {
        Node::Text(text.into()).into()
    }
}
