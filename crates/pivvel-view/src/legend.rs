//! What colours, bars and symbols mean, in words with a sample of each.

use pivvel_core::brief::{Form, NumberFormat, PeersOf, Reach, ScaleBy, Side};
use pivvel_core::formula::Formula;
use pivvel_core::result::{Axis, Emphasis, Grain, Scale};
use pivvel_core::{CrossTab, Value};

use crate::dress::{Wardrobe, bar_paint, step_position, symbol_paint, turned};
use crate::number::show_number;
use crate::palette::Paint;
use crate::signs::Symbol;

/// One line of a legend.
#[derive(Debug, Clone)]
pub struct LegendEntry {
    /// The form that it explains.
    pub form: Form,
    /// What it looks like.
    pub sample: Sample,
    /// What it is a scale of.
    pub text: String,
}

/// What a line of a legend shows.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Sample {
    /// A scale from end to end.
    Ramp {
        /// Places along it.
        paints: Vec<Paint>,
        /// What its ends and its middle say.
        ends: [String; 2],
        /// What its middle says.
        middle: Option<String>,
    },
    /// Colours or symbols with their names.
    Named(Vec<Swatch>),
    /// Nothing to show.
    Words,
}

/// A colour or a symbol with its name.
#[derive(Debug, Clone)]
pub struct Swatch {
    /// The colour.
    pub paint: Paint,
    /// The symbol, where there is one.
    pub symbol: Option<Symbol>,
    /// What it is called.
    pub name: String,
}

/// The legend of everything that stands out in a cross-tab.
pub(crate) fn legend(wardrobe: &Wardrobe<'_>) -> Vec<LegendEntry> {
    let mut entries = Vec::new();
    for (place, emphasis) in wardrobe.crosstab.emphases().iter().enumerate() {
        let planned = emphasis.planned();
        match planned.spec.form {
            Form::Link => {}
            Form::Trend => entries.extend(trend(wardrobe, place, emphasis)),
            form if !planned.rules.is_empty() => {
                let swatches = (0..planned.rules.len()).map(|rule| Swatch {
                    paint: wardrobe.rule_paint(place, rule, (!emphasis.scales().is_empty()).then_some(0)),
                    symbol: (form == Form::Symbol).then(|| wardrobe.rule_symbol(place, rule)),
                    name: planned.rules[rule].name.clone(),
                });
                let text = format!("{}{}", subject(wardrobe.crosstab, emphasis), reach(emphasis));
                entries.push(LegendEntry { form, sample: Sample::Named(swatches.collect()), text });
            }
            _ => entries.extend(scales(wardrobe, place, emphasis)),
        }
    }
    entries
}

/// The sample of the tint that a measure's cells of the deepest rows wear.
pub(crate) fn legend_of(wardrobe: &Wardrobe<'_>, measure: usize) -> Option<Sample> {
    let depth = wardrobe.crosstab.rows().depth();
    let tint = |(place, emphasis): (usize, &Emphasis)| {
        let planned = emphasis.planned();
        let own = planned.measure == Some(measure) && planned.spec.form == Form::Tint;
        let scale = emphasis.scales().iter().position(|scale| scale.grain == Grain::new(depth, 0));
        Some(entry(wardrobe, place, emphasis, scale.filter(|_| own)?, 1).sample)
    };
    wardrobe.crosstab.emphases().iter().enumerate().find_map(tint)
}

/// What an emphasis is about: its measure, and what else decides.
pub(crate) fn subject(crosstab: &CrossTab, emphasis: &Emphasis) -> String {
    let planned = emphasis.planned();
    let measures = crosstab.measures();
    let on = planned.measure.map_or(planned.spec.on.clone(), |measure| measures[measure].label.clone());
    let less = planned.about_formula().map_or(String::new(), |about| format!(" less {about}"));
    match planned.spec.by.as_ref().filter(|by| by.as_str() != planned.spec.on) {
        Some(by) => format!("{on} by {by}{less}"),
        None => format!("{on}{less}"),
    }
}

fn reach(emphasis: &Emphasis) -> String {
    let spec = &emphasis.planned().spec;
    let only = spec.only.as_ref().map_or(String::new(), |only| format!(", where {only}"));
    if spec.reach == Reach::Row { format!(", on the whole row{only}") } else { only }
}

