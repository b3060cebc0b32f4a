//! Links as they can be handed to the crate that writes workbooks. It escapes the percent sign of each escape, unless it
//! meets one of those that it knows; a link that has other escapes alone would lead elsewhere.

use std::borrow::Cow;

/// Escapes by which a link is taken for one that is written out already.
const KNOWN: [&str; 11] = ["%20", "%25", "%22", "%60", "%3C", "%3E", "%5B", "%5D", "%5E", "%7B", "%7D"];

/// A link that stays what it is when it is written: letters that are not ASCII stand in it as themselves (RFC 3987) where
/// that is needed. `None` for one with other escapes alone.
pub(super) fn as_written(link: &str) -> Option<Cow<'_, str>> {
    let lasts = |link: &str| {
        let upper = link.to_ascii_uppercase();
        !link.contains('%') || KNOWN.iter().any(|known| upper.contains(known))
    };
    if lasts(link) {
        return Some(Cow::Borrowed(link));
    }
    let letters = with_letters(link);
    lasts(&letters).then_some(Cow::Owned(letters))
}

/// The link with the letters of its escapes that are no ASCII.
fn with_letters(link: &str) -> String {
    let mut text = String::with_capacity(link.len());
    let mut rest = link;
    while let Some(at) = rest.find('%') {
        text.push_str(&rest[..at]);
        rest = &rest[at..];
        let mut bytes = Vec::new();
        while let Some(byte) = escaped(&rest[3 * bytes.len()..]).filter(|byte| !byte.is_ascii()) {
            bytes.push(byte);
        }
        let length = (3 * bytes.len()).max(1);
        match String::from_utf8(bytes) {
            Ok(letters) if !letters.is_empty() => text.push_str(&letters),
            _ => text.push_str(&rest[..length]),
        }
        rest = &rest[length..];
    }
    text + rest
}

/// The byte of an escape that a text begins with.
fn escaped(text: &str) -> Option<u8> {
    u8::from_str_radix(text.strip_prefix('%')?.get(..2)?, 16).ok()
}
