//! Numbers as people write them: points and thousands marks, currency signs, signs on either side.

/// How the numbers of a column are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum NumberStyle {
    /// `1234.50`
    Point,
    /// `1,234.50`
    PointCommas,
    /// `1 234.50`
    PointSpaces,
    /// `1'234.50`
    PointApostrophes,
    /// `1234,50`
    Comma,
    /// `1.234,50`
    CommaPoints,
    /// `1 234,50`
    CommaSpaces,
}

impl NumberStyle {
    /// The styles, the one that is taken first where several fit first.
    pub(crate) const ALL: [NumberStyle; 7] = [
        NumberStyle::Point,
        NumberStyle::PointCommas,
        NumberStyle::PointSpaces,
        NumberStyle::PointApostrophes,
        NumberStyle::Comma,
        NumberStyle::CommaPoints,
        NumberStyle::CommaSpaces,
    ];

    pub(crate) fn point(self) -> char {
        use NumberStyle::*;
        if matches!(self, Comma | CommaPoints | CommaSpaces) { ',' } else { '.' }
    }

    fn is_mark(self, c: char) -> bool {
        use NumberStyle::*;
        match self {
            Point | Comma => false,
            PointCommas => c == ',',
            CommaPoints => c == '.',
            PointApostrophes => matches!(c, '\'' | '\u{2019}'),
            // Plain, no-break, thin and narrow no-break spaces.
            PointSpaces | CommaSpaces => matches!(c, ' ' | '\u{a0}' | '\u{2009}' | '\u{202f}'),
        }
    }

    /// The style in words, where it is not the plain one.
    pub fn words(self) -> Option<&'static str> {
        use NumberStyle::*;
        match self {
            Point => None,
            PointCommas => Some("1,234.50"),
            PointSpaces => Some("1 234.50"),
            PointApostrophes => Some("1'234.50"),
            Comma => Some("1234,50"),
            CommaPoints => Some("1.234,50"),
            CommaSpaces => Some("1 234,50"),
        }
    }
}

/// A number as it was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Written {
    pub(crate) digits: i128,
    pub(crate) scale: u8,
    pub(crate) unit: Option<char>,
    /// Whether it begins with a zero that a number would not be written with: `007`.
    pub(crate) padded: bool,
}

/// Why a value is no number of a style.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Misread {
    NotANumber,
    /// More than 38 digits, or more than 18 after the point.
    TooLong,
}

/// Currency signs, and the percent sign.
fn is_unit(c: char) -> bool {
    matches!(c, '$' | '%' | '\u{a2}'..='\u{a5}' | '\u{20a0}'..='\u{20c0}')
}

/// Reads a number that is written in a style.
pub(crate) fn read_number(text: &str, style: NumberStyle) -> Result<Written, Misread> {
    if let Some(written) = written_plainly(text.as_bytes(), style.point() as u8) {
        return Ok(written);
    }
    let (body, negative, unit) = undress(text.trim()).ok_or(Misread::NotANumber)?;
    let (whole, fraction) = body.split_once(style.point()).unwrap_or((body, ""));
    let fraction_is_digits = fraction.bytes().all(|b| b.is_ascii_digit());
    if !fraction_is_digits || !grouped(whole, style) || (whole.is_empty() && fraction.is_empty()) {
        return Err(Misread::NotANumber);
    }
    let mut digits = 0i128;
    for digit in whole.chars().chain(fraction.chars()).filter_map(|c| c.to_digit(10)) {
        digits = digits.checked_mul(10).and_then(|d| d.checked_add(digit.into())).ok_or(Misread::TooLong)?;
    }
    let scale = fraction.len() + if unit == Some('%') { 2 } else { 0 };
    if scale > 18 {
        return Err(Misread::TooLong);
    }
    let padded = fraction.is_empty() && whole.len() > 1 && whole.starts_with('0');
    Ok(Written { digits: if negative { -digits } else { digits }, scale: scale as u8, unit, padded })
}

/// The common case, quickly: a sign, digits and at most one point, 18 digits at most.
fn written_plainly(text: &[u8], point: u8) -> Option<Written> {
    let (digits, scale) = plain_number(text, point)?;
    let body = text.strip_prefix(b"-").unwrap_or(text);
    let padded = body.len() > 1 && body[0] == b'0' && !body.contains(&point);
    Some(Written { digits: digits.into(), scale, unit: None, padded })
}

/// The digits of a plain number, and how many of them stand after the point.
#[inline]
pub(crate) fn plain_number(text: &[u8], point: u8) -> Option<(i64, u8)> {
    let (negative, body) = match text {
        [b'-', rest @ ..] => (true, rest),
        _ => (false, text),
    };
    if body.is_empty() || body.len() > 18 {
        return None;
    }
    let mut digits = 0i64;
    let mut at = None;
    for (i, &byte) in body.iter().enumerate() {
        let digit = byte.wrapping_sub(b'0');
        if digit < 10 {
            digits = digits * 10 + i64::from(digit);
        } else if byte == point && at.is_none() {
            at = Some(i);
        } else {
            return None;
        }
    }
    let scale = at.map_or(0, |at| body.len() - at - 1) as u8;
    if body.len() == usize::from(at.is_some()) {
        return None;
    }
    Some((if negative { -digits } else { digits }, scale))
}

