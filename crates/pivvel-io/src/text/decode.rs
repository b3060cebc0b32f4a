//! A chunk of fields to a record batch, a column at a time.

use std::sync::Arc;

use arrow_array::builder::make_view;
use arrow_array::cast::AsArray;
use arrow_array::types::{
    ArrowPrimitiveType, Date32Type, Decimal64Type, Decimal128Type, Float64Type, Int64Type,
};
use arrow_array::{
    Array, ArrayRef, BinaryViewArray, BooleanArray, PrimitiveArray, RecordBatch, RecordBatchOptions,
};
use arrow_buffer::{Buffer, NullBuffer, ScalarBuffer};
use arrow_schema::{ArrowError, DataType, Field, FieldRef, Schema, SchemaRef};
use pivvel_core::{BadValues, Error, Kind, Misfit, Result};

use super::chunk::{Chunk, Field as TextField, Ragged};
use super::columns::{Column, TextColumns};
use super::troubles::Trouble;
use crate::kinds::{ColumnKind, DateReader, Misread, number_of_tail, plain_number, read_number, read_yes_no};

/// Misfits that are listed of one chunk.
const LISTED: usize = 10;

/// Decodes the columns that a plan needs.
pub(crate) struct Decoder<'a> {
    columns: Vec<(usize, &'a Column, DateReader)>,
    schema: SchemaRef,
    column_count: usize,
    bad_values: BadValues,
    misfits: Vec<Misfit>,
    /// Values that were taken as blank.
    pub(crate) blanked: u64,
}

/// What a chunk comes to.
pub(crate) enum Decoded {
    Batch(RecordBatch),
    Trouble(Trouble),
}

/// What became of one value.
enum Read<T> {
    Value(T),
    Blank,
    Misfit,
    /// It would fit a wider kind.
    Wider(Kind),
}

impl<'a> Decoder<'a> {
    /// For some of a source's columns, by their places.
    pub(crate) fn new(all: &'a TextColumns, columns: &[usize], bad_values: BadValues) -> Decoder<'a> {
        let column = |i: &usize| {
            let column = &all.0[*i];
            (*i, column, DateReader::new(column.kind.order))
        };
        let schema = all.schema();
        let schema = schema.project(columns).unwrap_or_else(|_| (*schema).clone());
        let bytes = |field: &FieldRef| match field.data_type() {
            DataType::Utf8View => Arc::new(Field::new(field.name(), DataType::BinaryView, true)),
            _ => field.clone(),
        };
        let schema = Arc::new(Schema::new(schema.fields().iter().map(bytes).collect::<Vec<_>>()));
        Decoder {
            columns: columns.iter().map(column).collect(),
            schema,
            column_count: all.0.len(),
            bad_values,
            misfits: Vec::new(),
            blanked: 0,
        }
    }

    /// The batch of a chunk, whose bytes it takes; or what is wrong with it.
    pub(crate) fn decode(&mut self, chunk: &mut Chunk) -> Result<Decoded> {
        self.check_lengths(chunk);
        let lines = chunk.len();
        let mut columns = Vec::with_capacity(self.columns.len());
        let mut texts: Vec<(usize, usize)> = Vec::new();
        let mut selected = std::mem::take(&mut self.columns);
        let mut trouble = None;
        for (slot, (place, column, dates)) in selected.iter_mut().enumerate() {
            if column.kind.kind == Kind::Text {
                // Text points into the chunk's bytes, which are given away last.
                texts.push((slot, *place));
                columns.push(None);
                continue;
            }
            match self.column(chunk, *place, column, dates) {
                Ok(array) => columns.push(Some(array)),
                Err(wider) => {
                    trouble = Some(wider);
                    break;
                }
            }
        }
        self.columns = selected;
        if trouble.is_none() {
            trouble = self.text_columns(chunk, &texts, &mut columns).err();
        }
        self.misfits.sort_by_key(|misfit| misfit.line);
        // What is wrong in an earlier line is told first.
        let misfits = std::mem::take(&mut self.misfits);
        if let Some(trouble) = trouble {
            return Ok(Decoded::Trouble(trouble));
        }
        if !misfits.is_empty() {
            return Ok(Decoded::Trouble(Trouble::Misfits(misfits)));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(lines));
        let columns = columns.into_iter().flatten().collect();
        RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)
            .map(Decoded::Batch)
            .map_err(|e| Error::data("lines", e.to_string()))
    }

