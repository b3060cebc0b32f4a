//! What an aggregate comes to.

use std::cmp::Ordering;
use std::fmt;

use super::{Decimal, date_from_text, date_text, decimal_digits, decimal_text};

/// The value of one measure in one cell. A cell without a value is blank, which is not zero.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Value {
    /// An exact number: digits, of which `scale` stand after the point.
    Exact {
        /// All digits, with the sign.
        digits: i128,
        /// How many of them stand after the point.
        scale: u8,
    },
    /// A floating-point number, where the computation could not stay exact.
    Float(f64),
    /// A day, counted from 1970-01-01.
    Date(i32),
}

impl Value {
    pub(crate) fn whole(number: u64) -> Value {
        Value::Exact { digits: number.into(), scale: 0 }
    }

    /// A value as [`Display`](fmt::Display) writes it; `None` for what is none. Numbers of more than twelve
    /// digits after the point are taken as floating-point ones.
    ///
    /// ```
    /// use pivvel_core::Value;
    /// assert_eq!(Value::read("-12.50"), Some(Value::Exact { digits: -1250, scale: 2 }));
    /// assert_eq!(Value::read("2025-01-31").unwrap().to_string(), "2025-01-31");
    /// assert_eq!(Value::read("Fell"), None);
    /// ```
    pub fn read(text: &str) -> Option<Value> {
        let scale = text.split_once('.').map_or(0, |(_, fraction)| fraction.len());
        let exact = || {
            let scale = u8::try_from(scale).ok().filter(|scale| *scale <= 12)?;
            Some(Value::Exact { digits: decimal_digits(text, scale)?, scale })
        };
        let float = || text.parse::<f64>().ok().filter(|value| value.is_finite()).map(Value::Float);
        exact().or_else(float).or_else(|| date_from_text(text).map(Value::Date))
    }

    /// The nearest floating-point number; a date counts in days.
    pub fn as_f64(&self) -> f64 {
        match *self {
            Value::Exact { digits, scale } => digits as f64 / 10f64.powi(scale.into()),
            Value::Float(value) => value,
            Value::Date(day) => day.into(),
        }
    }

    /// How this value stands to another one of the same measure; exact numbers are compared exactly.
    pub fn order(&self, other: &Value) -> Ordering {
        match (self, other) {
            (Value::Exact { digits: a, scale: s }, Value::Exact { digits: b, scale: t }) => {
                Decimal::new(*a, *s).cmp(&Decimal::new(*b, *t))
            }
            _ => self.as_f64().total_cmp(&other.as_f64()),
        }
    }
}

/// The value in plain digits with `.`, exact where it is exact; floats in the shortest form that
/// reads back as the same float; dates in ISO form.
impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Value::Exact { digits, scale } => f.write_str(&decimal_text(digits, scale)),
            Value::Float(value) => write!(f, "{}", value + 0.0),
            Value::Date(day) => f.write_str(&date_text(day)),
        }
    }
}

/// As text, so that no reader rounds exact numbers.
impl serde::Serialize for Value {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}
