//! One error type outside; structure and place inside.
//!
//! Every message says where, what was found, what was wanted and, when there is one, the nearest
//! known name. A caller that only needs to know whose fault it was asks [`Error::is_request`].

use std::fmt;
use std::ops::Range;

use crate::model::Kind;
use crate::printable::printable;
use crate::suggest::nearest;

/// The result of anything in Pivvel that can fail.
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// What went wrong, where, and what to try.
#[derive(Debug)]
pub struct Error(Box<Fault>);

#[derive(Debug)]
enum Fault {
    Request {
        place: ErrorPlace,
        message: String,
    },
    Formula {
        place: ErrorPlace,
        text: String,
        span: Range<usize>,
        message: String,
    },
    Data {
        place: ErrorPlace,
        message: String,
    },
    Widen {
        place: ErrorPlace,
        column: String,
        found: Kind,
        needed: Kind,
    },
    /// The error that stands if another look at the column changes nothing.
    Reconsider {
        column: String,
        error: Error,
    },
    Misfits {
        source: String,
        shown: Vec<Misfit>,
        hint: String,
    },
    Overflow {
        place: ErrorPlace,
    },
    Memory {
        message: String,
    },
    Io {
        place: ErrorPlace,
        cause: std::io::Error,
    },
}

/// What a call is given that an error can be about. How that is written, as a flag or as a field, is known to who
/// called: see [`Error::with_arguments`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Argument {
    /// The address of a cell.
    Address,
    /// The name of a measure.
    Measure,
    /// The columns of lines that are wanted.
    Columns,
    /// What lines are sorted by.
    Order,
    /// The number of a view.
    View,
    /// A file that is written.
    Target,
    /// Files that are written, one for each pair of levels.
    LevelFiles,
}

impl fmt::Display for Argument {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Argument::Address => "address",
            Argument::Measure => "measure",
            Argument::Columns => "columns",
            Argument::Order => "order",
            Argument::View => "view",
            Argument::Target => "file",
            Argument::LevelFiles => "files by level",
        })
    }
}

/// Where something is wrong: a text such as `lines.csv, line 12`, or an argument with its value.
#[derive(Debug, Clone)]
pub struct ErrorPlace {
    argument: Option<Argument>,
    text: String,
}

impl ErrorPlace {
    /// An argument with its value.
    pub fn of(argument: Argument, value: impl Into<String>) -> ErrorPlace {
        ErrorPlace { argument: Some(argument), text: value.into() }
    }

    fn is_empty(&self) -> bool {
        self.argument.is_none() && self.text.is_empty()
    }

    /// In the words of who called.
    fn named(&mut self, name: &dyn Fn(Argument) -> &'static str) {
        if let Some(argument) = self.argument.take() {
            let space = if self.text.is_empty() { "" } else { " " };
            self.text = format!("{}{space}{}", name(argument), self.text);
        }
    }
}

impl fmt::Display for ErrorPlace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.argument {
            Some(argument) if self.text.is_empty() => argument.fmt(f),
            Some(argument) => write!(f, "{argument} {}", self.text),
            None => f.write_str(&self.text),
        }
    }
}

impl<T: Into<String>> From<T> for ErrorPlace {
    fn from(text: T) -> ErrorPlace {
        ErrorPlace { argument: None, text: text.into() }
    }
}

impl From<Argument> for ErrorPlace {
    fn from(argument: Argument) -> ErrorPlace {
        ErrorPlace::of(argument, "")
    }
}

/// A value that does not fit its column's kind, and where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfit {
    /// Line of the file, counted from 1, the heading included.
    pub line: u64,
    /// The column's name; empty where the line as a whole is wrong.
    pub column: String,
    /// The value as written.
    pub value: String,
    /// What was wanted, as in "a whole number"; of a line as a whole, what is wrong with it.
    pub wanted: String,
}

impl fmt::Display for Misfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Misfit { line, column, value, wanted } = self;
        match column.is_empty() {
            true => write!(f, "line {line}: {wanted}"),
            false => write!(f, "line {line}, column {column}: {} is not {wanted}", shown(value)),
        }
    }
}

/// Text in double quotes, cut to a length that fits in a message.
pub(crate) fn shown(text: &str) -> String {
    let text = printable(text);
    let mut chars = text.chars();
    let head: String = chars.by_ref().take(40).collect();
    let tail = if chars.next().is_some() { "…" } else { "" };
    format!("\"{}{tail}\"", head.replace('"', "\"\""))
}

