//! What a cell shows → text.

use calamine::{CellErrorType, Data, DataRef, ExcelDateTime};

/// What stands in a cell.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Value<'a> {
    Nothing,
    Text(&'a str),
    Number(f64),
    Integer(i64),
    Boolean(bool),
    Moment(ExcelDateTime),
    /// ISO 8601.
    Iso(&'a str),
    Error(CellErrorType),
    /// An error by the words that it shows.
    Failed(&'a str),
    /// A formula whose result is not there.
    Formula,
}

impl<'a> From<&'a DataRef<'a>> for Value<'a> {
    fn from(data: &'a DataRef<'a>) -> Self {
        match data {
            DataRef::Int(value) => Self::Integer(*value),
            DataRef::Float(value) => Self::Number(*value),
            DataRef::String(text) => Self::Text(text),
            DataRef::SharedString(text) => Self::Text(text),
            DataRef::Bool(value) => Self::Boolean(*value),
            DataRef::DateTime(moment) => Self::Moment(*moment),
            DataRef::DateTimeIso(text) | DataRef::DurationIso(text) => Self::Iso(text),
            DataRef::Error(error) => Self::Error(error.clone()),
            DataRef::Empty => Self::Nothing,
        }
    }
}

impl<'a> From<&'a Data> for Value<'a> {
    fn from(data: &'a Data) -> Self {
        match data {
            Data::Int(value) => Self::Integer(*value),
            Data::Float(value) => Self::Number(*value),
            Data::String(text) => Self::Text(text),
            Data::Bool(value) => Self::Boolean(*value),
            Data::DateTime(moment) => Self::Moment(*moment),
            Data::DateTimeIso(text) | Data::DurationIso(text) => Self::Iso(text),
            Data::Error(error) => Self::Error(error.clone()),
            Data::Empty => Self::Nothing,
        }
    }
}

/// What a cell's text is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Shown {
    /// Nothing.
    Blank,
    /// A day without a time of day.
    Day,
    /// A moment: a day with a time of day.
    Moment,
    /// Anything else.
    Other,
    /// No value: what stands there says why.
    NoValue,
}

/// Days are counted up to the end of the year 9999.
const DAYS: f64 = 2_958_466.0;

/// The day that never was, and that spreadsheets count: 29 February 1900.
const NO_DAY: f64 = 60.0;

/// Writes what a cell shows behind `out`. A number has the fifteen digits that a cell shows at most.
pub(super) fn write(value: &Value<'_>, out: &mut String) -> Shown {
    use std::fmt::Write;
    match value {
        Value::Nothing => return Shown::Blank,
        Value::Text(text) if text.trim().is_empty() => return Shown::Blank,
        Value::Text(text) => out.push_str(text),
        Value::Number(number) if !number.is_finite() => {
            out.push_str("#NUM!");
            return Shown::NoValue;
        }
        Value::Number(number) => write_number(*number, out),
        Value::Integer(number) => out.push_str(itoa::Buffer::new().format(*number)),
        Value::Boolean(is) => out.push_str(if *is { "true" } else { "false" }),
        Value::Moment(moment) => return write_moment(*moment, out),
        Value::Iso(text) => {
            out.push_str(text);
            let day = text.len() == 10;
            let digit = text.as_bytes().first().is_some_and(u8::is_ascii_digit);
            return match (digit, day) {
                (true, true) => Shown::Day,
                (true, false) => Shown::Moment,
                (false, _) => Shown::Other,
            };
        }
        Value::Error(error) => {
            let _ = write!(out, "{error}");
            return Shown::NoValue;
        }
        Value::Failed(text) => {
            out.push_str(text);
            return Shown::NoValue;
        }
        Value::Formula => {
            out.push_str("a formula without a result");
            return Shown::NoValue;
        }
    }
    Shown::Other
}

/// A whole number below this has at most fifteen digits.
const FIFTEEN: f64 = 1e15;

