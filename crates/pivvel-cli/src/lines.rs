//! `pivvel lines`: the lines behind a cell, and what they add up to.

use std::fmt::Write;
use std::path::PathBuf;

use pivvel::draw::Appearance;
use pivvel::drill::{Address, LineOrder, LinesBehind, Tied, line_columns, read_lines};
use pivvel::result::open_yardsticks;
use pivvel::source::open_source;
use pivvel::table::{TableOptions, check_outputs};
use pivvel::{Brief, Error, Result, draw};

use crate::arguments::{CellTarget, Lines};
use crate::briefs::inputs;
use crate::effort::watched;
use crate::messages::print_message;
use crate::outputs::report_targets;
use crate::screen;
use crate::texts::names;

/// Lines that a screen shows by default.
const SHOWN: usize = 400;

pub(crate) fn run(lines: &Lines) -> Result<()> {
    let (brief, address, path) = lines.target.read()?;
    let appearance = screen::appearance(&lines.drawing, Some(&brief))?;
    let targets = report_targets(&lines.to, &lines.form, &appearance)?;
    let order = lines.sort.iter().map(|text| text.parse::<LineOrder>()).collect::<Result<Vec<_>>>()?;
    let columns = lines.columns.as_deref().map(names).unwrap_or_default();
    let mut wanted = LinesBehind::of(address).columns(columns).order(order).limit(lines.limit);
    if let Some(measure) = &lines.measure {
        wanted = wanted.measure(measure);
    }
    check_outputs(&inputs(&lines.target.brief, &brief, &path), &lines.to)?;
    let reading = lines.effort.reading(lines.target.lines.delimiter.delimiter)?;
    let mut source = open_source(&path, &brief, &reading)?;
    wanted.check(&brief, source.as_ref())?;
    let yardsticks = open_yardsticks(&brief)?;
    let builder = lines.effort.build()?.yardsticks(&yardsticks);
    let trace = watched(source.progress(), || builder.trace(&brief, source.as_mut()))?;
    if targets.is_empty() {
        // Where not all columns fit, those are seen first that the cell is made of.
        wanted = wanted.or_limit(SHOWN).or_columns(|| trace.columns_first());
        let schema = trace.lines_schema(&wanted, source.as_mut())?;
        let columns = line_columns(&schema);
        let (tied, rows) = watched(source.progress(), || read_lines(&trace, &wanted, source.as_mut()))?;
        let mut text = draw::lines(&columns, &rows, &screen::options(&lines.drawing));
        let _ = write!(text, "\n{}", summary(&appearance, &wanted, &tied));
        screen::print(&text)?;
        return checked(&tied);
    }
    let options = TableOptions::default().inert(lines.inert);
    for (number, target) in targets.iter().enumerate() {
        let tied =
            watched(source.progress(), || target.write_lines(&trace, &wanted, source.as_mut(), options))?;
        if !target.is_standard_output() {
            print_message(&format!("wrote {}", target.path().display()));
        }
        if number == 0 {
            print_message(summary(&appearance, &wanted, &tied).trim_end());
        }
        checked(&tied)?;
    }
    Ok(())
}

impl CellTarget {
    /// The brief, the cell, and the lines, which must be there twice.
    pub(crate) fn read(&self) -> Result<(Brief, Address, PathBuf)> {
        let (brief, path) = self.lines.of(&self.brief)?;
        let address = self.at.join(",").parse::<Address>()?;
        if path.as_os_str() == "-" {
            let message = "lines on standard input are read once, and are wanted twice; write them to a file and name that";
            return Err(Error::request("--source", message));
        }
        Ok((brief, address, path))
    }
}

/// What the lines add up to, in words.
fn summary(appearance: &Appearance, wanted: &LinesBehind, tied: &Tied) -> String {
    let words = appearance.lines_summary(wanted, tied);
    words.iter().map(|(steps, words)| format!("{}{words}\n", "  ".repeat(*steps))).collect()
}

/// Lines that do not add up are not to be used.
fn checked(tied: &Tied) -> Result<()> {
    match tied.holds() {
        true => Ok(()),
        false => {
            Err(Error::data("lines", "they do not add up to the cell: they changed while they were read"))
        }
    }
}
