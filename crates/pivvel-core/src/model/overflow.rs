//! Numbers that outgrow what can be kept.

/// A number outgrew 38 digits, or the range of floating point.
#[derive(Debug)]
pub(crate) struct Overflow;
