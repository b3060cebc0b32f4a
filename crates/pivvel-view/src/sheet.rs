//! The layout, decided once: headings with their spans, rows with their indents, cells with their
//! text and tint, legend and notes. Terminal and page draw it and decide nothing.

use pivvel_core::{
    Axis, CrossTab, DatePart, Entry, Member, MemberRef, Negative, NumberFormat, Placement, Scale, Tint,
    Unmatched, Value, scales, tint,
};

use crate::number::show_number;

/// A cross-tab laid out for drawing.
#[derive(Debug, Clone)]
pub struct Sheet {
    /// The heading of the whole.
    pub title: String,
    /// What stands over the row labels: the row dimensions.
    pub corner: Vec<String>,
    /// Rows of column headings, outermost first.
    pub heads: Vec<Vec<Head>>,
    /// The columns under the headings.
    pub columns: Vec<SheetColumn>,
    /// The rows.
    pub rows: Vec<SheetRow>,
    /// What the tints mean.
    pub legend: Vec<LegendEntry>,
    /// What was left out, blank or odd.
    pub notes: Vec<String>,
}

/// A heading over one or more columns.
#[derive(Debug, Clone)]
pub struct Head {
    /// What it says.
    pub text: String,
    /// The first column that it stands over, and how many it does.
    pub columns: (usize, usize),
    /// How many rows of headings it takes.
    pub rows: usize,
    /// Whether it heads a total.
    pub total: bool,
    /// Whether it names the blank member.
    pub blank: bool,
    /// Whether it names a member that is made of others: a calculated item, or all others.
    pub made: bool,
}

/// A column of figures.
#[derive(Debug, Clone, Copy)]
pub struct SheetColumn {
    /// The column of the cross-tab.
    pub entry: Entry,
    /// The measure's place.
    pub measure: usize,
    /// How many levels stand above the members without members; 0 for these.
    pub height: usize,
    /// Whether another member of the outermost dimension, or a total, begins here.
    pub begins: bool,
}

/// What a row is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
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

/// A row.
#[derive(Debug, Clone)]
pub struct SheetRow {
    /// What it says at its head.
    pub label: String,
    /// How far it is indented.
    pub indent: usize,
    /// What it is.
    pub kind: RowKind,
    /// Whether it is the blank member's.
    pub blank: bool,
    /// Whether it is of a member that is made of others: a calculated item, or all others.
    pub made: bool,
    /// Its cells, one a column; none for a heading.
    pub cells: Vec<SheetCell>,
}

/// A cell.
#[derive(Debug, Clone, Default)]
pub struct SheetCell {
    /// The figure as it is read.
    pub text: String,
    /// Its tint.
    pub tint: Option<Tint>,
}

/// What one scale means.
#[derive(Debug, Clone)]
pub struct LegendEntry {
    /// The place of the scale.
    pub scale: usize,
    /// What it is a scale of.
    pub text: String,
    /// The lowest and the highest value as they are read.
    pub ends: (String, String),
}

impl Sheet {
    /// Lays a cross-tab out.
    pub fn new(crosstab: &CrossTab) -> Sheet {
        let scales = scales(crosstab);
        let columns = columns(crosstab);
        Sheet {
            title: crosstab.title().to_string(),
            corner: crosstab.rows().dimensions().iter().map(|d| d.label.clone()).collect(),
            heads: heads(crosstab, &columns),
            rows: rows(crosstab, &columns, &scales),
            legend: legend(crosstab, &scales),
            notes: notes(crosstab),
            columns,
        }
    }
}

fn columns(crosstab: &CrossTab) -> Vec<SheetColumn> {
    let axis = crosstab.columns();
    let mut columns: Vec<SheetColumn> = Vec::new();
    let mut last = None;
    for entry in axis.entries() {
        let outermost = axis.path(*entry).first().map(MemberRef::id);
        let begins = last.is_some_and(|last| last != outermost);
        last = Some(outermost);
        for measure in 0..crosstab.measures().len() {
            let height = axis.depth() - entry.level();
            columns.push(SheetColumn { entry: *entry, measure, height, begins: begins && measure == 0 });
        }
    }
    columns
}

