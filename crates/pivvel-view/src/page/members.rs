//! Members by number, so that pointing at one in a view marks it in all.

use std::collections::HashMap;

use pivvel_core::result::{Axis, Entry, OfAxis};

/// The numbers of members, by dimension and label.
#[derive(Debug, Default)]
pub(crate) struct Marks {
    numbers: HashMap<(String, String), usize>,
    /// By dimension: the number of each member's colour.
    hues: HashMap<String, HashMap<String, usize>>,
}

impl Marks {
    /// The number of a member by its dimension and label, where it stands on the page.
    pub(super) fn known(&self, dimension: &str, label: &str) -> Option<usize> {
        self.numbers.get(&(dimension.to_string(), label.to_string())).copied()
    }

    /// The number of the last member of an entry's path; none for a total.
    pub(crate) fn of<S: OfAxis>(&mut self, axis: &Axis<S>, entry: Entry<S>) -> Option<usize> {
        // The same member has the same number under every parent, so that a view without its parents
        // marks it, too.
        let path = axis.path(entry);
        let last = path.last()?;
        let next = self.numbers.len();
        Some(*self.numbers.entry((last.dimension().name.clone(), last.label().to_string())).or_insert(next))
    }

    /// The number of the colour of the last member of an entry's path: one and the same in all views, whatever else
    /// stands there. A total has the first one.
    pub(crate) fn hue<S: OfAxis>(&mut self, axis: &Axis<S>, entry: Entry<S>) -> usize {
        let path = axis.path(entry);
        let Some(last) = path.last() else { return 0 };
        let own = self.hues.entry(last.dimension().name.clone()).or_default();
        let next = own.len();
        *own.entry(last.label().to_string()).or_insert(next)
    }
}
