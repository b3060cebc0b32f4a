//! Exact decimals: digits and a scale.

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::str::FromStr;

/// An exact decimal: all digits with the sign, and how many of them stand after the point. Decimals compare as
/// numbers do: 1.50 is 1.5.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Decimal;
///
/// let price: Decimal = "-12.50".parse()?;
/// assert_eq!(price, Decimal::new(-1250, 2));
/// assert_eq!(price, Decimal::new(-125, 1));
/// assert!(price < 0.into());
/// assert_eq!(price.to_string(), "-12.50");
/// # Ok::<(), pivvel::result::NoDecimal>(())
/// ```
// Aligned to 8 bytes so that a `Value`, which cells hold by the million, is 32 bytes and not 48.
#[repr(Rust, packed(8))]
#[derive(Debug, Clone, Copy, Default)]
pub struct Decimal {
    pub(crate) digits: i128,
    pub(crate) scale: u8,
}

/// A number of so many digits is written by one store of sixteen bytes, with its sign and point.
const FEW: usize = 14;
const BELOW: u64 = 10u64.pow(FEW as u32);

/// The eight digits of a number below 100,000,000 as numbers from 0 to 9, each in a byte, the first one lowest: first by
/// four, then by two and then by one, all of a kind at once (P. Khuong, "How to print integers really fast", 2017).
#[inline]
fn eight_digits(number: u32) -> u64 {
    let (first, last) = (u64::from(number / 10_000), u64::from(number % 10_000));
    let fours = first | last << 32;
    let hundreds = ((fours * 10_486) >> 20) & 0x0000_007f_0000_007f;
    let pairs = hundreds | (fours - 100 * hundreds) << 16;
    let tens = ((pairs * 103) >> 10) & 0x000f_000f_000f_000f;
    tens | (pairs - 10 * tens) << 8
}

/// A text that is no decimal of at most 38 digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NoDecimal;

impl fmt::Display for NoDecimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("this is no number of at most 38 digits, as -12.50 is")
    }
}

impl std::error::Error for NoDecimal {}

impl Decimal {
    /// The decimal of these digits, of which so many stand after the point.
    pub const fn new(digits: i128, scale: u8) -> Decimal {
        Decimal { digits, scale }
    }

    /// All digits, with the sign.
    pub const fn digits(self) -> i128 {
        self.digits
    }

    /// How many of the digits stand after the point.
    pub const fn scale(self) -> u8 {
        self.scale
    }

    /// The nearest floating-point number.
    pub fn as_f64(self) -> f64 {
        i128_to_f64(self.digits) / pow10_f64(self.scale)
    }

    /// The same number with so many digits after the point; `None` where it has more of them now, or would
    /// get more than 38 digits.
    pub fn rescale(self, scale: u8) -> Option<Decimal> {
        rescale(self.digits, self.scale, scale).map(|digits| Decimal { digits, scale })
    }

    /// The same number with so many digits after the point, rounded half away from zero; `None` where it has more
    /// than 38 digits then.
    pub fn rounded(self, scale: u8) -> Option<Decimal> {
        let Some(more) = self.scale.checked_sub(scale).filter(|more| *more > 0) else {
            return self.rescale(scale);
        };
        let Some(unit) = pow10(more) else { return Some(Decimal { digits: 0, scale }) };
        let (whole, rest) = (self.digits / unit, self.digits % unit);
        let up = rest.unsigned_abs() >= unit.unsigned_abs().div_ceil(2);
        let digits = if up { whole + self.digits.signum() } else { whole };
        Some(Decimal { digits, scale })
    }

    /// The sum, at the finer of the two scales; `None` where it has more than 38 digits.
    pub fn checked_add(self, other: Decimal) -> Option<Decimal> {
        let (a, b, scale) = self.aligned(other)?;
        Some(Decimal { digits: a.checked_add(b)?, scale })
    }

    /// The difference, at the finer of the two scales; `None` where it has more than 38 digits.
    pub fn checked_sub(self, other: Decimal) -> Option<Decimal> {
        let (a, b, scale) = self.aligned(other)?;
        Some(Decimal { digits: a.checked_sub(b)?, scale })
    }

    /// The product, at the sum of the two scales; `None` where it has more than 38 digits.
    pub fn checked_mul(self, other: Decimal) -> Option<Decimal> {
        let scale = self.scale.checked_add(other.scale)?;
        Some(Decimal { digits: self.digits.checked_mul(other.digits)?, scale })
    }

    /// The number with the other sign; `None` for the one number that has none.
    pub fn checked_neg(self) -> Option<Decimal> {
        Some(Decimal { digits: self.digits.checked_neg()?, ..self })
    }

    /// The digits of two numbers at their finer scale.
    #[inline]
    fn aligned(self, other: Decimal) -> Option<(i128, i128, u8)> {
        if self.scale == other.scale {
            return Some((self.digits, other.digits, self.scale));
        }
        let scale = self.scale.max(other.scale);
        Some((rescale(self.digits, self.scale, scale)?, rescale(other.digits, other.scale, scale)?, scale))
    }

    /// Adds the number, as it is displayed, to a text.
    pub(crate) fn push_to(self, text: &mut Vec<u8>) {
        let Some((short, length)) = self.short() else {
            return text.extend_from_slice(self.to_string().as_bytes());
        };
        text.extend_from_slice(&short.to_le_bytes());
        text.truncate(text.len() - (size_of_val(&short) - length));
    }

