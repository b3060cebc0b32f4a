//! Combinations of members that no line has, and that have cells all the same.

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::keyed::{Keyed, keyed, or_text};
use super::lists::{SomeTexts, some_texts};
use super::parts;
use super::words::words;

/// Dimensions each of whose members has a cell with whatever else occurs: a month without sales has its row, and so
/// has a client without any.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::FillBrief;
///
/// let brief = Brief::new()
///     .rows(["coast", "harbour"])
///     .columns(["sold_on.month"])
///     .fill(FillBrief::new("sold_on.month").last("2025-12"))
///     .fill(FillBrief::together(["coast", "harbour"]));
/// assert_eq!(brief.get_fill()[1].get_of(), ["coast", "harbour"]);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = or_text)]
pub struct FillBrief {
    /// The dimension. Of several, the combinations that the lines have are taken as one: a harbour with its coast.
    #[serde(deserialize_with = "some_texts")]
    #[schemars(with = "SomeTexts")]
    pub(crate) of: Vec<String>,
    /// Members that it has beside those of the lines.
    #[serde(default, deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) members: Vec<String>,
    /// The related table whose rows are its members, beside those of the lines.
    pub(crate) related: Option<String>,
    /// The first period, as `2025-01` (default: that of the lines).
    pub(crate) first: Option<String>,
    /// The last period (default: that of the lines).
    pub(crate) last: Option<String>,
}

words! {
    /// What a measure has in a cell without lines.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{Filled, MeasureBrief};
    ///
    /// // Nobody counted: that is not the same as none.
    /// let stock = MeasureBrief::new("stock", "sum(pieces)").fill(Filled::Blank);
    /// assert_eq!(stock.get_fill(), Some("blank".parse()?));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[non_exhaustive]
    pub enum Filled is "choice" {
        /// Zero.
        Zero = "zero",
        /// Nothing.
        Blank = "blank",
    }
}

words! {
    /// What cells without lines are on a scale.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{EmphasisBrief, FilledCells, Form};
    ///
    /// // The palest tint is that of the lowest sale, and not of a month without any.
    /// let tint = EmphasisBrief::new("sales", Form::Tint).filled(FilledCells::Apart);
    /// assert_eq!(tint.get_filled().name(), "apart");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum FilledCells is "choice" {
        /// Peers of the others.
        #[default]
        Peers = "peers",
        /// No peers of any: they have no place on the scale, and do not move its ends.
        Apart = "apart",
    }
}

impl<'de> Keyed<'de> for FillBrief {
    const WANTED: &'static str = "a dimension, or a table with `of`";

    fn from_text(text: &str) -> Option<Result<FillBrief, String>> {
        Some(Ok(FillBrief::new(text)))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<FillBrief, D::Error> {
        FillBrief::deserialize(deserializer)
    }
}

keyed!(FillBrief with its own forms);

/// Where there is but one dimension and nothing else, as its name.
impl Serialize for FillBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match &self.of[..] {
            [only] if *self == FillBrief::new(only.as_str()) => only.serialize(serializer),
            _ => FillBrief::serialize(self, serializer),
        }
    }
}

impl<T: Into<String>> From<T> for FillBrief {
    fn from(dimension: T) -> FillBrief {
        FillBrief::new(dimension)
    }
}

impl FillBrief {
    /// Fills a dimension: with its members of the lines, or with all periods from the first to the last of them.
    pub fn new(dimension: impl Into<String>) -> FillBrief {
        FillBrief { of: vec![dimension.into()], ..FillBrief::default() }
    }

    /// Fills several dimensions with those combinations that the lines have.
    pub fn together<S: Into<String>>(dimensions: impl IntoIterator<Item = S>) -> FillBrief {
        FillBrief { of: dimensions.into_iter().map(Into::into).collect(), ..FillBrief::default() }
    }

    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let FillBrief { of, members, related, first, last } = self;
        parts::names(of.iter_mut().chain(members), visit);
        parts::names(related.iter_mut().chain(first).chain(last), visit);
    }
}
