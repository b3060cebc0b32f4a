//! The library through its public interface, against references that know nothing of it.

#![allow(clippy::unwrap_used)]

mod answers;
mod behind;
mod briefs;
mod calendar;
mod cases;
mod compare;
mod demo;
mod dependencies;
mod derived;
mod draw;
mod edges;
mod emphasis;
mod estimates;
mod examples;
#[cfg(feature = "full")]
mod face;
mod faults;
#[cfg(feature = "full")]
mod fill;
mod forms;
mod lines;
mod mentions;
mod metamorphic;
mod missing;
#[cfg(feature = "full")]
mod mutations;
mod naive;
mod notices;
mod pictures;
mod postgres;
mod properties;
mod random;
mod related;
mod rewriting;
mod schemas;
mod server;
mod service;

#[cfg(feature = "full")]
mod sharded;
#[cfg(feature = "full")]
mod sources;
mod splitting;
mod spreadsheets;
mod surveys;
#[cfg(feature = "full")]
mod tables;
#[cfg(feature = "full")]
mod targets;
mod values;
mod workbooks;
