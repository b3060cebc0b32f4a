//! The variance and its root: over one less than the count of values or, of a population, over their count.

use super::numbers::squares_about_mean;
use super::{AggregateFunction, DEFAULT, Needs};
use crate::model::Value;

const SPREAD: AggregateFunction =
    AggregateFunction { needs: Needs { sum: true, squares: true, ..Needs::NONE }, ..DEFAULT };

/// An aggregate of the sum of squares about the mean and the count.
macro_rules! spread {
    ($name:literal, $usage:literal, $of:expr) => {
        AggregateFunction {
            name: $name,
            usage: $usage,
            of_states: |states, _| {
                let of: fn(f64, u64) -> Option<f64> = $of;
                Ok(of(states.squares_about_mean(), states.present()).map(Value::Float))
            },
            of_values: |values, _| {
                let of: fn(f64, u64) -> Option<f64> = $of;
                Ok(of(squares_about_mean(values)?, values.len() as u64).map(Value::Float))
            },
            ..SPREAD
        }
    };
}

pub(super) static STDDEV: AggregateFunction =
    spread!("stddev", "stddev(amount)", |squares, count| of_sample(squares, count).map(f64::sqrt));

pub(super) static STDDEV_POPULATION: AggregateFunction =
    spread!("stddev_population", "stddev_population(amount)", |squares, count| of_population(squares, count)
        .map(f64::sqrt));

pub(super) static VARIANCE: AggregateFunction = spread!("variance", "variance(amount)", of_sample);

pub(super) static VARIANCE_POPULATION: AggregateFunction =
    spread!("variance_population", "variance_population(amount)", of_population);

fn of_sample(squares: f64, count: u64) -> Option<f64> {
    count.checked_sub(1).filter(|over| *over > 0).map(|over| squares / over as f64)
}

fn of_population(squares: f64, count: u64) -> Option<f64> {
    Some(squares / count as f64)
}
