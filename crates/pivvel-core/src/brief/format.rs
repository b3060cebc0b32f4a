//! How numbers are shown. Formats change what is read, never what is computed: data files, sorts
//! and thresholds stay in true units.

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::keyed::{Keyed, keyed};
use super::words::words;
use crate::error::{Error, Result};

/// How the numbers of one measure are shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberFormat {
    /// Digits after the point; `None` shows exact numbers with the digits that they have and
    /// floating-point numbers with two.
    pub(crate) decimals: Option<u8>,
    /// What one shown unit stands for.
    pub(crate) scaling: Scaling,
    /// The mark between thousands; empty for none.
    pub(crate) marks: String,
    /// The decimal point.
    pub(crate) point: String,
    /// What stands before a number: a currency sign, as a rule.
    pub(crate) before: String,
    /// What stands after a number.
    pub(crate) after: String,
    /// How a negative number is shown.
    pub(crate) negative: Negative,
    /// What stands where there is no value.
    pub(crate) blank: String,
}

/// A format as a brief writes it: what differs from a ready-made one.
#[derive(Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "NumberFormat", transform = or_name)]
struct Changes {
    /// The ready-made format that it starts from.
    #[schemars(extend("enum" = NumberFormat::NAMES))]
    like: Option<String>,
    /// Digits after the point, from 0 to 18.
    #[schemars(range(max = 18))]
    decimals: Option<u8>,
    /// What one shown unit stands for.
    #[serde(rename = "in")]
    scaling: Option<Scaling>,
    /// The mark between thousands; empty for none.
    marks: Option<String>,
    /// The decimal point.
    point: Option<String>,
    /// What stands before a number, as a currency sign.
    before: Option<String>,
    /// What stands after a number.
    after: Option<String>,
    /// How a negative number is shown.
    negative: Option<Negative>,
    /// What stands where there is no value.
    blank: Option<String>,
}

words! {
    /// What one shown unit stands for.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{NumberFormat, Scaling};
    ///
    /// let format = NumberFormat::default().scaling(Scaling::Thousands).decimals(1).after(" k");
    /// assert_eq!(format, NumberFormat::named("thousands")?);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum Scaling is "unit" {
        /// The number as it is.
        Ones = "ones",
        /// Thousands.
        Thousands = "thousands",
        /// Millions.
        Millions = "millions",
        /// Hundredths.
        Percent = "percent",
    }
}

words! {
    /// How a negative number is shown.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{Negative, NumberFormat};
    ///
    /// assert_eq!(NumberFormat::default().negative(Negative::Brackets).get_negative().name(), "brackets");
    /// ```
    #[non_exhaustive]
    pub enum Negative is "choice" {
        /// By a minus sign before it.
        Minus = "minus",
        /// By brackets around it.
        Brackets = "brackets",
    }
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

impl Scaling {
    /// The power of ten that a shown unit stands for: 3 for thousands, -2 for hundredths.
    pub fn power(self) -> i32 {
        match self {
            Scaling::Ones => 0,
            Scaling::Thousands => 3,
            Scaling::Millions => 6,
            Scaling::Percent => -2,
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
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{NumberFormat, Scaling};
    /// let format = NumberFormat::named("thousands")?;
    /// assert_eq!((format.get_scaling(), format.get_decimals()), (Scaling::Thousands, Some(1)));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub fn named(name: &str) -> Result<NumberFormat> {
        let (decimals, scaling, after) = match name {
            "auto" => (None, Scaling::Ones, ""),
            "whole" => (Some(0), Scaling::Ones, ""),
            "money" => (Some(2), Scaling::Ones, ""),
            "thousands" => (Some(1), Scaling::Thousands, " k"),
            "millions" => (Some(1), Scaling::Millions, " M"),
            "percent" => (Some(1), Scaling::Percent, " %"),
            _ => return Err(Error::unknown("", "number format", name, NumberFormat::NAMES)),
        };
        Ok(NumberFormat { decimals, scaling, after: after.into(), ..NumberFormat::default() })
    }

    fn changed(self, changes: Changes) -> NumberFormat {
        NumberFormat {
            decimals: changes.decimals.or(self.decimals),
            scaling: changes.scaling.unwrap_or(self.scaling),
            marks: changes.marks.unwrap_or(self.marks),
            point: changes.point.unwrap_or(self.point),
            before: changes.before.unwrap_or(self.before),
            after: changes.after.unwrap_or(self.after),
            negative: changes.negative.unwrap_or(self.negative),
            blank: changes.blank.unwrap_or(self.blank),
        }
    }
}

impl<'de> Keyed<'de> for NumberFormat {
    const WANTED: &'static str = "the name of a format, or a table";

    fn from_text(text: &str) -> Option<Result<NumberFormat, String>> {
        Some(NumberFormat::named(text).map_err(|error| error.to_string()))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<NumberFormat, D::Error> {
        use serde::de::Error;
        let changes = Changes::deserialize(deserializer)?;
        if changes.decimals.is_some_and(|decimals| decimals > 18) {
            return Err(D::Error::custom("decimals go from 0 to 18"));
        }
        let like = changes.like.as_deref().map_or(Ok(NumberFormat::default()), NumberFormat::named);
        Ok(like.map_err(D::Error::custom)?.changed(changes))
    }
}

keyed!(NumberFormat with its own forms);

impl Serialize for NumberFormat {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let ready = |name: &&&str| NumberFormat::named(name).is_ok_and(|ready| ready == *self);
        if let Some(name) = NumberFormat::NAMES.iter().find(ready) {
            return serializer.serialize_str(name);
        }
        let default = NumberFormat::default();
        let text = |own: &String, usual: &String| (own != usual).then(|| own.clone());
        let changes = Changes {
            like: None,
            decimals: self.decimals,
            scaling: (self.scaling != default.scaling).then_some(self.scaling),
            marks: text(&self.marks, &default.marks),
            point: text(&self.point, &default.point),
            before: text(&self.before, &default.before),
            after: text(&self.after, &default.after),
            negative: (self.negative != default.negative).then_some(self.negative),
            blank: text(&self.blank, &default.blank),
        };
        changes.serialize(serializer)
    }
}

/// The name of a ready-made format may stand in place of a table.
fn or_name(schema: &mut schemars::Schema) {
    let table = std::mem::take(schema);
    *schema = schemars::json_schema!({ "anyOf": [{ "enum": NumberFormat::NAMES }, table] });
}

impl JsonSchema for NumberFormat {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        Changes::schema_name()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        Changes::json_schema(generator)
    }
}
