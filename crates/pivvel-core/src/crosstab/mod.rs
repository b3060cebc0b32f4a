//! The cross-tab: every cell of every grain, with its axes, values and peers.

mod assemble;
mod beside;
mod build;
mod cell;
mod doubts;
mod families;
mod groups;
mod jobs;
mod lookup;
mod marks;
mod notices;
mod table;
mod trend;
mod variants;

pub(crate) use assemble::{Inside, opened};
pub use build::Build;
pub use cell::Cell;
pub use groups::Groups;
pub(crate) use jobs::Job;
pub use table::{CrossTab, View};
pub use trend::Trend;
pub use variants::{Choice, Control, Variants};
