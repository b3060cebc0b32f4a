//! The order of a dimension's members.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use serde::de::{Deserialize, Deserializer, Error, SeqAccess, Visitor};
use serde::{Serialize, Serializer};

use crate::formula::Formula;

/// The order of a dimension's members under one parent.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{Direction, Order, OrderBy};
///
/// let order: Order = "sales at scenario 'plan' desc".parse()?;
/// assert_eq!(*order.by(), OrderBy::Cells("sales at scenario 'plan'".into()));
/// assert_eq!(order.direction(), Direction::Descending);
/// assert_eq!(order.to_string(), "sales at scenario 'plan' desc");
/// # Ok::<(), std::convert::Infallible>(())
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Order {
    /// What they are sorted by.
    pub(crate) by: OrderBy,
    /// Which way.
    pub(crate) direction: Direction,
}

/// What members are sorted by.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{Order, OrderBy};
///
/// let order: Order = "sales desc".parse()?;
/// assert!(matches!(order.by(), OrderBy::Cells(by) if by.as_str() == "sales"));
/// # Ok::<(), std::convert::Infallible>(())
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub enum OrderBy {
    /// Their natural order: the calendar's for dates and names of months and weekdays, numbers by
    /// size, texts by label.
    #[default]
    Natural,
    /// Their labels, as text.
    Label,
    /// A formula over cells, in the total of the other axis.
    Cells(Formula),
    /// A list of members, which come first and in its order.
    Members(Vec<String>),
}

/// Which way members are sorted. The blank member and blank values come last either way.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::{Direction, Order};
///
/// assert_eq!(Order::from("sales desc").direction(), Direction::Descending);
/// assert_eq!(Order::from("label").direction(), Direction::Ascending);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Direction {
    /// Lowest first.
    #[default]
    Ascending,
    /// Highest first.
    Descending,
}

crate::named! { Direction is "direction" { Ascending = "asc", Descending = "desc", } }

crate::getters! {
    Order {
        /// What they are sorted by.
        by: &OrderBy,
        /// Which way.
        direction: Direction,
    }
}

impl Order {
    /// By what members are sorted, and which way.
    pub fn new(by: OrderBy, direction: Direction) -> Order {
        Order { by, direction }
    }

    /// What members are sorted by, in words.
    pub fn words(&self) -> &str {
        match &self.by {
            OrderBy::Natural => "their natural order",
            OrderBy::Label => "their label",
            OrderBy::Cells(formula) => formula.as_str(),
            OrderBy::Members(_) => "a list of members",
        }
    }

    /// The formula that they are sorted by, where it is one.
    pub(crate) fn formula(&self) -> Option<&Formula> {
        match &self.by {
            OrderBy::Cells(formula) => Some(formula),
            OrderBy::Natural | OrderBy::Label | OrderBy::Members(_) => None,
        }
    }

    /// The members that come first, in this order.
    pub fn members(&self) -> &[String] {
        match &self.by {
            OrderBy::Members(members) => members,
            _ => &[],
        }
    }
}

/// The order as a brief or a flag writes it: `label`, `calendar` or a formula, then `asc` or `desc`.
impl FromStr for Order {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<Order, Infallible> {
        let (by, direction) = match text.trim().rsplit_once(char::is_whitespace) {
            Some((by, "desc")) => (by.trim(), Direction::Descending),
            Some((by, "asc")) => (by.trim(), Direction::Ascending),
            _ => (text.trim(), Direction::Ascending),
        };
        let by = match by {
            "calendar" => OrderBy::Natural,
            "label" => OrderBy::Label,
            by => OrderBy::Cells(by.into()),
        };
        Ok(Order { by, direction })
    }
}

impl From<&str> for Order {
    fn from(text: &str) -> Order {
        text.parse().unwrap_or_else(|never: Infallible| match never {})
    }
}

impl From<String> for Order {
    fn from(text: String) -> Order {
        text.as_str().into()
    }
}

impl fmt::Display for Order {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.by {
            OrderBy::Natural => f.write_str("calendar")?,
            OrderBy::Label => f.write_str("label")?,
            OrderBy::Cells(formula) => formula.fmt(f)?,
            OrderBy::Members(members) => f.write_str(&members.join(", "))?,
        }
        match self.direction {
            Direction::Ascending => Ok(()),
            Direction::Descending => f.write_str(" desc"),
        }
    }
}

impl Serialize for Order {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match &self.by {
            OrderBy::Members(members) => members.serialize(serializer),
            _ => serializer.collect_str(self),
        }
    }
}

impl<'de> Deserialize<'de> for Order {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Order, D::Error> {
        struct Written;

        impl<'de> Visitor<'de> for Written {
            type Value = Order;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an order, as in \"sales desc\", or a list of members")
            }

            fn visit_str<E: Error>(self, text: &str) -> Result<Order, E> {
                Ok(text.into())
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Order, A::Error> {
                let mut members = Vec::new();
                while let Some(member) = list.next_element()? {
                    members.push(member);
                }
                if members.is_empty() {
                    return Err(A::Error::custom("is an empty list; leave the key out"));
                }
                Ok(Order { by: OrderBy::Members(members), direction: Direction::Ascending })
            }
        }

        deserializer.deserialize_any(Written)
    }
}

super::words::schema!(Order is {
    "anyOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" }, "minItems": 1 }]
});
