//! Cross-tabs as tables for computing on: tidy, a row a cell, or as shown.
//!
//! Tables are record batches. Exact numbers stay exact: as decimals where a column holds one measure, as
//! text beside binary floating point where a column holds several.

mod build;
mod cells;
mod coded;
mod column;
mod decisions;
mod dimension;
mod figures;
mod pools;
mod spec;
mod tidy;
mod wide;

pub use decisions::decision_columns;
pub(crate) use decisions::is_decision;
pub(crate) use dimension::LABEL;
pub(crate) use spec::exact_field;
pub use spec::{Shape, TABLE_VERSION, Table, TablePart, TableSpec};
pub(crate) use tidy::EXACT_COLUMN;
pub use tidy::{TIDY_COLUMNS, TidyRow, tidy, tidy_dimensions};
