//! What is behind a cell: the lines that it is made of, and the story of one number.

mod address;
mod explain;
mod lines;
mod narrow;
mod operands;
mod shape;
mod sorted;
mod trace;

pub use address::Address;
pub use explain::{DateSpan, EmphasisStory, ItemStory, Operand, PeersStory, Story, WindowPart};
pub use lines::{LineOrder, LinesBehind, Tied, TiedAggregate, TiedPart};
pub use trace::Trace;
