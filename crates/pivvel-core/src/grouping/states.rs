//! Aggregate states, one of each kind for every group, in columns indexed by group.
//!
//! States are updated by lines and merged with states; nothing is divided or rounded before
//! `finish`. Merging is exact and gives the same result in any order.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_buffer::i256;

use super::key_sets::KeySets;
use super::lists::Lists;
use super::pairs::NOWHERE;
use super::spec::{Aggregate, LineValue};
use super::totals::Totals;
use crate::aggregates::{Distinct, ExactFloat, GroupStates, Moments, Needs, QuantileSketch, Share, quantile};
use crate::formula::{Blanks, Data, Numbers, Operator, arithmetic, floats};
use crate::model::{CellValues, Decimal, Overflow, Type, Value, pow10_f64};

/// The states of all groups.
#[derive(Debug, Clone)]
pub(crate) struct States {
    /// Lines of each group, and the exact sums of all values.
    pub(super) totals: Totals,
    pub(super) values: Vec<ValueStates>,
    finer: Vec<FinerGroups>,
}

/// The states of one formula over lines.
#[derive(Debug, Clone)]
pub(super) struct ValueStates {
    pub(super) ty: Type,
    pub(super) needs: Needs,
    /// Lines of each group in which the formula is blank; empty until there is one.
    pub(super) blank: Vec<u64>,
    pub(super) sums: Sums,
    pub(super) lows: Extremes,
    pub(super) highs: Extremes,
    pub(super) squares: Vec<Moments>,
    pub(super) firsts: Vec<Option<(i128, Value)>>,
    pub(super) lasts: Vec<Option<(i128, Value)>>,
    pub(super) lists: Lists,
    pub(super) distincts: Vec<Distinct>,
    pub(super) sketches: Vec<QuantileSketch>,
    /// About how many bytes all estimates take.
    pub(super) sketched: usize,
}

#[derive(Debug, Clone)]
pub(super) enum Sums {
    /// Their place among the exact sums.
    Exact(usize),
    Float(Vec<ExactFloat>),
    Unasked,
}

#[derive(Debug, Clone)]
pub(super) enum Extremes {
    Exact(Vec<i128>),
    Float(Vec<f64>),
}

/// The states of one value in rows, as others than a scan make them. What is not needed is empty.
#[derive(Debug, Default)]
pub(crate) struct ValueColumns {
    /// Lines of each row in which the value is not blank.
    pub(crate) present: Vec<u64>,
    pub(crate) sums: Vec<Option<i128>>,
    pub(crate) lows: Vec<Option<i128>>,
    pub(crate) highs: Vec<Option<i128>>,
    pub(crate) squares: Vec<i256>,
}

impl States {
    /// States of exact values that were made elsewhere.
    pub(crate) fn of_columns(
        values: &[LineValue],
        rows: usize,
        lines: Vec<u64>,
        columns: Vec<ValueColumns>,
    ) -> States {
        let mut states = States::new(values);
        states.resize(rows);
        states.totals.set_lines(&lines);
        for (own, made) in states.values.iter_mut().zip(columns) {
            own.set_blank(lines.iter().zip(made.present).map(|(lines, some)| lines - some).collect());
            if let Sums::Exact(place) = own.sums {
                let sums: Vec<i128> = made.sums.into_iter().map(|sum| sum.unwrap_or(0)).collect();
                states.totals.set_sums(place, &sums);
            }
            for (extremes, made) in [(&mut own.lows, made.lows), (&mut own.highs, made.highs)] {
                if let Extremes::Exact(all) = extremes {
                    let some = all.iter_mut().zip(made).filter_map(|(slot, made)| Some((slot, made?)));
                    some.for_each(|(slot, made)| *slot = made);
                }
            }
            own.squares.iter_mut().zip(made.squares).for_each(|(slot, made)| *slot = Moments::of_exact(made));
        }
        states
    }

