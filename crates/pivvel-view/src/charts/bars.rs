//! Bars: one a member, or one for each column of it, from a zero line that all share.

use pivvel_core::CrossTab;
use pivvel_core::result::{ColumnEntry, RowEntry, View};
use pivvel_core::text::Sentence;
use svg::node::element::SVG;

use super::canvas::{Canvas, Hold, LINE, Medium, Member, NAME, Scale, figure_words, fitting, text_width};
use super::panel::Panel;
use crate::appearance::Words;
use crate::colour::Rgb;
use crate::dress::Wardrobe;
use crate::labels::label;
use crate::page::classes::Use;
use crate::page::members::{Hue, own_colour};
use crate::palette::Paint;

/// How many members a picture shows at most.
const MOST: usize = 80;
/// The width of the field of bars.
const FIELD: f64 = 330.0;

/// A row of the picture.
enum Row {
    Heading(String),
    Bar { row: RowEntry, column: ColumnEntry, label: String, is_series: bool },
}

pub(super) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    let (crosstab, appearance) = (view.crosstab(), medium.appearance);
    let columns = leaves(crosstab);
    let rows = rows(view, panel, &columns, &appearance.words);
    let shown = &rows[..rows.len().min(MOST)];
    let hidden = crosstab.hides_figure(0);
    let value =
        |row: RowEntry, column: ColumnEntry| crosstab.cell(row, column).and_then(|cell| cell.value(0));
    let scaled: Vec<f64> = panel
        .scaled(view)
        .iter()
        .flat_map(|row| columns.iter().filter_map(|column| value(*row, *column)))
        .map(|value| value.as_f64())
        .collect();
    let (field, margin) = (panel.wide(FIELD), margin(view, panel, shown, &appearance.words));
    let top = if panel.title.is_some() { 28.0 } else { 8.0 };
    let series = match columns.len() {
        0 | 1 => Vec::new(),
        _ => series(&columns, crosstab, (margin, margin + field), medium),
    };
    let heights = heights(shown);
    let named = series.last().map_or(0.0, |last| last.at.1 + LINE);
    let height = top + named + heights.last().copied().unwrap_or_default() + 30.0;
    let figures = if hidden { 10.0 } else { 95.0 };
    let mut canvas = Canvas::new(&appearance.title(crosstab), margin + field + figures, height);
    panel.head(&mut canvas);
    draw_series(&mut canvas, &series, top + 12.0, medium);
    let first = top + named;
    let foot = first + heights.last().copied().unwrap_or_default();
    let scale = Scale::new(&scaled, true, (margin, margin + field));
    let format = crosstab.measures()[0].format();
    canvas.scale_below(&scale, (first, foot), "rule", (appearance, (!hidden).then_some(format)));
    let wardrobe = Wardrobe::new(crosstab, appearance);
    for (row, height) in shown.iter().zip(&heights) {
        let y = first + height;
        match row {
            Row::Heading(text) => {
                canvas.text((0.0, y + 15.0), &fitting(text, margin - 6.0), Hold::Start, "strong");
            }
            Row::Bar { row, column, label, is_series } => {
                canvas.text((margin - 8.0, y + 14.5), &fitting(label, margin - 12.0), Hold::End, "");
                draw_bar(&mut canvas, &wardrobe, (*row, *column), *is_series, (&scale, y), medium);
            }
        }
    }
    canvas.line((scale.place(0.0), first), (scale.place(0.0), foot), "base");
    if shown.len() < rows.len() {
        let more = Sentence::from("{count} more are not drawn").with("count", rows.len() - shown.len());
        let text = appearance.words.say(more);
        canvas.text((0.0, foot + 16.0), &text, Hold::Start, "soft");
    }
    canvas.finish()
}

/// The room that names of members have: the same in all panels.
fn margin(view: &View, panel: &Panel, rows: &[Row], words: &Words) -> f64 {
    let axis = view.crosstab().rows();
    let headings = rows.iter().map(|row| match row {
        Row::Heading(text) => text_width(text),
        Row::Bar { .. } => 0.0,
    });
    let named = panel.named(view.crosstab());
    let names = named.iter().take(MOST).map(|row| text_width(&label(&axis.path(*row), words)) + 12.0);
    headings.chain(names).fold(40.0, f64::max).min(NAME) + 10.0
}

/// The bar of a cell with its figure, where it has a value.
fn draw_bar(
    canvas: &mut Canvas,
    wardrobe: &Wardrobe<'_>,
    (row, column): (RowEntry, ColumnEntry),
    is_series: bool,
    (scale, y): (&Scale, f64),
    medium: &mut Medium<'_>,
) {
    let (crosstab, appearance) = (wardrobe.crosstab, medium.appearance);
    let Some(value) = crosstab.cell(row, column).and_then(|cell| cell.value(0)) else { return };
    let (zero, end) = (scale.place(0.0), scale.place(value.as_f64()));
    let class = match is_series {
        true => format!("{} f", medium.classes.category(medium.marks.hue(crosstab.columns(), column))),
        false => colour(wardrobe, row, column, medium),
    };
    let words = vec![figure_words(appearance, crosstab, (row, column), 0)];
    let member = Member::new(crosstab, row, words, medium);
    canvas.rectangle((zero.min(end), y + 3.0), ((end - zero).abs(), LINE - 6.0), &class, &member);
    if !crosstab.hides_figure(0) {
        let text = appearance.number(&value, crosstab.format(row, column, 0));
        canvas.text((zero.max(end) + 5.0, y + 14.5), &text, Hold::Start, "soft");
    }
}

