//! Where lines are: a path, a pattern of paths, or a database, and what part of it is meant.

use pivvel_core::{Error, Result};

/// A location as it is written, as in `book.xlsx#sheet=Lines`.
#[derive(Debug, Clone)]
pub(crate) struct Location<'a> {
    /// What stands before the part.
    pub(crate) base: &'a str,
    pub(crate) part: Part,
}

/// The part of a file or database that is meant: what stands after `#`.
#[derive(Debug, Clone, Default)]
pub(crate) struct Part(Vec<(String, String)>);

const KEYS: [&str; 3] = ["sheet", "range", "table"];

impl Location<'_> {
    /// Takes a location apart. A `#` that no known key follows is part of a name.
    pub(crate) fn parse(text: &str) -> Result<Location<'_>> {
        let Some((base, part)) = text.rsplit_once('#').filter(|(_, part)| part.contains('=')) else {
            return Ok(Location { base: text, part: Part::default() });
        };
        let mut parts = Vec::new();
        for setting in part.split('&') {
            let (key, value) = setting.split_once('=').unwrap_or((setting, ""));
            if !KEYS.contains(&key) {
                return Err(Error::unknown(text, "part", key, KEYS));
            }
            parts.push((key.to_string(), value.to_string()));
        }
        Ok(Location { base, part: Part(parts) })
    }
}

impl Part {
    pub(crate) fn get(&self, key: &str) -> Option<&str> {
        self.0.iter().find(|(known, _)| known == key).map(|(_, value)| value.as_str())
    }

    /// That only such parts are named as a form has.
    pub(crate) fn only(&self, name: &str, form: &str, keys: &[&str]) -> Result<()> {
        match self.0.iter().find(|(key, _)| !keys.contains(&key.as_str())) {
            Some((key, _)) => Err(Error::request(name, format!("{form} has no {key} to be named after #"))),
            None => Ok(()),
        }
    }
}