    pub(crate) fn new(values: &[LineValue]) -> States {
        States::of(values.iter().map(|v| (v.formula.ty, v.needs)))
    }

    /// States of values of these types, of which each needs some.
    pub(super) fn of(values: impl Iterator<Item = (Type, Needs)>) -> States {
        let mut sums = 0;
        let values = values.map(|(ty, needs)| ValueStates::new(ty, needs, &mut sums)).collect();
        States { values, totals: Totals::new(sums), finer: Vec::new() }
    }

    /// The same with groups that are finer than these.
    pub(super) fn with_finer(mut self, finer: Vec<FinerGroups>) -> States {
        self.finer = finer;
        self
    }

    /// Makes room for so many groups.
    pub(crate) fn resize(&mut self, groups: usize) {
        self.totals.resize(groups);
        self.values.iter_mut().for_each(|value| value.resize(groups));
    }

    /// The columns of all exact sums, where none of them is wide: then [`Totals::take`] takes lines and sums
    /// together. A blank adds nothing.
    pub(super) fn dense_sums<'a>(
        &self,
        numbers: &'a [(Numbers<'_>, Option<Numbers<'_>>)],
    ) -> Option<Vec<Cow<'a, [i64]>>> {
        let sums = self.values.iter().zip(numbers).filter(|(value, _)| value.is_summed());
        sums.map(|(_, (numbers, _))| numbers.narrow_or_zero()).collect()
    }

    /// Counts lines into the groups that are named for them and adds to all exact sums, column by column. Fails
    /// with the place of a formula whose sum outgrew.
    pub(super) fn add(
        &mut self,
        groups: &[u32],
        numbers: &[(Numbers<'_>, Option<Numbers<'_>>)],
    ) -> Result<(), usize> {
        self.totals.count(groups);
        let sums = self.values.iter().zip(numbers).enumerate().filter(|(_, (value, _))| value.is_summed());
        for (at, (place, (_, (numbers, _)))) in sums.enumerate() {
            self.totals.add_numbers(at, groups, numbers).map_err(|_| place)?;
        }
        Ok(())
    }

    /// Takes lines into all states, with the numbers of every formula and what decides which of them is first. Fails with
    /// the place of a formula that outgrew.
    pub(super) fn take(
        &mut self,
        groups: &[u32],
        numbers: &[(Numbers<'_>, Option<Numbers<'_>>)],
    ) -> Result<(), usize> {
        match self.dense_sums(numbers) {
            Some(columns) => self.totals.take(groups, &columns, 0),
            None => self.add(groups, numbers)?,
        }
        self.update(groups, numbers)
    }

    /// Takes lines into all states but counts and exact sums, with the numbers of every formula and what
    /// decides which of them is first. Fails with the place of a formula that outgrew.
    pub(super) fn update(
        &mut self,
        groups: &[u32],
        numbers: &[(Numbers<'_>, Option<Numbers<'_>>)],
    ) -> Result<(), usize> {
        for (place, (value, (numbers, by))) in self.values.iter_mut().zip(numbers).enumerate() {
            value.count_blanks(groups, numbers, self.totals.len());
            value.update(groups, numbers, by.as_ref()).map_err(|_| place)?;
        }
        Ok(())
    }

    /// States of fewer groups: each group here is merged into the one that `into` names for it, or
    /// left out where that is [`NOWHERE`].
    pub(crate) fn merged(&self, into: &[u32], groups: usize) -> Result<States, Overflow> {
        let mut merged = States::of(self.values.iter().map(|value| (value.ty, value.needs)));
        merged.finer = self.finer.iter().map(|finer| finer.merged(into, groups)).collect::<Result<_, _>>()?;
        merged.resize(groups);
        merged.absorb(self, into)?;
        Ok(merged)
    }

    /// Whether there are groups that are finer than these.
    pub(crate) fn has_finer(&self) -> bool {
        !self.finer.is_empty()
    }

    /// The same in another order: each group is the one that had the number that `old` names for it. Finer groups
    /// are not looked at.
    pub(crate) fn reordered(self, old: &[u32]) -> Result<States, Overflow> {
        let totals = self.totals.reordered(old);
        if self.values.iter().all(ValueStates::has_sums_alone) {
            return Ok(States { totals, ..self });
        }
        let mut into = vec![NOWHERE; old.len()];
        (0..).zip(old).for_each(|(number, old)| into[*old as usize] = number);
        let mut reordered = States::of(self.values.iter().map(|value| (value.ty, value.needs)));
        reordered.totals = totals;
        for (mine, theirs) in reordered.values.iter_mut().zip(&self.values) {
            mine.resize(old.len());
            mine.merge(theirs, &into, old.len())?;
        }
        Ok(reordered)
    }

    /// Merges each group of other states into the one here that `into` names for it. Finer groups are
    /// not looked at.
    pub(super) fn absorb(&mut self, other: &States, into: &[u32]) -> Result<(), Overflow> {
        self.totals.merge(&other.totals, into)?;
        for (mine, theirs) in self.values.iter_mut().zip(&other.values) {
            mine.merge(theirs, into, self.totals.len())?;
        }
        Ok(())
    }

    /// Lines in every group.
    pub(crate) fn all_lines(&self) -> impl ExactSizeIterator<Item = u64> {
        self.totals.all_lines()
    }

    /// About how many bytes the states take.
    pub(crate) fn bytes(&self) -> usize {
        let groups = self.len();
        self.totals.bytes() + self.values.iter().map(|value| value.bytes(groups)).sum::<usize>()
    }

    /// How many groups there are.
    pub(crate) fn len(&self) -> usize {
        self.totals.len()
    }

    /// The value of an aggregate in every group; `None` where it is blank.
    pub(crate) fn finish(&self, aggregate: &Aggregate) -> Result<CellValues, Overflow> {
        let groups = self.len();
        match aggregate {
            Aggregate::Lines => {
                Ok(CellValues::collect(groups, self.all_lines().map(|lines| Some(Value::whole(lines)))))
            }
            Aggregate::Of { function, value } => {
                let states = &self.values[*value];
                if let Some(sums) = self.narrow_sums(states).filter(|_| function.is_sum()) {
                    return Ok(sums);
                }
                let of = |group| OneGroup { states, totals: &self.totals, group };
                CellValues::try_collect(groups, (0..groups).map(|group| function.of_states(&of(group))))
            }
            Aggregate::Distinct { finer } => {
                let keys = self.finer[*finer].keys(groups).into_iter();
                Ok(CellValues::collect(groups, keys.map(|n| Some(Value::whole(n)))))
            }
            Aggregate::Ratio(above, below) => {
                let (above, below) = (self.finish(above)?, self.finish(below)?);
                let ratio = |(above, below): (Option<Value>, Option<Value>)| {
                    arithmetic(Operator::Divide, Blanks::Propagate, above, below)
                };
                CellValues::try_collect(groups, above.iter().zip(below.iter()).map(ratio))
            }
            Aggregate::Nested { function, finer, inner } => {
                self.finer[*finer].nested(*function, inner, groups)
            }
        }
    }
}

