//! What aggregates are computed with: sums of values of any kinds, sums of squares, quantiles.

use arrow_buffer::i256;

use super::Share;
use super::exact_float::ExactFloat;
use crate::model::{Decimal, Overflow, Value, pow10_f64};

/// The sum of values in any order, whichever kind each of them has. Exact numbers are added exactly, at
/// the largest scale among them; as soon as a floating-point number is one of them the sum is a
/// floating-point number, which does not depend on their order either. This is the one place where
/// values of cells are added.
#[derive(Debug, Clone, Default)]
pub(crate) struct Total {
    exact: Option<Decimal>,
    floats: Option<ExactFloat>,
}

impl Total {
    /// The sum of values.
    ///
    /// # Errors
    /// An exact sum of more than 38 digits.
    pub(crate) fn of<'v>(values: impl IntoIterator<Item = &'v Value>) -> Result<Total, Overflow> {
        let mut total = Total::default();
        values.into_iter().try_for_each(|value| total.add(value))?;
        Ok(total)
    }

    /// Adds a value.
    ///
    /// # Errors
    /// An exact sum of more than 38 digits.
    pub(crate) fn add(&mut self, value: &Value) -> Result<(), Overflow> {
        match (*value, self.exact) {
            (Value::Exact(more), Some(sum)) => self.exact = Some(sum.checked_add(more).ok_or(Overflow)?),
            (Value::Exact(first), None) => self.exact = Some(first),
            (value, _) => self.floats.get_or_insert_default().add(value.as_f64()),
        }
        Ok(())
    }

    /// What the values come to; nothing where there were none.
    pub(crate) fn value(&self) -> Option<Value> {
        let Some(floats) = &self.floats else { return self.exact.map(Value::Exact) };
        let mut all = floats.clone();
        self.exact.into_iter().for_each(|sum| all.add(sum.as_f64()));
        Some(Value::Float(all.value()))
    }
}

impl Total {
    /// The mean of so many values that were added, rounded once.
    pub(crate) fn mean(&self, count: usize) -> Option<f64> {
        let count = count as f64;
        let Some(floats) = &self.floats else {
            let Decimal { digits, scale } = self.exact?;
            return Some(digits as f64 / (count * pow10_f64(scale)));
        };
        let mut all = floats.clone();
        self.exact.into_iter().for_each(|sum| all.add(sum.as_f64()));
        // What the rounded sum loses belongs to the mean: that of equal numbers is one of them.
        let mean = all.value() / count;
        let product = mean * count;
        all.add(-product);
        all.add(-mean.mul_add(count, -product));
        Some(mean + all.value() / count)
    }
}

/// A value that is not beyond all floats.
pub(super) fn finite(value: Value) -> Result<Value, Overflow> {
    if value.as_f64().is_finite() { Ok(value) } else { Err(Overflow) }
}

/// The sum of squares about the mean of values of any kinds.
pub(super) fn squares_about_mean(values: &[Value]) -> Result<f64, Overflow> {
    let mut moments = Moments::default();
    let count = values.len() as u64;
    // At one scale, squares of digits are exact.
    if let Some(Value::Exact(Decimal { digits: sum, scale })) = Total::of(values)?.value() {
        let digits = |value: &Value| match *value {
            Value::Exact(number) => number.rescale(scale),
            _ => None,
        };
        for value in values {
            moments.add_exact(digits(value).ok_or(Overflow)?.digits)?;
        }
        return Ok(moments.about_mean(sum, count, scale));
    }
    let mut floats = ExactFloat::default();
    for value in values.iter().map(Value::as_f64) {
        moments.add_float(value);
        floats.add(value);
    }
    Ok(moments.about_float_mean(&floats, count))
}

