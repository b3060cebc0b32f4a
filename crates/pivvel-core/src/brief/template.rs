//! Texts with holes.

use std::convert::Infallible;
use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::words::schema;

/// A text in which names in braces stand for what they name: the value of an assumption, a member's label in a link,
/// what the run found in a heading.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::brief::Template;
///
/// let title: Template = "Sales of {year}, {period}".parse()?;
/// assert_eq!(title.holes().collect::<Vec<_>>(), ["year", "period"]);
/// assert_eq!(title.to_string(), "Sales of {year}, {period}");
/// # Ok::<(), std::convert::Infallible>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Template(String);

/// A part of a template.
enum Piece<'t> {
    Text(&'t str),
    Hole(&'t str),
}

impl Template {
    /// The text as it is written, with its holes.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The names that stand in braces.
    pub fn holes(&self) -> impl Iterator<Item = &str> {
        self.pieces().filter_map(|piece| match piece {
            Piece::Hole(name) => Some(name),
            Piece::Text(_) => None,
        })
    }

    /// The name that the whole text is, as in `{page}`.
    pub(crate) fn only_hole(&self) -> Option<&str> {
        self.holes().next().filter(|name| name.len() + 2 == self.0.len())
    }

    /// The same with what `of` gives for a name in its place; a hole of which it knows nothing stays as it is.
    pub(crate) fn fill(&self, of: impl Fn(&str) -> Option<String>) -> Template {
        let filled = self.pieces().map(|piece| match piece {
            Piece::Text(text) => text.to_string(),
            Piece::Hole(name) => of(name).unwrap_or_else(|| format!("{{{name}}}")),
        });
        Template(filled.collect())
    }

    /// Its parts from the first to the last. A brace without a name and one that nothing closes are text.
    fn pieces(&self) -> impl Iterator<Item = Piece<'_>> {
        let mut rest = self.0.as_str();
        std::iter::from_fn(move || {
            if let Some(name) =
                rest.strip_prefix('{').and_then(|rest| rest.split_once('}')).map(|(name, _)| name)
                && !name.is_empty()
                && !name.contains('{')
            {
                rest = &rest[name.len() + 2..];
                return Some(Piece::Hole(name));
            }
            let first = rest.chars().next()?.len_utf8();
            let end = rest[first..].find('{').map_or(rest.len(), |at| at + first);
            let (text, after) = rest.split_at(end);
            rest = after;
            Some(Piece::Text(text))
        })
    }
}

impl From<&str> for Template {
    fn from(text: &str) -> Template {
        Template(text.into())
    }
}

impl From<String> for Template {
    fn from(text: String) -> Template {
        Template(text)
    }
}

impl FromStr for Template {
    type Err = Infallible;

    fn from_str(text: &str) -> Result<Template, Infallible> {
        Ok(text.into())
    }
}

impl fmt::Display for Template {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

schema!(Template is { "type": "string" });
