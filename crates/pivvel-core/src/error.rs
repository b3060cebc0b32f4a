//! One error type outside; structure and place inside.
//!
//! Every message says where, what was found, what was wanted and, when there is one, the nearest
//! known name. A caller that only needs to know whose fault it was asks [`Error::is_request`].

use std::fmt;
use std::ops::Range;

use arrow_schema::ArrowError;

use crate::model::Kind;
use crate::named::NoName;
use crate::printable::printable;
use crate::suggest::{nearest, other_name_hint};

/// The result of anything in Pivvel that can fail.
///
/// ```
/// # use pivvel_core as pivvel;
/// fn tone(text: &str) -> pivvel::Result<pivvel::brief::Tone> {
///     text.parse()
/// }
/// assert!(tone("gain").is_ok() && tone("gian").is_err());
/// ```
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// What went wrong, where, and what to try.
///
/// Its text is for people: the place, what was found, what was expected and the nearest known name. A program
/// asks for the [`kind`](Error::kind), the [`place`](Error::place) and the
/// [`source`](std::error::Error::source).
///
/// ```
/// use arrow_array::RecordBatch;
/// # use pivvel_core as pivvel;
/// use pivvel::source::{Batches, Schema};
/// use pivvel::{Brief, CrossTab, ErrorKind};
///
/// let mut none = Batches::new(Schema::empty().into(), Vec::<RecordBatch>::new());
/// let error = CrossTab::build(&Brief::new().rows(["coast"]), &mut none).unwrap_err();
/// let status = match error.kind() {
///     ErrorKind::UnknownName { .. } | ErrorKind::Formula { .. } | ErrorKind::Request => 400,
///     ErrorKind::Memory => 413,
///     _ => 500,
/// };
/// assert_eq!(status, 400);
/// ```
#[derive(Debug)]
pub struct Error(Box<Fault>);

#[derive(Debug)]
struct Fault {
    kind: ErrorKind,
    place: ErrorPlace,
    message: String,
    cause: Option<Box<dyn std::error::Error + Send + Sync>>,
    again: Option<Again>,
}

/// What kind of thing went wrong, for programs that act on it.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::ErrorKind;
/// use pivvel::brief::PaletteName;
///
/// match "shor".parse::<PaletteName>().unwrap_err().kind() {
///     ErrorKind::UnknownName { name, nearest, .. } => assert_eq!((name.as_str(), nearest.as_deref()), ("shor", Some("shore"))),
///     _ => unreachable!(),
/// }
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ErrorKind {
    /// A name that is not known: of a column, a measure, a member, a key, a choice.
    UnknownName {
        /// The name as it was given.
        name: String,
        /// The known name that is nearest to it, where one is near.
        nearest: Option<String>,
    },
    /// A formula that cannot be read or does not make sense.
    Formula {
        /// The whole formula.
        text: String,
        /// The spot in its text, in bytes.
        span: Range<usize>,
        /// Where a name at that spot is not known, the known one that is nearest to it.
        nearest: Option<String>,
    },
    /// Any other request that cannot be carried out as it was put.
    Request,
    /// Values that do not fit the kind of their column: up to ten of them.
    Misfits(Vec<Misfit>),
    /// A column that does not hold what was announced or asked for.
    Schema {
        /// The name of the column.
        column: String,
        /// What was announced or asked for.
        wanted: String,
        /// What was found.
        found: String,
    },
    /// Lines, groups or files that cannot be used as they are.
    Data,
    /// Groups that take more memory than they may.
    Memory,
    /// A number of more than 38 digits, or a floating-point one beyond all others.
    Overflow,
    /// The work was cancelled.
    Cancelled,
    /// A file or stream that failed.
    Io(std::io::ErrorKind),
}

/// What a source can do about an error before it stands.
#[derive(Debug)]
enum Again {
    Widen {
        column: String,
        needed: Kind,
    },
    /// Another look at the column; the error stands if that changes nothing.
    Reconsider {
        column: String,
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
    /// The form of what is written to standard output.
    Form,
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
            Argument::Form => "form",
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

impl From<NoName> for Error {
    fn from(none: NoName) -> Error {
        Error::unknown("", none.what(), none.text(), none.known().iter().copied())
    }
}

/// A value that does not fit its column's kind, and where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfit {
    pub(crate) line: u64,
    pub(crate) column: String,
    pub(crate) value: String,
    pub(crate) wanted: String,
}

crate::getters! {
    Misfit {
        /// Line of the file, counted from 1, the heading included.
        line: u64,
        /// The column's name; empty where the line as a whole is wrong.
        column: &str,
        /// The value as written.
        value: &str,
        /// What was wanted, as in "a whole number"; of a line as a whole, what is wrong with it.
        wanted: &str,
    }
}

impl Misfit {
    /// A value of a column, as it is written, that is not what was wanted.
    pub fn value_of(
        line: u64,
        column: impl Into<String>,
        value: impl Into<String>,
        wanted: impl Into<String>,
    ) -> Misfit {
        Misfit { line, column: column.into(), value: value.into(), wanted: wanted.into() }
    }

