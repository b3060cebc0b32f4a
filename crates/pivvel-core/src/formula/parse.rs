//! Text to tree. Every way in is limited in size and depth, so no input can exhaust the stack.

use std::ops::Range;

use winnow::ascii::multispace0;
use winnow::combinator::{alt, opt, preceded};
use winnow::error::{ErrMode, ModalResult, ParserError};
use winnow::prelude::*;
use winnow::stream::{LocatingSlice, Location, Stateful, Stream};
use winnow::token::{any, one_of, take_while};

use super::{Expr, Node, Operator};
use crate::error::{Error, Result};

/// The longest formula that is read, in bytes.
const LONGEST: usize = 20_000;
/// The deepest nesting, and the longest chain of operators, that is read.
const DEEPEST: u16 = 200;

type Input<'a> = Stateful<LocatingSlice<&'a str>, u16>;
type Parsed<T> = ModalResult<T, Wrong>;

/// What is wrong with a formula, and where.
#[derive(Debug)]
struct Wrong {
    span: Range<usize>,
    message: Option<String>,
}

impl<'a> ParserError<Input<'a>> for Wrong {
    type Inner = Wrong;

    fn from_input(input: &Input<'a>) -> Wrong {
        let at = input.current_token_start();
        Wrong { span: at..at + 1, message: None }
    }

    fn into_inner(self) -> std::result::Result<Wrong, Wrong> {
        Ok(self)
    }
}

/// Reads a formula. `place` says where it stands, for the error message.
///
/// ```
/// let formula = pivvel_core::parse_formula("measure sales", "sum(price * quantity)")?;
/// assert_eq!(formula.to_string(), "sum(price * quantity)");
/// # Ok::<(), pivvel_core::Error>(())
/// ```
pub fn parse(place: &str, text: &str) -> Result<Expr> {
    if text.len() > LONGEST {
        let message = format!("a formula may be {LONGEST} bytes long, this one has {}", text.len());
        return Err(Error::request(place, message));
    }
    let mut input = Stateful { input: LocatingSlice::new(text), state: 0 };
    let wrong = match whole(&mut input) {
        Ok(expr) => return Ok(expr),
        Err(ErrMode::Backtrack(wrong) | ErrMode::Cut(wrong)) => wrong,
        Err(ErrMode::Incomplete(_)) => Wrong { span: text.len()..text.len(), message: None },
    };
    let message = wrong.message.unwrap_or_else(|| expected(text, wrong.span.start));
    Err(Error::formula(place, text, wrong.span, message))
}

fn expected(text: &str, at: usize) -> String {
    match text.get(at..).map(str::trim_start) {
        None | Some("") => "the formula ends where a name, a number or a text is expected".into(),
        Some(rest) => {
            let found: String = rest.chars().take(1).collect();
            format!("a name, a number or a text is expected here, not {found}")
        }
    }
}

fn whole(input: &mut Input<'_>) -> Parsed<Expr> {
    let expr = chain(input, 1)?;
    let _ = multispace0.parse_next(input)?;
    let rest: &str = &input.input;
    if rest.is_empty() {
        return Ok(expr);
    }
    let at = input.current_token_start();
    let message = match rest.chars().next() {
        Some(')') => "this bracket closes nothing".into(),
        Some('=') => "one = compares; there is no ==".into(),
        Some(c) if c.is_alphanumeric() || c == '"' || c == '\'' => {
            "an operator is missing before this".into()
        }
        Some(c) => format!("{c} has no meaning here"),
        None => String::new(),
    };
    cut(at..at + 1, message)
}

fn cut<T>(span: Range<usize>, message: impl Into<String>) -> Parsed<T> {
    Err(ErrMode::Cut(Wrong { span, message: Some(message.into()) }))
}

fn deeper<T>(input: &mut Input<'_>, inner: impl FnOnce(&mut Input<'_>) -> Parsed<T>) -> Parsed<T> {
    if input.state >= DEEPEST {
        let at = input.current_token_start();
        return cut(at..at + 1, format!("a formula may be {DEEPEST} levels deep, and this goes deeper"));
    }
    input.state += 1;
    let result = inner(input);
    input.state -= 1;
    result
}

/// A chain of operators that bind at least as tightly as `strength`.
fn chain(input: &mut Input<'_>, strength: u8) -> Parsed<Expr> {
    let mut left = operand(input)?;
    let mut links = 0;
    let mut compared = false;
    loop {
        let start = input.checkpoint();
        let Some((operator, span)) = opt(operator).parse_next(input)? else { return Ok(left) };
        if operator.strength() < strength {
            input.reset(&start);
            return Ok(left);
        }
        links += 1;
        if links > DEEPEST {
            return cut(span, format!("a formula may chain {DEEPEST} operators, and this is one more"));
        }
        if operator.strength() == Operator::Equal.strength() && std::mem::replace(&mut compared, true) {
            return cut(span, "comparisons do not chain; join two of them with and");
        }
        compared &= operator.strength() == Operator::Equal.strength();
        let right = deeper(input, |input| chain(input, operator.strength() + 1))?;
        let span = left.span.start..right.span.end;
        left = Expr { node: Node::Binary(operator, Box::new(left), Box::new(right)), span };
    }
}

