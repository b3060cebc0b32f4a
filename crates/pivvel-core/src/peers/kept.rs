//! Yardsticks that outlive the run that they were measured in, so that this month's page compares
//! with last month's.

use std::collections::BTreeMap;

use super::Yardstick;
use super::yardstick::Measured;
use crate::lines::Value;

/// The scales of a run by the names of their peers.
///
/// ```
/// use pivvel_core::{KeptScale, Yardsticks};
///
/// let mut kept = Yardsticks::default();
/// let scale = KeptScale { count: 12, low: 0.0, high: 900.0, mean: Some(310.5), clip: None };
/// kept.insert("sales@harbour/total", scale);
/// assert_eq!(kept.get("sales@harbour/total").unwrap().high, 900.0);
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Yardsticks(BTreeMap<String, KeptScale>);

/// The reference numbers of one group of peers, as they are kept.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct KeptScale {
    /// Cells that had a value.
    pub count: u64,
    /// The lowest value.
    pub low: f64,
    /// The highest value.
    pub high: f64,
    /// The arithmetic mean.
    pub mean: Option<f64>,
    /// Where the scale was clipped, if it was: the shares, and the values there.
    pub clip: Option<[f64; 4]>,
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
    /// What is kept of a group that was measured; nothing of one without values, or of dates.
    pub(crate) fn of(measured: &Measured, clip: Option<(f64, f64)>) -> Option<KeptScale> {
        let Yardstick { count, low, high, mean, .. } = measured.yardstick?;
        mean?;
        let clip = clip.zip(measured.clip).map(|((a, b), (low, high))| [a, b, low, high]);
        Some(KeptScale { count, low: low.as_f64(), high: high.as_f64(), mean, clip })
    }

    /// The same as it is measured by.
    pub(crate) fn measured(&self) -> Measured {
        let KeptScale { count, low, high, mean, clip } = *self;
        let (low, high) = (Value::Float(low), Value::Float(high));
        let yardstick = Yardstick { count, low, high, mean, spread: None, quartiles: None };
        let clip = clip.map(|[_, _, low, high]| (low, high));
        Measured { yardstick: Some(yardstick), clip, cuts: Vec::new() }
    }
}
