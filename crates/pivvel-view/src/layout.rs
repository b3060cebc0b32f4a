//! The layout, decided once: headings with their spans, rows with their indents, cells with their
//! text and tint, legend and notes. Terminal and page draw it and decide nothing.

use pivvel_core::brief::{Negative, NumberFormat, Placement};
use pivvel_core::result::{Axis, ColumnEntry, Columns, Entry, Member, MemberRef, OfAxis, RowEntry, Trend};
use pivvel_core::text::Sentence;
use pivvel_core::{CrossTab, Value};

use crate::appearance::{Appearance, Words};
use crate::charts::Panel;
use crate::colour::Rgb;
use crate::dress::{Dress, OnScale, Wardrobe};
use crate::labels::label;
use crate::legend::{LegendEntry, legend};
use crate::notes::{doubts, notes};
use crate::number::show_number;
use crate::page::members::own_colour;
use crate::palette::Paint;

/// What heads a total.
const TOTAL: &str = "total";

/// A cross-tab laid out for drawing.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::draw::{Layout, RowKind};
///
/// let layout = Layout::new(&crosstab);
/// let coasts: Vec<&str> =
///     layout.rows().iter().filter(|row| row.kind() == RowKind::Subtotal).map(|row| row.label()).collect();
/// assert_eq!(coasts, ["Fell", "Skerry"]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Layout {
    pub(crate) title: String,
    pub(crate) corner: Vec<String>,
    pub(crate) heads: Vec<Vec<Head>>,
    pub(crate) columns: Vec<LayoutColumn>,
    pub(crate) rows: Vec<LayoutRow>,
    pub(crate) trends: Vec<LayoutTrend>,
    pub(crate) legend: Vec<LegendEntry>,
    pub(crate) notes: Vec<String>,
    pub(crate) doubts: Vec<String>,
    /// The words and colours that it is drawn in.
    pub(crate) appearance: Appearance,
}

pivvel_core::getters! {
    Layout {
        /// The heading of the whole.
        title: &str,
        /// What stands over the row labels: the row dimensions.
        corner: &[String],
        /// Rows of column headings, outermost first.
        heads: &[Vec<Head>],
        /// The columns under the headings.
        columns: &[LayoutColumn],
        /// The rows.
        rows: &[LayoutRow],
        /// Small lines beside the figures, one in each row.
        trends: &[LayoutTrend],
        /// What colours, bars and symbols mean.
        legend: &[LegendEntry],
        /// What was left out, blank or odd.
        notes: &[String],
        /// What its author should know, which no page tells its readers.
        doubts: &[String],
    }
}

/// A heading over one or more columns.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Head {
    pub(crate) text: String,
    pub(crate) columns: (usize, usize),
    pub(crate) rows: usize,
    pub(crate) total: bool,
    pub(crate) blank: bool,
    pub(crate) made: bool,
    pub(crate) entry: ColumnEntry,
    pub(crate) link: Option<String>,
}

pivvel_core::getters! {
    Head {
        /// What it says.
        text: &str,
        /// The first column that it stands over, and how many it does.
        columns: (usize, usize),
        /// How many rows of headings it takes.
        rows: usize,
        /// Whether it heads a total.
        total: bool,
        /// Whether it names the blank member.
        blank: bool,
        /// Whether it names a member that is made of others: a calculated item, or all others.
        made: bool,
        /// The column of the cross-tab that it heads.
        entry: ColumnEntry,
        /// Where it leads.
        link: Option<&str>,
    }
}

/// A column of figures.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub struct LayoutColumn {
    pub(crate) entry: ColumnEntry,
    pub(crate) measure: usize,
    pub(crate) height: usize,
    pub(crate) begins: bool,
    pub(crate) hidden: bool,
    pub(crate) ranked: bool,
}