fn operator(input: &mut Input<'_>) -> Parsed<(Operator, Range<usize>)> {
    use Operator::*;
    preceded(
        multispace0,
        alt((
            alt((
                "<>".value(NotEqual),
                "!=".value(NotEqual),
                "<=".value(LessOrEqual),
                ">=".value(GreaterOrEqual),
                "<".value(Less),
                ">".value(Greater),
                "=".value(Equal),
            )),
            alt(("+".value(Add), "-".value(Subtract), "*".value(Multiply), "/".value(Divide))),
            word.verify_map(|word: &str| match word {
                "and" => Some(And),
                "or" => Some(Or),
                _ => None,
            }),
        ))
        .with_span(),
    )
    .parse_next(input)
}

/// A run of letters, digits and underscores that begins with no digit.
fn word<'a>(input: &mut Input<'a>) -> Parsed<&'a str> {
    (
        one_of(|c: char| c.is_alphabetic() || c == '_'),
        take_while(0.., |c: char| c.is_alphanumeric() || c == '_'),
    )
        .take()
        .parse_next(input)
}

fn operand(input: &mut Input<'_>) -> Parsed<Expr> {
    let _ = multispace0.parse_next(input)?;
    let start = input.current_token_start();
    let first = input.input.chars().next();
    let node = match first {
        Some('-') => {
            let _ = any.parse_next(input)?;
            let inner = deeper(input, operand)?;
            Node::Negate(Box::new(inner))
        }
        Some('(') => {
            let _ = any.parse_next(input)?;
            let inner = deeper(input, |input| chain(input, 1))?;
            close(input, start)?;
            return Ok(Expr { node: inner.node, span: start..input.previous_token_end() });
        }
        Some('\'') => Node::Text(quoted(input, '\'')?),
        Some('"') => name(input)?,
        Some(c) if c.is_ascii_digit() || c == '.' => number(input)?,
        Some(c) if c.is_alphabetic() || c == '_' => named(input)?,
        _ => return Err(ErrMode::Cut(Wrong::from_input(input))),
    };
    Ok(Expr { node, span: start..input.previous_token_end() })
}

fn close(input: &mut Input<'_>, opened: usize) -> Parsed<()> {
    match opt(preceded(multispace0, ")")).parse_next(input)? {
        Some(_) => Ok(()),
        None => cut(opened..opened + 1, "this bracket is not closed"),
    }
}

/// Text between two marks; a doubled mark stands for one.
fn quoted(input: &mut Input<'_>, mark: char) -> Parsed<String> {
    let start = input.current_token_start();
    let _ = any.parse_next(input)?;
    let mut text = String::new();
    loop {
        text.push_str(take_while(0.., |c: char| c != mark).parse_next(input)?);
        if opt(mark).parse_next(input)?.is_none() {
            return cut(start..start + 1, format!("this {mark} is not closed"));
        }
        if opt(mark).parse_next(input)?.is_none() {
            return Ok(text);
        }
        text.push(mark);
    }
}

fn number(input: &mut Input<'_>) -> Parsed<Node> {
    let start = input.current_token_start();
    let text =
        take_while(1.., |c: char| c.is_ascii_alphanumeric() || c == '.' || c == '_').parse_next(input)?;
    let end = input.previous_token_end();
    let percent = opt('%').parse_next(input)?.is_some();
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let digits = format!("{whole}{fraction}");
    let plain = !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit());
    if !plain {
        return cut(start..end, "this is not a number; write it like 1250 or 12.50 or 25%");
    }
    let scale = fraction.len() + if percent { 2 } else { 0 };
    match digits.parse::<i128>() {
        Ok(digits) if scale <= 18 => Ok(Node::Number { digits, scale: scale as u8 }),
        _ => cut(start..end, "a number may have 38 digits, 18 of them after the point"),
    }
}

/// A name in double quotes or not, with the part of a date after a dot.
fn name(input: &mut Input<'_>) -> Parsed<Node> {
    let base = match input.input.starts_with('"') {
        true => quoted(input, '"')?,
        false => word.parse_next(input)?.to_string(),
    };
    let part = opt(preceded('.', word)).parse_next(input)?.map(str::to_string);
    Ok(Node::Name { base, part })
}

/// What begins with a bare word: `not`, a call, or a name.
fn named(input: &mut Input<'_>) -> Parsed<Node> {
    let start = input.checkpoint();
    let begin = input.current_token_start();
    let function = word.parse_next(input)?;
    let end = input.previous_token_end();
    match function {
        "not" => {
            let inner = deeper(input, |input| chain(input, 3))?;
            return Ok(Node::Not(Box::new(inner)));
        }
        "and" | "or" => {
            return cut(begin..end, format!("{function} joins two conditions; one is missing before it"));
        }
        _ => {}
    }
    if opt(preceded(multispace0, "(")).parse_next(input)?.is_none() {
        input.reset(&start);
        return name(input);
    }
    let opened = input.previous_token_end() - 1;
    let mut arguments = Vec::new();
    if opt(preceded(multispace0, ")")).parse_next(input)?.is_none() {
        loop {
            arguments.push(deeper(input, |input| chain(input, 1))?);
            if opt(preceded(multispace0, ",")).parse_next(input)?.is_none() {
                break;
            }
        }
        close(input, opened)?;
    }
    Ok(Node::Call { function: function.to_string(), arguments })
}
