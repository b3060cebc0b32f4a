//! Lines as they come in: kinds of columns, sources, members and calendars.
//!
//! `lines` owns the dictionaries. Everything after this stage works with member ids and group
//! ids and never touches a line's text again.

mod coder;
mod dictionary;
mod members;
mod related;
mod source;
mod table;

pub(crate) use coder::{Coder, Codes};
pub use dictionary::Dictionary;
pub(crate) use dictionary::{hash, mix};
pub(crate) use members::BLANK;
pub use members::{Member, MemberId, Members};
pub(crate) use related::RELATED;
pub use related::Related;
pub use source::{Batches, Bound, Limit, LineSource, Progress, Taker, Tally, Unmatched};
pub use table::{Dialect, Guarded, SqlColumn, SqlTable, Statement};
