//! Lines to leaf groups: one pass, a column at a time, states that merge.
//!
//! Leaf groups are the seam that everything meets at: whatever delivers them, all that comes
//! after is one code path.

mod exact_float;
mod leaf;
mod pairs;
mod states;
mod value;

pub(crate) use leaf::AxisPaths;
pub use leaf::{LeafGroups, Scan, ScanReport};
pub(crate) use pairs::PairTable;
pub(crate) use states::{Needs, States};
pub use value::Value;
