//! Arrow types that can be computed with, and what the others become: moments become days, numbers of odd sizes those
//! of usual ones, and what is encoded is decoded where it is no text.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::temporal_conversions::{
    timestamp_ms_to_datetime, timestamp_ns_to_datetime, timestamp_s_to_datetime, timestamp_us_to_datetime,
};
use arrow_array::timezone::Tz;
use arrow_array::types::*;
use arrow_array::{
    Array, ArrayRef, Date32Array, Decimal64Array, Decimal128Array, Float32Array, PrimitiveArray, RunArray,
    StringArray, UInt64Array,
};
use arrow_schema::{ArrowError, DataType, Field, Schema, TimeUnit};
use arrow_select::take::take;
use chrono::{Datelike, NaiveDateTime, TimeZone};

use crate::model::{TIME_ZONE, UNSEEN};

/// The columns of lines in types that can be computed with: see [`usable_array`]. A type that cannot be is left as
/// it is, and is an error of the brief that uses the column.
///
/// ```
/// use arrow_schema::{DataType, Field, Schema, TimeUnit};
/// # use pivvel_core as pivvel;
/// use pivvel::source::usable_schema;
///
/// let moment = DataType::Timestamp(TimeUnit::Millisecond, None);
/// let schema = usable_schema(&Schema::new(vec![Field::new("sold_at", moment, false)]));
/// assert_eq!(schema.field(0).data_type(), &DataType::Date32);
/// ```
pub fn usable_schema(own: &Schema) -> Schema {
    let usable = |field: &Arc<Field>| {
        let mut metadata: HashMap<String, String> = field.metadata().clone().into();
        match value_type(field.data_type()) {
            DataType::Timestamp(_, Some(zone)) => {
                metadata.insert(TIME_ZONE.into(), zone.to_string());
            }
            DataType::Null => {
                metadata.insert(UNSEEN.into(), String::new());
            }
            _ => {}
        }
        Field::new(field.name(), usable_type(field.data_type()), true).with_metadata(metadata)
    };
    Schema::new(own.fields().iter().map(usable).collect::<Vec<_>>())
}

/// The type of the values behind an encoding.
fn value_type(own: &DataType) -> &DataType {
    match own {
        DataType::Dictionary(_, values) => value_type(values),
        DataType::RunEndEncoded(_, values) => value_type(values.data_type()),
        own => own,
    }
}

/// The type that values are computed with in.
pub fn usable_type(own: &DataType) -> DataType {
    match own {
        DataType::Timestamp(..) | DataType::Date64 => DataType::Date32,
        DataType::Decimal32(_, scale)
        | DataType::Decimal64(_, scale)
        | DataType::Decimal128(_, scale)
        | DataType::Decimal256(_, scale)
            if *scale < 0 =>
        {
            DataType::Decimal128(38, 0)
        }
        DataType::Decimal32(precision, scale) => DataType::Decimal64(*precision, *scale),
        DataType::Decimal256(_, scale) if *scale <= 38 => DataType::Decimal128(38, *scale),
        DataType::Float16 => DataType::Float32,
        DataType::Null => DataType::Utf8,
        DataType::Dictionary(_, values) => match usable_type(values) {
            // Text stays encoded: each word of the dictionary is looked up once.
            DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View if **values != DataType::Null => {
                own.clone()
            }
            other => other,
        },
        DataType::RunEndEncoded(_, values) => usable_type(values.data_type()),
        own => own.clone(),
    }
}

/// An array in the type that [`usable_type`] says. A moment becomes its day, in the time zone of its type where
/// that has one.
///
/// # Errors
/// A number of more than 38 digits; a time zone that is not known.
pub fn usable_array(array: ArrayRef) -> Result<ArrayRef, ArrowError> {
    let usable = usable_type(array.data_type());
    if usable == *array.data_type() {
        return Ok(array);
    }
    Ok(match array.data_type() {
        DataType::Null => Arc::new(StringArray::new_null(array.len())),
        DataType::Timestamp(unit, zone) => Arc::new(days(&array, *unit, zone.as_deref())?),
        DataType::Date64 => {
            let day = |moment: i64| {
                let day = i32::try_from(moment.div_euclid(MILLISECONDS));
                day.map_err(|_| ArrowError::CastError(format!("the moment {moment} is outside the calendar")))
            };
            let days: Date32Array = array.as_primitive::<Date64Type>().try_unary(day)?;
            Arc::new(days)
        }
        DataType::Float16 => {
            let wide: Float32Array = array.as_primitive::<Float16Type>().unary(f32::from);
            Arc::new(wide)
        }
        DataType::Decimal32(_, 0..) => {
            let wide: Decimal64Array = array.as_primitive::<Decimal32Type>().unary(i64::from);
            Arc::new(wide.with_data_type(usable))
        }
        DataType::Decimal32(_, scale) => {
            whole(array.as_primitive::<Decimal32Type>(), *scale, |v| Some(v.into()))?
        }
        DataType::Decimal64(_, scale) => {
            whole(array.as_primitive::<Decimal64Type>(), *scale, |v| Some(v.into()))?
        }
        DataType::Decimal128(_, scale) => whole(array.as_primitive::<Decimal128Type>(), *scale, Some)?,
        DataType::Decimal256(_, scale) => {
            let scaled = whole(array.as_primitive::<Decimal256Type>(), (*scale).min(0), |v| v.to_i128())?;
            Arc::new(scaled.as_primitive::<Decimal128Type>().clone().with_data_type(usable))
        }
        DataType::Dictionary(..) => {
            let dictionary = array.as_any_dictionary();
            take(&usable_array(dictionary.values().clone())?, dictionary.keys(), None)?
        }
        DataType::RunEndEncoded(ends, _) => match ends.data_type() {
            DataType::Int16 => decoded::<Int16Type>(&array)?,
            DataType::Int32 => decoded::<Int32Type>(&array)?,
            _ => decoded::<Int64Type>(&array)?,
        },
        other => return Err(ArrowError::CastError(format!("{other} cannot be used"))),
    })
}

