//! What formulas give, and what comes of putting two together.

use super::{DatePart, Kind};

/// What a formula gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Type {
    /// Whole numbers and decimals, money above all.
    Exact {
        scale: u8,
    },
    /// Ratios, and what else cannot stay exact.
    Float,
    Day,
    Period(DatePart),
    Text,
    Condition,
    /// A bare `blank`, which goes with anything.
    Nothing,
}

/// The most digits after the point that an exact number may get by computing.
pub(crate) const FINEST: u8 = 30;

impl Type {
    pub(crate) fn of(kind: Kind) -> Type {
        match kind {
            Kind::Text => Type::Text,
            Kind::Date => Type::Day,
            Kind::Whole => Type::Exact { scale: 0 },
            Kind::Decimal { scale } => Type::Exact { scale },
            Kind::Float => Type::Float,
            Kind::YesNo => Type::Condition,
        }
    }

    pub(crate) fn words(self) -> String {
        match self {
            Type::Exact { .. } | Type::Float => "a number".into(),
            Type::Day => "a date".into(),
            Type::Period(part) => format!("a {}", part.name().replace('_', " ")),
            Type::Text => "a text".into(),
            Type::Condition => "yes or no".into(),
            Type::Nothing => "blank".into(),
        }
    }

    pub(crate) fn is_number(self) -> bool {
        matches!(self, Type::Exact { .. } | Type::Float)
    }

    /// Digits after the point.
    pub(crate) fn scale(self) -> u8 {
        if let Type::Exact { scale } = self { scale } else { 0 }
    }

    /// The type that two values can both be given as.
    pub(crate) fn common(self, other: Type) -> Option<Type> {
        match (self, other) {
            (Type::Nothing, other) | (other, Type::Nothing) => Some(other),
            (Type::Exact { scale: a }, Type::Exact { scale: b }) => Some(Type::Exact { scale: a.max(b) }),
            (a, b) if a.is_number() && b.is_number() => Some(Type::Float),
            (a, b) => (a == b).then_some(a),
        }
    }
}
