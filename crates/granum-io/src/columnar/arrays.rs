//! An array of a file → a column, and its cells that hold what no value can be.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{
    Date32Type, Date64Type, Decimal32Type, Decimal64Type, Decimal128Type, Decimal256Type,
    Float16Type, Float32Type, Float64Type, Int8Type, Int16Type, Int32Type, Int64Type,
    Time32MillisecondType, Time32SecondType, Time64MicrosecondType, Time64NanosecondType,
    TimestampMicrosecondType, TimestampMillisecondType, TimestampNanosecondType,
    TimestampSecondType, UInt8Type, UInt16Type, UInt32Type, UInt64Type,
};
use arrow_array::{Array, ArrowPrimitiveType, PrimitiveArray};
use arrow_buffer::{NullBuffer, i256};
use arrow_schema::{DataType, TimeUnit};
use granum_core::Sure;
use granum_core::table::{
    Bits, Column, Fixed, Present, PresentBuilder, Rows, TextBuilder, Truths, Whole,
};
use granum_core::value::{Scale, Type, day, decimal};

use super::fields::a_second;
use crate::typed::Native;

/// The days and microseconds of the first and the last moment of the years 1 to 9999.
const DAYS: std::ops::RangeInclusive<i64> = -719_162..=2_932_896;
const MICROS: std::ops::Range<i64> = -719_162 * DAY..2_932_897 * DAY;
const DAY: i64 = 86_400_000_000;

/// The column of an array that [`super::fields`] gave a type.
pub(super) fn native(array: &dyn Array) -> Native {
    let nulls = array.logical_nulls();
    let present = nulls.as_ref().and_then(present);
    match array.data_type() {
        DataType::Null => Column::Blank(array.len()).into(),
        DataType::Boolean => {
            let truths = array.as_boolean();
            let bits = Bits::collect(truths.len(), |row| truths.value(row));
            Column::Boolean(Truths::new(bits, present)).into()
        }
        DataType::Int8 => whole::<Int8Type>(array, present),
        DataType::Int16 => whole::<Int16Type>(array, present),
        DataType::Int32 => whole::<Int32Type>(array, present),
        DataType::Int64 => {
            Column::Integer(Whole::of(array.as_primitive::<Int64Type>().values(), present)).into()
        }
        DataType::UInt8 => whole::<UInt8Type>(array, present),
        DataType::UInt16 => whole::<UInt16Type>(array, present),
        DataType::UInt32 => whole::<UInt32Type>(array, present),
        DataType::UInt64 => {
            let read = |value: u64| i64::try_from(value).map_err(|_| value.to_string());
            let (values, there, without) = each(array.as_primitive::<UInt64Type>(), read);
            column(Column::Integer(Whole::new(values, there).narrowed()), without)
        }
        DataType::Float16 => {
            // The shortest text of a short number is what it was meant to be.
            numbers(array.as_primitive::<Float16Type>(), |value| value.to_string())
        }
        DataType::Float32 => {
            numbers(array.as_primitive::<Float32Type>(), |value| value.to_string())
        }
        DataType::Float64 => {
            let read =
                |value: f64| if value.is_finite() { Ok(value) } else { Err(value.to_string()) };
            let (values, there, without) = each(array.as_primitive::<Float64Type>(), read);
            column(Column::Number(Fixed::new(values, there)), without)
        }
        DataType::Decimal32(_, places) => {
            decimals(array.as_primitive::<Decimal32Type>(), *places, |units| Some(units.into()))
        }
        DataType::Decimal64(_, places) => {
            decimals(array.as_primitive::<Decimal64Type>(), *places, |units| Some(units.into()))
        }
        DataType::Decimal128(_, places) if held(array, *places) => {
            let units = array.as_primitive::<Decimal128Type>().values();
            Column::Decimal(Whole::of(units, present), Scale(*places as u8)).into()
        }
        DataType::Decimal128(_, places) => {
            decimals(array.as_primitive::<Decimal128Type>(), *places, Some)
        }
        DataType::Decimal256(_, places) => {
            decimals(array.as_primitive::<Decimal256Type>(), *places, i256::to_i128)
        }
        DataType::Date32 => {
            let read = |days: i32| {
                if DAYS.contains(&i64::from(days)) { Ok(days) } else { Err(format!("day {days}")) }
            };
            let (values, there, without) = each(array.as_primitive::<Date32Type>(), read);
            column(Column::Date(Fixed::new(values, there)), without)
        }
        DataType::Date64 => {
            let read = |millis: i64| match (millis.div_euclid(86_400_000), millis % 86_400_000) {
                (days, 0) if DAYS.contains(&days) => Ok(days as i32),
                _ => Err(format!("millisecond {millis}")),
            };
            let (values, there, without) = each(array.as_primitive::<Date64Type>(), read);
            column(Column::Date(Fixed::new(values, there)), without)
        }
        DataType::Timestamp(unit, zone) => Native { utc: zone.is_some(), ..moments(array, *unit) },
        DataType::Time32(_) | DataType::Time64(_) => times(array),
        DataType::Dictionary(..) => of_dictionary(array),
        _ => texts(array),
    }
}