    fn check_lengths(&mut self, chunk: &Chunk) {
        for (line, wrong) in &chunk.broken {
            if self.bad_values == BadValues::Blank {
                self.blanked += 1;
                continue;
            }
            let (line, column, value) = (*line, String::new(), String::new());
            self.misfits.push(Misfit { line, column, value, wanted: wrong.clone() });
        }
        for Ragged { line, found, stretch } in &chunk.ragged {
            if self.bad_values == BadValues::Blank {
                self.blanked += 1;
                continue;
            }
            let hint = if *stretch > 1 {
                format!(", over {stretch} lines of text: is a quote not closed?")
            } else {
                String::new()
            };
            self.misfits.push(Misfit {
                line: chunk.line_of(*line),
                column: String::new(),
                value: String::new(),
                wanted: format!("it has {found} fields where the heading has {}{hint}", self.column_count),
            });
        }
    }

    fn column(
        &mut self,
        chunk: &Chunk,
        place: usize,
        column: &Column,
        dates: &mut DateReader,
    ) -> Result<ArrayRef, Trouble> {
        let kind = &column.kind;
        Ok(match kind.kind {
            Kind::Date => {
                let read = |field: TextField<'_>| match dates.quick(field.text()) {
                    Some(day) => Read::Value(day),
                    None => with_text(field, |text| dates.read(text).map_or(Read::Misfit, Read::Value)),
                };
                Arc::new(self.primitive::<Date32Type>(chunk, place, column, read)?)
            }
            Kind::Float => {
                let read = |field: TextField<'_>| with_text(field, |text| read_float(text, kind));
                Arc::new(self.primitive::<Float64Type>(chunk, place, column, read)?)
            }
            Kind::YesNo => {
                let yes_no =
                    |text: &str| read_yes_no(text).map_or(Read::Misfit, |yes| Read::Value(i64::from(yes)));
                let read = |field: TextField<'_>| with_text(field, yes_no);
                let array = self.primitive::<Int64Type>(chunk, place, column, read)?;
                let values = array.values().iter().map(|v| *v == 1).collect();
                Arc::new(BooleanArray::new(values, array.nulls().cloned()))
            }
            Kind::Whole if !kind.wide => {
                Arc::new(self.primitive::<Int64Type>(chunk, place, column, narrow(kind, 0))?)
            }
            Kind::Decimal { scale } if !kind.wide => {
                let array = self.primitive::<Decimal64Type>(chunk, place, column, narrow(kind, scale))?;
                Arc::new(array.with_data_type(kind.data_type()))
            }
            Kind::Whole | Kind::Decimal { .. } => {
                let scale = if let Kind::Decimal { scale } = kind.kind { scale } else { 0 };
                let read = |field: TextField<'_>| with_text(field, |text| read_exact(text, kind, scale));
                let array = self.primitive::<Decimal128Type>(chunk, place, column, read)?;
                Arc::new(array.with_data_type(kind.data_type()))
            }
            Kind::Text => unreachable!("text is decoded by text_columns"),
        })
    }

    /// A column of numbers or dates; blanks are nulls.
    fn primitive<T: ArrowPrimitiveType>(
        &mut self,
        chunk: &Chunk,
        place: usize,
        column: &Column,
        mut read: impl FnMut(TextField<'_>) -> Read<T::Native>,
    ) -> Result<PrimitiveArray<T>, Trouble> {
        let lines = chunk.len();
        let mut blanks: Vec<usize> = Vec::new();
        let mut wider = None;
        let mut values = Vec::with_capacity(lines);
        chunk.each_field(place, |line, field| {
            let outcome = if field.len() == 0 { Read::Blank } else { read(field) };
            if let Read::Value(value) = outcome {
                values.push(value);
                return;
            }
            values.push(T::Native::default());
            blanks.push(line);
            match outcome {
                Read::Wider(kind) if !column.kind.given => {
                    wider.get_or_insert((line, kind));
                }
                Read::Misfit | Read::Wider(_) if !field.text().iter().all(u8::is_ascii_whitespace) => {
                    self.misfit(chunk, line, column, field.text());
                }
                _ => {}
            }
        });
        if let Some((line, needed)) = wider {
            let (line, name) = (chunk.line_of(line), column.name.clone());
            return Err(Trouble::Wider { line, column: name, found: column.kind.kind, needed });
        }
        let nulls = (!blanks.is_empty()).then(|| {
            let mut valid = vec![true; lines];
            blanks.iter().for_each(|line| valid[*line] = false);
            NullBuffer::from(valid)
        });
        Ok(PrimitiveArray::new(ScalarBuffer::from(values), nulls))
    }

    fn misfit(&mut self, chunk: &Chunk, line: usize, column: &Column, field: &[u8]) {
        if self.bad_values == BadValues::Blank {
            self.blanked += 1;
            return;
        }
        if self.misfits.len() > 100 * LISTED {
            return;
        }
        let wanted = match (column.kind.kind, column.kind.unit) {
            (Kind::Date, _) => format!("a date ({})", column.kind.order.words()),
            (Kind::Decimal { .. }, _) if !column.kind.given => "a number".into(),
            (kind, _) => kind.singular(),
        };
        self.misfits.push(Misfit {
            line: chunk.line_of(line),
            column: column.name.clone(),
            value: String::from_utf8_lossy(field).into(),
            wanted,
        });
    }

    /// Text columns as views into the chunk's bytes; short texts stand in the views themselves.
    fn text_columns(
        &mut self,
        chunk: &mut Chunk,
        texts: &[(usize, usize)],
        columns: &mut [Option<ArrayRef>],
    ) -> Result<(), Trouble> {
        if texts.is_empty() {
            return Ok(());
        }
        // Other columns may hold what they like.
        if simdutf8::basic::from_utf8(&chunk.bytes).is_err() {
            for (_, place) in texts {
                let wrong = |line: &usize| std::str::from_utf8(chunk.field(*line, *place)).is_err();
                if let Some(line) = (0..chunk.len()).find(wrong) {
                    return Err(self.not_utf8(chunk.line_of(line), *place));
                }
            }
        }
        let views = |place: usize| -> Vec<u128> {
            let mut views = Vec::with_capacity(chunk.len());
            let bytes: &[u8] = &chunk.bytes;
            chunk.each_field(place, |_, field| views.push(view(bytes, field.start, field.len())));
            views
        };
        let all: Vec<Vec<u128>> = texts.iter().map(|(_, place)| views(*place)).collect();
        let bytes: Arc<[Buffer]> = Arc::new([Buffer::from_vec(std::mem::take(&mut chunk.bytes))]);
        for ((slot, place), views) in texts.iter().zip(all) {
            let array = BinaryViewArray::try_new(ScalarBuffer::from(views), bytes.clone(), None);
            columns[*slot] = Some(Arc::new(array.map_err(|_| self.not_utf8(0, *place))?));
        }
        Ok(())
    }

    fn not_utf8(&self, line: u64, place: usize) -> Trouble {
        let column = self.columns.iter().find(|(p, ..)| *p == place);
        let column = column.map_or(String::new(), |(_, column, _)| column.name.clone());
        Trouble::NotUtf8 { line, column }
    }
}

