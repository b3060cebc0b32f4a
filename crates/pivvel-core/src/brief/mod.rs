//! What the analyst wants: the brief, and the plan that it becomes once checked against a
//! source's columns.

mod format;
mod layout;
mod plan;
mod spec;

pub use format::{Negative, NumberFormat, Scaling};
pub use layout::{Direction, Order, OrderBy, TintPlan};
pub(crate) use plan::{Aggregate, Function};
pub use plan::{Dimension, Measure, Plan};
pub use spec::{BadValues, Brief, DimensionBrief, EmphasisBrief, Form, MeasureBrief, Placement};
