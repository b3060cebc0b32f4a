//! Tiles: places on a grid that the brief gives, each with one or two measures.

use pivvel_core::CrossTab;
use pivvel_core::brief::Form;
use pivvel_core::result::{ColumnEntry, Grain, RowEntry, View};
use pivvel_core::text::Sentence;
use svg::node::element::SVG;

use super::canvas::{Canvas, Hold, LINE, Medium, Member, NAME, figure_words, fitting, text_width, wrapped};
use super::panel::Panel;
use crate::dress::Wardrobe;
use crate::labels::label;
use crate::legend::{Sample, legend_of};
use crate::page::classes::Use;
use crate::palette::Paint;

/// The size of a tile; it is wider where a name or a figure is.
const TILE: (f64, f64) = (118.0, 84.0);
/// Room beside what stands in a tile.
const BESIDE: f64 = 14.0;
const GAP: f64 = 6.0;

pub(super) fn draw(view: &View, panel: &Panel, medium: &mut Medium<'_>) -> SVG {
    let (crosstab, appearance) = (view.crosstab(), medium.appearance);
    let members = panel.members(crosstab);
    let grid = view.spec().get_grid();
    let columns = grid.iter().map(|(_, (column, _))| *column).max().unwrap_or(1);
    let rows = grid.iter().map(|(_, (_, row))| *row).max().unwrap_or(1);
    let top = if panel.title.is_some() { 30.0 } else { 4.0 };
    let own =
        |row: &RowEntry| crosstab.rows().path(*row).last().map(|m| m.label().to_string()).unwrap_or_default();
    let nowhere: Vec<String> =
        members.iter().map(own).filter(|label| !grid.iter().any(|(m, _)| m == label)).collect();
    let foot = top + f64::from(rows) * (TILE.1 + GAP);
    let size = (tile_width(crosstab, &members, grid, medium), TILE.1);
    let width = (f64::from(columns) * (size.0 + GAP)).max(320.0);
    let measures = crosstab.measures();
    let nowhere = match nowhere.is_empty() {
        true => Vec::new(),
        false => {
            let sentence = Sentence::from("without a place on the grid: {members}");
            wrapped(&appearance.words.say(sentence.with("members", nowhere.join(", "))), width)
        }
    };
    let lines = (1 + measures.len() + nowhere.len()) as f64;
    let mut canvas = Canvas::new(&appearance.title(crosstab), width, foot + lines * LINE);
    panel.head(&mut canvas);
    let wardrobe = Wardrobe::new(crosstab, medium.appearance);
    for (name, (column, row)) in grid {
        let at = (f64::from(column - 1) * (size.0 + GAP), top + f64::from(row - 1) * (size.1 + GAP));
        match members.iter().find(|member| own(member) == *name) {
            Some(member) => tile(&mut canvas, &wardrobe, *member, (at, size), medium),
            None => {
                canvas.rectangle(at, size, "empty", &Member::default());
                let name = fitting(name, size.0 - BESIDE);
                canvas.text((at.0 + 8.0, at.1 + 18.0), &name, Hold::Start, "soft");
            }
        }
    }
    for (i, measure) in measures.iter().enumerate() {
        let y = foot + 16.0 + i as f64 * LINE;
        let half = ["upper half: {measure}", "lower half: {measure}"][i.min(1)];
        let name = match measures.len() {
            1 => measure.label().to_string(),
            _ => appearance.words.say(Sentence::from(half).with("measure", measure.label())),
        };
        canvas.text((0.0, y), &name, Hold::Start, "soft");
        legend(&mut canvas, &wardrobe, i, (text_width(&name) + 14.0, y), medium);
    }
    for (i, text) in nowhere.iter().enumerate() {
        canvas.text((0.0, foot + 16.0 + (measures.len() + i) as f64 * LINE), text, Hold::Start, "soft");
    }
    canvas.finish()
}

/// How wide tiles are: as the longest name or figure in them.
fn tile_width(
    crosstab: &CrossTab,
    members: &[RowEntry],
    grid: &[(String, (u32, u32))],
    medium: &Medium<'_>,
) -> f64 {
    let names = members.iter().map(|row| label(&crosstab.rows().path(*row), &medium.appearance.words));
    let figures = members.iter().flat_map(|row| {
        let shown = (0..crosstab.measures().len().min(2)).filter(|measure| !crosstab.hides_figure(*measure));
        shown.filter_map(|measure| figure(crosstab, *row, measure, medium))
    });
    let places = grid.iter().map(|(name, _)| name.clone());
    let widest = names.chain(figures).chain(places).map(|text| text_width(&text)).fold(0.0, f64::max);
    TILE.0.max(widest.min(NAME) + BESIDE)
}

