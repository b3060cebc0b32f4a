//! The story of a number as JSON.

use pivvel_core::drill::Story;

/// The story as JSON text, by its own declarations, with the keys in alphabetical order. Exact numbers are texts, so
/// that no reader rounds them; what does not apply is `null` or empty.
pub fn story_to_json(story: &Story) -> String {
    let sorted =
        serde_json::to_value(story).unwrap_or_else(|e| unreachable!("a story is texts and numbers: {e}"));
    format!("{sorted:#}\n")
}