/// Where rows begin, and where the last one ends. Bars of one member stand together, apart from those of the next.
fn heights(rows: &[Row]) -> Vec<f64> {
    let mut at = 0.0;
    let mut heights = Vec::with_capacity(rows.len() + 1);
    for (i, row) in rows.iter().enumerate() {
        let begins = matches!(row, Row::Bar { label, is_series: true, .. } if !label.is_empty());
        at += if begins && i > 0 { LINE / 3.0 } else { 0.0 };
        heights.push(at);
        at += LINE;
    }
    heights.push(at);
    heights
}

/// The columns of the deepest level; the total where there are none.
fn leaves(crosstab: &CrossTab) -> Vec<ColumnEntry> {
    let axis = crosstab.columns();
    axis.entries().iter().copied().filter(|entry| entry.level() == axis.depth()).collect()
}

fn rows(view: &View, panel: &Panel, columns: &[ColumnEntry], words: &Words) -> Vec<Row> {
    let axis = view.crosstab().rows();
    let mut rows = Vec::new();
    let mut last = None;
    for row in panel.members(view.crosstab()) {
        let parent = axis.parent(row).filter(|parent| !parent.is_total() && Some(*parent) != panel.root);
        if parent.is_some() && parent != last {
            rows.extend(parent.map(|parent| Row::Heading(label(&axis.path(parent), words))));
            last = parent;
        }
        for (i, column) in columns.iter().enumerate() {
            let label = if i == 0 { label(&axis.path(row), words) } else { String::new() };
            rows.push(Row::Bar { row, column: *column, label, is_series: columns.len() > 1 });
        }
    }
    rows
}

/// The colour that the cell of the table has, or the first one where it has none.
fn colour(wardrobe: &Wardrobe<'_>, row: RowEntry, column: ColumnEntry, medium: &mut Medium<'_>) -> String {
    let (dress, _) = wardrobe.dress(row, column, 0);
    match (dress.bar, dress.tint, dress.ink) {
        (Some(bar), ..) => format!("{} f", medium.shape(bar.paint)),
        (None, Some(tint), _) => {
            // The very tint of the cell, with an edge where it is pale.
            format!("{} tinted edge", medium.classes.of(tint, Use::Tint))
        }
        (None, None, Some(ink)) => format!("{} f", medium.shape(ink)),
        (None, None, None) if own_colour_of(wardrobe, row).is_some() => {
            let hue = medium.marks.hue(wardrobe.crosstab.rows(), row);
            format!("{} f", medium.classes.category(hue))
        }
        (None, None, None) => format!(
            "{} f",
            medium.shape(Paint::Place { palette: medium.appearance.theme.palette_at(0), position: 1.0 })
        ),
    }
}

/// The colour that the brief gives to the member of a row.
fn own_colour_of(wardrobe: &Wardrobe<'_>, row: RowEntry) -> Option<Rgb> {
    own_colour(wardrobe.crosstab.rows().path(row).last()?)
}

/// The columns as series.
fn series(
    columns: &[ColumnEntry],
    crosstab: &CrossTab,
    room: (f64, f64),
    medium: &mut Medium<'_>,
) -> Vec<Series> {
    let axis = crosstab.columns();
    let name = |column: &ColumnEntry| {
        (label(&axis.path(*column), &medium.appearance.words), medium.marks.hue(axis, *column))
    };
    place_series(columns.iter().map(name).collect(), room)
}

/// What a colour stands for, and where that is written.
pub(super) struct Series {
    name: String,
    hue: Hue,
    pub(super) at: (f64, f64),
}

/// The names of series beside one another from one edge to the other, and in further lines where they need them.
pub(super) fn place_series(names: Vec<(String, Hue)>, (left, right): (f64, f64)) -> Vec<Series> {
    let (mut x, mut y) = (left, 0.0);
    let place = |(name, hue): (String, Hue)| {
        let name = fitting(&name, NAME);
        let wide = 16.0 + text_width(&name);
        if x > left && x + wide > right {
            (x, y) = (left, y + LINE);
        }
        let at = (x, y);
        x += wide + 14.0;
        Series { name, hue, at }
    };
    names.into_iter().map(place).collect()
}

/// The names of series with their colours.
pub(super) fn draw_series(canvas: &mut Canvas, series: &[Series], top: f64, medium: &mut Medium<'_>) {
    for Series { name, hue, at: (x, y) } in series {
        let class = format!("{} f", medium.classes.category(*hue));
        canvas.rectangle((*x, top + y - 9.0), (11.0, 11.0), &class, &Member::default());
        canvas.text((x + 16.0, top + y), name, Hold::Start, "");
    }
}
