//! A chunk of fields to a record batch, a column at a time.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{
    ArrowPrimitiveType, Date32Type, Decimal64Type, Decimal128Type, Float64Type, Int64Type,
};
use arrow_array::{
    Array, ArrayRef, BinaryViewArray, BooleanArray, PrimitiveArray, RecordBatch, RecordBatchOptions,
};
use arrow_buffer::{Buffer, NullBuffer, ScalarBuffer};
use arrow_schema::{ArrowError, DataType, Field, Schema, SchemaRef};
use pivvel_core::brief::BadValues;
use pivvel_core::error::Misfit;
use pivvel_core::source::Kind;
use pivvel_core::{Error, Result};

use super::chunk::{Chunk, Field as TextField};
use super::coded::{CodedTexts, NotUtf8, view};
use super::columns::{Column, TextColumns};
use super::troubles::Trouble;
use crate::kinds::{ColumnKind, DateReader, Misread, QuickNumbers, plain_number, read_number, read_yes_no};

/// Misfits that are listed of one chunk.
const LISTED: usize = 10;

/// Decodes the columns that a plan needs.
pub(crate) struct Decoder<'a> {
    columns: Vec<Selected<'a>>,
    /// What batches have: texts are codes, or bytes.
    schema: SchemaRef,
    bad_values: BadValues,
    /// Whether all values of a column can be looked at where some do not fit.
    repeats: bool,
    misfits: Vec<Misfit>,
    /// Values that were taken as blank.
    pub(crate) blanked: u64,
}

/// A column that is decoded.
struct Selected<'a> {
    place: usize,
    column: &'a Column,
    dates: DateReader,
    /// The texts met so far, where they are given as codes.
    texts: Option<CodedTexts>,
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
    /// It reads as a number, and is written as a code is.
    Code,
}

