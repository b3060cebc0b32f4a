//! Assumptions: named values that formulas and names may hold.
use crate::model::decimal_text;

/// A named what-if value.
#[derive(Debug, Clone, PartialEq)]
pub struct AssumptionBrief {
    /// The name that formulas and texts use.
    pub name: String,
    /// The value by default.
    pub value: Assumed,
    /// The lowest number that makes sense.
    pub low: Option<Assumed>,
    /// The highest number that makes sense.
    pub high: Option<Assumed>,
    /// The only values that make sense, where there are few.
    pub choices: Vec<String>,
}

/// An assumed value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Assumed {
    /// A number, exactly as written; `4%` is 4 at scale 2.
    Number {
        /// The digits.
        digits: i128,
        /// How many of them stand after the point.
        scale: u8,
        /// Whether it was written as a percentage, and is told as one.
        percent: bool,
    },
    /// A text, or the name of a dimension or a measure.
    Text(String),
}

impl From<i64> for Assumed {
    fn from(number: i64) -> Assumed {
        Assumed::Number { digits: number.into(), scale: 0, percent: false }
    }
}

/// The value as a title tells it.
impl std::fmt::Display for Assumed {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Assumed::Number { digits, scale, percent: true } if *scale >= 2 => {
                write!(f, "{} %", decimal_text(*digits, scale - 2))
            }
            Assumed::Number { digits, scale, .. } => f.write_str(&decimal_text(*digits, *scale)),
            Assumed::Text(text) => f.write_str(text),
        }
    }
}

impl Assumed {
    /// An assumed value as a brief or a flag writes it: `4%`, `1250`, `-0.5`, or any text.
    ///
    /// ```
    /// use pivvel_core::Assumed;
    /// assert_eq!(Assumed::read("4%"), Assumed::Number { digits: 4, scale: 2, percent: true });
    /// assert_eq!(Assumed::read("coast"), Assumed::Text("coast".into()));
    /// ```
    pub fn read(text: &str) -> Assumed {
        let number = text.trim();
        let (number, percent) =
            number.strip_suffix('%').map_or((number, false), |number| (number.trim_end(), true));
        let (sign, plain) = number.strip_prefix('-').map_or((1, number), |plain| (-1, plain));
        let (whole, fraction) = plain.split_once('.').unwrap_or((plain, ""));
        let all = format!("{whole}{fraction}");
        let digits = all.parse::<i128>().ok().filter(|_| all.bytes().all(|b| b.is_ascii_digit()));
        match digits {
            Some(digits) if fraction.len() <= 16 && !whole.is_empty() => {
                let scale = fraction.len() as u8 + if percent { 2 } else { 0 };
                Assumed::Number { digits: sign * digits, scale, percent }
            }
            _ => Assumed::Text(text.to_string()),
        }
    }
}
