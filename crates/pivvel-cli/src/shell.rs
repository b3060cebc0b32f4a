//! `pivvel shell`: completions and the manual page, made from the arguments themselves, and the schemas of
//! files for editors.

use clap::CommandFactory;
use clap_complete::{Shell as Known, generate};
use pivvel::result::yardsticks_schema;
use pivvel::{Error, Result, brief};

use crate::arguments::{Arguments, Shell, ShellText};
use crate::screen;

pub(crate) fn run(shell: &Shell) -> Result<()> {
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
            let failed = |e| Error::io("manual", e);
            clap_mangen::Man::new(command.clone()).render(&mut out).map_err(failed)?;
            command.build();
            for sub in command.get_subcommands().filter(|sub| sub.get_name() != "help") {
                clap_mangen::Man::new(sub.clone()).render(&mut out).map_err(failed)?;
            }
            return screen::print(&String::from_utf8_lossy(&out));
        }
    };
    generate(known, &mut command, "pivvel", &mut out);
    screen::print(&String::from_utf8_lossy(&out))
}
