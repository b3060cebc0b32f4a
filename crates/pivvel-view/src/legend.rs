//! What colours, bars and symbols mean, in words with a sample of each.

use pivvel_core::Value;
use pivvel_core::brief::{Form, NumberFormat, PeersOf, Reach, ScaleBy, Side, YardstickOf};
use pivvel_core::formula::Formula;
use pivvel_core::result::{Axis, Emphasis, Grain, OfAxis, Scale};
use pivvel_core::text::Sentence;

use crate::appearance::{Appearance, Words};
use crate::dress::{Wardrobe, bar_paint, step_position, symbol_paint, turned};
use crate::palette::Paint;
use crate::signs::Symbol;

/// One line of a legend.
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
/// assert!(layout.legend().iter().any(|entry| entry.text().contains("coast")));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct LegendEntry {
    pub(crate) form: Form,
    pub(crate) sample: Sample,
    pub(crate) text: String,
}

pivvel_core::getters! {
    LegendEntry {
        /// The form that it explains.
        form: Form,
        /// What it looks like.
        sample: &Sample,
        /// What it is a scale of.
        text: &str,
    }
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
#[non_exhaustive]
pub struct Swatch {
    pub(crate) paint: Paint,
    pub(crate) symbol: Option<Symbol>,
    pub(crate) name: String,
}

pivvel_core::getters! {
    Swatch {
        /// The colour.
        paint: Paint,
        /// The symbol, where there is one.
        symbol: Option<Symbol>,
        /// What it is called.
        name: &str,
    }
}

/// The legend of everything that stands out in a cross-tab.
pub(crate) fn legend(wardrobe: &Wardrobe<'_>) -> Vec<LegendEntry> {
    let mut entries = Vec::new();
    for (place, emphasis) in wardrobe.crosstab.emphases().iter().enumerate() {
        let planned = emphasis.planned();
        match planned.spec().get_form() {
            Form::Link => {}
            Form::Trend => entries.extend(trend(wardrobe, place, emphasis)),
            form if !planned.rules().is_empty() => {
                let swatches = (0..planned.rules().len()).map(|rule| Swatch {
                    paint: wardrobe.rule_paint(place, rule, (!emphasis.scales().is_empty()).then_some(0)),
                    symbol: (form == Form::Symbol).then(|| wardrobe.rule_symbol(place, rule)),
                    name: wardrobe.appearance.rule_name(&planned.rules()[rule]),
                });
                let text = format!("{}{}", subject(wardrobe, emphasis), reach(wardrobe, emphasis));
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
        let own = planned.measure() == Some(measure) && planned.spec().get_form() == Form::Tint;
        let scale = emphasis.scales().iter().position(|scale| scale.grain() == Grain::new(depth, 0));
        Some(entry(wardrobe, place, emphasis, scale.filter(|_| own)?, 1).sample)
    };
    wardrobe.crosstab.emphases().iter().enumerate().find_map(tint)
}

/// What an emphasis is about: its measure, and what else decides.
pub(crate) fn subject(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis) -> String {
    let (planned, words) = (emphasis.planned(), &wardrobe.appearance.words);
    let measures = wardrobe.crosstab.measures();
    let spec = planned.spec();
    let on = planned.measure().map_or(spec.get_on(), |measure| measures[measure].label());
    let subject = match spec.get_by().filter(|by| by.as_str() != spec.get_on()) {
        Some(by) => {
            words.say(Sentence::from("{measure} by {part}").with("measure", on).with("part", by.to_string()))
        }
        None => on.to_string(),
    };
    match planned.about_formula() {
        Some(about) => words.say(
            Sentence::from("{measure} less {about}")
                .with("measure", subject)
                .with("about", about.to_string()),
        ),
        None => subject,
    }
}

fn reach(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis) -> String {
    let (spec, words) = (emphasis.planned().spec(), &wardrobe.appearance.words);
    let only = spec.get_only().map_or(String::new(), |only| {
        words.say(Sentence::from(", where {condition}").with("condition", only.to_string()))
    });
    match spec.get_reach() {
        Reach::Row => format!("{}{only}", words.say(", on the whole row")),
        _ => only,
    }
}

fn trend(wardrobe: &Wardrobe<'_>, place: usize, emphasis: &Emphasis) -> Option<LegendEntry> {
    let trend = wardrobe.crosstab.trends().iter().find(|trend| trend.emphasis() == place)?;
    let (first, last) = trend.periods().first().zip(trend.periods().last())?;
    let sentence =
        Sentence::from("{measure} from {first} to {last}, each level of rows on a scale of its own");
    let sentence = sentence.with("measure", subject(wardrobe, emphasis));
    let text = wardrobe.appearance.words.say(sentence.with("first", first).with("last", last));
    Some(LegendEntry { form: Form::Trend, sample: Sample::Words, text })
}

/// A line for each scale; for one grain whose peers are in many groups a single one.
fn scales(wardrobe: &Wardrobe<'_>, place: usize, emphasis: &Emphasis) -> Vec<LegendEntry> {
    let mut entries = Vec::new();
    let joined = emphasis.planned().spec().get_peers() == &PeersOf::All;
    let mut met: Vec<(Option<Grain>, &[Option<String>; 2])> = Vec::new();
    for (i, scale) in emphasis.scales().iter().enumerate() {
        let of = |scale: &'_ Scale| (!joined).then_some(scale.grain());
        let grain = (of(scale), scale.apart());
        if met.contains(&grain) {
            continue;
        }
        met.push(grain);
        let same = |other: &Scale| (of(other), other.apart()) == grain;
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
    let (planned, spec) = (emphasis.planned(), emphasis.planned().spec());
    let diverging = planned.is_diverging();
    let palette = wardrobe.palette(place, Some(i));
    let steps = spec.scale_steps();
    let paint = |position: f64| match spec.get_form() {
        Form::Symbol => symbol_paint(position, diverging, spec.get_good()),
        Form::Bar => bar_paint(palette, diverging && position < 0.0, spec.get_good()),
        _ => Paint::Place { palette, position: turned(position, diverging, spec.get_good()) },
    };
    let ends = ends(wardrobe, emphasis, scale, groups);
    let sample = match steps {
        Some(steps) => {
            let step = |step: u8| Swatch {
                paint: paint(step_position((step, steps), diverging)),
                symbol: (spec.get_form() == Form::Symbol).then(|| Symbol {
                    set: wardrobe.set(place),
                    step,
                    of: steps,
                }),
                name: step_name(wardrobe.appearance, scale, (step, steps), diverging, &ends),
            };
            Sample::Named((0..steps).map(step).collect())
        }
        None if let Some((low, base, high)) = bar_ends(emphasis, scale) => {
            // Bars have the colour of the side that they are on, and no more of it where they are longer.
            // A side that is there has one place at least.
            let value = |k: u8| match k {
                0 => low,
                12 if high > base => high,
                _ => low + (high - low) * (f64::from(k) + 0.5) / 13.0,
            };
            let paints = (0..=12).map(|k| bar_paint(palette, value(k) < base, spec.get_good())).collect();
            Sample::Ramp { paints, ends: ends.texts, middle: None }
        }
        None => {
            let from = if diverging { -1.0 } else { 0.0 };
            let paints = (0..=12).map(|k| paint(from + (1.0 - from) * f64::from(k) / 12.0)).collect();
            Sample::Ramp { paints, ends: ends.texts, middle: ends.middle }
        }
    };
    let text = format!(
        "{}{}, {}{}",
        subject(wardrobe, emphasis),
        reach(wardrobe, emphasis),
        among(wardrobe, emphasis, scale, groups),
        good(spec.get_good()).map_or(String::new(), |good| wardrobe.appearance.words.say(good))
    );
    LegendEntry { form: spec.get_form(), sample, text }
}

fn good(side: Option<Side>) -> Option<&'static str> {
    side.map(|side| match side {
        Side::High => "; high is good",
        Side::Low => "; low is good",
    })
}

/// The ends of bars that begin at zero or at the middle of the scale.
fn bar_ends(emphasis: &Emphasis, scale: &Scale) -> Option<(f64, f64, f64)> {
    let is_bar = emphasis.planned().spec().get_form() == Form::Bar
        && emphasis.planned().spec().scale_steps().is_none();
    scale.bar_ends().filter(|_| is_bar)
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
    let measure = planned.measure().unwrap_or(0);
    let format = crosstab.format_apart(scale, measure).clone();
    let own = planned.spec().get_by().is_none()
        || planned.spec().get_by().is_some_and(|by| by.as_str() == planned.spec().get_on());
    let format = if own { format } else { NumberFormat::default() };
    let shown = groups == 1 && !crosstab.hides_scale(emphasis) && !scale.is_by_rank();
    let (appearance, words) = (wardrobe.appearance, &wardrobe.appearance.words);
    let number = |value: f64, exact: &Value| match exact.as_f64() == value {
        true => appearance.number(exact, &format),
        false => appearance.number(&Value::Float(value), &format),
    };
    let reach = scale.middle().map(|middle| (scale.high() - middle).max(middle - scale.low()));
    let bar = bar_ends(emphasis, scale);
    let (low, high) = match (bar, scale.middle(), reach) {
        (Some((low, _, high)), ..) => (low, high),
        (_, Some(middle), Some(reach)) => (middle - reach, middle + reach),
        _ => (scale.low(), scale.high()),
    };
    let sides = if scale.is_by_rank() { ["last", "first"] } else { ["lowest", "highest"] };
    let text = |end: f64, exact: &Value, side| match shown {
        // Where all bars begin is no secret.
        _ if bar.is_some() && end == 0.0 => "0".into(),
        true => number(end, exact),
        false => words.say(side),
    };
    let texts =
        [text(low, &scale.yardstick().low(), sides[0]), text(high, &scale.yardstick().high(), sides[1])];
    let middle = scale.middle().map(|middle| match planned.spec().get_about().map(Formula::as_str) {
        Some("mean") if !shown => words.say("mean"),
        Some("mean") => words.say(
            Sentence::from("mean {number}").with("number", appearance.number(&Value::Float(middle), &format)),
        ),
        // A number without digits that say nothing.
        _ if shown && middle == 0.0 => "0".into(),
        _ if shown => appearance.number(&Value::Float(middle), &format),
        _ => words.say("middle"),
    });
    Ends { texts, middle, format, shown }
}

/// From where to below where a step reaches.
fn step_name(
    appearance: &Appearance,
    scale: &Scale,
    (step, of): (u8, u8),
    diverging: bool,
    ends: &Ends,
) -> String {
    if !ends.shown {
        return match step {
            0 => appearance.words.say("lowest"),
            last if last + 1 == of => appearance.words.say("highest"),
            _ => String::new(),
        };
    }
    let (low, high) = match scale.middle().filter(|_| diverging) {
        Some(middle) => {
            let reach = (scale.high() - middle).max(middle - scale.low());
            (middle - reach, middle + reach)
        }
        None => (scale.low(), scale.high()),
    };
    let cut = |step: u8| {
        appearance.number(&Value::Float(low + (high - low) * f64::from(step) / f64::from(of)), &ends.format)
    };
    appearance.words.say(match step {
        0 => Sentence::from("below {high}").with("high", cut(1)),
        last if last + 1 == of => Sentence::from("{low} or more").with("low", cut(last)),
        step => Sentence::from("{low} to below {high}").with("low", cut(step)).with("high", cut(step + 1)),
    })
}

/// Among which cells.
fn among(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis, scale: &Scale, groups: usize) -> String {
    let (rows, columns) = (wardrobe.crosstab.rows(), wardrobe.crosstab.columns());
    fn level<S: OfAxis>(axis: &Axis<S>, level: usize, apart: &Option<String>) -> Option<String> {
        let name = level.checked_sub(1).map(|i| axis.dimensions()[i].label().to_string());
        match apart {
            Some(member) => Some(name.map_or(member.clone(), |name| format!("{name} ({member})"))),
            None => name,
        }
    }
    let levels = [
        level(rows, scale.grain().row(), &scale.apart()[0]),
        level(columns, scale.grain().column(), &scale.apart()[1]),
    ];
    let levels: Vec<String> = levels.into_iter().flatten().collect();
    let planned = emphasis.planned();
    let words = &wardrobe.appearance.words;
    let levels = match planned.spec().get_peers() {
        PeersOf::All => {
            let apart = scale.apart().iter().flatten().map(|member| format!(" ({member})"));
            format!("{}{}", words.say("all levels together"), apart.collect::<String>())
        }
        _ if levels.is_empty() => words.say("totals"),
        _ => by_each_other(&levels, words),
    };
    let peers = match planned.spec().get_peers() {
        PeersOf::Siblings => Some(", each by its siblings"),
        PeersOf::ColumnSiblings => Some(", each by its column siblings"),
        PeersOf::Row => Some(", each by its row"),
        PeersOf::Column => Some(", each by its column"),
        PeersOf::Branch => Some(", each by its branch"),
        _ => None,
    };
    let cells = match groups {
        1 => Sentence::counted(scale.yardstick().count(), "{count} cell", "{count} cells"),
        groups => Sentence::counted(groups as u64, "{count} group", "{count} groups"),
    };
    let clip = planned.spec().get_clip().map(|(low, high)| {
        let ends = Sentence::from(", ends at {low} and {high}");
        ends.with("low", low.to_string()).with("high", high.to_string())
    });
    let from = match planned.spec().get_yardstick() {
        YardstickOf::All => Some(Sentence::from(", by all before members were picked")),
        YardstickOf::Kept(file) => Some(Sentence::from(", by {file}").with("file", file)),
        _ => None,
    };
    let rank = (planned.spec().get_scale() == &ScaleBy::Rank).then(|| Sentence::from(", by rank"));
    let peers = peers.map_or(String::new(), |peers| words.say(peers));
    let rest: String = [rank, clip, from].into_iter().flatten().map(|part| words.say(part)).collect();
    format!("{levels}{peers}: {}{rest}", words.say(cells))
}

/// Levels of rows and columns that meet.
pub(crate) fn by_each_other(levels: &[String], words: &Words) -> String {
    match levels {
        [row, column] => {
            words.say(Sentence::from("{measure} by {part}").with("measure", row).with("part", column))
        }
        others => others.concat(),
    }
}
