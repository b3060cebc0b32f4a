//! Sums of floats that do not depend on the order of their parts.
//!
//! The sum is kept as a whole number in limbs of 32 bits, wide enough for the parts that were
//! added, and is rounded once, at the end, to the nearest float (ties to even). This is the small
//! superaccumulator of R. M. Neal, "Fast exact summation using small and large superaccumulators"
//! (2015), with limbs allocated for the exponents that occur only.

/// An exact sum of finite floats.
#[derive(Debug, Clone, Default)]
pub(crate) struct ExactFloat {
    /// Weight of the first limb: 2 to the power of `32 * base - 1074`.
    base: u32,
    /// Signed limbs. Each stays within 63 bits because carries are passed on in time.
    limbs: Vec<i64>,
    /// Additions since carries were last passed on.
    pending: u32,
}

/// A limb of up to 32 bits can be added this often before a carry must be passed on.
const PENDING: u32 = 1 << 30;

impl ExactFloat {
    /// Adds a finite float.
    pub(crate) fn add(&mut self, value: f64) {
        let bits = value.to_bits();
        let exponent = (bits >> 52 & 0x7ff) as u32;
        let fraction = bits & ((1 << 52) - 1);
        let mantissa = if exponent == 0 { fraction } else { fraction | 1 << 52 };
        if mantissa == 0 {
            return;
        }
        let shift = exponent.max(1) - 1;
        let (base, wide) = (shift / 32, u128::from(mantissa) << (shift % 32));
        self.cover(base, base + 3);
        let at = (base - self.base) as usize;
        for (i, limb) in self.limbs[at..at + 3].iter_mut().enumerate() {
            let part = (wide >> (32 * i)) as u32;
            *limb += if value < 0.0 { -i64::from(part) } else { i64::from(part) };
        }
        self.tick();
    }

    /// Adds another sum.
    pub(crate) fn merge(&mut self, other: &ExactFloat) {
        if other.limbs.is_empty() {
            return;
        }
        let mut other = other.clone();
        other.carry();
        self.cover(other.base, other.base + other.limbs.len() as u32);
        let at = (other.base - self.base) as usize;
        for (limb, part) in self.limbs[at..].iter_mut().zip(&other.limbs) {
            *limb += part;
        }
        self.tick();
    }

    /// The sum as bytes: the weight of the first limb, then the limbs, the lowest first.
    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        let mut sum = self.clone();
        sum.carry();
        sum.shorten();
        let limbs = sum.limbs.iter().flat_map(|limb| limb.to_le_bytes());
        sum.base.to_le_bytes().into_iter().chain(limbs).collect()
    }

    /// The sum of such bytes.
    pub(crate) fn of_bytes(bytes: &[u8]) -> Option<ExactFloat> {
        let (base, limbs) = bytes.split_first_chunk::<4>()?;
        let (limbs, rest) = limbs.as_chunks::<8>();
        // Floats have exponents of 2,046 steps, and a carry or two above them.
        let base = u32::from_le_bytes(*base);
        let fits = rest.is_empty() && base < 64 && limbs.len() < 80;
        let limbs = limbs.iter().map(|limb| i64::from_le_bytes(*limb)).collect();
        fits.then_some(ExactFloat { base, limbs, pending: 0 })
    }

    /// The sum as the nearest float; infinite where it is beyond all floats.
    pub(crate) fn value(&self) -> f64 {
        let mut sum = self.clone();
        sum.carry();
        let negative = sum.limbs.last().is_some_and(|top| *top < 0);
        if negative {
            sum.limbs.iter_mut().for_each(|limb| *limb = -*limb);
            sum.carry();
        }
        let Some(top) = sum.limbs.iter().rposition(|limb| *limb != 0) else { return 0.0 };
        // Carrying leaves every limb but the top one within 32 bits; the top one may be wider.
        let mut digits: Vec<u32> = sum.limbs[..=top].iter().map(|limb| *limb as u32).collect();
        digits.push((sum.limbs[top] >> 32) as u32);
        let magnitude = round(&digits, sum.base);
        if negative { -magnitude } else { magnitude }
    }

    fn cover(&mut self, low: u32, high: u32) {
        if self.limbs.is_empty() {
            self.base = low;
        }
        if low < self.base {
            let more = (self.base - low) as usize;
            self.limbs.splice(0..0, std::iter::repeat_n(0, more));
            self.base = low;
        }
        let wanted = (high - self.base) as usize;
        if self.limbs.len() < wanted {
            self.limbs.resize(wanted, 0);
        }
    }

    fn tick(&mut self) {
        self.pending += 1;
        if self.pending >= PENDING {
            self.carry();
        }
    }

    /// The fewest limbs for the same sum, after carrying: equal sums are equal then.
    fn shorten(&mut self) {
        while self.limbs.last() == Some(&0) {
            self.limbs.pop();
        }
        let zeros = self.limbs.iter().take_while(|limb| **limb == 0).count();
        self.limbs.drain(..zeros);
        self.base = if self.limbs.is_empty() { 0 } else { self.base + zeros as u32 };
        // A top limb of nothing but the sign says no more than the sign of the one below.
        while self.limbs.len() > 1 && self.limbs.last() == Some(&-1) {
            self.limbs.pop();
            if let Some(top) = self.limbs.last_mut() {
                *top -= 1 << 32;
            }
        }
    }

    /// Brings every limb but the top one into 0..2^32.
    fn carry(&mut self) {
        self.pending = 0;
        let mut carry = 0i64;
        for limb in &mut self.limbs {
            let sum = *limb + carry;
            *limb = sum & 0xffff_ffff;
            carry = sum >> 32;
        }
        while carry != 0 && carry != -1 {
            self.limbs.push(carry & 0xffff_ffff);
            carry >>= 32;
        }
        if carry == -1 {
            // The sign lives in the top limb.
            match self.limbs.last_mut() {
                Some(top) => *top -= 1 << 32,
                None => self.limbs.push(-1),
            }
        }
    }
}