impl<'a> Decoder<'a> {
    /// For some of a source's columns, by their places. Texts are given as bytes or, as long as there are few
    /// different ones in a column, as codes.
    pub(crate) fn new(
        all: &'a TextColumns,
        columns: &[usize],
        (bad_values, repeats): (BadValues, bool),
        as_codes: bool,
    ) -> Decoder<'a> {
        let select = |place: &usize| {
            let column = &all.all[*place];
            let texts = (as_codes && column.kind.kind == Kind::Text).then(CodedTexts::new);
            Selected { place: *place, column, dates: DateReader::new(column.kind.order), texts }
        };
        let mut decoder = Decoder {
            columns: columns.iter().map(select).collect(),
            schema: Arc::new(Schema::empty()),
            bad_values,
            repeats,
            misfits: Vec::new(),
            blanked: 0,
        };
        decoder.set_schema();
        decoder
    }

    fn set_schema(&mut self) {
        let field = |selected: &Selected<'_>| {
            let data_type = match (selected.column.kind.kind, &selected.texts) {
                (Kind::Text, None) => DataType::BinaryView,
                (Kind::Text, Some(_)) => {
                    DataType::Dictionary(Box::new(DataType::UInt32), Box::new(DataType::Utf8))
                }
                _ => selected.column.kind.data_type(),
            };
            Field::new(&selected.column.name, data_type, true)
        };
        self.schema = Arc::new(Schema::new(self.columns.iter().map(field).collect::<Vec<_>>()));
    }

    /// The batch of a chunk, whose bytes it may take; or what is wrong with it.
    pub(crate) fn decode(&mut self, chunk: &mut Chunk) -> Result<Decoded> {
        self.check_lengths(chunk);
        let lines = chunk.len();
        let mut selected = std::mem::take(&mut self.columns);
        let columns = self.all_columns(chunk, &mut selected);
        self.columns = selected;
        self.misfits.sort_by_key(|misfit| misfit.line());
        // What is wrong in an earlier line is reported first.
        let misfits = std::mem::take(&mut self.misfits);
        let columns = match columns {
            Ok(columns) => columns,
            Err(trouble) => return Ok(Decoded::Trouble(trouble)),
        };
        if !misfits.is_empty() {
            return Ok(Decoded::Trouble(Trouble::Misfits(misfits)));
        }
        let options = RecordBatchOptions::new().with_row_count(Some(lines));
        let batch = RecordBatch::try_new_with_options(self.schema.clone(), columns, &options);
        self.mind_full_ones();
        batch.map(Decoded::Batch).map_err(|e| Error::caused("lines", e))
    }

    /// Gives up codes where they do not pay.
    fn mind_full_ones(&mut self) {
        let full = |selected: &&mut Selected<'_>| selected.texts.as_ref().is_some_and(CodedTexts::is_full);
        let full = self.columns.iter_mut().filter(full).map(|selected| selected.texts = None).count();
        if full > 0 {
            self.set_schema();
        }
    }

    fn all_columns(
        &mut self,
        chunk: &mut Chunk,
        selected: &mut [Selected<'_>],
    ) -> Result<Vec<ArrayRef>, Trouble> {
        let mut columns = vec![None; selected.len()];
        let (texts, others): (Vec<_>, Vec<_>) =
            (0..selected.len()).partition(|slot| selected[*slot].column.kind.kind == Kind::Text);
        for slot in others {
            let Selected { place, column, dates, .. } = &mut selected[slot];
            columns[slot] = Some(self.column(chunk, *place, column, dates)?);
        }
        let mut as_bytes = Vec::new();
        for slot in texts {
            let Selected { place, column, texts, .. } = &mut selected[slot];
            match texts {
                Some(texts) => {
                    let array = texts.read(chunk, *place);
                    columns[slot] = Some(array.map_err(|NotUtf8| not_utf8(chunk, *place, column))?);
                }
                None => as_bytes.push((slot, *place, *column)),
            }
        }
        // They point into the chunk's bytes, which are given away last.
        self.bytes_columns(chunk, &as_bytes, &mut columns)?;
        Ok(columns.into_iter().flatten().collect())
    }

    fn check_lengths(&mut self, chunk: &Chunk) {
        match self.bad_values {
            BadValues::Blank => self.blanked += (chunk.broken.len() + chunk.ragged.len()) as u64,
            _ => self.misfits.extend(chunk.misshapen()),
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
                let quick = quickly(chunk, place, |field| dates.quick(field.text()));
                let read = |text: &str| dates.read(text).map_or(Read::Misfit, Read::Value);
                Arc::new(self.primitive::<Date32Type>(chunk, place, column, quick, read)?)
            }
            Kind::Float => {
                let read = |text: &str| read_float(text, kind);
                Arc::new(self.primitive::<Float64Type>(chunk, place, column, none(chunk), read)?)
            }
            Kind::YesNo => {
                let read =
                    |text: &str| read_yes_no(text).map_or(Read::Misfit, |yes| Read::Value(i64::from(yes)));
                let array = self.primitive::<Int64Type>(chunk, place, column, none(chunk), read)?;
                let values = array.values().iter().map(|v| *v == 1).collect();
                Arc::new(BooleanArray::new(values, array.nulls().cloned()))
            }
            Kind::Whole if !kind.wide => {
                let read = |text: &str| read_narrow(text, kind, 0);
                Arc::new(self.primitive::<Int64Type>(
                    chunk,
                    place,
                    column,
                    narrow(chunk, place, kind, 0),
                    read,
                )?)
            }
            Kind::Decimal { scale } if !kind.wide => {
                let (quick, read) =
                    (narrow(chunk, place, kind, scale), |text: &str| read_narrow(text, kind, scale));
                let array = self.primitive::<Decimal64Type>(chunk, place, column, quick, read)?;
                Arc::new(array.with_data_type(kind.data_type()))
            }
            Kind::Whole | Kind::Decimal { .. } => {
                let scale = if let Kind::Decimal { scale } = kind.kind { scale } else { 0 };
                let read = |text: &str| read_exact(text, kind, scale);
                let array = self.primitive::<Decimal128Type>(chunk, place, column, none(chunk), read)?;
                Arc::new(array.with_data_type(kind.data_type()))
            }
            Kind::Text => unreachable!("text is decoded by text_columns"),
        })
    }

    /// A column of numbers or dates; blanks are nulls. What was not read quickly is read by `read`.
    fn primitive<T: ArrowPrimitiveType>(
        &mut self,
        chunk: &Chunk,
        place: usize,
        column: &Column,
        quick: Quick<T::Native>,
        mut read: impl FnMut(&str) -> Read<T::Native>,
    ) -> Result<PrimitiveArray<T>, Trouble> {
        let Quick { mut values, left } = quick;
        let mut blanks: Vec<usize> = Vec::new();
        let mut wider = None;
        let again = self.repeats && !column.kind.settled;
        for line in left {
            let field = chunk.field(line, place);
            // What is no UTF-8 fits nothing.
            let outcome = match std::str::from_utf8(field) {
                Ok("") => Read::Blank,
                text => text.map_or(Read::Misfit, &mut read),
            };
            if let Read::Value(value) = outcome {
                values[line] = value;
                continue;
            }
            blanks.push(line);
            match outcome {
                Read::Wider(kind) if !column.kind.given => {
                    wider.get_or_insert((line, kind));
                }
                Read::Misfit | Read::Wider(_) | Read::Code if !field.iter().all(u8::is_ascii_whitespace) => {
                    if again && !matches!(outcome, Read::Wider(_)) {
                        let misfit = misfit_of(chunk, line, column, field);
                        return Err(Trouble::Again { column: column.name.clone(), misfit });
                    }
                    self.misfit(chunk, line, column, field);
                }
                _ => {}
            }
        }
        if let Some((line, needed)) = wider {
            let (line, name) = (chunk.line_of(line), column.name.clone());
            return Err(Trouble::Wider { line, column: name, found: column.kind.kind, needed });
        }
        let nulls = (!blanks.is_empty()).then(|| {
            let mut valid = vec![true; values.len()];
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
        self.misfits.push(misfit_of(chunk, line, column, field));
    }

    /// Text columns as views into the chunk's bytes; short texts stand in the views themselves.
    fn bytes_columns(
        &mut self,
        chunk: &mut Chunk,
        texts: &[(usize, usize, &Column)],
        columns: &mut [Option<ArrayRef>],
    ) -> Result<(), Trouble> {
        if texts.is_empty() {
            return Ok(());
        }
        // Other columns may hold what they like.
        if simdutf8::basic::from_utf8(&chunk.bytes).is_err() {
            for (_, place, column) in texts {
                let wrong = |line: usize| std::str::from_utf8(chunk.field(line, *place)).is_err();
                if (0..chunk.len()).any(wrong) {
                    return Err(not_utf8(chunk, *place, column));
                }
            }
        }
        let views = |place: usize| -> Vec<u128> {
            let bytes: &[u8] = &chunk.bytes;
            chunk.fields(place).map(|field| view(bytes, field.start, field.len())).collect()
        };
        let all: Vec<Vec<u128>> = texts.iter().map(|(_, place, _)| views(*place)).collect();
        let bytes: Arc<[Buffer]> = Arc::new([Buffer::from_vec(std::mem::take(&mut chunk.bytes))]);
        for ((slot, _, column), views) in texts.iter().zip(all) {
            let array = BinaryViewArray::try_new(ScalarBuffer::from(views), bytes.clone(), None);
            let wrong = |_| Trouble::NotUtf8 { line: 0, column: column.name.clone() };
            columns[*slot] = Some(Arc::new(array.map_err(wrong)?));
        }
        Ok(())
    }
}

/// A value that does not fit, as messages show it.
fn misfit_of(chunk: &Chunk, line: usize, column: &Column, field: &[u8]) -> Misfit {
    let wanted = match (column.kind.kind, column.kind.unit) {
        (Kind::Date, _) => format!("a date ({})", column.kind.order.words()),
        (Kind::Decimal { .. }, _) if !column.kind.given => "a number".into(),
        (Kind::Whole, _) if field.first() == Some(&b'0') => "a whole number, but a code".into(),
        (kind, _) => kind.singular(),
    };
    Misfit::value_of(chunk.line_of(line), &column.name, String::from_utf8_lossy(field), wanted)
}

/// Whether a whole number is written as no amount is: with a zero before its other digits.
fn is_padded(text: &[u8]) -> bool {
    matches!(text, [b'0', b'0'..=b'9', ..] | [b'-', b'0', b'0'..=b'9', ..])
}

/// The message about the first text of a column that is no UTF-8.
fn not_utf8(chunk: &Chunk, place: usize, column: &Column) -> Trouble {
    let wrong = |line: &usize| std::str::from_utf8(chunk.field(*line, place)).is_err();
    let line = (0..chunk.len()).find(wrong).map_or(0, |line| chunk.line_of(line));
    Trouble::NotUtf8 { line, column: column.name.clone() }
}

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
        .map_err(|e| Error::caused("lines", e))
}