pivvel_core::getters! {
    LayoutColumn {
        /// The column of the cross-tab.
        entry: ColumnEntry,
        /// The measure's place.
        measure: usize,
        /// How many levels stand above the members without members; 0 for these.
        height: usize,
        /// Whether another member of the outermost dimension, or a total, begins here.
        begins: bool,
        /// Whether figures stand nowhere in it.
        hidden: bool,
        /// Whether its cells are sorted by their ranks, because figures are hidden or have more digits than a page
        /// can compare.
        ranked: bool,
    }
}

/// A column of small lines.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct LayoutTrend {
    pub(crate) heading: String,
}

pivvel_core::getters! {
    LayoutTrend {
        /// What stands over it.
        heading: &str,
    }
}

/// A small line: places from 0 to 1 of each period and its value.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct TrendLine {
    pub(crate) points: Vec<(f64, Option<f64>)>,
    pub(crate) words: String,
}

pivvel_core::getters! {
    TrendLine {
        /// Across and up; nothing up where a period has no value.
        points: &[(f64, Option<f64>)],
        /// What it says, in words.
        words: &str,
    }
}

/// What a row is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum RowKind {
    /// A heading without figures.
    Heading,
    /// A member without members.
    Member,
    /// A subtotal.
    Subtotal,
    /// The total of all rows.
    Total,
}

pivvel_core::named! { RowKind is "kind of a row" {
    Heading = "heading",
    Member = "member",
    Subtotal = "subtotal",
    Total = "total",
} }

/// A row.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct LayoutRow {
    pub(crate) label: String,
    pub(crate) indent: usize,
    pub(crate) kind: RowKind,
    pub(crate) blank: bool,
    pub(crate) made: bool,
    pub(crate) entry: RowEntry,
    pub(crate) link: Option<String>,
    pub(crate) colour: Option<Rgb>,
    pub(crate) tint: Option<Paint>,
    pub(crate) cells: Vec<LayoutCell>,
    pub(crate) trends: Vec<Option<TrendLine>>,
}

pivvel_core::getters! {
    LayoutRow {
        /// What it says at its head.
        label: &str,
        /// How far it is indented.
        indent: usize,
        /// What it is.
        kind: RowKind,
        /// Whether it is the blank member's.
        blank: bool,
        /// Whether it is of a member that is made of others: a calculated item, or all others.
        made: bool,
        /// The row of the cross-tab.
        entry: RowEntry,
        /// Where its label leads.
        link: Option<&str>,
        /// The colour that the brief gives to its member.
        colour: Option<Rgb>,
        /// The background of its label, where the whole row stands out.
        tint: Option<Paint>,
        /// Its cells, one a column; none for a heading.
        cells: &[LayoutCell],
        /// Its small lines, one for each of the layout's trends.
        trends: &[Option<TrendLine>],
    }
}

/// A cell.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::draw::Layout;
///
/// let layout = Layout::new(&crosstab);
/// let fell = &layout.rows()[0].cells()[0];
/// assert_eq!((fell.text(), fell.value()), ("8", Some(8.into())));
/// assert_eq!(fell.on().and_then(|on| on.position()), Some(1.0));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct LayoutCell {
    pub(crate) text: String,
    pub(crate) value: Option<Value>,
    pub(crate) rank: u32,
    pub(crate) dress: Dress,
    pub(crate) on: Option<OnScale>,
}

pivvel_core::getters! {
    LayoutCell {
        /// The figure as it is read; nothing where figures are hidden.
        text: &str,
        /// The value in full, where it is shown.
        value: Option<Value>,
        /// Its place among all values of its column where that is [ranked](LayoutColumn::ranked): higher for higher; 0 elsewhere.
        rank: u32,
        /// What it wears.
        dress: &Dress,
        /// Its place on its scale.
        on: Option<OnScale>,
    }
}

impl Layout {
    /// Lays a cross-tab out in English words and the usual colours; [`Appearance::layout`] does in others.
    pub fn new(crosstab: &CrossTab) -> Layout {
        Layout::of(crosstab, &Appearance::new())
    }

