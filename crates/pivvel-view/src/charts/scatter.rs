//! Scatters: two measures of the same members against each other, with the mean of each.

use pivvel_core::CrossTab;
use pivvel_core::result::{ColumnEntry, RowEntry, View};
use svg::node::element::{Circle, SVG};

use super::bars::{Series, draw_series, place_series};
use super::canvas::{
    Canvas, Hold, Medium, Member, NAME, Scale, figure_words, fitting, round, text_width, tick_text,
};
use super::panel::Panel;
use crate::labels::label;
use crate::page::members::Hue;

const WIDTH: f64 = 430.0;
const HEIGHT: f64 = 300.0;
/// How many points are named.
const NAMED: usize = 14;

pub(super) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    let (crosstab, appearance) = (view.crosstab(), medium.appearance);
    let value = |row: RowEntry, measure: usize| {
        crosstab
            .cell(row, ColumnEntry::TOTAL)
            .and_then(|cell| cell.value(measure))
            .map(|value| value.as_f64())
    };
    let both = |row: &RowEntry| Some((*row, value(*row, 0)?, value(*row, 1)?));
    let points: Vec<(RowEntry, f64, f64)> = panel.members(crosstab).iter().filter_map(both).collect();
    let scaled: Vec<(RowEntry, f64, f64)> = panel.scaled(view).iter().filter_map(both).collect();
    let hidden = crosstab.hides_figure(0) || crosstab.hides_figure(1);
    let top = if panel.title.is_some() { 52.0 } else { 30.0 };
    let (width, foot) = (panel.wide(WIDTH), top + HEIGHT);
    let formats = [0, 1].map(|measure| appearance.words.format(crosstab.measures()[measure].format()));
    let up = Scale::new(&scaled.iter().map(|p| p.2).collect::<Vec<_>>(), false, (foot - 10.0, top + 10.0));
    let names: Vec<(f64, String)> =
        up.ticks().into_iter().map(|tick| (tick, tick_text(tick, &formats[1]))).collect();
    let left = if hidden {
        14.0
    } else {
        names.iter().map(|(_, text)| text_width(text)).fold(20.0, f64::max) + 12.0
    };
    let across = Scale::new(
        &scaled.iter().map(|p| p.1).collect::<Vec<_>>(),
        false,
        (left + 10.0, left + width - 10.0),
    );
    let groups = parents(view, panel, &points);
    let series = series(crosstab, &groups, (left, left + width), medium);
    let below = 64.0 + series.last().map_or(0.0, |last| last.at.1);
    let mut canvas = Canvas::new(&appearance.title(crosstab), left + width + 120.0, foot + below);
    panel.head(&mut canvas);
    canvas.text((0.0, top - 10.0), crosstab.measures()[1].label(), Hold::Start, "strong");
    for (tick, text) in &names {
        canvas.line((left, up.place(*tick)), (left + width, up.place(*tick)), "rule");
        if !hidden {
            canvas.text((left - 6.0, up.place(*tick) + 4.0), text, Hold::End, "soft");
        }
    }
    for tick in across.ticks() {
        canvas.line((across.place(tick), top), (across.place(tick), foot), "rule");
        if !hidden {
            canvas.text(
                (across.place(tick), foot + 16.0),
                &tick_text(tick, &formats[0]),
                Hold::Middle,
                "soft",
            );
        }
    }
    canvas.text((left + width, foot + 34.0), crosstab.measures()[0].label(), Hold::End, "strong");
    let mean = appearance.words.say("mean");
    draw_means(&mut canvas, &points, (&across, &up), ((left, left + width), (top, foot)), &mean);
    draw_series(&mut canvas, &series, foot + 54.0, medium);
    draw_points(&mut canvas, crosstab, (&points, &groups), (&across, &up), medium);
    canvas.finish()
}

type Point = (RowEntry, f64, f64);

/// The groups that give points their colours, where there are several.
fn series(
    crosstab: &CrossTab,
    groups: &[RowEntry],
    room: (f64, f64),
    medium: &mut Medium<'_>,
) -> Vec<Series> {
    let axis = crosstab.rows();
    let name = |parent: &RowEntry| {
        (label(&axis.path(*parent), &medium.appearance.words), medium.marks.hue(axis, *parent))
    };
    let names = groups.iter().map(name).collect();
    if groups.len() > 1 { place_series(names, room) } else { Vec::new() }
}

