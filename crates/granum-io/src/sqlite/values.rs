//! A cell of a database → a value of a column's type; and the other way.

use granum_core::table::Column;
use granum_core::value::{Type, day, decimal, parse_boolean, parse_integer};
use rusqlite::types::{ToSqlOutput, Value, ValueRef};

use crate::typed::{Cell, Growing};

/// Whole numbers up to this are floating point numbers exactly.
const WHOLE: f64 = 9_007_199_254_740_992.0;

/// Writes the text of a cell. False of one that has none.
pub(super) fn text_of(value: ValueRef<'_>, out: &mut Vec<u8>) -> bool {
    match value {
        ValueRef::Null => true,
        ValueRef::Integer(value) => {
            out.extend_from_slice(itoa::Buffer::new().format(value).as_bytes());
            true
        }
        ValueRef::Real(value) if value.is_finite() => {
            // As short as it can be told from all others; whole ones without places.
            out.extend_from_slice(value.to_string().as_bytes());
            true
        }
        ValueRef::Text(text) if std::str::from_utf8(text).is_ok() => {
            out.extend_from_slice(text);
            true
        }
        ValueRef::Real(_) | ValueRef::Text(_) | ValueRef::Blob(_) => false,
    }
}

/// Whether a cell has a value of a type; nothing of a blank one.
pub(super) fn fits(value: ValueRef<'_>, ty: Type) -> Option<bool> {
    let mut growing = Growing::new(ty, false, 1);
    growing.take(&value);
    match growing.finish() {
        native if !native.without.is_empty() || !native.others.is_empty() => Some(false),
        native => (!native.column.is_blank(0)).then_some(true),
    }
}

impl Cell for ValueRef<'_> {
    fn write(&self, out: &mut Vec<u8>) -> bool {
        text_of(*self, out)
    }

    fn unheld(&self) -> String {
        unheld(*self)
    }

    fn integer(&self, text: &[u8]) -> Option<i64> {
        integer(*self, text)
    }

    fn number(&self) -> Option<f64> {
        number(*self)
    }

    fn date(&self, text: &[u8]) -> Option<i32> {
        date(text)
    }

    fn moment(&self, text: &[u8]) -> Option<i64> {
        moment(text)
    }

    fn boolean(&self, text: &[u8]) -> Option<bool> {
        boolean(*self, text)
    }
}

/// A cell that has no text.
fn unheld(value: ValueRef<'_>) -> String {
    match value {
        ValueRef::Real(value) => value.to_string(),
        ValueRef::Blob(bytes) if bytes.len() == 1 => "1 byte".into(),
        ValueRef::Blob(bytes) => format!("{} bytes", bytes.len()),
        ValueRef::Text(_) => "bytes that are no text".into(),
        ValueRef::Null | ValueRef::Integer(_) => String::new(),
    }
}

fn integer(value: ValueRef<'_>, text: &[u8]) -> Option<i64> {
    match value {
        ValueRef::Integer(value) => Some(value),
        ValueRef::Real(value) => {
            (value.fract() == 0.0 && value.abs() <= WHOLE).then_some(value as i64)
        }
        _ => parse_integer(text),
    }
}

fn number(value: ValueRef<'_>) -> Option<f64> {
    match value {
        ValueRef::Integer(value) => (value.unsigned_abs() as f64 <= WHOLE).then_some(value as f64),
        ValueRef::Real(value) => value.is_finite().then_some(value),
        _ => None,
    }
}

/// A day, also as the moment that it begins with.
fn date(text: &[u8]) -> Option<i32> {
    day::parse_iso(text).or_else(|| {
        let micros = day::parse_iso_time(text)?;
        let day = day::day_of(micros);
        (day::start_of(day) == micros).then_some(day)
    })
}

/// A moment, also as the day that it begins.
fn moment(text: &[u8]) -> Option<i64> {
    day::parse_iso_time(text).or_else(|| day::parse_iso(text).map(day::start_of))
}

fn boolean(value: ValueRef<'_>, text: &[u8]) -> Option<bool> {
    match value {
        ValueRef::Integer(0) => Some(false),
        ValueRef::Integer(1) => Some(true),
        _ => parse_boolean(text),
    }
}

/// The value of a row as a database holds it.
///
/// # Errors
/// What it cannot hold, in words that go on from `` `net` in row 5``.
pub(super) fn stored<'a>(
    column: &'a Column,
    row: usize,
    scratch: &mut Vec<u8>,
) -> Result<ToSqlOutput<'a>, String> {
    if column.is_blank(row) {
        return Ok(ToSqlOutput::Owned(Value::Null));
    }
    if let Some(text) = column.text(row) {
        return Ok(ToSqlOutput::Borrowed(ValueRef::Text(text.as_bytes())));
    }
    Ok(ToSqlOutput::Owned(match column {
        Column::Integer(values) => Value::Integer(values.value(row)),
        Column::Number(values) => Value::Real(values.value(row)),
        Column::Boolean(truths) => Value::Integer(truths.value(row).into()),
        Column::Decimal(values, scale) => {
            scratch.clear();
            column.write_value(row, scratch);
            let text = String::from_utf8_lossy(scratch);
            let value: f64 =
                text.parse().map_err(|_| format!("is {text}, which is no number for it"))?;
            let again = decimal::parse(value.to_string().as_bytes());
            let again =
                again.and_then(|(units, places)| decimal::without_loss(units, places, *scale));
            if again != Some(values.value(row)) {
                return Err(format!(
                    "is {text}, of which a database would keep fifteen digits: {value}"
                ));
            }
            Value::Real(value)
        }
        _ => {
            scratch.clear();
            column.write_value(row, scratch);
            // Moments as databases write them, with a space before the time.
            Value::Text(String::from_utf8_lossy(scratch).replace('T', " "))
        }
    }))
}
