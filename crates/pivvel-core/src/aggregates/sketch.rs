//! States that estimate: how many different values there are, and how values are spread, in a bounded
//! room. Both merge the same in any order.

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;

use crate::model::{float_to_ordered, ordered_to_float};

/// Registers of a sketch: 2 to the power of this.
const PRECISION: u32 = 12;
const REGISTERS: usize = 1 << PRECISION;
/// So many different values are kept themselves, and counted exactly.
const FEW: usize = 256;

/// An estimate of how many different values there are, from their hashes: HyperLogLog (P. Flajolet
/// and others, 2007) with the estimator of O. Ertl, "New cardinality estimation algorithms for
/// HyperLogLog sketches" (2017), which needs no tables. Its standard error is 1.04 / √4096 = 1.6 %.
#[derive(Debug, Clone)]
pub(crate) enum Distinct {
    Few(HashTable<u64>),
    Many(Box<[u8; REGISTERS]>),
}

impl Default for Distinct {
    fn default() -> Distinct {
        Distinct::Few(HashTable::new())
    }
}

impl Distinct {
    pub(crate) fn add(&mut self, hash: u64) {
        match self {
            Distinct::Few(hashes) => {
                keep(hashes, hash);
                if hashes.len() > FEW {
                    let mut many = Box::new([0; REGISTERS]);
                    hashes.iter().for_each(|hash| note(&mut many, *hash));
                    *self = Distinct::Many(many);
                }
            }
            Distinct::Many(registers) => note(registers, hash),
        }
    }

    pub(crate) fn merge(&mut self, other: &Distinct) {
        match (&mut *self, other) {
            (_, Distinct::Few(hashes)) => hashes.iter().for_each(|hash| self.add(*hash)),
            (Distinct::Few(hashes), Distinct::Many(registers)) => {
                let mut many = registers.clone();
                hashes.iter().for_each(|hash| note(&mut many, *hash));
                *self = Distinct::Many(many);
            }
            (Distinct::Many(mine), Distinct::Many(theirs)) => {
                mine.iter_mut().zip(theirs.iter()).for_each(|(a, b)| *a = (*a).max(*b));
            }
        }
    }

    pub(crate) fn estimate(&self) -> u64 {
        let registers = match self {
            Distinct::Few(hashes) => return hashes.len() as u64,
            Distinct::Many(registers) => registers,
        };
        let highest = 64 - PRECISION as usize;
        let mut counts = vec![0u32; highest + 2];
        registers.iter().for_each(|register| counts[usize::from(*register)] += 1);
        let m = REGISTERS as f64;
        let mut z = m * tau(1.0 - f64::from(counts[highest + 1]) / m);
        for count in counts[1..=highest].iter().rev() {
            z = 0.5 * (z + f64::from(*count));
        }
        z += m * sigma(f64::from(counts[0]) / m);
        (m * m / (2.0 * std::f64::consts::LN_2 * z)).round() as u64
    }

    /// The state as bytes: the hashes in order, or as many bytes as there are registers and one more.
    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        match self {
            Distinct::Few(hashes) => {
                let mut hashes: Vec<u64> = hashes.iter().copied().collect();
                hashes.sort_unstable();
                hashes.into_iter().flat_map(u64::to_le_bytes).collect()
            }
            Distinct::Many(registers) => registers.iter().copied().chain([0]).collect(),
        }
    }

    pub(crate) fn of_bytes(bytes: &[u8]) -> Option<Distinct> {
        if let [registers @ .., 0] = bytes
            && let Ok(registers) = <[u8; REGISTERS]>::try_from(registers)
        {
            let sound = registers.iter().all(|register| u32::from(*register) <= 65 - PRECISION);
            return sound.then(|| Distinct::Many(Box::new(registers)));
        }
        let (all, rest) = bytes.as_chunks::<8>();
        let mut hashes = HashTable::new();
        all.iter().for_each(|hash| keep(&mut hashes, u64::from_le_bytes(*hash)));
        (rest.is_empty() && hashes.len() <= FEW).then_some(Distinct::Few(hashes))
    }

    pub(crate) fn bytes(&self) -> usize {
        match self {
            Distinct::Few(hashes) => hashes.allocation_size(),
            Distinct::Many(_) => REGISTERS,
        }
    }
}

/// Keeps a hash that is not known yet.
fn keep(hashes: &mut HashTable<u64>, hash: u64) {
    if let Entry::Vacant(place) = hashes.entry(hash, |known| *known == hash, |known| *known) {
        place.insert(hash);
    }
}