impl States {
    /// The exact sums of a value that is blank nowhere, where none is wide.
    fn narrow_sums(&self, states: &ValueStates) -> Option<CellValues> {
        let Sums::Exact(place) = states.sums else { return None };
        let sums = self.totals.narrow_sums(place).filter(|_| states.blank.is_empty())?;
        CellValues::of_digits(states.ty.scale(), sums.map(Ok)).ok()
    }
}

impl Extremes {
    fn new(float: bool) -> Extremes {
        if float { Extremes::Float(Vec::new()) } else { Extremes::Exact(Vec::new()) }
    }

    fn resize(&mut self, groups: usize, exact: i128, float: f64) {
        match self {
            Extremes::Exact(all) => all.resize(groups, exact),
            Extremes::Float(all) => all.resize(groups, float),
        }
    }

    fn merge(&mut self, theirs: &Extremes, into: &[u32], low: bool) {
        let kept = |target: &&u32| **target != NOWHERE;
        match (self, theirs) {
            (Extremes::Exact(mine), Extremes::Exact(theirs)) => {
                for (target, value) in into.iter().zip(theirs).filter(|(target, _)| kept(target)) {
                    let slot = &mut mine[*target as usize];
                    *slot = if low { (*slot).min(*value) } else { (*slot).max(*value) };
                }
            }
            (Extremes::Float(mine), Extremes::Float(theirs)) => {
                for (target, value) in into.iter().zip(theirs).filter(|(target, _)| kept(target)) {
                    let slot = &mut mine[*target as usize];
                    *slot = if low { slot.min(*value) } else { slot.max(*value) };
                }
            }
            _ => {}
        }
    }
}

