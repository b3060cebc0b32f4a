//! Aggregate states, one of each kind for every group, in columns indexed by group.
//!
//! States are updated by lines and merged with states; nothing is divided or rounded before
//! `finish`. Merging is exact and gives the same result in any order.

use arrow_buffer::i256;

use super::exact_float::ExactFloat;
use super::exact_sums::{ExactSums, Outgrown};
use super::finer::FinerGroups;
use super::sketch::{Distinct, Spread};
use super::spec::{Aggregate, LineValue, Needs};
use super::summary::{Moments, quantile, spread, summarize};
use crate::formula::{Data, Function, Numbers, Type};
use crate::lines::Value;

/// The states of all groups.
#[derive(Debug, Clone)]
pub(crate) struct States {
    /// Lines in each group.
    pub(super) lines: Vec<u64>,
    pub(super) values: Vec<ValueStates>,
    finer: Vec<FinerGroups>,
}

/// The states of one formula over lines.
#[derive(Debug, Clone)]
pub(super) struct ValueStates {
    pub(super) gives: Type,
    pub(super) needs: Needs,
    /// Lines of each group in which the formula is blank: few, so that there is little to count.
    pub(super) blank: Vec<u64>,
    pub(super) sums: Sums,
    pub(super) lows: Extremes,
    pub(super) highs: Extremes,
    pub(super) squares: Vec<Moments>,
    pub(super) firsts: Vec<Option<(i128, Value)>>,
    pub(super) lasts: Vec<Option<(i128, Value)>>,
    pub(super) lists: Vec<Vec<Value>>,
    pub(super) distincts: Vec<Distinct>,
    pub(super) spreads: Vec<Spread>,
    /// Values in all lists together.
    pub(super) listed: usize,
    /// About how many bytes all estimates take.
    pub(super) sketched: usize,
}

