//! Aggregate functions by name: what they take and what they give. How they are computed over
//! lines, and over values that are there already, is the work of grouping.

use super::types::{FINEST, Type};
use crate::model::pow10;

/// What is made of many values.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Function {
    Sum,
    Count,
    Distinct,
    /// About how many different values, within a few percent.
    DistinctEstimate,
    Mean,
    Min,
    Max,
    /// The value that so large a share of the values is not above.
    Quantile(Share),
    /// The same within 0.4 % of the value.
    QuantileEstimate(Share),
    Variance {
        population: bool,
    },
    Deviation {
        population: bool,
    },
    First,
    Last,
}

/// A share from 0 to 1, kept as the decimal that it is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Share {
    digits: u64,
    scale: u8,
}

impl Share {
    const HALF: Share = Share { digits: 5, scale: 1 };

    /// The share of a decimal; none where it is below 0, above 1, or of more than 18 digits after the point.
    pub(crate) fn new(mut digits: i128, mut scale: u8) -> Option<Share> {
        while scale > 0 && digits % 10 == 0 {
            (digits, scale) = (digits / 10, scale - 1);
        }
        let fits = scale <= 18 && digits <= pow10(scale)?;
        Some(Share { digits: u64::try_from(digits).ok().filter(|_| fits)?, scale })
    }

    pub(crate) fn as_f64(self) -> f64 {
        self.digits as f64 / 10f64.powi(self.scale.into())
    }

    /// The place so far from the first to the last of so many, and how far on to the next one: that many
    /// of ten to the power of the scale.
    pub(crate) fn place(self, count: usize) -> (usize, i128, u8) {
        let (place, unit) = (u128::from(self.digits) * (count - 1) as u128, 10u128.pow(self.scale.into()));
        ((place / unit) as usize, (place % unit) as i128, self.scale)
    }
}

/// The aggregates by name, with what they take as a message says it.
const NAMES: [(&str, Function, &str); 17] = [
    ("sum", Function::Sum, "sum(amount)"),
    ("count", Function::Count, "count() or count(amount)"),
    ("distinct", Function::Distinct, "distinct(yard)"),
    ("distinct_estimate", Function::DistinctEstimate, "distinct_estimate(yard)"),
    ("mean", Function::Mean, "mean(amount) or mean(price weighted by quantity)"),
    ("min", Function::Min, "min(amount)"),
    ("max", Function::Max, "max(amount)"),
    ("median", Function::Quantile(Share::HALF), "median(amount)"),
    ("quantile", Function::Quantile(Share::HALF), "quantile(amount, 90%)"),
    ("median_estimate", Function::QuantileEstimate(Share::HALF), "median_estimate(amount)"),
    ("quantile_estimate", Function::QuantileEstimate(Share::HALF), "quantile_estimate(amount, 90%)"),
    ("stddev", Function::Deviation { population: false }, "stddev(amount)"),
    ("stddev_population", Function::Deviation { population: true }, "stddev_population(amount)"),
    ("variance", Function::Variance { population: false }, "variance(amount)"),
    ("variance_population", Function::Variance { population: true }, "variance_population(amount)"),
    ("first", Function::First, "first(price by sold_on)"),
    ("last", Function::Last, "last(price by sold_on)"),
];

impl Function {
    pub(crate) fn named(name: &str) -> Option<Function> {
        NAMES.iter().find(|(known, ..)| *known == name).map(|(_, function, _)| *function)
    }

    pub(crate) fn names() -> impl Iterator<Item = &'static str> {
        NAMES.iter().map(|(name, ..)| *name)
    }

    /// How an aggregate is written.
    pub(crate) fn usage(name: &str) -> &'static str {
        NAMES.iter().find(|(known, ..)| *known == name).map_or("", |(.., usage)| *usage)
    }

    /// What comes of values of a type; what is wanted instead where they do not fit.
    pub(crate) fn result_type(self, of: Type) -> Result<Type, &'static str> {
        let whole = Type::Exact { scale: 0 };
        match self {
            Function::Count | Function::Distinct | Function::DistinctEstimate => Ok(whole),
            Function::Sum if of.is_number() => Ok(of),
            Function::Min | Function::Max | Function::First | Function::Last
                if of.is_number() || of == Type::Day =>
            {
                Ok(of)
            }
            Function::Min | Function::Max | Function::First | Function::Last => Err("numbers or dates"),
            // Half way between two decimals is a decimal again.
            Function::Quantile(share) => match of {
                Type::Exact { scale } if scale + share.scale <= FINEST => {
                    Ok(Type::Exact { scale: scale + share.scale })
                }
                of if of.is_number() => Ok(Type::Float),
                _ => Err("numbers"),
            },
            Function::Mean
            | Function::QuantileEstimate(_)
            | Function::Variance { .. }
            | Function::Deviation { .. }
                if of.is_number() =>
            {
                Ok(Type::Float)
            }
            _ => Err("numbers"),
        }
    }
}
