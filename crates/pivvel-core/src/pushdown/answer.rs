//! What a database answers, as states of leaf groups.

use std::sync::Arc;

use arrow_array::{ArrayRef, BooleanArray, Date32Array, Decimal128Array, Int32Array, StringArray};
use arrow_buffer::i256;

use super::statements::Pushed;
use crate::error::{Error, Result};

use crate::grouping::{Finer, Grouping, Key, LineValue, Scan, States, ValueColumns};
use crate::lines::{Dialect, Statement};
use crate::model::{Type, decimal_digits};

/// Rows that are taken at once.
const ROWS: usize = 8_192;

/// Runs a statement: every row is given as texts, with nothing for NULL.
type Answer<'a> = dyn FnMut(&Statement, &mut dyn FnMut(&[&str]) -> Result<()>) -> Result<()> + 'a;

/// Asks for the groups of a grouping; none where values are otherwise than the statements take them to
/// be.
pub(crate) fn answer<'p>(
    grouping: &'p Grouping,
    pushed: &Pushed,
    dialect: &'static dyn Dialect,
    ask: &mut Answer<'_>,
    fits: &dyn Fn(&Scan<'_>) -> Result<()>,
) -> Result<Option<Scan<'p>>> {
    let mut counts: Vec<u64> = Vec::new();
    ask(&pushed.counts, &mut |row| {
        counts = row.iter().map(|text| text.parse().unwrap_or(0)).collect();
        Ok(())
    })?;
    let [read, kept, undecided, guards @ ..] = &counts[..] else {
        return Err(Error::data("database", "it counted no lines"));
    };
    if guards.iter().any(|met| *met > 0) {
        return Ok(None);
    }
    let mut scan = Scan::new(grouping);
    scan.report.read = *read;
    scan.report.excluded = read - kept;
    scan.report.undecided = *undecided;
    let mut statements = pushed.groups.iter();
    let keys: Vec<&Key> = grouping.rows.iter().chain(&grouping.columns).collect();
    let Some(own) = statements.next() else { return Ok(None) };
    let rows = grouping.rows.len();
    let mut columns = AnswerColumns::new(&keys, &grouping.values, dialect);
    let mut as_taken = columns.fill(own, ask, &mut |keys, states| {
        scan.absorb_rows(&keys[..rows], &keys[rows..], states)?;
        fits(&scan)
    })?;
    for (place, finer) in grouping.finer.iter().enumerate() {
        let query = Query { grouping, keys: keys.clone(), dialect, fits };
        as_taken &= query.finer(finer, &mut vec![place], &mut statements, &mut scan, ask)?;
    }
    Ok(as_taken.then_some(scan))
}

/// What finer groups are asked with.
struct Query<'a> {
    grouping: &'a Grouping,
    keys: Vec<&'a Key>,
    dialect: &'static dyn Dialect,
    /// Whether what was taken fits.
    fits: &'a dyn Fn(&Scan<'_>) -> Result<()>,
}

impl<'a> Query<'a> {
    fn finer<'s>(
        &self,
        finer: &'a Finer,
        path: &mut Vec<usize>,
        statements: &mut impl Iterator<Item = &'s Statement>,
        scan: &mut Scan<'_>,
        ask: &mut Answer<'_>,
    ) -> Result<bool> {
        let Some(statement) = statements.next() else { return Ok(true) };
        let keys: Vec<&Key> = self.keys.iter().copied().chain(&finer.keys).collect();
        let (rows, columns) = (self.grouping.rows.len(), self.grouping.columns.len());
        let mut taken = AnswerColumns::new(&keys, &finer.values, self.dialect);
        let mut as_taken = taken.fill(statement, ask, &mut |keys, states| {
            let (axes, finer) = keys.split_at(rows + columns);
            scan.absorb_finer(&axes[..rows], &axes[rows..], path, finer, states)?;
            (self.fits)(scan)
        })?;
        for (place, deeper) in finer.finer.iter().enumerate() {
            path.push(place);
            let query = Query { keys: keys.clone(), ..*self };
            as_taken &= query.finer(deeper, path, statements, scan, ask)?;
            path.pop();
        }
        Ok(as_taken)
    }
}

/// Rows of an answer, column by column.
struct AnswerColumns<'a> {
    keys: Vec<(&'a Key, Vec<String>)>,
    values: &'a [LineValue],
    /// The count of lines, and then for each value its count and states.
    states: Vec<Vec<String>>,
    dialect: &'static dyn Dialect,
}

