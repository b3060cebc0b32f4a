//! Reports on a terminal.

use anstyle::Style;
use pivvel_core::text::Sentence;

use super::lines::lines_of;
use super::{Pen, TerminalOptions, clean};
use crate::appearance::Words;
use crate::report::{Report, ReportBranch, ReportPart, ReportStrip};

/// Draws a report: its title, and its parts one after the other.
///
/// ```
/// use pivvel::draw::{Report, ReportPart, TerminalOptions, report};
///
/// let of = Report::new("May", vec![ReportPart::Words(vec![(0, "Fell sold most".into())])]);
/// assert!(report(&of, &TerminalOptions::default()).contains("Fell sold most"));
/// ```
pub fn draw_report(report: &Report, options: &TerminalOptions) -> String {
    let mut pen = Pen::new(options);
    pen.line(&clean(&report.title), Style::new().bold());
    for part in &report.parts {
        match part {
            ReportPart::Heading(heading) => {
                pen.end();
                pen.line(&clean(heading), Style::new().bold());
            }
            ReportPart::Words(words) => words.iter().for_each(|(steps, words)| {
                pen.space(2 * steps);
                pen.line(&clean(words), Style::new());
            }),
            ReportPart::Tree(branches) => {
                branches.iter().for_each(|branch| draw_branch(&mut pen, branch, 1, &report.appearance.words))
            }
            ReportPart::Strip(strip) => draw_strip(&mut pen, strip),
            ReportPart::Table(table) => {
                pen.text.push_str(&lines_of(&table.columns, &table.rows, options, &report.appearance.words));
            }
        }
    }
    pen.text
}

/// A value, and under it what it is made of.
fn draw_branch(pen: &mut Pen, branch: &ReportBranch, steps: usize, words: &Words) {
    let ReportBranch { what, value, digits, note, parts } = branch;
    let digits = digits.as_ref().map(|digits| format!(" ({digits})")).unwrap_or_default();
    let sentence = Sentence::from("{what} is {value}").with("what", what);
    let sentence = words.say(sentence.with("value", format!("{value}{digits}")));
    let sentence = [Some(sentence), note.clone()].into_iter().flatten().collect::<Vec<_>>().join(", ");
    pen.space(2 * steps);
    pen.line(&clean(&sentence), Style::new());
    parts.iter().for_each(|part| draw_branch(pen, part, steps + 1, words));
}

/// How many places a line has.
const STRIP: usize = 41;

/// Values on a line: a dot for each place where some stand, a stroke for the mean, and the one that it is about.
fn draw_strip(pen: &mut Pen, strip: &ReportStrip) {
    let at = |place: f64| (place * (STRIP - 1) as f64).round() as usize;
    let mut line = ['─'; STRIP];
    strip.places.iter().for_each(|place| line[at(*place)] = '•');
    strip.mean.iter().for_each(|mean| line[at(*mean)] = '│');
    line[at(strip.own)] = '◆';
    pen.space(2);
    pen.line(
        &format!("{} {} {}", strip.ends[0], line.iter().collect::<String>(), strip.ends[1]),
        Style::new(),
    );
}
