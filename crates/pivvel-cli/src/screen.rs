//! Standard output: whether it is a terminal, how wide it is, and whether to colour it.

use std::io::{IsTerminal, Write, stdout};

use pivvel::{Colours, CrossTab, Error, Result, Sheet, TerminalOptions, draw_terminal};

use crate::arguments::{ScreenArguments, When};

/// Rows that are drawn on a terminal at most; into a file or a pager all are.
const TERMINAL_ROWS: usize = 400;

pub(crate) fn options(arguments: &ScreenArguments) -> TerminalOptions {
    let out = stdout();
    let terminal = out.is_terminal();
    let coloured = match arguments.color {
        When::Always => true,
        When::Never => false,
        When::Auto => anstream::AutoStream::choice(&out) != anstream::ColorChoice::Never,
    };
    let colours = match coloured {
        true if terminal && !has_all_colours() => Colours::Indexed,
        true => Colours::Full,
        false => Colours::None,
    };
    let width = match arguments.width {
        Some(0) => None,
        Some(width) => Some(width.max(40)),
        None if terminal => {
            Some(terminal_size::terminal_size().map_or(100, |(width, _)| width.0.into()).max(40))
        }
        None => None,
    };
    let rows = (terminal && arguments.width != Some(0)).then_some(TERMINAL_ROWS);
    TerminalOptions { width, colours, rows }
}

/// Whether the terminal says that it takes 24-bit colours.
fn has_all_colours() -> bool {
    let said = |name: &str, words: &[&str]| {
        std::env::var(name).is_ok_and(|value| words.iter().any(|word| value.contains(word)))
    };
    said("COLORTERM", &["truecolor", "24bit"]) || said("TERM", &["direct", "kitty", "alacritty", "foot"])
}

pub(crate) fn print(text: &str) -> Result<()> {
    let mut out = stdout().lock();
    out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(|e| Error::io("standard output", e))
}

pub(crate) fn print_crosstab(crosstab: &CrossTab, arguments: &ScreenArguments) -> Result<()> {
    print(&draw_terminal(&Sheet::new(crosstab), &options(arguments)))
}