fn column(column: Column, without: Vec<(usize, Arc<str>)>) -> Native {
    Native { column, utc: false, without, others: vec![] }
}

/// Which rows have a value; nothing where all have.
pub(super) fn present(nulls: &NullBuffer) -> Option<Present> {
    let some = nulls.null_count() > 0;
    some.then(|| Present::new(Bits::collect(nulls.len(), |row| nulls.is_valid(row))))
}

type Each<T> = (Vec<T>, Option<Present>, Vec<(usize, Arc<str>)>);

/// Each value read; what cannot be one is told.
fn each<P: ArrowPrimitiveType, T: Default>(
    array: &PrimitiveArray<P>,
    read: impl Fn(P::Native) -> Result<T, String>,
) -> Each<T> {
    let mut present = PresentBuilder::default();
    let mut without = vec![];
    let values = array.values().iter().enumerate().map(|(row, value)| {
        let value = if array.is_null(row) {
            None
        } else {
            read(*value).map_err(|text| without.push((row, text.into()))).ok()
        };
        present.push(value.is_some());
        value.unwrap_or_default()
    });
    let values = values.collect();
    (values, present.finish(), without)
}

fn whole<P: ArrowPrimitiveType>(array: &dyn Array, present: Option<Present>) -> Native
where
    P::Native: Into<i64>,
{
    let values = array.as_primitive::<P>().values().iter().map(|value| (*value).into()).collect();
    Column::Integer(Whole::new(values, present).narrowed()).into()
}

fn numbers<P: ArrowPrimitiveType>(
    array: &PrimitiveArray<P>,
    shown: impl Fn(P::Native) -> String,
) -> Native {
    let read = |value| {
        let text = shown(value);
        text.parse::<f64>().ok().filter(|number| number.is_finite()).ok_or(text)
    };
    let (values, there, without) = each(array, read);
    column(Column::Number(Fixed::new(values, there)), without)
}

fn decimals<P: ArrowPrimitiveType>(
    array: &PrimitiveArray<P>,
    places: i8,
    units: impl Fn(P::Native) -> Option<i128>,
) -> Native
where
    P::Native: std::fmt::Display,
{
    // Fewer places than none are zeros before the point.
    let zeros = decimal::power(places.unsigned_abs());
    let read = |value: P::Native| {
        let units = units(value);
        let units =
            if places < 0 { units.and_then(|units| units.checked_mul(zeros)) } else { units };
        let units = units.and_then(decimal::fits);
        units.ok_or_else(|| pointed(&value.to_string(), places))
    };
    let (values, there, without) = each(array, read);
    let scale = Scale(u8::try_from(places).unwrap_or(0));
    column(Column::Decimal(Whole::new(values, there).narrowed(), scale), without)
}

/// Units as they are written with places, however many they are.
fn pointed(units: &str, places: i8) -> String {
    let Ok(places) = usize::try_from(places) else {
        return format!("{units}{}", "0".repeat(usize::from(places.unsigned_abs())));
    };
    let (sign, digits) = units.strip_prefix('-').map_or(("", units), |digits| ("-", digits));
    let digits = format!("{digits:0>width$}", width = places + 1);
    let (whole, rest) = digits.split_at(digits.len() - places);
    if rest.is_empty() { format!("{sign}{whole}") } else { format!("{sign}{whole}.{rest}") }
}

/// Whether all units of decimals are such as they stand, also those under blanks.
fn held(array: &dyn Array, places: i8) -> bool {
    let units = array.as_primitive::<Decimal128Type>().values();
    places >= 0 && units.iter().all(|units| decimal::fits(*units).is_some())
}

fn moments(array: &dyn Array, unit: TimeUnit) -> Native {
    let a_second = a_second(unit);
    let read = |value: i64| {
        let micros = if a_second <= 1_000_000 {
            value.checked_mul(1_000_000 / a_second)
        } else {
            (value % (a_second / 1_000_000) == 0).then(|| value / (a_second / 1_000_000))
        };
        micros.filter(|micros| MICROS.contains(micros)).ok_or_else(|| unheld(value, a_second))
    };
    let (values, there, without) = match unit {
        TimeUnit::Second => each(array.as_primitive::<TimestampSecondType>(), read),
        TimeUnit::Millisecond => each(array.as_primitive::<TimestampMillisecondType>(), read),
        TimeUnit::Microsecond => each(array.as_primitive::<TimestampMicrosecondType>(), read),
        TimeUnit::Nanosecond => each(array.as_primitive::<TimestampNanosecondType>(), read),
    };
    column(Column::DateTime(Fixed::new(values, there)), without)
}

