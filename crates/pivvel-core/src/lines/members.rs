//! Members of a dimension: what a code stands for, its label and its natural order.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::ops::Range;
use std::sync::OnceLock;

use hashbrown::HashTable;

use super::coded_members::CodedMembers;
use super::dictionary::hash_text;
use super::member::{Member, MemberId, text_of};
use crate::model::{Decimal, MONTHS, Period, WEEKDAYS, both, calendar_place, in_shares, threads_for};

/// The members of one dimension, by their ids.
///
/// ```
/// # use pivvel_core as pivvel;
/// # mod demo { include!(concat!(env!("CARGO_MANIFEST_DIR"), "/doc/demo.rs")); }
/// # use demo::*;
/// let crosstab = crosstab();
/// let coasts = crosstab.rows().members(0);
/// let labels: Vec<&str> = coasts.in_order().map(|id| coasts.label(id)).collect();
/// assert_eq!(labels, ["Fell", "Skerry"]);
/// ```
#[derive(Debug, Clone, Default)]
pub struct Members {
    members: CodedMembers,
    labels: Labels,
    /// Each member's place in natural order.
    places: Vec<u32>,
    blank: Option<MemberId>,
    calendar_names: bool,
    /// The members by their labels, once somebody looks for one.
    by_label: OnceLock<HashTable<u32>>,
}

/// The labels of members, in one text: there may be millions of them.
#[derive(Debug, Clone, Default)]
struct Labels {
    text: String,
    /// Where each block of them begins.
    blocks: Vec<usize>,
    /// Where each of them ends within its block.
    ends: Vec<u32>,
}

/// How many labels a block has: so few that their texts together have less than 4 GB.
const BLOCK: usize = 64;

impl Labels {
    fn new(members: &CodedMembers, threads: usize) -> Labels {
        match members.numbers() {
            Some((digits, scale, blank)) => Labels::by_threads(digits.len(), threads, |place, text| {
                if blank != Some(place as u32) {
                    Decimal::new(digits[place].into(), scale).push_to(text);
                }
            }),
            None => Labels::by_threads(members.len(), threads, |place, text| {
                members.get(place as u32).into_iter().for_each(|member| member.write_label(text));
            }),
        }
    }

    /// So many labels, of which every thread writes some blocks.
    fn by_threads(count: usize, threads: usize, write: impl Fn(usize, &mut Vec<u8>) + Sync) -> Labels {
        let begins = |place: usize| if place < count { place / BLOCK * BLOCK } else { count };
        let written = |share: Range<usize>| Labels::written(begins(share.start)..begins(share.end), &write);
        let mut parts = in_shares(count, threads, written).into_iter();
        let mut all = parts.next().unwrap_or_default();
        for Labels { text, blocks, ends } in parts {
            let before = all.text.len();
            all.text.push_str(&text);
            all.blocks.extend(blocks.iter().map(|block| before + block));
            all.ends.extend(ends);
        }
        all.text.shrink_to_fit();
        all
    }

    /// Some labels from the beginning of a block on, each written behind those before it.
    fn written(places: Range<usize>, write: &dyn Fn(usize, &mut Vec<u8>)) -> Labels {
        let (mut text, mut ends) = (Vec::new(), Vec::with_capacity(places.len()));
        let mut blocks = Vec::with_capacity(places.len().div_ceil(BLOCK));
        let mut begin = 0;
        for place in places {
            if place.is_multiple_of(BLOCK) {
                begin = text.len();
                blocks.push(begin);
            }
            write(place, &mut text);
            ends.push((text.len() - begin) as u32);
        }
        Labels { text: text_of(text), blocks, ends }
    }

    fn get(&self, place: usize) -> &str {
        let Some(end) = self.ends.get(place) else { return "" };
        let begin = if place.is_multiple_of(BLOCK) { 0 } else { self.ends[place - 1] };
        let block = self.blocks[place / BLOCK];
        &self.text[block + begin as usize..block + *end as usize]
    }

    fn iter(&self) -> impl Iterator<Item = &str> {
        (0..self.ends.len()).map(|place| self.get(place))
    }
}

/// What the blank member is called where names are written.
pub(crate) const BLANK: &str = "blank";

impl Members {
    pub(crate) fn new(members: Vec<Member>) -> Members {
        Members::by_threads(CodedMembers::Members(members), 1)
    }

