//! The manual: a page for each command, made from the arguments themselves, with exit codes and environment.

use std::path::Path;

use clap::{Command, CommandFactory};
use clap_mangen::Man;
use clap_mangen::roff::{Roff, roman};
use pivvel::table::write_whole;
use pivvel::{Error, Result};

use crate::arguments::Arguments;
use crate::messages::print_message;
use crate::screen;

/// The exit codes, with their meaning.
const EXIT_CODES: [(&str, &str); 4] = [
    ("0", "All is done."),
    ("1", "The work failed: a file cannot be read or written, values do not fit, or --strict met a notice."),
    ("2", "The request cannot be carried out: a name, a flag or a formula is wrong."),
    ("128 + N", "Signal N ended the program: 130 for Ctrl-C. No file is left half written."),
];

/// The variables of the environment that the program reads.
const ENVIRONMENT: [(&str, &str); 8] = [
    ("NO_COLOR", "If it holds anything, auto means no colour."),
    (
        "FORCE_COLOR, CLICOLOR_FORCE",
        "If one holds anything but 0, auto means colour, in files and pipes, too.",
    ),
    ("COLORFGBG", "The numbers of the terminal's colours; the last one is that of the background."),
    ("COLORTERM, TERM", "Whether the terminal takes 24-bit colours; others get the nearest of 256."),
    ("PGPASSWORD, PGPASSFILE", "The password of a PostgreSQL server, or the file that holds it (~/.pgpass)."),
    ("PGSERVICE, PGSERVICEFILE, PGSYSCONFDIR", "A service, and the files that describe services."),
    ("PGHOST, PGPORT, PGUSER, PGDATABASE", "What the address of a PostgreSQL server does not give."),
    ("PGOPTIONS, PGAPPNAME", "Options of its session, and the name of the program there."),
];

/// Prints the page of a command, or of the program itself.
///
/// # Errors
/// A command that is not there.
pub(crate) fn print(name: Option<&str>) -> Result<()> {
    let pages = pages();
    let Some(name) = name else { return screen::print(&page(&pages[0])?) };
    let names = || pages.iter().skip(1).map(own_name);
    match pages.iter().skip(1).find(|command| own_name(command) == name) {
        Some(command) => screen::print(&page(command)?),
        None => Err(Error::unknown("shell manual", "command", name, names())),
    }
}

/// Writes every page into a folder.
///
/// # Errors
/// What the file system finds wrong.
pub(crate) fn write(folder: &Path) -> Result<()> {
    std::fs::create_dir_all(folder).map_err(|e| Error::io(folder.display().to_string(), e))?;
    for command in pages() {
        let path = folder.join(Man::new(command.clone()).get_filename());
        let text = page(&command)?;
        write_whole(&path, |out| out.write_all(text.as_bytes()))?;
        print_message(&format!("wrote {}", path.display()));
    }
    Ok(())
}

/// The program and its commands, each as what a page is about.
fn pages() -> Vec<Command> {
    let mut program = Arguments::command();
    program.build();
    let commands: Vec<Command> =
        program.get_subcommands().filter(|sub| sub.get_name() != "help").cloned().collect();
    std::iter::once(program).chain(commands).collect()
}

/// The name of a command as it is typed after the program's.
fn own_name(command: &Command) -> &str {
    command.get_name().strip_prefix("pivvel-").unwrap_or(command.get_name())
}

fn page(command: &Command) -> Result<String> {
    let man = Man::new(command.clone()).manual("Pivvel").source(env!("CARGO_PKG_VERSION"));
    let mut out = Vec::new();
    let mut all = || -> std::io::Result<()> {
        man.render_title(&mut out)?;
        man.render_name_section(&mut out)?;
        man.render_synopsis_section(&mut out)?;
        man.render_description_section(&mut out)?;
        man.render_options_section(&mut out)?;
        if command.has_subcommands() {
            man.render_subcommands_section(&mut out)?;
        }
        section("EXIT STATUS", &EXIT_CODES).to_writer(&mut out)?;
        section("ENVIRONMENT", &ENVIRONMENT).to_writer(&mut out)?;
        man.render_extra_section(&mut out)
    };
    all().map_err(|e| Error::io("manual", e))?;
    Ok(String::from_utf8_lossy(&out).into_owned())
}

/// A section of terms with what they mean.
fn section(title: &str, entries: &[(&str, &str)]) -> Roff {
    let mut roff = Roff::default();
    roff.control("SH", [title]);
    for (term, meaning) in entries {
        roff.control("TP", []);
        roff.text([roman(*term)]);
        roff.text([roman(*meaning)]);
    }
    roff
}
