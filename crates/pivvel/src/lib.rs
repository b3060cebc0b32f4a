//! Sales lines in, cross-tab out, every level on a scale of its own.
//!
//! ```
//! use pivvel::source::{ReadOptions, TextSource};
//! use pivvel::{Brief, CrossTab};
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
//! A source yields Arrow record batches: a file or a database that [`source::open`] opens, or any
//! [`Batches`](source::Batches) of your own. A [`Brief`] says what is wanted, in names and formulas.
//! [`CrossTab::build`] checks one against the other, reads the lines once, and merges states upward into every
//! grain; [`Build`] does the same with threads, a limit of memory, progress, and a way to cancel. What comes out can
//! be walked ([`CrossTab::rows`], [`CrossTab::cells`]), looked up ([`CrossTab::value`]), computed on
//! ([`CrossTab::to_record_batch`], [`table`]) and drawn ([`draw`]).
//!
//! | module | what it is for |
//! | --- | --- |
//! | [`brief`] | what is wanted, in all its parts, and as TOML |
//! | [`formula`] | formulas as text and as trees |
//! | [`source`] | where lines come from: files, databases, batches, a first look at them |
//! | [`plan`] | a brief that was checked against columns |
//! | [`result`] | what is in a cross-tab; groups and yardsticks that are kept |
//! | [`table`] | results as tables and files |
//! | [`drill`] | the lines behind a cell, the story of one number |
//! | [`compare`] | two results side by side |
//! | [`draw`] | terminal, page, pictures |
//! | [`error`] | the parts of an [`Error`] |
//! | [`arrow`] | the Arrow crates in the version that is used here |
//! | [`guide`] | how to use all of this, from the tutorial to every key of a brief |
//!
//! # What holds
//!
//! - Sums of decimals and whole numbers are exact at every level, whatever the order of lines.
//! - Every scale belongs to one level: the peers of a cell are the cells of its measure at its own
//!   grain, so a total never makes its parts look small.
//! - A blank is not a zero, and nothing is left out unannounced: see [`CrossTab::notices`].
//!
//! # How to
//!
//! Compute on the result:
//!
//! ```
//! # use pivvel::source::{ReadOptions, TextSource};
//! # use pivvel::{Brief, CrossTab};
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
//! # use pivvel::source::{ReadOptions, TextSource};
//! # use pivvel::{Brief, CrossTab};
//! use pivvel::draw;
//! # let lines = "coast,amount\nFell,10.50\nSkerry,9.95\n";
//! # let mut source = TextSource::from_reader("lines", lines.as_bytes(), &ReadOptions::default())?;
//! # let crosstab = CrossTab::build(&Brief::new().rows(["coast"]).measure(("sales", "sum(amount)")), &mut source)?;
//! let layout = draw::Layout::new(&crosstab);
//! print!("{}", draw::terminal(&layout, &draw::TerminalOptions::default()));
//! assert!(draw::page(&crosstab).contains("<table"));
//! # Ok::<(), pivvel::Error>(())
//! ```
//!
//! Go down from a cell to its lines: [`Build::trace`] and [`drill::Trace::lines`]; ask where a number comes from:
//! [`Build::explain`]. Take the result as a table of another shape: [`CrossTab::table`].
//!
//! Keep the brief as a file: [`brief::to_toml`] and [`brief::from_toml`]. Look at a file first:
//! [`source::Survey`]. Write files that are whole or not there: [`table::Target`]. Let several workers read a part
//! each: [`Build::groups`] and [`Build::from_groups`].
//!
//! # Features
//!
//! None is on by default: reading CSV and JSON and writing CSV, JSON, Markdown, pages and SVG need none. `parquet`, `arrow`, `workbook`,
//! `sqlite`, `postgres` and `zstd` read and write what they are named after, `png` draws pictures of dots, and `full`
//! is all of them.

mod appearance_file;
#[cfg(feature = "workbook")]
mod book;
mod brief_file;
mod compare_files;
mod drawings;
mod files;
pub mod guide;
mod report_file;
mod schema;
mod story_json;
mod too_large;
mod yardstick_file;

pub use pivvel_core::{
    Brief, Build, Cancel, CrossTab, Decimal, Error, ErrorKind, Notice, Result, Value, error, formula, plan,
    text,
};

/// What is wanted: the parts of a [`Brief`], and briefs as TOML.
pub mod brief {
    pub use pivvel_core::brief::{
        Amount, Apply, AssumptionBrief, BadValues, Brief, ControlBrief, DimensionBrief, Direction,
        EmphasisBrief, Figure, FillBrief, Filled, FilledCells, Form, ItemBrief, Level, MeanSide,
        MeasureBrief, Negative, NumberFormat, Order, OrderBy, PageBrief, PaletteBrief, PaletteName,
        PaletteOf, PanelScale, PeersOf, Placement, Reach, RelatedBrief, RuleBrief, ScaleBy, Scaling, Show,
        Side, SymbolSet, Template, TierBrief, Tone, TopBrief, TotalsOf, Unit, ViewBrief, ViewForm,
        YardstickOf,
    };

