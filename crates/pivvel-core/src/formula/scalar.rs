//! The functions of one line or one cell, one entry each: how a function is written, what it does, what it takes
//! and gives, and how it is computed. Lines and cells share them; whoever adds one adds an entry.

use std::fmt;
use std::sync::{PoisonError, RwLock};

use crate::model::Type;
use crate::model::{Decimal, Overflow, Value, pow10};

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
    eval: Eval,
    /// The function of databases that gives the same to the last digit.
    sql: Option<&'static str>,
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
    /// Of one number: first as an exact one, `None` where that is no way, and else as a float.
    Number {
        exact: fn(Decimal, places: u8) -> Result<Option<Decimal>, Overflow>,
        float: fn(f64, u8) -> f64,
    },
    TwoNumbers(fn(f64, f64) -> f64),
    /// Of one or two numbers, none of them blank.
    Own(OfNumbers),
    /// One of the values that are not blank.
    Pick(fn(&mut dyn Iterator<Item = Value>) -> Option<Value>),
    Text(OfText),
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
            exact: |x, _| if x < 0.into() { x.checked_neg().ok_or(Overflow).map(Some) } else { Ok(Some(x)) },
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
            exact: rounded,
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
            exact: |x, _| Ok(Some(x.digits.div_euclid(unit(x.scale)?).into())),
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
            exact: |x, _| Ok(Some((-(-x.digits).div_euclid(unit(x.scale)?)).into())),
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
        eval: Eval::Number { exact: |_, _| Ok(None), float: |x, _| x.sqrt() },
        sql: None,
    },
    ScalarFunction {
        name: "exp",
        usage: "exp(x)",
        about: "the number e (2.718…) to the power of x",
        takes: Takes::Number,
        result_type: float,
        eval: Eval::Number { exact: |_, _| Ok(None), float: |x, _| x.exp() },
        sql: None,
    },
    ScalarFunction {
        name: "ln",
        usage: "ln(x)",
        about: "the natural logarithm; blank at zero and below",
        takes: Takes::Number,
        result_type: float,
        eval: Eval::Number { exact: |_, _| Ok(None), float: |x, _| x.ln() },
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
        eval: Eval::Pick(|values| values.next()),
        sql: Some("coalesce"),
    },
    ScalarFunction {
        name: "least",
        usage: "least(x, y)",
        about: "the least of the values that are not blank",
        takes: Takes::Comparable,
        result_type: same,
        eval: Eval::Pick(|values| values.min_by(Value::order)),
        sql: None,
    },
    ScalarFunction {
        name: "greatest",
        usage: "greatest(x, y)",
        about: "the greatest of the values that are not blank",
        takes: Takes::Comparable,
        result_type: same,
        eval: Eval::Pick(|values| values.max_by(Value::order)),
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

fn unit(scale: u8) -> Result<i128, Overflow> {
    pow10(scale).ok_or(Overflow)
}

fn rounded(x: Decimal, places: u8) -> Result<Option<Decimal>, Overflow> {
    let Decimal { digits, scale } = x;
    if places >= scale {
        return Ok(Some(x));
    }
    let unit = unit(scale - places)?;
    let up = i128::from(digits.unsigned_abs() % unit.unsigned_abs() * 2 >= unit.unsigned_abs());
    Ok(Some(Decimal::new(digits / unit + up * digits.signum(), places)))
}

/// A function with its options.
#[derive(Debug, Clone, Copy)]
pub(crate) struct ScalarCall {
    pub(crate) function: &'static ScalarFunction,
    /// To how many digits after the point.
    pub(super) places: u8,
}

impl ScalarCall {
    /// The function with its options, as fingerprints have it.
    pub(super) fn canonical(self) -> String {
        format!("{} {}", self.function.name, self.places)
    }

    /// What comes of the values of one line or cell; `None` stands for blank.
    pub(super) fn of_values(
        self,
        values: &mut dyn Iterator<Item = Option<Value>>,
    ) -> Result<Option<Value>, Overflow> {
        let result = match &self.function.eval {
            Eval::Pick(pick) => return Ok(pick(&mut values.flatten())),
            Eval::Number { exact, float } => {
                let Some(value) = values.next().flatten() else { return Ok(None) };
                if let Value::Exact(number) = value
                    && let Some(number) = exact(number, self.places)?
                {
                    return Ok(Some(Value::Exact(number)));
                }
                float(value.as_f64(), self.places)
            }
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

    /// How it changes one text; `None` where it is the first of several that is not blank.
    pub(super) fn of_text(self) -> Option<OfText> {
        if let Eval::Text(change) = self.function.eval { Some(change) } else { None }
    }
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
