//! Briefs that commands are given: from files or standard input, as flags change them, with what they read.

use std::path::{Path, PathBuf};

use pivvel::draw::check_colours;
use pivvel::table::beside;
use pivvel::{Brief, Error, Result, brief};

use crate::arguments::BriefLines;

/// All that a brief reads beside its lines, with these.
pub(crate) fn inputs(file: &Path, brief: &Brief, lines: &Path) -> Vec<String> {
    let own = [file, lines].map(|path| path.display().to_string());
    own.into_iter().chain(brief.files()).collect()
}

pub(crate) fn is_brief(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("toml"))
}

pub(crate) fn read_brief(path: &Path) -> Result<Brief> {
    let is_standard_input = path.as_os_str() == "-";
    let name = if is_standard_input { "standard input".into() } else { path.display().to_string() };
    let text = match is_standard_input {
        true => std::io::read_to_string(std::io::stdin()),
        false => std::fs::read_to_string(path),
    };
    let text = text.map_err(|e| Error::io(&name, e))?;
    let brief = match brief::from_toml(&name, &text) {
        Err(_) if !is_standard_input && !is_brief(path) => {
            let message =
                format!("this is no brief, which is a TOML file; for a file of lines: pivvel survey {name}");
            return Err(Error::request(&name, message));
        }
        read => read?,
    };
    Ok(brief.with_files(|file| beside(path, file).display().to_string()))
}

impl BriefLines {
    /// A brief as flags change it, and where its lines are.
    pub(crate) fn of(&self, path: &Path) -> Result<(Brief, PathBuf)> {
        apart_on_standard_input(path, self.source.as_deref())?;
        let brief = self.flags.apply(read_brief(path)?)?;
        check_colours(&brief)?;
        let own = || brief.get_source().map(|source| beside(path, source));
        let Some(lines) = self.source.clone().or_else(own) else {
            let message = "it names no lines: add source = \"lines.csv\" or say --source lines.csv";
            return Err(Error::request(path.display().to_string(), message));
        };
        apart_on_standard_input(path, Some(&lines))?;
        Ok((brief, lines))
    }
}

/// Checks that a brief and lines are not both expected on standard input.
pub(crate) fn apart_on_standard_input(brief: &Path, lines: Option<&Path>) -> Result<()> {
    match brief.as_os_str() == "-" && lines.is_some_and(|lines| lines.as_os_str() == "-") {
        true => Err(Error::request("--source", "the brief is on standard input; name a file of lines")),
        false => Ok(()),
    }
}
