//! Pairs of numbers to one gap-free number. Paths along an axis, leaf groups and the cells of a
//! grain are all numbered by this one table.

use super::hashed_pairs::{HashedPairs, Latest};
use crate::model::AxisSide;

/// The target of groups that are left out.
pub(crate) const NOWHERE: u32 = u32::MAX;

const NONE: u32 = u32::MAX;
/// A flat table stays below this many slots (16 MiB)...
const FLAT_LIMIT: usize = 1 << 22;
/// ...and, beyond a size that fits in a core's cache, below this many slots a pair.
const SPARSE: usize = 64;
const SMALL: usize = 1 << 17;
/// Where the number of pairs is known beforehand, a flat table may have so many slots for each.
const DENSE: usize = 8;

/// Numbers pairs in the order in which they are first seen: by a flat table while the pairs that
/// can occur are few, by a hash table when they are many, and by no table where one of their numbers is their own.
#[derive(Debug, Clone, Default)]
pub(crate) struct PairTable {
    numbered_by: Option<NumberedBy>,
    /// Slots of the flat table, for `tall` first and `wide` second numbers. Those of one second number lie side by
    /// side: lines in the order of time have few of these at once.
    flat: Vec<u32>,
    tall: usize,
    wide: usize,
    /// Whether those of one first number lie side by side instead, as settled pairs are asked for.
    by_row: bool,
    hashed: Option<HashedPairs>,
    /// Whether second numbers are mostly seen in the pair that they were last seen in...
    keeps_latest: bool,
    /// ...and then this pair, by second number, where the flat table is large.
    latest: Vec<Latest>,
    pairs: Vec<(u32, u32)>,
}

/// Which of its two numbers is a pair's own, as the other one is always 0: members under no others, say, were numbered in the
/// order in which they were first seen, too.
#[derive(Debug, Clone, Copy, PartialEq)]
enum NumberedBy {
    First,
    Second,
}

impl NumberedBy {
    /// Which number may be the own one of pairs, of which the first numbers are below `room.0` and the second ones below
    /// `room.1`, if one may.
    fn within(room: (usize, usize)) -> Option<NumberedBy> {
        match room {
            (_, 1) => Some(NumberedBy::First),
            (1, _) => Some(NumberedBy::Second),
            _ => None,
        }
    }

    #[inline]
    fn own(self, pair: (u32, u32)) -> u32 {
        match self {
            NumberedBy::First => pair.0,
            NumberedBy::Second => pair.1,
        }
    }

    /// The pair of an own number.
    #[inline]
    fn pair(self, own: u32) -> (u32, u32) {
        match self {
            NumberedBy::First => (own, 0),
            NumberedBy::Second => (0, own),
        }
    }
}

impl PairTable {
    /// A table of second numbers that are mostly seen in the pair that they were last seen in.
    pub(crate) fn with_latest() -> PairTable {
        PairTable { keeps_latest: true, ..PairTable::default() }
    }

    /// The same table for pairs of which few first numbers come at once; it is still empty.
    pub(crate) fn by_row(self) -> PairTable {
        PairTable { by_row: true, ..self }
    }

    /// The pairs by their numbers.
    pub(crate) fn pairs(&self) -> &[(u32, u32)] {
        &self.pairs
    }

    /// The same without the table.
    pub(crate) fn into_pairs(self) -> Vec<(u32, u32)> {
        self.pairs
    }

    pub(crate) fn len(&self) -> usize {
        self.pairs.len()
    }

    /// Numbers the pairs (`a[i]`, `b[i]`) into `out`.
    pub(crate) fn intern(&mut self, a: &[u32], b: &[u32], out: &mut Vec<u32>) {
        let (Some(high_a), Some(high_b)) = (a.iter().max(), b.iter().max()) else { return out.clear() };
        let room = (*high_a as usize + 1, *high_b as usize + 1);
        self.intern_within(a.iter().copied().zip(b.iter().copied()), room, out);
    }

