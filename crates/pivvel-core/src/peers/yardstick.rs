//! The reference numbers of one group of peers.

use crate::aggregates::{Total, quantile};
use crate::model::{Value, i128_to_f64};
use crate::plan::{Count, YardstickSpec};

/// The reference numbers of one group of peers.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let fell = crosstab.find(&["Fell"], &[])?.unwrap();
/// let coasts = fell.yardstick(0).unwrap();
/// assert_eq!((coasts.count(), coasts.low(), coasts.high()), (2, 4.into(), 8.into()));
/// assert_eq!(coasts.position(&5.into()), Some(0.25));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
#[non_exhaustive]
pub struct Yardstick {
    pub(crate) count: u64,
    pub(crate) low: Value,
    pub(crate) high: Value,
    pub(crate) mean: Option<f64>,
    pub(crate) spread: Option<f64>,
    pub(crate) quartiles: Option<[f64; 3]>,
}

crate::getters! {
    Yardstick {
        /// Cells that have a value.
        count: u64,
        /// The lowest value.
        low: Value,
        /// The highest value.
        high: Value,
        /// The arithmetic mean; none for dates.
        mean: Option<f64>,
        /// The standard deviation of all peers about their mean; none for dates.
        spread: Option<f64>,
        /// The lower quartile, the median and the upper quartile, between two values by straight
        /// interpolation; none for dates.
        quartiles: Option<[f64; 3]>,
    }
}

/// What was measured of one group of peers.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Measured {
    pub(crate) yardstick: Option<Yardstick>,
    pub(crate) median: Option<f64>,
    /// The values at the shares that were wanted.
    pub(crate) clip: Option<(f64, f64)>,
    /// The values at the counts that were wanted.
    pub(crate) cuts: Vec<Option<Value>>,
    /// The percentiles that were wanted: the share, and the value there.
    pub(crate) percentiles: Vec<(f64, f64)>,
}

impl Measured {
    /// Measures so many values, by their places in their order, the highest first.
    pub(crate) fn new(count: usize, value: impl Fn(usize) -> Value, wanted: &YardstickSpec) -> Measured {
        let Some(last) = count.checked_sub(1) else { return Measured::default() };
        let (mean, floats) = mean(count, &value);
        // Summed in the order of the values, which does not depend on how cells are numbered.
        let spread = |mean: f64| {
            let squares: f64 = floats.iter().map(|value| (value - mean).powi(2)).sum();
            (squares / count as f64).sqrt()
        };
        let at = |share: f64| quantile(share, count, |i| value(last - i).as_f64());
        let yardstick = Yardstick {
            count: count as u64,
            low: value(last),
            high: value(0),
            mean,
            spread: mean.map(spread).filter(|spread| spread.is_finite()),
            quartiles: mean.map(|_| [at(0.25), at(0.5), at(0.75)]),
        };
        let cut = |(wanted, bottom): &(Count, bool)| {
            let kept = wanted.of(count).min(count);
            let place = kept.checked_sub(1)?;
            Some(value(if *bottom { last - place } else { place }))
        };
        Measured {
            yardstick: Some(yardstick),
            median: yardstick.quartiles.map(|[_, median, _]| median),
            clip: wanted.clip.map(|(low, high)| (at(low), at(high))),
            cuts: wanted.cuts.iter().map(cut).collect(),
            percentiles: wanted.percentiles.iter().map(|share| (*share, at(*share))).collect(),
        }
    }

    /// The value at a percentile that was wanted.
    pub(crate) fn percentile(&self, share: f64) -> Option<f64> {
        self.percentiles.iter().find(|(known, _)| *known == share).map(|(_, value)| *value)
    }
}

impl Yardstick {
    /// Where a value stands between the lowest and the highest, from 0 to 1; `None` for a lone
    /// cell and where low and high are the same.
    pub fn position(&self, value: &Value) -> Option<f64> {
        let Yardstick { low, high, .. } = *self;
        match (low, high, *value) {
            (Value::Exact(low), Value::Exact(high), Value::Exact(value))
                if low.scale == high.scale && high.scale == value.scale =>
            {
                let (low, high, digits) = (low.digits, high.digits, value.digits);
                // The difference of two numbers of 38 digits may need one more.
                let between = |a: i128| a.checked_sub(low).map_or_else(|| a as f64 - low as f64, i128_to_f64);
                let (span, above) = (between(high), between(digits));
                (span > 0.0).then(|| above / span)
            }
            _ => {
                let (low, high) = (low.as_f64(), high.as_f64());
                (high > low).then(|| share(value.as_f64(), low, high))
            }
        }
    }
}

/// Where a number stands between two others, also where these are further apart than any number is large.
pub(crate) fn share(value: f64, low: f64, high: f64) -> f64 {
    match high - low {
        whole if whole.is_finite() => (value - low) / whole,
        _ => (value / 2.0 - low / 2.0) / (high / 2.0 - low / 2.0),
    }
}

/// The mean of peers, which does not depend on how cells are numbered, and their values as floats, so that each is
/// looked up once. Dates have no mean.
fn mean(count: usize, value: &impl Fn(usize) -> Value) -> (Option<f64>, Vec<f64>) {
    let (mut total, mut fits) = (Total::default(), true);
    let mut floats = Vec::with_capacity(count);
    for value in (0..count).map(value) {
        if matches!(value, Value::Date(_)) {
            return (None, floats);
        }
        fits = fits && total.add(&value).is_ok();
        floats.push(value.as_f64());
    }
    let mean = match total.mean(count) {
        mean if fits && mean.is_none_or(f64::is_finite) => mean,
        // The sum is too large, the mean is not.
        _ => Some(floats.iter().map(|value| value / count as f64).sum()),
    };
    (mean, floats)
}