/// The nearest float to a whole number in limbs, the lowest of weight `2^(32 * base - 1074)`.
fn round(digits: &[u32], base: u32) -> f64 {
    let weight = 32 * u64::from(base);
    // Bits are counted from 2^-1074, the least float, upward.
    let bit = |i: u64| {
        let own = i.checked_sub(weight);
        own.and_then(|i| digits.get((i / 32) as usize).map(|d| d >> (i % 32) & 1 == 1)) == Some(true)
    };
    let Some(top) = (weight..weight + 32 * digits.len() as u64).rev().find(|i| bit(*i)) else { return 0.0 };
    let cut = top.saturating_sub(52);
    let mut mantissa = (cut..=top).rev().fold(0u64, |m, i| m << 1 | u64::from(bit(i)));
    if cut > 0 && bit(cut - 1) {
        let sticky = (weight.min(cut - 1)..cut - 1).any(bit);
        mantissa += u64::from(sticky || mantissa & 1 == 1);
    }
    // Below the normal floats nothing was cut, and the mantissa is the float's own bits.
    if mantissa < 1 << 52 {
        return f64::from_bits(mantissa);
    }
    // Rounding up to 2^53 carries into the exponent by itself.
    let exponent = cut + 1;
    if exponent + (mantissa >> 53) > 2046 {
        return f64::INFINITY;
    }
    f64::from_bits((exponent << 52) + (mantissa - (1 << 52)))
}

#[cfg(test)]
mod tests {
    use super::ExactFloat;

    fn sum(values: &[f64]) -> f64 {
        let mut sum = ExactFloat::default();
        values.iter().for_each(|v| sum.add(*v));
        sum.value()
    }

    #[test]
    fn hard_sums_are_right() {
        let tiny = f64::from_bits(1);
        let cases: &[(&[f64], f64)] = &[
            (&[], 0.0),
            (&[0.1; 10], 1.0),
            (&[1e100, 1.0, -1e100], 1.0),
            (&[1e308, 1e308, -1e308, -1e308, 2.5], 2.5),
            (&[tiny, tiny], 2.0 * tiny),
            (&[f64::MIN_POSITIVE, -tiny], f64::MIN_POSITIVE - tiny),
            (&[-1.5, 0.25], -1.25),
            (&[f64::MAX, f64::MAX], f64::INFINITY),
            (&[f64::MAX, f64::MAX, f64::MIN, -1.0], f64::MAX),
            // Half way between two floats: to the even one; the least bit more: up.
            (&[9_007_199_254_740_992.0, 1.0], 9_007_199_254_740_992.0),
            (&[9_007_199_254_740_992.0, 1.0, 1e-300], 9_007_199_254_740_994.0),
            (&[-9_007_199_254_740_992.0, -1.0, -1e-300], -9_007_199_254_740_994.0),
            (&[9_007_199_254_740_991.0, 0.5], 9_007_199_254_740_992.0),
            (&[-3.0, 3.0], 0.0),
        ];
        for (values, expected) in cases {
            assert_eq!(sum(values), *expected, "{values:?}");
            let reversed: Vec<f64> = values.iter().rev().copied().collect();
            assert_eq!(sum(&reversed), *expected, "{reversed:?}");
        }
    }

    proptest::proptest! {
        /// Any split into parts and any order gives the same bits; whole numbers give the true sum.
        #[test]
        fn order_does_not_matter(values: Vec<f64>, cut: proptest::sample::Index, whole: Vec<i32>) {
            let values: Vec<f64> = values.into_iter().filter(|v| v.is_finite()).collect();
            let cut = if values.is_empty() { 0 } else { cut.index(values.len()) };
            let (mut a, mut b) = (ExactFloat::default(), ExactFloat::default());
            values[..cut].iter().for_each(|v| a.add(*v));
            values[cut..].iter().rev().for_each(|v| b.add(*v));
            b.merge(&a);
            proptest::prop_assert_eq!(b.value().to_bits(), sum(&values).to_bits());
            let floats: Vec<f64> = whole.iter().map(|v| f64::from(*v) / 8.0).collect();
            proptest::prop_assert_eq!(sum(&floats), whole.iter().map(|v| f64::from(*v)).sum::<f64>() / 8.0);
        }
    }
}
