//! Yardsticks that outlive the run that they were measured in, so that this month's page compares
//! with last month's.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Yardstick;
use super::yardstick::Measured;
use crate::model::Value;
use crate::plan::{Count, YardstickSpec};

/// The scales of a run by the names of their peers: `measure@row level/column level`.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::{KeptScale, Yardsticks};
///
/// let mut kept = Yardsticks::default();
/// let scale = KeptScale::new(12, 0.0, 900.0).with_mean(310.5);
/// kept.insert("sales@harbour/total", scale);
/// assert_eq!(kept.get("sales@harbour/total").unwrap().high(), 900.0);
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Yardsticks(BTreeMap<String, KeptScale>);

/// The reference numbers of one group of peers, as they are kept.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::{KeptScale, Yardsticks};
///
/// let mut kept = Yardsticks::default();
/// kept.insert("sales@coast/total", KeptScale::new(2, 4.0, 8.0));
/// assert_eq!(kept.get("sales@coast/total").map(|scale| scale.high()), Some(8.0));
/// ```
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[non_exhaustive]
pub struct KeptScale {
    /// Cells that had a value.
    pub(crate) count: u64,
    /// The lowest value.
    pub(crate) low: f64,
    /// The highest value.
    pub(crate) high: f64,
    /// The arithmetic mean.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) mean: Option<f64>,
    /// The median, where positions are about it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) median: Option<f64>,
    /// Where the scale was clipped, if it was: the shares, and the values there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) clip: Option<[f64; 4]>,
    /// What a value had to reach to be among so many of the highest or of the lowest, for those that rules named.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) tops: Vec<KeptTop>,
    /// The percentiles that rules named: the share, and the value there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) percentiles: Vec<[f64; 2]>,
}

crate::getters! {
    KeptScale {
        /// Cells that had a value.
        count: u64,
        /// The lowest value.
        low: f64,
        /// The highest value.
        high: f64,
        /// The arithmetic mean.
        mean: Option<f64>,
        /// The median, where positions are about it.
        median: Option<f64>,
        /// Where the scale was clipped, if it was: the shares, and the values there.
        clip: Option<[f64; 4]>,
        /// What a value had to reach to be among so many of the highest or of the lowest, for those that rules named.
        tops: &[KeptTop],
        /// The percentiles that rules named: the share, and the value there.
        percentiles: &[[f64; 2]],
    }
}

crate::setters! { KeptScale {
    /// With their arithmetic mean.
    value mean as with_mean: Option<f64>,
    /// With their median, for positions that are about it.
    value median as with_median: Option<f64>,
    /// With where the scale is clipped: the shares, and the values there.
    value clip as with_clip: Option<[f64; 4]>,
    /// With what a value has to reach to be among so many of the highest or of the lowest.
    list tops as with_tops: KeptTop,
    /// With these percentiles: the share, and the value there.
    list percentiles as with_percentiles: [f64; 2],
} }

/// The last value of so many of the highest peers, or of the lowest.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[non_exhaustive]
pub struct KeptTop {
    /// How many, and at which end.
    #[serde(flatten)]
    pub(crate) count: KeptCount,
    /// The lowest value of the highest so many, or the highest of the lowest.
    pub(crate) value: f64,
}

crate::getters! {
    KeptTop {
        /// How many, and at which end.
        count: &KeptCount,
        /// The lowest value of the highest so many, or the highest of the lowest.
        value: f64,
    }
}

/// How many of the highest or of the lowest, as a rule says it: `3` or `20%`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[non_exhaustive]
pub enum KeptCount {
    /// So many of the highest.
    Top(String),
    /// So many of the lowest.
    Bottom(String),
}

impl KeptCount {
    fn new(count: String, bottom: bool) -> KeptCount {
        if bottom { KeptCount::Bottom(count) } else { KeptCount::Top(count) }
    }
}

impl Yardsticks {
    /// The scale of peers of this name.
    pub fn get(&self, peers: &str) -> Option<&KeptScale> {
        self.0.get(peers)
    }

    /// Keeps a scale under the name of its peers.
    pub fn insert(&mut self, peers: impl Into<String>, scale: KeptScale) {
        self.0.insert(peers.into(), scale);
    }

