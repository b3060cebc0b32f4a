//! A table as the one sheet of a workbook. Texts are texts, whatever they begin with, so none runs as a
//! formula.

use std::io::Write;

use arrow_array::{Array, RecordBatch};
use arrow_schema::{DataType, SchemaRef};
use rust_xlsxwriter::{Format, FormatAlign, Workbook, Worksheet, XlsxError};

use super::TableSink;
use super::cells::{Cell, Column, Content, columns, is_number};

/// What the arrow of a filter takes of a heading, in characters.
const ARROW: f64 = 2.0;
/// Rows that a sheet has, the heading among them.
const ROWS: usize = 1_048_576;

pub(super) struct SheetSink<'a> {
    out: &'a mut (dyn Write + Send),
    workbook: Workbook,
    table: SheetTable,
}

impl<'a> SheetSink<'a> {
    pub(super) fn new(schema: &SchemaRef, out: &'a mut (dyn Write + Send)) -> std::io::Result<SheetSink<'a>> {
        let mut workbook = new_workbook();
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

/// An empty workbook that is compressed lightly: files are about a sixth larger than at the usual level.
pub fn new_workbook() -> Workbook {
    let mut workbook = Workbook::new();
    workbook.set_zip_compression_level(2);
    workbook
}

/// The number that a workbook has for a day, which is counted from 1970-01-01. None for days before March 1900, about which
/// programs do not agree (for some, that February had a day more), and after the year 9999.
pub fn number_of_day(day: i32) -> Option<f64> {
    const ZERO: i32 = -25_569;
    (ZERO + 61..2_932_897).contains(&day).then(|| (day - ZERO).into())
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
    rows: usize,
    /// The widest text of each column, in characters.
    widths: Vec<usize>,
    /// The format of the cells of each column. They are set last, as the crate looks for them with every cell that it is given
    /// afterwards.
    formats: Vec<Option<Format>>,
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
        let widths = schema.fields().iter().map(|field| field.name().chars().count()).collect();
        let formats = schema.fields().iter().map(|field| format(field.data_type())).collect();
        Ok(SheetTable { rows: 1, widths, formats })
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
                let written = match (number(column, row), column) {
                    (Some(number), _) => sheet.write_number(at.0, at.1, number).map(drop),
                    // A text of more digits than a number holds stays a text.
                    (None, Column::Exact(array)) if array.is_valid(row) => {
                        write_cell(sheet, at, Cell::Text(array.value(row)))
                    }
                    _ => write_cell(sheet, at, column.cell(row)),
                };
                written.map_err(into_io_error)?;
            }
        }
        self.rows += batch.num_rows();
        Ok(())
    }

    fn finish(&self, sheet: &mut Worksheet) -> std::io::Result<()> {
        if let Some(last) = self.widths.len().checked_sub(1) {
            sheet.autofilter(0, 0, self.rows as u32 - 1, last as u16).map_err(into_io_error)?;
        }
        for (i, (width, format)) in self.widths.iter().zip(&self.formats).enumerate() {
            if let Some(format) = format {
                sheet.set_column_format(i as u16, format).map_err(into_io_error)?;
            }
            sheet
                .set_column_width(i as u16, (*width + 2).clamp(6, 60) as f64 + ARROW)
                .map_err(into_io_error)?;
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

fn write_cell(sheet: &mut Worksheet, (row, place): (u32, u16), cell: Cell<'_>) -> Result<(), XlsxError> {
    match cell {
        Cell::Blank => return Ok(()),
        Cell::Number(digits) => match digits.parse::<f64>() {
            Ok(number) => sheet.write_number(row, place, number),
            Err(_) => sheet.write_string(row, place, digits),
        },
        Cell::Text(text) => sheet.write_string(row, place, text),
        Cell::Day(day) => sheet.write_string(row, place, day),
        Cell::YesNo(yes) => sheet.write_boolean(row, place, yes),
    }
    .map(drop)
}

/// The number of a cell whose column holds numbers as workbooks do.
fn number(column: &Column<'_>, row: usize) -> Option<f64> {
    match column {
        _ if column.is_blank(row) => None,
        Column::Whole(array) => Some(array.value(row) as f64),
        Column::Count(array) => Some(array.value(row) as f64),
        // Minus zero is zero.
        Column::Float(array) => Some(array.value(row) + 0.0),
        Column::Day(array) => number_of_day(array.value(row)),
        _ => None,
    }
}

fn into_io_error(error: XlsxError) -> std::io::Error {
    match error {
        XlsxError::IoError(error) => error,
        other => std::io::Error::other(other),
    }
}