const SECONDS: i64 = 86_400;
const MILLISECONDS: i64 = SECONDS * 1_000;

/// The days of moments.
fn days(array: &ArrayRef, unit: TimeUnit, zone: Option<&str>) -> Result<Date32Array, ArrowError> {
    fn of<T: ArrowTimestampType>(
        array: &ArrayRef,
        day: i64,
        zone: Option<Tz>,
        moment: fn(i64) -> Option<NaiveDateTime>,
    ) -> Result<Date32Array, ArrowError> {
        let moments: &PrimitiveArray<T> = array.as_primitive();
        let in_zone = |zone: &Tz, instant: i64| {
            let local = zone.from_utc_datetime(&moment(instant)?).naive_local();
            Some(local.date().num_days_from_ce() - DAYS_TO_1970)
        };
        moments.try_unary(|instant| {
            let day = match &zone {
                None => i32::try_from(instant.div_euclid(day)).ok(),
                Some(zone) => in_zone(zone, instant),
            };
            day.ok_or_else(|| ArrowError::CastError(format!("the moment {instant} is outside the calendar")))
        })
    }
    // A zone that is always that of the instants needs no calendar.
    let utc = |zone: &&str| !matches!(*zone, "UTC" | "Z" | "Etc/UTC" | "+00:00" | "+0000" | "00:00");
    let zone = zone.filter(utc).map(str::parse::<Tz>).transpose()?;
    match unit {
        TimeUnit::Second => of::<TimestampSecondType>(array, SECONDS, zone, timestamp_s_to_datetime),
        TimeUnit::Millisecond => {
            of::<TimestampMillisecondType>(array, MILLISECONDS, zone, timestamp_ms_to_datetime)
        }
        TimeUnit::Microsecond => {
            of::<TimestampMicrosecondType>(array, MILLISECONDS * 1_000, zone, timestamp_us_to_datetime)
        }
        TimeUnit::Nanosecond => {
            of::<TimestampNanosecondType>(array, MILLISECONDS * 1_000_000, zone, timestamp_ns_to_datetime)
        }
    }
}

/// 1970-01-01, counted from the first day of the year 1.
const DAYS_TO_1970: i32 = 719_163;

/// Decimals as such of 128 bits; those whose last digits are no part of them become whole numbers.
fn whole<T: ArrowPrimitiveType>(
    array: &PrimitiveArray<T>,
    scale: i8,
    wide: fn(T::Native) -> Option<i128>,
) -> Result<ArrayRef, ArrowError> {
    let times = 10_i128.checked_pow(u32::from(scale.unsigned_abs()));
    let digits =
        |value: T::Native| wide(value)?.checked_mul(times?).filter(|digits| digits.unsigned_abs() < MOST);
    let digits = array.iter().map(|value| match value {
        Some(value) => digits(value).map(Some),
        None => Some(None),
    });
    let digits: Option<Vec<Option<i128>>> = digits.collect();
    let too_long = || ArrowError::CastError("a number has more than 38 digits".into());
    Ok(Arc::new(Decimal128Array::from(digits.ok_or_else(too_long)?).with_precision_and_scale(38, 0)?))
}

const MOST: u128 = 10_u128.pow(38);

/// Every value of runs.
fn decoded<T: RunEndIndexType>(array: &ArrayRef) -> Result<ArrayRef, ArrowError> {
    let Some(runs) = array.as_any().downcast_ref::<RunArray<T>>() else {
        return Err(ArrowError::CastError("runs of another type than their ends".into()));
    };
    let all: Vec<u32> = (0..array.len() as u32).collect();
    let places = runs.get_physical_indices(&all)?;
    let places = UInt64Array::from_iter_values(places.into_iter().map(|place| place as u64));
    usable_array(take(runs.values(), &places, None)?)
}
