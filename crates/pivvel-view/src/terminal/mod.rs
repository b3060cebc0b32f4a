//! A layout as text for a terminal, with or without colour.

mod cell;
mod legend;
mod lines;
mod report;

pub use lines::{LineColumn, draw_lines};
pub use report::draw_report;

use std::borrow::Cow;
use std::fmt::Write;

use anstyle::Style;
use pivvel_core::text::Sentence;
use unicode_width::UnicodeWidthStr;

use self::cell::Room;
use crate::layout::{Head, Layout, LayoutRow, RowKind};
use crate::palette::{Ground, ink};

/// The colours that a terminal has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Colours {
    /// None: signs stand for colours.
    #[default]
    None,
    /// The 256 of older terminals.
    Indexed,
    /// All, by 24-bit escapes.
    Full,
}

pivvel_core::named! { Colours is "range of colours" { None = "none", Indexed = "indexed", Full = "full", } }

/// How a layout is drawn on a terminal.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,pieces\nFell,3\nSkerry,4\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::draw::{Colours, Ground, Layout, TerminalOptions, terminal};
///
/// let options = TerminalOptions::default().width(100).colours(Colours::Full).ground(Ground::Dark);
/// assert!(terminal(&Layout::new(&crosstab), &options).contains("\u{1b}[48;2;"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, Default)]
#[non_exhaustive]
pub struct TerminalOptions {
    pub(crate) width: Option<usize>,
    pub(crate) colours: Colours,
    pub(crate) rows: Option<usize>,
    pub(crate) ground: Ground,
}

pivvel_core::setters! { TerminalOptions {
    /// The width to keep within, in characters; as wide as it takes where there is none.
    value width: Option<usize>,
    /// Which colours there are.
    value colours: Colours,
    /// How many rows to draw at most.
    value rows: Option<usize>,
    /// The background that the terminal has, as far as it is known.
    value ground: Ground,
} }

/// Spaces between columns.
const GAP: usize = 2;
/// A table that is folded more often than this is hard to read, so the rest is left out, with a note.
const FOLDS: usize = 4;

/// Draws a layout.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::draw::{Layout, TerminalOptions, terminal};
///
/// let text = terminal(&Layout::new(&crosstab), &TerminalOptions::default().width(40));
/// assert!(text.lines().all(|line| line.chars().count() <= 40));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn draw_terminal(layout: &Layout, options: &TerminalOptions) -> String {
    let mut pen = Pen::new(options);
    pen.line(&clean(&layout.title), Style::new().bold());
    pen.text.push('\n');
    let shown = options.rows.unwrap_or(usize::MAX).min(layout.rows.len());
    let rows = &layout.rows[..shown];
    let rooms = rooms(layout, rows, options.colours);
    let widths = column_widths(layout, &rooms);
    let label_width = label_width(layout, rows, options.width);
    let folds = fold(layout, &widths, label_width, options.width);
    let drawn = folds.len().min(FOLDS);
    for (i, fold) in folds[..drawn].iter().enumerate() {
        if i > 0 {
            pen.text.push('\n');
        }
        draw_heads(&mut pen, layout, fold, &widths, label_width);
        for row in rows {
            draw_row(&mut pen, layout, row, fold, (&rooms, &widths), label_width);
        }
    }
    let faint = Style::new().dimmed();
    let left = |fold: &std::ops::Range<usize>| fold.clone().filter(|c| *c < layout.columns.len()).count();
    let columns_left: usize = folds[drawn..].iter().map(left).sum();
    if columns_left > 0 || shown < layout.rows.len() {
        let mut left = Vec::new();
        if columns_left > 0 {
            left.push(
                Sentence::from("{count} of {all} columns")
                    .with("count", columns_left)
                    .with("all", layout.columns.len()),
            );
        }
        if shown < layout.rows.len() {
            left.push(
                Sentence::from("{count} of {all} rows")
                    .with("count", layout.rows.len() - shown)
                    .with("all", layout.rows.len()),
            );
        }
        pen.text.push('\n');
        let (first, second) = (left.remove(0), left.pop());
        let what = match second {
            Some(second) => {
                Sentence::from("{first} and {second}").with("first", first).with("second", second)
            }
            None => first,
        };
        let sentence =
            Sentence::from("{what} left out here; see all: --to page.html, or --width 0 and a pager");
        let heading = layout.appearance.words.say(sentence.with("what", what));
        pen.line(&heading, Style::new().bold());
    }
    legend::draw(&mut pen, layout, options.width.unwrap_or(usize::MAX));
    pen.text.push('\n');
    for note in layout.notes.iter().chain(&layout.doubts) {
        pen.line(&clean(note), faint);
    }
    pen.text
}

struct Pen {
    text: String,
    colours: Colours,
    ground: Ground,
}

