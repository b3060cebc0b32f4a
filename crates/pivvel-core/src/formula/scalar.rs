//! The functions of one line or one cell, one entry each: how a function is written, what it does, what it takes
//! and gives, and how it is computed. Lines and cells share them; whoever adds one adds an entry.

use std::cmp::Ordering;
use std::fmt;
use std::sync::{PoisonError, RwLock};

use crate::model::Type;

/// A function of formulas that has one value for one line or one cell, for whoever offers help with formulas.
///
/// ```
/// # use pivvel_core as pivvel;
/// let round = pivvel::formula::scalar_functions().find(|function| function.name() == "round").unwrap();
/// assert_eq!(round.usage(), "round(x) or round(x, 2)");
/// ```
pub struct ScalarFunction {
    name: &'static str,
    usage: &'static str,
    about: &'static str,
    takes: Takes,
    /// What it gives for values of one type, rounded to so many places.
    result_type: fn(Type, u8) -> Type,
    pub(super) eval: Eval,
    /// The function of databases that gives the same to the last digit.
    sql: Option<&'static str>,
}

/// A function with its options.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ScalarCall {
    pub(crate) function: &'static ScalarFunction,
    /// To how many digits after the point.
    pub(super) places: u8,
}

impl ScalarFunction {
    /// One that databases do not have; a number that it gives is never exact.
    pub(super) fn own([name, usage, about]: [&'static str; 3], takes: Takes, eval: Eval) -> ScalarFunction {
        let result_type = if takes == Takes::Text { same } else { float };
        ScalarFunction { name, usage, about, takes, result_type, eval, sql: None }
    }

    /// Its name.
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// How it is written.
    pub fn usage(&self) -> &'static str {
        self.usage
    }

    /// What it gives, as a sentence without an end.
    pub fn about(&self) -> &'static str {
        self.about
    }

    pub(super) fn takes(&self) -> Takes {
        self.takes
    }

    pub(super) fn result_type(&self, of: Type, places: u8) -> Type {
        (self.result_type)(of, places)
    }

    pub(crate) fn sql(&self) -> Option<&'static str> {
        self.sql
    }
}

impl fmt::Debug for ScalarFunction {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

/// What a function takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Takes {
    Number,
    /// A number, and to how many digits after the point where that is not 0.
    NumberAndPlaces,
    TwoNumbers,
    /// Two or more numbers or dates.
    Comparable,
    /// Two or more values of one type.
    Any,
    Text,
}

/// How a function is computed. One of numbers or of a text is blank where one of its arguments is.
pub(super) enum Eval {
    /// Of one number: of the digits of an exact one, where there is a way, and else of a float.
    Number {
        digits: Option<OfDigits>,
        float: fn(f64, places: u8) -> f64,
    },
    TwoNumbers(fn(f64, f64) -> f64),
    /// Of one or two numbers, none of them blank.
    Own(OfNumbers),
    /// One of the values that are not blank: the first, until one comes that takes its place since it stands in such an
    /// order to it.
    Pick(fn(Ordering) -> bool),
    Text(OfText),
}

/// What comes of the digits of exact numbers. Each digit of the result is worth `unit` of these; `None` where it outgrows
/// its width.
pub(super) struct OfDigits {
    pub(super) narrow: fn(&[i64], unit: i64) -> Option<Vec<i64>>,
    pub(super) wide: fn(i128, unit: i128) -> Option<i128>,
}

/// One expression for digits of both widths.
macro_rules! of_digits {
    (|$digits:ident, $unit:ident| $of:expr) => {
        Some(OfDigits {
            narrow: |all, $unit| {
                all.iter()
                    .map(|digits| {
                        let $digits = *digits;
                        $of
                    })
                    .collect()
            },
            wide: |$digits, $unit| $of,
        })
    };
}

/// What gives a number for numbers; `None` for a blank.
pub(super) type OfNumbers = &'static (dyn Fn(&[f64]) -> Option<f64> + Send + Sync);
/// What gives a text for a text.
pub(super) type OfText = &'static (dyn Fn(&str) -> String + Send + Sync);

/// Those that were registered.
static OWN: RwLock<Vec<&'static ScalarFunction>> = RwLock::new(Vec::new());

