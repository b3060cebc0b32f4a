//! The groups of lines by one pass, where that can be done: as a rule a batch meets little that was not
//! met before, its deepest member tells the path on the rows, and its day the one on the columns.

use super::nest::Seen;
use crate::lines::Codes;

/// Stands for a group that is not known yet.
pub(super) const NONE: u32 = u32::MAX;

/// What leads from a line to its group by looks into tables alone.
pub(super) struct Quick<'a> {
    /// Codes of the lines by key, the deepest last, and where each deepest member was last seen.
    pub(super) codes: &'a [Codes],
    pub(super) seen: &'a [Seen],
    /// The day of every line, the first day that has a place, and the path of each day from it on.
    pub(super) days: &'a [i32],
    pub(super) first: i32,
    pub(super) paths: &'a [u32],
    /// The group of every pair of paths that was met, so many for each path of the columns.
    pub(super) groups: &'a [u32],
    pub(super) tall: usize,
}

impl Quick<'_> {
    /// Writes the group of every line into `out`, [`NONE`] where it has none yet.
    pub(super) fn follow(&self, out: &mut Vec<u32>) {
        let Quick { codes, seen, days, first, paths, groups, tall } = *self;
        let shift = tall.trailing_zeros();
        // What is not there lies beyond its table.
        let group = move |path: u32, day: i32| {
            let column = paths.get(day.wrapping_sub(first) as u32 as usize).copied().unwrap_or(NONE);
            let place = ((column as usize) << shift) + path as usize;
            groups.get(place).copied().unwrap_or(NONE)
        };
        out.clear();
        match codes {
            [a, own] => out.extend(own.iter().zip(days).zip(&**a).map(move |((own, day), a)| {
                let Seen { above, path } = seen[*own as usize];
                group(if above[0] == *a { path } else { NONE }, *day)
            })),
            [a, b, own] => {
                out.extend(own.iter().zip(days).zip(&**a).zip(&**b).map(move |(((own, day), a), b)| {
                    let Seen { above, path } = seen[*own as usize];
                    group(if (above[0] == *a) & (above[1] == *b) { path } else { NONE }, *day)
                }))
            }
            [a, b, c, own] => {
                let lines = own.iter().zip(days).zip(&**a).zip(&**b).zip(&**c);
                out.extend(lines.map(move |((((own, day), a), b), c)| {
                    let Seen { above, path } = seen[*own as usize];
                    let agree = (above[0] == *a) & (above[1] == *b) & (above[2] == *c);
                    group(if agree { path } else { NONE }, *day)
                }))
            }
            _ => out.resize(days.len(), NONE),
        }
    }
}
