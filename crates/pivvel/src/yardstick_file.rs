//! Yardsticks as JSON files, so that a later run stands on the scales of an earlier one.

use std::path::Path;

use pivvel_core::{Brief, Error, KeptScale, KeptTop, Result, YardstickOf, Yardsticks};
use pivvel_io::write_whole;
use serde_json::{Map, Value, json};

/// The JSON Schema (draft 2020-12) of kept yardsticks.
pub const YARDSTICKS_SCHEMA: &str = include_str!("../schema/yardsticks.schema.json");

/// Reads yardsticks from JSON. `name` is what the file is called in messages.
///
/// # Errors
/// Text that is no JSON, or not what [`yardsticks_to_json`] writes.
pub fn yardsticks_from_json(name: &str, text: &str) -> Result<Yardsticks> {
    let wrong = |what: &str| Error::request(name, format!("these are no kept yardsticks: {what}"));
    let value: Value = serde_json::from_str(text).map_err(|e| wrong(&e.to_string()))?;
    let scales =
        value.get("scales").and_then(Value::as_object).ok_or_else(|| wrong("there is no \"scales\""))?;
    let mut keys = value.as_object().into_iter().flat_map(Map::keys);
    if let Some(other) = keys.find(|key| !["checksum", "scales"].contains(&key.as_str())) {
        return Err(wrong(&format!("there is a key {other}")));
    }
    // A file that was written by hand has none.
    if let Some(sum) = value.get("checksum")
        && *sum != json!(checksum(scales))
    {
        return Err(wrong("their checksum is another one, so they were changed or damaged; save them anew"));
    }
    let mut yardsticks = Yardsticks::default();
    for (peers, scale) in scales {
        let number = |key: &str| scale.get(key).and_then(Value::as_f64);
        let wanted = |key: &str| number(key).ok_or_else(|| wrong(&format!("{peers} has no {key}")));
        let clip = scale
            .get("clip")
            .and_then(Value::as_array)
            .map(|all| all.iter().filter_map(Value::as_f64).collect::<Vec<_>>());
        yardsticks.insert(
            peers,
            KeptScale {
                count: scale
                    .get("count")
                    .and_then(Value::as_u64)
                    .ok_or_else(|| wrong(&format!("{peers} has no count")))?,
                low: wanted("low")?,
                high: wanted("high")?,
                mean: number("mean"),
                clip: clip.and_then(|clip| <[f64; 4]>::try_from(clip).ok()),
                tops: tops(scale)
                    .ok_or_else(|| wrong(&format!("a top of {peers} has no count or no value")))?,
            },
        );
    }
    Ok(yardsticks)
}

/// The tops and bottoms of a scale; `None` where one of them is not whole.
fn tops(scale: &Value) -> Option<Vec<KeptTop>> {
    let read = |top: &Value| {
        let count = |key: &str| top.get(key).and_then(Value::as_str);
        let (count, bottom) =
            count("top").map(|count| (count, false)).or(count("bottom").map(|count| (count, true)))?;
        Some(KeptTop { count: count.to_string(), bottom, value: top.get("value")?.as_f64()? })
    };
    scale.get("tops").and_then(Value::as_array).into_iter().flatten().map(read).collect()
}

/// Writes yardsticks as JSON: by the name of the peers their count, low, high and mean; where the
/// scale was clipped, the two shares and the values there; and of each top or bottom that a rule names, the
/// value that a cell had to reach.
///
/// ```
/// use pivvel::{KeptScale, Yardsticks, yardsticks_from_json, yardsticks_to_json};
///
/// let mut kept = Yardsticks::default();
/// let scale = KeptScale { count: 2, low: 1.5, high: 9.0, mean: Some(5.25), ..KeptScale::default() };
/// kept.insert("sales@coast/total", scale);
/// assert_eq!(yardsticks_from_json("kept.json", &yardsticks_to_json(&kept))?, kept);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn yardsticks_to_json(yardsticks: &Yardsticks) -> String {
    let scale = |(peers, scale): (&str, &KeptScale)| {
        let KeptScale { count, low, high, mean, clip, ref tops } = *scale;
        let mut said = json!({ "count": count, "low": low, "high": high });
        if let Some(mean) = mean {
            said["mean"] = json!(mean);
        }
        if let Some(clip) = clip {
            said["clip"] = json!(clip);
        }
        if !tops.is_empty() {
            let top = |top: &KeptTop| {
                let which = if top.bottom { "bottom" } else { "top" };
                json!({ which: top.count, "value": top.value })
            };
            said["tops"] = tops.iter().map(top).collect();
        }
        (peers.to_string(), said)
    };
    let scales: Map<String, Value> = yardsticks.iter().map(scale).collect();
    let kept = json!({ "checksum": checksum(&scales), "scales": scales });
    let text = serde_json::to_string_pretty(&kept);
    format!("{}\n", text.unwrap_or_else(|e| unreachable!("numbers and texts are JSON: {e}")))
}

/// A number that is another one where anything of the scales is.
fn checksum(scales: &Map<String, Value>) -> String {
    let text = serde_json::to_string(scales).unwrap_or_default();
    format!("{:08x}", crc32fast::hash(text.as_bytes()))
}

/// Reads the files of yardsticks that a brief names.
///
/// # Errors
/// A file that cannot be read, or that holds no yardsticks.
pub fn open_yardsticks(brief: &Brief) -> Result<Vec<(String, Yardsticks)>> {
    let mut all: Vec<(String, Yardsticks)> = Vec::new();
    for emphasis in &brief.emphasis {
        let YardstickOf::Kept(file) = &emphasis.yardstick else { continue };
        if all.iter().any(|(known, _)| known == file) {
            continue;
        }
        let text = std::fs::read_to_string(file).map_err(|e| Error::io(file, e))?;
        all.push((file.clone(), yardsticks_from_json(file, &text)?));
    }
    Ok(all)
}

/// Keeps yardsticks in a file.
///
/// # Errors
/// What the file system finds wrong.
pub fn save_yardsticks(path: &Path, yardsticks: &Yardsticks) -> Result<()> {
    let text = yardsticks_to_json(yardsticks);
    write_whole(path, |out| out.write_all(text.as_bytes()))
}