/// The view of a text: as Arrow has it, its length and then the text itself where it has 12 bytes at
/// most.
#[inline]
fn view(bytes: &[u8], start: usize, length: usize) -> u128 {
    match bytes.get(start..start + 16) {
        Some(whole) if length <= 12 => {
            let mut word = [0; 16];
            word.copy_from_slice(whole);
            (u128::from_le_bytes(word) & FIRST[length]) << 32 | length as u128
        }
        _ => make_view(&bytes[start..start + length], 0, start as u32),
    }
}

/// So many of the lowest bytes.
const FIRST: [u128; 13] = {
    let mut kept = [0; 13];
    let mut length = 1;
    while length < 13 {
        kept[length] = (1 << (8 * length)) - 1;
        length += 1;
    }
    kept
};

/// A batch whose texts, given as bytes, are texts again.
pub(crate) fn with_texts(batch: &RecordBatch, schema: &SchemaRef) -> Result<RecordBatch> {
    let text = |array: &ArrayRef| -> Result<ArrayRef, ArrowError> {
        match array.as_binary_view_opt() {
            Some(bytes) => Ok(Arc::new(bytes.clone().to_string_view()?)),
            None => Ok(array.clone()),
        }
    };
    let options = RecordBatchOptions::new().with_row_count(Some(batch.num_rows()));
    let columns: Result<Vec<ArrayRef>, ArrowError> = batch.columns().iter().map(text).collect();
    columns
        .and_then(|columns| RecordBatch::try_new_with_options(schema.clone(), columns, &options))
        .map_err(|e| Error::data("lines", e.to_string()))
}

