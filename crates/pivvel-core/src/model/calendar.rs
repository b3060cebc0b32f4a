//! Parts of dates, and days as texts. Days are counted from 1970-01-01.

use std::fmt;
use std::str::FromStr;

use chrono::{Datelike, NaiveDate};

use crate::named::{NoName, by_name};

/// The part of a date that a dimension is made of.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::DatePart;
///
/// assert_eq!("quarter".parse(), Ok(DatePart::Quarter));
/// // Quarters follow each other; quarters of a year come again.
/// assert!(!DatePart::Quarter.is_cyclic() && DatePart::QuarterOfYear.is_cyclic());
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DatePart {
    /// A year of the calendar: `2025`.
    Year,
    /// A quarter of one year: `2025-Q1`.
    Quarter,
    /// A month of one year: `2025-01`.
    Month,
    /// An ISO 8601 week, which begins on a Monday: `2025-W03`.
    Week,
    /// A day: `2025-01-31`.
    Day,
    /// The quarter whatever the year: `Q1` to `Q4`.
    QuarterOfYear,
    /// The month whatever the year: `January` to `December`.
    MonthOfYear,
    /// The day of the week: `Monday` to `Sunday`.
    Weekday,
}

/// The months in calendar order.
pub(crate) const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// The days of the week, from Monday as ISO 8601 has it.
pub(crate) const WEEKDAYS: [&str; 7] =
    ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];

/// Day 1 of the proleptic Gregorian calendar is this many days before 1970-01-01.
const EPOCH: i32 = 719_163;

/// The name that formulas and briefs use.
impl fmt::Display for DatePart {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for DatePart {
    type Err = NoName;

    fn from_str(text: &str) -> Result<DatePart, NoName> {
        by_name("part of a date", text, DatePart::ALL.iter().map(|(part, name)| (*name, *part)))
    }
}

impl DatePart {
    /// Every part with the name that formulas and briefs use.
    pub const ALL: [(DatePart, &'static str); 8] = [
        (DatePart::Year, "year"),
        (DatePart::Quarter, "quarter"),
        (DatePart::Month, "month"),
        (DatePart::Week, "week"),
        (DatePart::Day, "day"),
        (DatePart::QuarterOfYear, "quarter_of_year"),
        (DatePart::MonthOfYear, "month_of_year"),
        (DatePart::Weekday, "weekday"),
    ];

    /// The name that formulas and briefs use.
    pub fn name(self) -> &'static str {
        DatePart::ALL.iter().find(|(part, _)| *part == self).map_or("", |(_, name)| name)
    }

    /// Whether its periods come round again, as weekdays do.
    pub fn is_cyclic(self) -> bool {
        matches!(self, DatePart::QuarterOfYear | DatePart::MonthOfYear | DatePart::Weekday)
    }

    /// How fine a running period is: the finer, the higher.
    pub(crate) fn fineness(self) -> u8 {
        match self {
            DatePart::Year => 0,
            DatePart::Quarter => 1,
            DatePart::Month => 2,
            DatePart::Week => 3,
            _ => 4,
        }
    }

    /// How many months it lasts, where it lasts whole months.
    pub(super) fn months(self) -> Option<i32> {
        match self {
            DatePart::Year => Some(12),
            DatePart::Quarter => Some(3),
            DatePart::Month => Some(1),
            _ => None,
        }
    }

    /// The number of the period that a day (counted from 1970-01-01) falls into. `None` for days that no
    /// calendar has: a quarter of a million years from now.
    pub(crate) fn number(self, day: i32) -> Option<i32> {
        let date = date(day)?;
        Some(match self {
            DatePart::Year => date.year(),
            DatePart::Quarter => date.year() * 4 + date.month0() as i32 / 3,
            DatePart::Month => date.year() * 12 + date.month0() as i32,
            // 1970-01-01 was a Thursday.
            DatePart::Week => (day.checked_add(3)?).div_euclid(7),
            DatePart::Day => day,
            DatePart::QuarterOfYear => date.month0() as i32 / 3 + 1,
            DatePart::MonthOfYear => date.month0() as i32,
            DatePart::Weekday => date.weekday().num_days_from_monday() as i32,
        })
    }

    /// A label of this part, for messages.
    pub(crate) fn example(self) -> &'static str {
        match self {
            DatePart::Year => "2025",
            DatePart::Quarter => "2025-Q1",
            DatePart::Month => "2025-01",
            DatePart::Week => "2025-W03",
            DatePart::Day => "2025-01-31",
            DatePart::QuarterOfYear => "Q1",
            DatePart::MonthOfYear => "January",
            DatePart::Weekday => "Monday",
        }
    }
}

pub(super) fn day_of(date: NaiveDate) -> Option<i32> {
    date.num_days_from_ce().checked_sub(EPOCH)
}

pub(super) fn date(day: i32) -> Option<NaiveDate> {
    NaiveDate::from_num_days_from_ce_opt(day.checked_add(EPOCH)?)
}

/// A day, counted from 1970-01-01, in ISO form.
pub(crate) fn date_text(day: i32) -> String {
    date(day).map_or_else(String::new, |date| date.format("%Y-%m-%d").to_string())
}

/// The day, counted from 1970-01-01, of a date in ISO form.
pub(crate) fn date_from_text(text: &str) -> Option<i32> {
    let date = NaiveDate::parse_from_str(text, "%Y-%m-%d").ok()?;
    Some(date.num_days_from_ce() - EPOCH)
}

/// Where a label that names a month or a weekday, in full or by its first three letters, stands
/// in the calendar.
pub(crate) fn calendar_place(names: &[&str], label: &str) -> Option<usize> {
    let label = label.trim().trim_end_matches('.').to_lowercase();
    names.iter().position(|name| {
        let name = name.to_lowercase();
        label == name || label.len() >= 3 && label.len() <= 4 && name.starts_with(&label)
    })
}