    /// Every scale by the name of its peers.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &KeptScale)> {
        self.0.iter().map(|(name, scale)| (name.as_str(), scale))
    }

    /// Whether nothing is kept.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl KeptScale {
    /// So many cells that had a value, the lowest and the highest of them.
    pub fn new(count: u64, low: f64, high: f64) -> KeptScale {
        KeptScale { count, low, high, ..KeptScale::default() }
    }

    /// What is kept of a group that was measured; nothing of one without values, or of dates.
    pub(crate) fn of(measured: &Measured, wanted: &YardstickSpec) -> Option<KeptScale> {
        let Yardstick { count, low, high, mean, .. } = measured.yardstick?;
        mean?;
        let clip = wanted.clip.zip(measured.clip).map(|((a, b), (low, high))| [a, b, low, high]);
        let mut tops: Vec<KeptTop> = Vec::new();
        for ((wanted, bottom), cut) in wanted.cuts.iter().zip(&measured.cuts) {
            if let Some((count, cut)) = wanted.words().zip(*cut) {
                let top = KeptTop { count: KeptCount::new(count, *bottom), value: cut.as_f64() };
                tops.extend((!tops.contains(&top)).then_some(top));
            }
        }
        let mut percentiles: Vec<[f64; 2]> = Vec::new();
        for own in measured.percentiles.iter().map(|(share, value)| [*share, *value]) {
            percentiles.extend((!percentiles.contains(&own)).then_some(own));
        }
        let median = measured.median.filter(|_| wanted.median);
        let (low, high) = (low.as_f64(), high.as_f64());
        Some(KeptScale { count, low, high, mean, median, clip, tops, percentiles })
    }

    /// The same as it is measured by; the first of `wanted` that it does not keep, in words, where there is one.
    pub(crate) fn measured(&self, wanted: &YardstickSpec) -> (Measured, Option<String>) {
        let KeptScale { count, low, high, mean, median, clip, ref tops, ref percentiles } = *self;
        let mut missing = None;
        // Where all values are equal, each share of them ends there, and nothing more needs to be kept.
        if low == high {
            let (value, ends) = (Value::Float(low), wanted.clip.map(|_| (low, low)));
            let yardstick = Yardstick { count, low: value, high: value, mean, spread: None, quartiles: None };
            let cuts = wanted.cuts.iter().map(|(wanted, _)| wanted.words().map(|_| value)).collect();
            let percentiles = wanted.percentiles.iter().map(|share| (*share, low)).collect();
            let measured =
                Measured { yardstick: Some(yardstick), median: Some(low), clip: ends, cuts, percentiles };
            return (measured, None);
        }
        if wanted.clip.is_some_and(|shares| clip.is_none_or(|clip| (clip[0], clip[1]) != shares)) {
            missing = Some("clip at these shares".to_string());
        }
        let mut cut = |(wanted, bottom): &(Count, bool)| {
            let words = wanted.words()?;
            let count = KeptCount::new(words.clone(), *bottom);
            let kept = tops.iter().find(|top| top.count == count);
            let name = || format!("{} {words}", if *bottom { "bottom" } else { "top" });
            if kept.is_none() {
                missing.get_or_insert_with(name);
            }
            kept.map(|top| Value::Float(top.value))
        };
        let cuts = wanted.cuts.iter().map(&mut cut).collect();
        let percentile = |share: &f64| {
            let kept = percentiles.iter().find(|[known, _]| known == share);
            if kept.is_none() {
                missing.get_or_insert_with(|| format!("percentile {}", share * 100.0));
            }
            kept.map(|[share, value]| (*share, *value))
        };
        let percentiles = wanted.percentiles.iter().filter_map(percentile).collect();
        if wanted.median && median.is_none() {
            missing.get_or_insert_with(|| "median".to_string());
        }
        let (low, high) = (Value::Float(low), Value::Float(high));
        let yardstick = Yardstick { count, low, high, mean, spread: None, quartiles: None };
        let clip = clip.map(|[_, _, low, high]| (low, high));
        (Measured { yardstick: Some(yardstick), median, clip, cuts, percentiles }, missing)
    }
}
