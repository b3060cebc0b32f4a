//! Lines as a plain table for a terminal: a heading, and columns as wide as they need to be.

use anstyle::Style;
use pivvel_core::text::Sentence;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::{GAP, Pen, TerminalOptions, clean};
use crate::appearance::Words;

/// A column of lines: its heading, and whether it holds numbers, which stand to the right.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct LineColumn {
    pub(crate) name: String,
    pub(crate) is_number: bool,
}

pivvel_core::getters! {
    LineColumn {
        /// The heading.
        name: &str,
        /// Whether it holds numbers.
        is_number: bool,
    }
}

impl LineColumn {
    /// A column with its heading.
    pub fn new(name: impl Into<String>, is_number: bool) -> LineColumn {
        LineColumn { name: name.into(), is_number }
    }
}

/// Columns are cut to this width where not all fit.
const NARROW: usize = 24;

/// Draws lines whose cells are texts. Columns that do not fit in the width are left out and named.
///
/// ```
/// use pivvel::draw::{LineColumn, TerminalOptions, lines};
///
/// let columns = [LineColumn::new("coast", false), LineColumn::new("pieces", true)];
/// let text = lines(&columns, &[vec!["Fell".into(), "8".into()]], &TerminalOptions::default());
/// assert_eq!(text, "coast  pieces\nFell        8\n");
/// ```
pub fn draw_lines(columns: &[LineColumn], rows: &[Vec<String>], options: &TerminalOptions) -> String {
    lines_of(columns, rows, options, &Words::english())
}

/// The same in a language.
pub(super) fn lines_of(
    columns: &[LineColumn],
    rows: &[Vec<String>],
    options: &TerminalOptions,
    words: &Words,
) -> String {
    let mut pen = Pen::new(options);
    let room = options.width.unwrap_or(usize::MAX);
    let natural = |i: usize| {
        let cells = rows.iter().filter_map(|row| row.get(i)).map(|cell| cell.width());
        cells.chain([columns[i].name.width()]).max().unwrap_or(0)
    };
    let mut widths: Vec<usize> = (0..columns.len()).map(natural).collect();
    let total = |widths: &[usize]| widths.iter().map(|width| width + GAP).sum::<usize>();
    if total(&widths) > room.saturating_add(GAP) {
        let cut = |(width, column): (&mut usize, &LineColumn)| {
            *width = if column.is_number { *width } else { (*width).min(NARROW) };
        };
        widths.iter_mut().zip(columns).for_each(cut);
    }
    let fits = |count: &usize| total(&widths[..*count]) <= room.saturating_add(GAP);
    let shown = (1..=columns.len()).rev().find(fits).unwrap_or(columns.len().min(1));
    let names: Vec<String> = columns[..shown].iter().map(|column| column.name.clone()).collect();
    draw_row(&mut pen, &names, columns, &widths, Style::new().bold());
    for row in rows {
        draw_row(&mut pen, &row[..shown], columns, &widths, Style::new());
    }
    if shown < columns.len() {
        let left: Vec<&str> = columns[shown..].iter().map(|column| column.name.as_str()).collect();
        let sentence = Sentence::from("not shown here for want of room: {columns}");
        pen.line(&clean(&words.say(sentence.with("columns", left.join(", ")))), Style::new().dimmed());
    }
    pen.text
}

fn draw_row(pen: &mut Pen, cells: &[String], columns: &[LineColumn], widths: &[usize], style: Style) {
    for (i, cell) in cells.iter().enumerate() {
        if i > 0 {
            pen.space(GAP);
        }
        let cell = fitted(&clean(cell), widths[i]);
        let free = widths[i] - cell.width().min(widths[i]);
        if columns[i].is_number {
            pen.space(free);
        }
        pen.put(&cell, style);
        if !columns[i].is_number {
            pen.space(free);
        }
    }
    pen.end();
}

/// A text that is no wider than there is room.
fn fitted(text: &str, room: usize) -> String {
    if text.width() <= room {
        return text.to_string();
    }
    let (mut cut, mut width) = (String::new(), 0);
    for c in text.chars() {
        width += c.width().unwrap_or(0);
        if width >= room {
            break;
        }
        cut.push(c);
    }
    cut + "…"
}
