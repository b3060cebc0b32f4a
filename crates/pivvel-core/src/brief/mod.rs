//! What is wanted, as data: from TOML, flags or Rust.
//!
//! A key of a brief stands in one place, as a field of one of these types: with its name, its type, its default and
//! a sentence. How it is read and written, the schema and the reference follow from there.

mod amount;
mod assumption;
mod dimension;
mod emphasis;
mod fill;
mod format;
mod formulas;
mod getters;
mod keyed;
mod level;
mod lists;
mod order;
mod page;
mod palette;
mod parts;
mod setters;
mod spec;
mod template;
mod totals;
mod views;
pub(crate) mod words;

pub use amount::Amount;
pub use assumption::AssumptionBrief;
pub use dimension::{DimensionBrief, TopBrief, TotalsOf};
pub use emphasis::{
    EmphasisBrief, Figure, Form, MeanSide, PeersOf, Reach, RuleBrief, ScaleBy, Show, Side, SymbolSet, Tone,
    Unit, YardstickOf,
};
pub use fill::{FillBrief, Filled, FilledCells};
pub use format::{Negative, NumberFormat, Scaling};
pub(crate) use formulas::NO_FORMULA;
pub use level::Level;
pub use order::{Direction, Order, OrderBy};
pub use page::{ControlBrief, PageBrief};
pub use palette::{PaletteBrief, PaletteName, PaletteOf};
pub(crate) use parts::Part;
pub use spec::{Apply, BadValues, Brief, ItemBrief, MeasureBrief, RelatedBrief, TierBrief};
pub use template::Template;
pub use totals::Placement;
pub use views::{PanelScale, ViewBrief, ViewForm};
