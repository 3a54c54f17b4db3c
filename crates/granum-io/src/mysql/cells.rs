//! A cell as the server sends it → a value of a column's type.

use std::sync::Arc;

use granum_core::table::{ColumnBuilder, GrowingValues};
use granum_core::value::{Type, day, decimal};
use mysql::Value;

use crate::typed::Native;

/// A column that is being made of cells.
pub(super) struct Growing {
    column: ColumnBuilder,
    utc: bool,
    rows: usize,
    without: Vec<(usize, Arc<str>)>,
    others: Vec<(usize, Arc<str>)>,
    text: Vec<u8>,
}

impl Growing {
    pub fn new(ty: Type, utc: bool, room: usize) -> Self {
        Self {
            column: ColumnBuilder::new(ty, room),
            utc,
            rows: 0,
            without: vec![],
            others: vec![],
            text: vec![],
        }
    }

    /// Adds a cell. One that is no value of the column is kept as the text that it is.
    pub fn take(&mut self, value: &Value) {
        self.text.clear();
        let known = write(value, &mut self.text);
        let blank = known && self.text.is_empty();
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
                Ok(text) if known && !blank => {
                    texts.push(text);
                    true
                }
                _ => {
                    texts.push_blank();
                    false
                }
            },
            GrowingValues::Integer(values) => add!(values, granum_core::value::parse_integer(text)),
            GrowingValues::Decimal(values, scale) => {
                let read = || {
                    let (units, places) = decimal::parse(text)?;
                    decimal::without_loss(units, places, *scale)
                };
                add!(values, read())
            }
            GrowingValues::Number(values) => add!(values, number(value)),
            GrowingValues::Date(values) => add!(values, date(value)),
            GrowingValues::DateTime(values) => add!(values, moment(value)),
            GrowingValues::Boolean(values) => {
                add!(
                    values,
                    match text.as_slice() {
                        b"0" => Some(false),
                        b"1" => Some(true),
                        _ => None,
                    }
                )
            }
        };
        if !taken && !blank {
            // What has a text can be read as that, or as what a plan says.
            let kept = if known { &mut self.others } else { &mut self.without };
            kept.push((self.rows, String::from_utf8_lossy(&self.text).into()));
        }
        self.rows += 1;
    }

    pub fn finish(self) -> Native {
        let (column, without, others) = (self.column.finish(), self.without, self.others);
        Native { column, utc: self.utc, without, others }
    }
}

/// Writes the text of a cell. False of bytes that are none.
fn write(value: &Value, out: &mut Vec<u8>) -> bool {
    match value {
        Value::NULL => {}
        Value::Bytes(bytes) if std::str::from_utf8(bytes).is_ok() => out.extend_from_slice(bytes),
        Value::Bytes(bytes) => {
            out.extend_from_slice(format!("{} bytes that are no text", bytes.len()).as_bytes());
            return false;
        }
        Value::Int(value) => out.extend_from_slice(itoa::Buffer::new().format(*value).as_bytes()),
        Value::UInt(value) => out.extend_from_slice(itoa::Buffer::new().format(*value).as_bytes()),
        Value::Float(value) => out.extend_from_slice(value.to_string().as_bytes()),
        Value::Double(value) => out.extend_from_slice(value.to_string().as_bytes()),
        Value::Date(year, month, day, hour, minute, second, micros) => {
            let day = format!("{year:04}-{month:02}-{day:02}");
            let time = format!("{hour:02}:{minute:02}:{second:02}");
            out.extend_from_slice(day.as_bytes());
            if (*hour, *minute, *second, *micros) != (0, 0, 0, 0) {
                out.extend_from_slice(format!("T{time}").as_bytes());
            }
            fraction(*micros, out);
        }
        Value::Time(negative, days, hours, minutes, seconds, micros) => {
            let hours = u64::from(*days) * 24 + u64::from(*hours);
            let sign = if *negative { "-" } else { "" };
            out.extend_from_slice(format!("{sign}{hours:02}:{minutes:02}:{seconds:02}").as_bytes());
            fraction(*micros, out);
        }
    }
    true
}

fn fraction(micros: u32, out: &mut Vec<u8>) {
    if micros > 0 {
        out.extend_from_slice(
            format!(".{}", format!("{micros:06}").trim_end_matches('0')).as_bytes(),
        );
    }
}

fn number(value: &Value) -> Option<f64> {
    let number = match value {
        // The shortest text of a short number is what it was meant to be.
        Value::Float(value) => value.to_string().parse().ok()?,
        Value::Double(value) => *value,
        _ => return None,
    };
    number.is_finite().then_some(number)
}

/// A day. Of day or month none there is none.
fn date(value: &Value) -> Option<i32> {
    let Value::Date(year, month, day, ..) = value else { return None };
    day::parse_iso(format!("{year:04}-{month:02}-{day:02}").as_bytes())
}

fn moment(value: &Value) -> Option<i64> {
    let Value::Date(.., hour, minute, second, micros) = value else { return None };
    let seconds = i64::from(*hour) * 3_600 + i64::from(*minute) * 60 + i64::from(*second);
    Some(day::start_of(date(value)?) + seconds * 1_000_000 + i64::from(*micros))
}
