//! Strips: the members of each group as points, against the mean of their group.

use pivvel_core::CrossTab;
use pivvel_core::brief::Tone;
use pivvel_core::result::{ColumnEntry, RowEntry, View};
use pivvel_core::text::Sentence;
use svg::node::element::{Circle, SVG};

use super::canvas::{Canvas, Hold, Medium, Member, NAME, Scale, figure_words, fitting, round, text_width};
use super::panel::Panel;
use crate::labels::label;
use crate::page::classes::Use;
use crate::palette::Paint;

const FIELD: f64 = 340.0;
const STRIP: f64 = 34.0;

/// The members of one group that have a value.
struct Group {
    parent: RowEntry,
    members: Vec<(RowEntry, f64)>,
}

impl Group {
    fn mean(&self) -> f64 {
        self.members.iter().map(|(_, value)| value).sum::<f64>() / self.members.len() as f64
    }
}

pub(super) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    let (crosstab, appearance) = (view.crosstab(), medium.appearance);
    let hidden = crosstab.hides_figure(0);
    let groups = groups(crosstab, &panel.members(crosstab));
    let everything: Vec<f64> = groups_of(crosstab, &panel.scaled(view))
        .flat_map(|group| group.members)
        .map(|(_, value)| value)
        .collect();
    let names: Vec<String> =
        groups.iter().map(|group| label(&crosstab.rows().path(group.parent), &appearance.words)).collect();
    let margin = names.iter().map(|name| text_width(name)).fold(40.0, f64::max).min(NAME) + 14.0;
    let top = if panel.title.is_some() { 30.0 } else { 10.0 };
    let foot = top + groups.len() as f64 * STRIP;
    let mut canvas = Canvas::new(&appearance.title(crosstab), margin + FIELD + 150.0, foot + 48.0);
    panel.head(&mut canvas);
    let scale = Scale::new(&everything, false, (margin + 8.0, margin + FIELD - 8.0));
    let format = crosstab.measures()[0].format();
    canvas.scale_below(&scale, (top, foot), "base", (appearance, (!hidden).then_some(format)));
    for (i, (group, name)) in groups.iter().zip(&names).enumerate() {
        let y = top + (i as f64 + 0.5) * STRIP;
        let member = Member::new(crosstab, group.parent, Vec::new(), medium);
        canvas.text_on(&member, (margin - 8.0, y + 4.0), &fitting(name, margin - 12.0), Hold::End, "");
        canvas.line((margin, y), (margin + FIELD, y), "rule");
        draw_points(&mut canvas, crosstab, (group, name), (&scale, y), medium);
        let mean = group.mean();
        let x = scale.place(mean);
        canvas.line((x, y - 12.0), (x, y + 12.0), "mean");
        let count = group.members.iter().filter(|(_, value)| *value > mean).count();
        let above = match hidden {
            true => Sentence::from("{count} of {all} above"),
            false => Sentence::from("{count} of {all} above {number}")
                .with("number", appearance.number(&pivvel_core::Value::Float(mean), &short(format))),
        };
        let text = appearance.words.say(above.with("count", count).with("all", group.members.len()));
        canvas.text((margin + FIELD + 8.0, y + 4.0), &text, Hold::Start, "soft");
    }
    let measure = crosstab.measures()[0].label();
    let what = crosstab.rows().dimensions().last().map_or("", |d| d.label());
    let caption = Sentence::from("{measure}: one point a {member}, the stroke is the mean of its group");
    let caption = appearance.words.say(caption.with("measure", measure).with("member", what));
    canvas.text((0.0, foot + 38.0), &caption, Hold::Start, "soft");
    canvas.finish()
}

/// A point for every member of a group.
fn draw_points(
    canvas: &mut Canvas,
    crosstab: &CrossTab,
    (group, name): (&Group, &str),
    (scale, y): (&Scale, f64),
    medium: &mut Medium<'_>,
) {
    let (paints, mean) = (sides(crosstab), group.mean());
    for (row, value) in &group.members {
        let up = *value > mean;
        let side = if up { "above the mean of {group}" } else { "not above the mean of {group}" };
        let class = format!("{} f", medium.classes.of(if up { paints[0] } else { paints[1] }, Use::Shape));
        let words = vec![
            figure_words(medium.appearance, crosstab, (*row, ColumnEntry::TOTAL), 0),
            medium.appearance.words.say(Sentence::from(side).with("group", name)),
        ];
        let member = Member::new(crosstab, *row, words, medium);
        // Above the mean stands a little higher, so that no hue is needed to tell.
        let y = if up { y - 4.0 } else { y + 4.0 };
        let dot = Circle::new().set("cx", round(scale.place(*value))).set("cy", round(y)).set("r", 4.5);
        canvas.add(member.on(dot.set("class", class).set("fill-opacity", 0.75)));
    }
}

/// How points above the mean are painted, and those below.
fn sides(crosstab: &CrossTab) -> [Paint; 2] {
    let good = crosstab
        .emphases()
        .iter()
        .find_map(|e| e.planned().spec().get_good().filter(|_| e.planned().measure() == Some(0)));
    let sides = match good {
        Some(pivvel_core::brief::Side::Low) => [Tone::Loss, Tone::Gain],
        _ => [Tone::Gain, Tone::Loss],
    };
    sides.map(Paint::Tone)
}

/// A format without more decimals than a picture needs.
fn short(format: &pivvel_core::brief::NumberFormat) -> pivvel_core::brief::NumberFormat {
    format.clone().decimals(format.get_decimals().map(|d| d.min(1)).or(Some(1)))
}

fn groups(crosstab: &CrossTab, rows: &[RowEntry]) -> Vec<Group> {
    groups_of(crosstab, rows).collect()
}

fn groups_of<'c>(crosstab: &'c CrossTab, rows: &[RowEntry]) -> impl Iterator<Item = Group> + use<'c> {
    let mut groups: Vec<Group> = Vec::new();
    for row in rows {
        let value = crosstab.cell(*row, ColumnEntry::TOTAL).and_then(|cell| cell.value(0));
        let (Some(parent), Some(value)) = (crosstab.rows().parent(*row), value) else { continue };
        let known = groups.iter().position(|group| group.parent == parent).unwrap_or_else(|| {
            groups.push(Group { parent, members: Vec::new() });
            groups.len() - 1
        });
        groups[known].members.push((*row, value.as_f64()));
    }
    groups.into_iter()
}
