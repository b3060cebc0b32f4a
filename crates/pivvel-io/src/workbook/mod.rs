//! Spreadsheet workbooks in the ISO forms, Office Open XML (`.xlsx`) and OpenDocument (`.ods`): a
//! sheet, or a range of one, with a row of headings. The cells of a sheet that hold something are read into memory.

mod cells;
mod open_document;

use std::collections::BTreeSet;
use std::io::{Read, Seek};
use std::sync::Arc;

use cells::{Book, Cells};
use pivvel_core::{Error, Result};

use crate::csv::{HEAD_LINES, headings};
use crate::kinds::Evidence;
use crate::location::Part;
use crate::source::ReadOptions;
use crate::text::{AsItIs, Chunk, Chunks, Form, Split, TextColumns, TextSource, gather};

/// Rows that make a chunk.
const CHUNK: usize = 4_096;

/// The rows of a sheet after its headings, as texts; a row without cells is empty.
struct Worksheet {
    width: usize,
    rows: Arc<Vec<Vec<String>>>,
    first: u64,
}

/// A sheet of a workbook.
pub(crate) fn open(
    name: &str,
    file: impl Read + Seek + Clone,
    part: &Part,
    options: &ReadOptions,
) -> Result<TextSource> {
    let mut book = Book::open(name, file)?;
    let sheets = book.sheets();
    let sheet = match part.get("sheet") {
        Some(wanted) if !sheets.iter().any(|known| known == wanted) => {
            return Err(Error::unknown(name, "sheet", wanted, sheets.iter().map(String::as_str)));
        }
        Some(wanted) => wanted.to_string(),
        None => sheets.first().cloned().unwrap_or_default(),
    };
    let place = format!("{name}, sheet {sheet}");
    let wrong =
        |range: &str| Error::request(&place, format!("{range} is no range of cells: write it as B3:F900"));
    let range = part.get("range").map(|range| corners(range).ok_or_else(|| wrong(range))).transpose()?;
    let cells = book.cells(&sheet, range, options.sheet_bytes)?;
    let (heads, first, rows) = rows(cells, &place, name)?;
    let fields: Vec<Vec<u8>> = heads.iter().map(|head| head.clone().into_bytes()).collect();
    let (names, mut notes) = headings(&place, &fields)?;
    if part.get("sheet").is_none() && sheets.len() > 1 {
        let others = sheets[1..].join(", ");
        notes.push(format!("this is the first sheet, {sheet}; others are named after #sheet=: {others}"));
    }
    let mut evidence = vec![Evidence::default(); names.len()];
    let mut chunk = Chunk::of(names.len());
    rows.iter().take(HEAD_LINES).for_each(|row| push(&mut chunk, row, heads.len()));
    gather(&chunk, chunk.len(), &mut evidence);
    let columns = TextColumns::find(names, evidence, &options.kinds, Some('.'))?;
    let form = Worksheet { width: heads.len(), rows: Arc::new(rows), first };
    Ok(TextSource::new(name, columns, notes, options.bad_values, Box::new(form)))
}

/// The error for a workbook that is damaged, or none at all.
fn unreadable(name: &str, why: impl std::fmt::Display) -> Error {
    Error::data(name, format!("this workbook cannot be read: {why}"))
}

type Rows = (Vec<String>, u64, Vec<Vec<String>>);

/// The headings, the row of the sheet that comes after them (from 1), and the rows from there on; a row without
/// cells is empty.
fn rows(cells: Cells, place: &str, file: &str) -> Result<Rows> {
    let Some(((top, heads), rows)) = cells.rows.split_first() else {
        return Err(Error::data(place, "the sheet is empty; a row with the columns' names is expected"));
    };
    let left = cells.rows.iter().filter_map(|(_, row)| row.first()).map(|(at, _)| *at).min().unwrap_or(0);
    let width = heads.last().map_or(0, |(at, _)| (at - left) as usize + 1);
    let dense = |row: &[(u32, String)]| {
        let mut texts = vec![String::new(); width];
        row.iter().for_each(|(at, text)| texts[(at - left) as usize].clone_from(text));
        texts
    };
    let named = dense(heads);
    let is_named = |at: &u32| named.get((at - left) as usize).is_some_and(|name| !name.trim().is_empty());
    let nameless = rows.iter().flat_map(|(_, row)| row).map(|(at, _)| *at).filter(|at| !is_named(at));
    let nameless: BTreeSet<u32> = nameless.collect();
    if let Some(first) = nameless.first() {
        let row = top + 1;
        let some = letters(*first as usize);
        let which = match nameless.len() {
            1 => format!("column {some} has"),
            n => format!("column {some} and {} more have", n - 1),
        };
        let message = format!(
            "row {row} has the headings, and {which} none; where headings are merged or stand lower, name the \
             range that begins with their row, as in {file}#range={}{}:",
            letters(left as usize),
            row + 1
        );
        return Err(Error::data(place, message));
    }
    let mut all: Vec<Vec<String>> = Vec::new();
    for (at, row) in rows {
        all.resize((at - top - 1) as usize, Vec::new());
        all.push(dense(row));
    }
    Ok((named, u64::from(*top) + 2, all))
}

type Cell = (u32, u32);

/// The corners of a range such as `B3:F900`, or `B3:` for all from there on.
fn corners(range: &str) -> Option<(Cell, Option<Cell>)> {
    let (from, to) = range.split_once(':')?;
    let to = match to {
        "" => None,
        to => Some(cell(to)?),
    };
    let from = cell(from)?;
    to.is_none_or(|to| from.0 <= to.0 && from.1 <= to.1).then_some((from, to))
}

fn cell(text: &str) -> Option<Cell> {
    let digits = text.find(|c: char| c.is_ascii_digit())?;
    let column = text[..digits].bytes().try_fold(0u32, |column, letter| {
        let letter = letter.to_ascii_uppercase();
        letter.is_ascii_uppercase().then(|| column * 26 + u32::from(letter - b'A') + 1)
    })?;
    let row: u32 = text[digits..].parse().ok()?;
    (digits <= 3).then_some((row.checked_sub(1)?, column.checked_sub(1)?))
}

/// The letters of a column, from 0.
fn letters(column: usize) -> String {
    let own = (b'A' + (column % 26) as u8) as char;
    if column < 26 { own.to_string() } else { letters(column / 26 - 1) + &own.to_string() }
}

impl Form for Worksheet {
    fn chunks(&mut self, _: &[usize]) -> Result<Box<dyn Chunks>> {
        Ok(Box::new(SheetRows { width: self.width, rows: self.rows.clone(), at: 0 }))
    }

    fn splitter(&self) -> Box<dyn Split> {
        Box::new(AsItIs)
    }

    fn repeats(&self) -> bool {
        true
    }

    fn first_line(&self) -> u64 {
        self.first
    }
}

/// Adds a row of so many columns to a chunk.
fn push(chunk: &mut Chunk, row: &[String], width: usize) {
    let blanks = std::iter::repeat_n("", width - row.len());
    chunk.push(row.iter().map(String::as_str).chain(blanks));
}

struct SheetRows {
    width: usize,
    rows: Arc<Vec<Vec<String>>>,
    at: usize,
}

impl Chunks for SheetRows {
    fn next(&mut self, chunk: &mut Chunk) -> Result<Option<u64>> {
        let until = (self.at + CHUNK).min(self.rows.len());
        if self.at == until {
            return Ok(None);
        }
        let number = self.at / CHUNK;
        self.rows[self.at..until].iter().for_each(|row| push(chunk, row, self.width));
        self.at = until;
        Ok(Some(number as u64))
    }
}