impl ValueStates {
    /// With the next place among the exact sums, where it needs one.
    fn new(ty: Type, needs: Needs, next: &mut usize) -> ValueStates {
        let float = ty == Type::Float;
        let sums = match needs.sum {
            true if float => Sums::Float(Vec::new()),
            true => {
                *next += 1;
                Sums::Exact(*next - 1)
            }
            false => Sums::Unasked,
        };
        ValueStates {
            ty,
            needs,
            blank: Vec::new(),
            sums,
            lows: Extremes::new(float),
            highs: Extremes::new(float),
            squares: Vec::new(),
            firsts: Vec::new(),
            lasts: Vec::new(),
            lists: Lists::default(),
            distincts: Vec::new(),
            sketches: Vec::new(),
            sketched: 0,
        }
    }

    /// Whether nothing is kept of it but exact sums, or nothing at all.
    fn has_sums_alone(&self) -> bool {
        let Needs { low, high, .. } = self.needs;
        let more = low || high || self.needs.more_than_extremes();
        !more && self.blank.is_empty() && !matches!(self.sums, Sums::Float(_))
    }

    fn is_summed(&self) -> bool {
        matches!(self.sums, Sums::Exact(_))
    }

    fn bytes(&self, groups: usize) -> usize {
        let Needs { low, high, squares, first, last, distinct, spread, .. } = self.needs;
        let float = self.ty == Type::Float;
        // An exact sum of floats has a few limbs of its own.
        let floats = matches!(self.sums, Sums::Float(_));
        let extreme = if float { size_of::<f64>() } else { size_of::<i128>() };
        let each = [
            (!self.blank.is_empty(), size_of::<u64>()),
            (floats, size_of::<ExactFloat>() + 64),
            (low, extreme),
            (high, extreme),
            (squares, size_of::<Moments>()),
            (first, size_of::<Option<(i128, Value)>>()),
            (last, size_of::<Option<(i128, Value)>>()),
            (distinct, size_of::<Distinct>()),
            (spread, size_of::<QuantileSketch>()),
        ];
        let group = each.iter().filter(|(kept, _)| *kept).map(|(_, bytes)| bytes).sum::<usize>();
        groups * group + self.lists.bytes() + self.sketched
    }

    fn resize(&mut self, groups: usize) {
        let Needs { low, high, squares, first, last, list, distinct, spread, .. } = self.needs;
        if !self.blank.is_empty() {
            self.blank.resize(groups, 0);
        }
        if let Sums::Float(sums) = &mut self.sums {
            sums.resize(groups, ExactFloat::default());
        }
        if low {
            self.lows.resize(groups, i128::MAX, f64::INFINITY);
        }
        if high {
            self.highs.resize(groups, i128::MIN, f64::NEG_INFINITY);
        }
        if squares {
            self.squares.resize(groups, Moments::default());
        }
        if first {
            self.firsts.resize(groups, None);
        }
        if last {
            self.lasts.resize(groups, None);
        }
        if list {
            self.lists.resize(groups);
        }
        if distinct {
            self.distincts.resize(groups, Distinct::default());
        }
        if spread {
            self.sketches.resize(groups, QuantileSketch::default());
        }
    }

