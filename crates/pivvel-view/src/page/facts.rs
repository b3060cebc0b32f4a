//! What the script of a page says of a cell that is pointed at: its columns, and the scales of each emphasis.

use pivvel_core::brief::NumberFormat;
use pivvel_core::result::{Axis, Emphasis, OfAxis, Scale};
use pivvel_core::text::{Sentence, printable};
use pivvel_core::{CrossTab, Value};
use serde_json::{Value as Json, json};

use crate::appearance::{Appearance, Words};
use crate::dress::Wardrobe;
use crate::layout::Layout;
use crate::legend::{by_each_other, subject};

/// The facts as JSON, without what looks like markup.
pub(super) fn facts(crosstab: &CrossTab, layout: &Layout, marks: &[String]) -> String {
    let columns = layout.columns.iter().zip(marks).map(|(column, mark)| {
        let path = crosstab.columns().path(column.entry);
        let labels: Vec<String> = path.iter().map(|member| printable(member.shown())).collect();
        let measure = printable(crosstab.measures()[column.measure].label());
        let mut facts = json!({ "p": labels, "m": measure, "k": mark });
        if column.hidden {
            facts["h"] = json!(1);
        }
        facts
    });
    let wardrobe = Wardrobe::new(crosstab, &layout.appearance);
    let emphases = crosstab.emphases().iter().map(|emphasis| of_emphasis(&wardrobe, emphasis));
    let facts = json!({
        "rows": headings(crosstab.rows()),
        "across": headings(crosstab.columns()),
        "columns": columns.collect::<Vec<_>>(),
        "emphases": emphases.collect::<Vec<_>>(),
    });
    embedded(facts)
}

/// What the dimensions of an axis are called.
fn headings<S: OfAxis>(axis: &Axis<S>) -> Vec<String> {
    axis.dimensions().iter().map(|dimension| printable(dimension.label())).collect()
}

/// JSON as it stands on a page, without what looks like markup.
pub(super) fn embedded(json: Json) -> String {
    let marks = [("<", "\\u003c"), (">", "\\u003e"), ("&", "\\u0026")];
    marks.iter().fold(json.to_string(), |text, (mark, escaped)| text.replace(mark, escaped))
}

fn of_emphasis(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis) -> Json {
    let scales: Vec<Json> =
        emphasis.scales().iter().map(|scale| of_scale(wardrobe, emphasis, scale)).collect();
    let rules: Vec<String> =
        emphasis.rules().iter().map(|rule| printable(&wardrobe.appearance.rule_name(rule))).collect();
    let mut facts = json!({ "by": printable(&subject(wardrobe, emphasis)), "s": scales, "r": rules });
    if emphasis.planned().is_diverging() {
        facts["d"] = json!(1);
    }
    facts
}

fn of_scale(wardrobe: &Wardrobe<'_>, emphasis: &Emphasis, scale: &Scale) -> Json {
    let (crosstab, words) = (wardrobe.crosstab, &wardrobe.appearance.words);
    fn level<S: OfAxis>(axis: &Axis<S>, level: usize, words: &Words) -> Option<String> {
        let label = || {
            level
                .checked_sub(1)
                .map_or_else(|| words.say("total"), |i| axis.dimensions()[i].label().to_string())
        };
        (axis.depth() > 0).then(label)
    }
    let row = level(crosstab.rows(), scale.grain().row(), words);
    let levels: Vec<String> =
        row.into_iter().chain(level(crosstab.columns(), scale.grain().column(), words)).collect();
    let levels = by_each_other(&levels, words);
    let names: Vec<&str> = scale.within().iter().map(|(_, label)| label.as_str()).collect();
    let name = match names.is_empty() {
        true => levels,
        false => words.say(
            Sentence::from("{levels} in {members}").with("levels", levels).with("members", names.join(", ")),
        ),
    };
    let name = printable(&name);
    let mut facts = json!({ "n": scale.yardstick().count(), "t": name });
    if !crosstab.hides_scale(emphasis) {
        let format = crosstab.format_apart(scale, emphasis.planned().measure().unwrap_or(0));
        ends(&mut facts, emphasis, scale, (wardrobe.appearance, format));
    }
    facts
}

/// The ends of a scale, its mean and its middle, as they are shown.
fn ends(
    facts: &mut Json,
    emphasis: &Emphasis,
    scale: &Scale,
    (appearance, format): (&Appearance, &NumberFormat),
) {
    let number = |value: f64| json!(appearance.number(&Value::Float(value), format));
    let yardstick = scale.yardstick();
    let of_peers = scale.low() == yardstick.low().as_f64() && scale.high() == yardstick.high().as_f64();
    (facts["lo"], facts["hi"]) = match of_peers && !emphasis.planned().is_diverging() {
        // Exact numbers are shown with the digits that they have.
        true => (
            json!(appearance.number(&yardstick.low(), format)),
            json!(appearance.number(&yardstick.high(), format)),
        ),
        false => (number(scale.low()), number(scale.high())),
    };
    for (key, value) in [("mean", yardstick.mean()), ("mid", scale.middle())] {
        if let Some(value) = value {
            facts[key] = number(value);
        }
    }
}
