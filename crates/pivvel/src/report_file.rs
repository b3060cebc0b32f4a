//! Reports of a cell, of its lines and of changes, in files.

use std::io::{Error as IoError, Write};
use std::path::{Path, PathBuf};

use arrow_array::RecordBatch;
use arrow_schema::{FieldRef, Schema};
use pivvel_core::compare::Comparison;
use pivvel_core::drill::{LinesBehind, Story, Tied, Trace};
use pivvel_core::error::{Argument, ErrorPlace};
use pivvel_core::source::LineSource;
use pivvel_core::{Error, Result};
use pivvel_io::{TableForm, TableOptions, is_number, rows_as_texts, table_sink, write_whole};
use pivvel_view::{Appearance, ChangeFormats, LineColumn, draw_report_page};

use crate::drawings::{Drawing, unknown_form};
use crate::story_json::story_to_json;

/// So many lines stand on a page at most.
const LINES_OF_PAGE: usize = 2_000;

/// A file that lines, changes or a story are written to, in the form that its ending says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReportTarget {
    path: PathBuf,
    form: Form,
    appearance: Appearance,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    Page,
    Story,
    Table(TableForm),
}

impl ReportTarget {
    /// For lines or changes: a page, or a table in any form; `-` is CSV on standard output.
    ///
    /// # Errors
    /// An ending that stands for no form, or for one that this build does not write; a folder that is not
    /// there.
    ///
    /// ```
    /// use pivvel::drill::ReportTarget;
    /// assert!(ReportTarget::of_rows("june.csv").is_ok());
    /// let error = ReportTarget::of_rows("june.parket").unwrap_err();
    /// assert_eq!(error.to_string(), "file june.parket: unknown form \"parket\"; did you mean \"parquet\"?");
    /// ```
    pub fn of_rows(path: impl Into<PathBuf>) -> Result<ReportTarget> {
        let path = path.into();
        if path.as_os_str() == "-" {
            return ReportTarget::to_standard_output("csv");
        }
        let (page, tables) = (Drawing::usual_endings("page"), TableForm::usual_endings());
        let known = format!("the ending says the form: {page} for a page; {tables} for a table");
        let (place, ending) = ending(&path, &known)?;
        ReportTarget::of_ending(path, &place, &ending)
    }

    /// Lines or changes on standard output, in the form that an ending of file names stands for: `json`, `arrow`,
    /// `html` …
    ///
    /// # Errors
    /// An ending that stands for no form, or for one that this build does not write.
    pub fn to_standard_output(ending: &str) -> Result<ReportTarget> {
        ReportTarget::of_ending("-".into(), &ErrorPlace::of(Argument::Form, ending), &ending.to_lowercase())
    }

    fn of_ending(path: PathBuf, place: &ErrorPlace, ending: &str) -> Result<ReportTarget> {
        let form = match Drawing::is_page(ending) {
            true => Form::Page,
            false => {
                let known = Drawing::page_endings().chain(TableForm::endings());
                let form = TableForm::of_ending(ending);
                Form::Table(form.ok_or_else(|| unknown_form(place.clone(), "form", ending, known))?)
            }
        };
        if let Form::Table(table) = form {
            table.check(place)?;
        }
        Ok(ReportTarget { path, form, appearance: Appearance::new() })
    }

    /// For the story of one number: a page, or JSON; `-` is JSON on standard output.
    ///
    /// # Errors
    /// An ending that stands for no form; a folder that is not there.
    pub fn of_story(path: impl Into<PathBuf>) -> Result<ReportTarget> {
        let path = path.into();
        if path.as_os_str() == "-" {
            return Ok(ReportTarget { path, form: Form::Story, appearance: Appearance::new() });
        }
        let (place, ending) = ending(&path, "the ending says the form: .html for a page, .json for JSON")?;
        let form = match ending.as_str() {
            "json" => Form::Story,
            page if Drawing::is_page(page) => Form::Page,
            other => {
                let known = Drawing::page_endings().chain(["json"]);
                return Err(unknown_form(place, "form of a story", other, known));
            }
        };
        Ok(ReportTarget { path, form, appearance: Appearance::new() })
    }

    /// The same, whose pages have an appearance.
    pub fn appearance(self, appearance: Appearance) -> ReportTarget {
        ReportTarget { appearance, ..self }
    }

    /// The path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether it is standard output.
    pub fn is_standard_output(&self) -> bool {
        self.path.as_os_str() == "-"
    }