    /// Numbers pairs, of which the first numbers are below `room.0` and the second ones below `room.1`,
    /// into `out`.
    pub(crate) fn intern_within(
        &mut self,
        mut wanted: impl Iterator<Item = (u32, u32)>,
        room: (usize, usize),
        out: &mut Vec<u32>,
    ) {
        out.clear();
        self.make_room(room.0, room.1);
        out.reserve(wanted.size_hint().0);
        while let Some(by) = self.numbered_by {
            let Some(pair) = wanted.next() else { return };
            out.push(self.number_by(by, pair));
        }
        let steps = self.steps();
        match &mut self.hashed {
            None => {
                // What is moved into a loop stays in registers.
                let (mut flat, pairs) = (Flat { slots: &mut self.flat, steps }, &mut self.pairs);
                if self.latest.is_empty() {
                    return out.extend(wanted.map(move |pair| flat.intern(pair, pairs)));
                }
                let all = self.latest.as_mut_slice();
                out.extend(wanted.map(move |pair| {
                    let latest = &mut all[pair.1 as usize];
                    if latest.first != pair.0 {
                        flat.keep(latest, pair, pairs);
                    }
                    latest.number
                }));
            }
            Some(hashed) => out.extend(wanted.map(|pair| hashed.intern(pair, &mut self.pairs))),
        }
    }

    /// Numbers the pairs of 0 and each second number, of which all are below `room`, into `out`.
    pub(crate) fn intern_seconds(&mut self, seconds: &[u32], room: usize, out: &mut Vec<u32>) {
        let by_second = self.numbered_by == Some(NumberedBy::Second);
        if by_second && seconds.iter().copied().max().is_some_and(|high| (high as usize) < self.len()) {
            out.clear();
            return out.extend_from_slice(seconds);
        }
        self.intern_within(seconds.iter().map(|second| (0, *second)), (1, room), out);
    }

    /// Numbers the pairs (`a[i]`, `b[i]`), which are below `room`, in place of `a`.
    pub(crate) fn renumber(&mut self, a: &mut [u32], b: &[u32], room: (usize, usize)) {
        self.make_room(room.0, room.1);
        let mut both = a.iter_mut().zip(b);
        while let Some(by) = self.numbered_by {
            let Some((a, b)) = both.next() else { return };
            *a = self.number_by(by, (*a, *b));
        }
        let (steps, pairs) = (self.steps(), &mut self.pairs);
        match &mut self.hashed {
            None => {
                let mut flat = Flat { slots: &mut self.flat, steps };
                both.for_each(|(a, b)| *a = flat.intern((*a, *b), pairs));
            }
            Some(hashed) => both.for_each(|(a, b)| *a = hashed.intern((*a, *b), pairs)),
        }
    }

    /// The table of one pair of the first numbers.
    pub(crate) fn of_one() -> PairTable {
        let mut table = PairTable::default();
        table.number_one(0, 0);
        table
    }

    /// Numbers one pair.
    pub(crate) fn number_one(&mut self, a: u32, b: u32) -> u32 {
        self.make_room(a as usize + 1, b as usize + 1);
        self.number(a, b)
    }

    /// Numbers a pair that there is room for.
    #[inline]
    pub(crate) fn number(&mut self, a: u32, b: u32) -> u32 {
        if let Some(by) = self.numbered_by {
            return self.number_by(by, (a, b));
        }
        let steps = self.steps();
        match &mut self.hashed {
            None => Flat { slots: &mut self.flat, steps }.intern((a, b), &mut self.pairs),
            Some(hashed) => hashed.intern((a, b), &mut self.pairs),
        }
    }

    /// Adds pairs of new numbers of one side, each of which is made of others of that side: one with every number of the other
    /// side, `others` in all, that one of these has a pair with. Its weight is the sum of theirs. There must be room for all;
    /// false, and nothing is done, without a flat table.
    pub(crate) fn number_made(
        &mut self,
        side: AxisSide,
        made: &[(u32, Vec<u32>)],
        others: usize,
        weights: &mut Vec<u64>,
    ) -> bool {
        if self.flat.is_empty() {
            return false;
        }
        let (own_step, step) = side.pick(self.steps(), (self.steps().1, self.steps().0));
        for other in 0..others {
            let slots = &mut self.flat[other * step..];
            for (own, parts) in made {
                let (mut any, mut weight) = (false, 0);
                for part in parts {
                    let number = slots[*part as usize * own_step];
                    if number != NONE {
                        (any, weight) = (true, weight + weights[number as usize]);
                    }
                }
                if any {
                    slots[*own as usize * own_step] = self.pairs.len() as u32;
                    self.pairs.push(side.pair(*own, other as u32));
                    weights.push(weight);
                }
            }
        }
        true
    }

