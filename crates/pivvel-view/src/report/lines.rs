//! The report of the lines behind a cell.

use pivvel_core::drill::{LinesBehind, Tied, TiedPart};
use pivvel_core::text::Sentence;

use super::{Report, ReportPart, ReportTable, counted, exact};
use crate::appearance::{Appearance, Words};
use crate::terminal::LineColumn;

/// The lines behind a cell with what they add up to, as a report.
pub(crate) fn report(
    (wanted, tied): (&LinesBehind, &Tied),
    columns: Vec<LineColumn>,
    rows: Vec<Vec<String>>,
    appearance: &Appearance,
) -> Report {
    let mut words = summary(wanted, tied, &appearance.words).into_iter();
    let title = words.next().map(|(_, title)| title).unwrap_or_default();
    let table = ReportTable { columns, rows, bars: Vec::new() };
    Report::of(title, vec![ReportPart::Words(words.collect()), ReportPart::Table(table)], appearance)
}

/// What the lines behind a cell add up to, in sentences, each with how many steps it stands in.
pub(crate) fn summary(wanted: &LinesBehind, tied: &Tied, words: &Words) -> Vec<(usize, String)> {
    let held = |part: &TiedPart| match part.lines() == part.lines_of_cell() {
        true => Sentence::from("as many as the cell has"),
        false => Sentence::from("and the cell has {number}").with("number", part.lines_of_cell().to_string()),
    };
    let only = tied.parts().len() == 1;
    let behind = match tied.parts() {
        [part] => Sentence::from("{lines} behind {cell}, {held}").with("held", held(part)),
        _ => Sentence::from("{lines} behind {cell}, which is calculated from other cells"),
    };
    let mut first = behind.with("lines", counted(tied.lines())).with("cell", wanted.address().to_string());
    if tied.given() < tied.lines() {
        let some = Sentence::from("{sentence}; {number} of them shown").with("sentence", first);
        first = some.with("number", tied.given().to_string());
    }
    let mut sentences = vec![(0, words.say(first))];
    for part in tied.parts() {
        if !only {
            let lines = words.say(counted(part.lines()));
            sentences.push((1, format!("{}: {lines}, {}", part.address(), words.say(held(part)))));
        }
        // Of no lines there is nothing to add up.
        let aggregates = part.aggregates().iter().filter(|_| part.lines().max(part.lines_of_cell()) > 0);
        for aggregate in aggregates {
            let (of_lines, of_cell) = (aggregate.of_lines(), aggregate.of_cell());
            let sentence = match of_lines == of_cell {
                true => Sentence::from("{formula} over them is {value}, as in the cell"),
                false => Sentence::from("{formula} over them is {value}, and {other} in the cell")
                    .with("other", exact(of_cell, words)),
            };
            let sentence =
                sentence.with("formula", aggregate.formula()).with("value", exact(of_lines, words));
            sentences.push((if only { 1 } else { 2 }, words.say(sentence)));
        }
    }
    sentences
}
