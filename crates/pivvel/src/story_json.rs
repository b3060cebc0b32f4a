//! The story of a number as JSON.

use pivvel_core::drill::Story;

/// The story as JSON text, by its own declarations, with the keys in alphabetical order. Exact numbers are texts, so
/// that no reader rounds them; what does not apply is `null` or empty.
///
/// ```
/// use pivvel::drill::{Address, story_to_json};
/// use pivvel::source::{LineSource, TextSource};
/// use pivvel::{Brief, Build};
///
/// let text = "coast,pieces\nFell,3\nSkerry,4\n";
/// let mut open = || {
///     let lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
///     Ok(Box::new(lines) as Box<dyn LineSource>)
/// };
/// let brief = Brief::new().rows(["coast"]).measure(("pieces", "sum(pieces)"));
/// let story = Build::new().explain(&brief, &mut open, &Address::new().with("coast", "Fell"), "pieces")?;
/// assert!(story_to_json(&story).contains("\"sum(pieces)\""));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn story_to_json(story: &Story) -> String {
    let sorted =
        serde_json::to_value(story).unwrap_or_else(|e| unreachable!("a story is texts and numbers: {e}"));
    format!("{sorted:#}\n")
}
