//! Cross-tabs drawn for people: on a terminal, as a page and as a picture.
//!
//! A [`Layout`] is the layout, decided once; [`draw_terminal`], [`draw_page`] and [`draw_svg`] draw it.
//! Nothing is computed here: positions come from the core, and views turn them into colours.
//!
//! ```
//! use std::sync::Arc;
//! use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
//! use pivvel::source::Batches;
//! use pivvel::{Brief, CrossTab};
//! use pivvel::draw::{Layout, TerminalOptions};
//! use pivvel::draw;
//!
//! let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
//! let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 1_400, 5]));
//! let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
//! let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(quantity)"));
//! let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
//! let text = draw::terminal(&Layout::new(&crosstab), &TerminalOptions::default());
//! assert!(text.contains("Skerry   1,400"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod appearance;
mod charts;
mod colour;
mod dress;
mod labels;
mod layout;
mod legend;
mod notes;
mod number;
mod own_colours;
mod page;
mod palette;
mod picture;
mod report;
mod signs;
mod terminal;
mod widths;

pub use appearance::{Appearance, Logo, Theme, Words};
pub use colour::Rgb;
pub use dress::{Bar, Dress, OnScale};
pub use layout::{Head, Layout, LayoutCell, LayoutColumn, LayoutRow, LayoutTrend, RowKind, TrendLine};
pub use legend::{LegendEntry, Sample, Swatch};
pub use number::{show_number, shown_decimals};
pub use own_colours::check_colours;
pub use page::{draw_page, draw_page_with_controls, draw_report_page};
pub use palette::{CATEGORIES, Ground, PALETTES, Paint, Palette, category, ink, paper, tone_sign};
#[cfg(feature = "png")]
pub use picture::draw_png;
pub use picture::draw_svg;
pub use report::{
    ChangeFormats, Report, ReportBars, ReportBranch, ReportPart, ReportStrip, ReportTable, report_changes,
    report_lines, report_story, summary_of_lines,
};
pub use signs::Symbol;
pub use terminal::{Colours, LineColumn, TerminalOptions, draw_lines, draw_report, draw_terminal};
