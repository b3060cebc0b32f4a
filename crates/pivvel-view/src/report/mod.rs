//! Reports: of a cell, of its lines and of changes, in sentences and plain tables. A report
//! says the same on a terminal and as a page.

mod change;
mod lines;
mod story;

pub use change::ChangeFormats;
pub(crate) use change::report as changes;
pub(crate) use lines::{report as lines, summary as lines_summary};
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
    /// The title.
    pub title: String,
    /// Its parts, in order.
    pub parts: Vec<ReportPart>,
    /// The words and colours that it is drawn in.
    pub(crate) appearance: Appearance,
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
pub enum ReportPart {
    /// What the parts that follow are about.
    Heading(String),
    /// Sentences, each with how many steps it stands in.
    Words(Vec<(usize, String)>),
    /// A table.
    Table(ReportTable),
    /// Values on a line.
    Strip(ReportStrip),
}

/// Where one value stands among others, from the lowest (0) to the highest (1).
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReportStrip {
    /// The places of all of them.
    pub places: Vec<f64>,
    /// The place of the one.
    pub own: f64,
    /// The place of their mean.
    pub mean: Option<f64>,
    /// The lowest and the highest in words.
    pub ends: [String; 2],
    /// What it shows, for who cannot see it.
    pub words: String,
}

/// A plain table, whose cells are texts.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReportTable {
    /// Its columns.
    pub columns: Vec<LineColumn>,
    /// Its rows, each with a text for every column.
    pub rows: Vec<Vec<String>>,
    /// The column that a page draws bars in, with where each row's bar ends: from -1 to the left of nothing
    /// to 1 at the right.
    pub bars: Option<(usize, Vec<Option<f64>>)>,
}

fn column(name: impl Into<String>, is_number: bool) -> LineColumn {
    LineColumn { name: name.into(), is_number }
}

/// A value with all its digits.
fn exact(value: &Option<pivvel_core::Value>, words: &Words) -> String {
    value.map_or_else(|| words.say("blank"), |value| value.to_string())
}

/// So many lines. Digits have no marks, so that they can be taken from here.
fn counted(lines: u64) -> Sentence {
    Sentence::from(if lines == 1 { "{number} line" } else { "{number} lines" })
        .with("number", lines.to_string())
}
