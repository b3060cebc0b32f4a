//! A table as the one sheet of a workbook. Texts are texts, whatever they begin with, so none runs as a
//! formula.

use std::io::Write;

use arrow_array::RecordBatch;
use arrow_schema::{DataType, SchemaRef};
use rust_xlsxwriter::{ExcelDateTime, Format, FormatAlign, Workbook, Worksheet, XlsxError};

use super::TableSink;
use super::cells::{Column, Content, columns, is_number};

/// How hard workbooks are packed, from 1 to 9: more takes longer than the rest, and saves little.
pub const WORKBOOK_LEVEL: u8 = 2;

/// Rows that a sheet has, the heading among them.
const ROWS: usize = 1_048_576;

pub(super) struct SheetSink<'a> {
    out: &'a mut (dyn Write + Send),
    workbook: Workbook,
    table: SheetTable,
}

impl<'a> SheetSink<'a> {
    pub(super) fn new(schema: &SchemaRef, out: &'a mut (dyn Write + Send)) -> std::io::Result<SheetSink<'a>> {
        let mut workbook = Workbook::new();
        workbook.set_zip_compression_level(WORKBOOK_LEVEL);
        let table = SheetTable::new(workbook.add_worksheet(), schema)?;
        Ok(SheetSink { out, workbook, table })
    }
}

impl TableSink for SheetSink<'_> {
    fn write(&mut self, batch: &RecordBatch) -> std::io::Result<()> {
        self.table.write(self.workbook.worksheet_from_index(0).map_err(into_io_error)?, batch)
    }

    fn finish(mut self: Box<Self>) -> std::io::Result<()> {
        self.table.finish(self.workbook.worksheet_from_index(0).map_err(into_io_error)?)?;
        let bytes = self.workbook.save_to_buffer().map_err(into_io_error)?;
        self.out.write_all(&bytes)?;
        self.out.flush()
    }
}

/// Fills a sheet of a workbook with a table.
///
/// # Errors
/// More rows than a sheet has.
pub fn fill_sheet(
    sheet: &mut Worksheet,
    schema: &SchemaRef,
    batches: impl Iterator<Item = RecordBatch>,
) -> std::io::Result<()> {
    let mut table = SheetTable::new(sheet, schema)?;
    for batch in batches {
        table.write(sheet, &batch)?;
    }
    table.finish(sheet)
}

/// A table on its way into a sheet.
struct SheetTable {
    /// How the numbers of each column are shown, where not as they are.
    formats: Vec<Option<Format>>,
    rows: usize,
    /// The widest text of each column, in characters.
    widths: Vec<usize>,
}

impl SheetTable {
    fn new(sheet: &mut Worksheet, schema: &SchemaRef) -> std::io::Result<SheetTable> {
        sheet.set_freeze_panes(1, 0).map_err(into_io_error)?;
        for (i, field) in schema.fields().iter().enumerate() {
            let align = if is_number(field) { FormatAlign::Right } else { FormatAlign::Left };
            let head = Format::new().set_bold().set_align(align);
            sheet.write_string_with_format(0, i as u16, field.name(), &head).map_err(into_io_error)?;
        }
        let format = |data_type: &DataType| match data_type {
            DataType::Date32 => Some(Format::new().set_num_format("yyyy-mm-dd")),
            DataType::Decimal128(_, scale) if *scale > 0 => {
                Some(Format::new().set_num_format(format!("0.{}", "0".repeat(*scale as usize))))
            }
            _ => None,
        };
        let formats = schema.fields().iter().map(|field| format(field.data_type())).collect();
        let widths = schema.fields().iter().map(|field| field.name().chars().count()).collect();
        Ok(SheetTable { formats, rows: 1, widths })
    }

    fn write(&mut self, sheet: &mut Worksheet, batch: &RecordBatch) -> std::io::Result<()> {
        if self.rows + batch.num_rows() > ROWS {
            let message = "a sheet holds 1,048,576 rows; write .parquet or .csv, or fewer rows";
            return Err(std::io::Error::other(message));
        }
        let columns = columns(batch)?;
        let mut text = Vec::new();
        // Row by row, as the sheet keeps them.
        for row in 0..batch.num_rows() {
            for (place, column) in columns.iter().enumerate() {
                if row == 0 || !column.is_same_as_before(row) {
                    let width = width(column.content(row), &mut text);
                    self.widths[place] = self.widths[place].max(width);
                }
                let at = ((self.rows + row) as u32, place as u16);
                write_cell(sheet, at, column, row, self.formats[place].as_ref()).map_err(into_io_error)?;
            }
        }
        self.rows += batch.num_rows();
        Ok(())
    }

    fn finish(&self, sheet: &mut Worksheet) -> std::io::Result<()> {
        for (i, width) in self.widths.iter().enumerate() {
            sheet.set_column_width(i as u16, (*width + 2).clamp(6, 60) as f64).map_err(into_io_error)?;
        }
        Ok(())
    }
}

/// How many characters a cell has as text.
fn width(content: Content<'_, '_>, text: &mut Vec<u8>) -> usize {
    text.clear();
    match content {
        Content::Blank => 0,
        Content::Text(text) | Content::Exact(text) => text.chars().count(),
        Content::Value(column, row) => {
            column.write(row, text);
            text.len()
        }
    }
}

fn write_cell(
    sheet: &mut Worksheet,
    at: (u32, u16),
    column: &Column<'_>,
    row: usize,
    format: Option<&Format>,
) -> Result<(), XlsxError> {
    match column.content(row) {
        Content::Blank => Ok(()),
        // A text of more digits than a number holds stays a text.
        Content::Text(text) | Content::Exact(text) => sheet.write_string(at.0, at.1, text).map(drop),
        Content::Value(Column::Whole(array), row) => write_number(sheet, at, array.value(row) as f64, format),
        Content::Value(Column::Count(array), row) => write_number(sheet, at, array.value(row) as f64, format),
        // Minus zero is zero.
        Content::Value(Column::Float(array), row) => write_number(sheet, at, array.value(row) + 0.0, format),
        Content::Value(Column::YesNo(array), row) => {
            sheet.write_boolean(at.0, at.1, array.value(row)).map(drop)
        }
        Content::Value(column, row) => {
            let mut text = Vec::new();
            column.write(row, &mut text);
            write_text(sheet, at, &String::from_utf8_lossy(&text), matches!(column, Column::Day(_)), format)
        }
    }
}

fn write_number(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    number: f64,
    format: Option<&Format>,
) -> Result<(), XlsxError> {
    match format {
        Some(format) => sheet.write_number_with_format(row, column, number, format),
        None => sheet.write_number(row, column, number),
    }
    .map(drop)
}

/// Writes a day or a number that is at hand as text.
fn write_text(
    sheet: &mut Worksheet,
    at: (u32, u16),
    text: &str,
    is_day: bool,
    format: Option<&Format>,
) -> Result<(), XlsxError> {
    // The calendar of workbooks begins in 1900.
    let day = is_day.then(|| ExcelDateTime::parse_from_str(text)).and_then(Result::ok);
    match (day, text.parse(), format) {
        (Some(day), _, Some(format)) => sheet.write_datetime_with_format(at.0, at.1, &day, format).map(drop),
        (_, Ok(number), format) if !is_day => write_number(sheet, at, number, format),
        _ => sheet.write_string(at.0, at.1, text).map(drop),
    }
}

fn into_io_error(error: XlsxError) -> std::io::Error {
    match error {
        XlsxError::IoError(error) => error,
        other => std::io::Error::other(other.to_string()),
    }
}
