//! The computation behind Pivvel.
//!
//! ```
//! use std::sync::Arc;
//! use arrow_array::{ArrayRef, Decimal128Array, RecordBatch, StringArray};
//! use pivvel_core::{Batches, Brief, CrossTab};
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
//! [`LineSource`] → lines → leaf groups → roll-ups → derived measures and items → [`Peers`] →
//! [`CrossTab`] → emphasis → [`tidy()`] and the views. A [`Brief`] becomes a [`Plan`] against a
//! source's columns; a scan turns batches of lines into leaf groups with mergeable states; every
//! cell of every grain comes from merging these, never from adding shown numbers.
//!
//! This crate knows no file, socket, terminal, colour or clock.

mod aggregates;
mod brief;
mod compare;
mod crosstab;
mod drill;
mod emphasis;
mod error;
mod eval;
mod formula;
mod grouping;
mod lines;
mod model;
mod peers;
mod plan;
mod printable;
mod pushdown;
mod rollup;
mod suggest;
mod table;
mod watch;

pub use arrow_schema::Schema;
pub use brief::{
    Amount, Apply, AssumptionBrief, BadValues, Brief, DimensionBrief, Direction, EmphasisBrief, Figure, Form,
    ItemBrief, Level, MeanSide, MeasureBrief, Negative, NumberFormat, Order, OrderBy, PaletteName,
    PanelScale, PeersOf, Placement, Reach, RelatedBrief, RuleBrief, ScaleBy, Scaling, Show, Side, SymbolSet,
    Template, TierBrief, Tone, TopBrief, TotalsOf, Unit, ViewBrief, ViewForm, YardstickOf,
};
pub use compare::{
    Change, Comparison, LevelChange, MixPart, Mixed, Ratio, Snapshot, SnapshotReader, State, with_ratios,
};
pub use crosstab::{Build, Cell, CrossTab, Groups, Trend, View};
pub use drill::{
    Address, DateSpan, EmphasisStory, EntryStory, ItemOperand, ItemStory, LineOrder, LinesBehind, Operand,
    PeersStory, RuleStory, Story, Tied, TiedAggregate, TiedPart, Trace, WindowPart,
};
pub use emphasis::{Emphasis, Mark, Scale, Span};
pub use error::{Argument, Error, ErrorKind, ErrorPlace, Misfit, Result};
pub use formula::{
    Clause, Expr, Formula, Group, Name, Node, Operator, Place, ScalarFunction, Ties, parse as parse_formula,
    quote_name, scalar_functions,
};
pub use grouping::{ScanReport, UnknownText};
pub use lines::{
    Batches, Bound, Dialect, Dictionary, Guarded, IntoBatch, Limit, LineSource, Member, MemberId, Members,
    ReadProgress, Related, SqlColumn, SqlTable, Statement, Taker, Tally, Unmatched, usable_array,
    usable_schema, usable_type,
};
pub use model::{
    Audience, AxisSide, DatePart, Decimal, Grain, Kind, NO_WORD, NoDecimal, NoPeriod, Notice, NoticeCode,
    Period, TIME_ZONE, UNSEEN, Value, YES_WORD,
};
pub use peers::{KeptCount, KeptScale, KeptTop, Peers, Yardstick, Yardsticks};
pub use plan::{
    Dimension, Measure, Pick, Plan, PlannedEmphasis, PlannedItem, PlannedRule, PlannedTier, kinds_of_unseen,
};
pub use printable::{printable, printable_lines, without_secrets};
pub use rollup::{Axis, Entry, MemberRef};
pub use suggest::nearest;
pub use table::{
    Shape, TABLE_VERSION, TIDY_COLUMNS, Table, TablePart, TableSpec, TidyRow, tidy, tidy_dimensions,
};
pub use watch::{Cancel, Phase, Progress};