    /// The same by one of its numbers, as long as new pairs come in the order of these.
    #[inline]
    fn number_by(&mut self, by: NumberedBy, pair: (u32, u32)) -> u32 {
        let (own, next) = (by.own(pair), self.pairs.len() as u32);
        if own > next {
            return self.number_otherwise(pair);
        }
        if own == next {
            self.pairs.push(pair);
        }
        own
    }

    /// Numbers a pair by which it shows that neither number is every pair's own.
    #[cold]
    fn number_otherwise(&mut self, pair: (u32, u32)) -> u32 {
        self.numbered_by = None;
        self.fill_flat();
        self.number(pair.0, pair.1)
    }

    /// Makes ready for so many pairs, of which the first numbers are below `room.0` and the second ones
    /// below `room.1`.
    pub(crate) fn with_room(room: (usize, usize), pairs: usize) -> PairTable {
        let mut table = PairTable { pairs: Vec::with_capacity(pairs), ..PairTable::default() };
        let (tall, wide) = (room.0.next_power_of_two(), room.1.next_power_of_two());
        let slots = tall.saturating_mul(wide);
        table.numbered_by = NumberedBy::within(room);
        if table.numbered_by.is_some() {
            (table.tall, table.wide) = (tall, wide);
        } else if slots <= SMALL.max(DENSE * pairs) {
            (table.tall, table.wide) = (tall, wide);
            table.flat = vec![NONE; slots];
        } else {
            table.hashed = Some(HashedPairs::with_room(room.1, pairs));
        }
        table
    }

    /// The same once all pairs are known, of which the first numbers are below `room.0` and the second ones below
    /// `room.1`: where they are dense, a flat table, row by row, is smaller and quicker than one of hashes.
    pub(crate) fn compacted(mut self, room: (usize, usize)) -> PairTable {
        self.lay_out_by_row(room);
        self
    }

    /// Numbers the pairs anew, row by row, where they are dense, so that what stands in one row lies side by side.
    /// Gives the number that each had, in the new order, unless every pair keeps its own.
    pub(crate) fn renumbered_by_row(mut self, room: (usize, usize)) -> (PairTable, Option<Vec<u32>>) {
        let stand_by_row = self.pairs.is_sorted();
        if !self.lay_out_by_row(room) || stand_by_row {
            return (self, None);
        }
        let wide = self.wide;
        let mut old = Vec::with_capacity(self.pairs.len());
        self.pairs.clear();
        for (slot, number) in self.flat.iter_mut().enumerate().filter(|(_, number)| **number != NONE) {
            old.push(*number);
            *number = self.pairs.len() as u32;
            self.pairs.push(((slot / wide) as u32, (slot % wide) as u32));
        }
        (self, Some(old))
    }

    /// Makes a flat table, row by row, where the pairs are dense; whether they are.
    fn lay_out_by_row(&mut self, room: (usize, usize)) -> bool {
        let (tall, wide) = (room.0.next_power_of_two(), room.1.next_power_of_two());
        let slots = tall.saturating_mul(wide);
        if self.numbered_by.is_some() || slots > SMALL.max(DENSE * self.pairs.len()) {
            return false;
        }
        (self.hashed, self.latest) = Default::default();
        (self.tall, self.wide, self.by_row) = (tall, wide, true);
        self.fill_flat();
        true
    }

    /// Lays all pairs out flat.
    fn fill_flat(&mut self) {
        let steps = self.steps();
        self.flat = vec![NONE; self.tall * self.wide];
        for (number, (a, b)) in self.pairs.iter().enumerate() {
            self.flat[*a as usize * steps.0 + *b as usize * steps.1] = number as u32;
        }
    }

    /// How far it is in the flat table from one first number, and from one second number, to the next.
    fn steps(&self) -> (usize, usize) {
        if self.by_row { (self.wide, 1) } else { (1, self.tall) }
    }

    /// About how many bytes the table takes.
    pub(crate) fn bytes(&self) -> usize {
        let hashed = self.hashed.as_ref().map_or(0, HashedPairs::bytes);
        let latest = self.latest.len() * size_of::<Latest>();
        self.flat.len() * size_of::<u32>() + self.pairs.capacity() * size_of::<(u32, u32)>() + hashed + latest
    }

