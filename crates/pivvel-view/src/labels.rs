//! Members as they are read: blanks by name, periods by what is new under the period above.

use pivvel_core::result::{DatePart, MemberRef};

/// The label of the last member of a path. Under a longer period of the same calendar a period is
/// named by what is new in it: a quarter of 2025 is `Q1`.
pub(crate) fn label(path: &[MemberRef<'_>]) -> String {
    let Some(last) = path.last() else { return String::new() };
    if last.is_blank() && last.shown().is_empty() {
        return format!("no {}", last.dimension().label);
    }
    let full = last.label();
    if last.shown() != full {
        return last.shown().to_string();
    }
    let column =
        |member: &MemberRef<'_>| member.dimension().name.rsplit_once('.').map(|(base, _)| base.to_string());
    let above = path[..path.len() - 1].iter().rev().find(|above| {
        let running = [DatePart::Year, DatePart::Quarter, DatePart::Month];
        above.dimension().part.is_some_and(|part| running.contains(&part)) && column(above) == column(last)
    });
    let same_year = above.is_some_and(|above| full.get(..4) == above.label().get(..4));
    let short = match last.dimension().part {
        _ if !same_year => None,
        Some(DatePart::Quarter | DatePart::Week) => full.get(5..).map(str::to_string),
        Some(DatePart::Month) => month(full),
        Some(DatePart::Day) => month(full).zip(full.get(8..)).map(|(month, day)| format!("{day} {month}")),
        _ => None,
    };
    short.unwrap_or_else(|| full.to_string())
}

fn month(label: &str) -> Option<String> {
    let names = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
    let number: usize = label.get(5..7)?.parse().ok()?;
    names.get(number.checked_sub(1)?).map(|name| name.to_string())
}
