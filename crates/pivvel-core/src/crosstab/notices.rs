//! What a user should know of a run, from all that met something on the way.

use super::CrossTab;
use crate::lines::Unmatched;
use crate::notice::{Notice, NoticeCode};

impl CrossTab {
    /// What a user should know: what was left out, blanked, misspelt, empty, mixed or not used, first what
    /// its readers should know. What is said of a view alone begins with the view.
    pub fn notices(&self) -> Vec<Notice> {
        let mut all = self.own_notices();
        for (place, view) in self.views.iter().enumerate() {
            let name = format!("view {} ({})", place + 1, view.said.form.name());
            for notice in view.crosstab.own_notices() {
                if !all.contains(&notice) {
                    all.push(notice.of(&name));
                }
            }
        }
        all
    }

    /// The same without those of views.
    pub fn own_notices(&self) -> Vec<Notice> {
        let (report, tally) = (&self.report, &self.tally);
        let mut all = Vec::new();
        let mut say = |code, text: String| all.push(Notice::reader(code, text));
        if let Some(condition) = self.condition.as_deref().filter(|_| report.excluded > 0) {
            let message = format!("{} left out by: {condition}", lines(report.excluded));
            say(NoticeCode::LinesExcluded, message);
        }
        if self.is_empty() {
            say(NoticeCode::EmptyResult, "there is no line to show".into());
        }
        let counted = [
            (
                NoticeCode::ConditionBlank,
                report.undecided,
                "line",
                "left out because the condition met a blank",
            ),
            (NoticeCode::EmptyLines, tally.empty_lines, "line", "dropped because empty"),
            (
                NoticeCode::BadValues,
                tally.blanked,
                "value",
                "taken as blank because of not fitting the column's kind",
            ),
            (
                NoticeCode::NotFinite,
                report.not_finite,
                "value",
                "taken as blank because of being no number or infinite",
            ),
            (NoticeCode::ZeroDivision, report.zero_divisions, "line", "blank because of a division by zero"),
        ];
        for (code, count, what, why) in counted.into_iter().filter(|(_, count, ..)| *count > 0) {
            say(code, format!("{} {why}", counted_as(count, what)));
        }
        for unmatched in &tally.unmatched {
            let Unmatched { table, lines: count, keys, examples } = unmatched;
            let more = if *keys > examples.len() as u64 { ", …" } else { "" };
            let message =
                format!("{} found no partner in {table}: {}{more}", lines(*count), examples.join(", "));
            say(NoticeCode::Unmatched, message);
        }
        for (dimension, count) in &report.blank_members {
            let mut dimensions = self.rows.dimensions().iter().chain(self.columns.dimensions());
            let label = dimensions.find(|d| d.name == *dimension).map_or(dimension, |d| &d.label);
            say(NoticeCode::BlankMembers, format!("{} with no {label}", lines(*count)));
        }
        if let Some(line) = &tally.total_line {
            let message =
                format!("the last line looks like a total of the others: {line}; it counts as a line");
            say(NoticeCode::TotalLine, message);
        }
        self.picked.iter().for_each(|picked| say(NoticeCode::MembersNotShown, picked.clone()));
        for place in (0..self.measures.len()).filter(|place| self.hides_figure(*place)) {
            let message =
                format!("figures of {} are hidden, and stand in no table", self.measures[place].name);
            all.push(Notice::author(NoticeCode::FiguresHidden, message));
        }
        all.extend(self.notices.iter().cloned());
        all
    }
}

fn lines(count: u64) -> String {
    counted_as(count, "line")
}

/// A count and what is counted.
fn counted_as(count: u64, what: &str) -> String {
    format!("{} {what}{}", with_thousands(count), if count == 1 { "" } else { "s" })
}

/// A count with marks between thousands.
pub(super) fn with_thousands(count: u64) -> String {
    let digits = count.to_string();
    let parts: Vec<&str> =
        digits.as_bytes().rchunks(3).rev().filter_map(|part| std::str::from_utf8(part).ok()).collect();
    parts.join(",")
}
