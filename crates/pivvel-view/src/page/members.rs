//! Members by number, so that pointing at one in a view marks it in all.

use std::collections::HashMap;

use pivvel_core::result::{Axis, Entry, MemberRef, OfAxis};

use crate::colour::Rgb;
use crate::palette::{CATEGORIES, Ground, category, paper};

/// The numbers of members, by dimension and label.
#[derive(Debug, Default)]
pub(crate) struct Marks {
    numbers: HashMap<(String, String), usize>,
    /// By dimension: the number of each member's colour.
    hues: HashMap<String, HashMap<String, usize>>,
}

/// The colour of a member in charts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Hue {
    /// One of the colours of categories, by its number.
    Category(usize),
    /// The one that the brief gives it.
    Own(Rgb),
}

impl Hue {
    /// Whether another member has it, too.
    pub(crate) fn is_shared(self) -> bool {
        matches!(self, Hue::Category(number) if number >= CATEGORIES)
    }

    /// The colour itself.
    pub(crate) fn on(self, ground: Ground) -> Rgb {
        match self {
            Hue::Category(number) => category(number, ground),
            Hue::Own(colour) => colour.standing_out(paper(ground)),
        }
    }
}

/// The colour that the brief gives to a member.
pub(crate) fn own_colour(member: &MemberRef<'_>) -> Option<Rgb> {
    let is_it = |label: &str| label == member.label() || member.is_blank() && label == "blank";
    let (_, colour) = member.dimension().colours().iter().find(|(label, _)| is_it(label))?;
    colour.parse().ok()
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
        Some(
            *self
                .numbers
                .entry((last.dimension().name().to_string(), last.label().to_string()))
                .or_insert(next),
        )
    }

    /// The number of the colour of the last member of an entry's path: one and the same in all views, whatever else
    /// stands there. A total has the first one.
    pub(crate) fn hue<S: OfAxis>(&mut self, axis: &Axis<S>, entry: Entry<S>) -> Hue {
        let path = axis.path(entry);
        let Some(last) = path.last() else { return Hue::Category(0) };
        if let Some(own) = own_colour(last) {
            return Hue::Own(own);
        }
        let own = self.hues.entry(last.dimension().name().to_string()).or_default();
        let next = own.len();
        Hue::Category(*own.entry(last.label().to_string()).or_insert(next))
    }
}
