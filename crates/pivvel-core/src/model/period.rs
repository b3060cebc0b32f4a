//! Periods of the calendar. A period is a number that grows with the calendar, so order is never alphabetical; its label
//! follows ISO 8601.

use std::fmt;
use std::ops::RangeInclusive;
use std::str::FromStr;

use chrono::{Datelike, NaiveDate};

use super::DatePart;
use super::calendar::{MONTHS, WEEKDAYS, calendar_place, date, date_from_text, date_text, day_of};

/// A year, a quarter, a day, or another part of the calendar: `2025`, `2025-Q1`, `2025-01`, `2025-W03`, `2025-01-31`,
/// and whatever the year `Q1`, `January`, `Monday`. Periods of one part are ordered as in the calendar.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::result::{DatePart, Period};
///
/// let quarter: Period = "2025-Q1".parse()?;
/// assert_eq!(quarter.part(), DatePart::Quarter);
/// assert_eq!(quarter.to_string(), "2025-Q1");
/// assert!(quarter < "2025-Q2".parse()?);
/// # Ok::<(), pivvel::result::NoPeriod>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Period {
    part: DatePart,
    number: i32,
}

impl Period {
    /// A part of the calendar by its number: years from year 0, quarters, months and weeks one after the other, days
    /// from 1970-01-01; quarters from 1, months and weekdays from 0 where they come round again.
    pub(crate) fn new(part: DatePart, number: i32) -> Period {
        Period { part, number }
    }

    /// The period that a day (counted from 1970-01-01) falls into. `None` for days that no calendar has.
    pub(crate) fn of(part: DatePart, day: i32) -> Option<Period> {
        Some(Period { part, number: part.number(day)? })
    }

    /// Which part of the calendar it is.
    pub fn part(self) -> DatePart {
        self.part
    }

    /// Its number, which grows with the calendar.
    pub(crate) fn number(self) -> i32 {
        self.number
    }

    /// The first day of a running period.
    pub(crate) fn first_day(self) -> Option<i32> {
        let month = |months: i32| {
            day_of(NaiveDate::from_ymd_opt(months.div_euclid(12), months.rem_euclid(12) as u32 + 1, 1)?)
        };
        match self.part {
            DatePart::Year => month(self.number.checked_mul(12)?),
            DatePart::Quarter => month(self.number.checked_mul(3)?),
            DatePart::Month => month(self.number),
            DatePart::Week => self.number.checked_mul(7)?.checked_sub(3),
            DatePart::Day => Some(self.number),
            DatePart::QuarterOfYear | DatePart::MonthOfYear | DatePart::Weekday => None,
        }
    }

    /// The days of a running period, from the first to the last; `None` for one that comes round again, as a weekday.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::result::Period;
    ///
    /// let quarter: Period = "2025-Q1".parse()?;
    /// assert_eq!(quarter.days().unwrap().end().to_string(), "2025-03-31");
    /// # Ok::<(), pivvel::result::NoPeriod>(())
    /// ```
    pub fn days(self) -> Option<RangeInclusive<NaiveDate>> {
        let (first, last) = self.ends()?;
        Some(date(first)?..=date(last)?)
    }

    /// The first and the last day of a running period.
    pub(crate) fn ends(self) -> Option<(i32, i32)> {
        let next = Period { number: self.number.checked_add(1)?, ..self };
        Some((self.first_day()?, next.first_day()?.checked_sub(1)?))
    }

    /// The first and the last of the days around one that are in its period, whether that comes round again or not.
    pub(crate) fn days_beside(part: DatePart, day: i32) -> Option<(i32, i32)> {
        let running = match part {
            DatePart::QuarterOfYear => DatePart::Quarter,
            DatePart::MonthOfYear => DatePart::Month,
            DatePart::Weekday => DatePart::Day,
            running => running,
        };
        Period::of(running, day)?.ends()
    }