/// A column of which the common way of writing was read; other lines have a default.
struct Quick<T> {
    values: Vec<T>,
    /// Lines that are still to be read.
    left: Vec<usize>,
}

/// Reads what `read` can read.
#[inline(always)]
fn quickly<T: Default>(
    chunk: &Chunk,
    place: usize,
    mut read: impl FnMut(TextField<'_>) -> Option<T>,
) -> Quick<T> {
    let mut left = Vec::new();
    let value = |(line, field)| {
        read(field).unwrap_or_else(|| {
            left.push(line);
            T::default()
        })
    };
    Quick { values: chunk.fields(place).enumerate().map(value).collect(), left }
}

/// Leaves all to be read.
fn none<T: Default + Clone>(chunk: &Chunk) -> Quick<T> {
    Quick { values: vec![T::default(); chunk.len()], left: (0..chunk.len()).collect() }
}

/// Exact numbers of 18 digits at a scale, as far as they can be read quickly.
fn narrow(chunk: &Chunk, place: usize, kind: &ColumnKind, scale: u8) -> Quick<i64> {
    match QuickNumbers::new(kind.style.point() as u8, scale) {
        // A percentage that is written without its sign is no plain number.
        // A zero before other digits is asked about.
        Some(numbers) if kind.kind == Kind::Whole && !kind.given => quickly(chunk, place, |field| {
            let text = field.text();
            // Few begin with these; how long a number is, the processor cannot foresee.
            let may_be_code = matches!(text.first(), Some(b'0' | b'-'));
            if may_be_code && is_padded(text) {
                None
            } else {
                numbers.read(text, field.tail(0)?, || field.tail(8))
            }
        }),
        Some(numbers) if kind.unit != Some('%') => {
            quickly(chunk, place, |field| numbers.read(field.text(), field.tail(0)?, || field.tail(8)))
        }
        _ => none(chunk),
    }
}

/// An exact number of 18 digits: the common way of writing quickly, the others by the rules of the column.
fn read_narrow(text: &str, kind: &ColumnKind, scale: u8) -> Read<i64> {
    if kind.kind == Kind::Whole && !kind.given && is_padded(text.as_bytes()) {
        return Read::Code;
    }
    if kind.unit != Some('%')
        && let Some((digits, fraction)) = plain_number(text.as_bytes(), kind.style.point() as u8)
        && fraction <= scale
        && let Some(digits) = digits.checked_mul(10i64.pow((scale - fraction).into()))
        && digits.unsigned_abs() < 10u64.pow(18)
    {
        return Read::Value(digits);
    }
    shorten(read_exact(text, kind, scale), kind)
}

/// An exact number at the column's scale.
fn read_exact(text: &str, kind: &ColumnKind, scale: u8) -> Read<i128> {
    if kind.kind == Kind::Whole && !kind.given && is_padded(text.as_bytes()) {
        return Read::Code;
    }
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
        Read::Code => Read::Code,
    }
}

fn read_float(text: &str, kind: &ColumnKind) -> Read<f64> {
    if let Ok(value) = text.trim().parse::<f64>() {
        // Digits that are too many for a number are a code.
        if !kind.given && text.len() > 38 && text.bytes().all(|byte| byte.is_ascii_digit()) {
            return Read::Code;
        }
        return if value.is_finite() { Read::Value(value) } else { Read::Misfit };
    }
    match read_number(text, kind.style) {
        Ok(written) => Read::Value(written.digits as f64 / 10f64.powi(written.scale.into())),
        Err(_) => Read::Misfit,
    }
}
