//! Members of a dimension: what a code stands for, its label and its natural order.

use std::cmp::Ordering;

use crate::model::{Decimal, MONTHS, Period, WEEKDAYS, calendar_place};

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
    /// A period of the calendar.
    Period(Period),
    /// An exact number.
    Number(Decimal),
    /// A floating-point number, by its bits.
    Float(u64),
    /// Yes or no.
    YesNo(bool),
    /// A tier, by its place from the lowest.
    Tier(u32, Box<str>),
    /// The members that were not picked, taken together.
    Others(Box<str>),
    /// A member that is computed from its siblings, by its place in the brief.
    Calculated(u32, Box<str>),
}

impl Member {
    /// The member's label, empty for the blank one.
    pub fn label(&self) -> String {
        match self {
            Member::Blank => String::new(),
            Member::Text(text) => text.to_string(),
            Member::Period(period) => period.to_string(),
            Member::Number(number) => number.to_string(),
            Member::Float(bits) => f64::from_bits(*bits).to_string(),
            Member::YesNo(yes) => if *yes { "yes" } else { "no" }.into(),
            Member::Tier(_, label) | Member::Others(label) | Member::Calculated(_, label) => {
                label.to_string()
            }
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

/// What the blank member is called where names are written.
pub(crate) const BLANK: &str = "blank";

impl Members {
    pub(crate) fn new(members: Vec<Member>) -> Members {
        let labels: Vec<String> = members.iter().map(Member::label).collect();
        let named = |names: &[&str]| {
            let mut texts = members.iter().zip(&labels).filter(|(m, _)| rank(m) == 0).peekable();
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

    /// The same members with one more, and its id; the id that it has where it is there already.
    pub(crate) fn with(&self, member: Member) -> (Members, MemberId) {
        if let Some(place) = self.members.iter().position(|known| *known == member) {
            return (self.clone(), MemberId(place as u32));
        }
        let mut members = self.members.clone();
        members.push(member);
        (Members::new(members), MemberId(self.members.len() as u32))
    }

    /// The member of a label; not one that is made of members where another has the label too. The blank member
    /// is called `blank` where no other member is.
    pub(crate) fn find(&self, label: &str) -> Option<MemberId> {
        let all = || (0..self.members.len()).filter(|i| self.labels[*i] == label);
        let made = |i: &usize| rank(&self.members[*i]) > 1;
        let found = all().find(|i| !made(i)).or_else(|| all().next()).map(|i| MemberId(i as u32));
        found.or_else(|| if label == BLANK { self.find("") } else { None })
    }

    /// The member that gathers others under a label.
    pub(crate) fn gathering(&self, label: &str) -> Option<MemberId> {
        let is_it = |member: &Member| matches!(member, Member::Others(known) if **known == *label);
        self.members.iter().position(is_it).map(|i| MemberId(i as u32))
    }

    /// The member of a period.
    pub(crate) fn period(&self, period: Period) -> Option<MemberId> {
        let wanted = Member::Period(period);
        self.members.iter().position(|known| *known == wanted).map(|i| MemberId(i as u32))
    }

    /// Every label.
    pub(crate) fn labels(&self) -> impl Iterator<Item = &str> {
        self.labels.iter().map(String::as_str)
    }

    /// Where the member stands in natural order, from 0.
    pub(crate) fn place(&self, id: MemberId) -> u32 {
        self.places[id.index()]
    }
}

/// The blank member comes after the others, and what is made of members after that.
fn rank(member: &Member) -> u8 {
    match member {
        Member::Blank => 1,
        Member::Others(_) => 2,
        Member::Calculated(..) => 3,
        _ => 0,
    }
}

fn natural(a: &Member, b: &Member) -> Ordering {
    match (a, b) {
        (Member::Period(a), Member::Period(b)) => a.cmp(b),
        (Member::Number(a), Member::Number(b)) => a.cmp(b),
        (Member::Float(a), Member::Float(b)) => f64::from_bits(*a).total_cmp(&f64::from_bits(*b)),
        (Member::YesNo(a), Member::YesNo(b)) => b.cmp(a),
        (Member::Tier(a, _), Member::Tier(b, _)) | (Member::Calculated(a, _), Member::Calculated(b, _)) => {
            a.cmp(b)
        }
        _ => Ordering::Equal,
    }
}