impl Error {
    /// A request that cannot be carried out as it was put.
    pub fn request(place: impl Into<ErrorPlace>, message: impl Into<String>) -> Error {
        Error(Box::new(Fault::Request { place: place.into(), message: message.into() }))
    }

    /// A name that is not known; the nearest known one is offered.
    pub fn unknown<'a>(
        place: impl Into<ErrorPlace>,
        what: &str,
        name: &str,
        known: impl IntoIterator<Item = &'a str>,
    ) -> Error {
        Error::request(place, unknown_message(what, name, known))
    }

    /// A formula that cannot be read or does not make sense, with the spot in its text (bytes).
    pub fn formula(
        place: impl Into<ErrorPlace>,
        text: impl Into<String>,
        span: Range<usize>,
        message: impl Into<String>,
    ) -> Error {
        let (place, text, message) = (place.into(), text.into(), message.into());
        Error(Box::new(Fault::Formula { place, text, span, message }))
    }

    /// Lines that cannot be used as they are.
    pub fn data(place: impl Into<ErrorPlace>, message: impl Into<String>) -> Error {
        Error(Box::new(Fault::Data { place: place.into(), message: message.into() }))
    }

    /// Up to ten values that do not fit their column's kind, with what to do about them.
    pub fn misfits(source: impl Into<String>, shown: Vec<Misfit>, hint: impl Into<String>) -> Error {
        Error(Box::new(Fault::Misfits { source: source.into(), shown, hint: hint.into() }))
    }

    /// A column whose later values need a wider kind than its first lines led to believe. A
    /// source that can be read again is read again with that kind; see [`Error::wider`].
    pub fn widen(
        place: impl Into<ErrorPlace>,
        column: impl Into<String>,
        found: Kind,
        needed: Kind,
    ) -> Error {
        Error(Box::new(Fault::Widen { place: place.into(), column: column.into(), found, needed }))
    }

    /// Values that do not fit what the first lines of a column led to believe. A source that can be read
    /// again looks at the whole column; `error` is what stands if that changes nothing. See
    /// [`Error::reconsidered`].
    pub fn reconsider(column: impl Into<String>, error: Error) -> Error {
        Error(Box::new(Fault::Reconsider { column: column.into(), error }))
    }

    /// A number of more than 38 digits, or a floating-point one beyond all others.
    pub fn overflow(place: impl Into<ErrorPlace>) -> Error {
        Error(Box::new(Fault::Overflow { place: place.into() }))
    }

    /// Groups that take more memory than they may.
    pub(crate) fn memory(message: String) -> Error {
        Error(Box::new(Fault::Memory { message }))
    }

    /// Whether groups took more memory than they may.
    pub fn is_memory(&self) -> bool {
        matches!(*self.0, Fault::Memory { .. })
    }

    /// A file or stream that failed.
    pub fn io(place: impl Into<ErrorPlace>, cause: std::io::Error) -> Error {
        Error(Box::new(Fault::Io { place: place.into(), cause }))
    }

    /// Whether the request was wrong (a misspelt column, a formula that cannot be read) rather
    /// than the work having failed (a broken file, a value that is not a number).
    pub fn is_request(&self) -> bool {
        match &*self.0 {
            Fault::Reconsider { error, .. } => error.is_request(),
            fault => matches!(fault, Fault::Request { .. } | Fault::Formula { .. }),
        }
    }

    /// The error in the words of who called: what arguments are called there, as the flags of a command.
    ///
    /// ```
    /// use pivvel_core::{Argument, Error};
    ///
    /// let error = Error::request(Argument::View, "there is none");
    /// assert_eq!(error.to_string(), "view: there is none");
    /// let flag = |_: Argument| "--view";
    /// assert_eq!(error.with_arguments(&flag).to_string(), "--view: there is none");
    /// ```
    pub fn with_arguments(mut self, name: &dyn Fn(Argument) -> &'static str) -> Error {
        match &mut *self.0 {
            Fault::Request { place, .. }
            | Fault::Formula { place, .. }
            | Fault::Data { place, .. }
            | Fault::Widen { place, .. }
            | Fault::Overflow { place }
            | Fault::Io { place, .. } => place.named(name),
            Fault::Reconsider { .. } | Fault::Misfits { .. } | Fault::Memory { .. } => {}
        }
        self
    }

    /// Whether the other end of a pipe was closed: the reader had enough.
    pub fn is_broken_pipe(&self) -> bool {
        matches!(&*self.0, Fault::Io { cause, .. } if cause.kind() == std::io::ErrorKind::BrokenPipe)
    }

    /// The column of an [`Error::reconsider`].
    pub fn reconsidered(&self) -> Option<&str> {
        match &*self.0 {
            Fault::Reconsider { column, .. } => Some(column),
            _ => None,
        }
    }

    /// The column and the kind that it needs, where this error says that a wider one is needed.
    pub fn wider(&self) -> Option<(&str, &Kind)> {
        match &*self.0 {
            Fault::Widen { column, needed, .. } => Some((column, needed)),
            _ => None,
        }
    }
}

