//! The notices of a cross-tab, from its plan, its scan and its source.

use super::CrossTab;
use crate::lines::Unmatched;
use crate::model::{Notice, NoticeCode};

impl CrossTab {
    /// What a user should know of this run, notices for readers first. A notice of one view begins with the name
    /// of the view.
    pub fn notices(&self) -> Vec<Notice> {
        let mut all = self.own_notices();
        for (place, view) in self.views.iter().enumerate() {
            let name = format!("view {} ({})", place + 1, view.spec.form.name());
            for notice in view.crosstab.own_notices() {
                if !all.contains(&notice) {
                    all.push(notice.of(&name));
                }
            }
        }
        all
    }

    /// The same without the notices of views.
    pub fn own_notices(&self) -> Vec<Notice> {
        let (report, tally) = (&self.report, &self.tally);
        let mut all = Vec::new();
        let mut note = |code, text: String| all.push(Notice::reader(code, text));
        if let Some(condition) = self.condition.as_deref().filter(|_| report.excluded > 0) {
            let message = format!("{} excluded: {condition} is not true", lines(report.excluded));
            note(NoticeCode::LinesExcluded, message);
        }
        if self.is_empty() {
            note(NoticeCode::EmptyResult, "there is no line to show".into());
        }
        let counted = [
            (
                NoticeCode::ConditionBlank,
                report.undecided,
                "line",
                "among those excluded: the condition is blank",
            ),
            (NoticeCode::EmptyLines, tally.empty_lines, "line", "dropped because empty"),
            (NoticeCode::BadValues, tally.blanked, "value", "taken as blank: not of the column's kind"),
            (NoticeCode::NotFinite, report.not_finite, "value", "taken as blank: NaN or infinite"),
            (NoticeCode::ZeroDivision, report.zero_divisions, "line", "blank because of a division by zero"),
            (NoticeCode::ZeroDivision, report.zero_cells, "cell", "blank because of a division by zero"),
        ];
        for (code, count, what, why) in counted.into_iter().filter(|(_, count, ..)| *count > 0) {
            note(code, format!("{} {why}", counted_as(count, what)));
        }
        for unmatched in &tally.unmatched {
            let Unmatched { table, lines: count, keys, examples } = unmatched;
            let more = if *keys > examples.len() as u64 { ", …" } else { "" };
            let message =
                format!("{} found no partner in {table}: {}{more}", lines(*count), examples.join(", "));
            note(NoticeCode::Unmatched, message);
        }
        for (dimension, count) in &report.blank_members {
            let mut dimensions = self.rows.dimensions().iter().chain(self.columns.dimensions());
            let label = dimensions.find(|d| d.name == *dimension).map_or(dimension, |d| &d.label);
            note(NoticeCode::BlankMembers, format!("{} with no {label}", lines(*count)));
        }
        if let Some(line) = &tally.total_line {
            let message =
                format!("the last line looks like a total of the others: {line}; it counts as a line");
            note(NoticeCode::TotalLine, message);
        }
        let (shown, kept): (Vec<&Notice>, Vec<&Notice>) =
            self.picked.iter().partition(|picked| picked.code() == NoticeCode::MembersNotShown);
        all.extend(shown.into_iter().cloned());
        for place in (0..self.measures.len()).filter(|place| self.hides_figure(*place)) {
            let message =
                format!("figures of {} are hidden, and stand in no table", self.measures[place].name);
            all.push(Notice::author(NoticeCode::FiguresHidden, message));
        }
        all.extend(kept.into_iter().chain(&self.notices).cloned());
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
