//! Single values, and what type a cell has when nothing is said.

use std::fmt;

use serde::Serialize;

use super::{Scale, Type, day, decimal};

/// One value of any type.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Scalar {
    /// No value.
    Blank,
    /// A text.
    Text(String),
    /// A whole number.
    Integer(i64),
    /// Units of 10^-scale.
    Decimal(i128, Scale),
    /// A floating point number.
    Number(f64),
    /// Days from 1970-01-01.
    Date(i32),
    /// Microseconds from 1970-01-01T00:00:00.
    DateTime(i64),
    /// True or false.
    Boolean(bool),
}

impl Scalar {
    /// Its type.
    pub fn ty(&self) -> Type {
        match self {
            Self::Blank => Type::Blank,
            Self::Text(_) => Type::Text,
            Self::Integer(_) => Type::Integer,
            Self::Decimal(_, scale) => Type::Decimal(*scale),
            Self::Number(_) => Type::Number,
            Self::Date(_) => Type::Date,
            Self::DateTime(_) => Type::DateTime,
            Self::Boolean(_) => Type::Boolean,
        }
    }

    /// Reads a value of a type as `--set` gives it. Empty is blank.
    pub fn parse(text: &str, ty: Type) -> Option<Scalar> {
        if text.is_empty() {
            return Some(Self::Blank);
        }
        let bytes = text.as_bytes();
        Some(match ty {
            Type::Blank => return None,
            Type::Text => Self::Text(text.to_owned()),
            Type::Integer => Self::Integer(parse_integer(bytes)?),
            Type::Decimal(scale) => Self::Decimal(decimal::parse_to(bytes, scale)?, scale),
            Type::Number => Self::Number(text.parse().ok().filter(|n: &f64| n.is_finite())?),
            Type::Date => Self::Date(day::parse_iso(bytes)?),
            Type::DateTime => Self::DateTime(day::parse_iso_time(bytes)?),
            Type::Boolean => Self::Boolean(parse_boolean(bytes)?),
        })
    }

    /// Writes the value as a CSV cell has it: decimals with all places, days as ISO 8601, blank as
    /// nothing.
    pub fn write(&self, out: &mut Vec<u8>) {
        match self {
            Self::Blank => {}
            Self::Text(text) => out.extend_from_slice(text.as_bytes()),
            Self::Integer(value) => {
                out.extend_from_slice(itoa::Buffer::new().format(*value).as_bytes());
            }
            Self::Decimal(units, scale) => decimal::write(*units, *scale, out),
            // Nobody means a zero below zero.
            Self::Number(value) => out.extend_from_slice((value + 0.0).to_string().as_bytes()),
            Self::Date(days) => day::write(*days, out),
            Self::DateTime(micros) => day::write_time(*micros, out),
            Self::Boolean(value) => {
                out.extend_from_slice(if *value { b"true" } else { b"false" });
            }
        }
    }
}

impl fmt::Display for Scalar {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        if *self == Self::Blank {
            return out.write_str("blank");
        }
        let mut text = vec![];
        self.write(&mut text);
        out.write_str(&String::from_utf8_lossy(&text))
    }
}

/// Reads a whole number: a sign and digits.
pub fn parse_integer(text: &[u8]) -> Option<i64> {
    let (negative, digits) = match text.first()? {
        b'-' => (true, &text[1..]),
        b'+' => (false, &text[1..]),
        _ => (false, text),
    };
    if digits.is_empty() {
        return None;
    }
    let mut value = 0_i64;
    // Up to 18 digits always fit.
    if digits.len() <= 18 {
        for byte in digits {
            let digit = byte.wrapping_sub(b'0');
            if digit > 9 {
                return None;
            }
            value = value * 10 + i64::from(digit);
        }
        return Some(if negative { -value } else { value });
    }
    for digit in digits {
        if !digit.is_ascii_digit() {
            return None;
        }
        // Built up below zero, where there is room for one more.
        value = value.checked_mul(10)?.checked_sub(i64::from(digit - b'0'))?;
    }
    if negative { Some(value) } else { value.checked_neg() }
}

/// Reads `true` or `false`.
pub fn parse_boolean(text: &[u8]) -> Option<bool> {
    match text {
        b"true" => Some(true),
        b"false" => Some(false),
        _ => None,
    }
}

/// What the cells of a column have been found to be, so far.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Found(Option<Type>);

impl Found {
    /// Takes in one cell that is not empty.
    pub fn cell(&mut self, text: &[u8]) {
        if self.0 != Some(Type::Text) {
            self.take(found_type(text));
        }
    }

    /// Takes in the type that a cell was found to be.
    pub fn take(&mut self, found: Type) {
        self.merge(Found(Some(found)));
    }

    /// Takes in what another part of the column was found to be.
    pub fn merge(&mut self, other: Found) {
        self.0 = match (self.0, other.0) {
            (None, found) | (found, None) => found,
            (Some(a), Some(b)) => Some(together(a, b)),
        };
    }

    /// The type that fits all cells: blank if there was none.
    pub fn ty(self) -> Type {
        self.0.unwrap_or(Type::Blank)
    }
}

fn together(a: Type, b: Type) -> Type {
    if a == b {
        return a;
    }
    match (a.scale(), b.scale()) {
        (Some(a), Some(b)) => Type::Decimal(a.max(b)),
        _ => Type::Text,
    }
}

/// The type of one cell. Digits with a leading zero, and what does not fit its type, are text.
pub fn found_type(text: &[u8]) -> Type {
    let Some(&first) = text.first() else { return Type::Blank };
    let digits = text.strip_prefix(b"-").unwrap_or(text);
    if digits.first().is_some_and(u8::is_ascii_digit) {
        let leading_zero = digits.len() > 1 && digits[0] == b'0' && digits[1].is_ascii_digit();
        if digits.iter().all(u8::is_ascii_digit) {
            let fits = !leading_zero && parse_integer(text).is_some();
            return if fits { Type::Integer } else { Type::Text };
        }
        if first != b'-' && digits.len() >= 10 && digits[4] == b'-' {
            if day::parse_iso(text).is_some() {
                return Type::Date;
            }
            if day::parse_iso_time(text).is_some() {
                return Type::DateTime;
            }
        }
        return match decimal::parse(text) {
            Some((_, scale)) if !leading_zero && scale <= decimal::MOST_SCALE => {
                Type::Decimal(scale)
            }
            _ => Type::Text,
        };
    }
    if parse_boolean(text).is_some() { Type::Boolean } else { Type::Text }
}
