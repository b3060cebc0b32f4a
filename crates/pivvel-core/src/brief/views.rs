//! Views of the same lines beside the cross-tab.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::keyed::keyed;
use super::lists::{SomeTexts, Texts, some_texts, texts_if_any};
use super::parts;
use super::template::Template;
use super::words::words;
use crate::formula::Formula;

/// A view beside the cross-tab, drawn from the same lines in the same pass.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::{ViewBrief, ViewForm};
///
/// let by_month = ViewBrief::new(ViewForm::Line).rows(["coast"]).along("sold_on.month").measures(["sales"]);
/// assert_eq!(Brief::new().measure(("sales", "sum(amount)")).view(by_month).get_views().len(), 1);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", default, deny_unknown_fields)]
pub struct ViewBrief {
    /// The heading (default: made from the layout).
    pub(crate) title: Option<Template>,
    /// How it is drawn.
    #[serde(rename = "as")]
    pub(crate) form: ViewForm,
    /// Dimensions on its rows (default: the brief's own).
    #[serde(deserialize_with = "texts_if_any")]
    #[schemars(with = "Texts")]
    pub(crate) rows: Option<Vec<String>>,
    /// Dimensions on its columns; the brief's own for a cross-tab, and none else.
    #[serde(deserialize_with = "texts_if_any")]
    #[schemars(with = "Texts")]
    pub(crate) columns: Option<Vec<String>>,
    /// The condition that its lines must meet beside the brief's.
    #[serde(rename = "where")]
    pub(crate) filter: Option<Formula>,
    /// The measures that it shows, by name; all for a cross-tab, and else as many as it takes.
    #[serde(deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) measures: Vec<String>,
    /// The dimension of which each member gets a picture of its own.
    pub(crate) per: Option<String>,
    /// Whether these pictures share one scale, or each has its own.
    pub(crate) scale: PanelScale,
    /// The periods that lines go along.
    pub(crate) along: Option<String>,
    /// Where places stand on a grid: column and row by member, from 1.
    #[serde(with = "grid")]
    #[schemars(schema_with = "grid::schema")]
    pub(crate) grid: Vec<(String, (u32, u32))>,
}

words! {
    /// How a view is drawn.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{ViewBrief, ViewForm};
    ///
    /// assert_eq!(ViewBrief::new(ViewForm::Bars).get_form(), "bars".parse()?);
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum ViewForm is "form of a view" {
        /// As a cross-tab.
        #[default]
        Table = "table",
        /// As bars, one a member.
        Bars = "bars",
        /// As lines over periods, one a member.
        Line = "line",
        /// As a strip of points for each group: its members against their mean.
        Strip = "strip",
        /// As points: two measures of the same members against each other.
        Scatter = "scatter",
        /// As tiles on a grid: one or two measures by place.
        Tiles = "tiles",
    }
}

words! {
    /// What scale the pictures of a view have that are drawn one a member.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{PanelScale, ViewBrief, ViewForm};
    ///
    /// // A panel a coast; each fills its own height.
    /// let panels = ViewBrief::new(ViewForm::Bars).per("coast").scale(PanelScale::Own);
    /// assert_eq!(panels.get_scale().name(), "own");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum PanelScale is "choice" {
        /// All the same.
        #[default]
        Shared = "shared",
        /// Each its own.
        Own = "own",
    }
}

keyed!(ViewBrief);

impl ViewForm {
    /// How many measures it shows.
    pub(crate) fn measures(self) -> (usize, usize) {
        match self {
            ViewForm::Table => (0, usize::MAX),
            ViewForm::Bars | ViewForm::Line | ViewForm::Strip => (1, 1),
            ViewForm::Scatter => (2, 2),
            ViewForm::Tiles => (1, 2),
        }
    }
}

/// Places on a grid: column and row by member, no two at the same place.
mod grid {
    use schemars::{Schema, SchemaGenerator, json_schema};
    use serde::de::Error;
    use serde::{Deserializer, Serializer};

    type Places = Vec<(String, (u32, u32))>;

    pub(super) fn serialize<S: Serializer>(
        all: &[(String, (u32, u32))],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        crate::brief::lists::pairs::serialize(all, serializer)
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Places, D::Error> {
        let places: Places = crate::brief::lists::pairs::deserialize(deserializer)?;
        for (i, (member, place)) in places.iter().enumerate() {
            if ![place.0, place.1].iter().all(|at| (1..=100).contains(at)) {
                let message = format!("{member} stands at a column and a row from 1 to 100, as in [2, 1]");
                return Err(D::Error::custom(message));
            }
            if let Some((other, _)) = places[..i].iter().find(|(_, taken)| taken == place) {
                return Err(D::Error::custom(format!("{member} stands where {other} does")));
            }
        }
        Ok(places)
    }

    pub(super) fn schema(_: &mut SchemaGenerator) -> Schema {
        let number = json_schema!({ "type": "integer", "minimum": 1, "maximum": 100 });
        json_schema!({
            "type": "object",
            "additionalProperties": { "type": "array", "items": number, "minItems": 2, "maxItems": 2 }
        })
    }
}

impl ViewBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let ViewBrief { title, form: _, rows, columns, filter, measures, per, scale: _, along, grid } = self;
        parts::texts(title, visit);
        parts::names(rows.iter_mut().chain(columns).flatten(), visit);
        parts::formulas(filter, visit);
        parts::names(measures.iter_mut().chain(per).chain(along), visit);
        parts::names(grid.iter_mut().map(|(member, _)| member), visit);
    }
}
