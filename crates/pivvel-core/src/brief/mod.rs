//! What is wanted, as data: from TOML, flags or Rust.

mod assumption;
mod emphasis;
mod format;
mod spec;
mod views;

pub use assumption::{Assumed, AssumptionBrief};
pub use emphasis::{
    EmphasisBrief, Form, PALETTE_NAMES, PeersOf, RuleBrief, SYMBOL_NAMES, Side, TONE_NAMES, Unit, YardstickOf,
};
pub use format::{Negative, NumberFormat, Scaling};
pub use spec::{
    BadValues, Brief, DimensionBrief, ItemBrief, MeasureBrief, Placement, RelatedBrief, TierBrief, TopBrief,
    TotalsOf,
};
pub use views::{ViewBrief, ViewForm};
