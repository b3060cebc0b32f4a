//! Single dimensions: label, order, and which members are shown.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::amount::Amount;
use super::keyed::keyed;
use super::lists::{Named, SomeTexts, pairs, some_texts};
use super::order::{Order, OrderBy};
use super::parts;
use super::template::Template;
use super::words::words;
use crate::formula::Formula;

/// One dimension: its label, its order, and which members are shown.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Brief;
/// use pivvel::brief::DimensionBrief;
///
/// let harbour = DimensionBrief::new("harbour").label("Port").only(["Kittick", "Pellam Quay"]);
/// let brief = Brief::new().rows(["harbour"]).add_dimension(harbour);
/// let brief = brief.dimension("harbour", |harbour| harbour.label("Haven"));
/// assert_eq!(brief.get_dimensions()[0].get_only().len(), 2);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", default, deny_unknown_fields)]
pub struct DimensionBrief {
    /// The dimension as the layout names it.
    #[serde(skip)]
    pub(crate) name: String,
    /// Its heading (default: the name).
    pub(crate) label: Option<Template>,
    /// The order of its members: `label`, `calendar` or a formula over cells as `sales at scenario
    /// 'plan'`, then `asc` or `desc`; or a list of members, which come first.
    pub(crate) order: Option<Order>,
    /// Keeps the highest members only.
    pub(crate) top: Option<TopBrief>,
    /// Keeps the lowest members only.
    pub(crate) bottom: Option<TopBrief>,
    /// The condition on cells that members must meet, as in `sales > 10000`.
    pub(crate) having: Option<Formula>,
    /// The only members that are shown (default: all).
    #[serde(deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) only: Vec<String>,
    /// Members that are not shown.
    #[serde(deserialize_with = "some_texts", skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "SomeTexts")]
    pub(crate) except: Vec<String>,
    /// What totals cover where members are not shown.
    pub(crate) totals_of: TotalsOf,
    /// Labels that are shown instead of members' own.
    #[serde(with = "pairs")]
    #[schemars(with = "std::collections::BTreeMap<String, String>")]
    pub(crate) labels: Vec<(String, Template)>,
    /// Colours of members on pages and in charts, as CSS writes colours.
    #[serde(with = "pairs")]
    #[schemars(with = "std::collections::BTreeMap<String, String>")]
    pub(crate) colours: Vec<(String, String)>,
    /// The dimension whose colours its members have, where each of them has one member of it: articles in the colours
    /// of their range.
    pub(crate) colours_of: Option<String>,
}

/// Which members of a dimension are kept, by a measure.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(remote = "Self", deny_unknown_fields)]
pub struct TopBrief {
    /// How many, as a number, a share such as `20%`, or the name of an assumption.
    pub(crate) count: Amount,
    /// What they are ranked by: a measure, or a formula over cells.
    pub(crate) by: Formula,
    /// Whether they are ranked overall rather than within each parent.
    #[serde(default)]
    pub(crate) overall: bool,
    /// The label of the member that gathers the rest (default: the rest is dropped).
    pub(crate) others: Option<Template>,
}

words! {
    /// What totals cover where some members are not shown.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::brief::{DimensionBrief, TotalsOf};
    ///
    /// // Of the ten best: a total of these ten, rather than of all.
    /// assert_eq!(DimensionBrief::new("client").totals_of(TotalsOf::Shown).get_totals_of().name(), "shown");
    /// ```
    #[derive(Default)]
    #[non_exhaustive]
    pub enum TotalsOf is "choice" {
        /// Everything, shown or not.
        #[default]
        All = "all",
        /// What is shown.
        Shown = "shown",
    }
}

keyed!(DimensionBrief);
keyed!(TopBrief);

impl DimensionBrief {
    /// Which members are kept by a measure, and whether they are the lowest.
    pub(crate) fn kept(&self) -> Option<(&TopBrief, bool)> {
        let top = self.top.as_ref().map(|top| (top, false));
        top.or(self.bottom.as_ref().map(|bottom| (bottom, true)))
    }
}

impl Named for DimensionBrief {
    fn name(&self) -> &str {
        &self.name
    }

    fn set_name(&mut self, name: String) {
        self.name = name;
    }
}

impl DimensionBrief {
    pub(super) fn each_part(&mut self, visit: &mut parts::Visit<'_>) {
        let DimensionBrief {
            name,
            label,
            order,
            top,
            bottom,
            having,
            only,
            except,
            totals_of: _,
            labels,
            colours,
            colours_of,
        } = self;
        parts::names([name], visit);
        parts::texts(label, visit);
        match order {
            Some(Order { by: OrderBy::Members(members), direction: _ }) => parts::names(members, visit),
            Some(order) => visit(parts::Part::Order(order)),
            None => {}
        }
        for TopBrief { count, by, overall: _, others } in top.iter_mut().chain(bottom) {
            parts::amounts([count], visit);
            parts::formulas([by], visit);
            parts::texts(others, visit);
        }
        parts::formulas(having, visit);
        parts::names(only.iter_mut().chain(except), visit);
        for (member, label) in labels {
            parts::names([member], visit);
            parts::texts([label], visit);
        }
        for (member, colour) in colours {
            parts::names([member, colour], visit);
        }
        parts::names(colours_of, visit);
    }
}
