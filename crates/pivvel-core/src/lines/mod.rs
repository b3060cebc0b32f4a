//! Lines as they come in: kinds of columns, sources, members and calendars.
//!
//! `lines` owns the dictionaries. Everything after this stage works with member ids and group
//! ids and never touches a line's text again.

mod calendar;
mod coder;
mod days;
mod decimal;
mod dictionary;
mod kind;
mod members;
mod related;
mod source;
mod table;
mod value;

pub use calendar::DatePart;
pub(crate) use calendar::{date_from_text, date_text};
pub(crate) use coder::{Coder, Codes};
pub(crate) use days::DayTable;
pub use decimal::decimal_text;
pub(crate) use decimal::{decimal_digits, pow10, rescale};
pub use dictionary::Dictionary;
pub(crate) use dictionary::{hash, mix};
pub use kind::{Kind, NO_WORD, UNSEEN, YES_WORD};
pub(crate) use members::BLANK;
pub use members::{Member, MemberId, Members};
pub(crate) use related::RELATED;
pub use related::Related;
pub use source::{Batches, Bound, Limit, LineSource, Progress, Taker, Tally, Unmatched};
pub use table::{Dialect, SqlColumn, SqlTable, Statement};
pub use value::Value;