fn heads(crosstab: &CrossTab, columns: &[SheetColumn]) -> Vec<Vec<Head>> {
    let axis = crosstab.columns();
    let mut heads: Vec<Vec<Head>> = Vec::new();
    for level in 1..=axis.depth() {
        let mut row: Vec<Head> = Vec::new();
        let mut last: Option<Entry> = None;
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
                _ => row.push(head(axis, own, level, place)),
            }
            last = Some(own);
        }
        heads.push(row);
    }
    if crosstab.measures().len() > 1 || axis.depth() == 0 {
        let measures = columns.iter().enumerate().map(|(place, column)| Head {
            text: crosstab.measures()[column.measure].label.clone(),
            columns: (place, 1),
            rows: 1,
            total: column.height > 0,
            blank: false,
            made: false,
        });
        heads.push(measures.collect());
    }
    heads
}

/// The heading of an entry in the row of a level: its label, or `total` for the entry above.
fn head(axis: &Axis, entry: Entry, level: usize, place: usize) -> Head {
    let total = entry.level() < level;
    let path = axis.path(entry);
    Head {
        text: if total { "total".into() } else { label(&path) },
        columns: (place, 1),
        rows: if total { axis.depth() - entry.level() } else { 1 },
        total,
        blank: !total && path.last().is_some_and(MemberRef::is_blank),
        made: !total && is_made(&path),
    }
}

