//! Tests of the crate through its public names, all in one program, which builds once.

#![allow(clippy::unwrap_used)]

mod csv;
mod digits;
mod evidence;
mod kinds;
mod packed;
mod tables;
mod texts;
