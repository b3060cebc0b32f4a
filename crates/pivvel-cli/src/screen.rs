//! Standard output: whether it is a terminal, how wide it is, and whether to colour it.

use std::io::{IsTerminal, Write, stdout};

use pivvel::draw::{Colours, Ground, Layout, TerminalOptions};
use pivvel::{CrossTab, Error, Result, draw};

use crate::arguments::{Background, ScreenArguments, When};

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
    TerminalOptions { width, colours, rows, ground: ground(arguments.background) }
}

/// The background that the flag gives, or the terminal in COLORFGBG: the numbers of two colours, the last one that of
/// the background. Numbers 0 to 6 and 8 are dark. Light where the variable is not set.
fn ground(background: Background) -> Ground {
    match background {
        Background::Light => Ground::Light,
        Background::Dark => Ground::Dark,
        Background::Auto => {
            let colours = std::env::var("COLORFGBG").unwrap_or_default();
            let number = colours.rsplit(';').next().and_then(|number| number.parse::<u8>().ok());
            if number.is_some_and(|number| number <= 6 || number == 8) { Ground::Dark } else { Ground::Light }
        }
    }
}

/// Whether the terminal says that it takes 24-bit colours.
fn has_all_colours() -> bool {
    let is_one_of = |name: &str, words: &[&str]| {
        std::env::var(name).is_ok_and(|value| words.iter().any(|word| value.contains(word)))
    };
    is_one_of("COLORTERM", &["truecolor", "24bit"])
        || is_one_of("TERM", &["direct", "kitty", "alacritty", "foot"])
}

pub(crate) fn print(text: &str) -> Result<()> {
    let mut out = stdout().lock();
    out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(|e| Error::io("standard output", e))
}

pub(crate) fn print_crosstab(crosstab: &CrossTab, arguments: &ScreenArguments) -> Result<()> {
    print(&draw::terminal(&Layout::new(crosstab), &options(arguments)))
}
