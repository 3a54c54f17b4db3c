//! A cell of a database → a value of a column's type; and the other way.

use std::sync::Arc;

use granum_core::table::{Column, ColumnBuilder, GrowingValues};
use granum_core::value::{Type, day, decimal, parse_boolean, parse_integer};
use rusqlite::types::{ToSqlOutput, Value, ValueRef};

use crate::typed::Native;

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
    let mut growing = Growing::new(ty, 1);
    growing.take(value);
    match growing.finish() {
        native if !native.without.is_empty() || !native.others.is_empty() => Some(false),
        native => (!native.column.is_blank(0)).then_some(true),
    }
}

/// A column that is being made of cells.
pub(super) struct Growing {
    column: ColumnBuilder,
    rows: usize,
    without: Vec<(usize, Arc<str>)>,
    others: Vec<(usize, Arc<str>)>,
    text: Vec<u8>,
}

impl Growing {
    pub fn new(ty: Type, room: usize) -> Self {
        Self {
            column: ColumnBuilder::new(ty, room),
            rows: 0,
            without: vec![],
            others: vec![],
            text: vec![],
        }
    }

    /// Adds a cell. One of another kind than the column is kept as the text that it is.
    pub fn take(&mut self, value: ValueRef<'_>) {
        self.text.clear();
        let has_text = text_of(value, &mut self.text);
        let blank = has_text && self.text.is_empty();
        let text = &self.text;
        let (values, present) = self.column.ends();
        macro_rules! add {
            ($values:expr, $value:expr) => {{
                let value = if blank { None } else { $value };
                present.push(value.is_some());
                $values.push(value.unwrap_or_default());
                value.is_some()
            }};
        }
        let taken = match values {
            GrowingValues::Blank(rows) => {
                *rows += 1;
                false
            }
            GrowingValues::Text(texts) => match std::str::from_utf8(text) {
                Ok(text) if has_text && !blank => {
                    texts.push(text);
                    true
                }
                _ => {
                    texts.push_blank();
                    false
                }
            },
            GrowingValues::Integer(values) => add!(values, integer(value, text)),
            GrowingValues::Decimal(values, scale) => {
                let read = || {
                    let (units, places) = decimal::parse(text)?;
                    decimal::without_loss(units, places, *scale)
                };
                add!(values, read())
            }
            GrowingValues::Number(values) => add!(values, number(value)),
            GrowingValues::Date(values) => add!(values, date(text)),
            GrowingValues::DateTime(values) => add!(values, moment(text)),
            GrowingValues::Boolean(values) => add!(values, boolean(value, text)),
        };
        if !taken && !blank {
            if has_text {
                self.others.push((self.rows, String::from_utf8_lossy(text).into()));
            } else {
                self.without.push((self.rows, unheld(value).into()));
            }
        }
        self.rows += 1;
    }

    pub fn finish(self) -> Native {
        let (column, without, others) = (self.column.finish(), self.without, self.others);
        Native { column, utc: false, without, others }
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