/// Keeps the longest run of zeros that a register has seen.
fn note(registers: &mut [u8; REGISTERS], hash: u64) {
    let register = (hash >> (64 - PRECISION)) as usize;
    let rest = hash << PRECISION;
    let run = (rest.leading_zeros() + 1).min(65 - PRECISION) as u8;
    registers[register] = registers[register].max(run);
}

fn sigma(mut x: f64) -> f64 {
    if x == 1.0 {
        return f64::INFINITY;
    }
    let (mut y, mut z) = (1.0, x);
    loop {
        x *= x;
        let before = z;
        z += x * y;
        y += y;
        if z == before {
            return z;
        }
    }
}

fn tau(mut x: f64) -> f64 {
    if x == 0.0 || x == 1.0 {
        return 0.0;
    }
    let (mut y, mut z) = (1.0, 1.0 - x);
    loop {
        x = x.sqrt();
        let before = z;
        y *= 0.5;
        z -= (1.0 - x).powi(2) * y;
        if z == before {
            return z / 3.0;
        }
    }
}

/// Bits of a float that a step of a spread leaves out: 7 of its fraction are kept.
const LEFT_OUT: u32 = 45;

/// So many steps are kept one by one: until then that is smaller than a table, and quicker.
const ONE_BY_ONE: usize = 1_024;

/// How values are spread, in steps of 1/128 of their size, so that a value that is read from it is at most
/// 1/256 (0.4 %) of itself away from one that was put in.
#[derive(Debug, Clone)]
pub(crate) enum QuantileSketch {
    /// The steps of few values.
    Few(Vec<i32>),
    /// How many values each step has.
    Many(HashTable<(i32, u64)>),
}

impl Default for QuantileSketch {
    fn default() -> QuantileSketch {
        QuantileSketch::Few(Vec::new())
    }
}

impl QuantileSketch {
    #[inline]
    pub(crate) fn add(&mut self, value: f64) {
        self.add_steps(step(value), 1);
    }

    pub(crate) fn merge(&mut self, other: &QuantileSketch) {
        match other {
            QuantileSketch::Few(steps) => steps.iter().for_each(|step| self.add_steps(*step, 1)),
            QuantileSketch::Many(table) => {
                table.iter().for_each(|(step, count)| self.add_steps(*step, *count));
            }
        }
    }

    #[inline]
    fn add_steps(&mut self, step: i32, count: u64) {
        match self {
            QuantileSketch::Few(steps) if count == 1 && steps.len() < ONE_BY_ONE => steps.push(step),
            _ => {
                let known = count_of(self.table(), step);
                *known = known.saturating_add(count);
            }
        }
    }

    /// The table, which is made where there is none yet.
    #[inline]
    fn table(&mut self) -> &mut HashTable<(i32, u64)> {
        if let QuantileSketch::Few(_) = self {
            let steps = self.in_order();
            // Room for those that there are: values may be many more than their steps.
            let mut table = HashTable::with_capacity(steps.len());
            steps.into_iter().for_each(|(step, count)| *count_of(&mut table, step) = count);
            *self = QuantileSketch::Many(table);
        }
        match self {
            QuantileSketch::Many(table) => table,
            QuantileSketch::Few(_) => unreachable!("there is a table now"),
        }
    }

    /// Its steps with how many values each has, in order.
    pub(crate) fn in_order(&self) -> Vec<(i32, u64)> {
        let mut all: Vec<(i32, u64)> = match self {
            QuantileSketch::Few(steps) => {
                let mut steps = steps.clone();
                steps.sort_unstable();
                return steps.chunk_by(|a, b| a == b).map(|alike| (alike[0], alike.len() as u64)).collect();
            }
            QuantileSketch::Many(table) => table.iter().copied().collect(),
        };
        all.sort_unstable();
        all
    }

    /// The value at a place among all, from 0.
    pub(crate) fn at(in_order: &[(i32, u64)], place: u64) -> f64 {
        let mut before = 0;
        let step = in_order.iter().find(|(_, count)| {
            before += count;
            place < before
        });
        step.or(in_order.last()).map_or(0.0, |(step, _)| middle(*step))
    }

