//! Dates as people write them.

use std::collections::HashMap;

use chrono::{Datelike, Month, NaiveDate};

/// The order in which the parts of a date are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum DateOrder {
    /// `2025-01-31`, as ISO 8601 has it.
    YearFirst,
    /// `31/01/2025`
    DayFirst,
    /// `01/31/2025`
    MonthFirst,
    /// `31 Jan 2025` or `January 31, 2025`: the month by name.
    MonthByName,
}

impl DateOrder {
    pub(crate) const ALL: [DateOrder; 4] =
        [DateOrder::YearFirst, DateOrder::DayFirst, DateOrder::MonthFirst, DateOrder::MonthByName];
    /// The orders as flags and briefs name them.
    pub(crate) const NAMES: [&'static str; 4] = ["ymd", "dmy", "mdy", "named"];

    pub(crate) fn from_name(name: &str) -> Option<DateOrder> {
        let place = DateOrder::NAMES.iter().position(|known| *known == name)?;
        Some(DateOrder::ALL[place])
    }

    /// The order as flags and briefs name it.
    pub fn name(self) -> &'static str {
        DateOrder::NAMES[self as usize]
    }

    pub(crate) fn words(self) -> &'static str {
        match self {
            DateOrder::YearFirst => "year first",
            DateOrder::DayFirst => "day first",
            DateOrder::MonthFirst => "month first",
            DateOrder::MonthByName => "month by name",
        }
    }

    /// The forms of this order, those of four-digit years first.
    fn forms(self) -> (&'static [&'static str], &'static [&'static str]) {
        match self {
            DateOrder::YearFirst => {
                (&["%Y-%m-%d", "%Y/%m/%d", "%Y.%m.%d"], &["%y-%m-%d", "%y/%m/%d", "%y.%m.%d"])
            }
            DateOrder::DayFirst => {
                (&["%d/%m/%Y", "%d.%m.%Y", "%d-%m-%Y"], &["%d/%m/%y", "%d.%m.%y", "%d-%m-%y"])
            }
            DateOrder::MonthFirst => {
                (&["%m/%d/%Y", "%m.%d.%Y", "%m-%d-%Y"], &["%m/%d/%y", "%m.%d.%y", "%m-%d-%y"])
            }
            DateOrder::MonthByName => {
                (&["%d %B %Y", "%d-%B-%Y", "%B %d, %Y", "%B %d %Y", "%Y-%B-%d"], &["%d %B %y", "%d-%B-%y"])
            }
        }
    }
}

/// 1970-01-01, counted from the first day of the calendar.
const EPOCH: i32 = 719_163;

/// The day, counted from 1970-01-01, of a date written in this order. A time of day after it is
/// left out.
pub(crate) fn read_date(text: &str, order: DateOrder) -> Option<i32> {
    let text = without_time(text.trim());
    if !(6..=30).contains(&text.len()) || !text.bytes().any(|b| b.is_ascii_digit()) {
        return None;
    }
    let (long, short) = order.forms();
    // chrono reads the year 25 from a two-digit year, so the digits decide which forms are tried.
    let forms = match longest(text) {
        4 => long,
        1 | 2 => short,
        _ => return None,
    };
    let date = forms.iter().find_map(|form| NaiveDate::parse_from_str(text, form).ok())?;
    Some(date.num_days_from_ce() - EPOCH)
}

fn longest(text: &str) -> usize {
    text.split(|c: char| !c.is_ascii_digit()).map(str::len).max().unwrap_or(0)
}

/// Whether the year of a date has two digits: 69 to 99 are of the last century, 00 to 68 of this one.
pub(super) fn has_short_year(text: &str) -> bool {
    longest(without_time(text.trim())) < 4
}

/// Whether a text may be a date that begins with a letter. Most texts are not, and trying every form takes
/// long.
pub(super) fn begins_with_month(text: &str) -> bool {
    text.trim_start().get(..3).is_some_and(|name| name.parse::<Month>().is_ok())
}

fn without_time(text: &str) -> &str {
    let is_time = |rest: &str| {
        rest.contains(':')
            && rest.bytes().all(|b| b.is_ascii_digit() || matches!(b, b':' | b'.' | b'Z' | b'+' | b'-'))
    };
    match text.rsplit_once(['T', ' ']) {
        Some((date, time)) if is_time(time) => date.trim_end(),
        _ => text,
    }
}

/// A date as `2025-01-31`, the common case, quickly.
pub(super) fn iso(text: &[u8]) -> Option<i32> {
    let &[y0, y1, y2, y3, b'-', m0, m1, b'-', d0, d1] = text else { return None };
    let number = |digits: &[u8]| {
        digits.iter().try_fold(0u32, |number, byte| {
            let digit = byte.wrapping_sub(b'0');
            (digit < 10).then_some(number * 10 + u32::from(digit))
        })
    };
    let year = number(&[y0, y1, y2, y3])? as i32;
    let date = NaiveDate::from_ymd_opt(year, number(&[m0, m1])?, number(&[d0, d1])?)?;
    Some(date.num_days_from_ce() - EPOCH)
}

/// Reads the dates of one column. Dates repeat, so each spelling is read once.
#[derive(Debug)]
pub(crate) struct DateReader {
    order: DateOrder,
    known: HashMap<Box<str>, Option<i32>, foldhash::fast::RandomState>,
    /// Dates of ten characters, each in the one place where it can be: all of a column, as a rule.
    recent: Box<[Recent; PLACES]>,
}

/// The ten characters of a date, and its day.
#[derive(Debug, Clone, Copy, Default)]
struct Recent {
    head: u64,
    tail: u16,
    day: i32,
}

/// Spellings that are remembered: more days than a business has.
const REMEMBERED: usize = 100_000;
/// Places for the days of five years and more.
const PLACES_AS_BITS: u32 = 11;
const PLACES: usize = 1 << PLACES_AS_BITS;

impl DateReader {
    pub(crate) fn new(order: DateOrder) -> DateReader {
        let mut recent = Box::new([Recent::default(); PLACES]);
        // Nothing but zeros would be found in the first place, so that is taken by what belongs elsewhere.
        recent[0].head = 1;
        DateReader { order, known: HashMap::default(), recent }
    }

    /// The day of a date that is written in ten characters, as most are.
    #[inline]
    pub(crate) fn quick(&mut self, text: &[u8]) -> Option<i32> {
        let (head, tail) = <&[u8; 10]>::try_from(text).ok()?.split_first_chunk::<8>()?;
        let (head, tail) = (u64::from_le_bytes(*head), u16::from_le_bytes([tail[0], tail[1]]));
        let mixed = (head ^ u64::from(tail) << 21).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        let place = (mixed >> (u64::BITS - PLACES_AS_BITS)) as usize;
        let known = self.recent[place];
        if known.head == head && known.tail == tail {
            return Some(known.day);
        }
        self.read_ten(text, place, Recent { head, tail, day: 0 })
    }

    #[cold]
    fn read_ten(&mut self, text: &[u8], place: usize, new: Recent) -> Option<i32> {
        let own = iso(text).filter(|_| self.order == DateOrder::YearFirst);
        let day = own.or_else(|| self.read(std::str::from_utf8(text).ok()?))?;
        self.recent[place] = Recent { day, ..new };
        Some(day)
    }

    pub(crate) fn read(&mut self, text: &str) -> Option<i32> {
        if let Some(day) = self.known.get(text) {
            return *day;
        }
        let day = read_date(text, self.order);
        if self.known.len() < REMEMBERED {
            self.known.insert(text.into(), day);
        }
        day
    }
}