/// Reads a field as text; what is no UTF-8 fits nothing.
#[inline]
fn with_text<T>(field: TextField<'_>, read: impl FnOnce(&str) -> Read<T>) -> Read<T> {
    std::str::from_utf8(field.text()).map_or(Read::Misfit, read)
}

/// Reads exact numbers of 18 digits at a scale: the common way of writing quickly, the others by the
/// rules of the column.
fn narrow(kind: &ColumnKind, scale: u8) -> impl Fn(TextField<'_>) -> Read<i64> {
    let point = kind.style.point() as u8;
    // A percentage that is written without its sign is no plain number.
    let quick = kind.unit != Some('%');
    move |field| {
        if quick
            && let Some(tail) = field.tail()
            && let Some(digits) = number_of_tail(field.text(), tail, point, scale)
        {
            return Read::Value(digits);
        }
        if quick
            && let Some((digits, fraction)) = plain_number(field.text(), point)
            && fraction <= scale
            && let Some(digits) = digits.checked_mul(10i64.pow((scale - fraction).into()))
            && digits.unsigned_abs() < 10u64.pow(18)
        {
            return Read::Value(digits);
        }
        with_text(field, |text| shorten(read_exact(text, kind, scale), kind))
    }
}

/// An exact number at the column's scale.
fn read_exact(text: &str, kind: &ColumnKind, scale: u8) -> Read<i128> {
    let written = match read_number(text, kind.style) {
        Ok(written) => written,
        Err(Misread::TooLong | Misread::NotANumber) => return Read::Misfit,
    };
    // A sign may be left out, but not be another one; and a percentage is no plain number.
    let same = written.unit.is_none_or(|unit| Some(unit) == kind.unit);
    if !same || (kind.unit == Some('%')) != (written.unit == Some('%')) {
        return Read::Misfit;
    }
    match scale.checked_sub(written.scale) {
        Some(0) => Read::Value(written.digits),
        Some(more) => match written.digits.checked_mul(10i128.pow(more.into())) {
            Some(digits) => Read::Value(digits),
            None => Read::Misfit,
        },
        None => {
            let cut = 10i128.pow((written.scale - scale).into());
            match written.digits % cut {
                0 => Read::Value(written.digits / cut),
                _ => Read::Wider(Kind::Decimal { scale: written.scale }),
            }
        }
    }
}

/// The same in 18 digits.
fn shorten(read: Read<i128>, kind: &ColumnKind) -> Read<i64> {
    match read {
        Read::Value(digits) => match i64::try_from(digits) {
            Ok(digits) if digits.unsigned_abs() < 10u64.pow(18) => Read::Value(digits),
            _ => Read::Wider(kind.kind),
        },
        Read::Blank => Read::Blank,
        Read::Misfit => Read::Misfit,
        Read::Wider(kind) => Read::Wider(kind),
    }
}

fn read_float(text: &str, kind: &ColumnKind) -> Read<f64> {
    if let Ok(value) = text.trim().parse::<f64>() {
        return if value.is_finite() { Read::Value(value) } else { Read::Misfit };
    }
    match read_number(text, kind.style) {
        Ok(written) => Read::Value(written.digits as f64 / 10f64.powi(written.scale.into())),
        Err(_) => Read::Misfit,
    }
}
