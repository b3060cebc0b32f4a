//! What the script of a page says of a cell that is pointed at: its columns, and the scales of each emphasis.

use pivvel_core::brief::NumberFormat;
use pivvel_core::result::{Emphasis, Scale};
use pivvel_core::text::printable;
use pivvel_core::{CrossTab, Value};
use serde_json::{Value as Json, json};

use crate::layout::Layout;
use crate::legend::subject;
use crate::number::show_number;

/// The facts as JSON, without what looks like markup.
pub(super) fn facts(crosstab: &CrossTab, layout: &Layout, marks: &[String]) -> String {
    let columns = layout.columns.iter().zip(marks).map(|(column, mark)| {
        let path = crosstab.columns().path(column.entry);
        let labels: Vec<String> = path.iter().map(|member| printable(member.shown())).collect();
        let measure = printable(&crosstab.measures()[column.measure].label);
        let mut facts = json!({ "p": labels, "m": measure, "k": mark });
        if column.hidden {
            facts["h"] = json!(1);
        }
        facts
    });
    let emphases = crosstab.emphases().iter().map(|emphasis| of_emphasis(crosstab, emphasis));
    let facts = json!({ "columns": columns.collect::<Vec<_>>(), "emphases": emphases.collect::<Vec<_>>() });
    let marks = [("<", "\\u003c"), (">", "\\u003e"), ("&", "\\u0026")];
    marks.iter().fold(facts.to_string(), |text, (mark, escaped)| text.replace(mark, escaped))
}

fn of_emphasis(crosstab: &CrossTab, emphasis: &Emphasis) -> Json {
    let scales: Vec<Json> =
        emphasis.scales().iter().map(|scale| of_scale(crosstab, emphasis, scale)).collect();
    let rules: Vec<String> = emphasis.rules().iter().map(|rule| printable(&rule.name)).collect();
    let mut facts = json!({ "by": printable(&subject(crosstab, emphasis)), "s": scales, "r": rules });
    if emphasis.planned().is_diverging() {
        facts["d"] = json!(1);
    }
    facts
}

fn of_scale(crosstab: &CrossTab, emphasis: &Emphasis, scale: &Scale) -> Json {
    let axes = [(crosstab.rows(), scale.grain.row), (crosstab.columns(), scale.grain.column)];
    let levels: Vec<&str> = axes
        .iter()
        .filter(|(axis, _)| axis.depth() > 0)
        .map(|(axis, level)| level.checked_sub(1).map_or("total", |i| axis.dimensions()[i].label.as_str()))
        .collect();
    let names: Vec<&str> = scale.within.iter().map(|(_, label)| label.as_str()).collect();
    let within = if names.is_empty() { String::new() } else { format!(" in {}", names.join(", ")) };
    let name = printable(&format!("{}{within}", levels.join(" by ")));
    let mut facts = json!({ "n": scale.yardstick.count, "t": name });
    if !crosstab.hides_scale(emphasis) {
        let format = crosstab.format_apart(scale, emphasis.planned().measure.unwrap_or(0));
        ends(&mut facts, emphasis, scale, format);
    }
    facts
}

/// The ends of a scale, its mean and its middle, as they are shown.
fn ends(facts: &mut Json, emphasis: &Emphasis, scale: &Scale, format: &NumberFormat) {
    let number = |value: f64| json!(show_number(&Value::Float(value), format));
    let yardstick = &scale.yardstick;
    let of_peers = scale.low == yardstick.low.as_f64() && scale.high == yardstick.high.as_f64();
    (facts["lo"], facts["hi"]) = match of_peers && !emphasis.planned().is_diverging() {
        // Exact numbers are shown with the digits that they have.
        true => (json!(show_number(&yardstick.low, format)), json!(show_number(&yardstick.high, format))),
        false => (number(scale.low), number(scale.high)),
    };
    for (key, value) in [("mean", yardstick.mean), ("mid", scale.middle)] {
        if let Some(value) = value {
            facts[key] = number(value);
        }
    }
}