impl Pen {
    fn new(options: &TerminalOptions) -> Pen {
        Pen { text: String::new(), colours: options.colours, ground: options.ground }
    }

    fn put(&mut self, text: &str, style: Style) {
        self.put_behind(0, text, style);
    }

    /// A text behind so many spaces, which have its style.
    fn put_behind(&mut self, spaces: usize, text: &str, style: Style) {
        let is_empty = spaces == 0 && text.is_empty();
        let styled = self.colours != Colours::None && !style.is_plain() && !is_empty;
        if styled {
            let _ = write!(self.text, "{style}");
        }
        self.space(spaces);
        self.text.push_str(text);
        if styled {
            let _ = write!(self.text, "{style:#}");
        }
    }

    fn space(&mut self, width: usize) {
        self.text.extend(std::iter::repeat_n(' ', width));
    }

    /// Ends a line without spaces at its end.
    fn end(&mut self) {
        self.text.truncate(self.text.trim_end_matches(' ').len());
        self.text.push('\n');
    }

    fn line(&mut self, text: &str, style: Style) {
        self.put(text, style);
        self.end();
    }
}

/// Text without control characters, which a name in the lines may hold.
fn clean(text: &str) -> String {
    pivvel_core::text::printable(text)
}

fn width(text: &str) -> usize {
    UnicodeWidthStr::width(text)
}

/// The text in at most so many places, cut with a mark where it is longer.
fn cut(text: &str, places: usize) -> Cow<'_, str> {
    // Nearly all figures.
    if text.len() <= places && text.bytes().all(|byte| matches!(byte, b' '..=b'~')) {
        return text.into();
    }
    let text = clean(text);
    if width(&text) <= places {
        return text.into();
    }
    let mut short = String::new();
    for c in text.chars() {
        short.push(c);
        if width(&short) >= places {
            short.pop();
            break;
        }
    }
    short.push('…');
    short.into()
}

/// What the cells of each column take, and then the small lines of each trend.
fn rooms(layout: &Layout, rows: &[LayoutRow], colours: Colours) -> Vec<Room> {
    let mut rooms = vec![Room::default(); layout.columns.len()];
    for row in rows {
        rooms.iter_mut().zip(&row.cells).for_each(|(room, cell)| room.hold(cell, colours));
    }
    rooms.extend((0..layout.trends.len()).map(|i| Room::of_trend(cell::trend_width(rows, i))));
    rooms
}

fn column_widths(layout: &Layout, rooms: &[Room]) -> Vec<usize> {
    let mut widths: Vec<usize> = rooms.iter().map(Room::width).collect();
    for (trend, room) in layout.trends.iter().zip(&mut widths[layout.columns.len()..]) {
        *room = (*room).max(width(&trend.heading).min(24));
    }
    // A heading over several columns needs room over all of them together.
    for head in layout.heads.iter().rev().flatten() {
        let (first, count) = head.columns;
        let has: usize = widths[first..first + count].iter().sum::<usize>() + (count - 1) * GAP;
        let wants = width(&head.text).min(24);
        if wants > has {
            let more = (wants - has).div_ceil(count);
            widths[first..first + count].iter_mut().for_each(|width| *width += more);
        }
    }
    widths
}

fn label_width(layout: &Layout, rows: &[LayoutRow], places: Option<usize>) -> usize {
    let longest = rows.iter().map(|row| 2 * row.indent + width(&clean(&row.label))).max().unwrap_or(0);
    let wants = longest.max(width(&layout.corner.join(" / "))).max(5);
    let most = places.map_or(60, |places| (places / 3).clamp(12, 60));
    wants.min(most)
}

/// Whether something new begins at a column: an outer member, or the small lines.
fn begins(layout: &Layout, column: usize) -> bool {
    layout.columns.get(column).map_or(column == layout.columns.len(), |column| column.begins)
}

/// Splits the columns into runs that fit beside the labels.
fn fold(
    layout: &Layout,
    widths: &[usize],
    label_width: usize,
    places: Option<usize>,
) -> Vec<std::ops::Range<usize>> {
    let Some(places) = places else { return std::iter::once(0..widths.len()).collect() };
    let mut folds = Vec::new();
    let (mut start, mut used) = (0, label_width);
    for (column, width) in widths.iter().enumerate() {
        let gap = GAP + if begins(layout, column) { GAP } else { 0 };
        if column > start && used + gap + width > places {
            // Where an outer member began in this run, it goes to the next one whole.
            let begins = (start + 1..=column).rev().find(|c| begins(layout, *c));
            let cut = begins.filter(|cut| cut * 2 > start + column).unwrap_or(column);
            folds.push(start..cut);
            start = cut;
            used = label_width + widths[cut..column].iter().map(|width| width + GAP).sum::<usize>();
        }
        used += gap + width;
    }
    folds.push(start..widths.len());
    folds
}

