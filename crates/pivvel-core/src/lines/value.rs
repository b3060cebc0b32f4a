//! What an aggregate comes to.

use std::cmp::Ordering;
use std::fmt;

use super::{date_text, decimal_text, rescale};

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

    /// The nearest floating-point number; a date counts in days.
    pub fn as_f64(&self) -> f64 {
        match *self {
            Value::Exact { digits, scale } => digits as f64 / 10f64.powi(scale.into()),
            Value::Float(value) => value,
            Value::Date(day) => day.into(),
        }
    }

    /// How this value stands to another one of the same measure.
    pub(crate) fn order(&self, other: &Value) -> Ordering {
        match (self, other) {
            (Value::Exact { digits: a, scale: s }, Value::Exact { digits: b, scale: t }) => {
                let common = *s.max(t);
                match (rescale(*a, *s, common), rescale(*b, *t, common)) {
                    (Some(a), Some(b)) => a.cmp(&b),
                    _ => self.as_f64().total_cmp(&other.as_f64()),
                }
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
