//! Aggregate functions, a family in each file: what they are called and take, what they give, which states they
//! need, and how they come from these states or from values that are there already.
//!
//! How states are kept for many groups at once is the work of grouping; here is what one group comes to. Whatever
//! is kept merges in any order with the same result, and nothing is divided or rounded before the end.

mod count;
mod distinct;
mod exact_float;
mod extremes;
mod first_last;
mod mean;
mod numbers;
mod quantile;
mod share;
mod sketch;
mod spread;
mod sum;

pub(crate) use exact_float::ExactFloat;
pub(crate) use numbers::{Moments, Total, quantile};
pub(crate) use share::Share;
pub(crate) use sketch::{Distinct, QuantileSketch};

use std::sync::{PoisonError, RwLock};

use crate::model::{Overflow, Type, Value};

/// Every aggregate. Whoever adds one adds it here.
static AGGREGATES: [&AggregateFunction; 17] = [
    &sum::SUM,
    &count::COUNT,
    &distinct::DISTINCT,
    &distinct::DISTINCT_ESTIMATE,
    &mean::MEAN,
    &extremes::MIN,
    &extremes::MAX,
    &quantile::MEDIAN,
    &quantile::QUANTILE,
    &quantile::MEDIAN_ESTIMATE,
    &quantile::QUANTILE_ESTIMATE,
    &spread::STDDEV,
    &spread::STDDEV_POPULATION,
    &spread::VARIANCE,
    &spread::VARIANCE_POPULATION,
    &first_last::FIRST,
    &first_last::LAST,
];

/// Those that were registered.
static OWN: RwLock<Vec<&'static AggregateFunction>> = RwLock::new(Vec::new());

fn all() -> impl Iterator<Item = &'static AggregateFunction> {
    let own = OWN.read().unwrap_or_else(PoisonError::into_inner).clone();
    AGGREGATES.into_iter().chain(own)
}

/// What there is to know of an aggregate.
pub(crate) struct AggregateFunction {
    /// Its name in formulas.
    name: &'static str,
    /// How it is written, for messages.
    usage: &'static str,
    /// The clauses that may stand in its brackets.
    pub(crate) clauses: &'static [&'static str],
    /// Whether a share follows its argument.
    pub(crate) takes_share: bool,
    /// What is kept of the argument in each line.
    pub(crate) keeps: Keeps,
    /// The states that it needs.
    pub(crate) needs: Needs,
    /// Whether the values of several groups add up to that of all of them.
    pub(crate) adds_up: bool,
    /// What comes of values of a type; what is wanted instead where they do not fit.
    result: fn(Type, Share) -> Result<Type, &'static str>,
    /// What comes of no value.
    of_nothing: Option<u64>,
    /// What comes of the states of a group in which there is a value.
    of_states: fn(&dyn GroupStates, Share) -> Result<Option<Value>, Overflow>,
    /// What comes of values, in any order and of any kinds; there is at least one.
    of_values: fn(&[Value], Share) -> Result<Option<Value>, Overflow>,
    /// What comes of all values in ascending order, in place of both.
    of_sorted: Option<OfSorted>,
}

/// What gives a number for at least one number, in ascending order; `None` for a blank.
pub(crate) type OfSorted = &'static (dyn Fn(&[f64]) -> Option<f64> + Send + Sync);

/// An aggregate of values with the defaults.
const DEFAULT: AggregateFunction = AggregateFunction {
    name: "",
    usage: "",
    clauses: &["where"],
    takes_share: false,
    keeps: Keeps::Values,
    needs: Needs::NONE,
    adds_up: false,
    result: float,
    of_nothing: None,
    of_states: |_, _| Ok(None),
    of_values: |_, _| Ok(None),
    of_sorted: None,
};

/// Adds an aggregate of all values for every formula of the process.
pub(crate) fn add(name: &'static str, usage: &'static str, of: OfSorted) {
    let needs = Needs { list: true, ..Needs::NONE };
    let own = AggregateFunction { name, usage, needs, of_sorted: Some(of), ..DEFAULT };
    OWN.write().unwrap_or_else(PoisonError::into_inner).push(Box::leak(Box::new(own)));
}

/// What is kept of an argument in each line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Keeps {
    /// The value.
    Values,
    /// Whether there is one, of any type.
    Presence,
    /// A hash of it, of any type.
    Hashes,
    /// Groups of their own, of any type.
    Keys,
}

/// Which states are kept of a value.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub(crate) struct Needs {
    pub(crate) sum: bool,
    pub(crate) low: bool,
    pub(crate) high: bool,
    pub(crate) squares: bool,
    pub(crate) first: bool,
    pub(crate) last: bool,
    /// Every value.
    pub(crate) list: bool,
    /// An estimate of how many different hashes there are.
    pub(crate) distinct: bool,
    /// How the values are spread.
    pub(crate) spread: bool,
}

impl Needs {
    const NONE: Needs = Needs {
        sum: false,
        low: false,
        high: false,
        squares: false,
        first: false,
        last: false,
        list: false,
        distinct: false,
        spread: false,
    };

    /// All that these need, too.
    pub(crate) fn add(&mut self, more: Needs) {
        let Needs { sum, low, high, squares, first, last, list, distinct, spread } = more;
        self.sum |= sum;
        self.low |= low;
        self.high |= high;
        self.squares |= squares;
        self.first |= first;
        self.last |= last;
        self.list |= list;
        self.distinct |= distinct;
        self.spread |= spread;
    }

