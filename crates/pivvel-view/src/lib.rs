//! Cross-tabs drawn for people: on a terminal and as a page.
//!
//! A [`Sheet`] is the layout, decided once; [`draw_terminal`] and [`draw_page`] draw it. Nothing is
//! computed here: positions come from the core, and views turn them into colours.
//!
//! ```
//! use std::sync::Arc;
//! use arrow_array::{ArrayRef, Int64Array, RecordBatch, StringArray};
//! use pivvel_core::{Batches, Brief, CrossTab};
//! use pivvel_view::{Sheet, TerminalOptions, draw_terminal};
//!
//! let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
//! let quantity: ArrayRef = Arc::new(Int64Array::from(vec![3, 1_400, 5]));
//! let batch = RecordBatch::try_from_iter([("coast", coast), ("quantity", quantity)])?;
//! let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(quantity)"));
//! let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
//! let text = draw_terminal(&Sheet::new(&crosstab), &TerminalOptions::default());
//! assert!(text.contains("Skerry   1,400"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod colour;
mod number;
mod page;
mod sheet;
mod terminal;

pub use number::show_number;
pub use page::draw_page;
pub use sheet::{Head, LegendEntry, RowKind, Sheet, SheetCell, SheetColumn, SheetRow};
pub use terminal::{TerminalOptions, draw_terminal};