    /// Numbers the pairs of another table, whose first and second numbers are called here as `a` and
    /// `b` say.
    pub(crate) fn absorb(&mut self, other: &PairTable, a: &[u32], b: &[u32]) -> Vec<u32> {
        let (Some(high_a), Some(high_b)) = (a.iter().max(), b.iter().max()) else { return Vec::new() };
        let room = (*high_a as usize + 1, *high_b as usize + 1);
        let wanted = other.pairs.iter().map(|pair| (a[pair.0 as usize], b[pair.1 as usize]));
        self.make_room(room.0, room.1);
        if let Some(numbers) = self.numbered_by.and_then(|by| self.absorb_by(by, wanted.clone())) {
            return numbers;
        }
        let mut numbers = Vec::with_capacity(other.pairs.len());
        self.intern_within(wanted, room, &mut numbers);
        numbers
    }

    /// The same by one of their numbers, if new pairs come in the order of these. There may be millions.
    fn absorb_by(&mut self, by: NumberedBy, wanted: impl Iterator<Item = (u32, u32)>) -> Option<Vec<u32>> {
        let numbers: Vec<u32> = wanted.map(|pair| by.own(pair)).collect();
        let before = self.pairs.len() as u32;
        let mut next = before;
        for number in &numbers {
            if *number > next {
                return None;
            }
            next += u32::from(*number == next);
        }
        self.pairs.extend((before..next).map(|own| by.pair(own)));
        Some(numbers)
    }

    /// The number of a pair, if it was ever seen.
    #[inline]
    pub(crate) fn find(&self, a: u32, b: u32) -> Option<u32> {
        if self.flat.is_empty() {
            return self.find_otherwise(a, b);
        }
        if a as usize >= self.tall || b as usize >= self.wide {
            return None;
        }
        let steps = self.steps();
        Some(self.flat[a as usize * steps.0 + b as usize * steps.1]).filter(|number| *number != NONE)
    }

    /// The same without a flat table.
    fn find_otherwise(&self, a: u32, b: u32) -> Option<u32> {
        if let Some(by) = self.numbered_by {
            let (own, other) = (by.own((a, b)), by.own((b, a)));
            return (other == 0 && (own as usize) < self.pairs.len()).then_some(own);
        }
        self.hashed.as_ref()?.find((a, b))
    }

    /// Makes room for pairs of which the first numbers are below `a` and the second ones below `b`.
    pub(crate) fn make_room(&mut self, a: usize, b: usize) {
        if let Some(hashed) = &mut self.hashed {
            return hashed.make_room(b);
        }
        // Grow by doubling, so that a slowly growing dictionary does not copy the table each time.
        let tall = self.tall.max(a.next_power_of_two());
        let wide = self.wide.max(b.next_power_of_two());
        if (tall, wide) == (self.tall, self.wide) {
            return;
        }
        if self.numbered_by.is_some() || self.tall == 0 {
            // The first pair is numbered by both of its numbers.
            let is_same = |by: &NumberedBy| self.numbered_by == Some(*by) || self.pairs.len() < 2;
            self.numbered_by = NumberedBy::within((tall, wide)).filter(is_same);
            if self.numbered_by.is_some() {
                (self.tall, self.wide) = (tall, wide);
                return;
            }
        }
        let slots = wide.saturating_mul(tall);
        // With one first number only, a flat table is as small as any.
        let sparse = slots > FLAT_LIMIT || slots > SMALL.max(SPARSE * self.pairs.len().max(256));
        if sparse && a > 1 {
            (self.flat, self.latest) = Default::default();
            let below = self.pairs.iter().map(|(_, second)| *second as usize + 1).fold(b, usize::max);
            let mut hashed = HashedPairs::with_room(below, self.pairs.len() * 2);
            self.pairs.iter().zip(0..).for_each(|(pair, number)| hashed.add(*pair, number));
            self.hashed = Some(hashed);
            return;
        }
        let longer = self.by_row && wide == self.wide && !self.flat.is_empty();
        (self.tall, self.wide) = (tall, wide);
        if longer {
            return self.flat.resize(tall * wide, NONE);
        }
        self.fill_flat();
        if self.keeps_latest && slots > SMALL {
            self.latest.resize(wide, Latest::NONE);
        }
    }
}

