//! The cells of a sheet that hold something. Empty ones take no memory, so that a stray cell far away costs nothing.

use std::io::{Read, Seek};

use calamine::{Data, Ods, Reader, Xlsx};
use pivvel_core::{Error, Result};

use super::{open_document, unreadable};

/// The most memory that the cells of a sheet may take by default. A sheet of a million rows and thirty
/// columns fits.
const USUAL: usize = 2 << 30;

/// An opened workbook.
pub(super) struct Book<R: Read + Seek> {
    name: String,
    form: Form<R>,
}

enum Form<R: Read + Seek> {
    Open(Box<Xlsx<R>>),
    Document(Ods<R>),
}

/// The rows of a sheet that have cells, top to bottom, each with its cells from left to right.
pub(super) struct Cells {
    pub(super) rows: Vec<(u32, Vec<(u32, String)>)>,
    /// About how much memory they take.
    bytes: usize,
    /// How much they may take.
    room: usize,
}

/// The corner where a range begins, and the one where it ends, if it does.
type Corners = ((u32, u32), Option<(u32, u32)>);

impl<R: Read + Seek + Clone> Book<R> {
    /// # Errors
    /// A file that is no workbook of the two forms, or that is damaged.
    pub(super) fn open(name: &str, file: R) -> Result<Book<R>> {
        let form = match open_document::check(name, file.clone())? {
            true => Form::Document(Ods::new(file).map_err(|e| unreadable(name, e))?),
            false => Form::Open(Box::new(Xlsx::new(file).map_err(|e| unreadable(name, e))?)),
        };
        Ok(Book { name: name.to_string(), form })
    }

    pub(super) fn sheets(&self) -> Vec<String> {
        match &self.form {
            Form::Open(book) => book.sheet_names(),
            Form::Document(book) => book.sheet_names(),
        }
    }

    /// The cells of a sheet, or of a range of it.
    ///
    /// # Errors
    /// A sheet that is damaged, or whose cells are more than there is room for.
    pub(super) fn cells(
        &mut self,
        sheet: &str,
        range: Option<Corners>,
        room: Option<usize>,
    ) -> Result<Cells> {
        let name = &self.name;
        let mut cells = Cells { rows: Vec::new(), bytes: 0, room: room.unwrap_or(USUAL) };
        match &mut self.form {
            Form::Open(book) => {
                let mut reader = book.worksheet_cells_reader(sheet).map_err(|e| unreadable(name, e))?;
                while let Some(cell) = reader.next_cell().map_err(|e| unreadable(name, e))? {
                    cells.add(name, cell.get_position(), &Data::from(cell.get_value().clone()), range)?;
                }
            }
            Form::Document(book) => {
                let all = book.worksheet_range(sheet).map_err(|e| unreadable(name, e))?;
                let (top, left) = all.start().unwrap_or((0, 0));
                for (row, column, cell) in all.used_cells() {
                    cells.add(name, (top + row as u32, left + column as u32), cell, range)?;
                }
            }
        }
        cells.rows.sort_by_key(|(row, _)| *row);
        cells.rows.iter_mut().for_each(|(_, row)| row.sort_by_key(|(column, _)| *column));
        Ok(cells)
    }
}

impl Cells {
    fn add(
        &mut self,
        name: &str,
        (row, column): (u32, u32),
        cell: &Data,
        range: Option<Corners>,
    ) -> Result<()> {
        let is_within = |((top, left), end): Corners| {
            row >= top && column >= left && end.is_none_or(|(bottom, right)| row <= bottom && column <= right)
        };
        let text = text(cell);
        if text.is_empty() || !range.is_none_or(is_within) {
            return Ok(());
        }
        self.bytes += text.len() + size_of::<(u32, String)>();
        if self.bytes > self.room {
            let size = match self.room >> 20 {
                0 => format!("{} KiB", self.room.div_ceil(1 << 10)),
                size => format!("{size} MiB"),
            };
            let message = format!(
                "the cells of this sheet do not fit in {size}; save it as .csv, which is read piece by piece, or allow more \
                 memory"
            );
            return Err(Error::data(name, message));
        }
        match self.rows.last_mut().filter(|(last, _)| *last == row) {
            Some((_, cells)) => cells.push((column, text)),
            None => self.rows.push((row, vec![(column, text)])),
        }
        Ok(())
    }
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
