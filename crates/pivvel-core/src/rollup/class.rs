//! Classes of members: what sets cells apart from those of the lines. Two cells are of one class only where their
//! paths pass through the same calculated items and the same gathering members, so that a variance of two
//! ranges together is no peer of the two ranges' actual sales.

/// What sets a member apart from those that lines have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Apart {
    /// It gathers all other members of the dimension at this level.
    Others(u16),
    /// It is computed by the item at this place in the order in which items are applied.
    Item(u32),
}

/// The class of a member: a place among the [`Classes`] of its axis.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Class(u32);

impl Class {
    /// Members of the lines under members of the lines.
    pub(crate) const MEMBERS: Class = Class(0);
}

/// Every class of an axis: what its members pass through, outermost first.
#[derive(Debug, Clone)]
pub(crate) struct Classes(Vec<Vec<Apart>>);

impl Default for Classes {
    fn default() -> Classes {
        Classes(vec![Vec::new()])
    }
}

impl Classes {
    /// The class of what is set apart by one thing more than what it is under.
    pub(crate) fn under(&mut self, above: Class, own: Apart) -> Class {
        let path: Vec<Apart> = self.of(above).iter().copied().chain([own]).collect();
        let place = self.0.iter().position(|known| *known == path).unwrap_or_else(|| {
            self.0.push(path);
            self.0.len() - 1
        });
        Class(place as u32)
    }

    /// What the members of a class pass through, outermost first.
    pub(crate) fn of(&self, class: Class) -> &[Apart] {
        &self.0[class.0 as usize]
    }
}