fn trend(wardrobe: &Wardrobe<'_>, place: usize, emphasis: &Emphasis) -> Option<LegendEntry> {
    let trend = wardrobe.crosstab.trends().iter().find(|trend| trend.emphasis == place)?;
    let (first, last) = trend.periods.first().zip(trend.periods.last())?;
    let text = format!(
        "{} from {first} to {last}, each level of rows on a scale of its own",
        subject(wardrobe.crosstab, emphasis)
    );
    Some(LegendEntry { form: Form::Trend, sample: Sample::Words, text })
}

/// A line for each scale; for one grain whose peers are in many groups a single one.
fn scales(wardrobe: &Wardrobe<'_>, place: usize, emphasis: &Emphasis) -> Vec<LegendEntry> {
    let mut entries = Vec::new();
    let joined = emphasis.planned().spec.peers == PeersOf::All;
    let mut met: Vec<(Option<Grain>, &[Option<String>; 2])> = Vec::new();
    for (i, scale) in emphasis.scales().iter().enumerate() {
        let of = |scale: &'_ Scale| (!joined).then_some(scale.grain);
        let grain = (of(scale), &scale.apart);
        if met.contains(&grain) {
            continue;
        }
        met.push(grain);
        let same = |other: &Scale| (of(other), &other.apart) == grain;
        let all = emphasis.scales().iter().enumerate().filter(|(_, other)| same(other));
        if !all.clone().any(|(i, _)| wardrobe.uses(place, i)) {
            continue;
        }
        let groups = if joined { 1 } else { all.count() };
        entries.push(entry(wardrobe, place, emphasis, i, groups));
    }
    entries
}

fn entry(wardrobe: &Wardrobe<'_>, place: usize, emphasis: &Emphasis, i: usize, groups: usize) -> LegendEntry {
    let scale = &emphasis.scales()[i];
    let (planned, spec) = (emphasis.planned(), &emphasis.planned().spec);
    let diverging = planned.is_diverging();
    let palette = wardrobe.palette(place, Some(i));
    let steps = spec.scale_steps();
    let paint = |position: f64| match spec.form {
        Form::Symbol => symbol_paint(position, diverging, spec.good),
        Form::Bar => bar_paint(palette, diverging && position < 0.0, spec.good),
        _ => Paint::Place { palette, position: turned(position, diverging, spec.good) },
    };
    let ends = ends(wardrobe, emphasis, scale, groups);
    let sample = match steps {
        Some(steps) => {
            let step = |step: u8| Swatch {
                paint: paint(step_position((step, steps), diverging)),
                symbol: (spec.form == Form::Symbol).then(|| Symbol {
                    set: wardrobe.set(place),
                    step,
                    of: steps,
                }),
                name: step_name(scale, (step, steps), diverging, &ends.format, ends.shown),
            };
            Sample::Named((0..steps).map(step).collect())
        }
        None => {
            let from = if diverging { -1.0 } else { 0.0 };
            let paints = (0..=12).map(|k| paint(from + (1.0 - from) * f64::from(k) / 12.0)).collect();
            Sample::Ramp { paints, ends: ends.texts, middle: ends.middle }
        }
    };
    let text = format!(
        "{}{}, {}{}",
        subject(wardrobe.crosstab, emphasis),
        reach(emphasis),
        among(wardrobe, emphasis, scale, groups),
        good(spec.good)
    );
    LegendEntry { form: spec.form, sample, text }
}

fn good(side: Option<Side>) -> &'static str {
    match side {
        Some(Side::High) => "; high is good",
        Some(Side::Low) => "; low is good",
        None => "",
    }
}

struct Ends {
    texts: [String; 2],
    middle: Option<String>,
    format: NumberFormat,
    shown: bool,
}

