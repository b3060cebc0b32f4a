//! Lines as they come in: kinds of columns, sources, members and calendars.
//!
//! `lines` owns the dictionaries. Everything after this stage works with member ids and group
//! ids and never touches a line's text again.

mod arrow_types;
mod batches;
mod coded_members;
mod coder;
mod dictionary;
mod key_table;
mod member;
mod members;
mod related;
mod settle;
mod source;
mod table;

pub use arrow_types::{usable_array, usable_schema, usable_type};
pub use batches::{Batches, IntoBatch};
pub(crate) use coder::{Coder, Codes, dictionary_keys};
pub use dictionary::Dictionary;
pub(crate) use dictionary::{hash, hash_digits, mix};
pub use member::{Member, MemberId};
pub(crate) use members::BLANK;
pub use members::Members;
pub(crate) use related::RELATED;
pub use related::Related;
pub(crate) use settle::{LookedAt, settle};
pub use source::{Bound, Limit, LineSource, Pushdown, ReadProgress, Taker, Tally, Unmatched};
pub use table::{Dialect, Guarded, SqlColumn, SqlTable, Statement};
