//! Lines to leaf groups: one pass, a column at a time, states that merge.
//!
//! Leaf groups are the seam that everything meets at: whatever delivers them, all that comes
//! after is one code path.

mod filter;
mod finer;
mod finer_groups;
mod finer_table;
mod group_cache;
mod hashed_pairs;
mod kept;
mod key_sets;
mod keys;
mod leaf;
mod lists;
mod nest;
mod pairs;
mod sieve;
mod spec;
mod states;
mod totals;
mod watch;

pub(crate) use filter::keep;
pub(crate) use keys::AxisPaths;
pub use leaf::ScanReport;
pub(crate) use leaf::{Crowd, LeafGroups, Moved, Scan};
pub(crate) use pairs::{NOWHERE, PairTable};
pub(crate) use sieve::{Sieve, WantedPaths};
pub(crate) use spec::{Aggregate, Finer, Grouping, Key, LineValue, keep_value};
pub(crate) use states::{States, ValueColumns};
pub use watch::UnknownText;