    /// The period of the same part that is so many periods of another part away; `None` where there is
    /// none, as of 31 January a month later.
    pub(crate) fn shifted(self, by: i32, of: DatePart) -> Option<Period> {
        let Period { part, number } = self;
        let to = |number: i32| Some(Period { part, number });
        if part == of {
            return to(number.checked_add(by)?);
        }
        let months = of.months().map(|months| months * by);
        match (part, months) {
            (DatePart::Day, Some(months)) => {
                let day = date(number)?;
                let by = chrono::Months::new(months.unsigned_abs());
                let moved = if months < 0 { day.checked_sub_months(by) } else { day.checked_add_months(by) }?;
                (moved.day() == day.day()).then_some(())?;
                to(day_of(moved)?)
            }
            (DatePart::Day, None) if of == DatePart::Week => to(number.checked_add(7 * by)?),
            (DatePart::Week, Some(months)) if months % 12 == 0 => {
                let week = date(self.first_day()?)?.iso_week();
                week_of(week.year() + months / 12, week.week())
            }
            (_, Some(months)) => {
                let own = part.months()?;
                (months % own == 0).then_some(())?;
                to(number.checked_add(months / own)?)
            }
            _ => None,
        }
    }

    /// The period of one part that a label names.
    pub(crate) fn named(part: DatePart, label: &str) -> Option<Period> {
        let number = |text: &str, low: i32, high: i32| {
            text.parse::<i32>().ok().filter(|n| (low..=high).contains(n) && !text.starts_with('+'))
        };
        let pair = |mark: &str, high: i32| {
            let (year, rest) = label.split_once(mark)?;
            Some((number(year, 0, 9999)?, number(rest, 1, high)?))
        };
        let number = match part {
            DatePart::Year => number(label, 0, 9999),
            DatePart::Quarter => pair("-Q", 4).map(|(year, quarter)| year * 4 + quarter - 1),
            DatePart::Month => pair("-", 12).map(|(year, month)| year * 12 + month - 1),
            DatePart::Week => {
                let (year, week) = pair("-W", 53)?;
                return week_of(year, week as u32);
            }
            DatePart::Day => date_from_text(label),
            DatePart::QuarterOfYear => number(label.strip_prefix('Q')?, 1, 4),
            DatePart::MonthOfYear => calendar_place(&MONTHS, label).map(|place| place as i32),
            DatePart::Weekday => calendar_place(&WEEKDAYS, label).map(|place| place as i32),
        };
        Some(Period { part, number: number? })
    }
}

fn week_of(year: i32, week: u32) -> Option<Period> {
    let monday = NaiveDate::from_isoywd_opt(year, week, chrono::Weekday::Mon)?;
    Period::of(DatePart::Week, day_of(monday)?)
}

impl fmt::Display for Period {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let number = self.number;
        match self.part {
            DatePart::Year => write!(f, "{number:04}"),
            DatePart::Quarter => write!(f, "{:04}-Q{}", number.div_euclid(4), number.rem_euclid(4) + 1),
            DatePart::Month => write!(f, "{:04}-{:02}", number.div_euclid(12), number.rem_euclid(12) + 1),
            DatePart::Week => match self.first_day().and_then(date).map(|monday| monday.iso_week()) {
                Some(week) => write!(f, "{:04}-W{:02}", week.year(), week.week()),
                None => Ok(()),
            },
            DatePart::Day => f.write_str(&date_text(number)),
            DatePart::QuarterOfYear => write!(f, "Q{number}"),
            DatePart::MonthOfYear => f.write_str(MONTHS[number.rem_euclid(12) as usize]),
            DatePart::Weekday => f.write_str(WEEKDAYS[number.rem_euclid(7) as usize]),
        }
    }
}

/// Reads what `Display` writes; months and weekdays in any letter case and by their first three letters, too.
impl FromStr for Period {
    type Err = NoPeriod;

    fn from_str(label: &str) -> Result<Period, NoPeriod> {
        let named = |(part, _): &(DatePart, &str)| Period::named(*part, label);
        DatePart::ALL.iter().find_map(named).ok_or(NoPeriod)
    }
}

/// A text that names no period.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NoPeriod;

impl fmt::Display for NoPeriod {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("this is no year, quarter, month, week or day, as 2025, 2025-Q1, 2025-01, 2025-W03 and 2025-01-31 are")
    }
}

impl std::error::Error for NoPeriod {}

/// As its label.
impl serde::Serialize for Period {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// From its label.
impl<'de> serde::Deserialize<'de> for Period {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Period, D::Error> {
        std::borrow::Cow::<str>::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}
