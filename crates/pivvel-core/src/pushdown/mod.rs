//! Grouping by a database: the leaf groups of a plan as statements that return mergeable states, one
//! for the cells and one for each set of finer groups, and the answers taken as if they had been
//! scanned here.

mod answer;
mod sql;
mod statements;

pub(crate) use answer::answer;
pub(crate) use statements::{condition, counts, push};
