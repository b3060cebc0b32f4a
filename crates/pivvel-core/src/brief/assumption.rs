//! Assumptions: named values that formulas and texts may hold.

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::amount::Amount;
use super::keyed::{Keyed, keyed, or_value};
use super::lists::{Named, some};

/// A named what-if value.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::AssumptionBrief;
///
/// let uplift = AssumptionBrief::new("uplift", "5%").low("0%").high("20%");
/// let brief = Brief::new().assumption(uplift).measure(("next", "sum(amount) * (1 + uplift)"));
/// assert_eq!(brief.get_assumptions()[0].get_value().to_string(), "5%");
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
#[schemars(transform = or_value)]
pub struct AssumptionBrief {
    /// The name that formulas and texts use.
    #[serde(skip)]
    pub(crate) name: String,
    /// The value by default, as in `4%` or `12.5`.
    pub(crate) value: Amount,
    /// The lowest number that makes sense.
    pub(crate) low: Option<Amount>,
    /// The highest number that makes sense.
    pub(crate) high: Option<Amount>,
    /// How far the values lie apart that a page offers from the lowest to the highest.
    pub(crate) step: Option<Amount>,
    /// The only values that make sense, where there are few.
    #[serde(default, deserialize_with = "some", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<Amount>", length(min = 1))]
    pub(crate) choices: Vec<Amount>,
}

impl Named for AssumptionBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl<'de> Keyed<'de> for AssumptionBrief {
    const WANTED: &'static str = "a value, or a table with one";
    const NUMBERS: bool = true;

    fn from_text(text: &str) -> Option<Result<AssumptionBrief, String>> {
        Some(Ok(AssumptionBrief { value: text.into(), ..AssumptionBrief::default() }))
    }

    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<AssumptionBrief, D::Error> {
        AssumptionBrief::deserialize(deserializer)
    }
}

keyed!(AssumptionBrief with its own forms);

impl Serialize for AssumptionBrief {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        AssumptionBrief::serialize(self, serializer)
    }
}
