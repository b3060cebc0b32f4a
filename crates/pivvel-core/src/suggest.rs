//! The nearest known name to one that is not known.

/// The known name that a misspelt one most likely meant, if any is near enough to offer.
///
/// Letter case does not count; after that, names are compared by Damerau-Levenshtein distance. One edit is
/// allowed, and one more for every four characters. A part of a column, as `sold_on.quarter`, is also compared by
/// the name of the part alone.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::text::nearest;
///
/// assert_eq!(nearest("habour", &["coast", "harbour"]), Some("harbour"));
/// assert_eq!(nearest("quartr", &["coast", "sold_on.quarter"]), Some("sold_on.quarter"));
/// assert_eq!(nearest("price", &["coast", "harbour"]), None);
/// ```
pub fn nearest<'a>(name: &str, known: &[&'a str]) -> Option<&'a str> {
    let folded = name.trim().to_lowercase();
    let is_word = |part: &&str| !part.is_empty() && part.chars().all(|c| c.is_alphabetic() || c == '_');
    let written = |known: &'a str| {
        let part = known.rsplit_once('.').map(|(_, part)| part).filter(is_word);
        std::iter::once(known).chain(part).map(move |text| (text.to_lowercase(), known))
    };
    let all: Vec<(String, &str)> = known.iter().copied().flat_map(written).collect();
    let distance = |(text, _): &&(String, &str)| strsim::damerau_levenshtein(&folded, text);
    let best = all.iter().min_by_key(distance)?;
    let allowed = 1 + folded.chars().count().max(best.0.chars().count()) / 4;
    if distance(&best) <= allowed && distance(&best) < folded.chars().count().max(1) {
        return Some(best.1);
    }
    let begins = |(text, _): &&(String, &str)| folded.len() >= 3 && text.starts_with(&folded);
    all.iter().find(begins).map(|(_, known)| *known)
}

/// Names that functions have elsewhere, and how they are written here.
const OTHER_NAMES: [(&[&str], &str); 8] = [
    (&["avg", "average"], "write it like mean(amount)"),
    (&["if", "iff", "when"], "write it like case when amount > 0 then 1 else 0 end"),
    (&["std", "sd", "std_dev"], "write it like stddev(amount)"),
    (&["var"], "write it like variance(amount)"),
    (&["log"], "the natural logarithm is ln(x)"),
    (&["pow"], "write it like power(x, 2)"),
    (&["total"], "write it like sum(amount)"),
    (&["unique", "uniques", "count_distinct", "distinct_count"], "write it like distinct(yard)"),
];

/// How a function is written here that has this name elsewhere.
pub(crate) fn other_name_hint(function: &str) -> Option<&'static str> {
    let function = function.to_lowercase();
    let is_it = |(names, _): &&(&[&str], &str)| names.contains(&function.as_str());
    OTHER_NAMES.iter().find(is_it).map(|(_, hint)| *hint)
}
