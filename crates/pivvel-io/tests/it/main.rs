//! Tests of the crate through its public names, all in one program, which builds once.

#![allow(clippy::unwrap_used)]

mod csv;
mod digits;
mod evidence;
mod kinds;
mod packed;
#[cfg(feature = "parquet")]
mod parquet;
mod tables;
mod texts;
