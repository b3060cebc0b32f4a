//! Tests of the crate through its public names, all in one program, which builds once.

#![allow(clippy::unwrap_used)]

mod appearance;
mod bounds;
mod charts;
mod drawing;
mod legends;
mod own_colours;
mod palettes;
mod random;
mod reports;
mod support;
