//! Cells of a table as the text forms write them.

use std::io::Write;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Decimal128Type, Float64Type, Int32Type, Int64Type, UInt64Type};
use arrow_array::{
    Array, ArrayRef, ArrowNativeTypeOp, ArrowPrimitiveType, BooleanArray, Int32Array, PrimitiveArray,
    RecordBatch, StringArray,
};
use arrow_schema::{DataType, Field};
use pivvel_core::{Decimal, Value};

use super::EXACT;

/// A column that is read cell by cell.
pub(super) enum Column<'a> {
    Text(&'a StringArray),
    /// Texts of a dictionary by the code of each row; whether they are digits.
    Dictionary(&'a Int32Array, &'a StringArray, bool),
    /// Numbers by their digits as text.
    Exact(&'a StringArray),
    Whole(&'a PrimitiveArray<Int64Type>),
    Count(&'a PrimitiveArray<UInt64Type>),
    Decimal(&'a PrimitiveArray<Decimal128Type>, u8),
    Float(&'a PrimitiveArray<Float64Type>),
    Day(&'a PrimitiveArray<Date32Type>),
    YesNo(&'a BooleanArray),
}

/// What a text form writes of a cell.
pub(super) enum Content<'c, 'a> {
    Blank,
    Text(&'c str),
    /// Digits, or a day among numbers.
    Exact(&'c str),
    /// A value of a column, in a row.
    Value(&'c Column<'a>, usize),
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
    use DataType::{Boolean, Date32, Dictionary, Utf8};
    let exact = field.metadata().contains_key(EXACT);
    exact || !matches!(field.data_type(), Utf8 | Dictionary(..) | Boolean | Date32)
}

/// The rows of a table as texts, with nothing for a blank.
///
/// ```
/// # use pivvel::source::TextSource;
/// # use pivvel::{Brief, CrossTab};
/// # let text = "coast,harbour,pieces\nFell,Quay,3\nSkerry,Holm,4\nFell,Haven,5\n";
/// # let mut lines = TextSource::from_reader("lines.csv", text.as_bytes(), &Default::default())?;
/// # let brief = Brief::new().rows(["coast", "harbour"]).measure(("pieces", "sum(pieces)")).tint("pieces");
/// # let crosstab = CrossTab::build(&brief, &mut lines)?;
/// use pivvel::table::rows_as_texts;
///
/// let rows = rows_as_texts(&crosstab.to_record_batch())?;
/// assert_eq!(rows.len(), 6);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
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
        DataType::Dictionary(codes, texts) if (&**codes, &**texts) == (&DataType::Int32, &DataType::Utf8) => {
            let coded = array.as_dictionary::<Int32Type>();
            let is_exact = field.metadata().contains_key(EXACT);
            Column::Dictionary(coded.keys(), coded.values().as_string(), is_exact)
        }
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
    pub(super) fn cell(&self, row: usize) -> Cell<'_> {
        let written = |column: &Column<'_>| {
            let mut text = Vec::new();
            column.write(row, &mut text);
            String::from_utf8(text).unwrap_or_default()
        };
        match self.content(row) {
            Content::Blank => Cell::Blank,
            Content::Text(text) => Cell::Text(text),
            Content::Exact(digits) => Cell::Number(digits.to_string()),
            Content::Value(day @ Column::Day(_), _) => Cell::Day(written(day)),
            Content::Value(Column::YesNo(array), _) => Cell::YesNo(array.value(row)),
            Content::Value(number, _) => Cell::Number(written(number)),
        }
    }

    /// What is to be written of a row.
    pub(super) fn content(&self, row: usize) -> Content<'_, 'a> {
        match self {
            _ if self.is_blank(row) => Content::Blank,
            Column::Text(array) => Content::Text(array.value(row)),
            Column::Exact(array) => Content::Exact(array.value(row)),
            Column::Dictionary(codes, texts, is_exact) => {
                coded(texts.value(codes.value(row) as usize), *is_exact)
            }
            value => Content::Value(value, row),
        }
    }

    /// The texts of a dictionary.
    pub(super) fn dictionary(&self) -> Option<impl Iterator<Item = Content<'_, 'a>>> {
        let Column::Dictionary(_, texts, is_exact) = self else { return None };
        Some(texts.iter().map(|text| text.map_or(Content::Blank, |text| coded(text, *is_exact))))
    }

    /// The place of a row's text in the dictionary; none for a blank.
    pub(super) fn code(&self, row: usize) -> Option<usize> {
        match self {
            Column::Dictionary(codes, ..) if codes.is_valid(row) => Some(codes.value(row) as usize),
            _ => None,
        }
    }

    /// Whether a row has just what the row before it has.
    pub(super) fn is_same_as_before(&self, row: usize) -> bool {
        fn alike<T: ArrowPrimitiveType>(array: &PrimitiveArray<T>, row: usize) -> bool {
            array.value(row).is_eq(array.value(row - 1)) && array.is_null(row) == array.is_null(row - 1)
        }
        match self {
            Column::Text(array) | Column::Exact(array) => {
                array.value(row) == array.value(row - 1) && array.is_null(row) == array.is_null(row - 1)
            }
            Column::Dictionary(codes, ..) => alike(codes, row),
            Column::Whole(array) => alike(array, row),
            Column::Count(array) => alike(array, row),
            Column::Decimal(array, _) => alike(array, row),
            Column::Float(array) => alike(array, row),
            Column::Day(array) => alike(array, row),
            Column::YesNo(array) => {
                array.value(row) == array.value(row - 1) && array.is_null(row) == array.is_null(row - 1)
            }
        }
    }

    /// Writes a value that is no text and not blank.
    pub(super) fn write(&self, row: usize, out: &mut Vec<u8>) {
        // Writing into memory cannot fail.
        let _ = match self {
            Column::Text(_) | Column::Exact(_) | Column::Dictionary(..) => Ok(()),
            Column::Whole(array) => out.write_all(itoa::Buffer::new().format(array.value(row)).as_bytes()),
            Column::Count(array) => out.write_all(itoa::Buffer::new().format(array.value(row)).as_bytes()),
            Column::Decimal(array, scale) => write!(out, "{}", Decimal::new(array.value(row), *scale)),
            // Minus zero is zero.
            Column::Float(array) => write!(out, "{}", array.value(row) + 0.0),
            Column::Day(array) => write!(out, "{}", Value::Date(array.value(row))),
            Column::YesNo(array) => out.write_all(if array.value(row) { b"yes" } else { b"no" }),
        };
    }

    pub(super) fn is_blank(&self, row: usize) -> bool {
        match self {
            Column::Text(array) | Column::Exact(array) => array.is_null(row),
            Column::Dictionary(codes, ..) => codes.is_null(row),
            Column::Whole(array) => array.is_null(row),
            Column::Count(array) => array.is_null(row),
            Column::Decimal(array, _) => array.is_null(row),
            // There is no number of such a name in a text form.
            Column::Float(array) => array.is_null(row) || !array.value(row).is_finite(),
            Column::Day(array) => array.is_null(row),
            Column::YesNo(array) => array.is_null(row),
        }
    }
}

fn coded<'c, 'a>(text: &'c str, is_exact: bool) -> Content<'c, 'a> {
    if is_exact { Content::Exact(text) } else { Content::Text(text) }
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
