//! The report of the lines behind a cell.

use pivvel_core::drill::{LinesBehind, Tied, TiedAggregate, TiedPart};

use super::{Report, ReportPart, ReportTable, counted, exact};
use crate::terminal::LineColumn;

/// The lines behind a cell with what they add up to, as a report.
pub fn report_lines(
    wanted: &LinesBehind,
    tied: &Tied,
    columns: Vec<LineColumn>,
    rows: Vec<Vec<String>>,
) -> Report {
    let mut words = tell_lines(wanted, tied).into_iter();
    let title = words.next().map(|(_, title)| title).unwrap_or_default();
    let table = ReportTable { columns, rows, bars: None };
    Report { title, parts: vec![ReportPart::Words(words.collect()), ReportPart::Table(table)] }
}

/// What the lines behind a cell add up to, in sentences, each with how many steps it stands in.
pub fn tell_lines(wanted: &LinesBehind, tied: &Tied) -> Vec<(usize, String)> {
    let held = |part: &TiedPart| match part.lines == part.lines_of_cell {
        true => "as many as the cell has".to_string(),
        false => format!("and the cell has {}", part.lines_of_cell),
    };
    let mut first = format!("{} behind {}", counted(tied.lines), wanted.address);
    let only = tied.parts.len() == 1;
    match &tied.parts[..] {
        [part] => first += &format!(", {}", held(part)),
        _ => first += ", which is calculated from other cells",
    }
    if tied.given < tied.lines {
        first += &format!("; {} of them shown", tied.given);
    }
    let mut words = vec![(0, first)];
    for part in &tied.parts {
        if !only {
            words.push((1, format!("{}: {}, {}", part.address, counted(part.lines), held(part))));
        }
        for TiedAggregate { formula, of_lines, of_cell } in &part.aggregates {
            let sentence = match of_lines == of_cell {
                true => format!("{formula} over them is {}, as in the cell", exact(of_lines)),
                false => {
                    format!("{formula} over them is {}, and {} in the cell", exact(of_lines), exact(of_cell))
                }
            };
            words.push((if only { 1 } else { 2 }, sentence));
        }
    }
    words
}
