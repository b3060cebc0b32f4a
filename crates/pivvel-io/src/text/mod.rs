//! Lines that come as text: what CSV, JSON lines, workbooks and databases have in common. A chunk
//! of fields becomes a record batch, a column at a time; what does not fit is listed by line.

mod chunk;
mod columns;
mod decode;
mod troubles;

pub(crate) use chunk::{Chunk, Ragged, breaks};
pub use columns::Column;
pub(crate) use columns::{TextColumns, gather};
pub(crate) use decode::{Decoded, Decoder, with_texts};
pub(crate) use troubles::Troubles;