    /// A line that is wrong as a whole, and what is wrong with it.
    pub fn whole_line(line: u64, wrong: impl Into<String>) -> Misfit {
        Misfit { line, column: String::new(), value: String::new(), wanted: wrong.into() }
    }

    /// The same so many lines further on, where its part of the file begins.
    pub fn after(self, lines: u64) -> Misfit {
        Misfit { line: self.line + lines, ..self }
    }
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

/// What is wrong at a spot of a formula: in words, which a text is by itself, and the known name that is nearest to
/// one that is not known.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::{Error, ErrorKind};
///
/// let error = Error::formula("measure sales", "sum(price", 0..3, "a parenthesis is missing");
/// assert!(matches!(error.kind(), ErrorKind::Formula { nearest: None, .. }));
/// ```
#[derive(Debug, Clone)]
pub struct Remark {
    text: String,
    /// A name that is not known, and the known one that is nearest.
    unknown: Option<(String, Option<String>)>,
}

impl Remark {
    /// The same in other words, where it is of a name that is not known.
    pub(crate) fn of_unknown_name(self, words: impl FnOnce(String) -> String) -> Remark {
        if self.unknown.is_some() { self.reworded(words) } else { self }
    }

    /// The same in other words.
    pub(crate) fn reworded(self, words: impl FnOnce(String) -> String) -> Remark {
        Remark { text: words(self.text), ..self }
    }
}

impl From<String> for Remark {
    fn from(text: String) -> Remark {
        Remark { text, unknown: None }
    }
}

impl From<&str> for Remark {
    fn from(text: &str) -> Remark {
        text.to_string().into()
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
    fn new(kind: ErrorKind, place: impl Into<ErrorPlace>, message: impl Into<String>) -> Error {
        let (place, message) = (place.into(), message.into());
        Error(Box::new(Fault { kind, place, message, cause: None, again: None }))
    }

    /// A request that cannot be carried out as it was put.
    pub fn request(place: impl Into<ErrorPlace>, message: impl Into<String>) -> Error {
        Error::new(ErrorKind::Request, place, message)
    }

    /// A name that is not known; the nearest known one is offered.
    pub fn unknown<'a>(
        place: impl Into<ErrorPlace>,
        what: &str,
        name: &str,
        known: impl IntoIterator<Item = &'a str>,
    ) -> Error {
        Error::remarked(place, unknown_name(what, name, known))
    }

    /// A request that cannot be carried out, for what is remarked on it.
    pub(crate) fn remarked(place: impl Into<ErrorPlace>, remark: Remark) -> Error {
        let kind = match remark.unknown {
            Some((name, nearest)) => ErrorKind::UnknownName { name, nearest },
            None => ErrorKind::Request,
        };
        Error::new(kind, place, remark.text)
    }

    /// A formula that cannot be read or does not make sense, with the spot in its text (bytes).
    pub fn formula(
        place: impl Into<ErrorPlace>,
        text: impl Into<String>,
        span: Range<usize>,
        message: impl Into<Remark>,
    ) -> Error {
        let Remark { text: message, unknown } = message.into();
        let nearest = unknown.and_then(|(_, nearest)| nearest);
        Error::new(ErrorKind::Formula { text: text.into(), span, nearest }, place, message)
    }

    /// Lines that cannot be used as they are.
    pub fn data(place: impl Into<ErrorPlace>, message: impl Into<String>) -> Error {
        Error::new(ErrorKind::Data, place, message)
    }

