//! Links that are made from members: only those that a page may hold, and nothing in a label can
//! change where they lead.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

use crate::plan::SCHEMES;

/// What a label keeps of itself in a link: what RFC 3986 calls unreserved.
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A template with every `{name}` replaced by its label; `None` where one is missing, or where what
/// comes out is no link that a page may hold.
pub(crate) fn link(template: &str, labels: &[(String, String)]) -> Option<String> {
    let known = |name: &str| labels.iter().find(|(known, _)| known == name).map(|(_, label)| label.as_str());
    let whole = template.strip_prefix('{').and_then(|rest| rest.strip_suffix('}'));
    if let Some(label) = whole.and_then(known) {
        let lower = label.trim().to_lowercase();
        let plain = !label.chars().any(|c| c.is_control() || c.is_whitespace());
        return (plain && SCHEMES.iter().any(|scheme| lower.starts_with(scheme))).then(|| label.to_string());
    }
    let mut made = String::new();
    let mut rest = template;
    while let Some((before, after)) = rest.split_once('{') {
        let (name, after) = after.split_once('}')?;
        made.push_str(before);
        made.extend(utf8_percent_encode(known(name)?, ESCAPED));
        rest = after;
    }
    made.push_str(rest);
    let lower = made.to_lowercase();
    SCHEMES.iter().any(|scheme| lower.starts_with(scheme)).then_some(made)
}
