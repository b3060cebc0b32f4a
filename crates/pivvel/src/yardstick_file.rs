//! Yardsticks as JSON files, so that a later run stands on the scales of an earlier one.

use std::path::Path;
use std::sync::LazyLock;

use pivvel_core::brief::YardstickOf;
use pivvel_core::result::Yardsticks;
use pivvel_core::{Brief, Error, Result};
use pivvel_io::write_whole;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::schema::schema_text;

/// The scales of an earlier run, by the name of the peers: measure@row level/column level.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "Yardsticks that Pivvel keeps")]
struct Kept {
    /// A number that is another one where the scales were changed or damaged; a file written by hand has none.
    checksum: Option<String>,
    /// The scales by the name of their peers.
    scales: Yardsticks,
}

/// The JSON Schema (draft 2020-12) of kept yardsticks.
pub fn yardsticks_schema() -> &'static str {
    static TEXT: LazyLock<String> = LazyLock::new(|| schema_text::<Kept>("yardsticks.schema.json"));
    &TEXT
}

/// Reads yardsticks from JSON. `name` is what the file is called in messages.
///
/// # Errors
/// Text that is no JSON, or not what [`yardsticks_to_json`] writes.
pub fn yardsticks_from_json(name: &str, text: &str) -> Result<Yardsticks> {
    let wrong = |what: &str| Error::request(name, format!("these are no kept yardsticks: {what}"));
    let value: serde_json::Value = serde_json::from_str(text).map_err(|e| wrong(&e.to_string()))?;
    if value.get("scales").is_none_or(|scales| !scales.is_object()) {
        return Err(wrong("there is no \"scales\""));
    }
    let kept: Kept = serde_path_to_error::deserialize(value)
        .map_err(|error| wrong(&format!("{}: {}", error.path(), error.inner())))?;
    if kept.checksum.is_some_and(|sum| sum != checksum(&kept.scales)) {
        return Err(wrong("their checksum is another one, so they were changed or damaged; save them anew"));
    }
    Ok(kept.scales)
}

/// Writes yardsticks as JSON: by the name of the peers their count, low, high and mean; where the
/// scale was clipped, the two shares and the values there; and of each top or bottom that a rule names, the
/// value that a cell had to reach.
///
/// ```
/// use pivvel::result::{KeptScale, Yardsticks, yardsticks_from_json, yardsticks_to_json};
///
/// let mut kept = Yardsticks::default();
/// let scale = KeptScale::new(2, 1.5, 9.0).with_mean(5.25);
/// kept.insert("sales@coast/total", scale);
/// assert_eq!(yardsticks_from_json("kept.json", &yardsticks_to_json(&kept))?, kept);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn yardsticks_to_json(yardsticks: &Yardsticks) -> String {
    let kept = Kept { checksum: Some(checksum(yardsticks)), scales: yardsticks.clone() };
    format!("{:#}\n", sorted(&kept))
}

/// A number that is another one where anything of the scales is.
fn checksum(scales: &Yardsticks) -> String {
    format!("{:08x}", crc32fast::hash(sorted(scales).to_string().as_bytes()))
}

/// As JSON with its keys in alphabetical order.
fn sorted(value: &impl Serialize) -> serde_json::Value {
    serde_json::to_value(value).unwrap_or_else(|e| unreachable!("numbers and texts are JSON: {e}"))
}

/// Reads the files of yardsticks that a brief names.
///
/// # Errors
/// A file that cannot be read, or that holds no yardsticks.
pub fn open_yardsticks(brief: &Brief) -> Result<Vec<(String, Yardsticks)>> {
    let mut all: Vec<(String, Yardsticks)> = Vec::new();
    for emphasis in brief.get_emphasis() {
        let YardstickOf::Kept(file) = emphasis.get_yardstick() else { continue };
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
