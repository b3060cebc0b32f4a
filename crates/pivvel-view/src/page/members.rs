//! Members by number, so that pointing at one in a view marks it in all.

use std::collections::HashMap;

use pivvel_core::result::{Axis, Entry, OfAxis};

/// The numbers of members, by dimension and label.
#[derive(Debug, Default)]
pub(crate) struct Marks(HashMap<(String, String), usize>);

impl Marks {
    /// The number of the last member of an entry's path; none for a total.
    pub(crate) fn of<S: OfAxis>(&mut self, axis: &Axis<S>, entry: Entry<S>) -> Option<usize> {
        // The same member has the same number under every parent, so that a view without its parents
        // marks it, too.
        let path = axis.path(entry);
        let last = path.last()?;
        let next = self.0.len();
        Some(*self.0.entry((last.dimension().name.clone(), last.label().to_string())).or_insert(next))
    }
}
