//! Periods away by the calendar, against a calendar that counts by itself.

use std::collections::BTreeMap;

use chrono::{Datelike, Days, Months, NaiveDate};
use pivvel::source::{ReadOptions, TextSource};
use pivvel::table::tidy;
use pivvel::{Brief, CrossTab};
use proptest::prelude::*;

/// A cross-tab over days, with one line for each.
fn build(days: &[NaiveDate], rows: &[&str], measures: &[&str]) -> CrossTab {
    let mut lines = String::from("sold_on,v\n");
    days.iter().enumerate().for_each(|(i, day)| lines += &format!("{day},{}\n", i + 1));
    let options = ReadOptions::default().kinds([("sold_on".into(), "date(ymd)".into())]);
    let mut source =
        TextSource::from_reader("days", std::io::Cursor::new(lines.into_bytes()), &options).unwrap();
    let brief = Brief::new().rows(rows.iter().copied()).measure(("v", "sum(v)"));
    let brief = measures.iter().fold(brief, |brief, formula| brief.measure((*formula, *formula)));
    CrossTab::build(&brief, &mut source).unwrap()
}

/// Values by path and measure, as text; nothing for a blank.
fn values(crosstab: &CrossTab) -> BTreeMap<(Vec<String>, String), String> {
    let one = |row: pivvel::table::TidyRow<'_>| {
        let path = row.members().into_iter().flatten().map(str::to_string).collect();
        ((path, row.measure().to_string()), row.value().map_or(String::new(), |v| v.to_string()))
    };
    tidy(crosstab).map(one).collect()
}

fn any_days() -> impl Strategy<Value = Vec<NaiveDate>> {
    let first = NaiveDate::from_ymd_opt(2023, 11, 20).unwrap();
    proptest::collection::vec((0..860u64).prop_map(move |n| first + Days::new(n)), 1..60)
}

fn quarter(day: NaiveDate) -> String {
    format!("{}-Q{}", day.year(), day.month0() / 3 + 1)
}

fn week(day: NaiveDate) -> String {
    format!("{}-W{:02}", day.iso_week().year(), day.iso_week().week())
}

/// The day moved by months, where that month has one of its number.
fn moved(day: NaiveDate, months: i32) -> Option<NaiveDate> {
    let by = Months::new(months.unsigned_abs());
    let there = if months < 0 { day.checked_sub_months(by) } else { day.checked_add_months(by) }?;
    (there.day() == day.day()).then_some(there)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn days_move_by_months_and_days(days in any_days()) {
        let shifts: [(&str, i32); 5] = [
            ("v at previous month", -1), ("v at next quarter", 3), ("v at previous quarter", -3),
            ("v at same month previous year", -12), ("v at next year", 12),
        ];
        let names: Vec<&str> = shifts.iter().map(|(name, _)| *name).chain(["v at previous day", "v at same day previous year"]).collect();
        let found = values(&build(&days, &["sold_on.year", "sold_on.quarter", "sold_on.month", "sold_on"], &names));
        let path = |day: NaiveDate| vec![day.year().to_string(), quarter(day), day.format("%Y-%m").to_string(), day.to_string()];
        let of = |path: Option<Vec<String>>| path.and_then(|path| found.get(&(path, "v".into())).cloned()).unwrap_or_default();
        for day in &days {
            let at = |name: &str| found[&(path(*day), name.to_string())].clone();
            for (name, months) in shifts {
                prop_assert_eq!(at(name), of(moved(*day, months).map(path)), "{} of {}", name, day);
            }
            prop_assert_eq!(at("v at previous day"), of(day.pred_opt().map(path)));
            prop_assert_eq!(at("v at same day previous year"), of(moved(*day, -12).map(path)));
            // What is above a day moves by its own months, and not at all by what is finer.
            let month = path(*day)[..3].to_vec();
            let first = day.with_day(1).unwrap();
            let there = moved(first, -3).map(|there| path(there)[..3].to_vec());
            prop_assert_eq!(&found[&(month.clone(), "v at previous quarter".to_string())], &of(there));
            prop_assert_eq!(&found[&(month, "v at previous day".to_string())], "");
            let year = path(*day)[..1].to_vec();
            let there = vec![(day.year() + 1).to_string()];
            prop_assert_eq!(&found[&(year.clone(), "v at next year".to_string())], &of(Some(there)));
            prop_assert_eq!(&found[&(year, "v at previous month".to_string())], "");
        }
    }

    #[test]
    fn weeks_move_by_weeks_and_years(days in any_days()) {
        let names = ["v at previous week", "v at next week", "v at same week previous year"];
        let found = values(&build(&days, &["sold_on.week", "sold_on.weekday"], &names));
        let of = |path: Vec<String>| found.get(&(path, "v".into())).cloned().unwrap_or_default();
        for day in &days {
            let weekday = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"][day.weekday().num_days_from_monday() as usize];
            let number = day.iso_week();
            let year_ago = NaiveDate::from_isoywd_opt(number.year() - 1, number.week(), day.weekday());
            for under in [None, Some(weekday.to_string())] {
                let path = |there: NaiveDate| std::iter::once(week(there)).chain(under.clone()).collect::<Vec<_>>();
                let at = |name: &str| found[&(path(*day), name.to_string())].clone();
                prop_assert_eq!(at(names[0]), of(path(*day - Days::new(7))));
                prop_assert_eq!(at(names[1]), of(path(*day + Days::new(7))));
                // The 53rd week of a year has none the year before.
                prop_assert_eq!(at(names[2]), year_ago.map(|there| of(path(there))).unwrap_or_default());
            }
        }
    }

    /// Members of a date stand in the order of time, whatever the order of lines.
    #[test]
    fn periods_stand_in_the_order_of_time(days in any_days()) {
        for part in ["year", "quarter", "month", "week", "day"] {
            let dimension = format!("sold_on.{part}");
            let crosstab = build(&days, &[dimension.as_str()], &[]);
            let labels: Vec<String> = crosstab.rows().entries().iter()
                .flat_map(|entry| crosstab.rows().path(*entry)).map(|member| member.label().to_string()).collect();
            let label = |day: &NaiveDate| match part {
                "year" => day.year().to_string(),
                "quarter" => quarter(*day),
                "month" => day.format("%Y-%m").to_string(),
                "week" => week(*day),
                _ => day.to_string(),
            };
            let mut sorted = days.clone();
            sorted.sort_unstable();
            let mut expected: Vec<String> = sorted.iter().map(label).collect();
            expected.dedup();
            prop_assert_eq!(labels, expected);
        }
    }
}
