//! Text to tree. Every way in is limited in size and depth, so no input can exhaust the stack.

use crate::model::Decimal;
use std::ops::Range;

use winnow::ascii::multispace0;
use winnow::combinator::{alt, opt, preceded, separated};
use winnow::error::{ErrMode, ModalResult, ParserError};
use winnow::prelude::*;
use winnow::stream::{LocatingSlice, Location, Stateful, Stream};
use winnow::token::{any, one_of, take_while};

use super::expr::Checked;
use super::expr::{COMPARISON, Clause, Expr, Group, Name, Node, Operator, Place, RESERVED, Ties};
use crate::error::{Error, Remark, Result, unknown_name};

/// The longest formula that is read, in bytes.
const LONGEST: usize = 20_000;
/// The deepest nesting that is read.
const DEEPEST: u16 = 60;
/// The longest chain of operators, or list of branches, that is read.
const LONGEST_CHAIN: u16 = 200;

type Input<'a> = Stateful<LocatingSlice<&'a str>, u16>;
type Parsed<T> = ModalResult<T, Wrong>;

/// What is wrong with a formula, and where.
#[derive(Debug)]
struct Wrong {
    span: Range<usize>,
    message: Option<Remark>,
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
/// # use pivvel_core as pivvel;
/// let formula = pivvel::formula::parse("measure sales", "sum(price * quantity)")?;
/// assert_eq!(formula.to_string(), "sum(price * quantity)");
/// # Ok::<(), pivvel::Error>(())
/// ```
pub fn parse(place: &str, text: &str) -> Result<Expr> {
    read(text).map_err(|(span, message)| Error::formula(place, text, span, message))
}

/// The same; an error names the part of the text that it is about.
pub(super) fn read(text: &str) -> Checked<Expr> {
    if text.len() > LONGEST {
        let message = format!("a formula may be {LONGEST} bytes long, this one has {}", text.len());
        return Err((0..0, message.into()));
    }
    let mut input = Stateful { input: LocatingSlice::new(text), state: 0 };
    let wrong = match whole(&mut input) {
        Ok(expr) => return Ok(expr),
        Err(ErrMode::Backtrack(wrong) | ErrMode::Cut(wrong)) => wrong,
        Err(ErrMode::Incomplete(_)) => Wrong { span: text.len()..text.len(), message: None },
    };
    let message = wrong.message.unwrap_or_else(|| expected(text, wrong.span.start).into());
    Err((wrong.span, message))
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

fn cut<T>(span: Range<usize>, message: impl Into<Remark>) -> Parsed<T> {
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
    let mut left = if strength < COMPARISON { condition(input)? } else { operand(input)? };
    let mut links = 0;
    let mut compared = false;
    loop {
        let start = input.checkpoint();
        let Some((link, span)) = opt(link).parse_next(input)? else { return Ok(left) };
        if link.strength() < strength {
            input.reset(&start);
            return Ok(left);
        }
        links += 1;
        if links > LONGEST_CHAIN {
            return cut(span, format!("a formula may chain {LONGEST_CHAIN} operators, and this is one more"));
        }
        let compares = link.strength() == COMPARISON;
        if compares && std::mem::replace(&mut compared, true) {
            return cut(span, "comparisons do not chain; join two of them with and");
        }
        compared &= compares;
        let begin = left.span.start;
        let node = match link {
            Link::Operator(operator) => {
                let right = deeper(input, |input| chain(input, operator.strength() + 1))?;
                Node::Binary(operator, Box::new(left), Box::new(right))
            }
            Link::Test(negated, test) => {
                let node = tested(input, left, test)?;
                match negated {
                    true => Node::Not(Box::new(Expr { node, span: begin..input.previous_token_end() })),
                    false => node,
                }
            }
        };
        left = Expr { node, span: begin..input.previous_token_end() };
    }
}

/// A value, or `not` and what it turns round: a whole comparison.
fn condition(input: &mut Input<'_>) -> Parsed<Expr> {
    let _ = multispace0.parse_next(input)?;
    let start = input.current_token_start();
    if !next_word(input, "not") {
        return operand(input);
    }
    let inner = deeper(input, |input| chain(input, COMPARISON - 1))?;
    Ok(Expr { node: Node::Not(Box::new(inner)), span: start..input.previous_token_end() })
}

/// What may follow a value: an operator, or a test such as `in`.
#[derive(Clone, Copy)]
enum Link {
    Operator(Operator),
    /// Whether it is negated, and which.
    Test(bool, Test),
}

#[derive(Clone, Copy)]
enum Test {
    Between,
    In,
    IsBlank,
}

impl Link {
    fn strength(self) -> u8 {
        match self {
            Link::Operator(operator) => operator.strength(),
            Link::Test(..) => COMPARISON,
        }
    }
}

fn link(input: &mut Input<'_>) -> Parsed<(Link, Range<usize>)> {
    let start = input.checkpoint();
    let _ = multispace0.parse_next(input)?;
    let begin = input.current_token_start();
    if let Some(first) = opt(word).parse_next(input)? {
        let test = match first {
            "between" => Some((false, Test::Between)),
            "in" => Some((false, Test::In)),
            "is" if next_word(input, "not") => Some((true, Test::IsBlank)),
            "is" => Some((false, Test::IsBlank)),
            "not" if next_word(input, "in") => Some((true, Test::In)),
            "not" if next_word(input, "between") => Some((true, Test::Between)),
            _ => None,
        };
        if let Some((negated, test)) = test {
            let span = begin..input.previous_token_end();
            if matches!(test, Test::IsBlank) && !next_word(input, "blank") {
                return cut(span, "is asks for blank: x is blank, x is not blank");
            }
            return Ok((Link::Test(negated, test), span));
        }
    }
    input.reset(&start);
    operator.map(|(operator, span)| (Link::Operator(operator), span)).parse_next(input)
}

/// What a test has after its word.
fn tested(input: &mut Input<'_>, left: Expr, test: Test) -> Parsed<Node> {
    let left = Box::new(left);
    match test {
        Test::IsBlank => Ok(Node::IsBlank(left)),
        Test::Between => {
            let low = deeper(input, |input| chain(input, COMPARISON + 1))?;
            expect_word(input, "and", "between takes two ends: x between 1 and 5")?;
            let high = deeper(input, |input| chain(input, COMPARISON + 1))?;
            Ok(Node::Between(left, Box::new(low), Box::new(high)))
        }
        Test::In => {
            let opened = input.previous_token_end();
            if opt(preceded(multispace0, "(")).parse_next(input)?.is_none() {
                return cut(opened..opened + 1, "in takes a list in brackets: x in ('a', 'b')");
            }
            let opened = input.previous_token_end() - 1;
            let mut list = Vec::new();
            loop {
                list.push(deeper(input, |input| chain(input, 1))?);
                if opt(preceded(multispace0, ",")).parse_next(input)?.is_none() {
                    break;
                }
            }
            close(input, opened)?;
            Ok(Node::In(left, list))
        }
    }
}

/// Takes a word if it comes next.
fn next_word(input: &mut Input<'_>, wanted: &str) -> bool {
    let start = input.checkpoint();
    let found: Parsed<&str> = preceded(multispace0, word).parse_next(input);
    if found.is_ok_and(|found| found == wanted) {
        return true;
    }
    input.reset(&start);
    false
}

fn expect_word(input: &mut Input<'_>, wanted: &str, message: &str) -> Parsed<()> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    if next_word(input, wanted) { Ok(()) } else { cut(at..at + 1, message) }
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

/// A value with the places that it is read at, if any.
fn operand(input: &mut Input<'_>) -> Parsed<Expr> {
    let mut value = bare(input)?;
    let mut links = 0;
    while next_word(input, "at") {
        let place = place(input)?;
        let span = value.span.start..input.previous_token_end();
        links += 1;
        if links > 9 {
            return cut(span, "a value may be read at nine places one after the other");
        }
        value = Expr { node: Node::At(Box::new(value), place), span };
    }
    Ok(value)
}

fn bare(input: &mut Input<'_>) -> Parsed<Expr> {
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
        Some('"') => Node::Name(name(input)?),
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
    let digits_only = !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit());
    if !digits_only {
        return cut(start..end, "this is not a number; write it like 1250 or 12.50 or 25%");
    }
    let scale = fraction.len() + if percent { 2 } else { 0 };
    match digits.parse::<i128>() {
        Ok(digits) if scale <= 18 => Ok(Node::Number(Decimal::new(digits, scale as u8))),
        _ => cut(start..end, "a number may have 38 digits, 18 of them after the point"),
    }
}

/// A name in double quotes or not, with the part of a date after a dot.
fn name(input: &mut Input<'_>) -> Parsed<Name> {
    let base = match input.input.starts_with('"') {
        true => quoted(input, '"')?,
        false => word.parse_next(input)?.to_string(),
    };
    let part = opt(preceded('.', word)).parse_next(input)?.map(str::to_string);
    Ok(Name { base, part })
}

/// A name where nothing else can stand.
fn wanted_name(input: &mut Input<'_>, message: &str) -> Parsed<Name> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    match input.input.chars().next() {
        Some(c) if c.is_alphabetic() || c == '_' || c == '"' => name(input),
        _ => cut(at..at + 1, message),
    }
}

/// What begins with a bare word: `case`, `blank`, a call, or a name.
fn named(input: &mut Input<'_>) -> Parsed<Node> {
    let start = input.checkpoint();
    let begin = input.current_token_start();
    let function = word.parse_next(input)?;
    let end = input.previous_token_end();
    match function {
        "not" => return cut(begin..end, "not turns a whole condition round; put it into brackets"),
        "and" | "or" => {
            return cut(begin..end, format!("{function} joins two conditions; one is missing before it"));
        }
        "blank" => return Ok(Node::Blank),
        "case" => return deeper(input, |input| case(input, begin..end)),
        word if RESERVED.contains(&word) => {
            return cut(
                begin..end,
                format!("a value is missing before {word}; a name like that goes in double quotes"),
            );
        }
        _ => {}
    }
    if opt(preceded(multispace0, "(")).parse_next(input)?.is_none() {
        input.reset(&start);
        return name(input).map(Node::Name);
    }
    let opened = input.previous_token_end() - 1;
    let mut arguments = Vec::new();
    let mut clauses: Vec<Clause> = Vec::new();
    // moving(mean sales over 3 along month) names an aggregate first.
    if function == "moving" {
        let _ = multispace0.parse_next(input)?;
        let begin = input.current_token_start();
        let inner = wanted_name(
            input,
            "moving takes an aggregate and a measure: moving(mean sales over 3 along month)",
        )?;
        arguments.push(Expr { node: Node::Name(inner), span: begin..input.previous_token_end() });
        arguments.push(deeper(input, |input| chain(input, 1))?);
    } else {
        arguments_of(input, &mut arguments)?;
    }
    while let Some((clause, span)) = clause(input)? {
        if clauses.iter().any(|known| std::mem::discriminant(known) == std::mem::discriminant(&clause)) {
            return cut(span, "this stands here twice");
        }
        clauses.push(clause);
    }
    let before = input.checkpoint();
    if !clauses.is_empty() && opt(preceded(multispace0, ",")).parse_next(input)?.is_some() {
        let at = input.previous_token_end();
        return cut(
            at - 1..at,
            "arguments come before among, where and other clauses: quantile(x, 25% among level)",
        );
    }
    input.reset(&before);
    clauses.sort_by_key(Clause::place);
    close(input, opened)?;
    Ok(Node::Call { function: function.to_string(), arguments, clauses })
}

/// The arguments between commas; none before a closing bracket or a clause.
fn arguments_of(input: &mut Input<'_>, arguments: &mut Vec<Expr>) -> Parsed<()> {
    let start = input.checkpoint();
    let ends = opt(preceded(multispace0, ")")).parse_next(input)?.is_some() || next_word(input, "where");
    input.reset(&start);
    if ends {
        return Ok(());
    }
    loop {
        arguments.push(deeper(input, |input| chain(input, 1))?);
        if opt(preceded(multispace0, ",")).parse_next(input)?.is_none() {
            return Ok(());
        }
    }
}

fn case(input: &mut Input<'_>, span: Range<usize>) -> Parsed<Node> {
    let mut branches = Vec::new();
    while next_word(input, "when") {
        let condition = deeper(input, |input| chain(input, 1))?;
        expect_word(input, "then", "then is missing: case when … then … else … end")?;
        branches.push((condition, deeper(input, |input| chain(input, 1))?));
        if branches.len() > usize::from(LONGEST_CHAIN) {
            return cut(span, format!("case may have {LONGEST_CHAIN} branches, and this has more"));
        }
    }
    if branches.is_empty() {
        return cut(span, "case begins with a condition: case when … then … else … end");
    }
    let otherwise = match next_word(input, "else") {
        true => Some(Box::new(deeper(input, |input| chain(input, 1))?)),
        false => None,
    };
    if !next_word(input, "end") {
        return cut(span, "this case is not closed by end");
    }
    Ok(Node::Case { branches, otherwise })
}

const CLAUSES: [&str; 9] =
    ["where", "weighted by", "by", "per", "over", "along", "among", "lowest first", "ties"];

/// A clause after the arguments of a call, with its place.
fn clause(input: &mut Input<'_>) -> Parsed<Option<(Clause, Range<usize>)>> {
    let _ = multispace0.parse_next(input)?;
    let begin = input.current_token_start();
    let Some(first) = opt(word).parse_next(input)? else { return Ok(None) };
    let span = begin..input.previous_token_end();
    let clause = match first {
        "where" => Clause::Where(Box::new(deeper(input, |input| chain(input, 1))?)),
        "weighted" => {
            expect_word(input, "by", "weighted by what? mean(price weighted by quantity)")?;
            Clause::WeightedBy(Box::new(deeper(input, |input| chain(input, 1))?))
        }
        "by" => Clause::By(Box::new(deeper(input, |input| chain(input, 1))?)),
        "per" => Clause::Per(
            separated(
                1..,
                |input: &mut Input<'_>| {
                    wanted_name(input, "per wants a dimension: mean(sum(amount) per client)")
                },
                preceded(multispace0, ","),
            )
            .parse_next(input)?,
        ),
        "over" => Clause::Over(periods(input)?),
        "along" => {
            let name = wanted_name(input, "along wants a dimension: running(sales along month)")?;
            Clause::Along(name, next_word(input, "throughout"))
        }
        "among" => Clause::Among(group(input)?),
        "lowest" => {
            expect_word(input, "first", "write lowest first")?;
            Clause::LowestFirst
        }
        "ties" => Clause::Ties(ties(input)?),
        other => {
            let message = unknown_name("clause", other, CLAUSES);
            return cut(
                span,
                message.reworded(|message| format!("an operator is missing before this, or {message}")),
            );
        }
    };
    Ok(Some((clause, span)))
}