    pub(super) fn set_blank(&mut self, blank: Vec<u64>) {
        self.blank = if blank.iter().all(|lines| *lines == 0) { Vec::new() } else { blank };
    }

    fn count_blanks(&mut self, groups: &[u32], numbers: &Numbers<'_>, all: usize) {
        if let Some(blanks) = numbers.blanks.as_ref().filter(|blanks| blanks.null_count() > 0) {
            self.blank.resize(all, 0);
            for (group, valid) in groups.iter().zip(blanks.iter()) {
                self.blank[*group as usize] += u64::from(!valid);
            }
        }
    }

    /// Takes lines into all states but exact sums.
    fn update(
        &mut self,
        groups: &[u32],
        numbers: &Numbers<'_>,
        by: Option<&Numbers<'_>>,
    ) -> Result<(), Overflow> {
        match &numbers.data {
            Data::Narrow(digits) => self.take_exact(groups, digits, numbers, i128::from)?,
            Data::Wide(digits) => self.take_exact(groups, digits, numbers, |v| v)?,
            Data::Float(floats) => self.take_floats(groups, floats, numbers),
        }
        if self.needs.list {
            let ty = self.ty;
            self.lists.take(|take| each_value(groups, numbers, ty, |group, _, value| take(group, value)));
        }
        self.sketch(groups, numbers);
        let Some(by) = by else { return Ok(()) };
        let (ty, firsts, lasts) = (self.ty, &mut self.firsts, &mut self.lasts);
        each_value(groups, numbers, ty, |group, line, value| {
            if by.blanks.as_ref().is_some_and(|blanks| blanks.is_null(line)) {
                return;
            }
            let place = (by.data.ordered(line), value);
            firsts.get_mut(group).into_iter().for_each(|slot| earlier(slot, place));
            lasts.get_mut(group).into_iter().for_each(|slot| later(slot, place));
        });
        Ok(())
    }

    fn sketch(&mut self, groups: &[u32], numbers: &Numbers<'_>) {
        let sketched = &mut self.sketched;
        if let (true, Data::Narrow(hashes)) = (self.needs.distinct, &numbers.data) {
            let all = &mut self.distincts;
            each_present(groups, hashes, numbers, |group, hash| {
                let before = all[group].bytes();
                all[group].add(hash as u64);
                *sketched = (*sketched + all[group].bytes()).saturating_sub(before);
            });
        }
        if self.needs.spread {
            let all = &mut self.sketches;
            each_present(groups, &floats(&numbers.data, self.ty), numbers, |group, value| {
                let before = all[group].bytes();
                all[group].add(value);
                *sketched = (*sketched + all[group].bytes()).saturating_sub(before);
            });
        }
    }

    fn take_exact<T: Copy>(
        &mut self,
        groups: &[u32],
        digits: &[T],
        numbers: &Numbers<'_>,
        wide: impl Fn(T) -> i128,
    ) -> Result<(), Overflow> {
        if let (true, Extremes::Exact(lows)) = (self.needs.low, &mut self.lows) {
            each_present(groups, digits, numbers, |group, value| lows[group] = lows[group].min(wide(value)));
        }
        if let (true, Extremes::Exact(highs)) = (self.needs.high, &mut self.highs) {
            each_present(groups, digits, numbers, |group, value| {
                highs[group] = highs[group].max(wide(value))
            });
        }
        if self.needs.squares {
            let (mut outcome, squares) = (Ok(()), &mut self.squares);
            each_present(groups, digits, numbers, |group, value| {
                if let Err(overflow) = squares[group].add_exact(wide(value)) {
                    outcome = Err(overflow);
                }
            });
            outcome?;
        }
        Ok(())
    }

