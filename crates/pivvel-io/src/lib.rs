//! Where Pivvel's sales lines come from and where its results go: one file for each source and
//! sink, each behind the core's [`LineSource`](pivvel_core::LineSource) or a plain writer.
//!
//! ```
//! use pivvel_core::{Brief, CrossTab};
//! use pivvel_io::{CsvOptions, CsvSource, write_tidy_csv};
//!
//! let lines = "coast,amount\nFell,10.50\nSkerry,9.95\nFell,2.05\n";
//! let mut source = CsvSource::from_reader("lines", lines.as_bytes(), CsvOptions::default())?;
//! let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
//! let mut out = Vec::new();
//! write_tidy_csv(&CrossTab::build(&brief, &mut source)?, &mut out)?;
//! assert!(String::from_utf8(out)?.contains("\nFell,coast,total,member,total,sales,12.55,2,"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod atomic;
mod csv;
mod kinds;
mod survey;
mod text;
mod tidy_csv;

pub use atomic::write_whole;
pub use csv::{CsvOptions, CsvSource};
pub use kinds::{ColumnKind, DateOrder, NumberStyle};
pub use survey::{ColumnSurvey, Survey};
pub use text::Column;
pub use tidy_csv::write_tidy_csv;
