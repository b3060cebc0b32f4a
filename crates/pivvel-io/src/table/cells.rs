//! Cells of a table as the text forms write them.

use std::cell::RefCell;
use std::io::Write;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Decimal128Type, Float64Type, Int64Type, UInt64Type};
use arrow_array::{Array, ArrayRef, BooleanArray, PrimitiveArray, RecordBatch, StringArray};
use arrow_schema::{DataType, Field};
use pivvel_core::{Decimal, Value};

use super::EXACT;

/// A column that is read cell by cell.
pub(super) enum Column<'a> {
    Text(&'a StringArray),
    /// Numbers by their digits as text.
    Exact(&'a StringArray),
    Whole(&'a PrimitiveArray<Int64Type>),
    Count(&'a PrimitiveArray<UInt64Type>),
    Decimal(&'a PrimitiveArray<Decimal128Type>, u8),
    Float(Floats<'a>),
    Day(&'a PrimitiveArray<Date32Type>),
    YesNo(&'a BooleanArray),
}

/// Floats, which are often the same from row to row.
pub(super) struct Floats<'a> {
    array: &'a PrimitiveArray<Float64Type>,
    /// The bits of the number that was written last, and its text.
    last: RefCell<(u64, Vec<u8>)>,
}

impl Floats<'_> {
    fn write(&self, row: usize, out: &mut Vec<u8>) -> std::io::Result<()> {
        // Minus zero is zero.
        let number = self.array.value(row) + 0.0;
        // There is no number of such a name in a text form.
        if !number.is_finite() {
            return Ok(());
        }
        let (bits, text) = &mut *self.last.borrow_mut();
        if text.is_empty() || *bits != number.to_bits() {
            text.clear();
            write!(text, "{number}")?;
            *bits = number.to_bits();
        }
        out.write_all(text)
    }
}

/// A cell of a text form.
pub(super) enum Cell<'a> {
    Blank,
    Text(&'a str),
    Number(String),
    /// A day as ISO 8601 has it.
    Day(String),
    YesNo(bool),
}

/// Whether a field of a table holds numbers.
pub fn is_number(field: &Field) -> bool {
    let exact = field.metadata().contains_key(EXACT);
    exact || !matches!(field.data_type(), DataType::Utf8 | DataType::Boolean | DataType::Date32)
}

/// The rows of a table as texts, with nothing for a blank.
///
/// # Errors
/// A column of a type that no table has.
pub fn rows_as_texts(batch: &RecordBatch) -> std::io::Result<Vec<Vec<String>>> {
    let columns = columns(batch)?;
    let row = |row| columns.iter().map(|column| column.cell(row).text().to_string()).collect();
    Ok((0..batch.num_rows()).map(row).collect())
}

/// The columns of a batch.
pub(super) fn columns(batch: &RecordBatch) -> std::io::Result<Vec<Column<'_>>> {
    let schema = batch.schema_ref();
    schema.fields().iter().zip(batch.columns()).map(|(field, array)| column(field, array)).collect()
}

fn column<'a>(field: &Field, array: &'a ArrayRef) -> std::io::Result<Column<'a>> {
    Ok(match array.data_type() {
        DataType::Utf8 if field.metadata().contains_key(EXACT) => Column::Exact(array.as_string()),
        DataType::Utf8 => Column::Text(array.as_string()),
        DataType::Int64 => Column::Whole(array.as_primitive()),
        DataType::UInt64 => Column::Count(array.as_primitive()),
        DataType::Decimal128(_, scale) => Column::Decimal(array.as_primitive(), (*scale).max(0) as u8),
        DataType::Float64 => Column::Float(Floats { array: array.as_primitive(), last: RefCell::default() }),
        DataType::Date32 => Column::Day(array.as_primitive()),
        DataType::Boolean => Column::YesNo(array.as_boolean()),
        other => return Err(std::io::Error::other(format!("a table has no column of type {other}"))),
    })
}

impl<'a> Column<'a> {
    pub(super) fn cell(&self, row: usize) -> Cell<'a> {
        if self.is_blank(row) {
            return Cell::Blank;
        }
        let written = || {
            let mut text = Vec::new();
            self.write(row, &mut text);
            String::from_utf8(text).unwrap_or_default()
        };
        match self {
            Column::Text(array) => Cell::Text(array.value(row)),
            Column::Float(floats) if !floats.array.value(row).is_finite() => Cell::Blank,
            Column::Day(_) => Cell::Day(written()),
            Column::YesNo(array) => Cell::YesNo(array.value(row)),
            _ => Cell::Number(written()),
        }
    }

    /// Writes a cell as plain text; nothing of a blank one.
    pub(super) fn write(&self, row: usize, out: &mut Vec<u8>) {
        if self.is_blank(row) {
            return;
        }
        // Writing into memory cannot fail.
        let _ = match self {
            Column::Text(array) | Column::Exact(array) => out.write_all(array.value(row).as_bytes()),
            Column::Whole(array) => out.write_all(itoa::Buffer::new().format(array.value(row)).as_bytes()),
            Column::Count(array) => out.write_all(itoa::Buffer::new().format(array.value(row)).as_bytes()),
            Column::Decimal(array, scale) => write!(out, "{}", Decimal::new(array.value(row), *scale)),
            Column::Float(floats) => floats.write(row, out),
            Column::Day(array) => write!(out, "{}", Value::Date(array.value(row))),
            Column::YesNo(array) => out.write_all(if array.value(row) { b"yes" } else { b"no" }),
        };
    }

    pub(super) fn is_blank(&self, row: usize) -> bool {
        match self {
            Column::Text(array) | Column::Exact(array) => array.is_null(row),
            Column::Whole(array) => array.is_null(row),
            Column::Count(array) => array.is_null(row),
            Column::Decimal(array, _) => array.is_null(row),
            Column::Float(floats) => floats.array.is_null(row),
            Column::Day(array) => array.is_null(row),
            Column::YesNo(array) => array.is_null(row),
        }
    }
}

impl Cell<'_> {
    /// As plain text; empty for a blank.
    pub(super) fn text(&self) -> &str {
        match self {
            Cell::Blank => "",
            Cell::Text(text) => text,
            Cell::Number(text) | Cell::Day(text) => text,
            Cell::YesNo(true) => "yes",
            Cell::YesNo(false) => "no",
        }
    }
}

/// Whether a spreadsheet would take a text for a formula.
pub(super) fn runs(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r'])
}
