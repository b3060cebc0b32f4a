//! What an aggregate comes to.

use std::cmp::Ordering;
use std::fmt;

use super::calendar::date;
use super::{Decimal, date_from_text, date_text, decimal_digits};

/// The value of one measure in one cell. A cell without a value is blank, which is not zero.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::{Decimal, Value};
///
/// let amount = Value::Exact(Decimal::new(1050, 2));
/// assert_eq!((amount.to_string().as_str(), amount.as_f64()), ("10.50", 10.5));
/// assert_eq!(Value::read("10.5").map(|value| value.order(&amount)), Some(std::cmp::Ordering::Equal));
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Value {
    /// An exact number.
    Exact(Decimal),
    /// A floating-point number, where the computation could not stay exact.
    Float(f64),
    /// A day, counted from 1970-01-01.
    Date(i32),
}

impl From<Decimal> for Value {
    fn from(number: Decimal) -> Value {
        Value::Exact(number)
    }
}

/// Whole numbers are exact.
macro_rules! from_whole {
    ($($whole:ty)*) => {
        $(impl From<$whole> for Value {
            fn from(number: $whole) -> Value {
                Value::Exact(number.into())
            }
        })*
    };
}

from_whole! { i32 i64 u32 u64 }

const _: () = assert!(size_of::<Value>() == 32 && size_of::<Option<Value>>() == 32);

impl Value {
    pub(crate) fn whole(number: u64) -> Value {
        Value::Exact(number.into())
    }

    /// A value as [`Display`](fmt::Display) writes it; `None` for what is none. Numbers of more than twelve
    /// digits after the point are taken as floating-point ones.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::{Decimal, Value};
    /// assert_eq!(Value::read("-12.50"), Some(Value::Exact(Decimal::new(-1250, 2))));
    /// assert_eq!(Value::read("2025-01-31").unwrap().to_string(), "2025-01-31");
    /// assert_eq!(Value::read("Fell"), None);
    /// ```
    pub fn read(text: &str) -> Option<Value> {
        let scale = text.split_once('.').map_or(0, |(_, fraction)| fraction.len());
        let exact = || {
            let scale = u8::try_from(scale).ok().filter(|scale| *scale <= 12)?;
            Some(Value::Exact(Decimal::new(decimal_digits(text, scale)?, scale)))
        };
        let float = || text.parse::<f64>().ok().filter(|value| value.is_finite()).map(Value::Float);
        exact().or_else(float).or_else(|| date_from_text(text).map(Value::Date))
    }

    /// The number, if it is an exact one.
    pub fn exact(&self) -> Option<Decimal> {
        if let Value::Exact(number) = *self { Some(number) } else { None }
    }

    /// The nearest floating-point number; a date counts in days.
    pub fn as_f64(&self) -> f64 {
        match *self {
            Value::Exact(number) => number.as_f64(),
            Value::Float(value) => value,
            Value::Date(day) => day.into(),
        }
    }

    /// The number with so many digits after the point, rounded half away from zero; `None` for a date, and for a
    /// number of more than 38 digits.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::{Decimal, Value};
    ///
    /// assert_eq!(Value::Exact(Decimal::new(-1250, 3)).to_decimal(2).unwrap().to_string(), "-1.25");
    /// assert_eq!(Value::Exact(Decimal::new(125, 2)).to_decimal(1).unwrap().to_string(), "1.3");
    /// assert_eq!(Value::Float(1.0 / 3.0).to_decimal(2).unwrap().to_string(), "0.33");
    /// ```
    pub fn to_decimal(&self, scale: u8) -> Option<Decimal> {
        match *self {
            Value::Exact(number) => number.rounded(scale),
            Value::Float(value) => {
                let text = format!("{value:.*}", usize::from(scale));
                Some(Decimal::new(decimal_digits(&text, scale)?, scale))
            }
            Value::Date(_) => None,
        }
    }

    /// The day, if it is one.
    pub fn as_date(&self) -> Option<chrono::NaiveDate> {
        if let Value::Date(day) = *self { date(day) } else { None }
    }

    /// How this value stands to another one of the same measure; exact numbers are compared exactly.
    pub fn order(&self, other: &Value) -> Ordering {
        match (self, other) {
            (Value::Exact(a), Value::Exact(b)) => a.cmp(b),
            _ => self.as_f64().total_cmp(&other.as_f64()),
        }
    }
}

/// The bits of a float as a whole number: these are in the order of [`f64::total_cmp`], whose way it is.
#[inline]
pub(crate) fn float_to_ordered(float: f64) -> i64 {
    let bits = float.to_bits() as i64;
    bits ^ (((bits >> 63) as u64) >> 1) as i64
}

/// The float of such a number.
pub(crate) fn ordered_to_float(ordered: i64) -> f64 {
    f64::from_bits((ordered ^ (((ordered >> 63) as u64) >> 1) as i64) as u64)
}

/// The value in plain digits with `.`, exact where it is exact; floats in the shortest form that
/// reads back as the same float; dates in ISO form.
impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Value::Exact(number) => number.fmt(f),
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

/// From what it is written as.
impl<'de> serde::Deserialize<'de> for Value {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Value, D::Error> {
        let text = std::borrow::Cow::<str>::deserialize(deserializer)?;
        let none = || serde::de::Error::custom(format!("{text:?} is no number and no date"));
        Value::read(&text).ok_or_else(none)
    }
}