/// Plain numbers with just so many digits after the point, as nearly all of a column are, read eight
/// characters at a time. Others are to be read by [`plain_number`].
#[derive(Debug, Clone, Copy)]
pub(crate) struct QuickNumbers {
    point: u8,
    scale: usize,
    /// Bits of the characters after the point, where the last character is the highest of eight.
    fraction: u64,
}

impl QuickNumbers {
    /// None where eight characters do not reach beyond the point.
    pub(crate) fn new(point: u8, scale: u8) -> Option<QuickNumbers> {
        let scale = usize::from(scale);
        // Of no digits there are no bits.
        let fraction = |scale: usize| u64::MAX.checked_shl(64 - 8 * scale as u32).unwrap_or(0);
        (scale < 7).then(|| QuickNumbers { point, scale, fraction: fraction(scale) })
    }

    /// The digits of a number. `tail` is the 8 bytes that end with it, the last one highest, and `before`
    /// gives the 8 before these.
    #[inline(always)]
    pub(crate) fn read(&self, text: &[u8], tail: u64, before: impl FnOnce() -> Option<u64>) -> Option<i64> {
        let QuickNumbers { point, scale, fraction } = *self;
        let negative = *text.first()? == b'-';
        let length = text.len() - usize::from(negative);
        let pointed = usize::from(scale > 0);
        // One digit before the point at least.
        if length <= scale + pointed || pointed > 0 && (tail >> (56 - 8 * scale)) as u8 != point {
            return None;
        }
        // What stands before the point takes its place.
        let digits = if pointed > 0 { tail & fraction | (tail << 8) & !fraction } else { tail };
        let number = if length <= 8 {
            last_digits(digits, length - pointed)?
        } else if length <= 16 {
            let (low, high) = (8 - pointed, length - 8);
            last_digits(before()?, high)? * 10u64.pow(low as u32) + last_digits(digits, low)?
        } else {
            return None;
        };
        Some(if negative { -(number as i64) } else { number as i64 })
    }
}

/// The number that the last so many of eight characters write; none where one is no digit.
#[inline]
fn last_digits(characters: u64, count: usize) -> Option<u64> {
    const ONES: u64 = u64::MAX / 0xff;
    let digits = (characters ^ (ONES * 0x30)) & (u64::MAX << (64 - 8 * count));
    // Adding to a byte above 9 sets its highest bit.
    let digit = (digits | digits.wrapping_add(ONES * 0x76)) & (ONES * 0x80) == 0;
    digit.then(|| eight_digits(digits))
}

/// Eight digits, the first one lowest, as one number: by pairs, then by fours, then all.
#[inline]
fn eight_digits(digits: u64) -> u64 {
    let pairs = digits * 10 + (digits >> 8);
    let fours = (pairs & 0x00ff_00ff_00ff_00ff) * 100 + ((pairs >> 16) & 0x00ff_00ff_00ff_00ff);
    (fours & 0xffff) * 10_000 + ((fours >> 32) & 0xffff)
}

/// Takes sign and unit off a number: what is left, whether it is negative, and the unit.
fn undress(text: &str) -> Option<(&str, bool, Option<char>)> {
    let (mut rest, mut signs, mut unit) = (text, 0, None);
    if let Some(inner) = rest.strip_prefix('(').and_then(|t| t.strip_suffix(')')) {
        (rest, signs) = (inner.trim(), 1);
    }
    // A sign and a unit may stand before the digits, or after them, in either order.
    while let Some(c) = rest.chars().next().filter(|c| !c.is_ascii_digit() && !matches!(c, '.' | ',')) {
        match c {
            '-' | '\u{2212}' => signs += 1,
            '+' if signs == 0 => {}
            c if is_unit(c) && unit.is_none() => unit = Some(c),
            _ => return None,
        }
        rest = rest[c.len_utf8()..].trim_start();
    }
    while let Some(c) = rest.chars().next_back().filter(|c| !c.is_ascii_digit() && !matches!(c, '.' | ',')) {
        match c {
            '-' | '\u{2212}' => signs += 1,
            c if is_unit(c) && unit.is_none() => unit = Some(c),
            _ => return None,
        }
        rest = rest[..rest.len() - c.len_utf8()].trim_end();
    }
    (signs <= 1).then_some((rest, signs == 1, unit))
}

/// Whether the digits before the point are digits only, in groups of three where marks stand.
fn grouped(whole: &str, style: NumberStyle) -> bool {
    let mut groups = whole.split(|c| style.is_mark(c));
    let first = groups.next().unwrap_or("");
    let digits = |group: &str| group.bytes().all(|b| b.is_ascii_digit());
    let mut marked = false;
    let rest = groups.all(|group| {
        marked = true;
        group.len() == 3 && digits(group)
    });
    rest && digits(first) && (!marked || (1..=3).contains(&first.len()) && !first.starts_with('0'))
}