/// How many periods a window has.
fn periods(input: &mut Input<'_>) -> Parsed<u32> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    match bare(input)?.node {
        Node::Number(number) if number.scale == 0 && (1..=10_000).contains(&{ number.digits }) => {
            Ok(number.digits as u32)
        }
        _ => cut(at..input.previous_token_end(), "over wants a number of periods from 1 to 10000"),
    }
}

/// What ranks do with equal values.
fn ties(input: &mut Input<'_>) -> Parsed<Ties> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    let way = opt(word).parse_next(input)?.unwrap_or("");
    match Ties::NAMES.iter().find(|(name, _)| *name == way) {
        Some((_, ties)) => Ok(*ties),
        None => {
            let names = Ties::NAMES.iter().map(|(name, _)| *name);
            cut(at..at + way.len().max(1), unknown_name("way with ties", way, names))
        }
    }
}

fn group(input: &mut Input<'_>) -> Parsed<Group> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    let first = opt(word).parse_next(input)?.unwrap_or("");
    let name = if first == "column" && next_word(input, "siblings") { "column siblings" } else { first };
    match Group::NAMES.iter().find(|(known, _)| *known == name) {
        Some((_, group)) => Ok(*group),
        None => {
            let message = unknown_name("group of cells", name, Group::NAMES.iter().map(|(name, _)| *name));
            cut(at..at + name.len().max(1), message)
        }
    }
}

