//! What the analyst wants: the brief, and the plan that it becomes once checked against a
//! source's columns.

mod aggregates;
mod assume;
mod blank;
mod cells;
mod emphasis;
mod emphasize;
mod format;
mod items;
mod layout;
mod opened;
mod plan;
mod rules;
mod spec;
mod tiers;
mod title;
mod unseen;
mod views;

pub use emphasis::{
    EmphasisBrief, Form, PALETTE_NAMES, PeersOf, RuleBrief, SYMBOL_NAMES, Side, TONE_NAMES, Unit, YardstickOf,
};
pub use emphasize::PlannedEmphasis;
pub(crate) use emphasize::{Middle, SCHEMES};
pub use format::{Negative, NumberFormat, Scaling};
pub use items::PlannedItem;
pub use layout::{Direction, Order, OrderBy};
pub(crate) use opened::check_opened;
pub(crate) use plan::{Choice, Count};
pub use plan::{Dimension, Measure, Pick, Plan};
pub use rules::PlannedRule;
pub use spec::{
    Assumed, AssumptionBrief, BadValues, Brief, DimensionBrief, ItemBrief, MeasureBrief, Placement,
    RelatedBrief, TierBrief, TopBrief, TotalsOf,
};
pub use tiers::PlannedTier;
pub(crate) use tiers::{AxisKey, TierKey};
pub(crate) use title::fill as fill_title;
pub use unseen::kinds_of_unseen;
pub use views::{ViewBrief, ViewForm};
