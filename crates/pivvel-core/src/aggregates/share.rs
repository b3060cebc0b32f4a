//! Shares, as quantiles name them.

use crate::model::pow10;

/// A share from 0 to 1, kept as the decimal that it is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Share {
    digits: u64,
    pub(super) scale: u8,
}

impl Share {
    pub(super) const HALF: Share = Share { digits: 5, scale: 1 };

    /// The share of a decimal; none where it is below 0, above 1, or of more than 18 digits after the point.
    pub(crate) fn new(mut digits: i128, mut scale: u8) -> Option<Share> {
        while scale > 0 && digits % 10 == 0 {
            (digits, scale) = (digits / 10, scale - 1);
        }
        let fits = scale <= 18 && digits <= pow10(scale)?;
        Some(Share { digits: u64::try_from(digits).ok().filter(|_| fits)?, scale })
    }

    pub(crate) fn as_f64(self) -> f64 {
        self.digits as f64 / 10f64.powi(self.scale.into())
    }

    /// The place so far from the first to the last of so many, and how far on to the next one: that many
    /// of ten to the power of the scale.
    pub(crate) fn place(self, count: usize) -> (usize, i128, u8) {
        let (place, unit) = (u128::from(self.digits) * (count - 1) as u128, 10u128.pow(self.scale.into()));
        ((place / unit) as usize, (place % unit) as i128, self.scale)
    }
}
