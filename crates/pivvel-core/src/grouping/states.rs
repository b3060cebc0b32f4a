//! Aggregate states, one of each kind for every group, in columns indexed by group.
//!
//! States are updated by lines and merged with states; nothing is divided or rounded before
//! `finish`. Merging is exact and gives the same result in any order.

use super::exact_float::ExactFloat;
use super::value::Value;
use crate::brief::{Aggregate, Function};
use crate::formula::{Data, LineType, Numbers};

/// A sum or an extreme outgrew 38 digits.
#[derive(Debug)]
pub(crate) struct Outgrown;

/// The states of all groups.
#[derive(Debug, Clone)]
pub(crate) struct States {
    /// Lines in each group.
    lines: Vec<u64>,
    values: Vec<ValueStates>,
}

/// The states of one formula over lines.
#[derive(Debug, Clone)]
struct ValueStates {
    gives: LineType,
    /// Lines of each group in which the formula is not blank.
    present: Vec<u64>,
    sums: Option<Sums>,
    lows: Option<Extremes>,
    highs: Option<Extremes>,
}

#[derive(Debug, Clone)]
enum Sums {
    Exact(Vec<i128>),
    Float(Vec<ExactFloat>),
}

#[derive(Debug, Clone)]
enum Extremes {
    Exact(Vec<i128>),
    Float(Vec<f64>),
}

/// Which states a formula over lines needs for the measures that use it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Needs {
    pub(crate) gives: LineType,
    pub(crate) sum: bool,
    pub(crate) low: bool,
    pub(crate) high: bool,
}

impl States {
    pub(crate) fn new(needs: &[Needs]) -> States {
        let value = |needs: &Needs| {
            let float = needs.gives == LineType::Float;
            let extremes = |wanted: bool| match float {
                _ if !wanted => None,
                true => Some(Extremes::Float(Vec::new())),
                false => Some(Extremes::Exact(Vec::new())),
            };
            let sums = if float { Sums::Float(Vec::new()) } else { Sums::Exact(Vec::new()) };
            ValueStates {
                gives: needs.gives,
                present: Vec::new(),
                sums: needs.sum.then_some(sums),
                lows: extremes(needs.low),
                highs: extremes(needs.high),
            }
        };
        States { lines: Vec::new(), values: needs.iter().map(value).collect() }
    }

    /// Makes room for so many groups.
    pub(crate) fn resize(&mut self, groups: usize) {
        self.lines.resize(groups, 0);
        for value in &mut self.values {
            value.present.resize(groups, 0);
            match &mut value.sums {
                Some(Sums::Exact(sums)) => sums.resize(groups, 0),
                Some(Sums::Float(sums)) => sums.resize(groups, ExactFloat::default()),
                None => {}
            }
            for (extremes, exact, float) in [
                (&mut value.lows, i128::MAX, f64::INFINITY),
                (&mut value.highs, i128::MIN, f64::NEG_INFINITY),
            ] {
                match extremes {
                    Some(Extremes::Exact(all)) => all.resize(groups, exact),
                    Some(Extremes::Float(all)) => all.resize(groups, float),
                    None => {}
                }
            }
        }
    }

    /// Counts a line into each group named.
    pub(crate) fn count(&mut self, groups: &[u32]) {
        for group in groups {
            self.lines[*group as usize] += 1;
        }
    }

    /// Takes the numbers of one formula, one a line, each into the group named beside it.
    pub(crate) fn update(
        &mut self,
        value: usize,
        groups: &[u32],
        numbers: &Numbers<'_>,
    ) -> Result<(), Outgrown> {
        let state = &mut self.values[value];
        match &numbers.blanks {
            None => groups.iter().for_each(|group| state.present[*group as usize] += 1),
            Some(blanks) => {
                for (group, valid) in groups.iter().zip(blanks.iter()) {
                    state.present[*group as usize] += u64::from(valid);
                }
            }
        }
        match &numbers.data {
            Data::Narrow(digits) => state.take_exact(groups, digits, numbers, i128::from),
            Data::Wide(digits) => state.take_exact(groups, digits, numbers, |v| v),
            Data::Float(floats) => {
                state.take_floats(groups, floats, numbers);
                Ok(())
            }
        }
    }

    /// States of fewer groups: each group here is merged into the one that `into` names for it.
    pub(crate) fn merged(&self, into: &[u32], groups: usize) -> Result<States, Outgrown> {
        let needs: Vec<Needs> = self.values.iter().map(ValueStates::needs).collect();
        let mut merged = States::new(&needs);
        merged.resize(groups);
        merged.merge(self, into)?;
        Ok(merged)
    }

