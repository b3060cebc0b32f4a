//! Spreadsheet workbooks in the ISO forms, Office Open XML (`.xlsx`) and OpenDocument (`.ods`): a
//! sheet, or a range of one, with a row of headings. A sheet is read whole into memory.

use std::io::{Read, Seek};
use std::sync::Arc;

use calamine::{Data, Range, Reader, Sheets, open_workbook_auto_from_rs};
use pivvel_core::{Error, Result};

use crate::csv::{HEAD_LINES, headings};
use crate::kinds::Evidence;
use crate::location::Part;
use crate::source::ReadOptions;
use crate::text::{AsItIs, Chunk, Chunks, Form, Split, TextColumns, TextSource, gather};

/// Rows that make a chunk.
const CHUNK: usize = 4_096;

/// The rows of a sheet after its headings, as texts.
struct Sheet {
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
    let broken = |e: calamine::Error| Error::data(name, format!("this workbook cannot be read: {e}"));
    let mut book: Sheets<_> = open_workbook_auto_from_rs(file).map_err(broken)?;
    let sheets = book.sheet_names();
    let sheet = match part.get("sheet") {
        Some(wanted) if !sheets.iter().any(|known| known == wanted) => {
            return Err(Error::unknown(name, "sheet", wanted, sheets.iter().map(String::as_str)));
        }
        Some(wanted) => wanted.to_string(),
        None => sheets.first().cloned().unwrap_or_default(),
    };
    let cells = book.worksheet_range(&sheet).map_err(broken)?;
    let place = format!("{name}, sheet {sheet}");
    let cells = match part.get("range") {
        None => cells,
        Some(range) => {
            let (start, end) = corners(range).ok_or_else(|| {
                Error::request(&place, format!("{range} is no range of cells: write it as B3:F900"))
            })?;
            let end =
                end.unwrap_or_else(|| cells.end().map_or(start, |(row, column)| (row, column.max(start.1))));
            cells.range(start, end)
        }
    };
    let (heads, first, rows) = rows(&cells, &place, name)?;
    let fields: Vec<Vec<u8>> = heads.iter().map(|head| head.clone().into_bytes()).collect();
    let (names, mut notes) = headings(&place, &fields)?;
    if part.get("sheet").is_none() && sheets.len() > 1 {
        let others = sheets[1..].join(", ");
        notes.push(format!("this is the first sheet, {sheet}; others are named after #sheet=: {others}"));
    }
    let mut evidence = vec![Evidence::default(); names.len()];
    let mut chunk = Chunk::of(names.len());
    rows.iter().take(HEAD_LINES).for_each(|row| chunk.push(row.iter().map(String::as_str)));
    gather(&chunk, chunk.len(), &mut evidence);
    let columns = TextColumns::find(names, evidence, &options.kinds, Some('.'))?;
    let form = Sheet { rows: Arc::new(rows), first };
    Ok(TextSource::new(name, columns, notes, options.bad_values, Box::new(form)))
}

type Rows = (Vec<String>, u64, Vec<Vec<String>>);

/// The headings, the row of the sheet that comes after them (from 1), and the rows from there on.
fn rows(cells: &Range<Data>, place: &str, file: &str) -> Result<Rows> {
    let (top, left) = cells.start().unwrap_or((0, 0));
    let texts = |row: &[Data]| row.iter().map(text).collect::<Vec<String>>();
    let mut rows = cells.rows().map(texts);
    let mut above = 0;
    let heads = loop {
        above += 1;
        match rows.next() {
            Some(row) if row.iter().all(String::is_empty) => {}
            Some(row) => break row,
            None => {
                return Err(Error::data(
                    place,
                    "the sheet is empty; a row with the columns' names is expected",
                ));
            }
        }
    };
    let rows: Vec<Vec<String>> = rows.collect();
    let nameless = |i: &usize| heads[*i].trim().is_empty() && rows.iter().any(|row| !row[*i].is_empty());
    let nameless: Vec<String> =
        (0..heads.len()).filter(nameless).map(|i| letters(left as usize + i)).collect();
    if let Some(some) = nameless.first() {
        let row = top + above;
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
    Ok((heads, u64::from(top + above) + 1, rows))
}

/// A cell as text: numbers in plain digits, of which a workbook has 15; dates in ISO form.
fn text(cell: &Data) -> String {
    match cell {
        Data::Empty => String::new(),
        Data::String(text) => text.clone(),
        Data::Int(number) => number.to_string(),
        Data::Float(number) => float(*number),
        Data::Bool(yes) => yes.to_string(),
        Data::DateTime(moment) if moment.is_datetime() => {
            let (year, month, day, hour, minute, second, _) = moment.to_ymd_hms_milli();
            match (hour, minute, second) {
                (0, 0, 0) => format!("{year:04}-{month:02}-{day:02}"),
                _ => format!("{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}"),
            }
        }
        Data::DateTime(span) => float(span.as_f64()),
        Data::DateTimeIso(text) => text.strip_suffix("T00:00:00").unwrap_or(text).to_string(),
        Data::DurationIso(text) => text.clone(),
        Data::Error(error) => error.to_string(),
    }
}

/// A number in the 15 digits that a workbook shows, without those that binary rounding adds.
fn float(number: f64) -> String {
    let rounded: f64 = format!("{number:.14e}").parse().unwrap_or(number);
    rounded.to_string()
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

impl Form for Sheet {
    fn chunks(&mut self, _: &[usize]) -> Result<Box<dyn Chunks>> {
        Ok(Box::new(SheetRows { rows: self.rows.clone(), at: 0 }))
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

struct SheetRows {
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
        self.rows[self.at..until].iter().for_each(|row| chunk.push(row.iter().map(String::as_str)));
        self.at = until;
        Ok(Some(number as u64))
    }
}
