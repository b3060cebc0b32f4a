//! The cross-tab: every cell of every grain, with its axes, values and peers.

mod build;
mod cell;
mod groups;
mod jobs;
mod marks;
mod run;
mod table;
mod trend;

pub use cell::Cell;
pub use groups::Groups;
pub use run::Run;
pub use table::{CrossTab, View};
pub use trend::Trend;
