//! The cross-tab: every cell of every grain, with its axes, values and peers.

mod beside;
mod build;
mod cell;
mod doubts;
mod groups;
mod jobs;
mod marks;
mod notices;
mod run;
mod table;
mod trend;

pub(crate) use build::{Inside, opened};
pub use cell::Cell;
pub use groups::Groups;
pub(crate) use jobs::Job;
pub use run::Run;
pub use table::{CrossTab, View};
pub use trend::Trend;
