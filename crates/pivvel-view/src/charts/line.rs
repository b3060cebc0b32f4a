//! Lines over periods: one a member, each with its name at its end.

use pivvel_core::CrossTab;
use pivvel_core::result::{ColumnEntry, RowEntry, View};
use pivvel_core::text::Sentence;
use svg::node::element::{Circle, Path, SVG};

use super::canvas::{
    Canvas, Hold, Medium, Member, NAME, Scale, figure_words, fitting, round, text_width, tick_text,
};
use super::panel::Panel;
use crate::appearance::Words;
use crate::labels::label;

const WIDTH: f64 = 430.0;
const HEIGHT: f64 = 250.0;
/// The least distance of two names.
const APART: f64 = 14.0;

pub(super) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    let (crosstab, appearance) = (view.crosstab(), medium.appearance);
    let rows = panel.members(crosstab);
    let periods = crosstab.period_places();
    let hidden = crosstab.hides_figure(0);
    let value =
        |row: RowEntry, column: ColumnEntry| crosstab.cell(row, column).and_then(|cell| cell.value(0));
    let scaled: Vec<f64> = panel
        .scaled(view)
        .iter()
        .flat_map(|row| periods.iter().filter_map(|(column, _)| value(*row, *column)))
        .map(|value| value.as_f64())
        .collect();
    let name = |row: &RowEntry| label(&crosstab.rows().path(*row), &appearance.words);
    let names: Vec<String> = rows.iter().map(name).collect();
    let (width, tall) = (panel.wide(WIDTH), panel.wide(HEIGHT).max(170.0));
    let field = tall.max(rows.len().min(24) as f64 * APART);
    let right =
        panel.named(crosstab).iter().map(name).map(|name| text_width(&name)).fold(30.0, f64::max).min(NAME)
            + 14.0;
    let top = if panel.title.is_some() { 30.0 } else { 12.0 };
    let height = top + field + 34.0;
    let foot = height - 34.0;
    let format = &appearance.words.format(crosstab.measures()[0].format());
    let scale = Scale::new(&scaled, false, (foot, top)).begun_at_a_tick();
    let ticks: Vec<(f64, String)> =
        scale.ticks().into_iter().map(|tick| (tick, tick_text(tick, format))).collect();
    let left = if hidden {
        12.0
    } else {
        ticks.iter().map(|(_, text)| text_width(text)).fold(20.0, f64::max) + 10.0
    };
    let mut canvas = Canvas::new(&appearance.title(crosstab), left + width + right, height);
    panel.head(&mut canvas);
    for (tick, text) in &ticks {
        let y = scale.place(*tick);
        canvas.line((left, y), (left + width, y), if *tick == 0.0 { "base" } else { "rule" });
        if !hidden {
            canvas.text((left - 6.0, y + 4.0), text, Hold::End, "soft");
        }
    }
    let across = |place: f64| left + 4.0 + (width - 8.0) * place;
    period_names((&mut canvas, &appearance.words), view, &periods, (left, foot, width), across);
    let mut ends: Vec<(f64, usize)> = Vec::new();
    for (i, row) in rows.iter().enumerate() {
        let points = periods.iter().map(|(column, place)| {
            let y = scale.place(value(*row, *column)?.as_f64());
            Some((across(*place), y, *column))
        });
        if let (path, Some((x, y, column))) = path(points) {
            draw_line(&mut canvas, crosstab, (*row, column), path, (x, y), medium);
            ends.push((y, i));
        }
    }
    let room = (left + width + 6.0, (top, foot), right - 10.0);
    place_names(&mut canvas, view, &rows, &names, ends, room, medium);
    canvas.finish()
}

/// The line of a member, and a dot where it ends.
fn draw_line(
    canvas: &mut Canvas,
    crosstab: &CrossTab,
    (row, column): (RowEntry, ColumnEntry),
    path: String,
    (x, y): (f64, f64),
    medium: &mut Medium<'_>,
) {
    let hue = medium.marks.hue(crosstab.rows(), row);
    let class = medium.classes.category(hue);
    let dash = if hue.is_shared() { "6 3" } else { "none" };
    let figure = figure_words(medium.appearance, crosstab, (row, column), 0);
    let words = medium.appearance.words.say(Sentence::from("last {figure}").with("figure", figure));
    let member = Member::new(crosstab, row, vec![words], medium);
    // A line is thin: what is beside it is taken for it, too.
    let beside = Path::new()
        .set("d", path.as_str())
        .set("class", "beside")
        .set("fill", "none")
        .set("stroke-width", 12)
        .set("pointer-events", "stroke");
    canvas.add(member.on(beside));
    let line = Path::new()
        .set("d", path)
        .set("class", format!("{class} k"))
        .set("stroke-width", 2)
        .set("stroke-dasharray", dash);
    canvas.add(member.on(line));
    let dot =
        Circle::new().set("cx", round(x)).set("cy", round(y)).set("r", 3).set("class", format!("{class} f"));
    canvas.add(member.on(dot));
}

/// A line from point to point with gaps where there is none, and its last point.
fn path(
    points: impl Iterator<Item = Option<(f64, f64, ColumnEntry)>>,
) -> (String, Option<(f64, f64, ColumnEntry)>) {
    let (mut path, mut down, mut last) = (String::new(), false, None);
    for point in points {
        if let Some((x, y, _)) = point {
            path.push_str(&format!("{}{} {}", if down { "L" } else { "M" }, round(x), round(y)));
            last = point;
        }
        down = point.is_some();
    }
    (path, last)
}

/// As many names of periods as there is room for.
fn period_names(
    (canvas, words): (&mut Canvas, &Words),
    view: &View,
    periods: &[(ColumnEntry, f64)],
    (left, foot, width): (f64, f64, f64),
    across: impl Fn(f64) -> f64,
) {
    canvas.line((left, foot), (left + width, foot), "base");
    let name = |entry: ColumnEntry| label(&view.crosstab().columns().path(entry), words);
    let widest = periods.iter().map(|(entry, _)| text_width(&name(*entry))).fold(10.0, f64::max) + 14.0;
    let room = (width / widest).floor().max(1.0) as usize;
    let every = periods.len().div_ceil(room).max(1);
    for (i, (entry, place)) in periods.iter().enumerate() {
        let x = across(*place);
        if i % every == 0 {
            canvas.line((x, foot), (x, foot + 4.0), "base");
            canvas.text((x, foot + 18.0), &name(*entry), Hold::Middle, "soft");
        }
    }
}

/// Writes the names at the ends of their lines, apart from one another.
fn place_names(
    canvas: &mut Canvas,
    view: &View,
    rows: &[RowEntry],
    names: &[String],
    mut ends: Vec<(f64, usize)>,
    (x, (top, foot), room): (f64, (f64, f64), f64),
    medium: &mut Medium<'_>,
) {
    ends.sort_by(|(a, _), (b, _)| a.total_cmp(b));
    // Very many names lie on one another rather than beyond the paper.
    let apart = APART.min((foot - top) / ends.len().saturating_sub(1).max(1) as f64);
    for i in 1..ends.len() {
        ends[i].0 = ends[i].0.max(ends[i - 1].0 + apart);
    }
    // What was pushed over the foot goes up again, and what is in its way, but no other name.
    let mut lowest = foot;
    for (y, _) in ends.iter_mut().rev() {
        *y = y.min(lowest);
        lowest = *y - apart;
    }
    for (y, i) in ends {
        let member = Member::new(view.crosstab(), rows[i], Vec::new(), medium);
        canvas.text_on(&member, (x, y + 4.0), &fitting(&names[i], room), Hold::Start, "");
    }
}
