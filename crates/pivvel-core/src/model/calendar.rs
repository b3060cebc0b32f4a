//! Dates to periods. A period is a number that grows with the calendar, so order is never
//! alphabetical; its label follows ISO 8601.

use chrono::{Datelike, NaiveDate};

/// The part of a date that a dimension is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
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

    /// The part of this name.
    pub fn from_name(name: &str) -> Option<DatePart> {
        DatePart::ALL.iter().find(|(_, known)| *known == name).map(|(part, _)| *part)
    }

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

    /// The first day of a running period.
    pub(crate) fn first_day(self, period: i32) -> Option<i32> {
        let month = |months: i32| {
            day_of(NaiveDate::from_ymd_opt(months.div_euclid(12), months.rem_euclid(12) as u32 + 1, 1)?)
        };
        match self {
            DatePart::Year => month(period.checked_mul(12)?),
            DatePart::Quarter => month(period.checked_mul(3)?),
            DatePart::Month => month(period),
            DatePart::Week => period.checked_mul(7)?.checked_sub(3),
            DatePart::Day => Some(period),
            _ => None,
        }
    }

    /// The first and the last of the days around one that are in its period.
    pub(crate) fn days_beside(self, day: i32) -> Option<(i32, i32)> {
        let running = match self {
            DatePart::QuarterOfYear => DatePart::Quarter,
            DatePart::MonthOfYear => DatePart::Month,
            DatePart::Weekday => DatePart::Day,
            running => running,
        };
        let period = running.period(day)?;
        Some((running.first_day(period)?, running.first_day(period.checked_add(1)?)?.checked_sub(1)?))
    }

    /// How many months it lasts, where it lasts whole months.
    fn months(self) -> Option<i32> {
        match self {
            DatePart::Year => Some(12),
            DatePart::Quarter => Some(3),
            DatePart::Month => Some(1),
            _ => None,
        }
    }

    /// The period of this part that is so many periods of another part away; `None` where there is
    /// none, as of 31 January a month later.
    pub(crate) fn shifted(self, period: i32, by: i32, of: DatePart) -> Option<i32> {
        if self == of {
            return period.checked_add(by);
        }
        let months = of.months().map(|months| months * by);
        match (self, months) {
            (DatePart::Day, Some(months)) => {
                let day = date(period)?;
                let by = chrono::Months::new(months.unsigned_abs());
                let moved = if months < 0 { day.checked_sub_months(by) } else { day.checked_add_months(by) }?;
                (moved.day() == day.day()).then_some(())?;
                day_of(moved)
            }
            (DatePart::Day, None) if of == DatePart::Week => period.checked_add(7 * by),
            (DatePart::Week, Some(months)) if months % 12 == 0 => {
                let week = date(period.checked_mul(7)?.checked_sub(3)?)?.iso_week();
                let monday =
                    NaiveDate::from_isoywd_opt(week.year() + months / 12, week.week(), chrono::Weekday::Mon)?;
                DatePart::Week.period(day_of(monday)?)
            }
            (_, Some(months)) => {
                let own = self.months()?;
                (months % own == 0).then(|| period.checked_add(months / own))?
            }
            _ => None,
        }
    }

    /// The period that a day (counted from 1970-01-01) falls into. `None` for days that no
    /// calendar has: a quarter of a million years from now.
    pub(crate) fn period(self, day: i32) -> Option<i32> {
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

    /// The period of a label, as [`DatePart::label`] writes it.
    pub(crate) fn period_of(self, label: &str) -> Option<i32> {
        let number = |text: &str, low: i32, high: i32| {
            text.parse::<i32>().ok().filter(|n| (low..=high).contains(n) && !text.starts_with('+'))
        };
        let pair = |mark: &str, high: i32| {
            let (year, rest) = label.split_once(mark)?;
            Some((number(year, 0, 9999)?, number(rest, 1, high)?))
        };
        match self {
            DatePart::Year => number(label, 0, 9999),
            DatePart::Quarter => pair("-Q", 4).map(|(year, quarter)| year * 4 + quarter - 1),
            DatePart::Month => pair("-", 12).map(|(year, month)| year * 12 + month - 1),
            DatePart::Week => {
                let (year, week) = pair("-W", 53)?;
                let monday = NaiveDate::from_isoywd_opt(year, week as u32, chrono::Weekday::Mon)?;
                DatePart::Week.period(monday.num_days_from_ce() - EPOCH)
            }
            DatePart::Day => date_from_text(label),
            DatePart::QuarterOfYear => number(label.strip_prefix('Q')?, 1, 4),
            DatePart::MonthOfYear => calendar_place(&MONTHS, label).map(|place| place as i32),
            DatePart::Weekday => calendar_place(&WEEKDAYS, label).map(|place| place as i32),
        }
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

    /// The label of a period.
    pub(crate) fn label(self, period: i32) -> String {
        match self {
            DatePart::Year => format!("{period:04}"),
            DatePart::Quarter => format!("{:04}-Q{}", period.div_euclid(4), period.rem_euclid(4) + 1),
            DatePart::Month => format!("{:04}-{:02}", period.div_euclid(12), period.rem_euclid(12) + 1),
            DatePart::Week => match date(period * 7 - 3).map(|monday| monday.iso_week()) {
                Some(week) => format!("{:04}-W{:02}", week.year(), week.week()),
                None => String::new(),
            },
            DatePart::Day => date_text(period),
            DatePart::QuarterOfYear => format!("Q{period}"),
            DatePart::MonthOfYear => MONTHS[period.rem_euclid(12) as usize].into(),
            DatePart::Weekday => WEEKDAYS[period.rem_euclid(7) as usize].into(),
        }
    }
}

fn day_of(date: NaiveDate) -> Option<i32> {
    date.num_days_from_ce().checked_sub(EPOCH)
}

fn date(day: i32) -> Option<NaiveDate> {
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
