//! Cells of a table as the text forms write them.

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
    Float(&'a PrimitiveArray<Float64Type>),
    Day(&'a PrimitiveArray<Date32Type>),
    YesNo(&'a BooleanArray),
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
        DataType::Float64 => Column::Float(array.as_primitive()),
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
        match self {
            Column::Text(array) => Cell::Text(array.value(row)),
            Column::Exact(array) => Cell::Number(array.value(row).to_string()),
            Column::Whole(array) => Cell::Number(array.value(row).to_string()),
            Column::Count(array) => Cell::Number(array.value(row).to_string()),
            Column::Decimal(array, scale) => Cell::Number(Decimal::new(array.value(row), *scale).to_string()),
            // There is no number of such a name in a text form.
            Column::Float(array) if !array.value(row).is_finite() => Cell::Blank,
            // Minus zero is zero.
            Column::Float(array) => Cell::Number((array.value(row) + 0.0).to_string()),
            Column::Day(array) => Cell::Day(Value::Date(array.value(row)).to_string()),
            Column::YesNo(array) => Cell::YesNo(array.value(row)),
        }
    }

    fn is_blank(&self, row: usize) -> bool {
        match self {
            Column::Text(array) | Column::Exact(array) => array.is_null(row),
            Column::Whole(array) => array.is_null(row),
            Column::Count(array) => array.is_null(row),
            Column::Decimal(array, _) => array.is_null(row),
            Column::Float(array) => array.is_null(row),
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