    /// The number as it is displayed, its first byte lowest, and how many bytes it has; `None` for one of many digits.
    #[inline]
    fn short(self) -> Option<(u128, usize)> {
        const ZEROS: u128 = u128::from_ne_bytes([b'0'; 16]);
        let number = i64::try_from(self.digits).ok()?;
        let (all, scale) = (number.unsigned_abs(), usize::from(self.scale));
        if all >= BELOW || scale >= FEW {
            return None;
        }
        let [first, last] = [all / 100_000_000, all % 100_000_000].map(|part| eight_digits(part as u32));
        let digits = u128::from(last) << 64 | u128::from(first);
        // Before the point stands one digit at least.
        let zeros = (digits.trailing_zeros() as usize / 8).min(15 - scale);
        let (mut text, mut length) = ((digits | ZEROS) >> (8 * zeros), 16 - zeros);
        if scale > 0 {
            let before = 8 * (length - scale);
            let fraction = text >> before << before;
            text = (text ^ fraction) | u128::from(b'.') << before | fraction << 8;
            length += 1;
        }
        Some(if number < 0 { (text << 8 | u128::from(b'-'), length + 1) } else { (text, length) })
    }

    /// The same number without zeros at the end of its fraction.
    pub(crate) fn shortest(self) -> Decimal {
        let Decimal { mut digits, mut scale } = self;
        while scale > 0 && digits % 10 == 0 {
            (digits, scale) = (digits / 10, scale - 1);
        }
        Decimal { digits, scale }
    }
}

/// Whole numbers are decimals without a fraction.
macro_rules! from_whole {
    ($($whole:ty)*) => {
        $(impl From<$whole> for Decimal {
            fn from(number: $whole) -> Decimal {
                Decimal::new(number.into(), 0)
            }
        })*
    };
}

from_whole! { i32 i64 i128 u32 u64 }

impl PartialEq for Decimal {
    fn eq(&self, other: &Decimal) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Decimal {}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Decimal) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Decimal {
    fn cmp(&self, other: &Decimal) -> Ordering {
        let (a, b) = (*self, *other);
        if a.scale == b.scale {
            return { a.digits }.cmp(&{ b.digits });
        }
        // Whole parts first, so that no number has to get more digits than it has.
        let parts = |number: Decimal| {
            let unit = pow10(number.scale).unwrap_or(i128::MAX);
            (number.digits.div_euclid(unit), number.digits.rem_euclid(unit))
        };
        let ((whole, rest), (others_whole, others_rest)) = (parts(a), parts(b));
        let common = a.scale.max(b.scale);
        let fine = |rest: i128, scale: u8| rescale(rest, scale, common).unwrap_or(rest);
        whole.cmp(&others_whole).then_with(|| fine(rest, a.scale).cmp(&fine(others_rest, b.scale)))
    }
}

impl Hash for Decimal {
    fn hash<H: Hasher>(&self, state: &mut H) {
        let Decimal { digits, scale } = self.shortest();
        (digits, scale).hash(state);
    }
}

/// In plain digits, with `.` and without thousands marks.
impl fmt::Display for Decimal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Decimal { digits, scale } = *self;
        if let Some((short, length)) = self.short()
            && let Ok(text) = str::from_utf8(&short.to_le_bytes()[..length])
        {
            return f.write_str(text);
        }
        let all = digits.unsigned_abs().to_string();
        f.write_str(if digits < 0 { "-" } else { "" })?;
        let scale = usize::from(scale);
        if scale == 0 {
            return f.write_str(&all);
        }
        let (whole, fraction) = all.split_at(all.len().saturating_sub(scale));
        f.write_str(if whole.is_empty() { "0" } else { whole })?;
        f.write_str(".")?;
        (fraction.len()..scale).try_for_each(|_| f.write_str("0"))?;
        f.write_str(fraction)
    }
}

impl FromStr for Decimal {
    type Err = NoDecimal;

    fn from_str(text: &str) -> Result<Decimal, NoDecimal> {
        let body = text.strip_prefix('-').unwrap_or(text);
        let (whole, fraction) = body.split_once('.').unwrap_or((body, ""));
        let are_digits = |part: &str| part.bytes().all(|byte| byte.is_ascii_digit());
        if whole.is_empty() || !are_digits(whole) || !are_digits(fraction) {
            return Err(NoDecimal);
        }
        let scale = u8::try_from(fraction.len()).map_err(|_| NoDecimal)?;
        decimal_digits(text, scale).map(|digits| Decimal { digits, scale }).ok_or(NoDecimal)
    }
}

/// The nearest float. Few numbers need all 128 bits, and to convert these takes long.
#[inline]
pub(crate) fn i128_to_f64(number: i128) -> f64 {
    match i64::try_from(number) {
        Ok(number) => number as f64,
        Err(_) => wide_to_f64(number),
    }
}

/// A function of its own, so that the compiler does not convert 128 bits in both cases.
#[cold]
#[inline(never)]
fn wide_to_f64(number: i128) -> f64 {
    number as f64
}

/// 10 to the power of `scale`, as a float.
#[inline]
pub(crate) fn pow10_f64(scale: u8) -> f64 {
    /// Those that are exact.
    const EXACT: [f64; 23] = [
        1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17,
        1e18, 1e19, 1e20, 1e21, 1e22,
    ];
    EXACT.get(usize::from(scale)).copied().unwrap_or_else(|| 10f64.powi(scale.into()))
}

/// 10 to the power of `scale`, where it has at most 38 digits.
pub(crate) fn pow10(scale: u8) -> Option<i128> {
    10i128.checked_pow(scale.into())
}

/// The same number with more digits after the point; `None` where it outgrows 38 digits.
pub(crate) fn rescale(digits: i128, from: u8, to: u8) -> Option<i128> {
    digits.checked_mul(pow10(to.checked_sub(from)?)?)
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

/// As text, so that no reader rounds it.
impl serde::Serialize for Decimal {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// From what it is written as.
impl<'de> serde::Deserialize<'de> for Decimal {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Decimal, D::Error> {
        std::borrow::Cow::<str>::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}
