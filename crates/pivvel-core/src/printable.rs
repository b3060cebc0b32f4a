//! Texts of files and members as they can be printed anywhere: what would steer a terminal or turn the
//! direction of reading is no part of a name.

/// A text in which everything that is not to be seen, but would steer what shows it, is a space: control
/// characters, escape sequences with their lead, and marks that turn the direction of reading.
///
/// ```
/// # use pivvel_core as pivvel;
/// assert_eq!(pivvel::text::printable("Fell\u{1b}[31m Coast\u{202e}"), "Fell [31m Coast ");
/// ```
pub fn printable(text: &str) -> String {
    text.chars().map(|c| if steers(c) { ' ' } else { c }).collect()
}

/// The same with its ends of lines.
pub fn printable_lines(text: &str) -> String {
    text.chars().map(|c| if c != '\n' && steers(c) { ' ' } else { c }).collect()
}

/// A text without the passwords of the addresses in it: `postgresql://user:…@host/base`.
///
/// ```
/// # use pivvel_core as pivvel;
/// let clean = pivvel::text::without_secrets("no host in postgresql://ann:p@ss@db/sales?password=x, sorry");
/// assert_eq!(clean, "no host in postgresql://ann:…@db/sales?password=…, sorry");
/// ```
pub fn without_secrets(text: &str) -> String {
    let mut clean = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find("://") {
        let (before, after) = rest.split_at(at + 3);
        clean.push_str(before);
        let end = after.find(|c: char| c.is_whitespace() || matches!(c, '\'' | '"')).unwrap_or(after.len());
        let (address, more) = after.split_at(end);
        clean.push_str(&without_secret(address));
        rest = more;
    }
    clean.push_str(rest);
    clean
}

/// An address, from behind its `//`, without its password. A password may hold any mark, an `@` too.
fn without_secret(address: &str) -> String {
    let with_password =
        address.rsplit_once('@').and_then(|(user, host)| Some((user.split_once(':')?.0, host)));
    let mut clean = with_password.map_or(address.to_string(), |(user, host)| format!("{user}:…@{host}"));
    if let Some(at) = clean.find("password=") {
        let from = at + "password=".len();
        let end = clean[from..].find(['&', '#', ',']).map_or(clean.len(), |end| from + end);
        clean.replace_range(from..end, "…");
    }
    clean
}

fn steers(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
}
