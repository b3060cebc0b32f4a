//! The `pivvel` command: it reads arguments, calls the library, prints.

mod arguments;
mod brief_flags;
mod briefs;
mod build;
mod check;
mod check_emphasis;
mod check_json;
mod compare;
mod demo;
mod effort;
mod explain;
mod lines;
mod manual;
mod messages;
mod outputs;
mod screen;
mod shell;
mod signals;
mod survey;
mod texts;

use std::process::ExitCode;

use arguments::{Arguments, Command};
use clap::Parser;

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    if let Err(error) = signals::end_cleanly() {
        messages::print_message(&format!("pivvel: Ctrl-C may leave a temporary file behind: {error}"));
    }
    let result = match &arguments.command {
        Command::Demo(demo) => demo::run(demo),
        Command::Survey(survey) => survey::run(survey),
        Command::Build(build) => build::run(build),
        Command::Check(check) => check::run(check),
        Command::Lines(lines) => lines::run(lines),
        Command::Explain(explain) => explain::run(explain),
        Command::Compare(compare) => compare::run(compare),
        Command::Shell(shell) => shell::run(shell),
    };
    signals::wait_if_ending();
    match result {
        Ok(()) => ExitCode::SUCCESS,
        // Whoever reads our output had enough.
        Err(error) if error.is_broken_pipe() => ExitCode::SUCCESS,
        Err(error) => {
            let error = error.with_arguments(&arguments::flag);
            messages::print_message(&format!("pivvel: {error}"));
            ExitCode::from(if error.is_request() { 2 } else { 1 })
        }
    }
}
