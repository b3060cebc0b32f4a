//! The small texts that flags are written in.

use std::path::Path;

use pivvel::brief::{Amount, MeasureBrief, RelatedBrief, TierBrief, TopBrief};
use pivvel::{Brief, Error, Result};

use crate::brief_flags::Given;

/// What stands after a dimension, as in `harbour: sales > 10000`.
pub(crate) fn of_dimension(given: &Given, example: &str) -> Result<(String, String)> {
    let (dimension, rest) = split(given.text, ":").ok_or_else(|| given.unlike(example))?;
    Ok((unquoted(dimension), rest.trim().to_string()))
}

/// `size of yard by sum(amount) at 10000, 50000 as small, middle, large`.
pub(crate) fn tier(given: &Given) -> Result<TierBrief> {
    let wrong = || given.unlike("'size of yard by sum(amount) at 10000, 50000 as small, middle, large'");
    let (name, rest) = split(given.text, " of ").ok_or_else(wrong)?;
    let (of, rest) = split(rest, " by ").ok_or_else(wrong)?;
    let (by, rest) = split_last(rest, " at ").ok_or_else(wrong)?;
    let (cuts, labels) = split(rest, " as ").unwrap_or((rest, ""));
    let amounts: Vec<Amount> = names(cuts).iter().map(|cut| cut.as_str().into()).collect();
    let tier = TierBrief::new(unquoted(name), unquoted(of), by.trim()).labels(names(labels));
    Ok(match names(cuts).iter().all(|cut| cut.ends_with('%')) {
        true => tier.quantiles(amounts),
        false => tier.cuts(amounts),
    })
}

/// `articles.csv on article`, `yards.csv on yard = code, coast`.
pub(crate) fn related(given: &Given) -> Result<RelatedBrief> {
    let wrong = || given.unlike("'yards.csv on yard = code'");
    let (source, keys) = split_last(given.text, " on ").ok_or_else(wrong)?;
    let key = |key: String| match key.split_once('=') {
        Some((own, theirs)) => (unquoted(own), unquoted(theirs)),
        None => (key.clone(), key),
    };
    let source = source.trim().to_string();
    let stem =
        Path::new(&source).file_stem().map_or(source.clone(), |stem| stem.to_string_lossy().into_owned());
    Ok(RelatedBrief::new(stem, source, [""; 0]).keys(names(keys).into_iter().map(key)))
}

/// `harbour 5 by sales overall others 'All other harbours'`.
pub(crate) fn top(given: &Given) -> Result<(String, TopBrief)> {
    let wrong = || given.unlike("'harbour 5 by sales'");
    let (head, rest) = split(given.text, " by ").ok_or_else(wrong)?;
    let (dimension, count) = head.trim().rsplit_once(char::is_whitespace).ok_or_else(wrong)?;
    let (rest, others) = match split_last(rest, " others ") {
        Some((rest, others)) => (rest, Some(unquoted(others.trim().trim_matches('\'')))),
        None => (rest, None),
    };
    let (by, overall) = rest.trim().strip_suffix(" overall").map_or((rest, false), |by| (by, true));
    let top = TopBrief::new(count, by.trim()).overall(overall);
    Ok((unquoted(dimension), others.into_iter().fold(top, TopBrief::others)))
}

/// A measure from `name = formula`, or from a formula that is its own name.
pub(crate) fn measure(text: &str) -> MeasureBrief {
    match text.split_once('=') {
        Some((name, formula)) if !name.contains(['(', '\'']) => {
            MeasureBrief::new(unquoted(name), formula.trim())
        }
        _ => MeasureBrief::new(text.trim(), text.trim()),
    }
}

/// Sets an assumption to another value, as in `uplift=4%`.
pub(crate) fn assume(text: &str, mut brief: Brief) -> Result<Brief> {
    let (name, value) = text
        .split_once('=')
        .ok_or_else(|| Error::request("--assume", format!("{text} is not written like uplift=4%")))?;
    brief.assume(name.trim(), value.trim().into())?;
    Ok(brief)
}

/// What stands before and after a word, the first that is not within quotes.
pub(crate) fn split<'t>(text: &'t str, word: &str) -> Option<(&'t str, &'t str)> {
    let place = outside_quotes(text).find(|place| text[*place..].starts_with(word))?;
    Some((&text[..place], &text[place + word.len()..]))
}

/// The same by the last such word.
fn split_last<'t>(text: &'t str, word: &str) -> Option<(&'t str, &'t str)> {
    let place = outside_quotes(text).filter(|place| text[*place..].starts_with(word)).last()?;
    Some((&text[..place], &text[place + word.len()..]))
}

/// The places of characters that are in no quotes. A single quote opens where a word begins only.
fn outside_quotes(text: &str) -> impl Iterator<Item = usize> {
    let (mut open, mut before) = (None, ' ');
    text.char_indices().filter_map(move |(place, c)| {
        let outside = open.is_none();
        match open {
            Some(mark) if mark == c => open = None,
            None if c == '"'
                || c == '\'' && !before.is_alphanumeric() && text[place + 1..].contains('\'') =>
            {
                open = Some(c);
            }
            _ => {}
        }
        before = c;
        outside.then_some(place)
    })
}

/// Names between commas. Quotes of either kind keep a comma in one; a single one within a name is a letter of it.
pub(crate) fn names(list: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let (mut name, mut open) = (String::new(), None);
    let mut chars = list.chars().peekable();
    while let Some(c) = chars.next() {
        match (c, open) {
            (c, Some(mark)) if c == mark && chars.peek() == Some(&mark) => {
                chars.next();
                name.push(c);
            }
            (c, Some(mark)) if c == mark => open = None,
            (c, Some(_)) => name.push(c),
            ('"', None) => open = Some('"'),
            ('\'', None) if name.trim().is_empty() => open = Some('\''),
            (',', None) => names.push(std::mem::take(&mut name)),
            (c, None) => name.push(c),
        }
    }
    names.push(name);
    names.into_iter().map(|name| name.trim().to_string()).filter(|name| !name.is_empty()).collect()
}

pub(crate) fn unquoted(name: &str) -> String {
    let name = name.trim();
    name.strip_prefix('"').and_then(|n| n.strip_suffix('"')).unwrap_or(name).replace("\"\"", "\"")
}
