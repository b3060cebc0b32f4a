//! Standard output: whether it is a terminal, how wide it is, and whether to colour it.

use std::fmt::Write as _;
use std::io::{IsTerminal, Write, stdout};
use std::time::Duration;

use anstyle::Style;
use pivvel::draw::{Appearance, Colours, Ground, TerminalOptions, open_appearance};
use pivvel::{Brief, CrossTab, Error, Result, draw};
use terminal_colorsaurus::{QueryOptions, background_color};

use crate::arguments::{Background, DrawingArguments, ScreenArguments, When};

/// Rows that are drawn on a terminal at most; into a file or a pager all are.
const TERMINAL_ROWS: usize = 400;

/// The words and colours that are asked for: those of the flag, or those of a brief.
pub(crate) fn appearance(arguments: &DrawingArguments, brief: Option<&Brief>) -> Result<Appearance> {
    let own = match (&arguments.appearance, brief.and_then(|brief| brief.get_appearance())) {
        (Some(flag), _) => flag.clone(),
        (None, Some(name)) => open_appearance(name).map_err(|error| error.within("appearance"))?,
        (None, None) => Appearance::new(),
    };
    Ok(own.script(brief.is_none_or(|brief| brief.get_page().get_script())))
}

/// How a terminal is drawn on.
pub(crate) fn options(arguments: &DrawingArguments) -> TerminalOptions {
    let coloured = width_and_colours(&arguments.screen).1 != Colours::None;
    let ground = if coloured { ground(arguments.background) } else { Ground::Light };
    sentence_options(&arguments.screen).ground(ground)
}

/// How sentences are written, which are the same on any background.
pub(crate) fn sentence_options(arguments: &ScreenArguments) -> TerminalOptions {
    let (width, colours) = width_and_colours(arguments);
    let rows = (stdout().is_terminal() && arguments.width != Some(0)).then_some(TERMINAL_ROWS);
    TerminalOptions::default().width(width).colours(colours).rows(rows)
}

/// How wide what is written may be, and in which colours.
pub(crate) fn width_and_colours(arguments: &ScreenArguments) -> (Option<usize>, Colours) {
    let out = stdout();
    let terminal = out.is_terminal();
    let coloured = match arguments.color {
        When::Always => true,
        When::Never => false,
        When::Auto => {
            let forced = |name| set(name) && std::env::var(name).is_ok_and(|value| value != "0");
            let takes = terminal && anstream::AutoStream::choice(&out) != anstream::ColorChoice::Never;
            !set("NO_COLOR") && (forced("FORCE_COLOR") || forced("CLICOLOR_FORCE") || takes)
        }
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
    (width, colours)
}

/// The longest that a terminal is waited for.
const PATIENCE: Duration = Duration::from_millis(300);

/// The background by the flag, by COLORFGBG, or where that is not set by the terminal, which is asked. Light where it does
/// not answer.
fn ground(background: Background) -> Ground {
    match background {
        Background::Light => Ground::Light,
        Background::Dark => Ground::Dark,
        Background::Auto => ground_in_variable().or_else(ground_of_terminal).unwrap_or(Ground::Light),
    }
}

/// COLORFGBG holds the numbers of two colours, the last one that of the background. Numbers 0 to 6 and 8 are dark.
fn ground_in_variable() -> Option<Ground> {
    let colours = std::env::var("COLORFGBG").ok()?;
    let number: u8 = colours.rsplit(';').next()?.parse().ok()?;
    Some(if number <= 6 || number == 8 { Ground::Dark } else { Ground::Light })
}

/// Asks the terminal for the colour of its background (OSC 11 of xterm's control sequences).
fn ground_of_terminal() -> Option<Ground> {
    if !stdout().is_terminal() {
        return None;
    }
    let mut options = QueryOptions::default();
    options.timeout = PATIENCE;
    let colour = background_color(options).ok()?;
    Some(if colour.perceived_lightness() < 0.5 { Ground::Dark } else { Ground::Light })
}

/// Whether a variable of the environment holds something.
fn set(name: &str) -> bool {
    std::env::var_os(name).is_some_and(|value| !value.is_empty())
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

/// Prints sentences. Those without an indent are bold where there is colour, and long ones go on in the next line, indented.
pub(crate) fn print_text(text: &str, arguments: &ScreenArguments) -> Result<()> {
    let (width, colours) = width_and_colours(arguments);
    let bold = Style::new().bold();
    let mut out = String::new();
    for line in text.lines() {
        let indent = line.len() - line.trim_start().len();
        let heads = colours != Colours::None && indent == 0 && !line.is_empty();
        let lines = width.map_or_else(|| vec![line.to_string()], |width| wrapped(line, width, indent + 4));
        for line in lines {
            let _ = if heads { writeln!(out, "{bold}{line}{bold:#}") } else { writeln!(out, "{line}") };
        }
    }
    print(&out)
}

/// A line in parts of so many characters at most, where words allow it; later ones are indented.
fn wrapped(line: &str, width: usize, indent: usize) -> Vec<String> {
    let mut lines = Vec::new();
    let mut rest = line.to_string();
    while rest.chars().count() > width {
        let end = rest.char_indices().nth(width).map_or(rest.len(), |(at, _)| at);
        let lead = rest.len() - rest.trim_start().len();
        let before = rest[..end].rfind(' ');
        let at = if rest[end..].starts_with(' ') { Some(end) } else { before };
        let Some(at) = at.filter(|at| *at > lead) else { break };
        let next = format!("{}{}", " ".repeat(indent), rest[at..].trim_start());
        rest.truncate(at);
        lines.push(std::mem::replace(&mut rest, next));
    }
    lines.push(rest);
    lines
}

pub(crate) fn print_crosstab(
    crosstab: &CrossTab,
    appearance: &Appearance,
    arguments: &DrawingArguments,
) -> Result<()> {
    print(&draw::terminal(&appearance.layout(crosstab), &options(arguments)))
}
