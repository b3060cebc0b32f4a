//! What written values mean: numbers, dates, yes and no, and the kind of a column that holds them.

mod date;
mod evidence;
mod number;

pub use date::DateOrder;
pub(crate) use date::{DateReader, read_date};
pub(crate) use evidence::Evidence;
pub use number::NumberStyle;
pub(crate) use number::{Misread, QuickNumbers, plain_number, read_number};

use pivvel_core::source::Kind;
use pivvel_core::{Error, Result};

/// How the values of one column are to be read.
///
/// ```
/// use pivvel::source::{Kind, NumberStyle, Source, TextSource};
///
/// let text = "amount\n\"1.234,50\"\n\"7,25\"\n";
/// let lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// let amount = &lines.columns()[0].kind();
/// assert_eq!((amount.kind(), amount.style()), (Kind::Decimal { scale: 2 }, NumberStyle::CommaPoints));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ColumnKind {
    pub(crate) kind: Kind,
    pub(crate) style: NumberStyle,
    pub(crate) unit: Option<char>,
    pub(crate) order: DateOrder,
    pub(crate) given: bool,
    /// Whether its numbers need more than 18 digits.
    pub(crate) wide: bool,
    /// Whether no value was seen, so that it may be of any kind.
    pub(crate) unseen: bool,
    pub(crate) yes_no_words: Option<[String; 2]>,
    /// Whether some of its years have two digits.
    pub(crate) short_years: bool,
    /// Whether it holds text that looks like numbers: codes such as `007`.
    pub(crate) code: bool,
    /// Whether all of its values were looked at.
    pub(crate) settled: bool,
    pub(crate) trouble: Option<String>,
}

pivvel_core::getters! {
    ColumnKind {
        /// What the column holds.
        kind: Kind,
        /// How its numbers are written.
        style: NumberStyle,
        /// The currency sign, or `%`, that stands beside its numbers.
        unit: Option<char>,
        /// How its dates are written.
        order: DateOrder,
        /// Whether the kind was given rather than found.
        given: bool,
        /// The words for no and yes, where it holds these.
        yes_no_words: Option<&[String; 2]>,
        /// Why it cannot be read yet, if so.
        trouble: Option<&str>,
    }
}

impl ColumnKind {
    pub(crate) fn of(kind: Kind) -> ColumnKind {
        ColumnKind {
            kind,
            style: NumberStyle::Point,
            unit: None,
            order: DateOrder::YearFirst,
            given: false,
            wide: false,
            unseen: false,
            yes_no_words: None,
            short_years: false,
            code: false,
            settled: false,
            trouble: None,
        }
    }

    /// The kind in words: `money (£, 2 decimals)`, `date (day first)`.
    pub fn words(&self) -> String {
        let marks = self.style.words();
        match self.kind {
            Kind::Text => "text".into(),
            Kind::Date if self.short_years => format!("date ({}, years 1969 to 2068)", self.order.words()),
            Kind::Date => format!("date ({})", self.order.words()),
            Kind::Whole => format!("whole number{}", marks.map(|m| format!(" ({m})")).unwrap_or_default()),
            Kind::Decimal { scale } => {
                let unit = self.unit.map(|unit| unit.to_string());
                let decimals = format!("{scale} decimals");
                let options: Vec<String> =
                    unit.into_iter().chain([decimals]).chain(marks.map(str::to_string)).collect();
                format!("decimal ({})", options.join(", "))
            }
            Kind::Float => "floating point".into(),
            Kind::YesNo => "yes or no".into(),
        }
    }
}

/// A kind as a brief or a flag writes it: `text`, `date`, `date(dmy)`, `whole`, `decimal`,
/// `decimal(2)`, `float`, `yesno`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum GivenKind {
    Text,
    Date(Option<DateOrder>),
    Whole,
    Decimal(Option<u8>),
    Float,
    YesNo,
}

impl GivenKind {
    pub(crate) fn parse(column: &str, text: &str) -> Result<GivenKind> {
        let compact: String = text.chars().filter(|c| !c.is_whitespace()).collect();
        let (name, option) = match compact.strip_suffix(')').and_then(|t| t.split_once('(')) {
            Some((name, option)) => (name.to_string(), Some(option.to_string())),
            None => (compact, None),
        };
        let place = format!("kind of column {column}");
        let kind = match (name.as_str(), option.as_deref()) {
            ("text", None) => GivenKind::Text,
            ("date", None) => GivenKind::Date(None),
            ("date", Some(order)) => match DateOrder::from_name(order) {
                Some(order) => GivenKind::Date(Some(order)),
                None => return Err(Error::unknown(place, "order of a date", order, DateOrder::NAMES)),
            },
            ("whole", None) => GivenKind::Whole,
            ("decimal", None) => GivenKind::Decimal(None),
            ("decimal", Some(scale)) => match scale.parse() {
                Ok(scale) if scale <= 18 => GivenKind::Decimal(Some(scale)),
                _ => return Err(Error::request(place, "decimal takes a number of decimals from 0 to 18")),
            },
            ("float", None) => GivenKind::Float,
            ("yesno", None) => GivenKind::YesNo,
            _ => {
                let known = ["text", "date", "date(dmy)", "whole", "decimal", "decimal(2)", "float", "yesno"];
                return Err(Error::unknown(place, "kind", text, known));
            }
        };
        Ok(kind)
    }
}

/// How many letters the longest word for yes or no has.
const LONGEST_WORD: usize = 5;

/// Yes or no in the words that exports use.
pub(crate) fn read_yes_no(text: &str) -> Option<bool> {
    match text.to_ascii_lowercase().as_str() {
        "yes" | "y" | "true" => Some(true),
        "no" | "n" | "false" => Some(false),
        _ => None,
    }
}
