//! `pivvel shell`: completions and the manual, made from the arguments themselves, and the schemas of files for
//! editors.

use clap::CommandFactory;
use clap_complete::{Shell as Known, generate};
use pivvel::result::yardsticks_schema;
use pivvel::{Error, Result, brief};

use crate::arguments::{Arguments, Shell, ShellText};
use crate::{manual, screen};

pub(crate) fn run(shell: &Shell) -> Result<()> {
    if shell.what != ShellText::Manual && (shell.command.is_some() || shell.into.is_some()) {
        return Err(Error::request(
            "shell",
            "COMMAND and --into are for the manual: pivvel shell manual build",
        ));
    }
    let mut command = Arguments::command();
    let mut out = Vec::new();
    let known = match shell.what {
        ShellText::Bash => Known::Bash,
        ShellText::Elvish => Known::Elvish,
        ShellText::Fish => Known::Fish,
        ShellText::Powershell => Known::PowerShell,
        ShellText::Zsh => Known::Zsh,
        ShellText::BriefSchema => return screen::print(brief::schema()),
        ShellText::YardsticksSchema => return screen::print(yardsticks_schema()),
        ShellText::Manual => {
            return match &shell.into {
                Some(folder) => manual::write(folder),
                None => manual::print(shell.command.as_deref()),
            };
        }
    };
    generate(known, &mut command, "pivvel", &mut out);
    screen::print(&String::from_utf8_lossy(&out))
}