/// The place after `at`.
fn place(input: &mut Input<'_>) -> Parsed<Place> {
    let _ = multispace0.parse_next(input)?;
    let at = input.current_token_start();
    let start = input.checkpoint();
    let missing =
        "a place is wanted after at: parent, grand total, level coast, scenario 'plan', previous quarter, …";
    let quoted_name = input.input.starts_with('"');
    let first = if quoted_name { None } else { opt(word).parse_next(input)? };
    // A dimension may be called like one of these words: then a member follows it.
    let first =
        first.filter(|_| !input.input.trim_start().starts_with('\'') && !input.input.starts_with('.'));
    let place = match first {
        Some("parent") => Some(Place::Parent),
        Some("column") if next_word(input, "parent") => Some(Place::ColumnParent),
        Some("column") if next_word(input, "total") => Some(Place::ColumnTotal),
        Some("row") if next_word(input, "total") => Some(Place::RowTotal),
        Some("grand") if next_word(input, "total") => Some(Place::GrandTotal),
        Some("level") => Some(Place::Level(wanted_name(input, "level wants a dimension: at level coast")?)),
        Some("previous") => {
            Some(Place::Shifted(wanted_name(input, "previous what? at previous quarter")?, -1))
        }
        Some("next") => Some(Place::Shifted(wanted_name(input, "next what? at next quarter")?, 1)),
        Some("same") => {
            let name = wanted_name(input, "same what? at same quarter previous year")?;
            let message = "the same period of which year? at same quarter previous year";
            expect_word(input, "previous", message)?;
            expect_word(input, "year", message)?;
            Some(Place::YearBefore(name))
        }
        Some(end @ ("first" | "last")) => {
            let along = wanted_name(input, "the first of what? at first month")?;
            let of_all = next_word(input, "of");
            if of_all {
                expect_word(input, "all", "write at first month of all")?;
            }
            Some(Place::End { along, last: end == "last", of_all })
        }
        _ => None,
    };
    if let Some(place) = place {
        return Ok(place);
    }
    input.reset(&start);
    let dimension = wanted_name(input, missing)?;
    let _ = multispace0.parse_next(input)?;
    match input.input.chars().next() {
        Some('\'') => Ok(Place::Member(dimension, quoted(input, '\'')?)),
        Some(c) if c.is_ascii_digit() => {
            let digits = take_while(1.., |c: char| c.is_ascii_digit()).parse_next(input)?;
            Ok(Place::Member(dimension, digits.to_string()))
        }
        _ => {
            let known = ["parent", "column parent", "row total", "column total", "grand total"];
            let near = crate::suggest::nearest(&dimension.base, &known);
            let hint = near.map_or(String::new(), |near| format!("; did you mean {near}?"));
            let end = input.previous_token_end().max(at + 1);
            cut(at..end, format!("a member is wanted after this, as in at scenario 'plan'{hint}"))
        }
    }
}

impl Clause {
    /// Where the clause stands among others.
    pub(super) fn place(&self) -> u8 {
        match self {
            Clause::Where(_) => 0,
            Clause::WeightedBy(_) => 1,
            Clause::By(_) => 2,
            Clause::Per(_) => 3,
            Clause::Over(_) => 4,
            Clause::Along(..) => 5,
            Clause::Among(_) => 6,
            Clause::LowestFirst => 7,
            Clause::Ties(_) => 8,
        }
    }
}
