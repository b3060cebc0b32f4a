//! What is behind a cell: the lines that it is made of, and the story of one number.

mod address;
mod explain;
mod lines;
mod narrow;
mod operands;
mod parts;
mod shape;
mod sorted;
mod story;
mod trace;

pub use address::Address;
pub use lines::{LineOrder, LinesBehind, Tied, TiedAggregate, TiedPart};
pub use story::{
    DateSpan, EmphasisStory, EntryStory, ItemOperand, ItemStory, Operand, PartStory, PartsStory, PeersStory,
    RuleStory, Story, WindowPart,
};
pub use trace::Trace;