#[derive(Debug, Clone)]
pub(super) enum Sums {
    Exact(ExactSums),
    Float(Vec<ExactFloat>),
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
        states.lines = lines;
        for (own, made) in states.values.iter_mut().zip(columns) {
            own.blank = states.lines.iter().zip(made.present).map(|(lines, some)| lines - some).collect();
            if let Sums::Exact(sums) = &mut own.sums {
                *sums = ExactSums::of(made.sums.into_iter().map(|sum| sum.unwrap_or(0)).collect());
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
        let values = values.iter().map(|v| ValueStates::new(v.formula.gives, v.needs)).collect();
        States { lines: Vec::new(), values, finer: Vec::new() }
    }

    /// The same with groups that are finer than these.
    pub(super) fn with_finer(mut self, finer: Vec<FinerGroups>) -> States {
        self.finer = finer;
        self
    }

    /// Makes room for so many groups.
    pub(crate) fn resize(&mut self, groups: usize) {
        self.lines.resize(groups, 0);
        self.values.iter_mut().for_each(|value| value.resize(groups));
    }

    /// Takes lines, each into the group that is named for it, with the numbers of every formula and
    /// what decides which of them is first. Fails with the place of a formula whose sum outgrew.
    pub(crate) fn update(
        &mut self,
        groups: &[u32],
        numbers: &[(Numbers<'_>, Option<Numbers<'_>>)],
    ) -> Result<(), usize> {
        let mut plain = self.values.iter_mut().zip(numbers).filter_map(|(value, (numbers, _))| {
            let sums = value.plain_sums()?;
            Some((sums, numbers.plain()?))
        });
        // The sums of two plain columns beside the count of lines are what most plans are made of.
        count(&mut self.lines, groups, plain.next(), plain.next());
        let mut done = 2;
        for (place, (value, (numbers, by))) in self.values.iter_mut().zip(numbers).enumerate() {
            if done > 0 && value.plain_sums().is_some() && numbers.plain().is_some() {
                done -= 1;
                continue;
            }
            value.update(groups, numbers, by.as_ref()).map_err(|_| place)?;
        }
        Ok(())
    }

    /// States of fewer groups: each group here is merged into the one that `into` names for it, or
    /// left out where that is [`States::NOWHERE`].
    pub(crate) fn merged(&self, into: &[u32], groups: usize) -> Result<States, Outgrown> {
        let mut merged = States {
            lines: vec![0; groups],
            values: self.values.iter().map(|v| ValueStates::new(v.gives, v.needs)).collect(),
            finer: self.finer.iter().map(|finer| finer.merged(into, groups)).collect::<Result<_, _>>()?,
        };
        merged.resize(groups);
        merged.absorb(self, into)?;
        Ok(merged)
    }

    /// Merges each group of other states into the one here that `into` names for it. Finer groups are
    /// not looked at.
    pub(super) fn absorb(&mut self, other: &States, into: &[u32]) -> Result<(), Outgrown> {
        let kept = |(target, _): &(&u32, &u64)| **target != States::NOWHERE;
        for (target, lines) in into.iter().zip(&other.lines).filter(kept) {
            self.lines[*target as usize] += lines;
        }
        for (mine, theirs) in self.values.iter_mut().zip(&other.values) {
            mine.merge(theirs, into)?;
        }
        Ok(())
    }

    /// The target of groups that are left out.
    pub(crate) const NOWHERE: u32 = u32::MAX;

    /// Lines in a group.
    pub(crate) fn lines(&self, group: usize) -> u64 {
        self.lines[group]
    }

    /// About how many bytes the states take.
    pub(crate) fn bytes(&self) -> usize {
        self.lines.capacity() * size_of::<u64>() + self.values.iter().map(ValueStates::bytes).sum::<usize>()
    }

    /// How many groups there are.
    pub(crate) fn len(&self) -> usize {
        self.lines.len()
    }

    /// The value of an aggregate in every group; `None` where it is blank.
    pub(crate) fn finish(&self, aggregate: &Aggregate) -> Result<Vec<Option<Value>>, Outgrown> {
        match aggregate {
            Aggregate::Lines => Ok(self.lines.iter().map(|lines| Some(Value::whole(*lines))).collect()),
            Aggregate::Of { function, value } => {
                let state = &self.values[*value];
                let finish = |(group, lines): (usize, &u64)| state.finish(*function, group, *lines);
                self.lines.iter().enumerate().map(finish).collect()
            }
            Aggregate::Distinct { finer } => {
                Ok(self.finer[*finer].keys(self.len()).into_iter().map(|n| Some(Value::whole(n))).collect())
            }
            Aggregate::Nested { function, finer, inner } => {
                let lists = self.finer[*finer].lists(inner, self.len())?;
                lists.iter().map(|values| summarize(*function, values)).collect()
            }
        }
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
        let kept = |target: &&u32| **target != States::NOWHERE;
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
    fn new(gives: Type, needs: Needs) -> ValueStates {
        let float = gives == Type::Float;
        ValueStates {
            gives,
            needs,
            blank: Vec::new(),
            sums: if float { Sums::Float(Vec::new()) } else { Sums::Exact(ExactSums::default()) },
            lows: Extremes::new(float),
            highs: Extremes::new(float),
            squares: Vec::new(),
            firsts: Vec::new(),
            lasts: Vec::new(),
            lists: Vec::new(),
            distincts: Vec::new(),
            spreads: Vec::new(),
            listed: 0,
            sketched: 0,
        }
    }

    /// Its sums, where nothing else is needed and they are exact.
    fn plain_sums(&mut self) -> Option<&mut ExactSums> {
        let Needs { sum, low, high, squares, first, last, list, distinct, spread } = self.needs;
        match &mut self.sums {
            Sums::Exact(sums) if sum => {
                (!(low | high | squares | first | last | list | distinct | spread)).then_some(sums)
            }
            _ => None,
        }
    }

    fn bytes(&self) -> usize {
        let Needs { sum, low, high, squares, first, last, list, distinct, spread } = self.needs;
        let float = self.gives == Type::Float;
        // An exact sum of floats has a few limbs of its own.
        let summed = match &self.sums {
            Sums::Exact(sums) => sums.each(),
            Sums::Float(_) => size_of::<ExactFloat>() + 64,
        };
        let extreme = if float { size_of::<f64>() } else { size_of::<i128>() };
        let each = [
            (true, size_of::<u64>()),
            (sum, summed),
            (low, extreme),
            (high, extreme),
            (squares, size_of::<Moments>()),
            (first, size_of::<Option<(i128, Value)>>()),
            (last, size_of::<Option<(i128, Value)>>()),
            (list, size_of::<Vec<Value>>()),
            (distinct, size_of::<Distinct>()),
            (spread, size_of::<Spread>()),
        ];
        let group = each.iter().filter(|(kept, _)| *kept).map(|(_, bytes)| bytes).sum::<usize>();
        self.blank.capacity() * group + self.listed * size_of::<Value>() + self.sketched
    }

    fn resize(&mut self, groups: usize) {
        let Needs { sum, low, high, squares, first, last, list, distinct, spread } = self.needs;
        self.blank.resize(groups, 0);
        if sum {
            match &mut self.sums {
                Sums::Exact(sums) => sums.resize(groups),
                Sums::Float(sums) => sums.resize(groups, ExactFloat::default()),
            }
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
            self.lists.resize(groups, Vec::new());
        }
        if distinct {
            self.distincts.resize(groups, Distinct::default());
        }
        if spread {
            self.spreads.resize(groups, Spread::default());
        }
    }

    fn update(
        &mut self,
        groups: &[u32],
        numbers: &Numbers<'_>,
        by: Option<&Numbers<'_>>,
    ) -> Result<(), Outgrown> {
        if let Some(blanks) = &numbers.blanks {
            for (group, valid) in groups.iter().zip(blanks.iter()) {
                self.blank[*group as usize] += u64::from(!valid);
            }
        }
        match &numbers.data {
            Data::Narrow(digits) => {
                if let (true, Sums::Exact(sums)) = (self.needs.sum, &mut self.sums) {
                    sums.add(groups, digits, numbers.blanks.as_ref());
                }
                self.take_exact(groups, digits, numbers, i128::from)?;
            }
            Data::Wide(digits) => {
                if let (true, Sums::Exact(sums)) = (self.needs.sum, &mut self.sums) {
                    let present = |line: &usize| numbers.blanks.as_ref().is_none_or(|b| b.is_valid(*line));
                    let lines = (0..groups.len()).filter(present);
                    sums.add_wide(lines.map(|line| (groups[line], digits[line])))?;
                }
                self.take_exact(groups, digits, numbers, |v| v)?;
            }
            Data::Float(floats) => self.take_floats(groups, floats, numbers),
        }
        if self.needs.list {
            let (gives, lists, listed) = (self.gives, &mut self.lists, &mut self.listed);
            each_value(groups, numbers, gives, |group, _, value| {
                lists[group].push(value);
                *listed += 1;
            });
        }
        self.sketch(groups, numbers);
        let Some(by) = by else { return Ok(()) };
        let (gives, firsts, lasts) = (self.gives, &mut self.firsts, &mut self.lasts);
        each_value(groups, numbers, gives, |group, line, value| {
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
        let (gives, sketched) = (self.gives, &mut self.sketched);
        if self.needs.distinct {
            let all = &mut self.distincts;
            each_value(groups, numbers, gives, |group, line, _| {
                let before = all[group].bytes();
                all[group].add(numbers.data.digits(line) as u64);
                *sketched = (*sketched + all[group].bytes()).saturating_sub(before);
            });
        }
        if self.needs.spread {
            let all = &mut self.spreads;
            each_value(groups, numbers, gives, |group, _, value| {
                let before = all[group].bytes();
                all[group].add(value.as_f64());
                *sketched += all[group].bytes() - before;
            });
        }
    }

    fn take_exact<T: Copy>(
        &mut self,
        groups: &[u32],
        digits: &[T],
        numbers: &Numbers<'_>,
        wide: impl Fn(T) -> i128,
    ) -> Result<(), Outgrown> {
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
                if let Err(outgrown) = squares[group].add_exact(wide(value)) {
                    outcome = Err(outgrown);
                }
            });
            outcome?;
        }
        Ok(())
    }

    fn take_floats(&mut self, groups: &[u32], floats: &[f64], numbers: &Numbers<'_>) {
        if let (true, Sums::Float(sums)) = (self.needs.sum, &mut self.sums) {
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

    fn merge(&mut self, theirs: &ValueStates, into: &[u32]) -> Result<(), Outgrown> {
        let targets = || into.iter().enumerate().filter(|(_, target)| **target != States::NOWHERE);
        for (group, target) in targets() {
            self.blank[*target as usize] += theirs.blank[group];
        }
        if self.needs.sum {
            match (&mut self.sums, &theirs.sums) {
                (Sums::Exact(mine), Sums::Exact(theirs)) => mine.merge(theirs, into, States::NOWHERE)?,
                (Sums::Float(mine), Sums::Float(theirs)) => {
                    targets().for_each(|(group, target)| mine[*target as usize].merge(&theirs[group]));
                }
                _ => {}
            }
        }
        if self.needs.low {
            self.lows.merge(&theirs.lows, into, true);
        }
        if self.needs.high {
            self.highs.merge(&theirs.highs, into, false);
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
                self.spreads[target].merge(&theirs.spreads[group]);
            }
            if self.needs.list {
                self.lists[target].extend_from_slice(&theirs.lists[group]);
                self.listed += theirs.lists[group].len();
            }
        }
        Ok(())
    }

    fn finish(&self, function: Function, group: usize, lines: u64) -> Result<Option<Value>, Outgrown> {
        let present = lines - self.blank[group];
        if function == Function::Count {
            return Ok(Some(Value::whole(present)));
        }
        if function == Function::DistinctEstimate {
            return Ok(Some(Value::whole(self.distincts[group].estimate())));
        }
        if present == 0 {
            return Ok(None);
        }
        let scale = self.gives.scale();
        let exact = |digits: i128| match self.gives {
            Type::Day => Value::Date(digits as i32),
            _ => Value::Exact { digits, scale },
        };
        let extreme = |extremes: &Extremes| match extremes {
            Extremes::Exact(all) => exact(all[group]),
            Extremes::Float(all) => Value::Float(all[group]),
        };
        Ok(match function {
            Function::Min => Some(extreme(&self.lows)),
            Function::Max => Some(extreme(&self.highs)),
            Function::First => self.firsts[group].map(|(_, value)| value),
            Function::Last => self.lasts[group].map(|(_, value)| value),
            Function::Sum => Some(match &self.sums {
                Sums::Exact(sums) => exact(sums.get(group)),
                Sums::Float(sums) => Value::Float(sums[group].value()),
            }),
            Function::Mean => Some(Value::Float(match &self.sums {
                Sums::Exact(sums) => sums.get(group) as f64 / (present as f64 * 10f64.powi(scale.into())),
                Sums::Float(sums) => sums[group].value() / present as f64,
            })),
            Function::Variance { population } | Function::Deviation { population } => {
                let squares = match &self.sums {
                    Sums::Exact(sums) => self.squares[group].about_mean(sums.get(group), present, scale),
                    Sums::Float(sums) => self.squares[group].about_float_mean(&sums[group], present),
                };
                spread(function, squares, present, population).map(Value::Float)
            }
            Function::Quantile(share) => {
                let mut sorted = self.lists[group].clone();
                sorted.sort_unstable_by(Value::order);
                Some(Value::Float(quantile(share, sorted.len(), |i| sorted[i].as_f64())))
            }
            Function::QuantileEstimate(share) => {
                let spread = &self.spreads[group];
                Some(Value::Float(quantile(share, present as usize, |place| spread.at(place as u64))))
            }
            Function::Count | Function::Distinct | Function::DistinctEstimate => None,
        })
    }
}

/// Counts lines into their groups, and adds up to two columns in the same pass.
fn count(
    lines: &mut [u64],
    groups: &[u32],
    first: Option<(&mut ExactSums, &[i64])>,
    second: Option<(&mut ExactSums, &[i64])>,
) {
    match (first, second) {
        (Some((a, x)), Some((b, y))) => ExactSums::add_two(lines, groups, (a, x), (b, y)),
        (first, _) => {
            groups.iter().for_each(|group| lines[*group as usize] += 1);
            if let Some((sums, values)) = first {
                sums.add(groups, values, None);
            }
        }
    }
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
fn each_value(groups: &[u32], numbers: &Numbers<'_>, gives: Type, mut take: impl FnMut(usize, usize, Value)) {
    for (line, group) in groups.iter().enumerate() {
        if numbers.blanks.as_ref().is_none_or(|blanks| blanks.is_valid(line)) {
            take(*group as usize, line, numbers.data.value(line, gives));
        }
    }
}
