//! Amounts: a number, a percentage, or a text such as the name of an assumption.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Deserializer};

use crate::model::{Decimal, Value};

/// A number, a percentage, or a text: the name of an assumption, a date, or what an assumption stands for.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::Amount;
/// use pivvel::Decimal;
///
/// let four: Amount = "4%".parse()?;
/// assert_eq!(four, Amount::Number { number: Decimal::new(4, 2), percent: true });
/// assert_eq!(four.to_string(), "4%");
/// assert_eq!("1.50".parse::<Amount>()?, "1.5".parse()?);
/// assert_eq!("coast".parse::<Amount>()?, Amount::Text("coast".into()));
/// # Ok::<(), std::convert::Infallible>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Amount {
    /// A number, exactly as written; `4%` is 4 at scale 2.
    Number {
        /// The number.
        number: Decimal,
        /// Whether it was written as a percentage, and is shown as one.
        percent: bool,
    },
    /// A text.
    Text(String),
}

impl Amount {
    /// The number, if it is one.
    pub fn number(&self) -> Option<Decimal> {
        match self {
            Amount::Number { number, .. } => Some(*number),
            Amount::Text(_) => None,
        }
    }

    /// The number and whether it was written as a percentage, if it is one.
    pub(crate) fn value(&self) -> Option<(Value, bool)> {
        match *self {
            Amount::Number { number: Decimal { digits, scale }, percent } => {
                Some((Value::Exact(Decimal::new(digits, scale)), percent))
            }
            Amount::Text(_) => None,
        }
    }

    /// Whether it is written as a percentage.
    pub(crate) fn is_percent(&self) -> bool {
        matches!(self, Amount::Number { percent: true, .. })
    }

    /// The amount as a heading writes it: a percentage with a space before its sign.
    pub fn words(&self) -> String {
        match self {
            Amount::Number { percent: true, .. } => self.to_string().replace('%', " %"),
            _ => self.to_string(),
        }
    }
}

/// The text without anything in it.
impl Default for Amount {
    fn default() -> Amount {
        Amount::Text(String::new())
    }
}

impl From<i64> for Amount {
    fn from(number: i64) -> Amount {
        Amount::Number { number: Decimal::new(number.into(), 0), percent: false }
    }
}

impl From<&str> for Amount {
    fn from(text: &str) -> Amount {
        text.parse().unwrap_or_else(|never: Infallible| match never {})
    }
}

/// The amount as a brief or a flag writes it: `4%`, `1250`, `-0.5`, or any text.
impl FromStr for Amount {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<Amount, Infallible> {
        let number = text.trim();
        let (number, percent) =
            number.strip_suffix('%').map_or((number, false), |number| (number.trim_end(), true));
        let number = number.parse::<Decimal>().ok().filter(|number| number.scale <= 16);
        Ok(match number {
            Some(Decimal { digits, scale }) => {
                let scale = scale + if percent { 2 } else { 0 };
                Amount::Number { number: Decimal { digits, scale }, percent }
            }
            None => Amount::Text(text.to_string()),
        })
    }
}

impl fmt::Display for Amount {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Amount::Number { number, percent: true } if number.scale >= 2 => {
                write!(f, "{}%", Decimal { scale: number.scale - 2, ..*number })
            }
            Amount::Number { number, .. } => number.fmt(f),
            Amount::Text(text) => f.write_str(text),
        }
    }
}

impl serde::Serialize for Amount {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Amount {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Amount, D::Error> {
        super::words::from_text_or_number(deserializer, "a number or a text")
    }
}

super::words::schema!(Amount is { "type": ["number", "string"] });

impl From<String> for Amount {
    fn from(text: String) -> Amount {
        text.as_str().into()
    }
}
