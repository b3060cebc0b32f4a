//! How numbers are shown. Formats change what is read, never what is computed: data files, sorts
//! and thresholds stay in true units.

use crate::error::{Error, Result, unknown_message};

/// How the numbers of one measure are shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberFormat {
    /// Digits after the point; `None` shows exact numbers with the digits that they have and
    /// floating-point numbers with two.
    pub decimals: Option<u8>,
    /// What one shown unit stands for.
    pub scaling: Scaling,
    /// The mark between thousands; empty for none.
    pub marks: String,
    /// The decimal point.
    pub point: String,
    /// What stands before a number: a currency sign, as a rule.
    pub before: String,
    /// What stands after a number.
    pub after: String,
    /// How a negative number is told.
    pub negative: Negative,
    /// What stands where there is no value.
    pub blank: String,
}

/// What one shown unit stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scaling {
    /// The number as it is.
    Ones,
    /// Thousands.
    Thousands,
    /// Millions.
    Millions,
    /// Hundredths.
    Percent,
}

/// How a negative number is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Negative {
    /// By a minus sign before it.
    Minus,
    /// By brackets around it.
    Brackets,
}

impl Default for NumberFormat {
    fn default() -> Self {
        NumberFormat {
            decimals: None,
            scaling: Scaling::Ones,
            marks: ",".into(),
            point: ".".into(),
            before: String::new(),
            after: String::new(),
            negative: Negative::Minus,
            blank: String::new(),
        }
    }
}

impl NumberFormat {
    /// The names of the ready-made formats.
    pub const NAMES: [&'static str; 6] = ["auto", "whole", "money", "thousands", "millions", "percent"];

    /// A ready-made format.
    ///
    /// # Errors
    /// A name that is none of [`NumberFormat::NAMES`].
    ///
    /// ```
    /// use pivvel_core::{NumberFormat, Scaling};
    /// let format = NumberFormat::named("thousands")?;
    /// assert_eq!((format.scaling, format.decimals), (Scaling::Thousands, Some(1)));
    /// # Ok::<(), pivvel_core::Error>(())
    /// ```
    pub fn named(name: &str) -> Result<NumberFormat> {
        let (decimals, scaling, after) = match name {
            "auto" => (None, Scaling::Ones, ""),
            "whole" => (Some(0), Scaling::Ones, ""),
            "money" => (Some(2), Scaling::Ones, ""),
            "thousands" => (Some(1), Scaling::Thousands, " k"),
            "millions" => (Some(1), Scaling::Millions, " M"),
            "percent" => (Some(1), Scaling::Percent, " %"),
            _ => return Err(Error::request("", unknown_message("number format", name, NumberFormat::NAMES))),
        };
        Ok(NumberFormat { decimals, scaling, after: after.into(), ..NumberFormat::default() })
    }
}
