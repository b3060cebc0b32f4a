//! What codes stand for: members, or no more than their keys where each has one of 64 bits. There may be millions.

use std::borrow::Cow;

use super::member::Member;
use crate::model::{DatePart, Decimal, Kind, Period};

/// Members by their codes.
#[derive(Debug, Clone)]
pub(crate) enum CodedMembers {
    /// As members.
    Members(Vec<Member>),
    /// As the keys of what their dimension holds, which take a quarter of what members take. The blank one has any.
    Keys { keys: Vec<i64>, kind: Kind, part: Option<DatePart>, blank: Option<u32> },
}

impl Default for CodedMembers {
    fn default() -> CodedMembers {
        CodedMembers::Members(Vec::new())
    }
}

/// What a member of lines is found by.
pub(super) enum FoundBy<'a> {
    Blank,
    Text(&'a str),
    Key(i128),
}

impl CodedMembers {
    /// Of no members yet.
    pub(super) fn new(kind: Kind, part: Option<DatePart>) -> CodedMembers {
        match kind {
            Kind::Text => CodedMembers::default(),
            _ => CodedMembers::Keys { keys: Vec::new(), kind, part, blank: None },
        }
    }

    /// How many members there are.
    pub(super) fn len(&self) -> usize {
        match self {
            CodedMembers::Members(members) => members.len(),
            CodedMembers::Keys { keys, .. } => keys.len(),
        }
    }

    /// What a code stands for; `None` where it was never given.
    pub(super) fn get(&self, code: u32) -> Option<Cow<'_, Member>> {
        match self {
            CodedMembers::Members(members) => members.get(code as usize).map(Cow::Borrowed),
            CodedMembers::Keys { blank, .. } if *blank == Some(code) => Some(Cow::Owned(Member::Blank)),
            CodedMembers::Keys { keys, kind, part, .. } => {
                let key = keys.get(code as usize)?;
                Some(Cow::Owned(member_of_key(*kind, *part, (*key).into())))
            }
        }
    }

    /// Every member by its code.
    pub(super) fn iter(&self) -> impl Iterator<Item = Cow<'_, Member>> {
        (0..self.len() as u32).filter_map(|code| self.get(code))
    }

    /// The code of the first member of which this holds.
    pub(super) fn position(&self, is_it: impl Fn(&Member) -> bool) -> Option<u32> {
        self.iter().position(|member| is_it(&member)).map(|place| place as u32)
    }

    /// The code of the blank member.
    pub(super) fn blank(&self) -> Option<u32> {
        match self {
            CodedMembers::Members(_) => self.position(|member| matches!(member, Member::Blank)),
            CodedMembers::Keys { blank, .. } => *blank,
        }
    }

    /// Turns keys into members: texts have no keys.
    pub(super) fn leave_keys(&mut self) {
        if let CodedMembers::Keys { .. } = self {
            *self = CodedMembers::Members(self.iter().map(Cow::into_owned).collect());
        }
    }

    /// The members written down, to which any may be added.
    pub(super) fn members(&mut self) -> &mut Vec<Member> {
        self.leave_keys();
        match self {
            CodedMembers::Members(members) => members,
            CodedMembers::Keys { .. } => unreachable!("they were written down"),
        }
    }

    /// One more, by its key.
    pub(super) fn push_key(&mut self, key: i128, (kind, part): (Kind, Option<DatePart>)) {
        match (&mut *self, i64::try_from(key)) {
            (CodedMembers::Keys { keys, .. }, Ok(key)) => keys.push(key),
            _ => self.members().push(member_of_key(kind, part, key)),
        }
    }

    /// The blank member.
    pub(super) fn push_blank(&mut self) {
        match self {
            CodedMembers::Members(members) => members.push(Member::Blank),
            CodedMembers::Keys { keys, blank, .. } => {
                *blank = Some(keys.len() as u32);
                keys.push(0);
            }
        }
    }

    /// What a member of lines is found by.
    pub(super) fn found_by(&self, code: usize) -> FoundBy<'_> {
        match self {
            CodedMembers::Keys { blank, .. } if *blank == Some(code as u32) => FoundBy::Blank,
            CodedMembers::Keys { keys, .. } => FoundBy::Key(keys[code].into()),
            CodedMembers::Members(members) => match &members[code] {
                Member::Text(text) => FoundBy::Text(text),
                Member::Period(period) => FoundBy::Key(period.number().into()),
                Member::Number(number) => FoundBy::Key(number.digits),
                Member::Float(bits) => FoundBy::Key((*bits as i64).into()),
                Member::YesNo(yes) => FoundBy::Key((*yes).into()),
                // What is made of members is no member of a line.
                Member::Blank | Member::Tier(..) | Member::Others(_) | Member::Calculated(..) => {
                    FoundBy::Blank
                }
            },
        }
    }

    /// Takes a text away, to be a member elsewhere.
    pub(super) fn take_text(&mut self, code: usize) -> Option<Member> {
        match self {
            CodedMembers::Members(members) => Some(std::mem::replace(&mut members[code], Member::Blank)),
            CodedMembers::Keys { .. } => None,
        }
    }

    /// Whether some are made of others.
    pub(super) fn has_made(&self) -> bool {
        match self {
            CodedMembers::Members(members) => {
                members.iter().any(|member| matches!(member, Member::Others(_) | Member::Calculated(..)))
            }
            CodedMembers::Keys { .. } => false,
        }
    }

    /// The digits of exact numbers of one scale, where all but the blank are such, with the scale and the blank's code.
    pub(super) fn numbers(&self) -> Option<(&[i64], u8, Option<u32>)> {
        match self {
            CodedMembers::Keys { keys, kind, part, blank } => match member_of_key(*kind, *part, 0) {
                Member::Number(Decimal { scale, .. }) => Some((keys, scale, *blank)),
                _ => None,
            },
            CodedMembers::Members(_) => None,
        }
    }

    /// Makes room for so many more.
    pub(super) fn reserve(&mut self, more: usize) {
        match self {
            CodedMembers::Members(members) => members.reserve_exact(more),
            CodedMembers::Keys { keys, .. } => keys.reserve_exact(more),
        }
    }
}

fn member_of_key(kind: Kind, part: Option<DatePart>, key: i128) -> Member {
    match (kind, part) {
        (Kind::Date, part) => Member::Period(Period::new(part.unwrap_or(DatePart::Day), key as i32)),
        (Kind::YesNo, _) => Member::YesNo(key != 0),
        (Kind::Float, _) => Member::Float(key as u64),
        (Kind::Decimal { scale }, _) => Member::Number(Decimal::new(key, scale)),
        _ => Member::Number(key.into()),
    }
}
