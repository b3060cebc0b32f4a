//! Two results side by side, level by level: what is new, what is gone, what changed and by how much
//! among the changes of its own level, what moved in rank, and how much of a ratio's change comes from
//! the mix of its members and how much from the members' own ratios.

mod change;
mod mix;
mod ratio;
mod snapshot;
mod table;

pub use change::{Change, Comparison, LevelChange, State};
pub use mix::{MixPart, Mixed};
pub use ratio::{Ratio, with_ratios};
pub use snapshot::{Snapshot, SnapshotReader};
