//! A value → what a cell of a sheet holds; or why it holds none.

use granum_core::table::Column;
use granum_core::value::{Scalar, day};

/// What a cell holds.
#[derive(Debug, PartialEq)]
pub(super) enum Typed<'a> {
    Text(&'a str),
    Boolean(bool),
    /// A number, or a day or moment as the days since the end of 1899.
    Number {
        value: f64,
        /// How many letters show it.
        width: usize,
        /// A moment within a second.
        fine: bool,
    },
}

impl Typed<'_> {
    /// How many letters show it.
    pub fn width(&self) -> usize {
        match self {
            Self::Text(text) => text.chars().take(64).count() + 1,
            Self::Boolean(_) => 6,
            Self::Number { width, .. } => width + 1,
        }
    }
}

/// A cell keeps so many digits of a number.
const DIGITS: usize = 15;

/// A cell holds a text of so many letters at most, counted in 16 bits as books do.
const LONGEST: usize = 32_767;

/// The days of 1 January 1900, of 1 March 1900 and of 31 December 9999, since 1970.
const FIRST_DAY: i32 = -25_567;
const AFTER_NO_DAY: i32 = -25_508;
const LAST_DAY: i32 = 2_932_896;

/// So many microseconds has a day.
const DAY: i64 = 86_400_000_000;

/// The value of a column in a row; nothing for a blank.
///
/// # Errors
/// What a cell cannot hold, in words that go on from `` `net` in row 5``.
pub(super) fn typed<'a>(
    column: &'a Column,
    row: usize,
    scratch: &mut Vec<u8>,
) -> Result<Option<Typed<'a>>, String> {
    if column.is_blank(row) {
        return Ok(None);
    }
    if let Some(text) = column.text(row) {
        return text_of(text).map(|text| (!text.is_empty()).then_some(Typed::Text(text)));
    }
    let value = match column.scalar(row) {
        Scalar::Boolean(is) => return Ok(Some(Typed::Boolean(is))),
        Scalar::Date(days) => return day_of(days).map(Some),
        Scalar::DateTime(micros) => return moment_of(micros).map(Some),
        value => value,
    };
    scratch.clear();
    column.write_value(row, scratch);
    let text = std::str::from_utf8(scratch).unwrap_or_default();
    if !matches!(value, Scalar::Number(_)) && digits(text) > DIGITS {
        return Err(format!(
            "is {text}, which has {} digits, and a cell keeps {DIGITS}",
            digits(text)
        ));
    }
    let value: f64 =
        text.parse().map_err(|_| format!("is {text}, which is no number for a cell"))?;
    Ok(Some(Typed::Number { value, width: text.len(), fine: false }))
}

/// How many digits a number has that count: from the first that is no zero to the last that is none.
fn digits(text: &str) -> usize {
    let places = text.contains('.');
    let text = if places { text.trim_end_matches('0') } else { text };
    let all: Vec<u8> = text.bytes().filter(u8::is_ascii_digit).collect();
    let first = all.iter().position(|digit| *digit != b'0').unwrap_or(all.len());
    let last = all.iter().rposition(|digit| *digit != b'0').map_or(0, |at| at + 1);
    last.saturating_sub(first)
}

fn text_of(text: &str) -> Result<&str, String> {
    let units = if text.len() <= LONGEST { 0 } else { text.encode_utf16().count() };
    if units > LONGEST {
        return Err(format!("has {units} letters, and a cell holds {LONGEST}"));
    }
    let sign = |sign: &char| {
        sign.is_control() && !matches!(sign, '\t' | '\n') || matches!(sign, '\u{FFFE}' | '\u{FFFF}')
    };
    match text.chars().find(sign) {
        None => Ok(text),
        Some(sign) => {
            Err(format!("has the sign {}, which a cell cannot hold", sign.escape_unicode()))
        }
    }
}

/// The number of a day, in the calendar of books, which has a 29 February 1900.
fn serial(days: i32) -> Result<i32, String> {
    if (FIRST_DAY..=LAST_DAY).contains(&days) {
        let count = days - FIRST_DAY + 1;
        return Ok(if days >= AFTER_NO_DAY { count + 1 } else { count });
    }
    let mut text = vec![];
    day::write(days, &mut text);
    let text = String::from_utf8_lossy(&text);
    Err(format!("is {text}, a day that cells do not know: theirs are 1900-01-01 to 9999-12-31"))
}

fn day_of(days: i32) -> Result<Typed<'static>, String> {
    Ok(Typed::Number { value: f64::from(serial(days)?), width: 10, fine: false })
}

fn moment_of(micros: i64) -> Result<Typed<'static>, String> {
    let (days, within) = (micros.div_euclid(DAY), micros.rem_euclid(DAY));
    if within % 1_000 != 0 {
        let mut text = vec![];
        day::write_time(micros, &mut text);
        let text = String::from_utf8_lossy(&text);
        return Err(format!(
            "is {text}, which has millionths of a second, and a cell keeps thousandths"
        ));
    }
    let day = serial(i32::try_from(days).unwrap_or(i32::MIN))?;
    let value = f64::from(day) + within as f64 / DAY as f64;
    let fine = within % 1_000_000 != 0;
    Ok(Typed::Number { value, width: if fine { 23 } else { 19 }, fine })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn digits_that_count_are_counted() {
        let all =
            ["0", "0.00", "100", "-12.50", "0.0012", "123456789012345.60", "1000000000000001"];
        assert_eq!(all.map(digits), [0, 0, 1, 3, 2, 16, 16]);
    }

    #[test]
    fn days_have_the_numbers_that_books_give_them() {
        let number = |text: &str| serial(day::parse_iso(text.as_bytes()).unwrap());
        assert_eq!(number("1900-01-01"), Ok(1));
        assert_eq!(number("1900-02-28"), Ok(59));
        assert_eq!(number("1900-03-01"), Ok(61));
        assert_eq!(number("2025-05-31"), Ok(45_808));
        assert_eq!(number("9999-12-31"), Ok(2_958_465));
        assert!(number("1899-12-31").unwrap_err().contains("is 1899-12-31, a day that cells"));
    }
}
