//! The computation behind Pivvel.
//!
//! ```
//! use std::sync::Arc;
//! use arrow_array::{ArrayRef, Decimal128Array, RecordBatch, StringArray};
//! # use pivvel_core as pivvel;
//! use pivvel::source::Batches;
//! use pivvel::{Brief, CrossTab};
//!
//! let coast: ArrayRef = Arc::new(StringArray::from(vec!["Fell", "Skerry", "Fell"]));
//! let amount = Decimal128Array::from(vec![1050, 995, 205]).with_precision_and_scale(9, 2)?;
//! let batch = RecordBatch::try_from_iter([("coast", coast), ("amount", Arc::new(amount) as ArrayRef)])?;
//! let brief = Brief::new().rows(["coast"]).measure(("sales", "sum(amount)"));
//! let crosstab = CrossTab::build(&brief, &mut Batches::new(batch.schema(), [batch]))?;
//! assert_eq!(crosstab.value(&[], &[], "sales").unwrap().to_string(), "22.50");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Data flows one way, and each module imports only earlier ones:
//!
//! [`LineSource`](source::LineSource) → lines → leaf groups → roll-ups → derived measures and items → [`Peers`](result::Peers) →
//! [`CrossTab`] → emphasis → [`tidy()`](table::tidy) and the views. A [`Brief`] becomes a [`Plan`](plan::Plan) against a
//! source's columns; a scan turns batches of lines into leaf groups with mergeable states; every
//! cell of every grain comes from merging these, never from adding shown numbers.
//!
//! This crate knows no file, socket, terminal, colour or clock.

mod aggregates;
pub mod brief;
pub mod compare;
mod crosstab;
pub mod drill;
mod emphasis;
pub mod error;
mod eval;
pub mod formula;
mod getters;
mod grouping;
mod lines;
mod model;
#[doc(hidden)]
pub mod named;
mod peers;
pub mod plan;
mod printable;
mod pushdown;
mod rollup;
mod setters;
mod suggest;
pub mod table;
mod watch;

pub use brief::Brief;
pub use crosstab::{Build, CrossTab};
pub use error::{Error, ErrorKind, Result};
pub use model::{Decimal, Notice, Value};
pub use watch::Cancel;

/// Where lines come from: record batches, databases, and what a source of one's own says of itself.
pub mod source {
    pub use arrow_schema::Schema;

    pub use crate::lines::{
        Batches, Bound, Dialect, Guarded, IntoBatch, Limit, LineSource, Pushdown, ReadProgress, Related,
        SqlColumn, SqlTable, Statement, Taker, Tally, Unmatched, usable_array, usable_schema, usable_type,
    };
    pub use crate::model::{Kind, NO_WORD, TIME_ZONE, UNSEEN, YES_WORD};
}

/// What is in a cross-tab: axes and their members, cells, peers with their yardsticks, marks, notices; and groups that
/// are kept.
pub mod result {
    pub use crate::crosstab::{Cell, Choice, Control, Groups, Trend, Variants, View};
    pub use crate::emphasis::{Emphasis, Mark, Scale, Span};
    pub use crate::grouping::{ScanReport, UnknownText};
    pub use crate::lines::{Dictionary, Member, MemberId, Members};
    pub use crate::model::{Audience, AxisSide, DatePart, Grain, NoDecimal, NoPeriod, NoticeCode, Period};
    pub use crate::named::NoName;
    pub use crate::peers::{KeptCount, KeptScale, KeptTop, Peers, Yardstick, Yardsticks};
    pub use crate::rollup::{
        Axis, ColumnEntry, Columns, Entry, EntryKind, MemberRef, OfAxis, RowEntry, Rows,
    };
    pub use crate::watch::{Phase, Progress};
}

/// Texts for people: what steers no terminal and shows no password, and the nearest known name.
pub mod text {
    pub use crate::model::{Part, Sentence, with_marks};
    pub use crate::printable::{printable, printable_lines, without_secrets};
    pub use crate::suggest::nearest;
}