/// Whether a path ends in a member that is made of others.
fn is_made(path: &[MemberRef<'_>]) -> bool {
    path.last().is_some_and(|last| matches!(last.member(), Member::Others(_) | Member::Calculated(..)))
}

fn ancestor(axis: &Axis, entry: Entry, level: usize) -> Entry {
    let mut entry = entry;
    while entry.level() > level {
        match axis.parent(entry) {
            Some(parent) => entry = parent,
            None => break,
        }
    }
    entry
}

fn rows(crosstab: &CrossTab, columns: &[SheetColumn], scales: &[Scale]) -> Vec<SheetRow> {
    let axis = crosstab.rows();
    let mut rows: Vec<SheetRow> = Vec::new();
    let mut headed: Vec<Entry> = Vec::new();
    for entry in axis.entries() {
        // Members whose total stands after them, or nowhere, get a heading before them.
        for level in 1..entry.level() {
            let above = ancestor(axis, *entry, level);
            if axis.total_of(level) != Placement::Before && headed.get(level - 1) != Some(&above) {
                headed.truncate(level - 1);
                headed.resize(level, above);
                rows.push(row(axis, above, RowKind::Heading, Vec::new()));
            }
        }
        let kind = match entry.level() {
            level if level == axis.depth() && level > 0 => RowKind::Member,
            0 => RowKind::Total,
            _ => RowKind::Subtotal,
        };
        let cells = columns.iter().map(|column| cell(crosstab, *entry, column, scales)).collect();
        rows.push(row(axis, *entry, kind, cells));
    }
    rows
}

fn row(axis: &Axis, entry: Entry, kind: RowKind, cells: Vec<SheetCell>) -> SheetRow {
    let path = axis.path(entry);
    let after = kind == RowKind::Subtotal && axis.total_of(entry.level()) == Placement::After;
    let label = match kind {
        RowKind::Total => "total".into(),
        _ if after => format!("{} total", label(&path)),
        _ => label(&path),
    };
    let blank = path.last().is_some_and(MemberRef::is_blank);
    let made = is_made(&path);
    SheetRow { label, indent: entry.level().saturating_sub(1), kind, blank, made, cells }
}

fn cell(crosstab: &CrossTab, row: Entry, column: &SheetColumn, scales: &[Scale]) -> SheetCell {
    let format = crosstab.format(row, column.entry, column.measure);
    let Some(cell) = crosstab.cell(row, column.entry) else {
        return SheetCell { text: format.blank.clone(), tint: None };
    };
    SheetCell { text: shown(cell.value(column.measure), format), tint: tint(scales, &cell, column.measure) }
}

fn shown(value: Option<Value>, format: &NumberFormat) -> String {
    let Some(value) = value else { return format.blank.clone() };
    let mut text = show_number(&value, format);
    // Digits stand under digits although only some numbers have a closing bracket.
    if format.negative == Negative::Brackets && !text.ends_with(')') {
        text.push('\u{2007}');
    }
    text
}

/// The label of the last member of a path. Under a longer period of the same calendar a period is
/// told by what is new in it: a quarter of 2025 is `Q1`.
fn label(path: &[MemberRef<'_>]) -> String {
    let Some(last) = path.last() else { return String::new() };
    if last.is_blank() {
        return format!("no {}", last.dimension().label);
    }
    let full = last.label();
    if last.shown() != full {
        return last.shown().to_string();
    }
    let column =
        |member: &MemberRef<'_>| member.dimension().name.rsplit_once('.').map(|(base, _)| base.to_string());
    let above = path[..path.len() - 1].iter().rev().find(|above| {
        let running = [DatePart::Year, DatePart::Quarter, DatePart::Month];
        above.dimension().part.is_some_and(|part| running.contains(&part)) && column(above) == column(last)
    });
    let same_year = above.is_some_and(|above| full.get(..4) == above.label().get(..4));
    let short = match last.dimension().part {
        _ if !same_year => None,
        Some(DatePart::Quarter | DatePart::Week) => full.get(5..).map(str::to_string),
        Some(DatePart::Month) => month(full),
        Some(DatePart::Day) => month(full).zip(full.get(8..)).map(|(month, day)| format!("{day} {month}")),
        _ => None,
    };
    short.unwrap_or_else(|| full.to_string())
}

fn month(label: &str) -> Option<String> {
    let names = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let number: usize = label.get(5..7)?.parse().ok()?;
    names.get(number.checked_sub(1)?).map(|name| name.to_string())
}

fn legend(crosstab: &CrossTab, scales: &[Scale]) -> Vec<LegendEntry> {
    let entry = |(place, scale): (usize, &Scale)| {
        let measure = &crosstab.measures()[scale.measure];
        let Scale { yardstick, apart, format, .. } = scale;
        let level = |axis: &Axis, level: usize, apart: &Option<String>| {
            let name = level.checked_sub(1).map(|i| axis.dimensions()[i].label.clone());
            match apart {
                Some(member) => Some(name.map_or(member.clone(), |name| format!("{name} ({member})"))),
                None => name,
            }
        };
        let levels = [
            level(crosstab.rows(), scale.row_level, &apart[0]),
            level(crosstab.columns(), scale.column_level, &apart[1]),
        ];
        let levels: Vec<String> = levels.into_iter().flatten().collect();
        let among = if levels.is_empty() { "totals".into() } else { levels.join(" by ") };
        LegendEntry {
            scale: place,
            text: format!("{}, {among}: {} cells", measure.label, yardstick.count),
            ends: (show_number(&yardstick.low, format), show_number(&yardstick.high, format)),
        }
    };
    scales.iter().enumerate().map(entry).collect()
}

fn notes(crosstab: &CrossTab) -> Vec<String> {
    let (report, tally) = (crosstab.report(), crosstab.tally());
    let mut notes = Vec::new();
    let mut first = format!("{} read from {}", lines(report.read), crosstab.source());
    if let Some(condition) = crosstab.condition() {
        first.push_str(&format!("; {} left out by: {condition}", lines(report.excluded)));
    }
    notes.push(first);
    if crosstab.is_empty() {
        notes.push("there is no line to show".into());
    }
    let counted = [
        (lines(report.undecided), report.undecided, "left out because the condition met a blank"),
        (lines(tally.empty_lines), tally.empty_lines, "dropped because empty"),
        (values(tally.blanked), tally.blanked, "taken as blank because of not fitting the column's kind"),
        (lines(report.zero_divisions), report.zero_divisions, "blank because of a division by zero"),
    ];
    notes.extend(
        counted.iter().filter(|(_, count, _)| *count > 0).map(|(what, _, why)| format!("{what} {why}")),
    );
    for unmatched in &tally.unmatched {
        let Unmatched { table, lines: count, keys, examples } = unmatched;
        let more = if *keys > examples.len() as u64 { ", …" } else { "" };
        notes.push(format!("{} found no partner in {table}: {}{more}", lines(*count), examples.join(", ")));
    }
    for (dimension, count) in &report.blank_members {
        let all = crosstab.rows().dimensions().iter().chain(crosstab.columns().dimensions());
        let label =
            all.filter(|d| d.name == *dimension).map(|d| d.label.as_str()).next().unwrap_or(dimension);
        notes.push(format!("{} with no {label}", lines(*count)));
    }
    notes.extend(crosstab.picked().iter().cloned());
    notes.extend(crosstab.warnings().iter().cloned());
    notes
}

fn lines(count: u64) -> String {
    if count == 1 { "1 line".into() } else { format!("{} lines", grouped(count)) }
}

fn values(count: u64) -> String {
    if count == 1 { "1 value".into() } else { format!("{} values", grouped(count)) }
}

fn grouped(count: u64) -> String {
    show_number(&Value::Exact { digits: count.into(), scale: 0 }, &NumberFormat::default())
}