    /// The state as bytes: steps with their counts, in order.
    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        let pair = |(step, count): (i32, u64)| step.to_le_bytes().into_iter().chain(count.to_le_bytes());
        self.in_order().into_iter().flat_map(pair).collect()
    }

    pub(crate) fn of_bytes(bytes: &[u8]) -> Option<QuantileSketch> {
        let (pairs, rest) = bytes.as_chunks::<12>();
        let mut sketch = QuantileSketch::default();
        for pair in pairs {
            let (step, count) = pair.split_first_chunk::<4>()?;
            sketch.add_steps(i32::from_le_bytes(*step), u64::from_le_bytes(count.try_into().ok()?));
        }
        rest.is_empty().then_some(sketch)
    }

    pub(crate) fn bytes(&self) -> usize {
        match self {
            QuantileSketch::Few(steps) => steps.capacity() * size_of::<i32>(),
            QuantileSketch::Many(table) => table.allocation_size(),
        }
    }
}

/// How many values a step has in a table.
#[inline]
fn count_of(table: &mut HashTable<(i32, u64)>, step: i32) -> &mut u64 {
    // Steps that follow each other go to places of their own.
    let hash = |step: i32| (step as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    let entry = table.entry(hash(step), |(known, _)| *known == step, |(known, _)| hash(*known));
    &mut entry.or_insert((step, 0)).into_mut().1
}

/// The step of a value: steps are in the order of their values.
fn step(value: f64) -> i32 {
    (float_to_ordered(value + 0.0) >> LEFT_OUT) as i32
}

/// The middle of a step.
fn middle(step: i32) -> f64 {
    // Zero is a value of its own, and the floats beside it are too small to be amounts.
    if step == 0 {
        return 0.0;
    }
    let low = i64::from(step) << LEFT_OUT;
    (ordered_to_float(low) + ordered_to_float(low + (1 << LEFT_OUT) - 1)) / 2.0
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::{Distinct, ONE_BY_ONE, QuantileSketch};
    use crate::lines::hash;

    /// Few values are counted exactly, many within four standard errors, in whatever parts they come.
    #[test]
    fn distinct_values_are_estimated() {
        for count in [0u64, 1, 7, 256, 257, 1_000, 20_000, 300_000] {
            let (mut whole, mut parts) = (Distinct::default(), vec![Distinct::default(); 3]);
            for i in 0..count {
                let hash = hash(&i.to_le_bytes());
                whole.add(hash);
                whole.add(hash);
                parts[(i % 3) as usize].add(hash);
            }
            let mut merged = Distinct::default();
            parts.iter().rev().for_each(|part| merged.merge(part));
            let found = whole.estimate();
            assert_eq!(merged.estimate(), found);
            assert_eq!(Distinct::of_bytes(&whole.to_bytes()).unwrap().estimate(), found);
            let allowed = if count <= 256 { 0.0 } else { 4.0 * 0.01625 * count as f64 };
            assert!((found as f64 - count as f64).abs() <= allowed, "{count}: {found}");
        }
    }

    /// A value at any place is within 0.4 % of the true one.
    #[test]
    fn spreads_keep_the_size_of_values() {
        for count in [0, 1, 900, 1_024, 1_025, 2_000, 5_000] {
            let mut values: Vec<f64> = (0..count).map(|i| f64::from(i * i % 7_919 - 2_000) / 100.0).collect();
            let (mut spread, mut parts) = (QuantileSketch::default(), vec![QuantileSketch::default(); 3]);
            for (place, value) in values.iter().enumerate() {
                spread.add(*value);
                // Of one part more than of the others, so that few are merged with many and many with few.
                parts[(place % 11).min(2)].add(*value);
            }
            let (mut merged, mut backwards) = (QuantileSketch::default(), QuantileSketch::default());
            parts.iter().for_each(|part| merged.merge(part));
            parts.iter().rev().for_each(|part| backwards.merge(part));
            assert_eq!(merged.to_bytes(), spread.to_bytes());
            assert_eq!(backwards.to_bytes(), spread.to_bytes());
            let steps = spread.in_order().len();
            let most = if count <= ONE_BY_ONE as i32 { 16.max(8 * values.len()) } else { 40 * steps + 16 };
            assert!(spread.bytes() <= most, "{} bytes of {steps} steps of {count} values", spread.bytes());
            values.sort_by(f64::total_cmp);
            let again = QuantileSketch::of_bytes(&spread.to_bytes()).unwrap().in_order();
            for (place, value) in values.iter().enumerate() {
                let found = QuantileSketch::at(&again, place as u64);
                assert!((found - value).abs() <= value.abs() / 256.0, "{value}: {found}");
            }
        }
    }
}