    fn take_floats(&mut self, groups: &[u32], floats: &[f64], numbers: &Numbers<'_>) {
        if let Sums::Float(sums) = &mut self.sums {
            each_present(groups, floats, numbers, |group, value| sums[group].add(value));
        }
        if let (true, Extremes::Float(lows)) = (self.needs.low, &mut self.lows) {
            each_present(groups, floats, numbers, |group, value| lows[group] = lows[group].min(value));
        }
        if let (true, Extremes::Float(highs)) = (self.needs.high, &mut self.highs) {
            each_present(groups, floats, numbers, |group, value| highs[group] = highs[group].max(value));
        }
        if self.needs.squares {
            let squares = &mut self.squares;
            each_present(groups, floats, numbers, |group, value| squares[group].add_float(value));
        }
    }

    /// Merges all states but exact sums; there are so many groups here.
    fn merge(&mut self, theirs: &ValueStates, into: &[u32], groups: usize) -> Result<(), Overflow> {
        let targets = || into.iter().enumerate().filter(|(_, target)| **target != NOWHERE);
        if !theirs.blank.is_empty() {
            self.blank.resize(groups, 0);
            targets().for_each(|(group, target)| self.blank[*target as usize] += theirs.blank[group]);
        }
        if let (Sums::Float(mine), Sums::Float(theirs)) = (&mut self.sums, &theirs.sums) {
            targets().for_each(|(group, target)| mine[*target as usize].merge(&theirs[group]));
        }
        if self.needs.low {
            self.lows.merge(&theirs.lows, into, true);
        }
        if self.needs.high {
            self.highs.merge(&theirs.highs, into, false);
        }
        if !self.needs.more_than_extremes() {
            return Ok(());
        }
        for (group, target) in targets() {
            let target = *target as usize;
            if self.needs.squares {
                self.squares[target].merge(&theirs.squares[group])?;
            }
            if let Some(place) = theirs.firsts.get(group).copied().flatten() {
                earlier(&mut self.firsts[target], place);
            }
            if let Some(place) = theirs.lasts.get(group).copied().flatten() {
                later(&mut self.lasts[target], place);
            }
            if self.needs.distinct {
                self.distincts[target].merge(&theirs.distincts[group]);
            }
            if self.needs.spread {
                self.sketches[target].merge(&theirs.sketches[group]);
            }
        }
        if self.needs.list {
            self.lists.merge(&theirs.lists, into);
        }
        Ok(())
    }
}

/// The states of one value in one group.
struct OneGroup<'s> {
    states: &'s ValueStates,
    totals: &'s Totals,
    group: usize,
}

impl OneGroup<'_> {
    fn exact(&self, digits: i128) -> Value {
        match self.states.ty {
            Type::Day => Value::Date(digits as i32),
            ty => Value::Exact(Decimal::new(digits, ty.scale())),
        }
    }

    fn extreme(&self, extremes: &Extremes) -> Value {
        match extremes {
            Extremes::Exact(all) => self.exact(all[self.group]),
            Extremes::Float(all) => Value::Float(all[self.group]),
        }
    }
}

