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
#[derive(Debug, Clone, Copy, PartialEq)]
struct Seen {
    above: [u32; KEYS - 1],
    to: u32,
}

/// Leads somewhere too, but below members that there are not.
const UNSEEN: Seen = Seen { above: [NONE; KEYS - 1], to: 0 };

impl Latest {
    /// Makes room for so many places.
    pub(super) fn make_room(&mut self, places: usize) {
        if places > self.seen.len() {
            self.seen.resize(places.next_power_of_two(), UNSEEN);
        }
    }

    /// What each of some lines leads to, [`NONE`] where that is not known, by the codes above the deepest and
    /// the places of the deepest; there must be room for all of these. Gives whether all is known.
    #[inline(never)]
    pub(super) fn look_up<'c>(
        &self,
        above: &'c [Codes],
        lines: Range<usize>,
        places: impl Iterator<Item = u32> + Clone,
        out: &mut [u32],
    ) -> bool {
        let each = |codes: &'c Codes| codes[lines.clone()].iter().copied();
        let seen = self.seen_at(places);
        match above {
            [] => fill(out, seen.map(|seen| seen.leads([]))),
            [a] => fill(out, seen.zip(each(a)).map(|(seen, a)| seen.leads([a]))),
            [a, b] => {
                let lines = seen.zip(each(a)).zip(each(b));
                fill(out, lines.map(|((seen, a), b)| seen.leads([a, b])))
            }
            [a, b, c] => {
                let lines = seen.zip(each(a)).zip(each(b)).zip(each(c));
                fill(out, lines.map(|(((seen, a), b), c)| seen.leads([a, b, c])))
            }
            _ => {
                out.fill(NONE);
                false
            }
        }
    }

    /// What was seen at some places.
    #[inline(always)]
    fn seen_at(&self, places: impl Iterator<Item = u32> + Clone) -> impl Iterator<Item = &Seen> + Clone {
        // There are as many as a power of two, and all places are below: no jump is needed to see to that.
        let (seen, last): (&[Seen], usize) = (&self.seen, self.seen.len().wrapping_sub(1));
        places.map(move |place| &seen[place as usize & last])
    }

    /// Keeps in mind what a line leads to, with its member's place from one on. Whether that led elsewhere
    /// before.
    pub(super) fn learn(&mut self, codes: &[Codes], line: usize, from: usize, to: u32) -> bool {
        let Some((deepest, above)) = codes.split_last() else { return false };
        let place = from + deepest[line] as usize;
        let seen = &mut self.seen[place];
        let elsewhere = *seen != UNSEEN && seen.to != to;
        seen.above = [0; KEYS - 1];
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

impl Seen {
    /// What is led to; and bits where the members above are others, outermost first.
    #[inline(always)]
    fn leads<const K: usize>(&self, above: [u32; K]) -> (u32, u32) {
        let differ = match K {
            // What was seen has a zero there.
            0 => self.above[0],
            _ => self.above.iter().zip(above).fold(0, |differ, (own, other)| differ | (own ^ other)),
        };
        (self.to, differ)
    }
}

/// Writes down what lines lead to, [`NONE`] where something differs. Gives whether nothing does.
#[inline(always)]
fn fill(out: &mut [u32], led: impl Iterator<Item = (u32, u32)> + Clone) -> bool {
    // Asked once for all lines, and without a jump: where jumps lie in so short a loop would tell on its time.
    let mut any = 0;
    for (out, (to, differ)) in out.iter_mut().zip(led.clone()) {
        *out = to;
        any |= differ;
    }
    if any != 0 {
        let differing = out.iter_mut().zip(led).filter(|(_, (_, differ))| *differ != 0);
        differing.for_each(|(out, _)| *out = NONE);
    }
    any == 0
}

/// The path that each member of the deepest key was last seen at.
#[derive(Debug, Clone, Default)]
pub(super) struct Nest {
    latest: Latest,
    lookups: usize,
    missed: usize,
}

impl Nest {
    /// Whether so many keys can be taken together and that pays, as far as is known.
    pub(super) fn pays(&self, keys: usize) -> bool {
        (2..=KEYS).contains(&keys) && self.missed <= self.latest.len() + self.lookups / 8
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
        self.latest.make_room(members.last().copied().unwrap_or(0));
        self.lookups += lines.len();
        let Some((deepest, above)) = codes.split_last() else { return };
        if !self.latest.look_up(above, lines.clone(), deepest[lines.clone()].iter().copied(), out) {
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
            level.intern_within(pairs, (parents, *members), &mut next);
            std::mem::swap(out, &mut next);
            parents = level.len();
        }
        self.latest.make_room(members.last().copied().unwrap_or(0));
        for (line, path) in lines.iter().zip(out) {
            self.missed += usize::from(self.latest.learn(codes, *line, 0, *path));
        }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.latest.bytes()
    }
}