    /// Writes the lines behind a cell, and says what they add up to. An earlier file stands until the new
    /// one is whole. On a page there are 2,000 lines at most, and it says of how many.
    ///
    /// # Errors
    /// What [`Trace::lines`] and the file system find wrong.
    pub fn write_lines(
        &self,
        trace: &Trace,
        wanted: &LinesBehind,
        source: &mut dyn LineSource,
        options: TableOptions,
    ) -> Result<Tied> {
        let mut wanted = wanted.clone();
        if self.form == Form::Page {
            // Those first that the cell is made of.
            wanted = wanted.or_columns(|| trace.columns_first());
        }
        let schema = trace.lines_schema(&wanted, source)?;
        self.fill(|out| {
            let failed = |e: IoError| Error::io(self.place(), e);
            let Form::Table(form) = self.form else {
                let wanted = wanted.clone().at_most(LINES_OF_PAGE);
                let (tied, rows) = read_lines(trace, &wanted, source)?;
                let page =
                    draw_report_page(&self.appearance.lines(&wanted, &tied, line_columns(&schema), rows));
                out.write_all(page.as_bytes()).map_err(failed)?;
                return Ok(tied);
            };
            let mut sink = table_sink(form, &schema, out, options).map_err(failed)?;
            let tied = trace.lines(&wanted, source, &mut |batch| sink.write(&batch).map_err(failed))?;
            sink.finish().map_err(failed)?;
            Ok(tied)
        })
    }

    /// Writes every change of a comparison; on a page they are reported as `formats` says, under a title.
    ///
    /// # Errors
    /// What the file system finds wrong.
    pub fn write_changes(
        &self,
        comparison: &Comparison,
        (title, formats): (String, &ChangeFormats),
        options: TableOptions,
    ) -> Result<()> {
        self.fill(|out| {
            let failed = |e: IoError| Error::io(self.place(), e);
            let Form::Table(form) = self.form else {
                let page = draw_report_page(&self.appearance.changes(comparison, title.clone(), formats));
                return out.write_all(page.as_bytes()).map_err(failed);
            };
            let batch: RecordBatch = comparison.to_record_batch(form.is_text());
            let mut sink = table_sink(form, &batch.schema(), out, options).map_err(failed)?;
            sink.write(&batch).and_then(|()| sink.finish()).map_err(failed)
        })
    }

    /// Writes the story of one number.
    ///
    /// # Errors
    /// What the file system finds wrong.
    pub fn write_story(&self, story: &Story) -> Result<()> {
        let text = match self.form {
            Form::Page => draw_report_page(&self.appearance.story(story)),
            _ => story_to_json(story),
        };
        self.fill(|out| out.write_all(text.as_bytes()).map_err(|e| Error::io(self.place(), e)))
    }

    fn place(&self) -> String {
        if self.is_standard_output() { "standard output".into() } else { self.path.display().to_string() }
    }

    /// Fills the file; an error is passed on as it was.
    fn fill<T>(&self, mut fill: impl FnMut(&mut (dyn Write + Send)) -> Result<T>) -> Result<T> {
        if self.is_standard_output() {
            return fill(&mut std::io::stdout());
        }
        let mut outcome = None;
        let written = write_whole(&self.path, |out| match outcome.insert(fill(out)) {
            Ok(_) => Ok(()),
            Err(_) => Err(IoError::other("stopped")),
        });
        match (outcome, written) {
            (Some(Ok(_)) | None, Err(error)) => Err(error),
            (Some(outcome), _) => outcome,
            (None, Ok(())) => unreachable!("a file that was written was filled"),
        }
    }
}

/// The ending of a path in small letters, and the place for messages.
fn ending(path: &Path, known: &str) -> Result<(ErrorPlace, String)> {
    let place = ErrorPlace::of(Argument::Target, path.display().to_string());
    // Reported before the work, not after it.
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty() && !folder.is_dir());
    if let Some(folder) = folder {
        let message = format!("there is no folder {} to write into", folder.display());
        return Err(Error::request(place, message));
    }
    match path.extension().and_then(|ending| ending.to_str()) {
        Some(ending) => Ok((place, ending.to_lowercase())),
        None => Err(Error::request(place, known)),
    }
}

/// Reads the lines behind a cell as texts, with what they add up to.
///
/// # Errors
/// What [`Trace::lines`] finds wrong.
pub fn read_lines(
    trace: &Trace,
    wanted: &LinesBehind,
    source: &mut dyn LineSource,
) -> Result<(Tied, Vec<Vec<String>>)> {
    let mut rows = Vec::new();
    let tied = trace.lines(wanted, source, &mut |batch| {
        rows.extend(rows_as_texts(&batch).map_err(|e| Error::io("lines", e))?);
        Ok(())
    })?;
    Ok((tied, rows))
}

/// The columns of lines as they are drawn.
pub fn line_columns(schema: &Schema) -> Vec<LineColumn> {
    let column = |field: &FieldRef| LineColumn::new(field.name(), is_number(field));
    schema.fields().iter().map(column).collect()
}
