//! What is told on standard error: files that were written, and what a user should know of a run.

use std::io::Write;
use std::path::Path;

use pivvel::{Error, Notice, Result, printable_lines, without_secrets};

use crate::arguments::Telling;

/// Writes a line to standard error, with nothing in it that steers a terminal. Where nobody can read it, the work goes on.
pub(crate) fn say(line: &str) {
    let _ = writeln!(std::io::stderr(), "{}", printable_lines(&without_secrets(line)));
}

impl Telling {
    /// Tells notices, one line each.
    ///
    /// # Errors
    /// Where notices end the run, and one is more than what the brief asked for.
    pub(crate) fn notices(self, notices: &[Notice]) -> Result<()> {
        if !self.quiet {
            notices.iter().for_each(|notice| say(&format!("{}: {notice}", notice.code().name())));
        }
        let serious: Vec<&str> = notices
            .iter()
            .map(Notice::code)
            .filter(|code| !code.is_asked_for())
            .map(|code| code.name())
            .collect();
        match (self.strict, serious.len()) {
            (false, _) | (_, 0) => Ok(()),
            (_, count) => {
                let what = if count == 1 { "a notice".to_string() } else { format!("{count} notices") };
                let message = format!("nothing was written because of {what}: {}", serious.join(", "));
                Err(Error::data("--strict", message))
            }
        }
    }

    /// Tells that a file was written.
    pub(crate) fn wrote(self, path: &Path) {
        if !self.quiet {
            say(&format!("wrote {}", path.display()));
        }
    }
}
