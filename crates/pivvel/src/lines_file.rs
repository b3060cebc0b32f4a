//! The lines behind a cell, into a file or onto standard output.

use std::io::{Error as IoError, Write};
use std::path::{Path, PathBuf};

use pivvel_core::{Error, LineSource, LinesBehind, Result, Tied, Trace};
use pivvel_io::{TableForm, TableOptions, table_sink, write_whole};

/// A file that lines are written to, in the form that its ending says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinesTarget {
    path: PathBuf,
    form: TableForm,
}

impl LinesTarget {
    /// The target of a path; `-` is CSV on standard output.
    ///
    /// # Errors
    /// An ending that stands for no form of tables, or one that this build does not write.
    ///
    /// ```
    /// use pivvel::LinesTarget;
    /// assert!(LinesTarget::new("june.csv").is_ok());
    /// let error = LinesTarget::new("june.parket").unwrap_err();
    /// assert_eq!(error.to_string(), "--to june.parket: there is no form of lines \"parket\"; nearest: \"parquet\"");
    /// ```
    pub fn new(path: impl Into<PathBuf>) -> Result<LinesTarget> {
        let path = path.into();
        if path.as_os_str() == "-" {
            return Ok(LinesTarget { path, form: TableForm::Csv });
        }
        let place = format!("--to {}", path.display());
        let Some(ending) = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase) else {
            let message = "the ending says the form: .csv, .json, .parquet, .arrow, .xlsx or .md";
            return Err(Error::request(place, message));
        };
        let form = TableForm::of_ending(&ending)
            .ok_or_else(|| Error::unknown(&place, "form of lines", &ending, TableForm::endings()))?;
        form.check(&place)?;
        Ok(LinesTarget { path, form })
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
    /// one is whole.
    ///
    /// # Errors
    /// What [`Trace::lines`] and the file system find wrong.
    pub fn write(
        &self,
        trace: &Trace,
        wanted: &LinesBehind,
        source: &mut dyn LineSource,
        options: TableOptions,
    ) -> Result<Tied> {
        let schema = trace.lines_schema(wanted)?;
        let place = if self.is_standard_output() {
            "standard output".into()
        } else {
            self.path.display().to_string()
        };
        let mut fill = |out: &mut (dyn Write + Send)| -> Result<Tied> {
            let failed = |e: IoError| Error::io(&place, e);
            let mut sink = table_sink(self.form, &schema, out, options).map_err(failed)?;
            let tied = trace.lines(wanted, source, &mut |batch| sink.write(&batch).map_err(failed))?;
            sink.finish().map_err(failed)?;
            Ok(tied)
        };
        if self.is_standard_output() {
            return fill(&mut std::io::stdout());
        }
        let mut outcome = None;
        let written = write_whole(&self.path, |out| match fill(out) {
            Ok(tied) => {
                outcome = Some(Ok(tied));
                Ok(())
            }
            Err(error) => {
                outcome = Some(Err(error));
                Err(IoError::other("stopped"))
            }
        });
        match (outcome, written) {
            (Some(Err(error)), _) => Err(error),
            (Some(Ok(tied)), Ok(())) => Ok(tied),
            (_, Err(error)) => Err(error),
            (None, Ok(())) => unreachable!("a file that was written was filled"),
        }
    }
}
