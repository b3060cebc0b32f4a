//! Exact decimals: digits and a scale.

/// 10 to the power of `scale`, where it has at most 38 digits.
pub(crate) fn pow10(scale: u8) -> Option<i128> {
    10i128.checked_pow(scale.into())
}

/// The same number with more digits after the point; `None` where it outgrows 38 digits.
pub(crate) fn rescale(digits: i128, from: u8, to: u8) -> Option<i128> {
    digits.checked_mul(pow10(to.checked_sub(from)?)?)
}

/// An exact decimal in plain digits, with `.` and without thousands marks.
///
/// ```
/// assert_eq!(pivvel_core::decimal_text(-1250, 2), "-12.50");
/// assert_eq!(pivvel_core::decimal_text(7, 0), "7");
/// ```
pub fn decimal_text(digits: i128, scale: u8) -> String {
    let sign = if digits < 0 { "-" } else { "" };
    let all = digits.unsigned_abs().to_string();
    let scale = usize::from(scale);
    if scale == 0 {
        return format!("{sign}{all}");
    }
    let padded = format!("{all:0>width$}", width = scale + 1);
    let (whole, fraction) = padded.split_at(padded.len() - scale);
    format!("{sign}{whole}.{fraction}")
}

/// The digits of a decimal written in plain digits, at a scale; none where it is finer, or has more
/// than 38 digits.
pub(crate) fn decimal_digits(text: &str, scale: u8) -> Option<i128> {
    let (negative, body) = text.strip_prefix('-').map_or((false, text), |body| (true, body));
    let (whole, fraction) = body.split_once('.').unwrap_or((body, ""));
    let (kept, rest) = fraction.split_at_checked(scale.into()).unwrap_or((fraction, ""));
    if rest.bytes().any(|digit| digit != b'0') || (whole.is_empty() && fraction.is_empty()) {
        return None;
    }
    let mut digits = 0i128;
    for digit in whole.chars().chain(kept.chars()) {
        digits = digits.checked_mul(10)?.checked_add(digit.to_digit(10)?.into())?;
    }
    let digits = rescale(digits, kept.len() as u8, scale)?;
    Some(if negative { -digits } else { digits })
}
