//! The change of a ratio, taken apart: how much comes from the mix of the members, and how much from
//! the members' own ratios.
//!
//! With the share `w` that a member has in what stands below, and its own ratio `r`, the whole ratio is the
//! sum of `w r`. Its change is the sum of `mean(w) Δr`, which is the members' own part, and of
//! `mean(r − R) Δw`, which is the mix, where `R` is the whole ratio: shares add up to one, so that what is
//! taken off every `r` changes no sum (the midpoint form of a shift-share decomposition; Marshall 1923 and
//! Edgeworth 1925 weigh index numbers by the same means). A member that is not there before or after
//! has no change of its own, and is all mix; what it has above nothing, as a cost without sales, is all own.

use super::ratio::Ratio;
use super::snapshot::{RowKey, Snapshot, SnapshotRow};
use crate::rollup::EntryKind;

/// The change of a ratio in one cell.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// use pivvel::{Brief, CrossTab};
/// use pivvel::compare::{Comparison, Snapshot, with_ratios};
///
/// // Pieces a line rise from 4 to 4.5.
/// let brief = Brief::new().rows(["coast"]).measure(("size", "sum(pieces) / count()"));
/// let (brief, ratios) = with_ratios(&brief);
/// let earlier = Snapshot::of("May", &CrossTab::build(&brief, &mut lines())?);
/// let later = Snapshot::of("June", &CrossTab::build(&brief.filter("pieces > 3"), &mut lines())?);
/// let comparison = Comparison::new(&earlier, &later, &ratios)?;
/// let total = &comparison.mixed()[0];
/// assert_eq!(total.ratios(), [4.0, 4.5]);
/// assert!((total.own() + total.mix() - 0.5).abs() < 1e-12);
/// assert_eq!(total.parts().len(), 2);
/// # Ok::<(), pivvel::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Mixed {
    pub(crate) measure: String,
    pub(crate) members: Vec<Option<String>>,
    pub(crate) levels: [String; 2],
    pub(crate) ratios: [f64; 2],
    pub(crate) own: f64,
    pub(crate) mix: f64,
    pub(crate) parts: Vec<MixPart>,
}

crate::getters! {
    Mixed {
        /// The ratio.
        measure: &str,
        /// The label in each dimension; nothing where it is rolled up.
        members: &[Option<String>],
        /// The names of the row level and the column level.
        levels: &[String; 2],
        /// The earlier and the later ratio.
        ratios: [f64; 2],
        /// What the members' own ratios make of the change.
        own: f64,
        /// What the mix of the members makes of it; with the other it adds up to the change.
        mix: f64,
        /// What each member makes of both.
        parts: &[MixPart],
    }
}

/// What a member makes of the change of a ratio.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct MixPart {
    pub(crate) member: String,
    pub(crate) own: f64,
    pub(crate) mix: f64,
}

crate::getters! {
    MixPart {
        /// The member.
        member: &str,
        /// By its own ratio.
        own: f64,
        /// By its share.
        mix: f64,
    }
}

/// What stands above and below.
type Parts = (f64, f64);

/// Takes the change of every ratio apart at every cell of which the members are known.
pub(super) fn mixed(earlier: &Snapshot, later: &Snapshot, rows: usize, ratios: &[Ratio]) -> Vec<Mixed> {
    let mut all = Vec::new();
    for ratio in ratios {
        for row in later.cells.iter().filter(|row| row.key.measure == ratio.measure) {
            let depth = row.key.members[..rows].iter().take_while(|member| member.is_some()).count();
            if depth < rows {
                all.extend(of_cell(earlier, later, row, depth, ratio));
            }
        }
    }
    all
}

