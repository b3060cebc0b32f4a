//! The notices of a cross-tab, from its plan, its scan and its source.

use super::CrossTab;
use crate::grouping::ScanReport;
use crate::lines::{Tally, Unmatched};
use crate::model::{Notice, NoticeCode, Sentence};

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
        let mut note = |code, sentence: Sentence| all.push(Notice::reader(code, sentence));
        if let Some(condition) = self.condition.as_deref().filter(|_| report.excluded > 0) {
            let excluded = Sentence::counted(
                report.excluded,
                "{count} line excluded: {condition} is not true",
                "{count} lines excluded: {condition} is not true",
            );
            note(NoticeCode::LinesExcluded, excluded.with("condition", condition));
        }
        if self.is_empty() {
            note(NoticeCode::EmptyResult, "there is no line to show".into());
        }
        for (code, count, one, others) in
            counts(report, tally).into_iter().filter(|(_, count, ..)| *count > 0)
        {
            note(code, Sentence::counted(count, one, others));
        }
        tally.unmatched.iter().for_each(|unmatched| note(NoticeCode::Unmatched, without_partner(unmatched)));
        for (dimension, count) in &report.blank_members {
            let mut dimensions = self.rows.dimensions().iter().chain(self.columns.dimensions());
            let label = dimensions.find(|d| d.name == *dimension).map_or(dimension, |d| &d.label);
            let without = Sentence::counted(
                *count,
                "{count} line with no {dimension}",
                "{count} lines with no {dimension}",
            );
            note(NoticeCode::BlankMembers, without.with("dimension", label));
        }
        if let Some(line) = &tally.total_line {
            let sentence =
                Sentence::from("the last line looks like a total of the others: {line}; it counts as a line");
            note(NoticeCode::TotalLine, sentence.with("line", line));
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

/// What is counted of lines, values and cells, with its sentence for one and for several.
fn counts(report: &ScanReport, tally: &Tally) -> [(NoticeCode, u64, &'static str, &'static str); 6] {
    [
        (
            NoticeCode::ConditionBlank,
            report.undecided,
            "{count} line among those excluded: the condition is blank",
            "{count} lines among those excluded: the condition is blank",
        ),
        (
            NoticeCode::EmptyLines,
            tally.empty_lines,
            "{count} line dropped because empty",
            "{count} lines dropped because empty",
        ),
        (
            NoticeCode::BadValues,
            tally.blanked,
            "{count} value taken as blank: not of the column's kind",
            "{count} values taken as blank: not of the column's kind",
        ),
        (
            NoticeCode::NotFinite,
            report.not_finite,
            "{count} value taken as blank: NaN or infinite",
            "{count} values taken as blank: NaN or infinite",
        ),
        (
            NoticeCode::ZeroDivision,
            report.zero_divisions,
            "{count} line blank because of a division by zero",
            "{count} lines blank because of a division by zero",
        ),
        (
            NoticeCode::ZeroDivision,
            report.zero_cells,
            "{count} cell blank because of a division by zero",
            "{count} cells blank because of a division by zero",
        ),
    ]
}

fn without_partner(unmatched: &Unmatched) -> Sentence {
    let Unmatched { table, lines, keys, examples } = unmatched;
    let more = if *keys > examples.len() as u64 { ", …" } else { "" };
    let keys = format!("{}{more}", examples.join(", "));
    let found = Sentence::counted(
        *lines,
        "{count} line found no partner in {table}: {keys}",
        "{count} lines found no partner in {table}: {keys}",
    );
    found.with("table", table).with("keys", keys)
}
