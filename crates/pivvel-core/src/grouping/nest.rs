//! Nested keys: as a rule a member of the deepest key has one parent, which has one in turn. So the
//! deepest member tells the path, and of a line is only asked whether its other members agree.

use super::pairs::PairTable;
use crate::lines::Codes;

/// The most keys that are taken together.
const KEYS: usize = 4;
const NONE: u32 = u32::MAX;

/// The path that each member of the deepest key was last seen at.
#[derive(Debug, Clone, Default)]
pub(super) struct Nest {
    seen: Vec<Seen>,
    asked: usize,
    missed: usize,
}

/// The members above one, outermost first, and the path.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seen {
    pub(super) above: [u32; KEYS - 1],
    pub(super) path: u32,
}

impl Nest {
    /// Whether so many keys can be taken together and that pays, as far as is known.
    pub(super) fn pays(&self, keys: usize) -> bool {
        (2..=KEYS).contains(&keys) && self.missed <= self.seen.len() + self.asked / 8
    }

    /// Where each of so many members of the deepest key was last seen, if all of them can be looked up.
    pub(super) fn seen(&self, members: usize) -> Option<&[Seen]> {
        (self.seen.len() >= members).then_some(&self.seen)
    }

    /// Numbers the paths that the codes of all keys lead to into `out`; `members` says how many each
    /// key has.
    pub(super) fn follow(
        &mut self,
        levels: &mut [PairTable],
        codes: &[Codes],
        members: &[usize],
        out: &mut Vec<u32>,
    ) {
        let (Some((deepest, above)), Some(known)) = (codes.split_last(), members.last()) else { return };
        if self.seen.len() < *known {
            let unseen = Seen { above: [NONE; KEYS - 1], path: NONE };
            self.seen.resize(known.next_power_of_two(), unseen);
        }
        out.clear();
        let seen: &[Seen] = &self.seen;
        match above {
            [a] => out.extend(deepest.iter().zip(&**a).map(|(own, a)| {
                let Seen { above, path } = seen[*own as usize];
                if above[0] == *a { path } else { NONE }
            })),
            [a, b] => out.extend(deepest.iter().zip(&**a).zip(&**b).map(|((own, a), b)| {
                let Seen { above, path } = seen[*own as usize];
                if (above[0] == *a) & (above[1] == *b) { path } else { NONE }
            })),
            [a, b, c] => {
                out.extend(deepest.iter().zip(&**a).zip(&**b).zip(&**c).map(|(((own, a), b), c)| {
                    let Seen { above, path } = seen[*own as usize];
                    if (above[0] == *a) & (above[1] == *b) & (above[2] == *c) { path } else { NONE }
                }))
            }
            _ => return,
        }
        self.asked += out.len();
        if out.iter().fold(false, |any, path| any | (*path == NONE)) {
            self.find(levels, codes, members, out);
        }
    }

    /// Finds the paths of the lines that have none yet level by level, and keeps them in mind.
    pub(super) fn find(
        &mut self,
        levels: &mut [PairTable],
        codes: &[Codes],
        members: &[usize],
        out: &mut [u32],
    ) {
        let lines: Vec<usize> = (0..out.len()).filter(|line| out[*line] == NONE).collect();
        let (mut paths, mut next, mut parents) = (vec![0; lines.len()], Vec::new(), 1);
        for ((level, codes), members) in levels.iter_mut().zip(codes).zip(members) {
            let pairs = paths.iter().copied().zip(lines.iter().map(|line| codes[*line]));
            level.number_within(pairs, (parents, *members), &mut next);
            std::mem::swap(&mut paths, &mut next);
            parents = level.len();
        }
        let deepest = codes.len() - 1;
        for (line, path) in lines.iter().zip(paths) {
            let seen = &mut self.seen[codes[deepest][*line] as usize];
            // A member that was not met before has no other path.
            self.missed += usize::from(seen.path != NONE && seen.path != path);
            codes[..deepest].iter().zip(&mut seen.above).for_each(|(codes, above)| *above = codes[*line]);
            seen.path = path;
            out[*line] = path;
        }
    }

    /// About how many bytes are taken.
    pub(super) fn bytes(&self) -> usize {
        self.seen.capacity() * size_of::<Seen>()
    }
}