    /// Those that codes stand for, by at most so many threads.
    pub(crate) fn by_threads(members: CodedMembers, threads: usize) -> Members {
        let (blank, by_label) = (members.blank().map(MemberId), OnceLock::new());
        let labels = || Labels::new(&members, threads);
        let threads_of_both = threads_for(members.len(), threads);
        if let Some((digits, _, blank_id)) = members.numbers() {
            let places = || places_of(&numbers_in_order(digits, blank_id));
            let (places, labels) = both(threads_of_both, places, labels);
            return Members { members, labels, places, blank, calendar_names: false, by_label };
        }
        // Labels are needed only where keys are equal.
        let ((mut order, first_rank), labels) = both(threads_of_both, || in_order_of_keys(&members), labels);
        let named = |names: &[&str]| {
            let mut texts = members.iter().zip(labels.iter()).filter(|(m, _)| rank(m) == 0).peekable();
            let is_name = |(m, label): (Cow<'_, Member>, &str)| {
                matches!(*m, Member::Text(_)) && calendar_place(names, label).is_some()
            };
            texts.peek().is_some() && texts.all(is_name)
        };
        let names: Option<&[&str]> = [&MONTHS[..], &WEEKDAYS[..]].into_iter().find(|names| named(names));
        let by_name = |place: usize| names.and_then(|names| calendar_place(names, labels.get(place)));
        let of = |place: u32| members.get(place).unwrap_or(Cow::Owned(Member::Blank));
        let compared = |a: u32, b: u32| {
            let (own, other) = (of(a), of(b));
            let (a, b) = (a as usize, b as usize);
            by_name(a)
                .cmp(&by_name(b))
                .then_with(|| natural(&own, &other))
                .then_with(|| ignoring_case(labels.get(a), labels.get(b)))
                .then_with(|| labels.get(a).cmp(labels.get(b)))
                .then_with(|| a.cmp(&b))
        };
        let is_tied = |a: &Keyed, b: &Keyed| names.is_some() || a.0 == b.0;
        let (own, apart) = order.split_at_mut(first_rank);
        let by_rank = |a: &Keyed, b: &Keyed| rank(&of(a.1)) == rank(&of(b.1));
        let tied = own.chunk_by_mut(is_tied).chain(apart.chunk_by_mut(by_rank));
        for tied in tied.filter(|tied| tied.len() > 1) {
            tied.sort_by(|a, b| compared(a.1, b.1));
        }
        let order: Vec<u32> = order.into_iter().map(|(_, id)| id).collect();
        let (places, calendar_names) = (places_of(&order), names.is_some());
        Members { members, labels, places, blank, calendar_names, by_label }
    }

    pub(crate) const fn none() -> Members {
        Members {
            members: CodedMembers::Members(Vec::new()),
            labels: Labels { text: String::new(), blocks: Vec::new(), ends: Vec::new() },
            places: Vec::new(),
            blank: None,
            calendar_names: false,
            by_label: OnceLock::new(),
        }
    }

    /// How many members there are.
    pub fn len(&self) -> usize {
        self.members.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.members.len() == 0
    }

