//! Shares, as quantiles name them.

use crate::model::Decimal;

/// A share from 0 to 1, kept as the decimal that it is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Share(Decimal);

impl Share {
    pub(super) const HALF: Share = Share(Decimal::new(5, 1));

    /// The share of a decimal; none where it is below 0, above 1, or of more than 18 digits after the point.
    pub(crate) fn new(share: Decimal) -> Option<Share> {
        let share = share.shortest();
        (share.scale <= 18 && share >= 0.into() && share <= 1.into()).then_some(Share(share))
    }

    /// How many digits it has after the point.
    pub(super) fn scale(self) -> u8 {
        self.0.scale
    }

    pub(crate) fn as_f64(self) -> f64 {
        self.0.as_f64()
    }

    /// The place so far from the first to the last of so many, and how far on to the next one: that many
    /// of ten to the power of the scale.
    pub(crate) fn place(self, count: usize) -> (usize, i128, u8) {
        let Decimal { digits, scale } = self.0;
        let (place, unit) = (digits * (count - 1) as i128, 10i128.pow(scale.into()));
        ((place / unit) as usize, place % unit, scale)
    }
}
