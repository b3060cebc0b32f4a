//! Columns that come with types of their own: what is made of them so that they can be computed
//! with, and what they look like as text.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::*;
use arrow_array::{Array, ArrayRef, ArrowPrimitiveType, RecordBatch, RecordBatchOptions};
use arrow_schema::{DataType, Field, Schema, SchemaRef};
use chrono::NaiveDate;
use pivvel_core::brief::BadValues;
use pivvel_core::source::{Kind, Tally, usable_array, usable_schema};
use pivvel_core::{Decimal, Error, Result};

use crate::kinds::{ColumnKind, Evidence, GivenKind};
use crate::text::{Chunk, Column, Decoded, Decoder, TextColumns, Trouble, check_given, with_texts};

/// The columns of a typed source: as they come, and as they are given on.
#[derive(Debug)]
pub(crate) struct TypedColumns {
    pub(crate) columns: Vec<Column>,
    pub(crate) schema: SchemaRef,
    /// Columns that were given another kind than their own, each read by way of its text.
    retyped: Vec<Option<TextColumns>>,
    bad_values: BadValues,
}

impl TypedColumns {
    pub(crate) fn new(
        own: &Schema,
        given: &[(String, String)],
        bad_values: BadValues,
    ) -> Result<TypedColumns> {
        let names: Vec<String> = own.fields().iter().map(|field| field.name().clone()).collect();
        check_given(given, &names)?;
        let (mut columns, mut fields, mut retyped) = (Vec::new(), Vec::new(), Vec::new());
        for field in usable_schema(own).fields() {
            let name = field.name();
            let mut kind = ColumnKind::of(Kind::of(field.data_type()).unwrap_or(Kind::Text));
            let given = given.iter().rev().find(|(column, _)| column == name);
            let given = given.map(|(_, kind)| GivenKind::parse(name, kind)).transpose()?;
            let other = given.map(|given| Evidence::default().given(name, given)).transpose()?;
            match other.filter(|other| other.kind != kind.kind) {
                Some(other) => {
                    kind = other;
                    fields.push(Field::new(name, kind.data_type(), true));
                    retyped.push(Some(TextColumns::one(Column {
                        name: name.clone(),
                        kind: kind.clone(),
                        given: None,
                    })));
                }
                None => {
                    fields.push(field.as_ref().clone());
                    retyped.push(None);
                }
            }
            columns.push(Column { name: name.clone(), kind, given: None });
        }
        Ok(TypedColumns { columns, schema: Arc::new(Schema::new(fields)), retyped, bad_values })
    }

    /// Whether a column was given another kind than its own.
    pub(crate) fn is_retyped(&self, column: usize) -> bool {
        self.retyped[column].is_some()
    }

    /// A batch of some columns, by their places, as it is given on, with the values that were taken as
    /// blank; or what is wrong with it.
    pub(crate) fn batch(
        &self,
        name: &str,
        arrays: &[ArrayRef],
        places: &[usize],
        rows: usize,
    ) -> Result<(RecordBatch, u64), TypedTrouble> {
        let (mut made, mut blanked) = (Vec::with_capacity(arrays.len()), 0);
        for (array, place) in arrays.iter().zip(places) {
            made.push(match &self.retyped[*place] {
                None => usable_array(array.clone())
                    .map_err(|e| Error::caused(format!("{name}, column {}", self.columns[*place].name), e))?,
                Some(column) => {
                    let mut chunk = Chunk::of(1);
                    let mut filled = Vec::with_capacity(rows);
                    (0..rows).for_each(|row| filled.push(text(array, row)));
                    // A blank line would be dropped; here each row is kept.
                    for text in &filled {
                        chunk.push_row(std::iter::once(text.as_str()));
                    }
                    let mut decoder = Decoder::new(column, &[0], (self.bad_values, false), false);
                    match decoder.decode(&mut chunk)? {
                        Decoded::Batch(batch) => {
                            blanked += decoder.blanked;
                            with_texts(&batch, &column.schema())?.column(0).clone()
                        }
                        Decoded::Trouble(trouble) => return Err(TypedTrouble::Values(trouble)),
                    }
                }
            });
        }
        let schema = self.schema.project(places).map_err(|e| Error::caused(name, e))?;
        // Dictionaries may come as such though the schema says text.
        let fields = schema.fields().iter().zip(&made);
        let fields =
            fields.map(|(field, array)| field.as_ref().clone().with_data_type(array.data_type().clone()));
        let schema = Arc::new(Schema::new(fields.collect::<Vec<_>>()));
        let options = RecordBatchOptions::new().with_row_count(Some(rows));
        let batch =
            RecordBatch::try_new_with_options(schema, made, &options).map_err(|e| Error::caused(name, e))?;
        Ok((batch, blanked))
    }
}