/// A line for the mean of either measure, within these bounds.
fn draw_means(
    canvas: &mut Canvas,
    points: &[Point],
    (across, up): (&Scale, &Scale),
    ((left, right), (top, foot)): ((f64, f64), (f64, f64)),
    name: &str,
) {
    if !points.is_empty() {
        let mean = |of: fn(&Point) -> f64| points.iter().map(of).sum::<f64>() / points.len() as f64;
        let (x, y) = (across.place(mean(|p| p.1)), up.place(mean(|p| p.2)));
        canvas.line((x, top), (x, foot), "base");
        canvas.line((left, y), (right, y), "base");
        canvas.text((left + 4.0, y - 5.0), name, Hold::Start, "soft");
        canvas.text((x, top - 4.0), name, Hold::Middle, "soft");
    }
}

fn draw_points(
    canvas: &mut Canvas,
    crosstab: &CrossTab,
    (points, groups): (&[Point], &[RowEntry]),
    (across, up): (&Scale, &Scale),
    medium: &mut Medium<'_>,
) {
    for (row, x, y) in points {
        let group = crosstab.rows().parent(*row).filter(|parent| groups.contains(parent));
        let hue = group.map_or(Hue::Category(0), |parent| medium.marks.hue(crosstab.rows(), parent));
        let class = format!("{} f", medium.classes.category(hue));
        let words = [0, 1]
            .map(|measure| figure_words(medium.appearance, crosstab, (*row, ColumnEntry::TOTAL), measure))
            .to_vec();
        let member = Member::new(crosstab, *row, words, medium);
        let (x, y) = (across.place(*x), up.place(*y));
        let dot = Circle::new().set("cx", round(x)).set("cy", round(y)).set("r", 5).set("class", class);
        canvas.add(member.on(dot.set("fill-opacity", 0.8)));
    }
    let places: Vec<(f64, f64)> = points.iter().map(|(_, x, y)| (across.place(*x), up.place(*y))).collect();
    let mut named = far_out(&places);
    named.sort_unstable();
    let mut taken: Vec<(f64, f64, f64)> = Vec::new();
    for i in named {
        let name = fitting(&label(&crosstab.rows().path(points[i].0), &medium.appearance.words), NAME);
        let (width, y) = (text_width(&name), places[i].1);
        // Right of its point, or left of it. One that would lie on another name or point is left to pointing.
        let sides = [places[i].0 + 8.0, places[i].0 - 8.0 - width];
        let free = |x: &f64| {
            let meets = |(a, b): (f64, f64), room: f64| a < x + width && b > *x && room < 12.0;
            let on_name = |(a, b, w): &(f64, f64, f64)| meets((*a, a + w), (b - y).abs());
            let on_point = |(a, b): &(f64, f64)| meets((a - 5.0, a + 5.0), (b - y).abs());
            *x >= 0.0 && !taken.iter().any(on_name) && !places.iter().any(on_point)
        };
        if let Some(x) = sides.into_iter().find(free) {
            taken.push((x, y, width));
            canvas.text((x, y + 4.0), &name, Hold::Start, "soft");
        }
    }
}

fn parents(view: &View, panel: &Panel, points: &[(RowEntry, f64, f64)]) -> Vec<RowEntry> {
    let mut parents: Vec<RowEntry> = Vec::new();
    for (row, ..) in points {
        let parent = view
            .crosstab()
            .rows()
            .parent(*row)
            .filter(|parent| !parent.is_total() && Some(*parent) != panel.root);
        if let Some(parent) = parent.filter(|parent| !parents.contains(parent)) {
            parents.push(parent);
        }
    }
    parents
}

/// The points that stand furthest from the middle of all.
fn far_out(places: &[(f64, f64)]) -> Vec<usize> {
    let count = places.len().max(1) as f64;
    let (mx, my) = places.iter().fold((0.0, 0.0), |(a, b), (x, y)| (a + x / count, b + y / count));
    let mut order: Vec<usize> = (0..places.len()).collect();
    let far = |i: usize| (places[i].0 - mx).powi(2) + (places[i].1 - my).powi(2);
    order.sort_by(|a, b| far(*b).total_cmp(&far(*a)));
    order.truncate(NAMED);
    order
}
