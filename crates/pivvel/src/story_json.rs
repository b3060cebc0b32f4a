//! The story of a number as JSON.

use pivvel_core::{Address, Operand, Story, Value};
use serde_json::{Map, Value as Json, json};

/// The story as JSON text. Exact numbers are texts, so that no reader rounds them.
///
/// Keys: `cell`, `row`, `column`, `measure`, `value`, `formula`, `operands`, `item`, `lines`, `dates`, `where`,
/// `peers`, `emphasis`, `assumptions` and `added_up`; what does not apply is `null` or empty.
pub fn story_to_json(story: &Story) -> String {
    let peers = story.peers.as_ref().map(|peers| {
        json!({
            "name": peers.name,
            "count": peers.yardstick.count,
            "low": value(&Some(peers.yardstick.low)),
            "high": value(&Some(peers.yardstick.high)),
            "mean": peers.yardstick.mean,
            "spread": peers.yardstick.spread,
            "quartiles": peers.yardstick.quartiles,
            "position": peers.position,
            "rank": peers.rank,
        })
    });
    let item = story.item.as_ref().map(|item| {
        let operand =
            |(name, found): &(String, Option<Value>)| json!({ "member": name, "value": value(found) });
        json!({
            "dimension": item.dimension,
            "name": item.name,
            "formula": item.formula,
            "applied": if item.before_measures { "before measures" } else { "after measures" },
            "operands": item.operands.iter().map(operand).collect::<Vec<_>>(),
        })
    });
    let dates = story
        .dates
        .iter()
        .map(|span| json!({ "column": span.column, "first": span.first, "last": span.last }));
    let emphasis = story.emphases.iter().map(|emphasis| {
        let rules =
            emphasis.rules.iter().map(|(words, matched)| json!({ "rule": words, "matched": matched }));
        json!({
            "place": emphasis.place,
            "form": emphasis.form.name(),
            "decides": emphasis.decides,
            "position": emphasis.position,
            "rules": rules.collect::<Vec<_>>(),
        })
    });
    let added_up = story.tied.iter().map(|part| {
        let aggregates = part.aggregates.iter().map(
            |a| json!({ "formula": a.formula, "of_lines": value(&a.of_lines), "of_cell": value(&a.of_cell) }),
        );
        json!({
            "cell": address(&part.address),
            "lines": part.lines,
            "aggregates": aggregates.collect::<Vec<_>>(),
        })
    });
    let assumptions: Map<String, Json> =
        story.assumptions.iter().map(|(name, value)| (name.clone(), json!(value))).collect();
    let text = json!({
        "cell": address(&story.address),
        "row": { "level": story.levels[0], "kind": story.kinds[0] },
        "column": { "level": story.levels[1], "kind": story.kinds[1] },
        "measure": story.measure,
        "value": value(&story.value),
        "formula": story.formula,
        "operands": story.operands.iter().map(operand).collect::<Vec<_>>(),
        "item": item,
        "lines": story.lines,
        "dates": dates.collect::<Vec<_>>(),
        "where": story.condition,
        "peers": peers,
        "emphasis": emphasis.collect::<Vec<_>>(),
        "assumptions": assumptions,
        "added_up": added_up.collect::<Vec<_>>(),
    });
    format!("{text:#}\n")
}

fn operand(operand: &Operand) -> Json {
    let window = operand.window.iter().map(
        |part| json!({ "member": part.member, "has_lines": part.has_lines, "value": value(&part.value) }),
    );
    json!({
        "window": window.collect::<Vec<_>>(),
        "text": operand.text,
        "value": value(&operand.value),
        "formula": operand.formula,
        "at": operand.at.as_ref().map(address),
        "operands": operand.operands.iter().map(self::operand).collect::<Vec<_>>(),
    })
}

fn value(value: &Option<Value>) -> Json {
    value.map_or(Json::Null, |value| Json::String(value.to_string()))
}

fn address(address: &Address) -> Json {
    Json::Object(address.members().iter().map(|(name, label)| (name.clone(), json!(label))).collect())
}
