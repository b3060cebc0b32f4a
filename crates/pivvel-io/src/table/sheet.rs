//! A table as the one sheet of a workbook. Texts are texts, whatever they begin with, so none runs as a
//! formula.

use std::io::Write;

use arrow_array::{Array, RecordBatch};
use arrow_schema::{DataType, SchemaRef};
use rust_xlsxwriter::{ExcelDateTime, Format, FormatAlign, Workbook, Worksheet, XlsxError};

use super::TableSink;
use super::cells::{Cell, Column, columns, is_number};

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
    formats: Vec<Format>,
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
            DataType::Date32 => Format::new().set_num_format("yyyy-mm-dd"),
            DataType::Decimal128(_, scale) if *scale > 0 => {
                Format::new().set_num_format(format!("0.{}", "0".repeat(*scale as usize)))
            }
            _ => Format::new(),
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
        // A text of more digits than a number holds stays a text.
        for (i, column) in columns(batch)?.iter().enumerate() {
            for row in 0..batch.num_rows() {
                let cell = match column {
                    Column::Exact(array) if array.is_valid(row) => Cell::Text(array.value(row)),
                    column => column.cell(row),
                };
                let at = ((self.rows + row) as u32, i as u16);
                self.widths[i] = self.widths[i].max(cell.text().chars().count());
                write_cell(sheet, at, cell, &self.formats[i]).map_err(into_io_error)?;
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

fn write_cell(
    sheet: &mut Worksheet,
    (row, column): (u32, u16),
    cell: Cell<'_>,
    format: &Format,
) -> Result<(), XlsxError> {
    match cell {
        Cell::Blank => return Ok(()),
        Cell::Text(text) => sheet.write_string(row, column, text),
        Cell::Number(digits) => match digits.parse::<f64>() {
            Ok(number) => sheet.write_number_with_format(row, column, number, format),
            Err(_) => sheet.write_string(row, column, digits),
        },
        Cell::Day(day) => match ExcelDateTime::parse_from_str(&day) {
            Ok(date) => sheet.write_datetime_with_format(row, column, &date, format),
            // The calendar of workbooks begins in 1900.
            Err(_) => sheet.write_string(row, column, day),
        },
        Cell::YesNo(yes) => sheet.write_boolean(row, column, yes),
    }
    .map(drop)
}

fn into_io_error(error: XlsxError) -> std::io::Error {
    match error {
        XlsxError::IoError(error) => error,
        other => std::io::Error::other(other.to_string()),
    }
}
