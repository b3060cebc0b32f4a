//! TOML to brief. Unknown keys are errors with the nearest known key, and every error says the line.

use pivvel_core::{Brief, Error, Result};
use serde::Deserialize;
use serde_path_to_error::Track;
use toml_edit::visit::Visit;
use toml_edit::{Document, Formatted};

use super::fault::{at_line, fault};

/// Reads a brief from TOML. `name` is what the file is called in messages.
///
/// # Errors
/// Text that is no TOML, keys that a brief does not have, values of the wrong kind, formulas that cannot be read;
/// each with its line. What formulas name is checked later, against the columns of a source.
///
/// ```
/// let brief = pivvel::brief::from_toml("sales.toml", r#"
///     rows = ["coast"]
///     [measures]
///     sales = "sum(amount)"
/// "#)?;
/// assert_eq!(brief.get_measures()[0].get_formula().as_str(), "sum(amount)");
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn from_toml(name: &str, text: &str) -> Result<Brief> {
    let document = Document::parse(text).map_err(|error| {
        let message = error.message().trim().replace('\n', "; ");
        Error::request(at_line(name, text, error.span()), format!("this is not TOML: {message}"))
    })?;
    let mut long = LongNumber { text, found: None };
    long.visit_table(document.as_table());
    if let Some(span) = long.found {
        let message = "a number of more than 15 digits stands in quotes, so that none of them is lost";
        return Err(Error::request(at_line(name, text, Some(span)), message));
    }
    let mut track = Track::new();
    let tracked =
        serde_path_to_error::Deserializer::new(toml_edit::de::Deserializer::from(document), &mut track);
    <Brief as Deserialize>::deserialize(tracked).map_err(|error| fault(name, text, &track.path(), &error))
}

/// The first number with a fraction of which TOML would lose digits.
struct LongNumber<'t> {
    text: &'t str,
    found: Option<std::ops::Range<usize>>,
}

impl<'doc> Visit<'doc> for LongNumber<'_> {
    fn visit_float(&mut self, number: &'doc Formatted<f64>) {
        let Some(span) = number.span() else { return };
        let digits = self.text[span.clone()].bytes().filter(u8::is_ascii_digit).count();
        if digits > 15 && self.found.is_none() {
            self.found = Some(span);
        }
    }
}
