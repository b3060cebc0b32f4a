//! Nested keys: as a rule a member of the deepest key has one parent, which has one in turn. So the
//! deepest member tells the path, and of a line is only asked whether its other members agree.

use std::ops::Range;

use super::pairs::PairTable;
use crate::lines::Codes;

/// The most keys that are taken together.
pub(super) const KEYS: usize = 4;
/// Leads nowhere yet.
pub(super) const NONE: u32 = u32::MAX;

/// What each member of the deepest key was last seen to lead to; there may be several places for each.
#[derive(Debug, Clone, Default)]
pub(super) struct Latest {
    seen: Vec<Seen>,
}

/// The members above one, outermost first, and what they lead to together.
#[derive(Debug, Clone, Copy)]
struct Seen {
    above: [u32; KEYS - 1],
    to: u32,
}

impl Latest {
    /// What each of some lines leads to by its codes, [`NONE`] where that is not known. Members have their
    /// places from those on that are named for the lines.
    #[inline(never)]
    pub(super) fn look_up(
        &self,
        codes: &[Codes],
        lines: Range<usize>,
        from: impl Iterator<Item = usize>,
        out: &mut [u32],
    ) {
        let Some((deepest, above)) = codes.split_last() else { return };
        let seen: &[Seen] = &self.seen;
        let own = from.zip(&deepest[lines.clone()]);
        let seen = own.map(move |(from, own)| seen.get(from.wrapping_add(*own as usize)));
        let out = out.iter_mut().zip(seen);
        match above {
            [] => out.for_each(|(out, seen)| *out = lead(seen, |_| 0)),
            [a] => {
                let lines = out.zip(&a[lines]);
                lines.for_each(|((out, seen), a)| *out = lead(seen, |above| above[0] ^ a));
            }
            [a, b] => {
                let lines = out.zip(&a[lines.clone()]).zip(&b[lines]);
                lines.for_each(|(((out, seen), a), b)| {
                    *out = lead(seen, |above| (above[0] ^ a) | (above[1] ^ b));
                });
            }
            [a, b, c] => {
                let lines = out.zip(&a[lines.clone()]).zip(&b[lines.clone()]).zip(&c[lines]);
                lines.for_each(|((((out, seen), a), b), c)| {
                    *out = lead(seen, |above| (above[0] ^ a) | (above[1] ^ b) | (above[2] ^ c));
                });
            }
            _ => out.for_each(|(out, _)| *out = NONE),
        }
    }

    /// Keeps in mind what a line leads to, with its member's place from one on. Whether that led elsewhere
    /// before.
    pub(super) fn learn(&mut self, codes: &[Codes], line: usize, from: usize, to: u32) -> bool {
        let Some((deepest, above)) = codes.split_last() else { return false };
        let place = from + deepest[line] as usize;
        if place >= self.seen.len() {
            let unseen = Seen { above: [NONE; KEYS - 1], to: NONE };
            self.seen.resize((place + 1).next_power_of_two(), unseen);
        }
        let seen = &mut self.seen[place];
        let elsewhere = seen.to != NONE && seen.to != to;
        above.iter().zip(&mut seen.above).for_each(|(codes, above)| *above = codes[line]);
        seen.to = to;
        elsewhere
    }

    /// Forgets everything, and gives its memory back.
    pub(super) fn clear(&mut self) {
        self.seen = Vec::new();
    }

    /// How many places there are.
    pub(super) fn len(&self) -> usize {
        self.seen.len()
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.seen.capacity() * size_of::<Seen>()
    }
}

/// What a member leads to, if those above it do not differ.
#[inline(always)]
fn lead(seen: Option<&Seen>, differ: impl Fn(&[u32; KEYS - 1]) -> u32) -> u32 {
    // All bits of what is none are set.
    seen.map_or(NONE, |seen| seen.to | 0u32.wrapping_sub(u32::from(differ(&seen.above) != 0)))
}

/// The path that each member of the deepest key was last seen at.
#[derive(Debug, Clone, Default)]
pub(super) struct Nest {
    latest: Latest,
    asked: usize,
    missed: usize,
}

impl Nest {
    /// Whether so many keys can be taken together and that pays, as far as is known.
    pub(super) fn pays(&self, keys: usize) -> bool {
        (2..=KEYS).contains(&keys) && self.missed <= self.latest.len() + self.asked / 8
    }

    /// Numbers the paths that the codes of some lines lead to into `out`; `members` says how many each
    /// key has.
    pub(super) fn follow(
        &mut self,
        levels: &mut [PairTable],
        codes: &[Codes],
        members: &[usize],
        lines: Range<usize>,
        out: &mut Vec<u32>,
    ) {
        out.resize(lines.len(), NONE);
        self.latest.look_up(codes, lines.clone(), std::iter::repeat_n(0, lines.len()), out);
        self.asked += lines.len();
        if out.iter().fold(false, |any, path| any | (*path == NONE)) {
            let new: Vec<usize> = lines.clone().filter(|line| out[line - lines.start] == NONE).collect();
            let mut paths = Vec::new();
            self.find(levels, codes, members, &new, &mut paths);
            new.iter().zip(paths).for_each(|(line, path)| out[line - lines.start] = path);
        }
    }

    /// Numbers the paths of some lines level by level into `out`, and keeps them in mind.
    pub(super) fn find(
        &mut self,
        levels: &mut [PairTable],
        codes: &[Codes],
        members: &[usize],
        lines: &[usize],
        out: &mut Vec<u32>,
    ) {
        out.clear();
        out.resize(lines.len(), 0);
        let (mut next, mut parents) = (Vec::new(), 1);
        for ((level, codes), members) in levels.iter_mut().zip(codes).zip(members) {
            let pairs = out.iter().copied().zip(lines.iter().map(|line| codes[*line]));
            level.number_within(pairs, (parents, *members), &mut next);
            std::mem::swap(out, &mut next);
            parents = level.len();
        }
        for (line, path) in lines.iter().zip(out) {
            self.missed += usize::from(self.latest.learn(codes, *line, 0, *path));
        }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.latest.bytes()
    }
}