impl GroupStates for OneGroup<'_> {
    fn present(&self) -> u64 {
        self.totals.lines(self.group) - self.states.blank.get(self.group).copied().unwrap_or(0)
    }

    fn sum(&self) -> Result<Value, Overflow> {
        match &self.states.sums {
            Sums::Exact(place) => Ok(self.exact(self.totals.sum(*place, self.group))),
            Sums::Float(sums) => finite(sums[self.group].value()).map(Value::Float),
            Sums::Unasked => Err(Overflow),
        }
    }

    fn mean(&self) -> Result<f64, Overflow> {
        let present = self.present() as f64;
        match &self.states.sums {
            Sums::Exact(place) => {
                let units = present * pow10_f64(self.states.ty.scale());
                Ok(self.totals.sum(*place, self.group) as f64 / units)
            }
            Sums::Float(sums) => Ok(finite(sums[self.group].value())? / present),
            Sums::Unasked => Err(Overflow),
        }
    }

    fn low(&self) -> Value {
        self.extreme(&self.states.lows)
    }

    fn high(&self) -> Value {
        self.extreme(&self.states.highs)
    }

    fn squares_about_mean(&self) -> f64 {
        let squares = &self.states.squares[self.group];
        match &self.states.sums {
            Sums::Exact(place) => {
                let sum = self.totals.sum(*place, self.group);
                squares.about_mean(sum, self.present(), self.states.ty.scale())
            }
            Sums::Float(sums) => squares.about_float_mean(&sums[self.group], self.present()),
            Sums::Unasked => f64::NAN,
        }
    }

    fn first(&self) -> Option<Value> {
        self.states.firsts[self.group].map(|(_, value)| value)
    }

    fn last(&self) -> Option<Value> {
        self.states.lasts[self.group].map(|(_, value)| value)
    }

    fn listed(&self) -> usize {
        self.states.lists.len(self.group)
    }

    fn two_at(&self, place: usize) -> [Value; 2] {
        self.states.lists.two_at(self.group, place, self.states.ty)
    }

    fn in_order(&self) -> Vec<f64> {
        self.states.lists.sorted(self.group, self.states.ty).iter().map(Value::as_f64).collect()
    }

    fn distinct(&self) -> u64 {
        self.states.distincts[self.group].estimate()
    }

    fn quantile(&self, share: Share) -> f64 {
        let steps = self.states.sketches[self.group].in_order();
        let at = |place| QuantileSketch::at(&steps, place as u64);
        quantile(share.as_f64(), self.present() as usize, at)
    }
}

/// A sum that is not beyond all floats.
fn finite(sum: f64) -> Result<f64, Overflow> {
    if sum.is_finite() { Ok(sum) } else { Err(Overflow) }
}

/// Keeps the earlier of two; of the same day, the lower value.
fn earlier(slot: &mut Option<(i128, Value)>, place: (i128, Value)) {
    if slot.is_none_or(|known| place.0.cmp(&known.0).then_with(|| place.1.order(&known.1)).is_lt()) {
        *slot = Some(place);
    }
}

/// Keeps the later of two; of the same day, the higher value.
fn later(slot: &mut Option<(i128, Value)>, place: (i128, Value)) {
    if slot.is_none_or(|known| place.0.cmp(&known.0).then_with(|| place.1.order(&known.1)).is_gt()) {
        *slot = Some(place);
    }
}

/// Gives every line that is not blank to `take`, with its group.
#[inline]
fn each_present<T: Copy>(
    groups: &[u32],
    values: &[T],
    numbers: &Numbers<'_>,
    mut take: impl FnMut(usize, T),
) {
    match &numbers.blanks {
        None => groups.iter().zip(values).for_each(|(group, value)| take(*group as usize, *value)),
        Some(blanks) => blanks.valid_indices().for_each(|i| take(groups[i] as usize, values[i])),
    }
}

/// The same with whole values, and the line.
fn each_value(groups: &[u32], numbers: &Numbers<'_>, ty: Type, mut take: impl FnMut(usize, usize, Value)) {
    for (line, group) in groups.iter().enumerate() {
        if numbers.blanks.as_ref().is_none_or(|blanks| blanks.is_valid(line)) {
            take(*group as usize, line, numbers.data.value(line, ty));
        }
    }
}

/// Finer groups: which group each is part of, its key, and its states.
#[derive(Debug, Clone)]
pub(crate) struct FinerGroups {
    pub(super) groups: Vec<u32>,
    pub(super) keys: Arc<Vec<u32>>,
    /// Whether no two of them have the same key: then none is merged with another, whatever their groups are.
    pub(super) unique: bool,
    pub(super) states: Arc<States>,
    /// Keys of which some part is blank.
    pub(super) blank_keys: Arc<Vec<bool>>,
    /// The keys of each group, where these are counted and nothing else: then there is nothing but these.
    pub(super) sets: Option<KeySets>,
}