/// Why a batch cannot be given on.
#[derive(Debug)]
pub(crate) enum TypedTrouble {
    Values(Trouble),
    Other(Error),
}

impl From<Error> for TypedTrouble {
    fn from(error: Error) -> TypedTrouble {
        TypedTrouble::Other(error)
    }
}

/// A value as text; nothing for a null.
fn text(array: &ArrayRef, row: usize) -> String {
    fn number<T: ArrowPrimitiveType>(array: &ArrayRef, row: usize) -> T::Native {
        array.as_primitive::<T>().value(row)
    }
    if array.is_null(row) {
        return String::new();
    }
    match array.data_type() {
        DataType::Utf8 => array.as_string::<i32>().value(row).into(),
        DataType::LargeUtf8 => array.as_string::<i64>().value(row).into(),
        DataType::Utf8View => array.as_string_view().value(row).into(),
        DataType::Dictionary(..) => {
            let dictionary = array.as_any_dictionary();
            text(dictionary.values(), dictionary.normalized_keys()[row])
        }
        DataType::Boolean => array.as_boolean().value(row).to_string(),
        DataType::Int8 => number::<Int8Type>(array, row).to_string(),
        DataType::Int16 => number::<Int16Type>(array, row).to_string(),
        DataType::Int32 => number::<Int32Type>(array, row).to_string(),
        DataType::Int64 => number::<Int64Type>(array, row).to_string(),
        DataType::UInt8 => number::<UInt8Type>(array, row).to_string(),
        DataType::UInt16 => number::<UInt16Type>(array, row).to_string(),
        DataType::UInt32 => number::<UInt32Type>(array, row).to_string(),
        DataType::UInt64 => number::<UInt64Type>(array, row).to_string(),
        DataType::Float32 => number::<Float32Type>(array, row).to_string(),
        DataType::Float64 => number::<Float64Type>(array, row).to_string(),
        DataType::Decimal64(_, scale) => decimal(number::<Decimal64Type>(array, row).into(), *scale),
        DataType::Decimal128(_, scale) => decimal(number::<Decimal128Type>(array, row), *scale),
        DataType::Date32 => {
            let day = number::<Date32Type>(array, row);
            NaiveDate::from_num_days_from_ce_opt(day.saturating_add(719_163))
                .map_or(String::new(), |date| date.to_string())
        }
        _ => match usable_array(array.clone()) {
            Ok(usable) if usable.data_type() != array.data_type() => text(&usable, row),
            _ => format!("({})", array.data_type()),
        },
    }
}

fn decimal(digits: i128, scale: i8) -> String {
    u8::try_from(scale).map_or_else(|_| digits.to_string(), |scale| Decimal::new(digits, scale).to_string())
}

/// Gives the rows that a scan of all columns reads as text.
pub(crate) fn read_texts(
    columns: usize,
    take: &mut dyn FnMut(&Chunk, u64) -> Result<()>,
    scan: impl FnOnce(&[usize], &mut dyn FnMut(RecordBatch) -> Result<()>) -> Result<Tally>,
) -> Result<Tally> {
    let all: Vec<usize> = (0..columns).collect();
    let (mut chunk, mut line, mut empty) = (Chunk::of(columns), 1, 0);
    let mut tally = scan(&all, &mut |batch| {
        chunk.clear();
        texts(&batch, &mut chunk);
        empty += chunk.empty_lines;
        take(&chunk, line)?;
        line += chunk.stretch;
        Ok(())
    })?;
    tally.count_empty_lines(empty);
    Ok(tally)
}

/// The rows of a batch as text.
fn texts(batch: &RecordBatch, chunk: &mut Chunk) {
    let rows = batch.num_rows();
    let columns: Vec<Vec<String>> = batch.columns().iter().map(|array| column_texts(array, rows)).collect();
    for row in 0..rows {
        chunk.push(columns.iter().map(|column| column[row].as_str()));
    }
}

fn column_texts(array: &ArrayRef, rows: usize) -> Vec<String> {
    if let Some(dictionary) = array.as_any_dictionary_opt() {
        let values = column_texts(dictionary.values(), dictionary.values().len());
        if values.is_empty() {
            return vec![String::new(); rows];
        }
        let keys = dictionary.normalized_keys().into_iter().enumerate();
        return keys
            .map(|(i, key)| if array.is_null(i) { String::new() } else { values[key].clone() })
            .collect();
    }
    (0..rows).map(|row| text(array, row)).collect()
}
