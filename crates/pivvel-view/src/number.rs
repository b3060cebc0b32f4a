//! Numbers as people read them. Rounding happens here and nowhere else, and never changes what is
//! computed.

use pivvel_core::Value;
use pivvel_core::brief::{Negative, NumberFormat, Scaling};

/// A value as its measure's format shows it.
///
/// Exact numbers are rounded exactly, halves away from zero. Floating-point numbers from 10²¹ on, of whose
/// digits most say nothing, are shown by a power of ten.
///
/// ```
/// use pivvel::brief::NumberFormat;
/// use pivvel::{Decimal, Value};
/// use pivvel::draw::show_number;
///
/// let value = Value::Exact(Decimal::new(-123_456_750, 2));
/// assert_eq!(show_number(&value, &NumberFormat::named("money")?), "-1,234,567.50");
/// assert_eq!(show_number(&value, &NumberFormat::named("thousands")?), "-1,234.6 k");
/// # Ok::<(), pivvel_core::Error>(())
/// ```
pub fn show_number(value: &Value, format: &NumberFormat) -> String {
    let decimals = shown_decimals(value, format);
    let (negative, digits) = match *value {
        Value::Date(_) => return value.to_string(),
        Value::Float(large) if large.abs() >= 1e21 => {
            let scaled = format!("{:.2e}", large / 10f64.powi(format.get_scaling().power()));
            return format!(
                "{}{}{}",
                format.get_before(),
                scaled.replace('.', format.get_point()),
                format.get_after()
            );
        }
        Value::Exact(number) => {
            let digits = number.digits();
            (digits < 0, exact(digits.unsigned_abs(), number.scale(), format.get_scaling(), decimals))
        }
        Value::Float(value) => (value < 0.0, float(value.abs(), format.get_scaling(), decimals)),
    };
    // What rounds to nothing has no sign.
    let negative = negative && digits.bytes().any(|b| (b'1'..=b'9').contains(&b));
    let (opens, closes) = match (negative, format.get_negative()) {
        (false, _) => ("", ""),
        (true, Negative::Brackets) => ("(", ")"),
        (true, _) => ("-", ""),
    };
    let (whole, fraction) = digits.split_once('.').unwrap_or((&digits, ""));
    let mut shown =
        String::with_capacity(2 * digits.len() + format.get_before().len() + format.get_after().len());
    shown.push_str(opens);
    shown.push_str(format.get_before());
    push_grouped(&mut shown, whole, format.get_marks());
    if !fraction.is_empty() {
        shown.push_str(format.get_point());
        shown.push_str(fraction);
    }
    shown.push_str(format.get_after());
    shown.push_str(closes);
    shown
}

/// Adds digits with a mark before every three of them.
fn push_grouped(shown: &mut String, digits: &str, mark: &str) {
    let (mut group, mut rest) = digits.split_at(digits.len() % 3);
    while !rest.is_empty() {
        shown.push_str(group);
        if !group.is_empty() {
            shown.push_str(mark);
        }
        (group, rest) = rest.split_at(3);
    }
    shown.push_str(group);
}

/// How many digits after the point a value is shown with.
///
/// ```
/// use pivvel::brief::NumberFormat;
/// use pivvel::draw::shown_decimals;
/// use pivvel::{Decimal, Value};
///
/// let price = Value::Exact(Decimal::new(1250, 2));
/// assert_eq!(shown_decimals(&price, &NumberFormat::default()), 2);
/// assert_eq!(shown_decimals(&price, &NumberFormat::named("whole")?), 0);
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn shown_decimals(value: &Value, format: &NumberFormat) -> usize {
    match (value, format.get_decimals()) {
        (Value::Date(_), _) => 0,
        (_, Some(decimals)) => decimals.into(),
        // Dividing by a thousand moves the point three digits to the left.
        (Value::Exact(number), None) => {
            (i32::from(number.scale()) + format.get_scaling().power()).max(0).unsigned_abs() as usize
        }
        (Value::Float(_), None) => 2,
    }
}

fn exact(digits: u128, scale: u8, scaling: Scaling, wanted: usize) -> String {
    let point = i32::from(scale) + scaling.power();
    let (digits, zeros) = match point - wanted as i32 {
        more @ ..=0 => (digits, more.unsigned_abs() as usize),
        less => match 10u128.checked_pow(less.unsigned_abs()) {
            Some(unit) => (digits / unit + u128::from(digits % unit >= unit - unit / 2), 0),
            None => (0, 0),
        },
    };
    // Behind a zero they would be digits before the point.
    let zeros = if digits == 0 { 0 } else { zeros };
    let mut text = match u64::try_from(digits) {
        Ok(short) => short.to_string(),
        Err(_) => digits.to_string(),
    };
    text.extend(std::iter::repeat_n('0', zeros));
    if wanted > 0 {
        let missing = (wanted + 1).saturating_sub(text.len());
        text.insert_str(0, &"0".repeat(missing));
        text.insert(text.len() - wanted, '.');
    }
    text
}

fn float(value: f64, scaling: Scaling, decimals: usize) -> String {
    format!("{:.decimals$}", value / 10f64.powi(scaling.power()))
}