fn of_cell(
    earlier: &Snapshot,
    later: &Snapshot,
    row: &SnapshotRow,
    depth: usize,
    ratio: &Ratio,
) -> Option<Mixed> {
    let whole = |snapshot: &Snapshot| {
        let of = |measure: &str| Some(snapshot.get(&row.key.of_measure(measure))?.value?.as_f64());
        Some((of(&ratio.above)?, of(&ratio.below)?))
    };
    let (before, after) = (whole(earlier)?, whole(later)?);
    let members = children(earlier, later, &row.key, depth, ratio);
    let part = |snapshot: &Snapshot, key: &RowKey| {
        let of = |measure: &str| snapshot.get(&key.of_measure(measure)).and_then(|row| row.value);
        (of(&ratio.above).map_or(0.0, |v| v.as_f64()), of(&ratio.below).map_or(0.0, |v| v.as_f64()))
    };
    let parts: Vec<_> = members.iter().map(|key| (part(earlier, key), part(later, key))).collect();
    // What does not add up, as a distinct count, has no parts; nor has what is divided by nothing.
    let adds_up = |whole: Parts, of: &dyn Fn(&(Parts, Parts)) -> Parts| {
        let sum = parts.iter().map(of).fold((0.0, 0.0), |sum, part| (sum.0 + part.0, sum.1 + part.1));
        let near = |a: f64, b: f64| (a - b).abs() <= 1e-9 * a.abs().max(b.abs());
        near(sum.0, whole.0) && near(sum.1, whole.1) && whole.1 != 0.0
    };
    if !adds_up(before, &|part| part.0) || !adds_up(after, &|part| part.1) {
        return None;
    }
    let ratios = [before.0 / before.1, after.0 / after.1];
    let centre = (ratios[0] + ratios[1]) / 2.0;
    let name = |key: &RowKey| key.members[depth].clone().unwrap_or_default();
    let parts: Vec<MixPart> = members
        .iter()
        .zip(&parts)
        .map(|(key, ((n0, d0), (n1, d1)))| {
            let (w0, w1) = (d0 / before.1, d1 / after.1);
            let own = |n: f64, d: f64| (d != 0.0).then(|| n / d);
            let (r0, r1) = (own(*n0, *d0), own(*n1, *d1));
            // What has no ratio in one of the two is taken to have had the other's.
            let (r0, r1) = (r0.or(r1).unwrap_or(centre), r1.or(r0).unwrap_or(centre));
            let mean = (r0 + r1) / 2.0;
            // What stands above nothing, as a cost without sales, has no share that could shift: it is all own.
            let unshared = |n: f64, d: f64, whole: f64| if d == 0.0 { n / whole } else { 0.0 };
            let apart = unshared(*n1, *d1, after.1) - unshared(*n0, *d0, before.1);
            let own = (w0 + w1) / 2.0 * (r1 - r0) + apart;
            MixPart { member: name(key), own, mix: (mean - centre) * (w1 - w0) }
        })
        .collect();
    let own: f64 = parts.iter().map(|part| part.own).sum();
    Some(Mixed {
        measure: ratio.measure.clone(),
        members: row.key.members.clone(),
        levels: [row.key.row_level.clone(), row.key.column_level.clone()],
        own,
        mix: ratios[1] - ratios[0] - own,
        ratios,
        parts,
    })
}

/// The cells one row level deeper that a cell is made of, in either result.
fn children(
    earlier: &Snapshot,
    later: &Snapshot,
    parent: &RowKey,
    depth: usize,
    ratio: &Ratio,
) -> Vec<RowKey> {
    let is_child = |row: &&SnapshotRow| {
        let RowKey { members, column_level, measure, .. } = &row.key;
        *measure == ratio.below
            && *column_level == parent.column_level
            && row.kinds[0] != EntryKind::Calculated
            && members[depth].is_some()
            && members
                .iter()
                .zip(&parent.members)
                .enumerate()
                .all(|(i, (own, above))| i == depth || own == above)
    };
    let mut keys: Vec<RowKey> = Vec::new();
    for row in later.cells.iter().filter(is_child).chain(earlier.cells.iter().filter(is_child)) {
        if !keys.contains(&row.key) {
            keys.push(row.key.clone());
        }
    }
    keys
}
