//! Aggregates of values that are there already: of finer groups, and of a group of cells.

use arrow_buffer::i256;

use super::exact_float::ExactFloat;
use super::totals::Outgrown;
use crate::formula::Function;
use crate::lines::Value;

/// What a function makes of values, in any order. They share one type and scale.
pub(crate) fn summarize(function: Function, values: &[Value]) -> Result<Option<Value>, Outgrown> {
    let Some(some) = values.first() else {
        let zero = matches!(function, Function::Count | Function::Distinct | Function::DistinctEstimate);
        return Ok(zero.then_some(Value::whole(0)));
    };
    let count = values.len();
    Ok(Some(match function {
        Function::Count => Value::whole(count as u64),
        // Of values that are there already nothing needs to be estimated.
        Function::Distinct | Function::DistinctEstimate => {
            let mut sorted = values.to_vec();
            sorted.sort_unstable_by(Value::order);
            sorted.dedup_by(|a, b| a.order(b).is_eq());
            Value::whole(sorted.len() as u64)
        }
        Function::Min | Function::First => *values.iter().min_by(|a, b| a.order(b)).unwrap_or(some),
        Function::Max | Function::Last => *values.iter().max_by(|a, b| a.order(b)).unwrap_or(some),
        Function::Sum => sum(values)?,
        Function::Mean => Value::Float(sum(values)?.as_f64() / count as f64),
        Function::Quantile(share) | Function::QuantileEstimate(share) => {
            let mut sorted = values.to_vec();
            sorted.sort_unstable_by(Value::order);
            Value::Float(quantile(share, count, |i| sorted[i].as_f64()))
        }
        Function::Variance { population } | Function::Deviation { population } => {
            let (mut moments, mut floats) = (Moments::default(), ExactFloat::default());
            let mut exact = None;
            for value in values {
                match *value {
                    Value::Exact { digits, scale } => {
                        moments.add_exact(digits)?;
                        let (sum, _) = exact.get_or_insert((0i128, scale));
                        *sum = sum.checked_add(digits).ok_or(Outgrown)?;
                    }
                    other => {
                        moments.add_float(other.as_f64());
                        floats.add(other.as_f64());
                    }
                }
            }
            let squares = match exact {
                Some((sum, scale)) => moments.about_mean(sum, count as u64, scale),
                None => moments.about_float_mean(&floats, count as u64),
            };
            let Some(spread) = spread(function, squares, count as u64, population) else { return Ok(None) };
            Value::Float(spread)
        }
    }))
}

/// The variance, or its root, where there are values enough: over one less than their count or, of
/// a population, over their count. `squares` is the sum of squares about the mean.
pub(super) fn spread(function: Function, squares: f64, count: u64, population: bool) -> Option<f64> {
    let over = if population { count } else { count.checked_sub(1).filter(|n| *n > 0)? };
    let variance = squares / over as f64;
    Some(if matches!(function, Function::Deviation { .. }) { variance.sqrt() } else { variance })
}

fn sum(values: &[Value]) -> Result<Value, Outgrown> {
    let mut floats = ExactFloat::default();
    let (mut digits, mut at) = (0i128, None);
    for value in values {
        match *value {
            Value::Exact { digits: more, scale } => {
                digits = digits.checked_add(more).ok_or(Outgrown)?;
                at = Some(scale);
            }
            other => floats.add(other.as_f64()),
        }
    }
    Ok(at.map_or_else(|| Value::Float(floats.value()), |scale| Value::Exact { digits, scale }))
}

/// The quantile of sorted values, between two of them by straight interpolation: definition 7 of
/// R. J. Hyndman and Y. Fan, "Sample quantiles in statistical packages" (1996), which is SQL's
/// `percentile_cont`.
pub(crate) fn quantile(share: f64, count: usize, value: impl Fn(usize) -> f64) -> f64 {
    let place = share * (count - 1) as f64;
    let (below, part) = (place.floor() as usize, place.fract());
    let low = value(below);
    if part == 0.0 { low } else { low + part * (value((below + 1).min(count - 1)) - low) }
}

/// Sums of squares, exact for decimals and for floats.
#[derive(Debug, Clone, Default)]
pub(crate) struct Moments {
    pub(super) exact: i256,
    pub(super) float: ExactFloat,
}

impl Moments {
    /// A sum of squares that was made elsewhere.
    pub(super) fn of_exact(exact: i256) -> Moments {
        Moments { exact, float: ExactFloat::default() }
    }

    pub(crate) fn add_exact(&mut self, digits: i128) -> Result<(), Outgrown> {
        let digits = i256::from_i128(digits);
        let square = digits.checked_mul(digits).ok_or(Outgrown)?;
        self.exact = self.exact.checked_add(square).ok_or(Outgrown)?;
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

    pub(crate) fn merge(&mut self, other: &Moments) -> Result<(), Outgrown> {
        self.exact = self.exact.checked_add(other.exact).ok_or(Outgrown)?;
        self.float.merge(&other.float);
        Ok(())
    }

    /// The sum of squares about the mean of exact numbers: (n · Σx² − (Σx)²) / n, of which only the
    /// last division rounds.
    pub(super) fn about_mean(&self, sum: i128, count: u64, scale: u8) -> f64 {
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
    pub(super) fn about_float_mean(&self, sum: &ExactFloat, count: u64) -> f64 {
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