/// What stands in a tile for a measure.
fn figure(crosstab: &CrossTab, row: RowEntry, measure: usize, medium: &Medium<'_>) -> Option<String> {
    let value = crosstab.cell(row, ColumnEntry::TOTAL)?.value(measure)?;
    Some(medium.appearance.number(&value, crosstab.format(row, ColumnEntry::TOTAL, measure)))
}

/// One tile: its halves in the colours of its measures, with their figures.
fn tile(
    canvas: &mut Canvas,
    wardrobe: &Wardrobe<'_>,
    row: RowEntry,
    ((x, y), (wide, high)): ((f64, f64), (f64, f64)),
    medium: &mut Medium<'_>,
) {
    let crosstab = wardrobe.crosstab;
    let measures = crosstab.measures().len().min(2);
    let words = (0..measures)
        .map(|measure| figure_words(medium.appearance, crosstab, (row, ColumnEntry::TOTAL), measure))
        .collect();
    let member = Member::new(crosstab, row, words, medium);
    let part = high / measures as f64;
    for measure in 0..measures {
        let class = match paint(wardrobe, row, measure) {
            Some(paint) => format!("{} tinted", medium.classes.of(paint, Use::Tint)),
            None => "empty".into(),
        };
        let at = (x, y + part * measure as f64);
        canvas.rectangle(at, (wide, part), &class, &member);
        if measure == 0 {
            let name = label(&crosstab.rows().path(row), &medium.appearance.words);
            let name = fitting(&name, wide - BESIDE);
            canvas.text_on(&member, (x + 8.0, y + 18.0), &name, Hold::Start, "strong");
        }
        if let Some(text) = figure(crosstab, row, measure, medium).filter(|_| !crosstab.hides_figure(measure))
        {
            canvas.text_on(&member, (x + 8.0, at.1 + part - 9.0), &text, Hold::Start, "");
        }
    }
    canvas.rectangle((x, y), (wide, high), "outline", &Member::default());
}

/// The tint of the cell (default: by its position among its peers).
fn paint(wardrobe: &Wardrobe<'_>, row: RowEntry, measure: usize) -> Option<Paint> {
    if let Some(tint) = wardrobe.dress(row, ColumnEntry::TOTAL, measure).0.tint {
        return Some(tint);
    }
    let cell = wardrobe.crosstab.cell(row, ColumnEntry::TOTAL)?;
    cell.value(measure)?;
    let palette = wardrobe.appearance.theme.palette_at(measure);
    Some(Paint::Place { palette, position: cell.position(measure).unwrap_or(0.5) })
}

/// The scale of a measure: that of its tint, or the one by which its tiles are coloured without one.
fn legend(
    canvas: &mut Canvas,
    wardrobe: &Wardrobe<'_>,
    measure: usize,
    (x, y): (f64, f64),
    medium: &mut Medium<'_>,
) {
    let crosstab = wardrobe.crosstab;
    let depth = crosstab.rows().depth();
    let tinted = |e: &&pivvel_core::result::Emphasis| {
        let planned = e.planned();
        planned.measure() == Some(measure)
            && planned.spec().get_form() == Form::Tint
            && planned.grains().contains(&Grain::new(depth, 0))
    };
    if crosstab.emphases().iter().any(|e| tinted(&e)) {
        let own = legend_of(wardrobe, measure);
        if let Some(Sample::Ramp { paints, ends, .. }) = own {
            ramp(canvas, &paints, &ends, (x, y), medium);
        }
        return;
    }
    let peers = crosstab.peers(measure, Grain::new(depth, 0));
    let Some(yardstick) = peers.and_then(|peers| peers.yardstick()) else { return };
    let (format, appearance) = (crosstab.measures()[measure].format(), medium.appearance);
    let ends = match crosstab.hides_figure(measure) {
        true => ["lowest", "highest"].map(|end| appearance.words.say(end)),
        false => [appearance.number(&yardstick.low(), format), appearance.number(&yardstick.high(), format)],
    };
    let palette = appearance.theme.palette_at(measure);
    let paint = |step: i32| Paint::Place { palette, position: f64::from(step) / 11.0 };
    ramp(canvas, &(0..12).map(paint).collect::<Vec<_>>(), &ends, (x, y), medium);
}

fn ramp(
    canvas: &mut Canvas,
    paints: &[Paint],
    ends: &[String; 2],
    (x, y): (f64, f64),
    medium: &mut Medium<'_>,
) {
    canvas.text((x, y), &ends[0], Hold::Start, "");
    let start = x + text_width(&ends[0]) + 6.0;
    let wide = 84.0 / paints.len() as f64;
    for (i, paint) in paints.iter().enumerate() {
        let class = format!("{} tinted", medium.classes.of(*paint, Use::Tint));
        canvas.rectangle((start + wide * i as f64, y - 10.0), (wide + 0.2, 12.0), &class, &Member::default());
    }
    canvas.text((start + 90.0, y), &ends[1], Hold::Start, "");
}
