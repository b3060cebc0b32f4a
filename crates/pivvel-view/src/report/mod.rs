//! Reports: of a cell, of its lines and of changes, in sentences and plain tables. A report
//! says the same on a terminal and as a page.

mod change;
mod lines;
mod mix;
mod story;

pub use change::ChangeFormats;
pub(crate) use change::report as changes;
pub(crate) use lines::{report as lines, summary as lines_summary};
use pivvel_core::Value;
use pivvel_core::brief::NumberFormat;
use pivvel_core::compare::Comparison;
use pivvel_core::drill::{LinesBehind, Story, Tied};
use pivvel_core::text::Sentence;
pub(crate) use story::report as story;

use crate::appearance::{Appearance, Words};
use crate::terminal::LineColumn;

/// The story of one number as a report. [`Appearance::story`] is the same in another language.
pub fn report_story(of: &Story) -> Report {
    Appearance::new().story(of)
}

/// The lines behind a cell with what they add up to, as a report. [`Appearance::lines`] is the same in another language.
pub fn report_lines(
    wanted: &LinesBehind,
    tied: &Tied,
    columns: Vec<LineColumn>,
    rows: Vec<Vec<String>>,
) -> Report {
    Appearance::new().lines(wanted, tied, columns, rows)
}

/// What the lines behind a cell add up to, in sentences, each with how many steps it stands in. [`Appearance::lines_summary`] is the
/// same in another language.
pub fn summary_of_lines(wanted: &LinesBehind, tied: &Tied) -> Vec<(usize, String)> {
    Appearance::new().lines_summary(wanted, tied)
}

/// A comparison as a report: the members that came and went, the changes level by level with the largest
/// first, and the change of ratios taken apart. [`Appearance::changes`] is the same in another language.
pub fn report_changes(comparison: &Comparison, title: String, formats: &ChangeFormats) -> Report {
    Appearance::new().changes(comparison, title, formats)
}

/// Sentences and tables under a title.
///
/// ```
/// use pivvel::draw::{Report, ReportPart, report_page};
///
/// let report = Report::new("May", vec![ReportPart::Heading("Coasts".into())]);
/// assert!(report_page(&report).contains("Coasts"));
/// ```
#[derive(Debug, Clone, Default, PartialEq)]
#[non_exhaustive]
pub struct Report {
    pub(crate) title: String,
    pub(crate) parts: Vec<ReportPart>,
    /// The words and colours that it is drawn in.
    pub(crate) appearance: Appearance,
}

pivvel_core::getters! {
    Report {
        /// The title.
        title: &str,
        /// Its parts, in order.
        parts: &[ReportPart],
    }
}

impl Report {
    /// A report of parts under a title, in English.
    pub fn new(title: impl Into<String>, parts: Vec<ReportPart>) -> Report {
        Report::of(title.into(), parts, &Appearance::new())
    }

    pub(crate) fn of(title: String, parts: Vec<ReportPart>, appearance: &Appearance) -> Report {
        Report { title, parts, appearance: appearance.clone() }
    }
}

/// A part of a report.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum ReportPart {
    /// What the parts that follow are about.
    Heading(String),
    /// Sentences, each with how many steps it stands in.
    Words(Vec<(usize, String)>),
    /// Values that are made of other values.
    Tree(Vec<ReportBranch>),
    /// A table.
    Table(ReportTable),
    /// Values on a line.
    Strip(ReportStrip),
}

/// A value, and what it is made of.
#[derive(Debug, Clone, Default, PartialEq)]
#[non_exhaustive]
pub struct ReportBranch {
    pub(crate) what: String,
    pub(crate) value: String,
    pub(crate) digits: Option<String>,
    pub(crate) note: Option<String>,
    pub(crate) parts: Vec<ReportBranch>,
}

pivvel_core::getters! {
    ReportBranch {
        /// What it is: its formula, or what it is called.
        what: &str,
        /// The value.
        value: &str,
        /// All its digits, where the value as it is shown leaves some out.
        digits: Option<&str>,
        /// What else is to say of it, as the cell that it is read at.
        note: Option<&str>,
        /// What it is made of.
        parts: &[ReportBranch],
    }
}

/// Where one value stands among others, from the lowest (0) to the highest (1).
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReportStrip {
    pub(crate) places: Vec<f64>,
    pub(crate) own: f64,
    pub(crate) mean: Option<f64>,
    pub(crate) ends: [String; 2],
    pub(crate) words: String,
}

pivvel_core::getters! {
    ReportStrip {
        /// The places of all of them.
        places: &[f64],
        /// The place of the one.
        own: f64,
        /// The place of their mean.
        mean: Option<f64>,
        /// The lowest and the highest in words.
        ends: &[String; 2],
        /// What it shows, for who cannot see it.
        words: &str,
    }
}

/// A plain table, whose cells are texts.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReportTable {
    pub(crate) columns: Vec<LineColumn>,
    pub(crate) rows: Vec<Vec<String>>,
    pub(crate) bars: Vec<ReportBars>,
}

pivvel_core::getters! {
    ReportTable {
        /// Its columns.
        columns: &[LineColumn],
        /// Its rows, each with a text for every column.
        rows: &[Vec<String>],
        /// Columns that a page draws bars in, all on one scale.
        bars: &[ReportBars],
    }
}

/// The bars of a column.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReportBars {
    pub(crate) column: usize,
    pub(crate) ends: Vec<Option<f64>>,
}

pivvel_core::getters! {
    ReportBars {
        /// The column's place.
        column: usize,
        /// Where each row's bar ends: from -1 at the left of nothing to 1 at its right; `None` where it has none.
        ends: &[Option<f64>],
    }
}

/// Bars of columns of values, the longest of which is as long as a bar can be; none where nothing has a length.
fn bars(columns: Vec<(usize, Vec<Option<f64>>)>) -> Vec<ReportBars> {
    let values = columns.iter().flat_map(|(_, values)| values).flatten();
    let most = values.fold(0.0, |most: f64, value| most.max(value.abs()));
    let end = |value: Option<f64>| value.map(|value| value / most).filter(|end| end.is_finite());
    let bars = |(column, values): (usize, Vec<Option<f64>>)| ReportBars {
        column,
        ends: values.into_iter().map(end).collect(),
    };
    let columns = columns.into_iter().filter(|(_, values)| most > 0.0 && values.iter().any(Option::is_some));
    columns.map(bars).collect()
}

fn column(name: impl Into<String>, is_number: bool) -> LineColumn {
    LineColumn { name: name.into(), is_number }
}

fn percent(share: f64, appearance: &Appearance) -> String {
    appearance.number(&Value::Float(share), &NumberFormat::named("percent").unwrap_or_default())
}

/// A value with all its digits.
fn exact(value: Option<Value>, words: &Words) -> String {
    value.map_or_else(|| words.say("blank"), |value| value.to_string())
}

/// So many lines. Digits have no marks, so that they can be taken from here.
fn counted(lines: u64) -> Sentence {
    Sentence::from(if lines == 1 { "{number} line" } else { "{number} lines" })
        .with("number", lines.to_string())
}
