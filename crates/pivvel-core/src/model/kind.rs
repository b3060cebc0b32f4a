//! What a column holds.

use std::fmt;
use std::str::FromStr;

use arrow_schema::DataType;

use crate::named::{NoName, by_name};

/// What a column holds, as far as computing is concerned.
///
/// ```
/// # use pivvel_core as pivvel;
/// use arrow_schema::DataType;
/// use pivvel::source::Kind;
///
/// assert_eq!(Kind::of(&DataType::Decimal128(18, 2)), Some(Kind::Decimal { scale: 2 }));
/// assert_eq!(Kind::of(&DataType::Utf8), Some(Kind::Text));
/// assert_eq!(Kind::of(&DataType::Binary), None);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Text; what dimensions are mostly made of.
    Text,
    /// A day of the calendar.
    Date,
    /// Whole numbers, exact.
    Whole,
    /// Exact decimals, money above all.
    Decimal {
        /// Digits after the point.
        scale: u8,
    },
    /// Binary floating point, not exact.
    Float,
    /// Yes or no.
    YesNo,
}

/// The key in the metadata of a field of yes and no for the word that stands for no, where it is not `no`.
pub const NO_WORD: &str = "pivvel.no";
/// The same for `yes`.
pub const YES_WORD: &str = "pivvel.yes";
/// The key in the metadata of a field in which no value was met, so that it may be of any kind.
pub const UNSEEN: &str = "pivvel.unseen";
/// The key in the metadata of a field of days for the time zone that they are days of, where they were moments with one.
pub const TIME_ZONE: &str = "pivvel.zone";

impl Kind {
    /// The kind of an Arrow column, if it is one that can be used.
    pub fn of(data_type: &DataType) -> Option<Kind> {
        use DataType::*;
        Some(match data_type {
            Utf8 | LargeUtf8 | Utf8View => Kind::Text,
            Dictionary(_, values) => return Kind::of(values).filter(|kind| *kind == Kind::Text),
            Date32 => Kind::Date,
            Int8 | Int16 | Int32 | Int64 | UInt8 | UInt16 | UInt32 | UInt64 => Kind::Whole,
            Decimal64(_, scale) | Decimal128(_, scale) => Kind::Decimal { scale: u8::try_from(*scale).ok()? },
            Float32 | Float64 => Kind::Float,
            Boolean => Kind::YesNo,
            _ => return None,
        })
    }

    /// Whether values of this kind can be added up.
    pub fn is_number(self) -> bool {
        matches!(self, Kind::Whole | Kind::Decimal { .. } | Kind::Float)
    }

    /// One value of this kind in words, as in "a whole number".
    pub fn singular(self) -> String {
        match self {
            Kind::Text => "text".into(),
            Kind::Date => "a date".into(),
            Kind::Whole => "a whole number".into(),
            Kind::Decimal { scale } => format!("a number of at most {scale} decimals"),
            Kind::Float => "a number".into(),
            Kind::YesNo => "yes or no".into(),
        }
    }

    /// Values of this kind in words, as in "whole numbers".
    pub fn plural(self) -> String {
        match self {
            Kind::Text => "text".into(),
            Kind::Date => "dates".into(),
            Kind::Whole => "whole numbers".into(),
            Kind::Decimal { scale } => format!("numbers of {scale} decimals"),
            Kind::Float => "floating-point numbers".into(),
            Kind::YesNo => "yes or no".into(),
        }
    }
}

/// As it is written, with up to 38 decimals: `decimal(2)`.
impl FromStr for Kind {
    type Err = NoName;

    fn from_str(text: &str) -> Result<Kind, NoName> {
        let scale = text.strip_prefix("decimal(").and_then(|rest| rest.strip_suffix(')')?.parse().ok());
        if let Some(scale) = scale.filter(|scale| *scale <= 38) {
            return Ok(Kind::Decimal { scale });
        }
        let all = [
            ("text", Kind::Text),
            ("date", Kind::Date),
            ("whole", Kind::Whole),
            ("decimal(2)", Kind::Decimal { scale: 2 }),
            ("float", Kind::Float),
            ("yesno", Kind::YesNo),
        ];
        by_name("kind", text, all.into_iter())
    }
}

/// The kind as a brief or a flag writes it.
impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Kind::Text => f.write_str("text"),
            Kind::Date => f.write_str("date"),
            Kind::Whole => f.write_str("whole"),
            Kind::Decimal { scale } => write!(f, "decimal({scale})"),
            Kind::Float => f.write_str("float"),
            Kind::YesNo => f.write_str("yesno"),
        }
    }
}
