//! Members of a dimension: what a code stands for, its label and its natural order.

use std::cmp::Ordering;

use super::calendar::{MONTHS, WEEKDAYS, calendar_place};
use super::{DatePart, decimal_text};

/// A member of one dimension, by the number that it was given when first seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct MemberId(pub(crate) u32);

impl MemberId {
    /// The number itself, gap-free from 0 within the dimension.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// What a member is.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Member {
    /// The lines that hold nothing in this dimension.
    Blank,
    /// A text.
    Text(Box<str>),
    /// A period of the calendar, as a number that grows with it.
    Period(DatePart, i32),
    /// An exact number.
    Number {
        /// The digits.
        digits: i128,
        /// How many of them stand after the point.
        scale: u8,
    },
    /// A floating-point number, by its bits.
    Float(u64),
    /// Yes or no.
    YesNo(bool),
}

impl Member {
    /// The member's label, empty for the blank one.
    pub fn label(&self) -> String {
        match self {
            Member::Blank => String::new(),
            Member::Text(text) => text.to_string(),
            Member::Period(part, period) => part.label(*period),
            Member::Number { digits, scale } => decimal_text(*digits, *scale),
            Member::Float(bits) => f64::from_bits(*bits).to_string(),
            Member::YesNo(yes) => if *yes { "yes" } else { "no" }.into(),
        }
    }
}

/// The members of one dimension, by their ids.
#[derive(Debug, Clone, Default)]
pub struct Members {
    members: Vec<Member>,
    labels: Vec<String>,
    /// Each member's place in natural order.
    places: Vec<u32>,
    calendar_names: bool,
}

impl Members {
    pub(crate) fn new(members: Vec<Member>) -> Members {
        let labels: Vec<String> = members.iter().map(Member::label).collect();
        let named = |names: &[&str]| {
            let mut texts =
                members.iter().zip(&labels).filter(|(m, _)| !matches!(m, Member::Blank)).peekable();
            texts.peek().is_some()
                && texts
                    .all(|(m, label)| matches!(m, Member::Text(_)) && calendar_place(names, label).is_some())
        };
        let names: Option<&[&str]> = [&MONTHS[..], &WEEKDAYS[..]].into_iter().find(|names| named(names));
        let folded: Vec<String> = labels.iter().map(|label| label.to_lowercase()).collect();
        let mut order: Vec<u32> = (0..members.len() as u32).collect();
        order.sort_by(|a, b| {
            let (a, b) = (*a as usize, *b as usize);
            let by_name = names.map_or(Ordering::Equal, |names| {
                calendar_place(names, &labels[a]).cmp(&calendar_place(names, &labels[b]))
            });
            rank(&members[a])
                .cmp(&rank(&members[b]))
                .then(by_name)
                .then_with(|| natural(&members[a], &members[b]))
                .then_with(|| folded[a].cmp(&folded[b]))
                .then_with(|| labels[a].cmp(&labels[b]))
        });
        let mut places = vec![0; members.len()];
        for (place, id) in order.iter().enumerate() {
            places[*id as usize] = place as u32;
        }
        Members { members, labels, places, calendar_names: names.is_some() }
    }

    /// How many members there are.
    pub fn len(&self) -> usize {
        self.members.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.members.is_empty()
    }

    /// The member itself.
    pub fn member(&self, id: MemberId) -> &Member {
        &self.members[id.index()]
    }

    /// The member's label; empty for the blank member.
    pub fn label(&self, id: MemberId) -> &str {
        &self.labels[id.index()]
    }

    /// Whether this is the member of the lines that hold nothing in this dimension.
    pub fn is_blank(&self, id: MemberId) -> bool {
        matches!(self.members[id.index()], Member::Blank)
    }

    /// Whether the members are months or weekdays by name, and stand in calendar order for that.
    pub fn are_calendar_names(&self) -> bool {
        self.calendar_names
    }

    /// Every member with its id, in natural order: the calendar's for dates and for names of
    /// months and weekdays, numbers by size, texts by label whatever their letter case, and the
    /// blank member last.
    pub fn in_order(&self) -> impl Iterator<Item = MemberId> {
        let mut order: Vec<MemberId> = (0..self.members.len() as u32).map(MemberId).collect();
        order.sort_by_key(|id| self.places[id.index()]);
        order.into_iter()
    }

    /// Where the member stands in natural order, from 0.
    pub(crate) fn place(&self, id: MemberId) -> u32 {
        self.places[id.index()]
    }
}

/// The blank member comes last.
fn rank(member: &Member) -> u8 {
    u8::from(matches!(member, Member::Blank))
}

fn natural(a: &Member, b: &Member) -> Ordering {
    match (a, b) {
        (Member::Period(_, a), Member::Period(_, b)) => a.cmp(b),
        (Member::Number { digits: a, .. }, Member::Number { digits: b, .. }) => a.cmp(b),
        (Member::Float(a), Member::Float(b)) => f64::from_bits(*a).total_cmp(&f64::from_bits(*b)),
        (Member::YesNo(a), Member::YesNo(b)) => b.cmp(a),
        _ => Ordering::Equal,
    }
}