    /// Lines that cannot be used as they are, as another library found. Where its error holds one of this
    /// type, that is what comes back, with its own place.
    pub fn caused(
        place: impl Into<ErrorPlace>,
        cause: impl Into<Box<dyn std::error::Error + Send + Sync>>,
    ) -> Error {
        let cause = match cause.into().downcast::<Error>() {
            Ok(own) => return *own,
            Err(cause) => cause,
        };
        let cause = match cause.downcast::<ArrowError>().map(|error| *error) {
            Ok(ArrowError::ExternalError(inner)) => return Error::caused(place, inner),
            Ok(ArrowError::IoError(_, inner)) => return Error::io(place, inner),
            Ok(error) => error.into(),
            Err(cause) => cause,
        };
        let cause = match cause.downcast::<std::io::Error>() {
            Ok(inner) => return Error::io(place, *inner),
            Err(cause) => cause,
        };
        Error::data(place, in_words(&*cause)).with_cause(cause)
    }

    /// The error with what caused it, for those who ask for its
    /// [`source`](std::error::Error::source).
    pub fn with_cause(mut self, cause: impl Into<Box<dyn std::error::Error + Send + Sync>>) -> Error {
        self.0.cause = Some(cause.into());
        self
    }

    /// A column that does not hold what was announced or asked for.
    pub fn schema(
        place: impl Into<ErrorPlace>,
        column: impl Into<String>,
        wanted: impl Into<String>,
        found: impl Into<String>,
    ) -> Error {
        let (column, wanted, found) = (column.into(), wanted.into(), found.into());
        let message =
            format!("a batch is not as announced: column {column}: expected {wanted}, found {found}");
        Error::new(ErrorKind::Schema { column, wanted, found }, place, message)
    }

    /// Up to ten values that do not fit their column's kind, with what to do about them.
    pub fn misfits(source: impl Into<String>, shown: Vec<Misfit>, hint: impl Into<String>) -> Error {
        let lead = if shown.len() == 1 { "a value does" } else { "values do" };
        let list: String = shown.iter().map(|misfit| format!("  {misfit}\n")).collect();
        let message = format!("{lead} not fit the kind of the column\n{list}{}", hint.into());
        Error::new(ErrorKind::Misfits(shown), source.into(), message)
    }

    /// A column whose later values need a wider kind than its first lines led to believe. A
    /// source that can be read again is read again with that kind; see [`Error::wider`].
    pub fn widen(
        place: impl Into<ErrorPlace>,
        column: impl Into<String>,
        found: Kind,
        needed: Kind,
    ) -> Error {
        let column = column.into();
        let first = found.plural();
        let later = if found == needed { "such of more than 18 digits".into() } else { needed.plural() };
        let message = format!(
            "the first lines of column {column} hold {first}, later ones {later}; give it the kind {needed}"
        );
        let kind = ErrorKind::Schema { column: column.clone(), wanted: first, found: later };
        Error::new(kind, place, message).again(Again::Widen { column, needed })
    }

    /// Values that do not fit what the first lines of a column led to believe. A source that can be read
    /// again looks at the whole column; `error` is what stands if that changes nothing. See
    /// [`Error::reconsidered`].
    pub fn reconsider(column: impl Into<String>, error: Error) -> Error {
        error.again(Again::Reconsider { column: column.into() })
    }

    fn again(mut self, again: Again) -> Error {
        self.0.again = Some(again);
        self
    }

    /// A number of more than 38 digits, or a floating-point one beyond all others.
    pub fn overflow(place: impl Into<ErrorPlace>) -> Error {
        let message = "a number has more than 38 digits, or is larger than floating-point numbers can be";
        Error::new(ErrorKind::Overflow, place, message)
    }

    /// Groups that take more memory than they may.
    pub(crate) fn memory(message: String) -> Error {
        Error::new(ErrorKind::Memory, "memory", message)
    }

    /// Work that was cancelled.
    pub(crate) fn cancelled() -> Error {
        Error::new(ErrorKind::Cancelled, "", "the work was cancelled")
    }

    /// A file or stream that failed. Where the cause holds an error of this type, that is what comes back.
    pub fn io(place: impl Into<ErrorPlace>, cause: std::io::Error) -> Error {
        let cause = match cause.downcast::<Error>() {
            Ok(own) => return own,
            Err(cause) => cause,
        };
        Error::new(ErrorKind::Io(cause.kind()), place, system_message(&cause)).with_cause(cause)
    }

    /// The same error at a place within another one, as `view 2: where`.
    pub fn within(mut self, outer: impl fmt::Display) -> Error {
        let text =
            if self.0.place.is_empty() { outer.to_string() } else { format!("{outer}: {}", self.0.place) };
        self.0.place = text.into();
        self
    }

    /// What kind of thing went wrong.
    pub fn kind(&self) -> &ErrorKind {
        &self.0.kind
    }