    /// Whether values alone are enough: no line has to be the first or the last, and nothing is estimated.
    pub(crate) fn values_are_enough(self) -> bool {
        let Needs { sum: _, low: _, high: _, squares: _, first, last, list: _, distinct, spread } = self;
        !(first | last | distinct | spread)
    }

    /// Whether anything is kept but sums and extremes.
    pub(crate) fn more_than_extremes(self) -> bool {
        let Needs { sum: _, low: _, high: _, squares, first, last, list, distinct, spread } = self;
        squares | first | last | list | distinct | spread
    }
}

/// The states of one value in one group. Only those are asked for that an aggregate needs.
pub(crate) trait GroupStates {
    /// How many lines have a value.
    fn present(&self) -> u64;
    /// The sum of the values.
    fn sum(&self) -> Result<Value, Overflow>;
    /// Their mean.
    fn mean(&self) -> Result<f64, Overflow>;
    /// The lowest.
    fn low(&self) -> Value;
    /// The highest.
    fn high(&self) -> Value;
    /// The sum of squares about the mean.
    fn squares_about_mean(&self) -> f64;
    /// The value of the first line, where one has a place in the order.
    fn first(&self) -> Option<Value>;
    /// The value of the last line.
    fn last(&self) -> Option<Value>;
    /// How many of them are listed.
    fn listed(&self) -> usize;
    /// Of all in order the one at a place and the next one; the last one twice.
    fn two_at(&self, place: usize) -> [Value; 2];
    /// All in order.
    fn in_order(&self) -> Vec<f64>;
    /// About how many different ones there are.
    fn distinct(&self) -> u64;
    /// About the value at a share of them.
    fn quantile(&self, share: Share) -> f64;
}

/// An aggregate function with the share that it takes.
#[derive(Clone, Copy)]
pub(crate) struct Function {
    of: &'static AggregateFunction,
    share: Share,
}

impl Function {
    /// The sum, which weighted means are made of.
    pub(crate) const SUM: Function = Function { of: &sum::SUM, share: Share::HALF };

    pub(crate) fn is_sum(self) -> bool {
        std::ptr::eq(self.of, &sum::SUM)
    }

    /// The exact quantile at a share.
    pub(crate) fn quantile(share: Share) -> Function {
        Function { of: &quantile::QUANTILE, share }
    }

    pub(crate) fn named(name: &str) -> Option<Function> {
        let of = all().find(|aggregate| aggregate.name == name)?;
        Some(Function { of, share: Share::HALF })
    }

    pub(crate) fn names() -> impl Iterator<Item = &'static str> {
        all().map(|aggregate| aggregate.name)
    }

    /// How an aggregate is written; empty for what is none.
    pub(crate) fn usage(name: &str) -> &'static str {
        all().find(|aggregate| aggregate.name == name).map_or("", |aggregate| aggregate.usage)
    }

    /// The same at another share.
    pub(crate) fn at(self, share: Share) -> Function {
        Function { share, ..self }
    }

    /// What comes of values of a type; what is wanted instead where they do not fit.
    pub(crate) fn result_type(self, of: Type) -> Result<Type, &'static str> {
        (self.of.result)(of, self.share)
    }

    /// What comes of the states of a group.
    pub(crate) fn of_states(self, states: &dyn GroupStates) -> Result<Option<Value>, Overflow> {
        match states.present() {
            0 => Ok(self.of.of_nothing.map(Value::whole)),
            _ => match self.of.of_sorted {
                Some(of) => Ok(finite(of(&states.in_order()))),
                None => (self.of.of_states)(states, self.share),
            },
        }
    }

    /// What comes of values, in any order and of any kinds.
    pub(crate) fn of_values(self, values: &[Value]) -> Result<Option<Value>, Overflow> {
        match values {
            [] => Ok(self.of.of_nothing.map(Value::whole)),
            values => match self.of.of_sorted {
                Some(of) => {
                    let mut sorted: Vec<f64> = values.iter().map(Value::as_f64).collect();
                    sorted.sort_unstable_by(f64::total_cmp);
                    Ok(finite(of(&sorted)))
                }
                None => (self.of.of_values)(values, self.share),
            },
        }
    }
}

impl std::ops::Deref for Function {
    type Target = AggregateFunction;

    fn deref(&self) -> &AggregateFunction {
        self.of
    }
}

impl PartialEq for Function {
    fn eq(&self, other: &Function) -> bool {
        (self.of.name, self.share) == (other.of.name, other.share)
    }
}

impl std::fmt::Debug for Function {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}({:?})", self.of.name, self.share)
    }
}

/// A number that there is.
fn finite(number: Option<f64>) -> Option<Value> {
    number.filter(|number| number.is_finite()).map(Value::Float)
}

/// The type of counts.
fn whole(_: Type, _: Share) -> Result<Type, &'static str> {
    Ok(Type::Exact { scale: 0 })
}

/// The type of what is never exact.
fn float(of: Type, _: Share) -> Result<Type, &'static str> {
    if of.is_number() { Ok(Type::Float) } else { Err("numbers") }
}

/// The type of one of the values.
fn one_of_them(of: Type, _: Share) -> Result<Type, &'static str> {
    if of.is_number() || of == Type::Day { Ok(of) } else { Err("numbers or dates") }
}