/// The quantile of sorted values of any kinds; exact where the two that it stands between are.
///
/// # Errors
/// An exact one of more than 38 digits.
pub(crate) fn quantile_between(
    share: Share,
    count: usize,
    two: impl Fn(usize) -> [Value; 2],
) -> Result<Value, Overflow> {
    let (below, part, finer) = share.place(count);
    let [low, high] = two(below);
    if let (Value::Exact(low), Value::Exact(high)) = (low, high) {
        let more = high.checked_sub(low).and_then(|more| more.checked_mul(Decimal::new(part, finer)));
        return more.and_then(|more| low.checked_add(more)).map(Value::Exact).ok_or(Overflow);
    }
    // Where the share of floats lies, floats say.
    let (place, part) = place_of(share.as_f64(), count);
    let [low, high] = if place == below { [low, high] } else { two(place) };
    let (low, high) = (low.as_f64(), high.as_f64());
    Ok(Value::Float(if part == 0.0 { low } else { low + part * (high - low) }))
}

/// The place below which a share of sorted values lies, and how far it is from there to the next.
fn place_of(share: f64, count: usize) -> (usize, f64) {
    let place = share * (count - 1) as f64;
    (place.floor() as usize, place.fract())
}

/// The quantile of sorted values, between two of them by straight interpolation: definition 7 of
/// R. J. Hyndman and Y. Fan, "Sample quantiles in statistical packages" (1996), which is SQL's
/// `percentile_cont`.
pub(crate) fn quantile(share: f64, count: usize, value: impl Fn(usize) -> f64) -> f64 {
    let (below, part) = place_of(share, count);
    let low = value(below);
    if part == 0.0 { low } else { low + part * (value((below + 1).min(count - 1)) - low) }
}

/// Sums of squares, exact for decimals and for floats.
#[derive(Debug, Clone, Default)]
pub(crate) struct Moments {
    pub(crate) exact: i256,
    pub(crate) float: ExactFloat,
}

impl Moments {
    /// A sum of squares that was made elsewhere.
    pub(crate) fn of_exact(exact: i256) -> Moments {
        Moments { exact, float: ExactFloat::default() }
    }

    pub(crate) fn add_exact(&mut self, digits: i128) -> Result<(), Overflow> {
        let digits = i256::from_i128(digits);
        let square = digits.checked_mul(digits).ok_or(Overflow)?;
        self.exact = self.exact.checked_add(square).ok_or(Overflow)?;
        Ok(())
    }

    pub(crate) fn add_float(&mut self, value: f64) {
        // A square and what is lost in rounding it, so that both together are exact.
        let square = value * value;
        if square.is_finite() {
            self.float.add(square);
            self.float.add(value.mul_add(value, -square));
        }
    }

    pub(crate) fn merge(&mut self, other: &Moments) -> Result<(), Overflow> {
        self.exact = self.exact.checked_add(other.exact).ok_or(Overflow)?;
        self.float.merge(&other.float);
        Ok(())
    }

    /// The sum of squares about the mean of exact numbers: (n · Σx² − (Σx)²) / n, of which only the
    /// last division rounds.
    pub(crate) fn about_mean(&self, sum: i128, count: u64, scale: u8) -> f64 {
        let sum = i256::from_i128(sum);
        let exact = || {
            let scaled = self.exact.checked_mul(i256::from_i128(count.into()))?;
            scaled.checked_sub(sum.checked_mul(sum)?)
        };
        let unit = count as f64 * 10f64.powi(2 * i32::from(scale));
        match exact() {
            Some(difference) => to_float(difference) / unit,
            None => {
                (to_float(self.exact) - to_float(sum) * to_float(sum) / count as f64) * count as f64 / unit
            }
        }
    }

    /// The same of floats: Σx² − 2mΣx + nm² for a mean m, each product with what its rounding loses.
    pub(crate) fn about_float_mean(&self, sum: &ExactFloat, count: u64) -> f64 {
        let high = sum.value();
        let mut rest = sum.clone();
        rest.add(-high);
        let (mean, low) = (high / count as f64, rest.value());
        let mut squares = self.float.clone();
        let mut add_product = |a: f64, b: f64| {
            let product = a * b;
            squares.add(product);
            squares.add(a.mul_add(b, -product));
        };
        add_product(-2.0 * mean, high);
        add_product(-2.0 * mean, low);
        let scaled = mean * count as f64;
        add_product(scaled, mean);
        add_product(mean.mul_add(count as f64, -scaled), mean);
        squares.value().max(0.0)
    }
}

fn to_float(number: i256) -> f64 {
    let (low, high) = number.to_parts();
    high as f64 * 2f64.powi(128) + low as f64
}
