//! A chunk of fields to a record batch, a column at a time.

use std::sync::Arc;

use arrow_array::builder::make_view;
use arrow_array::types::{
    ArrowPrimitiveType, Date32Type, Decimal64Type, Decimal128Type, Float64Type, Int64Type,
};
use arrow_array::{
    Array, ArrayRef, BooleanArray, PrimitiveArray, RecordBatch, RecordBatchOptions, StringViewArray,
};
use arrow_buffer::{Buffer, NullBuffer, ScalarBuffer};
use arrow_schema::{DataType, SchemaRef};
use pivvel_core::{BadValues, Error, Kind, LineSource, Misfit, Result, Tally};

use super::records::Chunk;
use super::{Column, CsvSource};
use crate::kinds::{ColumnKind, DateReader, Misread, read_number, read_yes_no};

/// Misfits that are listed at once.
const LISTED: usize = 10;

/// Decodes the columns that a plan needs.
pub(crate) struct Decoder<'a> {
    name: &'a str,
    columns: Vec<(usize, &'a Column, DateReader)>,
    schema: SchemaRef,
    column_count: usize,
    bad_values: BadValues,
    misfits: Vec<Misfit>,
    tally: Tally,
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
    pub(crate) fn new(source: &'a CsvSource, columns: &[usize]) -> Decoder<'a> {
        let column = |i: &usize| {
            let column = &source.columns[*i];
            (*i, column, DateReader::new(column.kind.order))
        };
        let schema = source.schema();
        Decoder {
            name: &source.name,
            columns: columns.iter().map(column).collect(),
            schema: Arc::new(schema.project(columns).unwrap_or_else(|_| (*schema).clone())),
            column_count: source.columns.len(),
            bad_values: source.options.bad_values,
            misfits: Vec::new(),
            tally: Tally::default(),
        }
    }

    /// The batch of a chunk; none once values were met that stop the work.
    pub(crate) fn decode(&mut self, chunk: &mut Chunk) -> Result<Option<RecordBatch>> {
        self.check_lengths(chunk);
        let lines = chunk.len();
        let mut columns = Vec::with_capacity(self.columns.len());
        let mut texts: Vec<(usize, usize)> = Vec::new();
        let mut selected = std::mem::take(&mut self.columns);
        let mut outcome = Ok(());
        for (slot, (place, column, dates)) in selected.iter_mut().enumerate() {
            if column.kind.kind == Kind::Text {
                // Text points into the chunk's bytes, which are given away last.
                texts.push((slot, *place));
                columns.push(None);
                continue;
            }
            match self.column(chunk, *place, column, dates) {
                Ok(array) => columns.push(Some(array)),
                Err(error) => {
                    outcome = Err(error);
                    break;
                }
            }
        }
        self.columns = selected;
        outcome?;
        self.text_columns(chunk, &texts, &mut columns)?;
        self.misfits.sort_by_key(|misfit| misfit.line);
        if !self.misfits.is_empty() {
            return Ok(None);
        }
        let options = RecordBatchOptions::new().with_row_count(Some(lines));
        let columns = columns.into_iter().flatten().collect();
        RecordBatch::try_new_with_options(self.schema.clone(), columns, &options)
            .map(Some)
            .map_err(|e| Error::data(self.name, e.to_string()))
    }

    /// Whether so many misfits were met that reading on tells nothing more.
    pub(crate) fn has_enough(&self) -> bool {
        self.misfits.len() >= LISTED
    }

    /// What was left out; or the list of misfits.
    pub(crate) fn finish(mut self, empty_lines: u64) -> Result<Tally> {
        if self.misfits.is_empty() {
            self.tally.empty_lines = empty_lines;
            return Ok(self.tally);
        }
        let many = self.misfits.len() >= LISTED;
        self.misfits.truncate(LISTED);
        let column = &self.misfits[0].column;
        let more = if many { "these are the first ten; " } else { "" };
        let text = match column.is_empty() {
            true => String::new(),
            false => format!(", or --as '{column}=text' to take the column as it is"),
        };
        let hint = format!("{more}say --bad-values blank to go on without them{text}");
        Err(Error::misfits(self.name, self.misfits, hint))
    }

    fn check_lengths(&mut self, chunk: &Chunk) {
        for (line, found, stretch) in &chunk.ragged {
            if self.bad_values == BadValues::Blank {
                self.tally.blanked += 1;
                continue;
            }
            let hint = if *stretch > 1 {
                format!(", over {stretch} lines of text: is a quote not closed?")
            } else {
                String::new()
            };
            self.misfits.push(Misfit {
                line: chunk.line_number(*line),
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
    ) -> Result<ArrayRef> {
        let kind = &column.kind;
        Ok(match kind.kind {
            Kind::Date => {
                let array =
                    self.primitive::<Date32Type>(chunk, place, column, |text| match dates.read(text) {
                        Some(day) => Read::Value(day),
                        None => Read::Misfit,
                    })?;
                Arc::new(array)
            }
            Kind::Float => {
                let array =
                    self.primitive::<Float64Type>(chunk, place, column, |text| read_float(text, kind))?;
                Arc::new(array)
            }
            Kind::YesNo => {
                let read =
                    |text: &str| read_yes_no(text).map_or(Read::Misfit, |yes| Read::Value(i64::from(yes)));
                let array = self.primitive::<Int64Type>(chunk, place, column, read)?;
                let values = array.values().iter().map(|v| *v == 1).collect();
                Arc::new(BooleanArray::new(values, array.nulls().cloned()))
            }
            Kind::Whole if !kind.wide => {
                Arc::new(self.primitive::<Int64Type>(chunk, place, column, |text| {
                    narrow(read_exact(text, kind, 0), kind)
                })?)
            }
            Kind::Decimal { scale } if !kind.wide => {
                let read = |text: &str| narrow(read_exact(text, kind, scale), kind);
                let array = self.primitive::<Decimal64Type>(chunk, place, column, read)?;
                Arc::new(array.with_data_type(DataType::Decimal64(18, scale as i8)))
            }
            Kind::Whole | Kind::Decimal { .. } => {
                let scale = if let Kind::Decimal { scale } = kind.kind { scale } else { 0 };
                let read = |text: &str| read_exact(text, kind, scale);
                let array = self.primitive::<Decimal128Type>(chunk, place, column, read)?;
                Arc::new(array.with_data_type(DataType::Decimal128(38, scale as i8)))
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
        mut read: impl FnMut(&str) -> Read<T::Native>,
    ) -> Result<PrimitiveArray<T>> {
        let lines = chunk.len();
        let mut values = Vec::with_capacity(lines);
        let mut blanks: Vec<usize> = Vec::new();
        for line in 0..lines {
            let field = chunk.field(line, place);
            let outcome = match std::str::from_utf8(field) {
                Ok("") => Read::Blank,
                Ok(text) => read(text),
                Err(_) => Read::Misfit,
            };
            let value = match outcome {
                Read::Value(value) => value,
                Read::Wider(kind) if !column.kind.given => {
                    let place = format!("{}, line {}", self.name, chunk.line_number(line));
                    return Err(Error::widen(place, &column.name, column.kind.kind, kind));
                }
                other => {
                    let space = field.iter().all(u8::is_ascii_whitespace);
                    if !matches!(other, Read::Blank) && !space {
                        self.misfit(chunk, line, column, field);
                    }
                    blanks.push(line);
                    T::Native::default()
                }
            };
            values.push(value);
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
            self.tally.blanked += 1;
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
            line: chunk.line_number(line),
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
    ) -> Result<()> {
        if texts.is_empty() {
            return Ok(());
        }
        let lines = chunk.len();
        let views = |place: usize| -> Vec<u128> {
            let view = |line: usize| {
                let (start, end) = chunk.span(line, place);
                make_view(&chunk.bytes[start..end], 0, start as u32)
            };
            (0..lines).map(view).collect()
        };
        let all: Vec<Vec<u128>> = texts.iter().map(|(_, place)| views(*place)).collect();
        let bytes: Arc<[Buffer]> = Arc::new([Buffer::from_vec(std::mem::take(&mut chunk.bytes))]);
        for ((slot, place), views) in texts.iter().zip(all) {
            let array = match StringViewArray::try_new(ScalarBuffer::from(views), bytes.clone(), None) {
                Ok(array) => array,
                Err(_) => return Err(self.not_utf8(chunk, &bytes[0], *place)),
            };
            columns[*slot] = Some(Arc::new(array));
        }
        Ok(())
    }

    fn not_utf8(&self, chunk: &Chunk, bytes: &[u8], place: usize) -> Error {
        let wrong = |line: &usize| {
            let (start, end) = chunk.span(*line, place);
            std::str::from_utf8(&bytes[start..end]).is_err()
        };
        let line = (0..chunk.len()).find(wrong).map_or(0, |line| chunk.line_number(line));
        let column =
            self.columns.iter().find(|(p, ..)| *p == place).map_or("", |(_, column, _)| &column.name);
        let place = format!("{}, line {line}, column {column}", self.name);
        Error::data(place, "the text is not encoded as UTF-8; save the file as UTF-8")
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
fn narrow(read: Read<i128>, kind: &ColumnKind) -> Read<i64> {
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
