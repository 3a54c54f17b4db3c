//! A cell as the server sends it → a value of a column's type.

use granum_core::value::{day, parse_boolean, parse_integer};
use mysql::Value;

use crate::typed::Cell;

impl Cell for Value {
    fn write(&self, out: &mut Vec<u8>) -> bool {
        let mut number = itoa::Buffer::new();
        let text = match self {
            Value::NULL => return true,
            Value::Bytes(bytes) => {
                if std::str::from_utf8(bytes).is_err() {
                    return false;
                }
                bytes.as_slice()
            }
            Value::Int(value) => number.format(*value).as_bytes(),
            Value::UInt(value) => number.format(*value).as_bytes(),
            _ => &written(self).into_bytes(),
        };
        out.extend_from_slice(text);
        true
    }

    fn unheld(&self) -> String {
        match self {
            Value::Bytes(bytes) => format!("{} bytes that are no text", bytes.len()),
            _ => String::new(),
        }
    }

    fn integer(&self, text: &[u8]) -> Option<i64> {
        parse_integer(text)
    }

    fn number(&self) -> Option<f64> {
        let number = match self {
            // The shortest text of a short number is what it was meant to be.
            Value::Float(value) => value.to_string().parse().ok()?,
            Value::Double(value) => *value,
            _ => return None,
        };
        number.is_finite().then_some(number)
    }

    /// Of day or month none there is no day.
    fn date(&self, _: &[u8]) -> Option<i32> {
        let Value::Date(year, month, day, ..) = self else { return None };
        day::parse_iso(format!("{year:04}-{month:02}-{day:02}").as_bytes())
    }

    fn moment(&self, text: &[u8]) -> Option<i64> {
        let Value::Date(.., hour, minute, second, micros) = self else { return None };
        let seconds = i64::from(*hour) * 3_600 + i64::from(*minute) * 60 + i64::from(*second);
        Some(day::start_of(self.date(text)?) + seconds * 1_000_000 + i64::from(*micros))
    }

    fn boolean(&self, text: &[u8]) -> Option<bool> {
        match text {
            b"0" => Some(false),
            b"1" => Some(true),
            _ => parse_boolean(text),
        }
    }
}

/// The text of a number, a moment or a time.
fn written(value: &Value) -> String {
    let fraction = |micros: u32| match micros {
        0 => String::new(),
        micros => format!(".{}", format!("{micros:06}").trim_end_matches('0')),
    };
    match value {
        Value::Float(value) => value.to_string(),
        Value::Double(value) => value.to_string(),
        Value::Date(year, month, day, 0, 0, 0, 0) => format!("{year:04}-{month:02}-{day:02}"),
        Value::Date(year, month, day, hour, minute, second, micros) => format!(
            "{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}{}",
            fraction(*micros)
        ),
        Value::Time(negative, days, hours, minutes, seconds, micros) => {
            let hours = u64::from(*days) * 24 + u64::from(*hours);
            let sign = if *negative { "-" } else { "" };
            format!("{sign}{hours:02}:{minutes:02}:{seconds:02}{}", fraction(*micros))
        }
        Value::NULL | Value::Bytes(_) | Value::Int(_) | Value::UInt(_) => String::new(),
    }
}
