//! `pivvel lines`: the lines behind a cell, and what they add up to.

use std::fmt::Write;
use std::path::PathBuf;

use pivvel::{
    Address, Brief, Error, LineColumn, LineOrder, LinesBehind, LinesTarget, Result, TableOptions, Tied,
    TiedAggregate, TiedPart, Value, beside, draw_lines, is_number, open_source, open_yardsticks,
    rows_as_texts,
};

use crate::apply::{assume, names};
use crate::arguments::{Asked, Lines};
use crate::build::read_brief;
use crate::effort::watched;
use crate::screen;

/// Lines that are shown on a screen where nothing is said.
const SHOWN: usize = 400;

pub(crate) fn run(lines: &Lines) -> Result<()> {
    let (brief, address, path) = lines.asked.read()?;
    let target = lines.to.as_ref().map(LinesTarget::new).transpose()?;
    let mut wanted = LinesBehind {
        address,
        columns: lines.columns.as_deref().map(names).unwrap_or_default(),
        order: lines.sort.iter().map(|text| text.parse::<LineOrder>()).collect::<Result<_>>()?,
        limit: lines.limit,
        measure: lines.measure.clone(),
    };
    let mut source = open_source(&path, &brief, None)?;
    wanted.check(&brief, source.as_ref())?;
    let yardsticks = open_yardsticks(&brief)?;
    let run = lines.effort.run()?.yardsticks(&yardsticks);
    let trace = watched(source.progress(), || run.trace(&brief, source.as_mut()))?;
    // Again from the start: what is read once is no longer there.
    let mut source = open_source(&path, &brief, None)?;
    let Some(target) = target else {
        wanted.limit = wanted.limit.or(Some(SHOWN));
        if wanted.columns.is_empty() {
            // Where not all fit, those are seen first that the cell is made of.
            wanted.columns = trace.columns_first();
        }
        let mut rows = Vec::new();
        let columns: Vec<LineColumn> = trace
            .lines_schema(&wanted)?
            .fields()
            .iter()
            .map(|field| LineColumn { name: field.name().clone(), is_number: is_number(field) })
            .collect();
        let tied = watched(source.progress(), || {
            trace.lines(&wanted, source.as_mut(), &mut |batch| {
                rows.extend(rows_as_texts(&batch).map_err(|e| Error::io("lines", e))?);
                Ok(())
            })
        })?;
        let mut text = draw_lines(&columns, &rows, &screen::options(&lines.screen));
        let _ = write!(text, "\n{}", told(&wanted, &tied));
        screen::print(&text)?;
        return checked(&tied);
    };
    let options = TableOptions { inert: lines.inert };
    let tied = watched(source.progress(), || target.write(&trace, &wanted, source.as_mut(), options))?;
    if !target.is_standard_output() {
        eprintln!("wrote {}", target.path().display());
    }
    eprint!("{}", told(&wanted, &tied));
    checked(&tied)
}

impl Asked {
    /// The brief, the cell, and the lines, which must be there twice.
    pub(crate) fn read(&self) -> Result<(Brief, Address, PathBuf)> {
        let mut brief = read_brief(&self.brief)?;
        assume(&self.assume, &mut brief)?;
        let address = self.at.join(",").parse::<Address>()?;
        let beside = || brief.source.as_deref().map(|source| beside(&self.brief, source));
        let Some(path) = self.source.clone().or_else(beside) else {
            let message = "it names no lines: add source = \"lines.csv\" or say --source lines.csv";
            return Err(Error::request(self.brief.display().to_string(), message));
        };
        if path.as_os_str() == "-" {
            let message = "lines on standard input are read once, and are wanted twice; write them to a file and name that";
            return Err(Error::request("--source", message));
        }
        Ok((brief, address, path))
    }
}

/// What the lines add up to, in words.
fn told(wanted: &LinesBehind, tied: &Tied) -> String {
    let count = |lines: u64| if lines == 1 { "1 line".to_string() } else { format!("{lines} lines") };
    let held = |part: &TiedPart| match part.lines == part.lines_of_cell {
        true => "as many as the cell has".to_string(),
        false => format!("and the cell has {}", part.lines_of_cell),
    };
    let mut text = format!("{} behind {}", count(tied.lines), wanted.address);
    let indent = match &tied.parts[..] {
        [only] => {
            text += &format!(", {}", held(only));
            "  "
        }
        _ => {
            text += ", which is calculated from other cells";
            "    "
        }
    };
    if tied.given < tied.lines {
        text += &format!("; {} of them shown", tied.given);
    }
    text.push('\n');
    for part in &tied.parts {
        if tied.parts.len() != 1 {
            text += &format!("  {}: {}, {}\n", part.address, count(part.lines), held(part));
        }
        for TiedAggregate { formula, of_lines, of_cell } in &part.aggregates {
            let shown = |value: &Option<Value>| value.map_or("blank".into(), |value| value.to_string());
            text += &match of_lines == of_cell {
                true => format!("{indent}{formula} over them is {}, as in the cell\n", shown(of_lines)),
                false => format!(
                    "{indent}{formula} over them is {}, and {} in the cell\n",
                    shown(of_lines),
                    shown(of_cell)
                ),
            };
        }
    }
    text
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
