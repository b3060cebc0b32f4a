//! Members by number, so that pointing at one in a view marks it in all.

use std::collections::HashMap;

use pivvel_core::{Axis, Entry};

/// The numbers of members, by dimension and label.
#[derive(Debug, Default)]
pub(crate) struct Marks(HashMap<(String, String), usize>);

impl Marks {
    /// The number of the last member of an entry's path; none for a total.
    pub(crate) fn of(&mut self, axis: &Axis, entry: Entry) -> Option<usize> {
        let path = axis.path(entry);
        let last = path.last()?;
        let next = self.0.len();
        // The same name under another parent is another member.
        let labels: Vec<&str> = path.iter().map(|member| member.label()).collect();
        let under = match last.dimension().part {
            Some(_) => last.label().to_string(),
            None => labels.join("\u{1f}"),
        };
        Some(*self.0.entry((last.dimension().name.clone(), under)).or_insert(next))
    }
}
