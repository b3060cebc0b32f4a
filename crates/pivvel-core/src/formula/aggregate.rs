//! Aggregate functions by name: what they take and what they give. How they are computed over
//! lines, and over values that are there already, is the work of grouping.

use super::types::Type;

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
    /// The value that so large a share of the values is not above (from 0 to 1).
    Quantile(f64),
    /// The same within 0.4 % of the value.
    QuantileEstimate(f64),
    Variance {
        population: bool,
    },
    Deviation {
        population: bool,
    },
    First,
    Last,
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
    ("median", Function::Quantile(0.5), "median(amount)"),
    ("quantile", Function::Quantile(0.5), "quantile(amount, 90%)"),
    ("median_estimate", Function::QuantileEstimate(0.5), "median_estimate(amount)"),
    ("quantile_estimate", Function::QuantileEstimate(0.5), "quantile_estimate(amount, 90%)"),
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
    pub(crate) fn gives(self, of: Type) -> Result<Type, &'static str> {
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
            Function::Mean
            | Function::Quantile(_)
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