/// A flat table in use.
struct Flat<'a> {
    slots: &'a mut [u32],
    steps: (usize, usize),
}

impl Flat<'_> {
    #[inline(always)]
    fn intern(&mut self, (a, b): (u32, u32), pairs: &mut Vec<(u32, u32)>) -> u32 {
        let slot = &mut self.slots[a as usize * self.steps.0 + b as usize * self.steps.1];
        if *slot == NONE {
            new_pair(slot, (a, b), pairs);
        }
        *slot
    }

    /// The pair that its second number was last seen in is another one now.
    #[inline(never)]
    fn keep(&mut self, latest: &mut Latest, pair: (u32, u32), pairs: &mut Vec<(u32, u32)>) {
        *latest = Latest { first: pair.0, number: self.intern(pair, pairs) };
    }
}

#[cold]
#[inline(never)]
fn new_pair(slot: &mut u32, pair: (u32, u32), pairs: &mut Vec<(u32, u32)>) {
    *slot = pairs.len() as u32;
    pairs.push(pair);
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use super::PairTable;

    /// Pairs of first and second numbers that are looked up together.
    type Round = (Vec<u32>, Vec<u32>);

    /// Flat or hashed, a table numbers the same pairs alike and finds them again.
    #[test]
    fn numbers_do_not_depend_on_the_kind_of_table() {
        for spread in [1u32, 7, 1_000, 70_000_000] {
            let round = |round: u32| {
                let a = (0..50).map(|i| (i * round) % 13 * spread % 60_000_000);
                let b = (0..50).map(|i| (i + round * i) % 17 * spread % 50_000_000);
                (a.collect(), b.collect())
            };
            numbers_in_order((0..40).map(round));
        }
    }

    /// So does one whose pairs are numbered by one of their numbers, for ever or until one comes out of its order or has two
    /// that are not 0.
    #[test]
    fn pairs_that_are_numbered_by_one_of_their_numbers() {
        for case in 0..32 {
            let is = |bit: u32| case & bit > 0;
            let round = |round: u32| {
                let jump = if is(1) && round > 20 { 9_000 } else { 0 };
                let own = (0..50).map(|i| (i * 7 + 1) % (round * 3 + 1) + jump);
                let own = own.map(|own| if is(2) { own } else { own / 2 });
                let own: Vec<u32> = if is(4) { own.collect() } else { (0..round * 5).collect() };
                let others = own.iter().map(|own| if is(8) && round > 30 { own % 3 } else { 0 });
                let others = others.collect();
                if is(16) { (own, others) } else { (others, own) }
            };
            numbers_in_order((0..40).map(round));
        }
    }

    /// So do those that are laid out for one way of being asked, small and large, dense and sparse.
    #[test]
    fn pairs_of_second_numbers_with_few_or_many_first_ones() {
        // Of so many second numbers each is in so many pairs at once, one after the other, or in any.
        for (seconds, firsts, at_once) in
            [(30_000u32, 1, 1), (30_000, 12, 1), (9_000, 40, 40), (200, 300, 7), (90_000, 60, 60)]
        {
            for mut table in [PairTable::with_latest(), PairTable::default().by_row(), PairTable::default()] {
                let (mut seen, mut out) = (HashMap::new(), Vec::new());
                for round in 0..60u64 {
                    let pair = |i: u64| {
                        let some = (i + round * 7_919).wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 20;
                        let second = (some % u64::from(seconds)) as u32;
                        let shift = u64::from(second) % 5 + (some >> 24) % at_once;
                        (((round / 5 + shift) % firsts) as u32, second)
                    };
                    let pairs: Vec<(u32, u32)> = (0..1_000).map(pair).collect();
                    let high = pairs.iter().map(|pair| pair.1).max().unwrap_or(0);
                    table.intern_within(
                        pairs.iter().copied(),
                        (firsts as usize, high as usize + 1),
                        &mut out,
                    );
                    for (pair, number) in pairs.iter().zip(&out) {
                        let next = seen.len() as u32;
                        assert_eq!(
                            *seen.entry(*pair).or_insert(next),
                            *number,
                            "{pair:?} of {seconds} and {firsts}"
                        );
                    }
                }
                assert!(seen.iter().all(|((a, b), number)| table.find(*a, *b) == Some(*number)));
                let are_new = |(a, b): &(u32, u32)| !seen.contains_key(&(a + 1, *b));
                let mut others = seen.keys().filter(|pair| are_new(pair));
                assert!(others.all(|(a, b)| table.find(a + 1, *b).is_none()));
                assert!(table.pairs().iter().zip(0..).all(|(pair, number)| seen[pair] == number));
            }
        }
    }

    /// That a table numbers pairs in the order in which they are first seen, and finds them, however it is asked.
    fn numbers_in_order(rounds: impl Iterator<Item = Round>) {
        let (mut table, mut seen): (_, Vec<(u32, u32)>) = (PairTable::default(), Vec::new());
        let mut out = Vec::new();
        for (number, (a, b)) in rounds.enumerate() {
            if number % 3 == 2 {
                let high = |all: &[u32]| all.iter().max().map_or(1, |high| *high as usize + 1);
                out = a.clone();
                table.renumber(&mut out, &b, (high(&a), high(&b)));
            } else {
                table.intern(&a, &b, &mut out);
            }
            for (i, pair) in a.iter().copied().zip(b).enumerate() {
                let place = seen.iter().position(|p| *p == pair).unwrap_or_else(|| {
                    seen.push(pair);
                    seen.len() - 1
                });
                assert_eq!(out[i] as usize, place);
            }
        }
        assert_eq!(table.pairs(), seen);
        assert!(seen.iter().enumerate().all(|(n, (a, b))| table.find(*a, *b) == Some(n as u32)));
        assert_eq!(table.find(12_345, 54_321), None);
        // So does one that is settled, and one that takes more after that.
        let room = seen.iter().fold((0, 0), |(a, b), pair| (a.max(pair.0), b.max(pair.1)));
        let room_for_all = (room.0 as usize + 1, room.1 as usize + 1);
        // Numbered anew every pair is found by its new number, and they stand row by row.
        if let (by_row, Some(old)) = table.clone().renumbered_by_row(room_for_all) {
            assert!(by_row.pairs().is_sorted());
            let is_found = |(number, old): (u32, &u32)| {
                let (a, b) = seen[*old as usize];
                by_row.find(a, b) == Some(number) && by_row.pairs()[number as usize] == (a, b)
            };
            assert!((0..).zip(&old).all(is_found) && old.len() == seen.len());
        }
        if room_for_all.0.max(room_for_all.1) < 100_000 {
            takes_from_others(&seen, room_for_all);
        }
        let mut table = table.compacted(room_for_all);
        let finds = |table: &PairTable| {
            seen.iter().enumerate().all(|(n, (a, b))| table.find(*a, *b) == Some(n as u32))
        };
        assert!(finds(&table));
        assert_eq!((table.find(room.0 + 1, 0), table.find(0, room.1 + 1)), (None, None));
        assert_eq!(table.number_one(room.0 + 1, room.1 + 1) as usize, seen.len());
        assert!(finds(&table));
    }

    /// That a table of half of these pairs takes those of other tables, in their order and backwards.
    fn takes_from_others(seen: &[(u32, u32)], room: (usize, usize)) {
        let of = |pairs: &[(u32, u32)]| {
            let mut table = PairTable::default();
            for (a, b) in pairs {
                table.number_one(*a, *b);
            }
            table
        };
        let same = |room: usize| (0..room as u32).collect::<Vec<u32>>();
        let (half, backwards) = (&seen[..seen.len() / 2], seen.iter().rev().copied().collect::<Vec<_>>());
        for others in [&seen[seen.len() / 4..], &backwards] {
            let mut table = of(half);
            let numbers = table.absorb(&of(others), &same(room.0), &same(room.1));
            let new = others.iter().filter(|pair| !half.contains(pair));
            let all: Vec<(u32, u32)> = half.iter().chain(new).copied().collect();
            assert_eq!(table.pairs(), all);
            let place = |pair: &(u32, u32)| all.iter().position(|known| known == pair).unwrap() as u32;
            assert_eq!(numbers, others.iter().map(place).collect::<Vec<_>>());
        }
    }
}