/// A number with fifteen digits at most: those behind are what binary fractions leave.
fn write_number(number: f64, out: &mut String) {
    use std::fmt::Write;
    if number.fract() == 0.0 && number.abs() < FIFTEEN {
        out.push_str(itoa::Buffer::new().format(number as i64));
        return;
    }
    let start = out.len();
    let _ = write!(out, "{number}");
    let text = &out.as_bytes()[start..];
    let digits = text.iter().filter(|byte| byte.is_ascii_digit()).count();
    if digits <= 15 {
        return;
    }
    // Zeros before the first other digit count for nothing.
    let leading =
        text.iter().take_while(|byte| !matches!(byte, b'1'..=b'9')).filter(|b| **b == b'0');
    if digits - leading.count() <= 15 {
        return;
    }
    out.truncate(start);
    let rounded: f64 = format!("{number:.14e}").parse().unwrap_or(number);
    let _ = write!(out, "{rounded}");
}

fn write_moment(moment: ExcelDateTime, out: &mut String) -> Shown {
    use std::fmt::Write;
    let serial = moment.as_f64();
    if moment.is_duration() {
        let (sign, millis) =
            (if serial < 0.0 { "-" } else { "" }, (serial.abs() * 86_400_000.0).round());
        let millis = millis as u64;
        let (hours, minutes) = (millis / 3_600_000, millis / 60_000 % 60);
        let _ = write!(out, "{sign}{hours}:{minutes:02}:{:02}", millis / 1_000 % 60);
        return Shown::Other;
    }
    let (year, month, day, hour, minute, second, milli) = moment.to_ymd_hms_milli();
    if !(0.0..DAYS).contains(&serial)
        || (year, month, day) == (1900, 2, 29)
        || serial.floor() == NO_DAY && year == 1900
    {
        let _ = write!(out, "{serial} as a day");
        return Shown::NoValue;
    }
    let time = (hour, minute, second, milli) != (0, 0, 0, 0);
    let fraction = if milli == 0 { String::new() } else { format!(".{milli:03}") };
    if serial < 1.0 {
        let _ = write!(out, "{hour:02}:{minute:02}:{second:02}{fraction}");
        return Shown::Other;
    }
    let _ = write!(out, "{year:04}-{month:02}-{day:02}");
    if !time {
        return Shown::Day;
    }
    let _ = write!(out, "T{hour:02}:{minute:02}:{second:02}{fraction}");
    Shown::Moment
}

#[cfg(test)]
mod tests {
    use super::*;
    use calamine::ExcelDateTimeType;

    fn shown(value: &Value<'_>) -> (String, Shown) {
        let mut out = String::new();
        let shown = write(value, &mut out);
        (out, shown)
    }

    #[test]
    fn a_number_has_the_digits_that_a_cell_shows() {
        let cases = [
            (19.99, "19.99"),
            (0.1 + 0.2, "0.3"),
            (1.1 * 3.0, "3.3"),
            (-4.0, "-4"),
            (1e-7, "0.0000001"),
            (0.000_012_345_678_901_234_5, "0.0000123456789012345"),
            (123_456_789_012_345.6, "123456789012346"),
            (1_234_567_890_123_450_000.0, "1234567890123450000"),
            (871e10, "8710000000000"),
        ];
        for (number, text) in cases {
            assert_eq!(shown(&Value::Number(number)), (text.to_owned(), Shown::Other), "{number}");
        }
        assert_eq!(shown(&Value::Number(f64::NAN)).1, Shown::NoValue);
    }

    #[test]
    fn a_day_is_one_and_a_time_is_kept() {
        let moment = |serial: f64| {
            shown(&Value::Moment(ExcelDateTime::new(serial, ExcelDateTimeType::DateTime, false)))
        };
        assert_eq!(moment(45_808.0), ("2025-05-31".into(), Shown::Day));
        assert_eq!(moment(45_808.0 + 1.0 / 3.0), ("2025-05-31T08:00:00".into(), Shown::Moment));
        assert_eq!(moment(45_808.000_005), ("2025-05-31T00:00:00.432".into(), Shown::Moment));
        assert_eq!(moment(0.5), ("12:00:00".into(), Shown::Other));
        assert_eq!(moment(59.0), ("1900-02-28".into(), Shown::Day));
        assert_eq!(moment(61.0), ("1900-03-01".into(), Shown::Day));
        for none in [60.0, -1.0, 3_000_000.0] {
            assert_eq!(moment(none).1, Shown::NoValue, "{none}");
        }
        let long = ExcelDateTime::new(1.5, ExcelDateTimeType::TimeDelta, false);
        assert_eq!(shown(&Value::Moment(long)), ("36:00:00".into(), Shown::Other));
    }
}
