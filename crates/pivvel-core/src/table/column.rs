//! Columns of one measure: typed by what its values are.

use std::sync::Arc;

use arrow_array::types::{ArrowPrimitiveType, Date32Type, Decimal128Type, Float64Type, Int64Type};
use arrow_array::{ArrayRef, PrimitiveArray};
use arrow_buffer::NullBufferBuilder;
use arrow_schema::DataType;

use crate::model::{Decimal, Value};

/// What a column holds, as far as its values are known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Holds {
    Nothing,
    Whole,
    Exact(u8),
    Float,
    Day,
}

impl Holds {
    /// What a column of values holds; dates beside numbers are numbers without them.
    pub(super) fn of(values: impl Iterator<Item = Value>) -> Holds {
        values.fold(Holds::Nothing, |held, value| match (held, value) {
            (Holds::Float, _) | (_, Value::Float(_)) => Holds::Float,
            (Holds::Nothing, Value::Date(_)) => Holds::Day,
            (held, Value::Date(_)) => held,
            (Holds::Exact(known), Value::Exact(Decimal { scale, .. })) => Holds::Exact(known.max(scale)),
            (_, Value::Exact(number)) if number.scale == 0 && i64::try_from(number.digits).is_ok() => {
                Holds::Whole
            }
            (_, Value::Exact(Decimal { scale, .. })) => Holds::Exact(scale),
        })
    }

    pub(super) fn data_type(self) -> DataType {
        match self {
            Holds::Whole => DataType::Int64,
            Holds::Exact(scale) => DataType::Decimal128(38, scale as i8),
            Holds::Float | Holds::Nothing => DataType::Float64,
            Holds::Day => DataType::Date32,
        }
    }

    pub(super) fn array(self, values: impl Iterator<Item = Option<Value>>) -> ArrayRef {
        let digits = |value: Value, to: u8| match value {
            Value::Exact(number) => number.rescale(to).map(Decimal::digits),
            _ => None,
        };
        match self {
            Holds::Whole => {
                let whole = |value: Value| i64::try_from(digits(value, 0)?).ok();
                numbers::<Int64Type>(values.map(|value| value.and_then(whole)))
            }
            Holds::Exact(scale) => {
                let all = values.map(|value| value.and_then(|value| digits(value, scale)));
                let typed = array_of::<Decimal128Type>(all).with_precision_and_scale(38, scale as i8);
                Arc::new(typed.unwrap_or_else(|e| unreachable!("a scale of a value is one: {e}")))
            }
            Holds::Float | Holds::Nothing => {
                let float = |value: Value| (!matches!(value, Value::Date(_))).then(|| value.as_f64());
                numbers::<Float64Type>(values.map(|value| value.and_then(float)))
            }
            Holds::Day => {
                let day = |value: Value| if let Value::Date(day) = value { Some(day) } else { None };
                numbers::<Date32Type>(values.map(|value| value.and_then(day)))
            }
        }
    }
}

/// A column of numbers.
pub(super) fn numbers<T: ArrowPrimitiveType>(all: impl Iterator<Item = Option<T::Native>>) -> ArrayRef {
    Arc::new(array_of::<T>(all))
}

/// Most columns have no blanks, so room for these is made only where one comes.
fn array_of<T: ArrowPrimitiveType>(all: impl Iterator<Item = Option<T::Native>>) -> PrimitiveArray<T> {
    let mut nulls = NullBufferBuilder::new(all.size_hint().0);
    let mut values = Vec::with_capacity(all.size_hint().0);
    for number in all {
        nulls.append(number.is_some());
        values.push(number.unwrap_or_default());
    }
    PrimitiveArray::new(values.into(), nulls.finish())
}

/// A name that no earlier column has.
pub(super) fn own_name(name: String, taken: &mut Vec<String>) -> String {
    let numbered = (2..).map(|n| format!("{name} ({n})"));
    let free = std::iter::once(name.clone()).chain(numbered).find(|name| !taken.contains(name));
    let free = free.unwrap_or(name);
    taken.push(free.clone());
    free
}
