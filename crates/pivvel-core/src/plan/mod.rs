//! The plan: what a brief comes to over a source's columns, before any line is read. Data in `model`, and a file for
//! each topic.

mod aggregates;
mod assume;
mod blank;
mod build;
mod cells;
mod controls;
mod doubts;
mod emphasize;
mod fill;
mod fingerprint;
mod items;
mod layout;
mod model;
mod named;
mod opened;
mod rules;
mod statements;
mod tiers;
mod title;
mod unseen;
mod views;

pub(crate) use assume::is_same;
pub(crate) use controls::check_variants;
pub(crate) use emphasize::SCHEMES;
pub(crate) use model::{
    AxisKey, BoundsOf, Choice, Count, Family, FillWith, Middle, PlannedFill, TierKey, YardstickSpec,
};
pub use model::{
    Choices, Dimension, Measure, Pick, Plan, PlannedControl, PlannedEmphasis, PlannedItem, PlannedRule,
    PlannedTier,
};
pub(crate) use opened::check_opened;
pub(crate) use title::fill as fill_title;
pub use unseen::kinds_of_unseen;
