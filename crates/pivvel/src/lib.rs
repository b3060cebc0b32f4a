//! Sales lines in, cross-tab out, every level on a scale of its own.
//!
//! ```
//! use pivvel::{Brief, CrossTab, ReadOptions, TextSource};
//!
//! let lines = "coast,harbour,amount\n\
//!              Fell,Pellam Quay,10.50\nFell,Ternhaven,2.05\nSkerry,Kittick,9.95\n";
//! let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
//! let brief = Brief::new().rows(["coast", "harbour"]).measure(("sales", "sum(amount)")).tint("sales");
//! let crosstab = CrossTab::build(&brief, &mut source)?;
//!
//! assert_eq!(crosstab.value(&[], &[], "sales").unwrap().to_string(), "22.50");
//! assert_eq!(crosstab.value(&["Fell"], &[], "sales").unwrap().to_string(), "12.55");
//! # Ok::<(), pivvel::Error>(())
//! ```
//!
//! # The way of the data
//!
//! A [`LineSource`] yields Arrow record batches: a [`TextSource`], or any [`Batches`] of your own.
//! A [`Brief`] says what is wanted, in names and formulas. [`CrossTab::build`] checks one against
//! the other, reads the lines once, and merges states upward into every grain. What comes out can
//! be walked ([`CrossTab::rows`], [`CrossTab::cells`]), looked up ([`CrossTab::value`]), computed on
//! ([`CrossTab::to_record_batch`], [`write_tidy_csv`]) and drawn ([`Layout`], [`draw_terminal`],
//! [`draw_page`]).
//!
//! # What holds
//!
//! - Sums of decimals and whole numbers are exact at every level, whatever the order of lines.
//! - Every scale belongs to one level: the peers of a cell are the cells of its measure at its own
//!   grain, so a total never makes its parts look small.
//! - A blank is not a zero, and nothing is left out unannounced.
//!
//! # How to
//!
//! Compute on the result:
//!
//! ```
//! # use pivvel::{Brief, CrossTab, ReadOptions, TextSource};
//! # let lines = "coast,amount\nFell,10.50\nSkerry,9.95\n";
//! # let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
//! let crosstab = CrossTab::build(&Brief::new().rows(["coast"]).measure(("sales", "sum(amount)")), &mut source)?;
//! for cell in crosstab.cells().filter(|cell| !cell.row().is_total()) {
//!     let coast = crosstab.rows().path(cell.row())[0].label();
//!     println!("{coast}: {}, position {:?}", cell.value(0).unwrap(), cell.position(0));
//! }
//! # Ok::<(), pivvel::Error>(())
//! ```
//!
//! Draw it:
//!
//! ```
//! # use pivvel::{Brief, CrossTab, ReadOptions, TextSource};
//! use pivvel::{Layout, TerminalOptions, draw_page, draw_terminal};
//! # let lines = "coast,amount\nFell,10.50\nSkerry,9.95\n";
//! # let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
//! # let crosstab = CrossTab::build(&Brief::new().rows(["coast"]).measure(("sales", "sum(amount)")), &mut source)?;
//! let sheet = Layout::new(&crosstab);
//! print!("{}", draw_terminal(&sheet, &TerminalOptions::default()));
//! assert!(draw_page(&crosstab).contains("<table"));
//! # Ok::<(), pivvel::Error>(())
//! ```
//!
//! Go down from a cell to its lines: [`Build::trace`] and [`Trace::lines`]; ask where a number comes from:
//! [`Build::explain`]. Take the result as a table of another shape: [`CrossTab::table`].
//!
//! Keep the brief as a file: [`brief_to_toml`] and [`brief_from_toml`]. Look at a file first:
//! [`Survey`]. Write files that are whole or not there: [`Target`].

#[cfg(feature = "workbook")]
mod book;
mod brief_file;
mod compare_files;
mod drawings;
mod files;
mod report_file;
mod schema;
mod story_json;
mod too_large;
mod yardstick_file;

pub use brief_file::{brief_from_toml, brief_schema, brief_to_toml, emphasis_keys, rewrite_brief};
pub use compare_files::read_tidy;
pub use files::{LevelFiles, Target, TargetOptions, beside, open_lines, open_source};
pub use pivvel_core::*;
pub use pivvel_io::*;
pub use pivvel_view::*;
pub use report_file::{ReportTarget, line_columns, read_lines};
pub use story_json::story_to_json;
pub use yardstick_file::{
    open_yardsticks, save_yardsticks, yardsticks_from_json, yardsticks_schema, yardsticks_to_json,
};