    /// Merges the states of `other`, each group into the one that `into` names for it.
    fn merge(&mut self, other: &States, into: &[u32]) -> Result<(), Outgrown> {
        for (target, lines) in into.iter().zip(&other.lines) {
            self.lines[*target as usize] += lines;
        }
        for (mine, theirs) in self.values.iter_mut().zip(&other.values) {
            for (target, present) in into.iter().zip(&theirs.present) {
                mine.present[*target as usize] += present;
            }
            match (&mut mine.sums, &theirs.sums) {
                (Some(Sums::Exact(mine)), Some(Sums::Exact(theirs))) => {
                    let mut outgrown = false;
                    for (target, sum) in into.iter().zip(theirs) {
                        let slot = &mut mine[*target as usize];
                        let (sum, over) = slot.overflowing_add(*sum);
                        *slot = sum;
                        outgrown |= over;
                    }
                    if outgrown {
                        return Err(Outgrown);
                    }
                }
                (Some(Sums::Float(mine)), Some(Sums::Float(theirs))) => {
                    into.iter().zip(theirs).for_each(|(target, sum)| mine[*target as usize].merge(sum));
                }
                _ => {}
            }
            merge_extremes(&mut mine.lows, &theirs.lows, into, true);
            merge_extremes(&mut mine.highs, &theirs.highs, into, false);
        }
        Ok(())
    }

    /// Lines in a group.
    pub(crate) fn lines(&self, group: usize) -> u64 {
        self.lines[group]
    }

    /// The value of an aggregate in every group; `None` where it is blank.
    pub(crate) fn finish(&self, aggregate: &Aggregate) -> Vec<Option<Value>> {
        let groups = 0..self.lines.len();
        let Some(value) = aggregate.value else {
            return groups.map(|g| Some(Value::whole(self.lines[g]))).collect();
        };
        let state = &self.values[value];
        groups.map(|group| state.finish(aggregate.function, group)).collect()
    }
}

fn merge_extremes(mine: &mut Option<Extremes>, theirs: &Option<Extremes>, into: &[u32], low: bool) {
    match (mine, theirs) {
        (Some(Extremes::Exact(mine)), Some(Extremes::Exact(theirs))) => {
            for (target, value) in into.iter().zip(theirs) {
                let slot = &mut mine[*target as usize];
                *slot = if low { (*slot).min(*value) } else { (*slot).max(*value) };
            }
        }
        (Some(Extremes::Float(mine)), Some(Extremes::Float(theirs))) => {
            for (target, value) in into.iter().zip(theirs) {
                let slot = &mut mine[*target as usize];
                *slot = if low { slot.min(*value) } else { slot.max(*value) };
            }
        }
        _ => {}
    }
}

impl ValueStates {
    fn needs(&self) -> Needs {
        Needs {
            gives: self.gives,
            sum: self.sums.is_some(),
            low: self.lows.is_some(),
            high: self.highs.is_some(),
        }
    }

    fn take_exact<T: Copy>(
        &mut self,
        groups: &[u32],
        digits: &[T],
        numbers: &Numbers<'_>,
        wide: impl Fn(T) -> i128,
    ) -> Result<(), Outgrown> {
        if let Some(Sums::Exact(sums)) = &mut self.sums {
            let mut outgrown = false;
            each_present(groups, digits, numbers, |group, value| {
                let (sum, over) = sums[group].overflowing_add(wide(value));
                sums[group] = sum;
                outgrown |= over;
            });
            if outgrown {
                return Err(Outgrown);
            }
        }
        if let Some(Extremes::Exact(lows)) = &mut self.lows {
            each_present(groups, digits, numbers, |group, value| lows[group] = lows[group].min(wide(value)));
        }
        if let Some(Extremes::Exact(highs)) = &mut self.highs {
            each_present(groups, digits, numbers, |group, value| {
                highs[group] = highs[group].max(wide(value))
            });
        }
        Ok(())
    }

    fn take_floats(&mut self, groups: &[u32], floats: &[f64], numbers: &Numbers<'_>) {
        if let Some(Sums::Float(sums)) = &mut self.sums {
            each_present(groups, floats, numbers, |group, value| sums[group].add(value));
        }
        if let Some(Extremes::Float(lows)) = &mut self.lows {
            each_present(groups, floats, numbers, |group, value| lows[group] = lows[group].min(value));
        }
        if let Some(Extremes::Float(highs)) = &mut self.highs {
            each_present(groups, floats, numbers, |group, value| highs[group] = highs[group].max(value));
        }
    }

    fn finish(&self, function: Function, group: usize) -> Option<Value> {
        let present = self.present[group];
        if function == Function::Count {
            return Some(Value::whole(present));
        }
        if present == 0 {
            return None;
        }
        let scale = if let LineType::Exact { scale } = self.gives { scale } else { 0 };
        let exact = |digits: i128| match self.gives {
            LineType::Day => Value::Date(digits as i32),
            _ => Value::Exact { digits, scale },
        };
        let extreme = |extremes: &Option<Extremes>| match extremes {
            Some(Extremes::Exact(all)) => Some(exact(all[group])),
            Some(Extremes::Float(all)) => Some(Value::Float(all[group])),
            None => None,
        };
        match function {
            Function::Min => extreme(&self.lows),
            Function::Max => extreme(&self.highs),
            Function::Sum => match self.sums.as_ref()? {
                Sums::Exact(sums) => Some(exact(sums[group])),
                Sums::Float(sums) => Some(Value::Float(sums[group].value())),
            },
            Function::Mean => match self.sums.as_ref()? {
                Sums::Exact(sums) => {
                    let parts = present as f64 * 10f64.powi(scale.into());
                    Some(Value::Float(sums[group] as f64 / parts))
                }
                Sums::Float(sums) => Some(Value::Float(sums[group].value() / present as f64)),
            },
            Function::Count => None,
        }
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