    pub(crate) fn of(crosstab: &CrossTab, appearance: &Appearance) -> Layout {
        Layout::of_rows(crosstab, crosstab.rows().entries(), appearance)
    }

    /// Lays out what a panel shows: the rows of one member, whose own row is the total.
    pub(crate) fn of_panel(crosstab: &CrossTab, panel: &Panel, appearance: &Appearance) -> Layout {
        let Some(root) = panel.root else { return Layout::of(crosstab, appearance) };
        let held = |entry: &&RowEntry| panel.holds(crosstab, **entry) && **entry != root;
        let mut entries: Vec<RowEntry> = crosstab.rows().entries().iter().filter(held).copied().collect();
        entries.push(root);
        let mut layout = Layout::of_rows(crosstab, &entries, appearance);
        for row in &mut layout.rows {
            row.indent = row.indent.saturating_sub(1);
            if row.entry == root {
                (row.kind, row.label, row.blank, row.made) =
                    (RowKind::Total, appearance.words.say(TOTAL), false, false);
            }
        }
        layout.rows.retain(|row| row.entry != root || row.kind == RowKind::Total && !row.cells.is_empty());
        layout.corner.remove(0);
        if !panel.last {
            layout.legend.clear();
        }
        layout
    }

    fn of_rows(crosstab: &CrossTab, entries: &[RowEntry], appearance: &Appearance) -> Layout {
        let wardrobe = Wardrobe::new(crosstab, appearance);
        let mut columns = columns(crosstab);
        let mut rows = rows(&wardrobe, entries, &columns);
        rank_columns(&mut rows, &mut columns);
        Layout {
            title: appearance.title(crosstab),
            corner: crosstab.rows().dimensions().iter().map(|d| d.label().to_string()).collect(),
            heads: heads(&wardrobe, &columns),
            rows,
            trends: crosstab.trends().iter().map(|trend| trend_column(&wardrobe, trend)).collect(),
            legend: legend(&wardrobe),
            notes: notes(crosstab, &appearance.words),
            doubts: doubts(crosstab),
            columns,
            appearance: appearance.clone(),
        }
    }
}

fn columns(crosstab: &CrossTab) -> Vec<LayoutColumn> {
    let axis = crosstab.columns();
    let mut columns: Vec<LayoutColumn> = Vec::new();
    let mut last = None;
    for entry in axis.entries() {
        let outermost = axis.path(*entry).first().map(MemberRef::id);
        let begins = last.is_some_and(|last| last != outermost);
        last = Some(outermost);
        for measure in 0..crosstab.measures().len() {
            let height = axis.depth() - entry.level();
            let (begins, hidden) = (begins && measure == 0, crosstab.hides_figure(measure));
            columns.push(LayoutColumn { entry: *entry, measure, height, begins, hidden, ranked: hidden });
        }
    }
    columns
}

fn heads(wardrobe: &Wardrobe<'_>, columns: &[LayoutColumn]) -> Vec<Vec<Head>> {
    let crosstab = wardrobe.crosstab;
    let axis = crosstab.columns();
    let mut heads: Vec<Vec<Head>> = Vec::new();
    for level in 1..=axis.depth() {
        let mut row: Vec<Head> = Vec::new();
        let mut last: Option<ColumnEntry> = None;
        for (place, column) in columns.iter().enumerate() {
            // The entry that a heading of this row would be for; totals of outer levels have their
            // heading in an earlier row, which reaches down to here.
            let own = match column.entry.level() + 1 {
                reach if reach < level => continue,
                reach if reach == level => column.entry,
                _ => ancestor(axis, column.entry, level),
            };
            let extends = row.last().is_some_and(|head| head.columns.0 + head.columns.1 == place);
            match row.last_mut() {
                Some(head) if extends && last == Some(own) => head.columns.1 += 1,
                _ => {
                    let link = crosstab.column_link(own).filter(|_| own.level() == level);
                    row.push(Head { link, ..head((axis, &wardrobe.appearance.words), own, level, place) });
                }
            }
            last = Some(own);
        }
        heads.push(row);
    }
    if crosstab.measures().len() > 1 || axis.depth() == 0 {
        let measures = columns.iter().enumerate().map(|(place, column)| Head {
            text: crosstab.measures()[column.measure].label().to_string(),
            columns: (place, 1),
            rows: 1,
            total: column.height > 0,
            blank: false,
            made: false,
            entry: column.entry,
            link: None,
        });
        heads.push(measures.collect());
    }
    heads
}

