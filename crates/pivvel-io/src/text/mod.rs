//! Lines that come as text: what CSV, JSON lines, workbooks and databases have in common. A chunk
//! of fields becomes a record batch, a column at a time; what does not fit is listed by line.

mod blocks;
mod chunk;
mod coded;
mod columns;
mod decode;
mod quotes;
mod source;
mod total_line;
mod troubles;

pub(crate) use blocks::Blocks;
pub use chunk::Chunk;
pub(crate) use chunk::{Ragged, Rewritten, breaks};
pub use columns::Column;
pub(crate) use columns::{TextColumns, check_given, gather};
pub(crate) use decode::{Decoded, Decoder, with_texts};
pub(crate) use quotes::{FeedCount, KnownMarks, Marks, Quote, Quotes, is_break};
pub use source::TextSource;
pub(crate) use source::{AsItIs, Chunks, Form, Split, Table, TableColumn, side_by_side};
pub(crate) use total_line::total_line;
pub(crate) use troubles::{Trouble, Troubles, not_utf8};
