//! What the analyst wants: the brief, and the plan that it becomes once checked against a
//! source's columns.

mod aggregates;
mod assume;
mod blank;
mod cells;
mod format;
mod items;
mod layout;
mod plan;
mod spec;
mod tiers;

pub use format::{Negative, NumberFormat, Scaling};
pub use items::PlannedItem;
pub use layout::{Direction, Order, OrderBy, TintPlan};
pub(crate) use plan::Count;
pub use plan::{Dimension, Measure, Pick, Plan};
pub use spec::{
    Assumed, AssumptionBrief, BadValues, Brief, DimensionBrief, EmphasisBrief, Form, ItemBrief, MeasureBrief,
    Placement, RelatedBrief, TierBrief, TopBrief, TotalsOf,
};
pub use tiers::PlannedTier;
pub(crate) use tiers::{AxisKey, TierKey};
