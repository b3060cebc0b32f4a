//! What all of the core speaks of: values and their kinds, decimals, days and periods, notices. It imports nothing
//! of the core.

mod axis_side;
mod calendar;
mod cell_values;
mod days;
mod decimal;
mod grain;
mod kind;
mod notice;
mod overflow;
mod period;
mod sentence;
mod threads;
mod types;
mod value;

pub use axis_side::AxisSide;
pub use calendar::DatePart;
pub(crate) use calendar::{MONTHS, WEEKDAYS, calendar_place, date_from_text, date_text};
pub(crate) use cell_values::{CellValues, Digits};
pub(crate) use days::DayTable;
pub use decimal::{Decimal, NoDecimal};
pub(crate) use decimal::{decimal_digits, i128_to_f64, pow10, pow10_f64, rescale};
pub(crate) use grain::ByGrain;
pub use grain::Grain;
pub use kind::{Kind, NO_WORD, TIME_ZONE, UNSEEN, YES_WORD};
pub use notice::{Audience, Notice, NoticeCode};
pub(crate) use overflow::Overflow;
pub use period::{NoPeriod, Period};
pub(crate) use sentence::with_thousands;
pub use sentence::{Part, Sentence, with_marks};
pub(crate) use threads::{both, filled, in_each, in_shares, share_ends, threads_for};
pub(crate) use types::{FINEST, Type};
pub use value::Value;
pub(crate) use value::{float_to_ordered, ordered_to_float};