/// The words for a name that is not known, with the nearest known one or, of a few, all of them.
pub(crate) fn unknown_message<'a>(
    what: &str,
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> String {
    let known: Vec<&str> = known.into_iter().collect();
    let mut message = format!("unknown {what} {}", shown(name));
    match nearest(name, &known) {
        Some(near) => message.push_str(&format!("; did you mean {}?", shown(near))),
        None if known.is_empty() => {}
        None => {
            let list: Vec<String> = known.iter().take(12).map(|k| shown(k)).collect();
            let more =
                if known.len() > 12 { format!(" and {} more", known.len() - 12) } else { String::new() };
            message.push_str(&format!("; known: {}{more}", list.join(", ")));
        }
    }
    message
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &*self.0 {
            Fault::Request { place, message } | Fault::Data { place, message } => match place.is_empty() {
                true => write!(f, "{message}"),
                false => write!(f, "{place}: {message}"),
            },
            Fault::Formula { place, text, span, message } => {
                match place.is_empty() {
                    true => writeln!(f, "{message}")?,
                    false => writeln!(f, "{place}: {message}")?,
                }
                mark(f, text, span)
            }
            Fault::Widen { place, column, found, needed } => {
                let later =
                    if found == needed { "such of more than 18 digits".into() } else { needed.plural() };
                let found = found.plural();
                write!(
                    f,
                    "{place}: the first lines of column {column} hold {found}, later ones {later}; give it the kind {needed}"
                )
            }
            Fault::Reconsider { error, .. } => error.fmt(f),
            Fault::Misfits { source, shown, hint } => {
                let lead = if shown.len() == 1 { "a value does" } else { "values do" };
                writeln!(f, "{source}: {lead} not fit the kind of the column")?;
                for misfit in shown {
                    writeln!(f, "  {misfit}")?;
                }
                write!(f, "{hint}")
            }
            Fault::Memory { message } => write!(f, "memory: {message}"),
            Fault::Overflow { place } => write!(
                f,
                "{place}: a number has more than 38 digits, or is larger than floating-point numbers can be"
            ),
            Fault::Io { place, cause } => write!(f, "{place}: {}", system_message(cause)),
        }
    }
}

/// The system's message, in words and without its error number.
fn system_message(cause: &std::io::Error) -> String {
    use std::io::ErrorKind as K;
    match cause.kind() {
        K::NotFound => "there is no such file".into(),
        K::PermissionDenied => "permission denied".into(),
        K::StorageFull => "the disk is full".into(),
        K::IsADirectory => "this is a folder, not a file".into(),
        _ => cause.to_string(),
    }
}

/// The line of the formula that holds the spot, with the spot underlined.
fn mark(f: &mut fmt::Formatter<'_>, text: &str, span: &Range<usize>) -> fmt::Result {
    let start = floor(text, span.start);
    let line_start = text[..start].rfind('\n').map_or(0, |at| at + 1);
    let line_end = text[start..].find('\n').map_or(text.len(), |at| start + at);
    let end = floor(text, span.end).clamp(start, line_end);
    // A long formula shows the neighbourhood of the spot only.
    let before: Vec<char> = text[line_start..start].chars().collect();
    let lead: String = before[before.len().saturating_sub(60)..].iter().collect();
    let rest: String = text[start..line_end].chars().take(60).collect();
    let dots = if before.len() > 60 { "…" } else { "" };
    let pad: String = " ".repeat(lead.chars().count() + dots.chars().count());
    let width = text[start..end].chars().count().clamp(1, 60);
    write!(f, "    {dots}{lead}{rest}\n    {pad}{}", "^".repeat(width))
}

fn floor(text: &str, at: usize) -> usize {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match &*self.0 {
            Fault::Io { cause, .. } => Some(cause),
            _ => None,
        }
    }
}
