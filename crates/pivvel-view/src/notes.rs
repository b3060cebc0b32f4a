//! What stands under a cross-tab: what was read, left out, blank or odd.

use pivvel_core::{CrossTab, NumberFormat, Unmatched, Value};

use crate::number::show_number;

/// What a view has to say that the page's own cross-tab does not.
pub(crate) fn own_notes(view: &CrossTab, main: &CrossTab) -> Vec<String> {
    let said = notes(main);
    notes(view).into_iter().filter(|note| !said.contains(note)).collect()
}

pub(crate) fn notes(crosstab: &CrossTab) -> Vec<String> {
    let (report, tally) = (crosstab.report(), crosstab.tally());
    let mut notes = Vec::new();
    let mut first = format!("{} read from {}", lines(report.read), crosstab.source());
    if let Some(condition) = crosstab.condition() {
        first.push_str(&format!("; {} left out by: {condition}", lines(report.excluded)));
    }
    notes.push(first);
    if crosstab.is_empty() {
        notes.push("there is no line to show".into());
    }
    let counted = [
        (lines(report.undecided), report.undecided, "left out because the condition met a blank"),
        (lines(tally.empty_lines), tally.empty_lines, "dropped because empty"),
        (values(tally.blanked), tally.blanked, "taken as blank because of not fitting the column's kind"),
        (lines(report.zero_divisions), report.zero_divisions, "blank because of a division by zero"),
    ];
    notes.extend(
        counted.iter().filter(|(_, count, _)| *count > 0).map(|(what, _, why)| format!("{what} {why}")),
    );
    for unmatched in &tally.unmatched {
        let Unmatched { table, lines: count, keys, examples } = unmatched;
        let more = if *keys > examples.len() as u64 { ", …" } else { "" };
        notes.push(format!("{} found no partner in {table}: {}{more}", lines(*count), examples.join(", ")));
    }
    for (dimension, count) in &report.blank_members {
        let all = crosstab.rows().dimensions().iter().chain(crosstab.columns().dimensions());
        let label =
            all.filter(|d| d.name == *dimension).map(|d| d.label.as_str()).next().unwrap_or(dimension);
        notes.push(format!("{} with no {label}", lines(*count)));
    }
    notes.extend(crosstab.picked().iter().cloned());
    notes.extend(crosstab.warnings().iter().cloned());
    notes
}

fn lines(count: u64) -> String {
    if count == 1 { "1 line".into() } else { format!("{} lines", grouped(count)) }
}

fn values(count: u64) -> String {
    if count == 1 { "1 value".into() } else { format!("{} values", grouped(count)) }
}

fn grouped(count: u64) -> String {
    show_number(&Value::Exact { digits: count.into(), scale: 0 }, &NumberFormat::default())
}
