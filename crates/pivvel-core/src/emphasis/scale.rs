//! From a value to its place: ends, middles, spans and steps.

use crate::eval::GroupKey;
use crate::model::{Grain, Value};
use crate::peers::{Measured, Yardstick, share};
use crate::plan::{Middle, PlannedEmphasis};

/// The scale of one group of peers.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().tint("pieces"), &mut lines())?;
///
/// let ends: Vec<(f64, f64)> = crosstab.emphases()[0].scales().iter().map(|scale| (scale.low(), scale.high())).collect();
/// assert!(ends.contains(&(4.0, 8.0)) && ends.contains(&(3.0, 5.0)));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Scale {
    pub(crate) peers: String,
    pub(crate) grain: Grain,
    pub(crate) apart: [Option<String>; 2],
    pub(crate) within: Vec<(String, String)>,
    pub(crate) yardstick: Yardstick,
    pub(crate) low: f64,
    pub(crate) middle: Option<f64>,
    pub(crate) high: f64,
    /// What its cells share.
    pub(crate) key: GroupKey,
    /// What was measured of its peers.
    pub(super) measured: Measured,
    by_rank: bool,
    /// Whether its ends are those of the yardstick, so that places can be found without rounding.
    measured_ends: bool,
    /// Whether both ends are given, so that a lone cell has a place.
    fixed: bool,
}

crate::getters! {
    Scale {
        /// What the group is called, run after run.
        peers: &str,
        /// The grain of its cells.
        grain: Grain,
        /// The members that it is a scale of, where they are scaled apart: of the rows, of the columns.
        apart: &[Option<String>; 2],
        /// The members that all its cells are in, where not all of a grain are peers: dimension and label.
        within: &[(String, String)],
        /// Its reference numbers.
        yardstick: Yardstick,
        /// The low end.
        low: f64,
        /// The middle that positions are about, if any.
        middle: Option<f64>,
        /// The high end.
        high: f64,
    }
}

/// From where to where a bar reaches, in shares of the cell's width.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::CrossTab;
///
/// let crosstab = CrossTab::build(&brief().bar("pieces"), &mut lines())?;
/// let skerry = crosstab.find(&["Skerry"], &[])?.unwrap();
/// let span = crosstab.marks(skerry.row(), skerry.column(), 0)[0].span().unwrap();
/// // Half as long as the bar of Fell, from zero on.
/// assert_eq!((span.from(), span.to()), (0.0, 0.5));
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Span {
    pub(crate) from: f64,
    pub(crate) to: f64,
    pub(crate) zero: f64,
    pub(crate) below: bool,
}

crate::getters! {
    Span {
        /// Where it begins.
        from: f64,
        /// Where it ends.
        to: f64,
        /// Where the zero line stands that all its peers share.
        zero: f64,
        /// Whether the value is below the zero line.
        below: bool,
    }
}

impl Scale {
    /// The scale of a group that was measured; none of one without values.
    pub(super) fn new(
        planned: &PlannedEmphasis,
        measured: &Measured,
        names: (String, [Option<String>; 2], Vec<(String, String)>),
        grain: Grain,
        key: GroupKey,
    ) -> Option<Scale> {
        let yardstick = measured.yardstick?;
        let (clip_low, clip_high) = measured.clip.unzip();
        let [low, high] = planned.ends;
        let measured_ends = low.or(high).or(clip_low).is_none();
        Some(Scale {
            peers: names.0,
            grain,
            apart: names.1,
            within: names.2,
            low: low.or(clip_low).unwrap_or(yardstick.low.as_f64()),
            middle: match planned.middle {
                Some(Middle::Value(middle)) => Some(middle),
                Some(Middle::Formula) => Some(0.0),
                Some(Middle::Mean) => yardstick.mean,
                Some(Middle::Median) => measured.median,
                None => None,
            },
            high: high.or(clip_high).unwrap_or(yardstick.high.as_f64()),
            key,
            by_rank: planned.spec.is_by_rank(),
            measured_ends,
            fixed: low.is_some() && high.is_some(),
            yardstick,
            measured: measured.clone(),
        })
    }

    /// Whether some cell has a place on it.
    pub(super) fn has_places(&self) -> bool {
        (self.yardstick.count > 1 || self.fixed) && (self.high > self.low || self.high != 0.0)
    }

    /// Where a value stands, with its rank among the peers; `None` for a lone cell and where all
    /// peers are equal.
    pub(super) fn position(&self, value: &Value, rank: Option<u32>) -> Option<f64> {
        if self.yardstick.count < 2 && !self.fixed {
            return None;
        }
        if self.by_rank {
            // Equal values share the lowest rank, and so the highest place.
            return Some(1.0 - f64::from(rank? - 1) / (self.yardstick.count - 1) as f64);
        }
        if let Some(middle) = self.middle {
            let reach = (self.high - middle).max(middle - self.low).min(f64::MAX);
            return (reach > 0.0).then(|| (value.as_f64() - middle).clamp(f64::MIN, f64::MAX) / reach);
        }
        if self.measured_ends {
            return self.yardstick.position(value);
        }
        (self.high > self.low).then(|| share(value.as_f64(), self.low, self.high))
    }

    /// From where to where the bar of a value reaches.
    pub(super) fn span(&self, value: &Value, rank: Option<u32>) -> Option<Span> {
        if self.yardstick.count < 2 && !self.fixed {
            return None;
        }
        if self.by_rank {
            let to = self.position(value, rank)?;
            return Some(Span { from: 0.0, to, zero: 0.0, below: false });
        }
        let (low, base, high) = self.bar_ends()?;
        let place = |value: f64| share(value, low, high).clamp(0.0, 1.0);
        let (zero, end, value) = (place(base), place(value.as_f64()), value.as_f64());
        Some(Span { from: zero.min(end), to: zero.max(end), zero, below: value < base })
    }

    /// The lowest end of bars on it, the line where they begin, and the highest end: bars begin at the middle of
    /// the scale, and at zero where it has none. None where bars show ranks, or all would be nothing.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
    /// # use demo::*;
    /// use pivvel::CrossTab;
    ///
    /// let crosstab = CrossTab::build(&brief().bar("pieces"), &mut lines())?;
    /// let ends: Vec<_> = crosstab.emphases()[0].scales().iter().map(|scale| scale.bar_ends()).collect();
    /// assert!(ends.contains(&Some((0.0, 0.0, 8.0))) && ends.contains(&Some((0.0, 0.0, 5.0))));
    /// # Ok::<(), pivvel::Error>(())
    /// ```
    pub fn bar_ends(&self) -> Option<(f64, f64, f64)> {
        let base = self.middle.unwrap_or(0.0);
        let (low, high) = (self.low.min(base), self.high.max(base));
        (!self.by_rank && low < high).then_some((low, base, high))
    }

    /// Whether places on it are by rank.
    pub fn is_by_rank(&self) -> bool {
        self.by_rank
    }
}

/// The step of a position: equal parts of the scale, of which only the last takes its high end. About a
/// middle, an even number of steps leaves the middle itself in none: what is exactly on budget is
/// neither over nor under it.
pub(super) fn step(position: f64, steps: u8, diverging: bool) -> Option<u8> {
    if diverging && steps.is_multiple_of(2) && position == 0.0 {
        return None;
    }
    let share = if diverging { (position + 1.0) / 2.0 } else { position };
    Some(((share.clamp(0.0, 1.0) * f64::from(steps)) as u8).min(steps - 1))
}
