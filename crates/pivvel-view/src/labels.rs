//! Members as they are read: blanks by name, periods by what is new under the period above.

use pivvel_core::result::{DatePart, Member, MemberRef};
use pivvel_core::text::Sentence;

use crate::appearance::Words;

/// The label of the last member of a path. Under a longer period of the same calendar a period is
/// named by what is new in it: a quarter of 2025 is `Q1`.
pub(crate) fn label(path: &[MemberRef<'_>], words: &Words) -> String {
    let Some(last) = path.last() else { return String::new() };
    if last.is_blank() && last.shown().is_empty() {
        return words.say(no_member(last.dimension().label()));
    }
    let full = last.label();
    if last.shown() != full {
        return last.shown().to_string();
    }
    let column =
        |member: &MemberRef<'_>| member.dimension().name().rsplit_once('.').map(|(base, _)| base.to_string());
    let above = path[..path.len() - 1].iter().rev().find(|above| {
        let running = [DatePart::Year, DatePart::Quarter, DatePart::Month];
        above.dimension().part().is_some_and(|part| running.contains(&part)) && column(above) == column(last)
    });
    let same_year = above.is_some_and(|above| full.get(..4) == above.label().get(..4));
    let short = match last.dimension().part() {
        _ if !same_year => None,
        Some(DatePart::Quarter | DatePart::Week) => full.get(5..).map(str::to_string),
        Some(DatePart::Month) => month(full, words),
        Some(DatePart::Day) => month(full, words).zip(full.get(8..)).map(|(month, day)| {
            words.say(Sentence::from("{day} {month}").with("day", day).with("month", month))
        }),
        _ => None,
    };
    let named = match &*last.member() {
        // Their labels are words of the calendar, not of the data.
        Member::Period(period) => match period.part() {
            DatePart::MonthOfYear => words.of_calendar(full),
            DatePart::Weekday => words.of_calendar(full),
            _ => None,
        },
        _ => None,
    };
    let short = short.or(named);
    short.unwrap_or_else(|| full.to_string())
}

/// The blank member of a dimension.
pub(crate) fn no_member(dimension: &str) -> Sentence {
    Sentence::from("no {dimension}").with("dimension", dimension)
}

fn month(label: &str, words: &Words) -> Option<String> {
    let names = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let number: usize = label.get(5..7)?.parse().ok()?;
    names.get(number.checked_sub(1)?).map(|name| words.say(*name))
}
