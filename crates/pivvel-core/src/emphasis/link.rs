//! Links that are made from members: only those that a page may hold, and nothing in a label can
//! change where they lead.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

use crate::brief::Template;
use crate::plan::SCHEMES;

/// What a label keeps of itself in a link: what RFC 3986 calls unreserved.
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A template with every `{name}` replaced by its label; `None` where one is missing, or where what
/// comes out is no link that a page may hold.
pub(crate) fn link(template: &Template, labels: &[(String, String)]) -> Option<String> {
    let known = |name: &str| labels.iter().find(|(known, _)| known == name).map(|(_, label)| label.as_str());
    let may_lead = |link: &str| {
        let lower = link.trim().to_lowercase();
        SCHEMES.iter().any(|scheme| lower.starts_with(scheme))
    };
    if let Some(label) = template.only_hole().and_then(known) {
        let without_spaces = !label.chars().any(|c| c.is_control() || c.is_whitespace());
        return (without_spaces && may_lead(label)).then(|| label.to_string());
    }
    if !template.holes().all(|name| known(name).is_some()) {
        return None;
    }
    let escaped = |name: &str| Some(utf8_percent_encode(known(name)?, ESCAPED).to_string());
    Some(template.fill(escaped).to_string()).filter(|link| may_lead(link))
}
