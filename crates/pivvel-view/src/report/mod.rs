//! Reports: of a cell, of its lines and of changes, in sentences and plain tables. A report
//! says the same on a terminal and as a page.

mod change;
mod lines;
mod story;

pub use change::{ChangeFormats, report_changes};
pub use lines::{report_lines, tell_lines};
pub use story::report_story;

use crate::terminal::LineColumn;

/// Sentences and tables under a title.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Report {
    /// The title.
    pub title: String,
    /// Its parts, in order.
    pub parts: Vec<ReportPart>,
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
}

/// A plain table, whose cells are texts.
#[derive(Debug, Clone, PartialEq)]
pub struct ReportTable {
    /// Its columns.
    pub columns: Vec<LineColumn>,
    /// Its rows, each with a text for every column.
    pub rows: Vec<Vec<String>>,
    /// The column that a page draws bars in, with where each row's bar ends: from -1 to the left of nothing
    /// to 1 at the right.
    pub bars: Option<(usize, Vec<Option<f64>>)>,
}

fn column(name: &str, is_number: bool) -> LineColumn {
    LineColumn { name: name.into(), is_number }
}

/// A value with all its digits.
fn exact(value: &Option<pivvel_core::Value>) -> String {
    value.map_or("blank".into(), |value| value.to_string())
}

fn counted(lines: u64) -> String {
    if lines == 1 { "1 line".to_string() } else { format!("{lines} lines") }
}