/// Every function, in the order in which the documents list them.
static FUNCTIONS: [ScalarFunction; 14] = [
    ScalarFunction {
        name: "abs",
        usage: "abs(x)",
        about: "the value without its sign",
        takes: Takes::Number,
        result_type: same,
        eval: Eval::Number {
            digits: of_digits!(|digits, _unit| digits.checked_abs()),
            float: |x, _| x.abs(),
        },
        sql: Some("abs"),
    },
    ScalarFunction {
        name: "round",
        usage: "round(x) or round(x, 2)",
        about: "to whole numbers or to so many digits after the point, halves away from zero",
        takes: Takes::NumberAndPlaces,
        result_type: |of, places| match of {
            Type::Exact { scale } => Type::Exact { scale: places.min(scale) },
            other => other,
        },
        eval: Eval::Number {
            digits: of_digits!(|digits, unit| {
                let (whole, rest) = (digits / unit, digits % unit);
                let away = rest.unsigned_abs() >= unit.unsigned_abs().div_ceil(2);
                Some(if away { whole + digits.signum() } else { whole })
            }),
            float: |x, places| {
                let unit = 10f64.powi(places.into());
                (x * unit).round() / unit
            },
        },
        sql: None,
    },
    ScalarFunction {
        name: "floor",
        usage: "floor(x)",
        about: "the nearest whole number that is not above",
        takes: Takes::Number,
        result_type: whole,
        eval: Eval::Number {
            digits: of_digits!(|digits, unit| Some(digits.div_euclid(unit))),
            float: |x, _| x.floor(),
        },
        sql: None,
    },
    ScalarFunction {
        name: "ceiling",
        usage: "ceiling(x)",
        about: "the nearest whole number that is not below",
        takes: Takes::Number,
        result_type: whole,
        eval: Eval::Number {
            digits: of_digits!(|digits, unit| {
                let below = digits.div_euclid(unit);
                Some(if digits.rem_euclid(unit) > 0 { below + 1 } else { below })
            }),
            float: |x, _| x.ceil(),
        },
        sql: None,
    },
    ScalarFunction {
        name: "sqrt",
        usage: "sqrt(x)",
        about: "the square root; blank below zero",
        takes: Takes::Number,
        result_type: float,
        eval: Eval::Number { digits: None, float: |x, _| x.sqrt() },
        sql: None,
    },
    ScalarFunction {
        name: "exp",
        usage: "exp(x)",
        about: "the number e (2.718…) to the power of x",
        takes: Takes::Number,
        result_type: float,
        eval: Eval::Number { digits: None, float: |x, _| x.exp() },
        sql: None,
    },
    ScalarFunction {
        name: "ln",
        usage: "ln(x)",
        about: "the natural logarithm; blank at zero and below",
        takes: Takes::Number,
        result_type: float,
        eval: Eval::Number { digits: None, float: |x, _| x.ln() },
        sql: None,
    },
    ScalarFunction {
        name: "power",
        usage: "power(x, y)",
        about: "x to the power of y; blank where no number is, as for power(-1, 0.5)",
        takes: Takes::TwoNumbers,
        result_type: float,
        eval: Eval::TwoNumbers(f64::powf),
        sql: None,
    },
    ScalarFunction {
        name: "coalesce",
        usage: "coalesce(x, 0)",
        about: "the first value that is not blank",
        takes: Takes::Any,
        result_type: same,
        eval: Eval::Pick(|_| false),
        sql: Some("coalesce"),
    },
    ScalarFunction {
        name: "least",
        usage: "least(x, y)",
        about: "the least of the values that are not blank",
        takes: Takes::Comparable,
        result_type: same,
        eval: Eval::Pick(Ordering::is_lt),
        sql: None,
    },
    ScalarFunction {
        name: "greatest",
        usage: "greatest(x, y)",
        about: "the greatest of the values that are not blank",
        takes: Takes::Comparable,
        result_type: same,
        eval: Eval::Pick(Ordering::is_gt),
        sql: None,
    },
    ScalarFunction {
        name: "lower",
        usage: "lower(x)",
        about: "the text in small letters",
        takes: Takes::Text,
        result_type: same,
        eval: Eval::Text(&str::to_lowercase),
        sql: None,
    },
    ScalarFunction {
        name: "upper",
        usage: "upper(x)",
        about: "the text in capital letters",
        takes: Takes::Text,
        result_type: same,
        eval: Eval::Text(&str::to_uppercase),
        sql: None,
    },
    ScalarFunction {
        name: "trim",
        usage: "trim(x)",
        about: "the text without spaces at its ends",
        takes: Takes::Text,
        result_type: same,
        eval: Eval::Text(&|text| text.trim().to_string()),
        sql: None,
    },
];

fn same(of: Type, _: u8) -> Type {
    of
}

fn float(_: Type, _: u8) -> Type {
    Type::Float
}

/// Whole numbers of exact ones.
fn whole(of: Type, _: u8) -> Type {
    if of == Type::Float { Type::Float } else { Type::Exact { scale: 0 } }
}

impl PartialEq for ScalarCall {
    fn eq(&self, other: &ScalarCall) -> bool {
        (self.function.name, self.places) == (other.function.name, other.places)
    }
}

/// The function of a name.
pub(super) fn scalar_function(name: &str) -> Option<&'static ScalarFunction> {
    scalar_functions().find(|function| function.name == name)
}

/// Adds a function for every formula of the process.
pub(super) fn add(function: ScalarFunction) {
    OWN.write().unwrap_or_else(PoisonError::into_inner).push(Box::leak(Box::new(function)));
}

/// Every function of formulas that has one value for one line or one cell, those of one's own last: see
/// [`OwnFunction`](super::OwnFunction).
pub fn scalar_functions() -> impl Iterator<Item = &'static ScalarFunction> {
    let own = OWN.read().unwrap_or_else(PoisonError::into_inner).clone();
    FUNCTIONS.iter().chain(own)
}