/// Where a column begins and ends, counted from the left edge of its fold's first column.
fn places(layout: &Layout, fold: &std::ops::Range<usize>, widths: &[usize]) -> Vec<(usize, usize)> {
    let mut at = 0;
    let place = |column: usize| {
        let gap = if begins(layout, column) && column > fold.start { GAP } else { 0 };
        let start = at + GAP + gap;
        at = start + widths[column];
        (start, at)
    };
    fold.clone().map(place).collect()
}

fn draw_heads(
    pen: &mut Pen,
    layout: &Layout,
    fold: &std::ops::Range<usize>,
    widths: &[usize],
    label_width: usize,
) {
    let places = places(layout, fold, widths);
    let faint = Style::new().dimmed();
    for (i, heads) in layout.heads.iter().enumerate() {
        let last = i + 1 == layout.heads.len();
        match last {
            true => {
                let corner = layout.corner.join(" / ");
                let corner = cut(&corner, label_width);
                pen.put(&corner, faint);
                pen.space(label_width - width(&corner));
            }
            false => pen.space(label_width),
        }
        let mut at = 0;
        for head in heads {
            let (first, count) = (head.columns.0.max(fold.start), head.columns.0 + head.columns.1);
            let count = count.min(fold.end);
            if first >= count {
                continue;
            }
            let (start, end) = (places[first - fold.start].0, places[count - 1 - fold.start].1);
            pen.space(start - at);
            draw_head(pen, head, end - start, count - first > 1);
            at = end;
        }
        for (trend, column) in layout.trends.iter().zip(layout.columns.len()..).filter(|_| last) {
            if let Some((start, end)) = fold.contains(&column).then(|| places[column - fold.start]) {
                pen.space(start - at);
                pen.put(&cut(&trend.heading, end - start), Style::new());
                at = end;
            }
        }
        pen.end();
    }
    if layout.heads.is_empty() {
        pen.line(&layout.corner.join(" / "), faint);
    }
}

/// A heading: over one column flush with the figures, over several with a line along them.
fn draw_head(pen: &mut Pen, head: &Head, room: usize, several: bool) {
    let text = cut(&head.text, room);
    let rest = room - width(&text);
    let mut style = if head.total { Style::new().bold() } else { Style::new() };
    if head.blank || head.made {
        style = style.italic();
    }
    if !several {
        pen.space(rest);
        pen.put(&text, style);
        return;
    }
    pen.put(&text, style.bold());
    let rule = if rest > 1 { format!(" {}", "─".repeat(rest - 1)) } else { " ".repeat(rest) };
    pen.put(&rule, Style::new().dimmed());
}

fn draw_row(
    pen: &mut Pen,
    layout: &Layout,
    row: &LayoutRow,
    fold: &std::ops::Range<usize>,
    (rooms, widths): (&[Room], &[usize]),
    label_width: usize,
) {
    let places = places(layout, fold, widths);
    let end = places.last().map_or(0, |place| place.1);
    let grand = row.kind == RowKind::Total && !layout.corner.is_empty();
    if grand && layout.rows.len() > 1 {
        pen.line(&"─".repeat(label_width + end), Style::new().dimmed());
    }
    let strong = row.kind != RowKind::Member;
    let mut style = if strong { Style::new().bold() } else { Style::new() };
    if row.blank || row.made {
        style = style.italic();
    }
    let indent = (2 * row.indent).min(label_width / 2);
    pen.space(indent);
    let label = cut(&row.label, label_width - indent);
    let ground = row.tint.map(|tint| pen.on(style, tint.tint(pen.ground), ink(pen.ground)));
    pen.put(&label, ground.unwrap_or(style));
    pen.space(label_width - indent - width(&label));
    let mut at = 0;
    for (column, (start, end)) in fold.clone().zip(places) {
        pen.space(start - at);
        at = end;
        match (row.cells.get(column), column.checked_sub(layout.columns.len())) {
            (Some(cell), _) => {
                let bold = strong || layout.columns[column].height > 0;
                let style = if bold { Style::new().bold() } else { Style::new() };
                cell::draw(pen, cell, &rooms[column], widths[column], style);
            }
            (None, Some(trend)) => {
                let line = row.trends.get(trend).and_then(Option::as_ref);
                let text = line.map_or(String::new(), |line| cell::trend(line, rooms[column].figure));
                pen.put(
                    &text,
                    pen.fore(Style::new(), layout.appearance.theme.palette_at(0).shape(1.0, pen.ground)),
                );
                pen.space(end - start - width(&text));
            }
            (None, None) => pen.space(end - start),
        }
    }
    pen.end();
}
