//! The columns of lines that are shown: what each is computed by, and how it is typed.

use std::borrow::Cow;
use std::sync::Arc;

use arrow_array::{
    ArrayRef, BooleanArray, Date32Array, Decimal128Array, Float64Array, Int64Array, RecordBatch,
    RecordBatchOptions, StringArray,
};
use arrow_schema::{DataType, Field, Schema, SchemaRef};

use super::sorted::SortKey;
use crate::error::{Argument, Error, Result};
use crate::formula::{Columns, Evaluation, LineFormula, Numbers};
use crate::model::{Period, Type, Value};

/// A column that is shown, or that lines are sorted by.
#[derive(Debug, Clone)]
pub(super) struct Shown {
    pub(super) name: String,
    formula: LineFormula,
    narrow: bool,
}

impl Shown {
    /// A column of the lines, one that the brief derives, or a part of a date.
    pub(super) fn new(place: Argument, name: &str, columns: &mut Columns, schema: &Schema) -> Result<Shown> {
        let formula = columns.dimension(name).map_err(|message| Error::remarked(place, message))?;
        let own = schema.field_with_name(name).ok().map(|field| field.data_type());
        let narrow = own.is_some_and(|own| own.is_integer() && *own != DataType::UInt64);
        Ok(Shown { name: name.to_string(), formula, narrow })
    }

    fn field(&self) -> Field {
        let data_type = match self.formula.ty {
            Type::Exact { scale: 0 } if self.narrow => DataType::Int64,
            Type::Exact { scale } => DataType::Decimal128(38, scale as i8),
            Type::Float => DataType::Float64,
            Type::Day => DataType::Date32,
            Type::Condition => DataType::Boolean,
            Type::Text | Type::Period(_) | Type::Nothing => DataType::Utf8,
        };
        Field::new(&self.name, data_type, true)
    }

    fn array(&self, evaluation: &mut Evaluation<'_>, lines: usize) -> Result<ArrayRef> {
        let overflow = |_| Error::overflow(&self.name);
        let ty = self.formula.ty;
        Ok(match ty {
            Type::Text | Type::Nothing => {
                let texts = evaluation.texts(&self.formula).map_err(overflow)?;
                let some = |text: Cow<'_, str>| (!text.is_empty()).then(|| text.into_owned());
                Arc::new(texts.into_iter().map(some).collect::<StringArray>())
            }
            Type::Condition => {
                Arc::new(BooleanArray::from(evaluation.truths(&self.formula).map_err(overflow)?))
            }
            _ => {
                let numbers = evaluation.numbers(&self.formula).map_err(overflow)?;
                numbers_as_array(&numbers, ty, self.narrow, lines)
                    .map_err(|e| Error::caused(&self.name, e))?
            }
        })
    }

    /// What lines are sorted by.
    pub(super) fn keys(&self, batch: &RecordBatch) -> Result<Vec<Option<SortKey>>> {
        let mut evaluation = Evaluation::new(batch);
        let overflow = |_| Error::overflow(&self.name);
        match self.formula.ty {
            Type::Text | Type::Nothing => {
                let texts = evaluation.texts(&self.formula).map_err(overflow)?;
                let key = |text: Cow<'_, str>| (!text.is_empty()).then(|| SortKey::Text(text.into()));
                Ok(texts.into_iter().map(key).collect())
            }
            Type::Condition => {
                let truths = evaluation.truths(&self.formula).map_err(overflow)?;
                let number = |yes: bool| SortKey::Number(Value::Exact(i32::from(yes).into()));
                Ok(truths.into_iter().map(|truth| truth.map(number)).collect())
            }
            ty => {
                let numbers = evaluation.numbers(&self.formula).map_err(overflow)?;
                let value = |line| Some(SortKey::Number(value_at(&numbers, ty, line)?));
                Ok((0..batch.num_rows()).map(value).collect())
            }
        }
    }
}

fn value_at(numbers: &Numbers<'_>, ty: Type, line: usize) -> Option<Value> {
    if numbers.blanks.as_ref().is_some_and(|blanks| blanks.is_null(line)) {
        return None;
    }
    Some(match ty {
        Type::Exact { .. } | Type::Float => numbers.data.value(line, ty),
        _ => Value::Exact(numbers.data.digits(line).into()),
    })
}

fn numbers_as_array(
    numbers: &Numbers<'_>,
    ty: Type,
    narrow: bool,
    lines: usize,
) -> Result<ArrayRef, arrow_schema::ArrowError> {
    let value = |line| value_at(numbers, ty, line);
    let digits = |line| match value(line)? {
        Value::Exact(number) => Some(number.digits),
        _ => None,
    };
    Ok(match ty {
        Type::Float => Arc::new((0..lines).map(|line| Some(value(line)?.as_f64())).collect::<Float64Array>()),
        Type::Period(part) => {
            let label = |line| Some(Period::new(part, digits(line)? as i32).to_string());
            Arc::new((0..lines).map(label).collect::<StringArray>())
        }
        Type::Day => Arc::new((0..lines).map(|line| Some(digits(line)? as i32)).collect::<Date32Array>()),
        Type::Exact { scale: 0 } if narrow => {
            Arc::new((0..lines).map(|line| Some(digits(line)? as i64)).collect::<Int64Array>())
        }
        Type::Exact { scale } => {
            let all = (0..lines).map(digits).collect::<Decimal128Array>();
            Arc::new(all.with_precision_and_scale(38, scale as i8)?)
        }
        Type::Text | Type::Nothing | Type::Condition => unreachable!("these are no numbers"),
    })
}

/// The schema of the columns that are shown.
pub(super) fn schema(shown: &[Shown]) -> SchemaRef {
    Arc::new(Schema::new(shown.iter().map(Shown::field).collect::<Vec<_>>()))
}

/// The columns that are shown of a batch of lines.
pub(super) fn show(shown: &[Shown], schema: &SchemaRef, batch: &RecordBatch) -> Result<RecordBatch> {
    let mut evaluation = Evaluation::new(batch);
    let arrays = shown.iter().map(|shown| shown.array(&mut evaluation, batch.num_rows()));
    let options = RecordBatchOptions::new().with_row_count(Some(batch.num_rows()));
    let arrays = arrays.collect::<Result<Vec<_>>>()?;
    RecordBatch::try_new_with_options(schema.clone(), arrays, &options).map_err(|e| Error::caused("lines", e))
}
