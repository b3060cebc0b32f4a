//! Where Pivvel's sales lines come from and where its results go: one file for each source and
//! sink, each behind the core's [`LineSource`](pivvel_core::source::LineSource) or a plain writer.
//!
//! ```
//! use pivvel::{Brief, CrossTab};
//! use pivvel::source::{ReadOptions, TextSource};
//! use pivvel::table::write_tidy_csv;
//!
//! let lines = "coast,amount\nFell,10.50\nSkerry,9.95\nFell,2.05\n";
//! let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
//! let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
//! let mut out = Vec::new();
//! write_tidy_csv(&CrossTab::build(&brief, &mut source)?, &mut out)?;
//! assert!(String::from_utf8(out)?.contains("\nFell,coast,total,member,total,sales,12.55,2,"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

// What only some of the sources use is idle where those are left out.
#![cfg_attr(not(feature = "full"), allow(dead_code, unused_imports))]

#[cfg(feature = "arrow")]
mod arrow_ipc;
mod atomic;
mod bytes;
mod csv;
mod damaged;
mod features;
mod groups_file;
mod json_array;
mod json_lines;
mod kinds;
mod location;
mod open;
mod outputs;
#[cfg(feature = "parquet")]
mod parquet;
#[cfg(feature = "postgres")]
mod postgres;
#[cfg(any(feature = "postgres", feature = "sqlite"))]
mod rows;
mod several;
mod source;
#[cfg(feature = "sqlite")]
mod sqlite;
mod steady;
mod survey;
mod table;
mod text;
mod tidy_csv;
#[cfg(any(feature = "arrow", feature = "parquet"))]
mod typed;
#[cfg(feature = "workbook")]
mod workbook;

pub use atomic::{abandon_writing, write_whole};
pub use groups_file::{open_groups, save_groups};
pub use kinds::{ColumnKind, DateOrder, NumberStyle};
pub use open::open;
pub use outputs::check_outputs;
pub use source::{ReadOptions, Source, read_rows};
pub use survey::{ColumnSurvey, Survey, is_scenario};
pub use table::{
    EXACT, TableForm, TableOptions, TableSink, is_number, rows_as_texts, table_sink, write_table,
};
#[cfg(feature = "workbook")]
pub use table::{fill_sheet, new_workbook, number_of_day};
#[doc(hidden)]
pub use text::Chunk;
pub use text::{Column, TextSource};
pub use tidy_csv::write_tidy_csv;