    /// Where it went wrong; `None` where there is only one place that it can be.
    pub fn place(&self) -> Option<&ErrorPlace> {
        Some(&self.0.place).filter(|place| !place.is_empty())
    }

    /// What went wrong in words, without the place.
    pub fn message(&self) -> &str {
        &self.0.message
    }

    /// Whether the request was wrong (a misspelt column, a formula that cannot be read) rather
    /// than the work having failed (a broken file, a value that is not a number).
    pub fn is_request(&self) -> bool {
        use ErrorKind::{Formula, Request, UnknownName};
        matches!(self.0.kind, Request | UnknownName { .. } | Formula { .. })
    }

    /// The error in the words of who called: what arguments are called there, as the flags of a command.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::error::Argument;
    /// use pivvel::Error;
    ///
    /// let error = Error::request(Argument::View, "there is none");
    /// assert_eq!(error.to_string(), "view: there is none");
    /// let flag = |_: Argument| "--view";
    /// assert_eq!(error.with_arguments(&flag).to_string(), "--view: there is none");
    /// ```
    pub fn with_arguments(mut self, name: &dyn Fn(Argument) -> &'static str) -> Error {
        self.0.place.named(name);
        self
    }

    /// Whether the other end of a pipe was closed: the reader had enough.
    pub fn is_broken_pipe(&self) -> bool {
        self.0.kind == ErrorKind::Io(std::io::ErrorKind::BrokenPipe)
    }

    /// The column of an [`Error::reconsider`].
    pub fn reconsidered(&self) -> Option<&str> {
        match &self.0.again {
            Some(Again::Reconsider { column }) => Some(column),
            _ => None,
        }
    }

    /// The column and the kind that it needs, where this error says that a wider one is needed.
    pub fn wider(&self) -> Option<(&str, &Kind)> {
        match &self.0.again {
            Some(Again::Widen { column, needed }) => Some((column, needed)),
            _ => None,
        }
    }
}

/// The words for a name that is not known, with the nearest known one or, of a few, all of them.
pub(crate) fn unknown_name<'a>(what: &str, name: &str, known: impl IntoIterator<Item = &'a str>) -> Remark {
    not_among(what, name, &known.into_iter().collect::<Vec<_>>())
}

fn not_among(what: &str, name: &str, known: &[&str]) -> Remark {
    let mut message = format!("unknown {what} {}", shown(name));
    let nearest = nearest(name, known);
    match nearest {
        Some(near) => message.push_str(&format!("; did you mean {}?", shown(near))),
        None if known.is_empty() => {}
        None => {
            let list: Vec<String> = known.iter().take(12).map(|k| shown(k)).collect();
            let more =
                if known.len() > 12 { format!(" and {} more", known.len() - 12) } else { String::new() };
            message.push_str(&format!("; known: {}{more}", list.join(", ")));
        }
    }
    let unknown = Some((name.to_string(), nearest.map(str::to_string)));
    Remark { text: message, unknown }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Fault { kind, place, message, .. } = &*self.0;
        match place.is_empty() {
            true => write!(f, "{message}")?,
            false => write!(f, "{place}: {message}")?,
        }
        match kind {
            ErrorKind::Formula { text, span, .. } => {
                writeln!(f)?;
                mark(f, text, span)
            }
            _ => Ok(()),
        }
    }
}

/// The same for a function, which may be called otherwise elsewhere.
pub(crate) fn unknown_function<'a>(
    what: &str,
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Remark {
    match other_name_hint(name) {
        Some(hint) => format!("unknown {what} {}; {hint}", shown(name)).into(),
        None => unknown_name(what, name, known),
    }
}

/// What another library found, without its name for that kind of error.
fn in_words(cause: &(dyn std::error::Error + 'static)) -> String {
    use ArrowError::{CastError, ComputeError, InvalidArgumentError, ParseError, SchemaError};
    match cause.downcast_ref::<ArrowError>() {
        Some(
            CastError(words)
            | ComputeError(words)
            | InvalidArgumentError(words)
            | ParseError(words)
            | SchemaError(words),
        ) => words.clone(),
        _ => cause.to_string(),
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
        self.0.cause.as_deref().map(|cause| cause as _)
    }
}

impl From<std::io::Error> for Error {
    fn from(cause: std::io::Error) -> Error {
        Error::io("", cause)
    }
}

impl From<ArrowError> for Error {
    fn from(cause: ArrowError) -> Error {
        Error::caused("", cause)
    }
}
