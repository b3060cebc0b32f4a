//! Tests of the core through its public names, all in one program, which builds once.

#![allow(clippy::unwrap_used)]

mod addresses;
mod arithmetic;
mod arrays;
mod arrow_types;
mod behind;
mod cancel;
mod conditions;
mod controls;
mod deliveries;
mod digits;
mod families;
mod fill;
mod finer;
mod formulas;
mod group_bytes;
mod groups;
mod lookup;
mod made;
mod many_cells;
mod members;
mod names;
mod orders;
mod picks;
mod related;
mod scales;
mod sizes;
mod sources;
mod states;
mod structure;
mod support;
mod wrong;
