//! Checks of an OpenDocument workbook before it is read: its content must be complete, and the range of its cells
//! must fit into memory.

use std::io::{BufReader, Read, Seek};

use pivvel_core::{Error, Result};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

use super::unreadable;

/// The most cells that the used range of a sheet may span.
const SPAN: u64 = 50_000_000;

/// Whether a packed file is an OpenDocument workbook, and a whole one.
///
/// # Errors
/// A file that is not packed as workbooks are, content that is broken off, and a range that is too large.
pub(super) fn check(name: &str, file: impl Read + Seek) -> Result<bool> {
    let mut packed = ZipArchive::new(file).map_err(|e| unreadable(name, e))?;
    let Ok(content) = packed.by_name("content.xml") else { return Ok(false) };
    let mut reader = Reader::from_reader(BufReader::new(content));
    let (mut depth, mut buffer, mut sheet) = (0u64, Vec::new(), Spanned::default());
    loop {
        buffer.clear();
        match reader.read_event_into(&mut buffer).map_err(|e| unreadable(name, e))? {
            Event::Start(tag) => {
                depth += 1;
                sheet.begin(&tag);
            }
            Event::Empty(tag) => {
                sheet.begin(&tag);
                sheet.end(tag.local_name().as_ref());
            }
            Event::End(tag) => {
                depth = depth.saturating_sub(1);
                sheet.end(tag.local_name().as_ref());
            }
            Event::Eof => break,
            _ => {}
        }
        if sheet.cells() > SPAN {
            let message = format!(
                "a sheet spans {} rows and {} columns, most of whose cells are empty: delete the rows and columns beyond the lines, \
                 or save it as .csv",
                sheet.rows, sheet.columns
            );
            return Err(Error::data(name, message));
        }
    }
    match depth {
        0 => Ok(true),
        _ => Err(unreadable(name, "its content ends in the middle")),
    }
}

/// How far the cells of a sheet reach that hold something.
#[derive(Default)]
struct Spanned {
    row: u64,
    column: u64,
    /// How often the row that is read is repeated.
    repeated: u64,
    rows: u64,
    columns: u64,
}

impl Spanned {
    fn begin(&mut self, tag: &BytesStart<'_>) {
        let number = |key: &str| {
            let value = tag.attributes().flatten().find(|a| a.key.local_name().as_ref() == key)?;
            value.value.parse::<u64>().ok()
        };
        match tag.local_name().as_ref() {
            "table" => *self = Spanned::default(),
            "table-row" => {
                self.repeated = number("number-rows-repeated").unwrap_or(1);
                self.column = 0;
            }
            "table-cell" | "covered-table-cell" => {
                self.column = self.column.saturating_add(number("number-columns-repeated").unwrap_or(1));
                if tag.attributes().flatten().any(|a| a.key.local_name().as_ref() == "value-type") {
                    self.rows = self.rows.max(self.row.saturating_add(self.repeated));
                    self.columns = self.columns.max(self.column);
                }
            }
            _ => {}
        }
    }

    fn end(&mut self, name: &str) {
        if name == "table-row" {
            self.row = self.row.saturating_add(self.repeated);
        }
    }

    fn cells(&self) -> u64 {
        self.rows.saturating_mul(self.columns)
    }
}