/// The heading of an entry in the row of a level: its label, or `total` for the entry above.
fn head((axis, words): (&Axis<Columns>, &Words), entry: ColumnEntry, level: usize, place: usize) -> Head {
    let total = entry.level() < level;
    let path = axis.path(entry);
    Head {
        text: if total { words.say(TOTAL) } else { label(&path, words) },
        columns: (place, 1),
        rows: if total { axis.depth() - entry.level() } else { 1 },
        total,
        blank: !total && path.last().is_some_and(MemberRef::is_blank),
        made: !total && is_made(&path),
        entry,
        link: None,
    }
}

/// Whether a path ends in a member that is made of others.
fn is_made(path: &[MemberRef<'_>]) -> bool {
    path.last().is_some_and(|last| matches!(*last.member(), Member::Others(_) | Member::Calculated(..)))
}

fn ancestor<S: OfAxis>(axis: &Axis<S>, entry: Entry<S>, level: usize) -> Entry<S> {
    let mut entry = entry;
    while entry.level() > level {
        match axis.parent(entry) {
            Some(parent) => entry = parent,
            None => break,
        }
    }
    entry
}

fn rows(wardrobe: &Wardrobe<'_>, entries: &[RowEntry], columns: &[LayoutColumn]) -> Vec<LayoutRow> {
    let crosstab = wardrobe.crosstab;
    let axis = crosstab.rows();
    let mut rows: Vec<LayoutRow> = Vec::new();
    let mut headed: Vec<RowEntry> = Vec::new();
    for entry in entries {
        // Members whose total stands after them, or nowhere, get a heading before them.
        for level in 1..entry.level() {
            let above = ancestor(axis, *entry, level);
            if axis.total_of(level) != Placement::Before && headed.get(level - 1) != Some(&above) {
                headed.truncate(level - 1);
                headed.resize(level, above);
                rows.push(row(wardrobe, above, RowKind::Heading, Vec::new()));
            }
        }
        let kind = match entry.level() {
            level if level == axis.depth() && level > 0 => RowKind::Member,
            0 => RowKind::Total,
            _ => RowKind::Subtotal,
        };
        let cells = columns.iter().map(|column| cell(wardrobe, *entry, column)).collect();
        rows.push(LayoutRow { tint: wardrobe.row_tint(*entry), ..row(wardrobe, *entry, kind, cells) });
    }
    rows
}

fn row(wardrobe: &Wardrobe<'_>, entry: RowEntry, kind: RowKind, cells: Vec<LayoutCell>) -> LayoutRow {
    let (crosstab, words) = (wardrobe.crosstab, &wardrobe.appearance.words);
    let axis = crosstab.rows();
    let path = axis.path(entry);
    let after = kind == RowKind::Subtotal && axis.total_of(entry.level()) == Placement::After;
    let label = match kind {
        RowKind::Total => words.say(TOTAL),
        _ if after => words.say(Sentence::from("{member} total").with("member", label(&path, words))),
        _ => label(&path, words),
    };
    let blank = path.last().is_some_and(MemberRef::is_blank);
    let made = is_made(&path);
    let link = crosstab.row_link(entry);
    let line = |trend: &Trend| trend_line(wardrobe, trend, entry).filter(|_| !cells.is_empty());
    let trends = crosstab.trends().iter().map(line).collect();
    let indent = entry.level().saturating_sub(1);
    let colour = path.last().and_then(own_colour);
    LayoutRow { label, indent, kind, blank, made, entry, link, colour, tint: None, cells, trends }
}

fn cell(wardrobe: &Wardrobe<'_>, row: RowEntry, column: &LayoutColumn) -> LayoutCell {
    let crosstab = wardrobe.crosstab;
    let format = crosstab.format(row, column.entry, column.measure);
    let value = crosstab.cell(row, column.entry).and_then(|cell| cell.value(column.measure));
    let text =
        if column.hidden { String::new() } else { shown(value, &wardrobe.appearance.words.format(format)) };
    let (dress, on) = wardrobe.dress(row, column.entry, column.measure);
    LayoutCell { text, value, rank: 0, dress, on }
}

/// Gives the values of columns that need it their ranks, and takes away what is shown nowhere.
fn rank_columns(rows: &mut [LayoutRow], columns: &mut [LayoutColumn]) {
    for (place, column) in columns.iter_mut().enumerate() {
        let value = |row: &LayoutRow| row.cells.get(place).and_then(|cell| cell.value);
        let long =
            |value: Value| matches!(value, Value::Exact(number) if number.digits().unsigned_abs() > 1 << 53);
        column.ranked = column.hidden || rows.iter().filter_map(value).any(long);
        if !column.ranked {
            continue;
        }
        let valued = rows.iter().enumerate().filter_map(|(row, own)| Some((row, value(own)?)));
        let mut order: Vec<(usize, Value)> = valued.collect();
        order.sort_by(|(_, a), (_, b)| a.order(b));
        let mut rank = 0;
        for (i, (row, value)) in order.iter().enumerate() {
            if i == 0 || order[i - 1].1.order(value).is_ne() {
                rank += 1;
            }
            rows[*row].cells[place].rank = rank;
        }
        if column.hidden {
            rows.iter_mut().filter_map(|row| row.cells.get_mut(place)).for_each(|cell| cell.value = None);
        }
    }
}

fn trend_column(wardrobe: &Wardrobe<'_>, trend: &Trend) -> LayoutTrend {
    let crosstab = wardrobe.crosstab;
    let along = crosstab.emphases()[trend.emphasis()].planned().along().unwrap_or_default();
    let part = along.rsplit('.').next().unwrap_or(along).replace('_', " ");
    let heading = Sentence::from("{measure} by {part}").with("part", part);
    let measure = crosstab.measures()[trend.measure()].label();
    LayoutTrend { heading: wardrobe.appearance.words.say(heading.with("measure", measure)) }
}

fn trend_line(wardrobe: &Wardrobe<'_>, trend: &Trend, row: RowEntry) -> Option<TrendLine> {
    let (crosstab, appearance) = (wardrobe.crosstab, wardrobe.appearance);
    let points = trend.points(row)?;
    let values = trend.values(row)?;
    let known: Vec<(&str, Value)> =
        trend.periods().iter().zip(values).filter_map(|(p, v)| Some((p.as_str(), (*v)?))).collect();
    let (first, last) = known.first().zip(known.last())?;
    let format = crosstab.measures()[trend.measure()].format();
    let point = |(period, value): &(&str, Value)| match crosstab.hides_figure(trend.measure()) {
        true => period.to_string(),
        false => format!("{period}: {}", appearance.number(value, format)),
    };
    let ends = Sentence::from("{first} to {last}").with("first", point(first)).with("last", point(last));
    let words = appearance.words.say(ends);
    Some(TrendLine { points: trend.places().iter().copied().zip(points).collect(), words })
}

fn shown(value: Option<Value>, format: &NumberFormat) -> String {
    let Some(value) = value else { return format.get_blank().to_string() };
    let mut text = show_number(&value, format);
    // Digits stand under digits although only some numbers have a closing bracket.
    if format.get_negative() == Negative::Brackets && !text.ends_with(')') {
        text.push('\u{2007}');
    }
    text
}
