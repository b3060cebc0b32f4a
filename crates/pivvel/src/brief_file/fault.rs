//! What is wrong with a brief, in words: the line, the key, what was expected.

use std::ops::Range;

use pivvel_core::Error;
use pivvel_core::result::DatePart;
use serde_path_to_error::{Path, Segment};

use super::schema::{forms, part};

/// The place of a span: the file and the line. A text without a name is one line that somebody typed.
pub(super) fn at_line(name: &str, text: &str, span: Option<Range<usize>>) -> String {
    let Some(span) = span.filter(|_| !name.is_empty()) else { return name.to_string() };
    let before = &text.as_bytes()[..span.start.min(text.len())];
    format!("{name}, line {}", 1 + before.iter().filter(|byte| **byte == b'\n').count())
}

/// The error for a file of which no more is known than what its reader says.
pub(crate) fn toml_fault(name: &str, text: &str, error: &toml_edit::de::Error) -> Error {
    let line = at_line(name, text, error.span());
    match unknown(error.message(), "unknown field ") {
        Some((key, known)) => Error::unknown(line, "key", key, known),
        None => Error::request(line, error.message()),
    }
}

/// The error for what the reader of the types says.
pub(super) fn fault(name: &str, text: &str, path: &Path, error: &toml_edit::de::Error) -> Error {
    let line = at_line(name, text, error.span());
    let message = error.message();
    if let Some((key, known)) = unknown(message, "unknown field ") {
        let keys: Vec<&str> = keys(path).collect();
        // The path may end with the key itself.
        let known: Vec<&str> = known.collect();
        let place = match words(path, keys.len() - usize::from(keys.last() == Some(&key))) {
            words if words.is_empty() => line.clone(),
            words if line.is_empty() => words,
            words => format!("{line}, {words}"),
        };
        if let (["dimensions", name, ..], true) = (keys.as_slice(), key.parse::<DatePart>().is_ok()) {
            return Error::request(line, format!("write the name in quotes: [dimensions.\"{name}.{key}\"]"));
        }
        return Error::unknown(place, "key", key, known);
    }
    let whole = words(path, usize::MAX);
    if let Some(key) = message.strip_prefix("missing field ") {
        let key = key.trim_matches('`');
        return Error::request(line, format!("{whole} has no {key}{}", sentence(path, key)));
    }
    if let Some((found, wanted)) = message
        .strip_prefix("invalid type: ")
        .or(message.strip_prefix("invalid value: "))
        .and_then(|rest| rest.split_once(", expected "))
    {
        return Error::request(line, format!("{whole} wants {}, not {}", expected(wanted), got(found)));
    }
    if let Some(rest) = message.strip_prefix("invalid length ") {
        return Error::request(
            line,
            format!("{whole} wants two values, not {}", rest.split(',').next().unwrap_or("")),
        );
    }
    let mark = if ["is ", "has "].iter().any(|verb| message.starts_with(verb)) { " " } else { ": " };
    Error::request(line, format!("{whole}{mark}{message}"))
}

/// The name that is not known and those that are, of a message such as ``unknown field `a`, expected `b` or `c` ``.
fn unknown<'m>(message: &'m str, lead: &str) -> Option<(&'m str, impl Iterator<Item = &'m str>)> {
    let mut names = message.strip_prefix(lead)?.split('`').skip(1).step_by(2);
    Some((names.next()?, names))
}

fn keys(path: &Path) -> impl Iterator<Item = &str> {
    path.iter().filter_map(|segment| match segment {
        Segment::Map { key } => Some(key.as_str()),
        Segment::Seq { .. } | Segment::Enum { .. } | Segment::Unknown => None,
    })
}

/// The first so many keys of a path as people read it: `emphasis 1, rules 2, show`, `measures.sales.format`.
fn words(path: &Path, count: usize) -> String {
    let mut words = String::new();
    let mut taken = 0;
    let mut mark = "";
    for segment in path.iter() {
        match segment {
            Segment::Map { .. } if taken == count => break,
            Segment::Map { key } => {
                taken += 1;
                words.push_str(mark);
                words.push_str(key);
                mark = ".";
            }
            Segment::Seq { index } => {
                words.push_str(&format!(" {}", index + 1));
                mark = ", ";
            }
            Segment::Enum { .. } | Segment::Unknown => {}
        }
    }
    words
}

/// What a key that is missing is for.
fn sentence(path: &Path, key: &str) -> String {
    let steps = path.iter().map(|segment| match segment {
        Segment::Map { key } => key.as_str(),
        Segment::Seq { .. } | Segment::Enum { .. } | Segment::Unknown => "",
    });
    let of = part(steps).map(forms).unwrap_or_default();
    let property = of.into_iter().find_map(|form| form.get("properties")?.get(key));
    let text = property.and_then(|property| property.get("description")?.as_str()).unwrap_or_default();
    let mut letters = text.trim_end_matches('.').chars();
    match letters.next() {
        Some(first) => format!(": {}{}", first.to_lowercase(), letters.as_str()),
        None => String::new(),
    }
}

/// What was found, in the words of a brief.
fn got(found: &str) -> &str {
    match found.split_whitespace().next() {
        Some("integer" | "floating") => "a number",
        Some("string") => "a text",
        Some("boolean") => "true or false",
        Some("sequence") => "a list",
        Some("map") => "a table",
        _ => found,
    }
}

/// What was expected, in the words of a brief.
fn expected(wanted: &str) -> &str {
    match wanted {
        "a string" => "a text",
        "a boolean" => "true or false",
        "u8" => "a whole number from 0 to 255",
        "u32" => "a whole number",
        "a sequence" => "a list",
        "a map" => "a table",
        "a tuple of size 2" => "two values, as in [\"5%\", \"95%\"]",
        wanted if wanted.starts_with("struct ") => "a table",
        wanted => wanted,
    }
}