/// A moment that is finer than a microsecond, or outside the years that there are.
fn unheld(value: i64, a_second: i64) -> String {
    let (seconds, rest) = (value.div_euclid(a_second), value.rem_euclid(a_second));
    let micros = seconds.checked_mul(1_000_000).filter(|micros| MICROS.contains(micros));
    let Some(micros) = micros else { return format!("{seconds} seconds from 1970") };
    let mut text = vec![];
    day::write_time(micros, &mut text);
    format!("{}.{rest:09}", String::from_utf8_lossy(&text))
}

/// Times of day as texts, to the second or as fine as they are.
fn times(array: &dyn Array) -> Native {
    let shown = |value: i64, unit: TimeUnit| {
        let a_second = a_second(unit);
        let (seconds, rest) = (value.div_euclid(a_second), value.rem_euclid(a_second));
        let nanos = rest * (1_000_000_000 / a_second);
        let time = format!("{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        if nanos == 0 {
            return time;
        }
        format!("{time}.{}", format!("{nanos:09}").trim_end_matches('0'))
    };
    let value = |row: usize| match array.data_type() {
        DataType::Time32(TimeUnit::Second) => {
            shown(array.as_primitive::<Time32SecondType>().value(row).into(), TimeUnit::Second)
        }
        DataType::Time32(_) => shown(
            array.as_primitive::<Time32MillisecondType>().value(row).into(),
            TimeUnit::Millisecond,
        ),
        DataType::Time64(TimeUnit::Microsecond) => {
            shown(array.as_primitive::<Time64MicrosecondType>().value(row), TimeUnit::Microsecond)
        }
        _ => shown(array.as_primitive::<Time64NanosecondType>().value(row), TimeUnit::Nanosecond),
    };
    let rows = (0..array.len()).map(|row| array.is_valid(row).then(|| value(row)));
    Column::Text(rows.collect()).into()
}

/// Texts; bytes that are no text are told.
fn texts(array: &dyn Array) -> Native {
    let rows = array.len();
    let mut texts = TextBuilder::new(rows);
    let mut without = vec![];
    let mut text = |text: &str| {
        if text.is_empty() { texts.push_blank() } else { texts.push(text) }
    };
    let blank = "";
    match array.data_type() {
        DataType::Utf8 => array.as_string::<i32>().iter().for_each(|t| text(t.unwrap_or(blank))),
        DataType::LargeUtf8 => {
            array.as_string::<i64>().iter().for_each(|t| text(t.unwrap_or(blank)));
        }
        DataType::Utf8View => array.as_string_view().iter().for_each(|t| text(t.unwrap_or(blank))),
        _ => {
            for row in 0..rows {
                let bytes = bytes(array, row);
                let read = std::str::from_utf8(bytes);
                if read.is_err() {
                    without.push((row, format!("{} bytes that are no text", bytes.len()).into()));
                }
                text(read.unwrap_or(blank));
            }
        }
    }
    column(Column::Text(texts.finish()), without)
}

/// The bytes of a row; none where it is blank.
fn bytes(array: &dyn Array, row: usize) -> &[u8] {
    if array.is_null(row) {
        return &[];
    }
    match array.data_type() {
        DataType::Binary => array.as_binary::<i32>().value(row),
        DataType::LargeBinary => array.as_binary::<i64>().value(row),
        DataType::BinaryView => array.as_binary_view().value(row),
        _ => array.as_fixed_size_binary().value(row),
    }
}

/// The values that numbers stand for, each made once.
fn of_dictionary(array: &dyn Array) -> Native {
    let dictionary = array.as_any_dictionary();
    if dictionary.values().is_empty() {
        let ty = native(dictionary.values().as_ref()).column.ty();
        return Column::all_blank(ty, array.len()).into();
    }
    if let Some(numbered) = array.as_dictionary_opt::<Int32Type>()
        && let Some(texts) = numbered.values().as_string_opt::<i32>()
        && texts.len() > numbered.len()
    {
        // Most of them are of other rows.
        let rows = numbered.keys().iter().map(|key| {
            let key = key.map(|key| key as usize).filter(|key| texts.is_valid(*key))?;
            Some(texts.value(key)).filter(|text| !text.is_empty())
        });
        return Column::Text(rows.collect()).into();
    }
    let values = native(dictionary.values().as_ref());
    let keys = dictionary.normalized_keys();
    let mut there = PresentBuilder::default();
    let mut rows = Vec::with_capacity(array.len());
    let mut without = vec![];
    for (row, key) in keys.iter().enumerate() {
        let held = array.is_valid(row) && !values.column.is_blank(*key);
        there.push(held);
        rows.push(if held { *key as u32 } else { 0 });
        let odd = values.without.iter().find(|(at, _)| at == key);
        if let Some((_, text)) = odd.filter(|_| array.is_valid(row)) {
            without.push((row, text.clone()));
        }
    }
    let column = values.column.take(&Rows::new(rows, there.finish()));
    Native { column, utc: values.utc, without, others: vec![] }
}

/// The type of a column that an array becomes: as [`super::fields`] says.
pub(super) fn checked(native: Native, ty: Type) -> Native {
    let own = native.column.ty();
    (own == ty || own == Type::Blank).then_some(native).sure("a column of the type of its schema")
}