    pub use crate::brief_file::{
        drop_emphasis, emphasis_keys, from_toml, rewrite, schema, set_emphasis, set_rule, to_toml,
    };
}

/// Where lines come from: files, databases, record batches, and sources of one's own.
pub mod source {
    pub use pivvel_core::source::{
        Batches, Bound, Dialect, Guarded, IntoBatch, Kind, Limit, LineSource, NO_WORD, Pushdown,
        ReadProgress, Related, Schema, SqlColumn, SqlTable, Statement, TIME_ZONE, Taker, Tally, UNSEEN,
        Unmatched, YES_WORD, usable_array, usable_schema, usable_type,
    };
    #[doc(hidden)]
    pub use pivvel_io::Chunk;
    pub use pivvel_io::{
        Column, ColumnKind, ColumnSurvey, DateOrder, NumberStyle, ReadOptions, Source, Survey, TextSource,
        is_scenario, open, read_rows,
    };

    pub use crate::files::{open_lines, open_source};
}

/// What is in a cross-tab: axes and their members, cells, peers with their yardsticks, marks, notices; and what is
/// kept for later: groups and yardsticks.
pub mod result {
    pub use pivvel_core::result::{
        Audience, Axis, AxisSide, Cell, Choice, ColumnEntry, Columns, Control, DatePart, Dictionary,
        Emphasis, Entry, EntryKind, Grain, Groups, KeptCount, KeptScale, KeptTop, Mark, Member, MemberId,
        MemberRef, Members, NoDecimal, NoName, NoPeriod, NoticeCode, OfAxis, Peers, Period, Phase, Progress,
        RowEntry, Rows, Scale, ScanReport, Span, Trend, UnknownText, Variants, View, Yardstick, Yardsticks,
    };
    pub use pivvel_io::{open_groups, save_groups};

    pub use crate::yardstick_file::{
        open_yardsticks, save_yardsticks, yardsticks_from_json, yardsticks_schema, yardsticks_to_json,
    };
}

/// Results as tables and files: the tidy result and other shapes, in every form of file.
pub mod table {
    pub use pivvel_core::table::{
        Shape, TABLE_VERSION, TIDY_COLUMNS, Table, TablePart, TableSpec, TidyRow, decision_columns, tidy,
        tidy_dimensions,
    };
    pub use pivvel_io::{
        EXACT, TableForm, TableOptions, TableSink, abandon_writing, check_outputs, is_number, rows_as_texts,
        table_sink, write_table, write_tidy_csv, write_whole,
    };
    #[cfg(feature = "workbook")]
    pub use pivvel_io::{fill_sheet, new_workbook};

    pub use crate::files::{LevelFiles, Target, TargetOptions, beside};
}

/// From a cell down to its lines, and the story of one number.
pub mod drill {
    pub use pivvel_core::drill::{
        Address, DateSpan, EmphasisStory, EntryStory, ItemOperand, ItemStory, LineOrder, LinesBehind,
        Operand, PartStory, PartsStory, PeersStory, RuleStory, Story, Tied, TiedAggregate, TiedPart, Trace,
        WindowPart,
    };

    pub use crate::report_file::{ReportTarget, line_columns, read_lines};
    pub use crate::story_json::story_to_json;
}

/// Two results side by side.
pub mod compare {
    pub use pivvel_core::compare::{
        Change, Comparison, LevelChange, MixPart, Mixed, Ratio, Snapshot, SnapshotReader, State, with_ratios,
    };

    pub use crate::compare_files::read_tidy;
}

/// Cross-tabs and reports drawn for people: in a terminal, as a page, as a picture.
pub mod draw {
    #[cfg(feature = "png")]
    pub use pivvel_view::draw_png as png;
    pub use pivvel_view::{
        Appearance, Bar, CATEGORIES, ChangeFormats, Colours, Dress, Ground, Head, Layout, LayoutCell,
        LayoutColumn, LayoutRow, LayoutTrend, LegendEntry, LineColumn, Logo, OnScale, PALETTES, Paint,
        Palette, Report, ReportBars, ReportBranch, ReportPart, ReportStrip, ReportTable, Rgb, RowKind,
        Sample, Swatch, Symbol, TerminalOptions, Theme, TrendLine, Words, category, check_colours,
        draw_lines as lines, draw_page as page, draw_page_with_controls as page_with_controls,
        draw_report as report, draw_report_page as report_page, draw_svg as svg, draw_terminal as terminal,
        ink, paper, report_changes, report_lines, report_story, show_number, shown_decimals,
        summary_of_lines, tone_sign,
    };

    pub use crate::appearance_file::{appearance_from_toml, open_appearance};
}

/// The Arrow crates that record batches are made and read with, in the version that this crate uses.
pub mod arrow {
    pub use arrow_array as array;
    pub use arrow_array::RecordBatch;
    pub use arrow_schema as schema;
}
