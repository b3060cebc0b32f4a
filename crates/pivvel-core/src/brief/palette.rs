//! Palettes: those that there are, and those of a brief's own. What a colour is, views know.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::keyed::{Keyed, keyed, or_text};
use super::lists::Named;
use super::parts;
use super::words::{as_text, schema, words};

words! {
    /// The palettes by name. What they look like is a matter of views.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, Form, PaletteName};
    ///
    /// let tint = EmphasisBrief::new("margin", Form::Tint).palette(PaletteName::Shore);
    /// assert_eq!(tint.get_palette(), Some(&PaletteName::Shore.into()));
    /// assert_eq!("shor".parse::<PaletteName>().unwrap_err().to_string(), "unknown palette \"shor\"; did you mean \"shore\"?");
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum PaletteName is "palette" {
        /// One hue, blue.
        Water = "water",
        /// One hue, yellow.
        Sand = "sand",
        /// One hue, purple.
        Heather = "heather",
        /// One hue, green.
        Kelp = "kelp",
        /// One hue, orange.
        Rust = "rust",
        /// Grey.
        Slate = "slate",
        /// Two hues about a middle, orange and blue.
        Shore = "shore",
        /// Two hues about a middle, yellow and violet.
        Dusk = "dusk",
        /// Two hues about a middle, red and blue.
        Moor = "moor",
    }
}

/// A palette: one that there is, or one of the brief's own.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::{EmphasisBrief, Form, PaletteBrief, PaletteOf};
///
/// let brief = Brief::new()
///     .palette(PaletteBrief::new("house", "rebeccapurple"))
///     .emphasize(EmphasisBrief::new("sales", Form::Tint).palette("house"));
/// assert_eq!(brief.get_emphasis()[0].get_palette(), Some(&PaletteOf::Own("house".into())));
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum PaletteOf {
    /// One that there is.
    Named(PaletteName),
    /// One of the brief's own, by its name.
    Own(String),
}

impl PaletteOf {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let mut name = self.to_string();
        parts::names([&mut name], visit);
        *self = name.as_str().into();
    }
}

impl From<PaletteName> for PaletteOf {
    fn from(name: PaletteName) -> PaletteOf {
        PaletteOf::Named(name)
    }
}

impl From<&str> for PaletteOf {
    fn from(name: &str) -> PaletteOf {
        name.parse().map_or_else(|_| PaletteOf::Own(name.to_string()), PaletteOf::Named)
    }
}

impl FromStr for PaletteOf {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<PaletteOf, Infallible> {
        Ok(text.into())
    }
}

impl fmt::Display for PaletteOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            PaletteOf::Named(name) => name.fmt(f),
            PaletteOf::Own(name) => f.write_str(name),
        }
    }
}

as_text!(PaletteOf is "a palette");
schema!(PaletteOf is {
    "anyOf": [
        { "enum": PaletteName::NAMES.iter().map(|(name, _)| *name).collect::<Vec<_>>() },
        { "type": "string" }
    ]
});

/// A palette of the brief's own. Of each colour the hue and the strength are taken: lightness says how high a value is.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::PaletteBrief;
///
/// // About a middle it has two ends.
/// let house = PaletteBrief::new("house", "#0a7").low("#a20");
/// assert_eq!((house.get_low(), house.get_high()), (Some("#a20"), "#0a7"));
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = or_text)]
pub struct PaletteBrief {
    /// Its name.
    #[serde(skip)]
    pub(crate) name: String,
    /// The colour of the high end, as CSS writes colours.
    pub(crate) high: String,
    /// The colour of the low end, for scales about a middle.
    pub(crate) low: Option<String>,
}

impl<'de> Keyed<'de> for PaletteBrief {
    const WANTED: &'static str = "a colour, or a table with `high`";

    fn from_text(text: &str) -> Option<Result<PaletteBrief, String>> {
        Some(Ok(PaletteBrief::new("", text)))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<PaletteBrief, D::Error> {
        PaletteBrief::deserialize(deserializer)
    }
}

keyed!(PaletteBrief with its own forms);

/// A palette of one colour is written as that colour.
impl Serialize for PaletteBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.low {
            None => self.high.serialize(serializer),
            Some(_) => PaletteBrief::serialize(self, serializer),
        }
    }
}

impl Named for PaletteBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl PaletteBrief {
    /// A palette from pale to this colour.
    pub fn new(name: impl Into<String>, high: impl Into<String>) -> PaletteBrief {
        PaletteBrief { name: name.into(), high: high.into(), low: None }
    }

    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let PaletteBrief { name: _, high, low } = self;
        parts::names(std::iter::once(high).chain(low), visit);
    }
}