impl<'a> AnswerColumns<'a> {
    fn new(keys: &[&'a Key], values: &'a [LineValue], dialect: &'static dyn Dialect) -> AnswerColumns<'a> {
        let keys = keys.iter().map(|key| (*key, Vec::new())).collect();
        let each = |value: &LineValue| {
            let needs = value.needs;
            1 + [needs.sum, needs.low, needs.high, needs.squares].iter().filter(|needed| **needed).count()
        };
        let states = vec![Vec::new(); 1 + values.iter().map(each).sum::<usize>()];
        AnswerColumns { keys, values, states, dialect }
    }

    /// Runs a statement and gives its rows on, some at a time. False where values are otherwise than
    /// the statement takes them to be.
    fn fill(
        &mut self,
        statement: &Statement,
        ask: &mut Answer<'_>,
        take: &mut dyn FnMut(&[ArrayRef], &States) -> Result<()>,
    ) -> Result<bool> {
        let mut as_taken = true;
        ask(statement, &mut |row| {
            let (keys, rest) = row.split_at(self.keys.len());
            let (states, guards) = rest.split_at(self.states.len());
            as_taken &= guards.iter().all(|met| *met == "0");
            if !as_taken {
                return Ok(());
            }
            self.keys.iter_mut().zip(keys).for_each(|((_, column), text)| column.push(text.to_string()));
            self.states.iter_mut().zip(states).for_each(|(column, text)| column.push(text.to_string()));
            if self.states[0].len() >= ROWS { self.give(take) } else { Ok(()) }
        })?;
        if as_taken {
            self.give(take)?;
        }
        Ok(as_taken)
    }

    fn give(&mut self, take: &mut dyn FnMut(&[ArrayRef], &States) -> Result<()>) -> Result<()> {
        let rows = self.states[0].len();
        // Without keys there is always one row, also of no lines.
        let empty = self.states[0].iter().all(|lines| lines == "0");
        if rows > 0 && !empty {
            let keys: Result<Vec<ArrayRef>> =
                self.keys.iter().map(|(key, texts)| array(key, texts, self.dialect)).collect();
            let states = self.states(rows)?;
            take(&keys?, &states)?;
        }
        self.keys.iter_mut().for_each(|(_, column)| column.clear());
        self.states.iter_mut().for_each(Vec::clear);
        Ok(())
    }

    fn states(&self, rows: usize) -> Result<States> {
        let mut columns = self.states.iter();
        let mut next = || columns.next().map_or(&[][..], Vec::as_slice);
        let lines = whole(next())?;
        let mut values = Vec::with_capacity(self.values.len());
        for value in self.values {
            let scale = match (self.dialect.has_decimals(), value.formula.ty) {
                (true, Type::Exact { scale }) => scale,
                _ => 0,
            };
            let mut own = ValueColumns { present: whole(next())?, ..ValueColumns::default() };
            if value.needs.sum {
                own.sums = digits(next(), scale)?;
            }
            if value.needs.low {
                own.lows = digits(next(), scale)?;
            }
            if value.needs.high {
                own.highs = digits(next(), scale)?;
            }
            if value.needs.squares {
                let squares = next().iter().map(|text| square(text, 2 * scale)).collect::<Option<_>>();
                own.squares = squares.ok_or_else(|| Error::overflow(&value.name))?;
            }
            values.push(own);
        }
        Ok(States::of_columns(self.values, rows, lines, values))
    }
}

/// The members of a key, as arrays that the lines would have had.
fn array(key: &Key, texts: &[String], dialect: &'static dyn Dialect) -> Result<ArrayRef> {
    let some = |text: &String| (!text.is_empty()).then(|| text.clone());
    Ok(match key.formula.ty {
        Type::Text | Type::Nothing => Arc::new(StringArray::from_iter_values(texts)),
        Type::Condition => {
            let yes = |text: String| matches!(text.as_str(), "true" | "t" | "1");
            Arc::new(texts.iter().map(|text| some(text).map(yes)).collect::<BooleanArray>())
        }
        Type::Day => Arc::new(texts.iter().map(|text| text.parse::<i32>().ok()).collect::<Date32Array>()),
        Type::Period(_) => {
            Arc::new(texts.iter().map(|text| text.parse::<i32>().ok()).collect::<Int32Array>())
        }
        ty => {
            let scale = if dialect.has_decimals() { ty.scale() } else { 0 };
            let digits: Option<Vec<Option<i128>>> = texts
                .iter()
                .map(|text| if text.is_empty() { Some(None) } else { decimal_digits(text, scale).map(Some) })
                .collect();
            Arc::new(Decimal128Array::from(digits.ok_or_else(|| Error::overflow(&key.name))?))
        }
    })
}

fn whole(texts: &[String]) -> Result<Vec<u64>> {
    let numbers: Option<Vec<u64>> = texts.iter().map(|text| text.parse().ok()).collect();
    numbers.ok_or_else(|| Error::data("database", "a count is no whole number"))
}

/// Digits at a scale; nothing where there is no value.
fn digits(texts: &[String], scale: u8) -> Result<Vec<Option<i128>>> {
    let one = |text: &String| match text.is_empty() {
        true => Some(None),
        false => decimal_digits(text, scale).map(Some),
    };
    let all: Option<Vec<Option<i128>>> = texts.iter().map(one).collect();
    all.ok_or_else(|| Error::overflow("a sum over the lines"))
}

/// The digits of a sum of squares, which may be too many for 128 bits.
fn square(text: &str, scale: u8) -> Option<i256> {
    if text.is_empty() {
        return Some(i256::ZERO);
    }
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let mut digits = fraction.to_string();
    while digits.len() < usize::from(scale) {
        digits.push('0');
    }
    let (kept, rest) = digits.split_at(usize::from(scale));
    if rest.bytes().any(|digit| digit != b'0') {
        return None;
    }
    i256::from_string(&format!("{whole}{kept}"))
}