/// What stands at the ends of a scale. Where figures are hidden, or each group has its own ends,
/// words do.
fn ends(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis, scale: &Scale, groups: usize) -> Ends {
    let (planned, crosstab) = (emphasis.planned(), wardrobe.crosstab);
    let measure = planned.measure.unwrap_or(0);
    let format = crosstab.format_apart(scale, measure).clone();
    let own = planned.spec.by.is_none()
        || planned.spec.by.as_ref().is_some_and(|by| by.as_str() == planned.spec.on);
    let format = if own { format } else { NumberFormat::default() };
    let shown = groups == 1 && !crosstab.hides_scale(emphasis) && !scale.is_by_rank();
    let number = |value: f64, exact: &Value| match exact.as_f64() == value {
        true => show_number(exact, &format),
        false => show_number(&Value::Float(value), &format),
    };
    let reach = scale.middle.map(|middle| (scale.high - middle).max(middle - scale.low));
    let (low, high) = match (scale.middle, reach) {
        (Some(middle), Some(reach)) => (middle - reach, middle + reach),
        _ => (scale.low, scale.high),
    };
    let words = if scale.is_by_rank() { ["last", "first"] } else { ["lowest", "highest"] };
    let texts = match shown {
        true => [number(low, &scale.yardstick.low), number(high, &scale.yardstick.high)],
        false => words.map(str::to_string),
    };
    let middle = scale.middle.map(|middle| match planned.spec.about.as_ref().map(Formula::as_str) {
        Some("mean") if !shown => "mean".to_string(),
        Some("mean") => format!("mean {}", show_number(&Value::Float(middle), &format)),
        _ if shown => whole(middle, &format),
        _ => "middle".to_string(),
    });
    Ends { texts, middle, format, shown }
}

/// A number without digits that say nothing.
fn whole(value: f64, format: &NumberFormat) -> String {
    if value == 0.0 { "0".into() } else { show_number(&Value::Float(value), format) }
}

/// From where to below where a step reaches.
fn step_name(
    scale: &Scale,
    (step, of): (u8, u8),
    diverging: bool,
    format: &NumberFormat,
    shown: bool,
) -> String {
    if !shown {
        return match step {
            0 => "lowest".into(),
            last if last + 1 == of => "highest".into(),
            _ => String::new(),
        };
    }
    let (low, high) = match scale.middle.filter(|_| diverging) {
        Some(middle) => {
            let reach = (scale.high - middle).max(middle - scale.low);
            (middle - reach, middle + reach)
        }
        None => (scale.low, scale.high),
    };
    let cut =
        |step: u8| show_number(&Value::Float(low + (high - low) * f64::from(step) / f64::from(of)), format);
    match step {
        0 => format!("below {}", cut(1)),
        last if last + 1 == of => format!("{} or more", cut(last)),
        step => format!("{} to below {}", cut(step), cut(step + 1)),
    }
}

/// Among which cells.
fn among(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis, scale: &Scale, groups: usize) -> String {
    let (rows, columns) = (wardrobe.crosstab.rows(), wardrobe.crosstab.columns());
    let level = |axis: &Axis, level: usize, apart: &Option<String>| {
        let name = level.checked_sub(1).map(|i| axis.dimensions()[i].label.clone());
        match apart {
            Some(member) => Some(name.map_or(member.clone(), |name| format!("{name} ({member})"))),
            None => name,
        }
    };
    let levels =
        [level(rows, scale.grain.row, &scale.apart[0]), level(columns, scale.grain.column, &scale.apart[1])];
    let levels: Vec<String> = levels.into_iter().flatten().collect();
    let planned = emphasis.planned();
    let levels = match planned.spec.peers {
        PeersOf::All => {
            let apart = scale.apart.iter().flatten().map(|member| format!(" ({member})"));
            format!("all levels together{}", apart.collect::<String>())
        }
        _ if levels.is_empty() => "totals".into(),
        _ => levels.join(" by "),
    };
    let peers = match planned.spec.peers.name() {
        "level" | "all" => String::new(),
        name => format!(", each by its {}", if name == "siblings" { "siblings" } else { name }),
    };
    let cells = match (groups, scale.yardstick.count) {
        (1, 1) => "1 cell".into(),
        (1, count) => format!("{count} cells"),
        (groups, _) => format!("{groups} groups"),
    };
    let clip =
        planned.spec.clip.as_ref().map_or(String::new(), |(low, high)| format!(", ends at {low} and {high}"));
    let from = match &planned.spec.yardstick {
        pivvel_core::brief::YardstickOf::Shown => String::new(),
        pivvel_core::brief::YardstickOf::All => ", by all before members were picked".into(),
        pivvel_core::brief::YardstickOf::Kept(file) => format!(", by {file}"),
    };
    let rank = if planned.spec.scale == ScaleBy::Rank { ", by rank" } else { "" };
    format!("{levels}{peers}: {cells}{rank}{clip}{from}")
}
