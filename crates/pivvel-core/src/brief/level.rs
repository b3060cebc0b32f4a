//! Levels of a layout by name.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use super::words::{as_text, schema};

/// A level of a layout: the members of a dimension, or one of the totals.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::Level;
///
/// assert_eq!("row total".parse(), Ok(Level::RowTotal));
/// assert_eq!(Level::from("harbour"), Level::Dimension("harbour".into()));
/// assert_eq!(Level::ColumnTotal.to_string(), "column total");
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Level {
    /// The members of a dimension.
    Dimension(String),
    /// The total of each row, which is the total column.
    RowTotal,
    /// The total of each column, which is the total row.
    ColumnTotal,
    /// The one total of everything.
    GrandTotal,
}

impl Level {
    /// The totals by name.
    pub(crate) const TOTALS: [(&'static str, Level); 3] = [
        ("row total", Level::RowTotal),
        ("column total", Level::ColumnTotal),
        ("grand total", Level::GrandTotal),
    ];

    /// Whether it is a total, or the level of one of these dimensions.
    pub(crate) fn is_in(&self, dimensions: &[String]) -> bool {
        match self {
            Level::Dimension(name) => dimensions.contains(name),
            Level::RowTotal | Level::ColumnTotal | Level::GrandTotal => true,
        }
    }
}

impl From<&str> for Level {
    fn from(text: &str) -> Level {
        let total = Level::TOTALS.into_iter().find(|(name, _)| *name == text);
        total.map_or_else(|| Level::Dimension(text.to_string()), |(_, total)| total)
    }
}

impl From<String> for Level {
    fn from(text: String) -> Level {
        text.as_str().into()
    }
}

impl FromStr for Level {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<Level, Infallible> {
        Ok(text.into())
    }
}

impl fmt::Display for Level {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Level::Dimension(name) => f.write_str(name),
            total => {
                let name = Level::TOTALS.iter().find(|(_, known)| known == total);
                f.write_str(name.map_or("", |(name, _)| name))
            }
        }
    }
}

as_text!(Level is "a level");
schema!(Level is { "type": "string" });
