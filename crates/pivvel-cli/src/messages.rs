//! Messages on standard error: notices of a run, and files that were written.

use std::io::Write;
use std::path::Path;

use pivvel::text::{printable_lines, without_secrets};
use pivvel::{Error, Notice, Result};

use crate::arguments::NoticeFlags;

/// Prints a line to standard error, without control characters and passwords. An error of standard error itself is
/// ignored: the work goes on.
pub(crate) fn print_message(line: &str) {
    crate::signals::wait_if_ending();
    let _ = writeln!(std::io::stderr(), "{}", printable_lines(&without_secrets(line)));
}

impl NoticeFlags {
    /// Prints notices, one line each.
    ///
    /// # Errors
    /// Under `--strict`, a notice that is more than what the brief asked for.
    pub(crate) fn report(self, notices: &[Notice]) -> Result<()> {
        if !self.quiet {
            notices.iter().for_each(|notice| print_message(&format!("{}: {notice}", notice.code().name())));
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

    /// Prints that a file was written.
    pub(crate) fn report_written(self, path: &Path) {
        if !self.quiet {
            print_message(&format!("wrote {}", path.display()));
        }
    }
}