    /// The member itself.
    pub fn member(&self, id: MemberId) -> Cow<'_, Member> {
        self.members.get(id.0).unwrap_or(Cow::Owned(Member::Blank))
    }

    /// The member's label; empty for the blank member.
    pub fn label(&self, id: MemberId) -> &str {
        self.labels.get(id.index())
    }

    /// Whether this is the member of the lines that hold nothing in this dimension.
    pub fn is_blank(&self, id: MemberId) -> bool {
        self.blank == Some(id)
    }

    /// The member of the lines that hold nothing in this dimension, if there are any.
    pub(crate) fn has_made(&self) -> bool {
        self.members.has_made()
    }

    /// How many digits stand after the point of exact numbers that all have as many; `None` where some member is of another
    /// kind, or all are blank.
    pub(crate) fn scale_of_numbers(&self) -> Option<u8> {
        let (digits, scale, blank) = self.members.numbers()?;
        (digits.len() > blank.iter().len()).then_some(scale)
    }

    /// A member that is an exact number, where all but the blank one are such and have as many digits after the point.
    pub(crate) fn exact(&self, id: MemberId) -> Option<Decimal> {
        let (digits, scale, _) = self.members.numbers()?;
        let digits = digits.get(id.index()).filter(|_| self.blank != Some(id))?;
        Some(Decimal::new((*digits).into(), scale))
    }

    pub(crate) fn blank(&self) -> Option<MemberId> {
        self.blank
    }

    /// Whether the members are months or weekdays by name, and stand in calendar order for that.
    pub fn are_calendar_names(&self) -> bool {
        self.calendar_names
    }

    /// Every member with its id, in natural order: the calendar's for dates and for names of
    /// months and weekdays, numbers by size, texts by label whatever their letter case, and the
    /// blank member last.
    pub fn in_order(&self) -> impl Iterator<Item = MemberId> {
        let mut order = vec![MemberId(0); self.members.len()];
        self.places.iter().zip(0..).for_each(|(place, id)| order[*place as usize] = MemberId(id));
        order.into_iter()
    }

    /// The same members with one more, and its id; the id that it has where it is there already.
    pub(crate) fn with(&self, member: Member) -> (Members, MemberId) {
        if let Some(place) = self.members.position(|known| *known == member) {
            return (self.clone(), MemberId(place));
        }
        let mut members = self.members.clone();
        members.members().push(member);
        (Members::by_threads(members, 1), MemberId(self.members.len() as u32))
    }

    /// The member of a label; not one that is made of members where another has the label too. The blank member
    /// is called `blank` where no other member is.
    pub(crate) fn find(&self, label: &str) -> Option<MemberId> {
        let found = self.labelled(label).first().copied();
        found.or_else(|| if label == BLANK { self.find("") } else { None })
    }

    /// All members of a label, those that are made of members last.
    pub(crate) fn labelled(&self, label: &str) -> Vec<MemberId> {
        let hash = |id: &u32| hash_text(self.labels.get(*id as usize).as_bytes());
        let by_label = self.by_label.get_or_init(|| {
            let mut table = HashTable::with_capacity(self.members.len());
            (0..self.members.len() as u32).for_each(|id| {
                table.insert_unique(hash(&id), id, hash);
            });
            table
        });
        let of_hash = by_label.iter_hash(hash_text(label.as_bytes())).copied();
        let mut all: Vec<u32> = of_hash.filter(|id| self.labels.get(*id as usize) == label).collect();
        all.sort_unstable_by_key(|id| (rank(&self.member(MemberId(*id))) > 1, *id));
        all.into_iter().map(MemberId).collect()
    }

    /// The member that gathers others under a label.
    pub(crate) fn gathering(&self, label: &str) -> Option<MemberId> {
        let is_it = |member: &Member| matches!(member, Member::Others(known) if **known == *label);
        self.members.position(is_it).map(MemberId)
    }

    /// The member of a period.
    pub(crate) fn period(&self, period: Period) -> Option<MemberId> {
        let wanted = Member::Period(period);
        self.members.position(|known| *known == wanted).map(MemberId)
    }

    /// Every label.
    pub(crate) fn labels(&self) -> impl Iterator<Item = &str> {
        self.labels.iter()
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

/// A member with its key.
type Keyed = (u64, u32);

/// The members of the first rank by their keys, those of one key in no order yet, and how many these are; after them the
/// others by their ranks.
fn in_order_of_keys(members: &CodedMembers) -> (Vec<Keyed>, usize) {
    let of_rank =
        |wanted: fn(u8) -> bool| members.iter().zip(0u32..).filter(move |(member, _)| wanted(rank(member)));
    let mut order: Vec<Keyed> = Vec::with_capacity(members.len());
    let prefix = shared_prefix(members);
    let mut ranked = of_rank(|rank| rank == 0).peekable();
    let first = ranked.peek().map(|(member, _)| member.clone().into_owned());
    for (member, id) in ranked {
        let Some(key) = first.as_ref().and_then(|first| sort_key(first, &member, prefix)) else {
            // Members of several kinds are compared as they are.
            order.clear();
            order.extend(of_rank(|rank| rank == 0).map(|(_, id)| (0, id)));
            break;
        };
        order.push((key, id));
    }
    let first_rank = order.len();
    // Threads meet members in the order of the lines. Where that is their natural order, a stable sort only merges.
    order.sort_by_key(|(key, _)| *key);
    let mut apart: Vec<(u8, u32)> =
        of_rank(|rank| rank > 0).map(|(member, id)| (rank(&member), id)).collect();
    apart.sort_by_key(|(rank, _)| *rank);
    order.extend(apart.into_iter().map(|(_, id)| (0, id)));
    (order, first_rank)
}

/// Numbers lie close together where there are at most so many places for each.
const CLOSE: usize = 8;
/// The id of no member.
const NONE: u32 = u32::MAX;

/// Exact numbers in their order, and the blank one behind them. Those that lie close together, as numbers of orders do, are
/// each put where it belongs.
fn numbers_in_order(digits: &[i64], blank: Option<u32>) -> Vec<u32> {
    let own = || digits.iter().copied().zip(0u32..).filter(|(_, id)| blank != Some(*id));
    let ends = own().fold(None, |ends: Option<(i64, i64)>, (digits, _)| {
        let (low, high) = ends.unwrap_or((digits, digits));
        Some((low.min(digits), high.max(digits)))
    });
    let (low, high) = ends.unwrap_or_default();
    let mut order: Vec<u32> = match usize::try_from(high.abs_diff(low)) {
        Ok(last) if last < CLOSE * digits.len() => {
            let mut by_place = vec![NONE; last + 1];
            own().for_each(|(digits, id)| by_place[digits.abs_diff(low) as usize] = id);
            by_place.into_iter().filter(|id| *id != NONE).collect()
        }
        _ => {
            let mut sorted: Vec<(i64, u32)> = own().collect();
            sorted.sort_unstable();
            sorted.into_iter().map(|(_, id)| id).collect()
        }
    };
    order.extend(blank);
    order
}

/// The place of each id in an order.
fn places_of(order: &[u32]) -> Vec<u32> {
    let mut places = vec![0; order.len()];
    order.iter().zip(0..).for_each(|(id, place)| places[*id as usize] = place);
    places
}

/// What a member is sorted by beside others of the first one's kind: members of different keys stand in the order of
/// these. `None` for one of another kind. All texts have a prefix of so many bytes in common.
fn sort_key(first: &Member, member: &Member, prefix: usize) -> Option<u64> {
    match (first, member) {
        (Member::Text(_), Member::Text(text)) => Some(text_key(text, prefix)),
        (Member::Number(first), Member::Number(number)) if number.scale == first.scale => {
            let digits = number.digits.clamp(i64::MIN.into(), i64::MAX.into()) as i64;
            Some(key_of_digits(digits))
        }
        _ => None,
    }
}

fn key_of_digits(digits: i64) -> u64 {
    digits as u64 ^ (1 << 63)
}

/// How long the prefix is that all texts among members share, in bytes of lower case: names often begin with one word, which
/// is no use as a key.
fn shared_prefix(members: &CodedMembers) -> usize {
    let mut first: Option<Vec<u8>> = None;
    for member in members.iter() {
        let Member::Text(text) = &*member else { continue };
        let Some(first) = &mut first else {
            first = Some(text.to_lowercase().into_bytes());
            continue;
        };
        let shared =
            in_lower_case(text, |bytes| bytes.zip(first.iter()).take_while(|(a, b)| a == *b).count());
        first.truncate(shared);
        if shared == 0 {
            break;
        }
    }
    first.map_or(0, |first| first.len())
}

/// Eight bytes of a text in lower case, after so many, as a number.
fn text_key(text: &str, after: usize) -> u64 {
    let mut key = [0; 8];
    in_lower_case(text, |bytes| key.iter_mut().zip(bytes.skip(after)).for_each(|(to, byte)| *to = byte));
    u64::from_be_bytes(key)
}

/// Makes something of the bytes of a text in lower case.
fn in_lower_case<T>(text: &str, make: impl FnOnce(&mut dyn Iterator<Item = u8>) -> T) -> T {
    match text.is_ascii() {
        true => make(&mut text.bytes().map(|byte| byte.to_ascii_lowercase())),
        false => make(&mut text.to_lowercase().bytes()),
    }
}

/// The order of two texts in lower case.
fn ignoring_case(a: &str, b: &str) -> Ordering {
    if a.is_ascii() && b.is_ascii() {
        let [a, b] = [a, b].map(|text| text.bytes().map(|byte| byte.to_ascii_lowercase()));
        return a.cmp(b);
    }
    a.to_lowercase().cmp(&b.to_lowercase())
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
