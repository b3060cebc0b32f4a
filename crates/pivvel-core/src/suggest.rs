//! The nearest known name to one that is not known.

/// The known name that a misspelt one most likely meant, if any is near enough to offer.
///
/// Letter case does not count; after that, names are compared by Damerau-Levenshtein distance,
/// and one edit is allowed for every three characters.
///
/// ```
/// # use pivvel_core as pivvel;
/// assert_eq!(pivvel::text::nearest("habour", &["coast", "harbour"]), Some("harbour"));
/// assert_eq!(pivvel::text::nearest("price", &["coast", "harbour"]), None);
/// ```
pub fn nearest<'a>(name: &str, known: &[&'a str]) -> Option<&'a str> {
    let folded = name.trim().to_lowercase();
    let best = known
        .iter()
        .map(|k| (strsim::damerau_levenshtein(&folded, &k.to_lowercase()), *k))
        .min_by_key(|(distance, _)| *distance)?;
    let allowed = 1 + folded.chars().count().max(best.1.chars().count()) / 4;
    if best.0 <= allowed && best.0 < folded.chars().count().max(1) {
        return Some(best.1);
    }
    let stem = |k: &&&str| folded.len() >= 3 && k.to_lowercase().starts_with(&folded);
    known.iter().find(stem).copied()
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
