//! What makes a cell stand out, decided here as positions, steps, spans and rules; views turn them
//! into colours and shapes.

mod decide;
mod link;
mod mark;
mod scale;

pub(crate) use decide::{Everything, Known, decide, reference};
pub(crate) use link::link;
pub use mark::{Emphasis, Mark};
pub use scale::{Scale, Span};
